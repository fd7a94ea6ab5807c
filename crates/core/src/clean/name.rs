//! A full name and its parts, as far as the written form shows them.

/// Parts a full name: at the comma of "Family, Given", else at the first blank.
///
/// A name of one word is a first name. Returns (first, last).
///
/// ```
/// use pebblebank_core::clean::name::part;
/// assert_eq!(part("Ida de la Moor"), ("Ida", "de la Moor"));
/// assert_eq!(part("Moor, Ida"), ("Ida", "Moor"));
/// ```
pub fn part(full_name: &str) -> (&str, &str) {
    let full_name = full_name.trim();
    if let Some((family, given)) = full_name.split_once(',') {
        return (given.trim(), family.trim());
    }
    match full_name.split_once(char::is_whitespace) {
        Some((first, last)) => (first, last.trim_start()),
        None => (full_name, ""),
    }
}
