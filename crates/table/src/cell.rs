//! A cell as it is in the file, and the value that it stands for.

use crate::dialect::QUOTE;
use crate::record::is_quoted;
use memchr::memchr;
use std::borrow::Cow;

/// The value of a cell: without its quotes, doubled quotes made single.
///
/// ```
/// use pebblebank_table::cell::value;
/// assert_eq!(&*value(b"\"Moss, \"\"Ida\"\"\""), b"Moss, \"Ida\"");
/// assert_eq!(&*value(b"12\" pot"), b"12\" pot");
/// ```
#[inline]
pub fn value(raw: &[u8]) -> Cow<'_, [u8]> {
    if matches!(raw.first(), Some(&QUOTE | b' ')) { quoted_value(raw) } else { Cow::Borrowed(raw) }
}

fn quoted_value(raw: &[u8]) -> Cow<'_, [u8]> {
    // Spaces around the quotes are not part of the cell.
    let mut quoted = raw;
    while let [b' ', rest @ ..] | [rest @ .., b' '] = quoted {
        quoted = rest;
    }
    if !is_quoted(quoted) {
        return Cow::Borrowed(raw);
    }
    let inner = &quoted[1..quoted.len() - 1];
    if memchr(QUOTE, inner).is_none() {
        return Cow::Borrowed(inner);
    }
    let mut value = Vec::with_capacity(inner.len());
    let mut rest = inner;
    while let Some(found) = memchr(QUOTE, rest) {
        value.extend_from_slice(&rest[..=found]);
        rest = &rest[found + 2..];
    }
    value.extend_from_slice(rest);
    Cow::Owned(value)
}

/// The value as text; a cell of a chunk that was found to be UTF-8 always is.
#[inline]
pub fn text(raw: &[u8]) -> Cow<'_, str> {
    match value(raw) {
        Cow::Borrowed(bytes) => match std::str::from_utf8(bytes) {
            Ok(text) => Cow::Borrowed(text),
            Err(_) => String::from_utf8_lossy(bytes),
        },
        Cow::Owned(bytes) => Cow::Owned(String::from_utf8_lossy(&bytes).into_owned()),
    }
}

/// Whether the cell holds nothing that could be seen: no value, blanks, invisible characters.
#[inline]
pub fn is_empty(raw: &[u8]) -> bool {
    if raw.is_empty() {
        return true;
    }
    if raw.iter().any(|byte| byte.is_ascii_graphic() && *byte != QUOTE) {
        return false;
    }
    text(raw).chars().all(crate::unseen::is_unseen)
}
