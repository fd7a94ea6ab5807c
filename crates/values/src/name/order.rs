//! How the names of a country or a language are built, where that is not given name, middle names, family name.

use crate::place::Country;

/// How names are built.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Naming {
    pub(super) order: Order,
    /// Whether "Don" and "Dona" are titles; in English they are given names.
    pub(super) has_don: bool,
    /// Whether "M." stands for Monsieur, and "Me" for Maître; elsewhere it is an initial, or a name.
    pub(super) has_monsieur: bool,
    /// Whether "DI" and "Mag" are degrees.
    pub(super) is_austrian: bool,
}

/// In which order the parts of a name stand.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(super) enum Order {
    /// Given name, middle names, family name.
    #[default]
    GivenFirst,
    /// Given names, then two family names.
    TwoFamilyNames,
    /// Family name, given name, further given names: Hungary, Japan.
    FamilyFirst,
    /// Family name, then one given name that may be written as two words: China, Hong Kong, Taiwan, Korea.
    FamilyThenGiven,
    /// Family name, middle names, given name: Vietnam.
    GivenLast,
}

/// Spain, Portugal, and the countries of the Americas that speak their languages.
const TWO_FAMILY_NAMES: [&str; 21] = [
    "AR", "BO", "BR", "CL", "CO", "CR", "CU", "DO", "EC", "ES", "GT", "HN", "MX", "NI", "PA", "PE", "PR", "PT", "PY",
    "SV", "UY",
];

impl Naming {
    /// How names are built by the country, and where that is not known, by the language (ISO 639-1).
    pub fn of(country: Option<Country>, language: &str) -> Naming {
        let code = country.as_ref().map(Country::code).unwrap_or_default();
        let language = if code.is_empty() { language.get(..2).unwrap_or_default() } else { "" };
        let order = match (code, language.to_ascii_lowercase().as_str()) {
            ("HU" | "JP", _) | (_, "hu" | "ja") => Order::FamilyFirst,
            ("CN" | "TW" | "HK" | "MO" | "KR", _) | (_, "zh" | "ko") => Order::FamilyThenGiven,
            ("VN", _) | (_, "vi") => Order::GivenLast,
            ("VE", _) | (_, "es" | "pt") => Order::TwoFamilyNames,
            (code, _) if TWO_FAMILY_NAMES.contains(&code) => Order::TwoFamilyNames,
            _ => Order::GivenFirst,
        };
        Naming {
            order,
            has_don: order == Order::TwoFamilyNames || code == "IT" || language == "it",
            is_austrian: code == "AT",
            has_monsieur: matches!(code, "FR" | "BE" | "CH" | "LU" | "MC") || language == "fr",
        }
    }

    /// Whether the first of two plain words is the given name.
    pub(super) fn is_given_first(self) -> bool {
        matches!(self.order, Order::GivenFirst | Order::TwoFamilyNames)
    }
}
