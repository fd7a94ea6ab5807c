//! A condition split into words, and how errors name it.

use pebblebank_table::{Error, ErrorKind, Result};
use std::borrow::Cow;

/// A word of a condition, and where it stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Word {
    pub(super) text: String,
    pub(super) is_quoted: bool,
}

impl Word {
    pub(super) fn is(&self, keyword: &str) -> bool {
        !self.is_quoted && self.text.eq_ignore_ascii_case(keyword)
    }
}

/// The condition as errors name it: long ones by their beginning.
pub(super) fn in_short(text: &str) -> Cow<'_, str> {
    const MOST: usize = 200;
    match text.char_indices().nth(MOST) {
        Some((end, _)) => format!("{}…", &text[..end]).into(),
        None => text.into(),
    }
}

/// Splits a condition into words; quotes hold together what has blanks, commas and parentheses stand alone.
pub(super) fn words(text: &str) -> Result<Vec<Word>> {
    let mut words = Vec::new();
    let mut rest = text.trim_start();
    while let Some(first) = rest.chars().next() {
        let (word, after) = match first {
            '"' => {
                let (inside, after) = rest[1..].split_once('"').ok_or_else(|| {
                    let what = format!("in the condition {}: a quote is not closed", in_short(text));
                    Error::new(ErrorKind::Job, what, "put a \" at the end of the value")
                })?;
                (Word { text: inside.to_owned(), is_quoted: true }, after)
            }
            ',' | '(' | ')' => (Word { text: first.to_string(), is_quoted: false }, &rest[1..]),
            _ => {
                let ends = |c: char| c.is_whitespace() || matches!(c, ',' | '(' | ')');
                let end = rest.find(ends).unwrap_or(rest.len());
                (Word { text: rest[..end].to_owned(), is_quoted: false }, &rest[end..])
            }
        };
        words.push(word);
        rest = after.trim_start();
    }
    Ok(words)
}
