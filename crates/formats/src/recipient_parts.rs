//! One recipient of a recipient line → name and address, in whatever way the two stand beside each other (RFC 5322, section 3.4).

use crate::encoded_word;
use std::borrow::Cow;

/// One recipient as it is in the line.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Recipient {
    /// The address as typed; empty where there is none.
    pub address: String,
    /// The name, decoded.
    pub name: String,
    /// The name of the group that it stands in.
    pub group: String,
}

/// The recipients of a text in which the commas between them are missing: each ends behind its address.
pub(crate) fn several(text: &str) -> Vec<&str> {
    let has_brackets = text.contains('<') && text.contains('>');
    if text.matches('@').count() < 2 && !has_brackets {
        return vec![text];
    }
    let mut ends = Vec::new();
    if has_brackets {
        ends.extend(outside_quotes(text).filter(|(_, c)| *c == '>').map(|(at, _)| at + 1));
    } else if !text.contains(['"', '(', '[']) {
        let mut at = 0;
        for word in text.split(char::is_whitespace) {
            if word.matches('@').count() == 1 {
                ends.push(at + word.len());
            }
            at += word.len() + text[at + word.len()..].chars().next().map_or(0, char::len_utf8);
        }
    }
    let mut ranges: Vec<std::ops::Range<usize>> = Vec::new();
    for end in ends {
        let start = ranges.last().map_or(0, |last| last.end);
        if text[start..end].contains('@') {
            ranges.push(start..end);
        }
    }
    let start = ranges.last().map_or(0, |last| last.end);
    let rest = text[start..].trim();
    // Behind the last one stands a comment or a remark, or somebody without an address.
    let is_somebody = rest.contains('@') || rest.starts_with(|c: char| c.is_alphabetic() || c == '"');
    match ranges.last_mut() {
        Some(last) if !is_somebody => last.end = text.len(),
        _ => ranges.push(start..text.len()),
    }
    ranges.into_iter().map(|range| text[range].trim()).collect()
}

/// An address without what some programs put in front of it: `mailto:`, a route (RFC 5321, appendix C).
fn bare_address(text: &str) -> String {
    let text = text.trim();
    let text = match text.get(..7) {
        Some(start) if start.eq_ignore_ascii_case("mailto:") => text[7..].split('?').next().unwrap_or_default(),
        _ => text,
    };
    match text.strip_prefix('@').and_then(|route| route.split_once(':')) {
        Some((_, address)) => address.to_owned(),
        None => text.to_owned(),
    }
}

/// A name without the comments in it (RFC 5322, section 3.2.2), unless it is nothing else.
fn without_comments(text: &str) -> Cow<'_, str> {
    if !text.contains('(') {
        return text.into();
    }
    let mut depth = 0_u32;
    let mut bare = String::with_capacity(text.len());
    for (_, c) in outside_quotes(text) {
        match c {
            '(' => depth += 1,
            ')' => depth = depth.saturating_sub(1),
            _ if depth == 0 => bare.push(c),
            _ => {}
        }
    }
    // What is quoted is no comment; it is easier to leave such names alone.
    if text.contains('"') || !bare.contains(char::is_alphanumeric) { text.into() } else { bare.into() }
}

/// The text of the last comment of a recipient.
fn comment(text: &str) -> &str {
    let open = text.find('(').map_or(text.len(), |at| at + 1);
    text[open..].trim_end().trim_end_matches(')')
}

