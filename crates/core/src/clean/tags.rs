//! Tags: several values in one cell, with one separator, each once.

use super::Rule;
use super::doubt::Cleaned;
use super::rules::Rules;

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

/// Cleans a tidy text as tags; the new value is added to `out`.
///
/// ```
/// use pebblebank_core::clean::tags::clean;
/// let mut out = String::new();
/// clean("bats|Orchard | bats", '|', &mut out);
/// assert_eq!(out, "bats; Orchard");
/// ```
pub fn clean(text: &str, separator: char, out: &mut String) -> Cleaned {
    let start = out.len();
    let mut seen: Vec<String> = Vec::new();
    for tag in text.split([separator, ';', '\n']).map(str::trim).filter(|tag| !tag.is_empty()) {
        let folded = tag.to_lowercase();
        if seen.contains(&folded) {
            continue;
        }
        seen.push(folded);
        if out.len() > start {
            out.push_str(BETWEEN);
        }
        out.push_str(tag);
    }
    if out[start..] == *text { Cleaned::AsItIs } else { Cleaned::Repaired(Rules::one(Rule::TagsForm)) }
}
