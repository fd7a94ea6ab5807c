//! A full name and its parts, as far as the written form shows them.

/// Parts a full name: at the comma of "Family, Given", else at the first blank.
///
/// A name of one word is a first name. Returns (first, last).
///
/// ```
/// use pebblebank_core::clean::name::part;
/// assert_eq!(part(b"Ida de la Moor"), (&b"Ida"[..], &b"de la Moor"[..]));
/// assert_eq!(part(b"Moor, Ida"), (&b"Ida"[..], &b"Moor"[..]));
/// ```
pub fn part(full_name: &[u8]) -> (&[u8], &[u8]) {
    let full_name = full_name.trim_ascii();
    if let Some(comma) = memchr::memchr(b',', full_name) {
        return (full_name[comma + 1..].trim_ascii(), full_name[..comma].trim_ascii());
    }
    match full_name.iter().position(u8::is_ascii_whitespace) {
        Some(blank) => (&full_name[..blank], full_name[blank..].trim_ascii_start()),
        None => (full_name, b""),
    }
}
