//! Postal addresses: countries and regions (ISO 3166), postal codes by country, cities with more than the city in
//! their cell, and the words of streets.

use crate::fold::fold;
use crate::{Cleaned, Doubt, Rule, Rules};
use std::collections::HashMap;
use std::sync::LazyLock;

/// A country: its ISO 3166-1 alpha-2 code, in capitals.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Country([u8; 2]);

/// What is known of a country.
struct CountryNames {
    alpha_3: &'static str,
    name: &'static str,
}

struct Countries {
    by_name: HashMap<&'static str, Country>,
    by_code: HashMap<Country, CountryNames>,
}

static COUNTRIES: LazyLock<Countries> = LazyLock::new(|| {
    let mut countries = Countries { by_name: HashMap::new(), by_code: HashMap::new() };
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

static BY_ALPHA_3: LazyLock<HashMap<&'static str, Country>> =
    LazyLock::new(|| COUNTRIES.by_code.iter().map(|(country, names)| (names.alpha_3, *country)).collect());

fn data_lines(text: &'static str) -> impl Iterator<Item = &'static str> {
    text.lines().filter(|line| !line.starts_with('#') && !line.is_empty())
}

impl Country {
    fn from_capitals(code: &str) -> Option<Country> {
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

/// A region of `regions.txt`.
struct Region {
    code: &'static str,
    usual: PlaceForm,
    name: &'static str,
}

struct Regions {
    regions: Vec<Region>,
    /// By country, then by code without the country, or by folded name.
    by_text: HashMap<Country, HashMap<&'static str, usize>>,
}

static REGIONS: LazyLock<Regions> = LazyLock::new(|| {
    let mut regions = Regions { regions: Vec::new(), by_text: HashMap::new() };
    for line in data_lines(include_str!("data/regions.txt")) {
        let mut parts = line.split('|');
        let mut next = || parts.next().unwrap_or_default();
        let (code, usual, name, names) = (next(), next(), next(), next());
        let Some((country, short)) = code.split_once('-') else { continue };
        let Some(country) = Country::from_capitals(country) else { continue };
        let place = regions.regions.len();
        let usual = if usual == "code" { PlaceForm::Code } else { PlaceForm::Name };
        regions.regions.push(Region { code: short, usual, name });
        let of_country = regions.by_text.entry(country).or_default();
        of_country.insert(short, place);
        for name in names.split("; ") {
            of_country.entry(name).or_insert(place);
        }
    }
    regions
});

fn region_of(text: &str, country: Country) -> Option<&'static Region> {
    let of_country = REGIONS.by_text.get(&country)?;
    let capitals = text.to_uppercase();
    let short = capitals.strip_prefix(country.code()).and_then(|rest| rest.strip_prefix('-')).unwrap_or(&capitals);
    let place = of_country.get(short).or_else(|| of_country.get(fold(text).as_str()))?;
    REGIONS.regions.get(*place)
}

/// A region's code (ISO 3166-2, without the country's) or name.
///
/// ```
/// use pebblebank_values::place::region;
/// use pebblebank_values::place::Country;
/// use pebblebank_values::place::PlaceForm;
/// let us = Country::from_text("US").unwrap();
/// assert_eq!(region("california", us, Some(PlaceForm::Code)), Some("CA"));
/// assert_eq!(region("CA", us, Some(PlaceForm::Name)), Some("California"));
/// ```
pub fn region(text: &str, country: Country, form: Option<PlaceForm>) -> Option<&'static str> {
    let region = region_of(text, country)?;
    Some(match form.unwrap_or(region.usual) {
        PlaceForm::Code => region.code,
        PlaceForm::Name => region.name,
    })
}

/// Cleans a tidy text as a region: written as its country does. Without a country, or in one whose regions are not
/// known here, it stays.
pub fn clean_region(text: &str, country: Option<Country>, out: &mut String) -> Cleaned {
    let Some(country) = country.filter(|country| REGIONS.by_text.contains_key(country)) else {
        return Cleaned::AsItIs;
    };
    match region(text, country, None) {
        Some(usual) if usual == text => Cleaned::AsItIs,
        Some(usual) => {
            out.push_str(usual);
            Cleaned::Repaired(Rules::one(Rule::RegionForm))
        }
        // Counties and the like beside the regions of ISO 3166-2 are in use where those are not.
        None if region_is_open(country) => Cleaned::AsItIs,
        None => Cleaned::Doubtful(Doubt::UnknownRegion),
    }
}

/// Countries in whose addresses other regions than those of ISO 3166-2 are usual.
fn region_is_open(country: Country) -> bool {
    !matches!(&country.0, b"US" | b"CA" | b"AU" | b"BR" | b"DE" | b"AT" | b"CH" | b"MX")
}

/// How postal codes of a country are written: 9 for a digit, A for a letter, anything else for itself; and how many
/// zeros at the front a spreadsheet may have taken.
struct CodeForm {
    country: Country,
    forms: &'static [&'static str],
    zeros: usize,
}

/// From the Universal Postal Union's list of national formats.
const CODE_FORMS: [(&str, &[&str], usize); 58] = [
    ("AD", &["AA999"], 0),
    ("AR", &["9999", "A9999AAA"], 0),
    ("AT", &["9999"], 0),
    ("AU", &["9999"], 1),
    ("BE", &["9999"], 0),
    ("BG", &["9999"], 0),
    ("BR", &["99999-999"], 1),
    ("CA", &["A9A 9A9"], 0),
    ("CH", &["9999"], 0),
    ("CN", &["999999"], 1),
    ("CY", &["9999"], 0),
    ("CZ", &["999 99"], 0),
    ("DE", &["99999"], 1),
    ("DK", &["9999"], 1),
    ("EE", &["99999"], 0),
    ("ES", &["99999"], 1),
    ("FI", &["99999"], 2),
    ("FR", &["99999"], 1),
    ("GB", &["A9 9AA", "A99 9AA", "AA9 9AA", "AA99 9AA", "A9A 9AA", "AA9A 9AA"], 0),
    ("GG", &["AA9 9AA", "AA99 9AA"], 0),
    ("GR", &["999 99"], 0),
    ("HR", &["99999"], 0),
    ("HU", &["9999"], 0),
    (
        "IE",
        &["A99 AAAA", "A99 A9AA", "A99 AA9A", "A99 AAA9", "A99 A99A", "A99 A9A9", "A99 AA99", "A99 A999", "A9A AAAA"],
        0,
    ),
    ("IL", &["9999999", "99999"], 0),
    ("IM", &["AA9 9AA", "AA99 9AA"], 0),
    ("IN", &["999999"], 0),
    ("IS", &["999"], 0),
    ("IT", &["99999"], 3),
    ("JE", &["AA9 9AA", "AA99 9AA"], 0),
    ("JP", &["999-9999"], 1),
    ("KR", &["99999"], 1),
    ("LI", &["9999"], 0),
    ("LT", &["LT-99999"], 0),
    ("LU", &["9999"], 0),
    ("LV", &["LV-9999"], 0),
    ("MC", &["99999"], 0),
    ("MT", &["AAA 9999"], 0),
    ("MX", &["99999"], 1),
    ("MY", &["99999"], 1),
    ("NL", &["9999 AA"], 0),
    ("NO", &["9999"], 1),
    ("NZ", &["9999"], 1),
    ("PH", &["9999"], 1),
    ("PL", &["99-999"], 1),
    ("PR", &["99999", "99999-9999"], 2),
    ("PT", &["9999-999", "9999"], 0),
    ("RO", &["999999"], 1),
    ("RS", &["99999"], 0),
    ("RU", &["999999"], 0),
    ("SE", &["999 99"], 0),
    ("SG", &["999999"], 1),
    ("SI", &["9999"], 0),
    ("SK", &["999 99"], 1),
    ("TR", &["99999"], 1),
    ("UA", &["99999"], 1),
    ("US", &["99999", "99999-9999"], 2),
    ("ZA", &["9999"], 2),
];

static FORMS: LazyLock<Vec<CodeForm>> = LazyLock::new(|| {
    let form = |(country, forms, zeros): &(&str, &'static [&'static str], usize)| {
        Country::from_capitals(country).map(|country| CodeForm { country, forms, zeros: *zeros })
    };
    CODE_FORMS.iter().filter_map(form).collect()
});

/// The longest postal code that is looked at, without blanks and hyphens.
const LONGEST_CODE: usize = 12;

/// Whether a postal code is clean as it stands in a country: as the country writes it.
#[inline]
pub fn is_clean_code(value: &[u8], country: Country) -> bool {
    match code_form(country) {
        Some(known) => known.forms.iter().any(|form| fits_as_written(form.as_bytes(), value)),
        None => false,
    }
}

fn code_form(country: Country) -> Option<&'static CodeForm> {
    FORMS.binary_search_by_key(&country, |form| form.country).ok().map(|place| &FORMS[place])
}

