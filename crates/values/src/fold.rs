//! Headers are compared whatever their case, spacing, accents and punctuation.

use unicode_normalization::char::{decompose_compatible, is_combining_mark};

/// Small letters without accents, one blank for everything that is neither letter nor digit.
///
/// ```
/// use pebblebank_values::fold::fold;
/// assert_eq!(fold("  E-Mail_Address: "), "e mail address");
/// ```
pub fn fold(header: &str) -> String {
    if header.is_ascii() {
        let mut folded = Vec::with_capacity(header.len());
        for byte in header.bytes() {
            if byte.is_ascii_alphanumeric() {
                folded.push(byte.to_ascii_lowercase());
            } else if byte != b'\'' && folded.last().is_some_and(|last| *last != b' ') {
                folded.push(b' ');
            }
        }
        folded.truncate(folded.trim_ascii_end().len());
        return String::from_utf8(folded).unwrap_or_default();
    }
    let mut folded = String::with_capacity(header.len());
    let mut add = |c: char| {
        if c.is_ascii_alphanumeric() {
            folded.push(c.to_ascii_lowercase());
        } else if c.is_alphanumeric() {
            folded.extend(c.to_lowercase());
        } else if !folded.is_empty() && !folded.ends_with(' ') && !matches!(c, '\'' | '’' | '\u{FEFF}' | '\u{200B}') {
            folded.push(' ');
        }
    };
    // Marks are left out, and only they change their places when a text is decomposed: so each letter is taken by itself.
    for c in header.chars() {
        if c.is_ascii() {
            add(c);
        } else {
            decompose_compatible(c, |part| {
                if !is_combining_mark(part) {
                    add(part);
                }
            });
        }
    }
    folded.truncate(folded.trim_end().len());
    folded
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use unicode_normalization::UnicodeNormalization;

    proptest! {
        /// Against the whole text decomposed, as the standard says it.
        #[test]
        fn a_letter_by_itself_is_folded_as_in_its_text(text in any::<String>()) {
            let mut plain = String::new();
            for c in text.nfkd().filter(|c| !is_combining_mark(*c)) {
                if c.is_alphanumeric() {
                    plain.extend(c.to_lowercase());
                } else if !plain.is_empty() && !plain.ends_with(' ') && !matches!(c, '\'' | '’' | '\u{FEFF}' | '\u{200B}') {
                    plain.push(' ');
                }
            }
            prop_assert_eq!(fold(&text), plain.trim_end());
        }
    }
}
