//! What counts as nothing: blanks of every kind, invisible characters, words that stand for nothing.

/// The words that stand for nothing in most fields, folded; a name or a company has fewer of them.
const WORDS: [&str; 24] = [
    "n/a",
    "na",
    "n.a.",
    "n.a",
    "none",
    "null",
    "nil",
    "-",
    "--",
    "---",
    "–",
    "—",
    "#n/a",
    "#ref!",
    "#value!",
    "#name?",
    "#null!",
    "#div/0!",
    "unknown",
    "not available",
    "not applicable",
    "not provided",
    "no email",
    "?",
];

/// Zero-width, format and control characters that are no blanks: they go everywhere.
///
/// Unicode general categories Cc (less the white space in it) and Cf, and the fillers that show nothing.
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
pub fn is_unseen(c: char) -> bool {
    c.is_whitespace() || is_invisible(c)
}

/// Whether the value is blank: unseen, or a word that stands for nothing.
///
/// ```
/// use pebblebank_core::clean::blank::is_blank;
/// assert!(is_blank(" N/A "));
/// assert!(!is_blank("Anna"));
/// ```
pub fn is_blank(value: &str) -> bool {
    let shown = value.trim_matches(is_unseen);
    if shown.is_empty() {
        return true;
    }
    let longest = 14;
    shown.len() <= longest && WORDS.iter().any(|word| word.eq_ignore_ascii_case(shown))
}

/// Whether the bytes are a word that stands for nothing, letter case aside.
pub fn is_ascii_blank_word(word: &[u8]) -> bool {
    WORDS.iter().any(|blank| blank.as_bytes().eq_ignore_ascii_case(word))
}

/// Whether a name, a company, or a value whose kind is not known is blank: a person may be called Null.
pub fn is_blank_name(value: &str) -> bool {
    let shown = value.trim_matches(is_unseen);
    shown.is_empty() || matches!(shown, "-" | "n/a" | "N/A" | "#N/A" | "n/A" | "N/a" | "#n/a")
}