fn fits_as_written(form: &[u8], value: &[u8]) -> bool {
    form.len() == value.len() && form.iter().zip(value).all(|(form, byte)| is_kind(*form, *byte))
}

fn is_kind(form: u8, byte: u8) -> bool {
    match form {
        b'9' => byte.is_ascii_digit(),
        b'A' => byte.is_ascii_uppercase(),
        sign => sign == byte,
    }
}

/// Cleans a tidy text as a postal code of a country: capitals, its blank or hyphen where the country has it, zeros that
/// a spreadsheet took from the front. The new value is added to `out`.
///
/// ```
/// use pebblebank_values::place::clean_postal_code;
/// use pebblebank_values::place::Country;
/// let clean = |text: &str, country: &str| {
///     let mut out = String::new();
///     clean_postal_code(text, Country::from_text(country), &mut out);
///     out
/// };
/// assert_eq!(clean("lf11ab", "GB"), "LF1 1AB");
/// assert_eq!(clean("2134", "US"), "02134");
/// assert_eq!(clean("1234ab", "NL"), "1234 AB");
/// ```
pub fn clean_postal_code(text: &str, country: Option<Country>, out: &mut String) -> Cleaned {
    let Some(known) = country.and_then(code_form) else {
        return in_capitals(text, out);
    };
    if known.forms.iter().any(|form| fits_as_written(form.as_bytes(), text.as_bytes())) {
        return Cleaned::AsItIs;
    }
    let mut bare = [0u8; LONGEST_CODE + 2];
    let Some(bare) = bare_code(text, known.country, &mut bare) else {
        return Cleaned::Doubtful(Doubt::UnfitPostalCode);
    };
    let mut rules = Rules::NONE;
    let start = out.len();
    for zeros in 0..=known.zeros {
        for form in known.forms {
            if push_formed(form.as_bytes(), zeros, bare, out) {
                if zeros > 0 {
                    rules.add(Rule::LeadingZeros);
                }
                if out[start..] != *text && zeros == 0 {
                    rules.add(Rule::PostalCodeForm);
                }
                return Cleaned::Repaired(rules);
            }
            out.truncate(start);
        }
        if !bare.iter().all(u8::is_ascii_digit) {
            break;
        }
    }
    Cleaned::Doubtful(Doubt::UnfitPostalCode)
}

