//! What is repaired in every kind of text: blanks, invisible characters, the composed form.

use crate::blank::trimmed;
use crate::{Rule, Rules};
use pebblebank_table::unseen::is_invisible;
use std::borrow::Cow;
use unicode_normalization::{UnicodeNormalization, is_nfc};

/// What happens to line ends and tabs inside a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LineEnds {
    /// They stay: notes may have several lines.
    Stay,
    /// They become blanks.
    AreBlanks,
    /// They part, so a comma takes their place: the lines of a postal address.
    AreCommas,
}

/// Whether text is surely tidy: printable ASCII and composed Latin letters (U+00C0 to U+02FF), with single blanks between
/// words and none at the ends.
#[inline]
pub fn is_tidy(value: &[u8]) -> bool {
    Seen::of(value).is_tidy()
}

/// What kinds of signs a text has, found by one look at its bytes.
#[derive(Debug, Clone, Copy)]
pub struct Seen {
    classes: u8,
    /// The classes of two bytes beside each other.
    doubled: u8,
    has_blank_ends: bool,
}

const UNTIDY: u8 = 1;
const BLANK: u8 = 2;
const CAPITAL: u8 = 4;
const SMALL: u8 = 8;
const COMMA: u8 = 16;
const SIGN: u8 = 32;

const CLASSES: [u8; 256] = {
    let mut classes = [0; 256];
    let mut byte = 0;
    while byte < 256 {
        classes[byte] = match byte as u8 {
            b' ' => BLANK,
            b'A'..=b'Z' => CAPITAL,
            b'a'..=b'z' => SMALL,
            b',' => COMMA,
            b'@' | b'&' | b'.' => SIGN,
            // In UTF-8, 0xC2 begins signs, among them invisible ones, and 0xCC combining marks.
            b'!'..=b'~' | 0x80..=0xBF | 0xC3..=0xCB => 0,
            _ => UNTIDY,
        };
        byte += 1;
    }
    classes
};

impl Seen {
    /// Looks at a text.
    #[inline]
    pub fn of(value: &[u8]) -> Seen {
        let (mut classes, mut doubled, mut before) = (0, 0, 0);
        for byte in value {
            let class = CLASSES[usize::from(*byte)];
            classes |= class;
            doubled |= class & before;
            before = class;
        }
        let has_blank_ends = value.first() == Some(&b' ') || value.last() == Some(&b' ');
        Seen { classes, doubled, has_blank_ends }
    }

    #[inline]
    fn has(self, class: u8) -> bool {
        self.classes & class != 0
    }

    /// Whether it is surely tidy, as [`is_tidy`] says.
    #[inline]
    pub fn is_tidy(self) -> bool {
        !self.has(UNTIDY) && self.doubled & BLANK == 0 && !self.has_blank_ends
    }

    /// Whether there are capitals and small letters (A to Z).
    #[inline]
    pub fn has_mixed_case(self) -> bool {
        self.has(CAPITAL) && self.has(SMALL)
    }

    /// Whether there is a comma.
    #[inline]
    pub fn has_comma(self) -> bool {
        self.has(COMMA)
    }

    /// Whether there is a blank.
    #[inline]
    pub fn has_blank(self) -> bool {
        self.has(BLANK)
    }

    /// Whether there is `@`, `&` or a dot, as in addresses and the names of companies and couples.
    #[inline]
    pub fn has_sign(self) -> bool {
        self.has(SIGN)
    }
}

/// The text without invisible characters, in NFC, with single blanks and none at the ends.
///
/// ```
/// use pebblebank_values::text::tidy;
/// use pebblebank_values::text::LineEnds;
/// use pebblebank_values::Rules;
/// let mut rules = Rules::NONE;
/// assert_eq!(tidy(" Ida  Moss\u{200b}", LineEnds::AreBlanks, &mut rules), "Ida Moss");
/// ```
pub fn tidy<'a>(text: &'a str, line_ends: LineEnds, rules: &mut Rules) -> Cow<'a, str> {
    if is_tidy(text.as_bytes()) {
        return text.into();
    }
    let shown = trimmed(text.trim_matches(' '));
    if shown.len() < text.len() {
        let is_plain = text.bytes().all(|byte| matches!(byte, b' '..=b'~'));
        let has_invisible = !is_plain && text.chars().any(is_invisible);
        rules.add(if has_invisible { Rule::InvisibleCharacters } else { Rule::OuterSpaces });
    }
    if is_tidy(shown.as_bytes()) {
        return shown.into();
    }
    if shown.is_ascii() && line_ends != LineEnds::AreCommas {
        return tidy_ascii(shown, line_ends, rules).into();
    }
    let mut tidied = String::with_capacity(shown.len());
    let mut gap = Gap::None;
    for c in shown.chars() {
        if is_invisible(c) {
            // A joiner between letters of scripts that need it is part of the word.
            if !(matches!(c, '\u{200C}' | '\u{200D}') && !shown.is_ascii() && has_joining_script(shown)) {
                rules.add(Rule::InvisibleCharacters);
                continue;
            }
        }
        if c.is_whitespace() && !(line_ends == LineEnds::Stay && matches!(c, '\n' | '\r' | '\t')) {
            gap = gap.and(if matches!(c, '\n' | '\r') && line_ends == LineEnds::AreCommas {
                Gap::Comma
            } else if c == ' ' {
                Gap::Blank
            } else {
                Gap::Blanks
            });
            continue;
        }
        match gap {
            Gap::None => {}
            Gap::Blank => tidied.push(' '),
            Gap::Blanks => {
                rules.add(Rule::InnerSpaces);
                tidied.push(' ');
            }
            Gap::Comma => {
                rules.add(Rule::InnerSpaces);
                tidied.push_str(if tidied.ends_with([',', ';']) { " " } else { ", " });
            }
        }
        gap = Gap::None;
        tidied.push(c);
    }
    if !tidied.is_ascii() && !is_nfc(&tidied) {
        rules.add(Rule::ComposedForm);
        tidied = tidied.nfc().collect();
    }
    if tidied == shown { shown.into() } else { tidied.into() }
}

