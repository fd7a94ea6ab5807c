//! Where a cell with several addresses is split (`ida@post.example; bob@post.example`), and where it must not be.

use crate::{Rule, Rules};
use pebblebank_table::unseen::is_unseen;

/// A piece of a cell, before it is cleaned.
#[derive(Clone, Copy)]
pub(crate) struct Cut<'a> {
    pub(crate) text: &'a str,
    /// Whether a text without an `@` that stands here is more likely a piece of its neighbour than a text of its own.
    pub(crate) is_torn: bool,
}

/// Splits a cell at `;` and line ends, at commas only between parts that each hold an `@`, and at blanks
/// only where every word holds exactly one `@`; never inside quotes or `<…>`.
pub(crate) fn part_cell<'a>(value: &'a str, rules: &mut Rules) -> Vec<Cut<'a>> {
    // Each with the separator behind it; all separators take one byte.
    let mut end = 0;
    let all = split_outside(value, |c| matches!(c, ';' | '\n' | '\r')).into_iter().map(|section| {
        end += section.len() + 1;
        (section, value.as_bytes().get(end - 1).copied().unwrap_or(0))
    });
    let mut sections: Vec<(&str, bool)> = Vec::new();
    let mut count = 0;
    for (section, separator) in all {
        count += 1;
        let is_line_end = matches!(separator, b'\n' | b'\r');
        match sections.last_mut() {
            Some((_, ends_line)) if section.chars().all(is_unseen) => *ends_line |= is_line_end,
            None if section.chars().all(is_unseen) => {}
            _ => sections.push((section, is_line_end)),
        }
    }
    let are_torn = |first: usize| match sections.get(first..first + 2) {
        Some([(a, ends_line), (b, _)]) => *ends_line || touch(a, b),
        _ => false,
    };
    let mut parts = Vec::new();
    for (place, (section, _)) in sections.iter().enumerate() {
        let is_torn = !section.contains('@') && (are_torn(place) || place > 0 && are_torn(place - 1));
        let by_comma = split_outside(section, |c| c == ',');
        if by_comma.len() > 1 && by_comma.iter().all(|part| part.contains('@')) {
            parts.extend(by_comma.into_iter().flat_map(part_at_blanks).map(|text| Cut { text, is_torn }));
        } else {
            parts.extend(part_at_blanks(section).into_iter().map(|text| Cut { text, is_torn }));
        }
    }
    let before = parts.len();
    parts.retain(|part| !part.text.chars().all(is_unseen));
    if parts.len() < before || sections.len() < count {
        rules.add(Rule::TrailingPunctuation);
    }
    parts
}

/// Whether two neighbours in a cell touch each other with a sign that stands inside addresses, so that they may be the
/// pieces of one. A dot behind an address is punctuation.
pub(crate) fn touch(a: &str, b: &str) -> bool {
    let signs = ['.', '-', '_', '+'];
    let a = a.trim_end_matches(is_unseen);
    (a.ends_with(signs) && !(a.ends_with('.') && a.contains('@'))) || b.trim_start_matches(is_unseen).starts_with(signs)
}

pub(crate) fn part_at_blanks(section: &str) -> Vec<&str> {
    let words: Vec<&str> = section.split_whitespace().collect();
    let all_are_addresses = words.iter().all(|word| word.matches('@').count() == 1);
    if words.len() > 1 && all_are_addresses { words } else { vec![section] }
}

/// Splits outside double quotes and angle brackets; a quote or bracket without its other half is text.
pub(crate) fn split_outside(value: &str, is_separator: impl Fn(char) -> bool) -> Vec<&str> {
    let mut parts = Vec::new();
    let mut start = 0;
    let mut close = None;
    // Once a sign does not come again, it is not looked for any more: a cell of nothing but `<` would take for ever.
    let (last_quote, last_bracket) = (value.rfind('"').unwrap_or(0), value.rfind('>').unwrap_or(0));
    for (i, c) in value.char_indices() {
        match close {
            Some(end) if i < end => {}
            _ => {
                let after = i + c.len_utf8();
                close = match c {
                    '"' if after <= last_quote => value[after..].find('"').map(|found| after + found + 1),
                    '<' if after <= last_bracket => value[after..].find('>').map(|found| after + found + 1),
                    _ => None,
                };
                if is_separator(c) {
                    parts.push(&value[start..i]);
                    start = after;
                }
            }
        }
    }
    parts.push(&value[start..]);
    parts
}
