//! Tags: several values in one cell, with one separator, each once.

use crate::{Cleaned, Rule, Rules};
use std::collections::HashSet;

/// What stands between tags as they are written.
pub const BETWEEN: &str = "; ";

/// What a column of tags has between them: the first of `; | ,` and line ends that occurs in its values.
pub fn separator_of<'a>(values: impl Iterator<Item = &'a str>) -> char {
    let mut has_comma = false;
    let mut has_bar = false;
    for value in values {
        if value.contains(';') {
            return ';';
        }
        has_bar |= value.contains('|');
        has_comma |= value.contains(',');
    }
    match (has_bar, has_comma) {
        (true, _) => '|',
        (false, true) => ',',
        _ => ';',
    }
}

/// The tags that were seen: mostly a few, so that looking at each is quickest.
#[derive(Default)]
struct Seen {
    few: Vec<String>,
    others: HashSet<String>,
}

impl Seen {
    /// Whether a tag is new.
    fn insert(&mut self, tag: String) -> bool {
        const FEW: usize = 32;
        if self.few.contains(&tag) {
            return false;
        }
        if self.few.len() < FEW {
            self.few.push(tag);
            return true;
        }
        self.others.insert(tag)
    }
}

/// Cleans a tidy text as tags; the new value is added to `out`.
///
/// ```
/// use pebblebank_values::tags::clean;
/// let mut out = String::new();
/// clean("bats|Orchard | bats", '|', &mut out);
/// assert_eq!(out, "bats; Orchard");
/// ```
pub fn clean(text: &str, separator: char, out: &mut String) -> Cleaned {
    let start = out.len();
    let mut seen = Seen::default();
    for tag in text.split([separator, ';', '\n']).map(str::trim).filter(|tag| !tag.is_empty()) {
        if !seen.insert(tag.to_lowercase()) {
            continue;
        }
        if out.len() > start {
            out.push_str(BETWEEN);
        }
        out.push_str(tag);
    }
    if out[start..] == *text { Cleaned::AsItIs } else { Cleaned::Repaired(Rules::one(Rule::TagsForm)) }
}
