//! Companies in columns of names.

use super::words::WORDS;
use crate::fold::fold;

/// Whether a value in a column of names is a company's: one of its words says so. "Ida & Bo Moss" are
/// two people.
///
/// ```
/// use pebblebank_values::name::is_company;
/// assert!(is_company("Thornwick Nurseries, Ltd") && is_company("Quillmere Theater GmbH & Co. KG"));
/// assert!(!is_company("Ida Moss") && !is_company("Trust Okonkwo"));
/// ```
pub fn is_company(name: &str) -> bool {
    if !name.contains(' ') {
        return false;
    }
    // The first word may be a given name, such as Trust or Ag.
    let words = &*WORDS;
    let mut rest = name;
    while let Some(at) = memchr::memchr(b' ', rest.as_bytes()) {
        rest = &rest[at + 1..];
        let end = memchr::memchr(b' ', rest.as_bytes()).unwrap_or(rest.len());
        if words.company.holds(&rest[..end]) {
            return true;
        }
    }
    // "S.A.", "e. V.", "B V"
    let may_end_so = name.contains('.') || name.rfind(' ').is_some_and(|at| name.len() - at <= 2);
    may_end_so && {
        let folded = fold(name);
        WORDS.company_forms.iter().any(|form| folded.ends_with(form.as_str()))
    }
}
