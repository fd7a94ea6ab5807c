//! Given names that may be the same person's: `nicknames.txt`.

use pebblebank_values::fold::fold;
use std::collections::HashMap;
use std::sync::LazyLock;

/// The lines that each name stands on.
static LINES: LazyLock<HashMap<String, Vec<u16>>> = LazyLock::new(|| {
    let mut lines: HashMap<String, Vec<u16>> = HashMap::new();
    let own = include_str!("nicknames.txt").lines().filter(|line| !line.starts_with('#'));
    for (number, line) in own.enumerate() {
        for name in line.split_whitespace() {
            lines.entry(fold(name)).or_default().push(number as u16);
        }
    }
    lines
});

/// The groups that a folded given name belongs to.
pub fn groups_of(name: &str) -> &'static [u16] {
    LINES.get(name).map_or(&[], Vec::as_slice)
}

/// Whether two folded given names may be forms of one.
///
/// ```
/// use pebblebank_core::person::near::nicknames::are_forms_of_one;
/// assert!(are_forms_of_one("robert", "bob") && are_forms_of_one("liz", "elizabeth"));
/// assert!(!are_forms_of_one("anna", "hanna"));
/// ```
pub fn are_forms_of_one(a: &str, b: &str) -> bool {
    groups_of(a).iter().any(|group| groups_of(b).contains(group))
}
