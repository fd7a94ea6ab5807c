//! City, region and postal code that stand in one cell, split.

use crate::fold::fold;
use crate::place::Country;
use crate::postal_code::{code_form, fits_as_written};
use crate::region::region_of;

/// City, region and postal code that stand in one cell.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PlaceParts {
    /// The city.
    pub city: String,
    /// The region, where one stands there.
    pub region: Option<String>,
    /// The postal code.
    pub postal_code: String,
}

/// Parts "City, Region 12345" and "12345 City"; none where no postal code of the country stands there.
///
/// ```
/// use pebblebank_values::place_parts::place_parts;
/// use pebblebank_values::place::Country;
/// let parts = place_parts("Springfield, IL 62704", Country::from_text("US")).unwrap();
/// assert_eq!((parts.city.as_str(), parts.region.as_deref(), parts.postal_code.as_str()), ("Springfield", Some("IL"), "62704"));
/// assert_eq!(place_parts("12345 Musterstadt", Country::from_text("DE")).unwrap().city, "Musterstadt");
/// assert_eq!(place_parts("Quillmere", Country::from_text("GB")), None);
/// ```
pub fn place_parts(text: &str, country: Option<Country>) -> Option<PlaceParts> {
    let country = country?;
    let known = code_form(country)?;
    let words: Vec<&str> = text.split([' ', ',']).filter(|word| !word.is_empty()).collect();
    let is_code = |words: &[&str]| {
        let joined = words.join(" ");
        known
            .forms
            .iter()
            .any(|form| fits_as_written(form.as_bytes(), joined.to_ascii_uppercase().as_bytes()))
            .then(|| joined.to_ascii_uppercase())
    };
    let (mut rest, code) = (1..=2usize.min(words.len().saturating_sub(1))).rev().find_map(|count| {
        let (head, tail) = words.split_at(words.len() - count);
        if let Some(code) = is_code(tail) {
            return Some((head.to_vec(), code));
        }
        let (head, tail) = words.split_at(count);
        is_code(head).map(|code| (tail.to_vec(), code))
    })?;
    let region = (1..rest.len()).find_map(|from| {
        let name = rest[from..].join(" ");
        // A region's short code is only one where it is written so.
        let is_short_code = name.len() <= 3 && name.chars().any(char::is_lowercase);
        (!is_short_code && region_of(&name, country).is_some()).then_some((from, name))
    });
    let region = region.map(|(from, name)| {
        rest.truncate(from);
        name
    });
    let city = rest.join(" ");
    (city.chars().any(char::is_alphabetic)).then_some(PlaceParts { city, region, postal_code: code })
}

/// A text without the parts between commas that stand there twice: "Quillmere, Quillmere".
pub fn without_repeated_parts(text: &str) -> Option<String> {
    if !text.contains(',') {
        return None;
    }
    let mut seen: Vec<String> = Vec::new();
    let mut kept: Vec<&str> = Vec::new();
    let mut was_repeated = false;
    for part in text.split(',').map(str::trim) {
        let folded = fold(part);
        if part.is_empty() || (seen.contains(&folded) && part.chars().any(char::is_alphabetic)) {
            was_repeated |= !part.is_empty();
            continue;
        }
        seen.push(folded);
        kept.push(part);
    }
    was_repeated.then(|| kept.join(", "))
}
