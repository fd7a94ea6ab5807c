//! Text → an encoding that may lack some of its characters, and the nearest characters that it has.

use super::form::Lacking;
use encoding_rs::{Encoder, EncoderResult, Encoding, UTF_8, UTF_16BE, UTF_16LE};
use unicode_normalization::UnicodeNormalization;
use unicode_normalization::char::is_combining_mark;

/// Adds `text` in `encoding` to `out`. Characters that the encoding lacks are left out: rows with any were judged before.
pub fn encode(text: &str, encoding: &'static Encoding, out: &mut Vec<u8>) {
    if encoding == UTF_8 {
        out.extend_from_slice(text.as_bytes());
    } else if encoding == UTF_16LE {
        text.encode_utf16().for_each(|unit| out.extend_from_slice(&unit.to_le_bytes()));
    } else if encoding == UTF_16BE {
        text.encode_utf16().for_each(|unit| out.extend_from_slice(&unit.to_be_bytes()));
    } else {
        let mut encoder = encoding.new_encoder();
        let _ = take_up_to_lacking(&mut encoder, text, out);
    }
}

/// Encodes until a character is lacking, which is given with the text behind it.
fn take_up_to_lacking<'a>(encoder: &mut Encoder, text: &'a str, out: &mut Vec<u8>) -> Option<(char, &'a str)> {
    let room = encoder.max_buffer_length_from_utf8_without_replacement(text.len()).unwrap_or(text.len() * 4 + 16);
    out.reserve(room);
    let mut rest = text;
    loop {
        let (result, read) = encoder.encode_from_utf8_to_vec_without_replacement(rest, out, true);
        rest = &rest[read..];
        match result {
            EncoderResult::InputEmpty => return None,
            EncoderResult::OutputFull => out.reserve(rest.len() * 4 + 16),
            EncoderResult::Unmappable(lacking) => return Some((lacking, rest)),
        }
    }
}

/// Whether an encoding has all characters.
pub fn has_all_characters(encoding: &'static Encoding) -> bool {
    encoding == UTF_8 || encoding == UTF_16LE || encoding == UTF_16BE
}

/// Whether the encoding has every character of the text.
pub fn has_all_of(text: &str, encoding: &'static Encoding) -> bool {
    text.is_ascii() || has_all_characters(encoding) || {
        let mut scratch = Vec::new();
        take_up_to_lacking(&mut encoding.new_encoder(), text, &mut scratch).is_none()
    }
}

/// The text with the nearest form of each character that the encoding lacks; none where one has no near form.
///
/// ```
/// use encoding_rs::WINDOWS_1252;
/// use pebblebank_formats::writing::encode::nearest;
/// assert_eq!(nearest("Łukasz Dvořák", WINDOWS_1252).as_deref(), Some("Lukasz Dvorák"));
/// assert_eq!(nearest("莉", WINDOWS_1252), None);
/// ```
pub fn nearest(text: &str, encoding: &'static Encoding) -> Option<String> {
    if has_all_of(text, encoding) {
        return Some(text.to_owned());
    }
    let mut near = String::with_capacity(text.len());
    let mut utf8 = [0; 4];
    for character in text.nfc() {
        if has_all_of(character.encode_utf8(&mut utf8), encoding) {
            near.push(character);
        } else if let Some(known) = near_form(character) {
            near.push_str(known);
        } else {
            let parts: String = std::iter::once(character).nfkd().filter(|part| !is_combining_mark(*part)).collect();
            let is_left_out = parts.is_empty() && is_combining_mark(character);
            if !is_left_out && (parts.is_empty() || !has_all_of(&parts, encoding)) {
                return None;
            }
            near.push_str(&parts);
        }
    }
    Some(near)
}

/// Near forms that no decomposition of Unicode gives.
fn near_form(character: char) -> Option<&'static str> {
    Some(match character {
        'ł' => "l",
        'Ł' => "L",
        'đ' | 'ð' => "d",
        'Đ' | 'Ð' => "D",
        'ø' => "o",
        'Ø' => "O",
        'ħ' => "h",
        'Ħ' => "H",
        'ı' => "i",
        'ŧ' => "t",
        'Ŧ' => "T",
        'ß' => "ss",
        'ẞ' => "SS",
        'æ' => "ae",
        'Æ' => "AE",
        'œ' => "oe",
        'Œ' => "OE",
        'þ' => "th",
        'Þ' => "Th",
        '‘' | '’' | '‚' | '‛' | 'ʼ' | 'ʻ' => "'",
        '“' | '”' | '„' | '‟' | '«' | '»' => "\"",
        '–' | '—' | '‐' | '‑' | '−' | '―' => "-",
        '…' => "...",
        '•' => "*",
        '€' => "EUR",
        '\u{a0}' | '\u{202f}' | '\u{2009}' => " ",
        _ => return None,
    })
}

/// A text as it will are in a file of this encoding; none where it cannot.
pub fn written_form(text: &str, encoding: &'static Encoding, lacking: Lacking) -> Option<String> {
    match lacking {
        Lacking::SetAside => has_all_of(text, encoding).then(|| text.to_owned()),
        Lacking::Nearest => nearest(text, encoding),
    }
}
