//! Characters that nobody sees: blanks, and characters without a width.

/// Zero-width, format and control characters that are no blanks: they go everywhere.
///
/// Unicode general categories Cc (less the white space in it) and Cf, and the fillers that show nothing.
#[inline]
pub fn is_invisible(c: char) -> bool {
    if c.is_whitespace() {
        return false;
    }
    c.is_control()
        || matches!(c,
            '\u{00AD}' | '\u{034F}' | '\u{061C}' | '\u{115F}' | '\u{1160}' | '\u{17B4}' | '\u{17B5}'
            | '\u{180B}'..='\u{180F}' | '\u{200B}'..='\u{200F}' | '\u{202A}'..='\u{202E}' | '\u{2060}'..='\u{206F}'
            | '\u{3164}' | '\u{FE00}'..='\u{FE0F}' | '\u{FEFF}' | '\u{FFA0}' | '\u{FFF9}'..='\u{FFFB}'
            | '\u{E0000}'..='\u{E0FFF}')
}

/// A blank (Unicode `White_Space`) or an invisible character.
#[inline]
pub fn is_unseen(c: char) -> bool {
    c.is_whitespace() || is_invisible(c)
}
