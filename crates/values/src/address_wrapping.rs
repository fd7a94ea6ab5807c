//! What stands around an address and goes: blanks, quotes, brackets, a name, `mailto:`, a remark.

use crate::{Rule, Rules};
use pebblebank_table::unseen::is_invisible;
use unicode_normalization::{UnicodeNormalization, is_nfc};

/// Takes off what surrounds an address, again and again until nothing changes.
pub(crate) fn strip(typed: &str, rules: &mut Rules) -> String {
    /// A longer text is no address, however often something is taken off: each time takes as long as the text.
    const LONG: usize = 4 << 10;
    const MOST_TIMES: usize = 64;
    let mut text = typed.to_owned();
    for times in 0.. {
        let before = text.len();
        text = strip_once(text, rules);
        if text.len() == before || (before > LONG && times > MOST_TIMES) {
            break;
        }
    }
    text
}

/// Without invisible characters, full-width forms made ordinary.
pub(crate) fn visible(typed: &str, rules: &mut Rules) -> String {
    if typed.bytes().all(|byte| matches!(byte, b' '..=b'~')) {
        return typed.to_owned();
    }
    let mut text = String::with_capacity(typed.len());
    for c in typed.chars() {
        if is_invisible(c) {
            rules.add(Rule::InvisibleCharacters);
            continue;
        }
        let ordinary = match c {
            '\u{FF01}'..='\u{FF5E}' => char::from_u32(c as u32 - 0xFEE0).unwrap_or(c),
            '\u{3002}' | '\u{FF61}' => '.',
            '\u{FE6B}' => '@',
            _ => c,
        };
        if ordinary != c {
            rules.add(Rule::FullWidth);
        }
        text.push(ordinary);
    }
    text
}

pub(crate) fn strip_once(mut text: String, rules: &mut Rules) -> String {
    let shown = text.trim();
    if shown.len() < text.len() {
        rules.add(Rule::OuterSpaces);
        text = shown.to_owned();
    }
    let shown = text.trim_end_matches([';', ',', '.', ':']);
    if shown.len() < text.len() {
        rules.add(Rule::TrailingPunctuation);
        text.truncate(shown.len());
    }
    if let Some(inner) = without_mailto(&text) {
        rules.add(Rule::Mailto);
        return visible(&inner, rules);
    }
    if let Some(inner) = without_remark(&text) {
        rules.add(Rule::TextBesideAddress);
        return inner.to_owned();
    }
    if let Some(inner) = text.strip_suffix('>').and_then(|rest| rest.rsplit_once('<')) {
        rules.add(if inner.0.trim().is_empty() { Rule::Enclosure } else { Rule::NameAndAddress });
        return inner.1.to_owned();
    }
    if let Some(inner) = without_enclosure(&text) {
        rules.add(Rule::Enclosure);
        return inner.to_owned();
    }
    text
}

/// An address without a remark in round brackets before or behind it: `ida@post.example (Ida)`.
pub(crate) fn without_remark(text: &str) -> Option<&str> {
    let is_remark = |remark: &str| !remark.contains(['@', '(', ')']);
    let behind = text.strip_suffix(')').and_then(|rest| rest.rsplit_once('('));
    let behind =
        behind.filter(|(address, remark)| address.contains('@') && is_remark(remark)).map(|(address, _)| address);
    let before = || text.strip_prefix('(').and_then(|rest| rest.split_once(')'));
    behind.or_else(|| {
        before().filter(|(remark, address)| address.contains('@') && is_remark(remark)).map(|(_, address)| address)
    })
}

/// RFC 6068: the address of a `mailto:` link, its percent-escapes undone, its header fields taken off.
pub(crate) fn without_mailto(text: &str) -> Option<String> {
    const SCHEME: &str = "mailto:";
    let head = text.get(..SCHEME.len())?;
    if !head.eq_ignore_ascii_case(SCHEME) {
        return None;
    }
    let link = &text[SCHEME.len()..];
    let target = link.split_once('?').map_or(link, |(target, _)| target);
    let mut bytes = Vec::with_capacity(target.len());
    let mut rest = target.as_bytes();
    while let [first, after @ ..] = rest {
        match after {
            [high, low, tail @ ..] if *first == b'%' && high.is_ascii_hexdigit() && low.is_ascii_hexdigit() => {
                let digit = |byte: &u8| (*byte as char).to_digit(16).unwrap_or_default() as u8;
                bytes.push(digit(high) << 4 | digit(low));
                rest = tail;
            }
            _ => {
                bytes.push(*first);
                rest = after;
            }
        }
    }
    Some(String::from_utf8(bytes).unwrap_or_else(|_| target.to_owned()))
}

/// What stands inside a pair of quotes or brackets around the whole.
pub(crate) fn without_enclosure(text: &str) -> Option<&str> {
    const PAIRS: [(char, char); 14] = [
        ('"', '"'),
        ('\'', '\''),
        ('`', '`'),
        ('(', ')'),
        ('[', ']'),
        ('{', '}'),
        ('<', '>'),
        ('“', '”'),
        ('„', '“'),
        ('‘', '’'),
        ('«', '»'),
        ('»', '«'),
        ('‹', '›'),
        ('「', '」'),
    ];
    let pair = PAIRS.iter().find(|(open, close)| text.starts_with(*open) && text.ends_with(*close))?;
    text.strip_prefix(pair.0)?.strip_suffix(pair.1)
}

/// NFC and lower case.
pub(crate) fn canonical_form(text: String, rules: &mut Rules) -> String {
    let composed = if text.is_ascii() || is_nfc(&text) {
        text
    } else {
        rules.add(Rule::ComposedForm);
        text.nfc().collect()
    };
    let lower = composed.to_lowercase();
    if lower != composed {
        rules.add(Rule::LetterCase);
    }
    if lower.is_ascii() { lower } else { lower.nfc().collect() }
}