/// Splits a recipient into its name and its address.
pub(crate) fn parts(text: &str) -> Recipient {
    let group = String::new();
    let open = if text.contains('"') {
        outside_quotes(text).filter(|(_, c)| *c == '<').map(|(at, _)| at).last()
    } else {
        text.rfind('<')
    };
    if let Some(open) = open {
        let inner = &text[open + 1..];
        let (address, after) = inner.split_once('>').unwrap_or((inner, ""));
        let name = match text[..open].trim() {
            "" => clean_name(comment(after)),
            name => clean_name(&without_comments(name)),
        };
        return Recipient { address: bare_address(address), name, group };
    }
    // An address with its owner in a comment: `ida@post.example (Ida Moss)`.
    if let (Some(open), true) = (text.find('('), text.ends_with(')')) {
        let (address, comment) = (text[..open].trim(), &text[open + 1..text.len() - 1]);
        if address.contains('@') && !address.contains(char::is_whitespace) {
            return Recipient { address: address.to_owned(), name: clean_name(comment), group };
        }
    }
    // `Ida Moss (ida@post.example)`, `Ida Moss [ida@post.example]`
    for (open, close) in [('(', ')'), ('[', ']')] {
        if let Some((name, rest)) = text.split_once(open)
            && let Some((inner, _)) = rest.split_once(close)
            && inner.contains('@')
            && !inner.trim().contains(char::is_whitespace)
            && !name.contains('@')
        {
            return Recipient { address: bare_address(inner), name: clean_name(name), group };
        }
    }
    if text.contains('@') {
        // `Ida Moss  ida@post.example`, with a tab or spaces between.
        if let Some((name, address)) = text.trim().rsplit_once(char::is_whitespace)
            && address.matches('@').count() == 1
            && name.contains(char::is_alphabetic)
            && !name.contains(['@', ','])
        {
            return Recipient { address: bare_address(address), name: clean_name(name), group };
        }
        return Recipient { address: text.to_owned(), name: String::new(), group };
    }
    Recipient { address: String::new(), name: clean_name(text), group }
}

/// The characters outside of quotes, with their places; inside of them a backslash stands before what is meant as it is.
fn outside_quotes(text: &str) -> impl Iterator<Item = (usize, char)> {
    let (mut is_quoted, mut is_escaped) = (false, false);
    text.char_indices().filter(move |(_, c)| {
        is_quoted ^= *c == '"' && !is_escaped;
        is_escaped = is_quoted && *c == '\\' && !is_escaped;
        !is_quoted
    })
}

/// A text without its quotes, and without the backslashes inside of them (RFC 5322, section 3.2.4).
fn unquoted(text: &str) -> String {
    let mut plain = String::with_capacity(text.len());
    let (mut is_quoted, mut is_escaped) = (false, false);
    for c in text.chars() {
        match c {
            _ if is_escaped => {
                plain.push(c);
                is_escaped = false;
            }
            '\\' if is_quoted => is_escaped = true,
            '"' => is_quoted = !is_quoted,
            c => plain.push(c),
        }
    }
    plain
}

/// Whether a name is words with one space between them, in which nothing is quoted or encoded, as most are.
pub(crate) fn reads_as_it_stands(name: &str) -> bool {
    let mut before = b' ';
    let is_going_on = |byte: u8| {
        let fits = byte.is_ascii_alphanumeric()
            || byte >= 0x80
            || matches!(byte, b'.' | b'-')
            || byte == b' ' && before != b' ';
        before = byte;
        fits
    };
    let is_plain = name.bytes().all(is_going_on) && !name.ends_with(' ');
    is_plain && (name.is_ascii() || !name.chars().any(|letter| letter != ' ' && letter.is_whitespace()))
}

/// A name without its quotes, decoded, one blank for every run of them.
pub(crate) fn clean_name(text: &str) -> String {
    let trimmed = text.trim();
    if reads_as_it_stands(trimmed) {
        return trimmed.to_owned();
    }
    let decoded = encoded_word::decode(text.trim());
    let unquoted = unquoted(&decoded);
    let words: Vec<&str> = unquoted.split_whitespace().collect();
    let name = words.join(" ");
    // 'Ida Moss' as some programs show a name that is an address of theirs.
    let inner = name.strip_prefix('\'').and_then(|rest| rest.strip_suffix('\''));
    inner.unwrap_or(&name).trim_end_matches(',').to_owned()
}
