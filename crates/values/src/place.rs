//! Postal addresses: countries and regions (ISO 3166), postal codes by country, cities with more than the city in
//! their cell, and the words of streets.

use crate::fold::fold;
use crate::quick_map::QuickMap;
use crate::{Cleaned, Doubt, Rule, Rules};
use std::sync::LazyLock;

/// A country: its ISO 3166-1 alpha-2 code, in capitals.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Country(pub(crate) [u8; 2]);

/// What is known of a country.
struct CountryNames {
    alpha_3: &'static str,
    name: &'static str,
}

struct Countries {
    by_name: QuickMap<&'static str, Country>,
    by_code: QuickMap<Country, CountryNames>,
}

static COUNTRIES: LazyLock<Countries> = LazyLock::new(|| {
    let mut countries = Countries { by_name: QuickMap::default(), by_code: QuickMap::default() };
    for line in data_lines(include_str!("data/countries.txt")) {
        let mut parts = line.split('|');
        let mut next = || parts.next().unwrap_or_default();
        let (alpha_2, alpha_3, numeric, name, names) = (next(), next(), next(), next(), next());
        let Some(country) = Country::from_capitals(alpha_2) else { continue };
        countries.by_name.extend(names.split("; ").map(|name| (name, country)));
        if !numeric.is_empty() {
            countries.by_name.insert(numeric, country);
        }
        countries.by_code.insert(country, CountryNames { alpha_3, name });
    }
    countries
});

static BY_ALPHA_3: LazyLock<QuickMap<&'static str, Country>> =
    LazyLock::new(|| COUNTRIES.by_code.iter().map(|(country, names)| (names.alpha_3, *country)).collect());

pub(crate) fn data_lines(text: &'static str) -> impl Iterator<Item = &'static str> {
    text.lines().filter(|line| !line.starts_with('#') && !line.is_empty())
}

impl Country {
    /// The country of two capitals.
    pub fn from_capitals(code: &str) -> Option<Country> {
        match code.as_bytes() {
            [a, b] if a.is_ascii_uppercase() && b.is_ascii_uppercase() => Some(Country([*a, *b])),
            _ => None,
        }
    }

    /// The code.
    pub fn code(&self) -> &str {
        std::str::from_utf8(&self.0).unwrap_or_default()
    }

    /// Its English name.
    pub fn name(self) -> &'static str {
        COUNTRIES.by_code.get(&self).map_or("", |names| names.name)
    }

    /// Its code of three letters.
    pub fn alpha_3(self) -> &'static str {
        COUNTRIES.by_code.get(&self).map_or("", |names| names.alpha_3)
    }

    /// The country that a code or a name in one of seven languages means.
    ///
    /// ```
    /// use pebblebank_values::place::Country;
    /// for text in ["GB", "gbr", "United Kingdom", "Vereinigtes Königreich", "U.K.", "826"] {
    ///     assert_eq!(Country::from_text(text).unwrap().code(), "GB", "{text}");
    /// }
    /// ```
    pub fn from_text(text: &str) -> Option<Country> {
        let capitals = text.to_ascii_uppercase();
        match capitals.len() {
            2 => {
                let country = Country::from_capitals(&capitals)?;
                let country = if country.0 == *b"UK" { Country(*b"GB") } else { country };
                return COUNTRIES.by_code.contains_key(&country).then_some(country);
            }
            3 => {
                if let Some(country) = BY_ALPHA_3.get(capitals.as_str()) {
                    return Some(*country);
                }
            }
            _ => {}
        }
        let folded = fold(text);
        let without_article = || folded.split_once(' ').filter(|(article, _)| *article == "the").map(|(_, name)| name);
        let found = COUNTRIES.by_name.get(folded.as_str());
        found.or_else(|| COUNTRIES.by_name.get(without_article()?)).copied()
    }
}

/// In what form a country or region is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PlaceForm {
    /// By code.
    Code,
    /// By name.
    Name,
}

/// Cleans a tidy text as a country; the new value is added to `out`.
pub fn clean_country(text: &str, out: &mut String) -> Cleaned {
    match Country::from_text(text) {
        Some(country) if country.code() == text => Cleaned::AsItIs,
        Some(country) => {
            out.push_str(country.code());
            Cleaned::Repaired(Rules::one(Rule::CountryCode))
        }
        None => Cleaned::Doubtful(Doubt::UnknownCountry),
    }
}

/// Pairs of street words that mean the same, folded; for keys only.
const STREET_WORDS: [(&str, &str); 22] = [
    ("street", "st"),
    ("road", "rd"),
    ("avenue", "ave"),
    ("av", "ave"),
    ("avenida", "ave"),
    ("lane", "ln"),
    ("drive", "dr"),
    ("court", "ct"),
    ("place", "pl"),
    ("square", "sq"),
    ("boulevard", "blvd"),
    ("bd", "blvd"),
    ("terrace", "ter"),
    ("crescent", "cres"),
    ("apartment", "apt"),
    ("flat", "apt"),
    ("north", "n"),
    ("south", "s"),
    ("strasse", "str"),
    ("straße", "str"),
    ("platz", "pl"),
    ("calle", "c"),
];

/// What a street is compared by: folded, with its usual words in one form and without blanks before "str".
///
/// ```
/// use pebblebank_values::place::street_key;
/// assert_eq!(street_key("12 Mill Street"), street_key("12, Mill St."));
/// assert_eq!(street_key("Gartenstraße 5"), street_key("Garten-Str. 5"));
/// ```
pub fn street_key(street: &str) -> String {
    let folded = fold(street);
    let mut key = String::with_capacity(folded.len());
    for word in folded.split(' ') {
        let short = STREET_WORDS.iter().find(|(long, _)| *long == word).map(|(_, short)| *short);
        let stem =
            word.strip_suffix("strasse").or_else(|| word.strip_suffix("straße")).or_else(|| word.strip_suffix("str"));
        match (short, stem) {
            (Some("str"), _) | (_, Some("")) => key.push_str("str"),
            (Some(short), _) => {
                key.push(' ');
                key.push_str(short);
            }
            (None, Some(stem)) => {
                key.push(' ');
                key.push_str(stem);
                key.push_str("str");
            }
            (None, None) => {
                key.push(' ');
                key.push_str(word);
            }
        }
    }
    key.trim_start().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::postal_code::CODE_FORMS;

    #[test]
    fn the_tables_are_in_order_and_every_name_is_folded_and_means_one_country() {
        assert!(CODE_FORMS.is_sorted_by_key(|(country, ..)| *country));
        let mut seen = std::collections::HashMap::new();
        for line in data_lines(include_str!("data/countries.txt")) {
            let parts: Vec<&str> = line.split('|').collect();
            assert_eq!(parts.len(), 5, "{line}");
            for name in parts[4].split("; ") {
                assert_eq!(fold(name), name, "not folded");
                assert_eq!(seen.insert(name, parts[0]), None, "{name} stands twice");
            }
        }
        for line in data_lines(include_str!("data/regions.txt")) {
            assert_eq!(line.split('|').count(), 4, "{line}");
        }
    }
}
