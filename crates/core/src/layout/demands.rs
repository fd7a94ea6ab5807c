//! What the texts of a column must be for the sending service, and what happens to others.

use std::borrow::Cow;
use unicode_normalization::char::is_combining_mark;

/// What a column asks of its texts. They are applied in this order: other words for values, allowed values, the longest
/// length; then the pattern is looked at.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Demands {
    /// What stands in place of a value, whatever its letter case.
    pub values: Vec<(String, String)>,
    /// The only values that may stand there, whatever their letter case; empty for any.
    pub allowed: Vec<String>,
    /// What stands in place of a value that is not allowed.
    pub other: Option<String>,
    /// How texts must look: `*` stands for any letters, `?` for one, `[0-9]` for one of these.
    pub pattern: Option<glob::Pattern>,
    /// How long a text may be.
    pub longest: Option<Longest>,
}

/// How long a text may be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Longest {
    /// In characters (Unicode scalar values).
    pub characters: usize,
    /// What happens to longer ones.
    pub then: TooLong,
}

/// What happens to a text that is too long.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TooLong {
    /// It is cut.
    Cut,
    /// The row is set aside.
    SetAside,
    /// The run stops.
    Stop,
}

/// Why a text does not fit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Unfit {
    /// It is none of the values that are allowed.
    NotAllowed,
    /// It does not look as it must.
    Pattern,
    /// It is longer than this.
    TooLong(usize, TooLong),
}

impl Demands {
    /// Whether any text will do.
    pub fn is_nothing(&self) -> bool {
        *self == Demands::default()
    }

    /// The text that is written: replaced or cut where the demands say so.
    pub fn apply<'a>(&self, text: Cow<'a, [u8]>) -> Cow<'a, [u8]> {
        let Ok(given) = std::str::from_utf8(&text) else { return text };
        if given.is_empty() {
            return text;
        }
        let mut changed = same_word(given, self.values.iter().map(|(value, _)| value.as_str()))
            .map(|place| Cow::Borrowed(self.values[place].1.as_str()));
        let now = changed.as_deref().unwrap_or(given);
        if !self.allowed.is_empty() && !now.is_empty() {
            let listed = same_word(now, self.allowed.iter().map(String::as_str)).map(|place| &self.allowed[place]);
            if let Some(word) = listed.or(self.other.as_ref()) {
                changed = Some(Cow::Borrowed(word.as_str()));
            }
        }
        if let Some(Longest { characters, then: TooLong::Cut }) = self.longest {
            let now = changed.as_deref().unwrap_or(given);
            if let Some(cut) = cut(now, characters) {
                changed = Some(Cow::Owned(cut.to_owned()));
            }
        }
        match changed {
            Some(changed) => Cow::Owned(changed.into_owned().into_bytes()),
            None => text,
        }
    }

    /// Why a text that was applied does not fit.
    pub fn unfit(&self, text: &str) -> Option<Unfit> {
        if text.is_empty() {
            return None;
        }
        // What replaces a value need not be one of those that are allowed.
        let is_allowed = || self.allowed.iter().chain(&self.other).any(|allowed| allowed == text);
        if !self.allowed.is_empty() && !is_allowed() {
            return Some(Unfit::NotAllowed);
        }
        if let Some(Longest { characters, then }) = self.longest
            && text.chars().count() > characters
        {
            return Some(Unfit::TooLong(characters, then));
        }
        self.pattern.as_ref().is_some_and(|pattern| !pattern.matches(text)).then_some(Unfit::Pattern)
    }
}

fn same_word<'a>(text: &str, mut words: impl Iterator<Item = &'a str>) -> Option<usize> {
    let lower = text.trim().to_lowercase();
    words.position(|word| word.trim().to_lowercase() == lower)
}

/// The beginning of a text that is too long, without a half character, and without the space before what is cut off.
fn cut(text: &str, characters: usize) -> Option<&str> {
    let (mut end, _) = text.char_indices().nth(characters)?;
    // A mark belongs to the letter before it, and so does what follows a joiner.
    let belongs = |end: usize| {
        let next = text[end..].chars().next();
        let before = text[..end].chars().next_back();
        next.is_some_and(|next| {
            is_combining_mark(next) || next == '\u{200d}' || ('\u{fe00}'..='\u{fe0f}').contains(&next)
        }) || before == Some('\u{200d}')
    };
    while end > 0 && belongs(end) {
        end = text[..end].char_indices().next_back().map_or(0, |(start, _)| start);
    }
    Some(text[..end].trim_end())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::shorter("Ida", 5, "Ida")]
    #[case::just("Hello", 5, "Hello")]
    #[case::longer("Hello there", 7, "Hello t")]
    #[case::no_space_at_the_end("Hello there", 6, "Hello")]
    #[case::letter_with_its_mark("Zoe\u{308}", 3, "Zo")]
    #[case::joined_signs("a\u{1f469}\u{200d}\u{1f33e}", 3, "a")]
    fn a_text_is_cut_between_characters(#[case] text: &str, #[case] characters: usize, #[case] expected: &str) {
        let demands = Demands { longest: Some(Longest { characters, then: TooLong::Cut }), ..Demands::default() };
        let written = demands.apply(Cow::Borrowed(text.as_bytes()));
        assert_eq!(std::str::from_utf8(&written).unwrap(), expected);
        assert_eq!(demands.unfit(expected), None);
    }
}
