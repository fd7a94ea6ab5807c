//! Encoded words of mail headers (RFC 2047), quoted-printable and base64 (RFC 2045) → text.

use encoding_rs::{Encoding, UTF_8, WINDOWS_1252};
use mail_parser::decoders::base64::base64_decode;
use mail_parser::decoders::quoted_printable::quoted_printable_decode_char;
use std::borrow::Cow;

/// Text with its encoded words decoded. What is no proper encoded word stays as it is.
///
/// ```
/// use pebblebank_formats::encoded_word::decode;
/// assert_eq!(decode("=?utf-8?Q?Zo=C3=AB?= =?iso-8859-1?B?QfFhbg==?="), "ZoëAñan");
/// ```
pub fn decode(text: &str) -> Cow<'_, str> {
    if !text.contains("=?") {
        return text.into();
    }
    let mut decoded = String::with_capacity(text.len());
    let mut rest = text;
    let mut follows_word = false;
    while let Some(at) = rest.find("=?") {
        let before = &rest[..at];
        let Some((word, after)) = one_word(&rest[at..]) else {
            decoded.push_str(&rest[..at + 2]);
            rest = &rest[at + 2..];
            follows_word = false;
            continue;
        };
        // Blanks between two encoded words are no part of the text (section 6.2).
        if !(follows_word && before.trim().is_empty()) {
            decoded.push_str(before);
        }
        decoded.push_str(&word);
        rest = after;
        follows_word = true;
    }
    decoded.push_str(rest);
    decoded.into()
}

/// The encoded word that `text` begins with, and what follows it.
fn one_word(text: &str) -> Option<(String, &str)> {
    let (charset, rest) = text.strip_prefix("=?")?.split_once('?')?;
    let (kind, rest) = rest.split_once('?')?;
    let (content, after) = rest.split_once("?=")?;
    let charset = charset.split('*').next().unwrap_or_default();
    let encoding = Encoding::for_label(charset.as_bytes())?;
    let bytes = match kind {
        "Q" | "q" => quoted_printable(content.replace('_', " ").as_bytes()),
        "B" | "b" => base64_decode(content.as_bytes())?,
        _ => return None,
    };
    let is_one_word = !content.contains(char::is_whitespace);
    is_one_word.then(|| (encoding.decode_without_bom_handling(&bytes).0.into_owned(), after))
}

/// Decodes quoted-printable. An `=` that begins no two hex digits stays as it is.
pub(super) fn quoted_printable(text: &[u8]) -> Vec<u8> {
    let mut bytes = Vec::with_capacity(text.len());
    let mut rest = text;
    while let Some((first, others)) = rest.split_first() {
        let decoded = match rest {
            [b'=', high, low, ..] => quoted_printable_decode_char(*high, *low),
            _ => None,
        };
        rest = if decoded.is_some() { &rest[3..] } else { others };
        bytes.push(decoded.unwrap_or(*first));
    }
    bytes
}

/// Decodes base64; none where it is none.
pub(super) fn base64(text: &str) -> Option<Vec<u8>> {
    base64_decode(text.trim().as_bytes()).filter(|bytes| !bytes.is_empty())
}

/// Bytes of a named charset as text; without a name, UTF-8, or else what western programs of old wrote.
pub(super) fn in_charset(bytes: &[u8], charset: Option<&str>) -> String {
    let named = charset.and_then(|name| Encoding::for_label(name.trim().as_bytes()));
    let encoding = named.unwrap_or_else(|| if std::str::from_utf8(bytes).is_ok() { UTF_8 } else { WINDOWS_1252 });
    encoding.decode_without_bom_handling(bytes).0.into_owned()
}