/// Letters and digits in capitals, without the country's code in front and without the `.0` of a spreadsheet.
fn bare_code<'a>(text: &str, country: Country, room: &'a mut [u8; LONGEST_CODE + 2]) -> Option<&'a [u8]> {
    let text = text.strip_suffix(".0").unwrap_or(text).as_bytes();
    let mut length = 0;
    for byte in text {
        if byte.is_ascii_alphanumeric() {
            *room.get_mut(length)? = byte.to_ascii_uppercase();
            length += 1;
        } else if !matches!(byte, b' ' | b'-' | b'.' | b'\'') {
            return None;
        }
    }
    let bare = &room[..length];
    let has_prefix = text.get(2).is_some_and(|byte| matches!(byte, b'-' | b' '))
        && bare.starts_with(&country.0)
        && bare[2..].iter().all(u8::is_ascii_digit)
        || (length > 1
            && text.get(1) == Some(&b'-')
            && bare[0].is_ascii_alphabetic()
            && bare[1..].iter().all(u8::is_ascii_digit));
    let skipped = if !has_prefix {
        0
    } else if bare[1].is_ascii_digit() {
        1
    } else {
        2
    };
    Some(&room[skipped..length])
}

/// Adds a code in its form, with so many zeros in front; false where it does not fit.
fn push_formed(form: &[u8], zeros: usize, bare: &[u8], out: &mut String) -> bool {
    let mut bytes = std::iter::repeat_n(b'0', zeros).chain(bare.iter().copied());
    for sign in form {
        match sign {
            b'9' | b'A' => match bytes.next() {
                Some(byte) if is_kind(*sign, byte) => out.push(char::from(byte)),
                _ => return false,
            },
            sign => out.push(char::from(*sign)),
        }
    }
    bytes.next().is_none()
}

fn in_capitals(text: &str, out: &mut String) -> Cleaned {
    let is_code = text.len() <= LONGEST_CODE && text.bytes().any(|byte| byte.is_ascii_digit());
    if is_code && text.bytes().any(|byte| byte.is_ascii_lowercase()) {
        out.extend(text.chars().map(|c| c.to_ascii_uppercase()));
        return Cleaned::Repaired(Rules::one(Rule::PostalCodeForm));
    }
    Cleaned::AsItIs
}

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
/// use pebblebank_values::place::place_parts;
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

    #[test]
    fn the_tables_are_in_order_and_every_name_is_folded_and_means_one_country() {
        assert!(CODE_FORMS.is_sorted_by_key(|(country, ..)| *country));
        let mut seen = HashMap::new();
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
