//! Headers are compared whatever their case, spacing, accents and punctuation.

use unicode_normalization::UnicodeNormalization;
use unicode_normalization::char::is_combining_mark;

/// Small letters without accents, one blank for everything that is neither letter nor digit.
///
/// ```
/// use pebblebank_values::fold::fold;
/// assert_eq!(fold("  E-Mail_Address: "), "e mail address");
/// ```
pub fn fold(header: &str) -> String {
    let mut folded = String::with_capacity(header.len());
    if header.is_ascii() {
        for byte in header.bytes() {
            if byte.is_ascii_alphanumeric() {
                folded.push(char::from(byte.to_ascii_lowercase()));
            } else if !folded.is_empty() && !folded.ends_with(' ') && byte != b'\'' {
                folded.push(' ');
            }
        }
        folded.truncate(folded.trim_end().len());
        return folded;
    }
    for c in header.nfkd().filter(|c| !is_combining_mark(*c)) {
        if c.is_alphanumeric() {
            folded.extend(c.to_lowercase());
        } else if !folded.is_empty() && !folded.ends_with(' ') && !matches!(c, '\'' | '’' | '\u{FEFF}' | '\u{200B}') {
            folded.push(' ');
        }
    }
    folded.truncate(folded.trim_end().len());
    folded
}
