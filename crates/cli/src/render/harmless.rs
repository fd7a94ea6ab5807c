//! The last thing before a screen: whatever a terminal would take for an order, or would show in another place than it
//! stands, is shown as its number. Texts from files, names of files and what was typed all go through it.

use super::{Screen, Tone};
use pebblebank_table::unseen::is_invisible;
use std::borrow::Cow;

/// The text with its control and invisible characters shown, but for line ends and, where the screen has colours, those that
/// the program gives.
pub fn for_screen<'a>(text: &'a str, screen: &Screen) -> Cow<'a, str> {
    if !text.chars().any(is_harmful) {
        return Cow::Borrowed(text);
    }
    let mut shown = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(c) = rest.chars().next() {
        if let Some(colour) = (c == '\u{1B}' && screen.has_color()).then(|| Tone::own_colour(rest)).flatten() {
            shown.push_str(colour);
            rest = &rest[colour.len()..];
            continue;
        }
        if is_harmful(c) {
            shown.push_str(&number(c));
        } else {
            shown.push(c);
        }
        rest = &rest[c.len_utf8()..];
    }
    Cow::Owned(shown)
}

/// A document of JSON in which such characters are escaped; they can stand in strings alone.
pub fn for_json(document: &str) -> Cow<'_, str> {
    if !document.chars().any(is_harmful) {
        return Cow::Borrowed(document);
    }
    let mut escaped = String::with_capacity(document.len());
    for c in document.chars() {
        if is_harmful(c) {
            let mut units = [0; 2];
            c.encode_utf16(&mut units).iter().for_each(|unit| escaped.push_str(&format!("\\u{unit:04x}")));
        } else {
            escaped.push(c);
        }
    }
    Cow::Owned(escaped)
}

/// How a character that is not shown is named.
pub fn number(c: char) -> String {
    format!("‹U+{:04X}›", c as u32)
}

/// Whether it moves or hides something instead of showing itself.
pub fn is_harmful(c: char) -> bool {
    c != '\n' && (c.is_control() || is_invisible(c) || matches!(c, '\u{2028}' | '\u{2029}'))
}