/// The same for ASCII, where line ends do not become commas.
fn tidy_ascii(shown: &str, line_ends: LineEnds, rules: &mut Rules) -> String {
    let mut tidied = String::with_capacity(shown.len());
    let mut gap = Gap::None;
    for byte in shown.bytes() {
        match byte {
            b'\n' | b'\r' | b'\t' if line_ends == LineEnds::Stay => {}
            b' ' => {
                gap = gap.and(Gap::Blank);
                continue;
            }
            b'\t' | b'\n' | 0x0B | 0x0C | b'\r' => {
                gap = gap.and(Gap::Blanks);
                continue;
            }
            0..=0x1F | 0x7F => {
                rules.add(Rule::InvisibleCharacters);
                continue;
            }
            _ => {}
        }
        if !matches!(gap, Gap::None) {
            if matches!(gap, Gap::Blanks) {
                rules.add(Rule::InnerSpaces);
            }
            tidied.push(' ');
            gap = Gap::None;
        }
        tidied.push(char::from(byte));
    }
    tidied
}

/// What stands between two words.
#[derive(Clone, Copy)]
enum Gap {
    None,
    Blank,
    Blanks,
    Comma,
}

impl Gap {
    fn and(self, next: Gap) -> Gap {
        match (self, next) {
            (Gap::None, next) => next,
            (Gap::Comma, _) | (_, Gap::Comma) => Gap::Comma,
            _ => Gap::Blanks,
        }
    }
}

/// Scripts in which a zero-width joiner or non-joiner changes the word: Arabic and those of India.
fn has_joining_script(text: &str) -> bool {
    text.chars().any(|c| matches!(c, '\u{600}'..='\u{6FF}' | '\u{900}'..='\u{DFF}'))
}

/// Full-width digits, letters and signs made ordinary, as in codes and numbers.
pub fn ordinary_width<'a>(text: &'a str, rules: &mut Rules) -> Cow<'a, str> {
    if text.is_ascii() || !text.chars().any(|c| matches!(c, '\u{FF01}'..='\u{FF5E}')) {
        return text.into();
    }
    rules.add(Rule::FullWidth);
    let ordinary = |c: char| match c {
        '\u{FF01}'..='\u{FF5E}' => char::from_u32(c as u32 - 0xFEE0).unwrap_or(c),
        _ => c,
    };
    text.chars().map(ordinary).collect::<String>().into()
}

/// The form in which texts are compared: NFKC, case-folded, without invisible characters, one space for each run of spaces;
/// accents and punctuation stay.
///
/// ```
/// use pebblebank_values::text::comparable;
/// assert_eq!(comparable(" Große  STRASSE\u{200b}"), comparable("GROSSE straße"));
/// assert_ne!(comparable("Rene"), comparable("René"));
/// ```
pub fn comparable(text: &str) -> Cow<'_, str> {
    let is_plain = text.bytes().all(|byte| byte.is_ascii_lowercase() || byte.is_ascii_digit() || byte == b'+');
    if is_plain {
        return text.into();
    }
    if text.is_ascii() {
        let words = text.split(|c: char| c.is_ascii_whitespace() || c == '\x0B').filter(|word| !word.is_empty());
        let mut folded = words.collect::<Vec<_>>().join(" ");
        folded.retain(|c| !c.is_ascii_control());
        folded.make_ascii_lowercase();
        return folded.into();
    }
    let shown = text.nfkc().filter(|c| !is_invisible(*c)).flat_map(char::to_lowercase);
    let mut folded = String::with_capacity(text.len());
    for c in shown {
        // Unicode's case folding (UAX 44) goes beyond small letters here.
        match c {
            'ß' => folded.push_str("ss"),
            'ς' => folded.push('σ'),
            c => folded.push(c),
        }
    }
    let folded = folded.split_whitespace().collect::<Vec<_>>().join(" ");
    if is_nfc(&folded) { folded.into() } else { folded.nfc().collect::<String>().into() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Against each question asked by itself.
        #[test]
        fn one_look_sees_what_several_looks_see(text in "[A-Ca-c ,.@&\\t\\u{a0}é\u{301}1-3]{0,12}") {
            let bytes = text.as_bytes();
            let is_good = |byte: &u8| matches!(byte, b' '..=b'~' | 0x80..=0xBF | 0xC3..=0xCB);
            let has_blanks = text.starts_with(' ') || text.ends_with(' ') || text.contains("  ");
            let seen = Seen::of(bytes);
            prop_assert_eq!(seen.is_tidy(), bytes.iter().all(is_good) && !has_blanks);
            prop_assert_eq!(
                seen.has_mixed_case(),
                bytes.iter().any(u8::is_ascii_uppercase) && bytes.iter().any(u8::is_ascii_lowercase)
            );
            prop_assert_eq!(seen.has_comma(), text.contains(','));
            prop_assert_eq!(seen.has_blank(), text.contains(' '));
            prop_assert_eq!(seen.has_sign(), text.contains(['@', '&', '.']));
        }
    }
}
