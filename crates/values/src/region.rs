//! Regions of countries: their codes and names (`regions.txt`).

use crate::fold::fold;
use crate::place::{Country, PlaceForm, data_lines};
use crate::{Cleaned, Doubt, Rule, Rules};
use std::collections::HashMap;
use std::sync::LazyLock;

/// A region of `regions.txt`.
pub(crate) struct Region {
    code: &'static str,
    usual: PlaceForm,
    name: &'static str,
}

pub(crate) struct Regions {
    regions: Vec<Region>,
    /// By country, then by code without the country, or by folded name.
    by_text: HashMap<Country, HashMap<&'static str, usize>>,
}

pub(crate) static REGIONS: LazyLock<Regions> = LazyLock::new(|| {
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

pub(crate) fn region_of(text: &str, country: Country) -> Option<&'static Region> {
    let of_country = REGIONS.by_text.get(&country)?;
    let capitals = text.to_uppercase();
    let short = capitals.strip_prefix(country.code()).and_then(|rest| rest.strip_prefix('-')).unwrap_or(&capitals);
    let place = of_country.get(short).or_else(|| of_country.get(fold(text).as_str()))?;
    REGIONS.regions.get(*place)
}

/// A region's code (ISO 3166-2, without the country's) or name.
///
/// ```
/// use pebblebank_values::region::region;
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
pub(crate) fn region_is_open(country: Country) -> bool {
    !matches!(&country.0, b"US" | b"CA" | b"AU" | b"BR" | b"DE" | b"AT" | b"CH" | b"MX")
}
