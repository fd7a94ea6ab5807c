//! The one form in which a value is compared: for keys of people, entries of lists, decisions and near misses.
//!
//! Spaces around a value, letter case and Unicode forms never count. What else does not count depends on what the value is.

use crate::fold::fold;
use crate::name::{self, NamePart, WithoutExtras};
use crate::text::comparable;
use crate::{Kind, phone, place};
use std::borrow::Cow;

/// How the values of a column are compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// As text.
    Text,
    /// As a street: its usual words have one form.
    Street,
    /// As a code: nothing but letters and digits counts.
    Code,
    /// As given names: titles do not count.
    GivenName,
    /// As a family name: suffixes and degrees do not count.
    FamilyName,
    /// As a whole name: title, suffix, nickname and the order of its parts do not count.
    FullName,
    /// As a phone number, which was cleaned before.
    Phone,
}

impl Form {
    /// The form of values of a kind.
    pub fn of(kind: Kind) -> Form {
        match kind {
            Kind::Street => Form::Street,
            Kind::PostalCode => Form::Code,
            Kind::Name(NamePart::Full) => Form::FullName,
            Kind::Name(NamePart::First) => Form::GivenName,
            Kind::Name(NamePart::Last) => Form::FamilyName,
            Kind::Phone => Form::Phone,
            _ => Form::Text,
        }
    }

    /// A cleaned value in its comparable form; empty where nothing of it can be compared.
    pub fn of_value(self, value: &str) -> Cow<'_, str> {
        match self {
            Form::Text | Form::Phone => comparable(value),
            Form::Street => place::street_key(value).into(),
            Form::Code => fold(value).replace(' ', "").into(),
            Form::GivenName => {
                let (_, given) = name::without_titles(value.trim());
                Cow::Owned(comparable(given).into_owned())
            }
            Form::FamilyName => {
                let (family, _) = name::without_trailing_suffixes(value.trim());
                Cow::Owned(comparable(family).into_owned())
            }
            Form::FullName => FullName::of(value).as_it_stands().into(),
        }
    }
}

/// A phone number that could not be cleaned: its digits, so that the same digits on a list still hold it. None where it has
/// too few to say anything.
pub fn digits_of_phone(value: &str) -> Option<String> {
    const FEWEST: usize = 5;
    let digits: String = value.chars().filter(char::is_ascii_digit).collect();
    (digits.len() >= FEWEST && !phone::is_placeholder(value)).then(|| format!("?{digits}"))
}

/// A whole name, as it is compared. The words of each part are sorted, so that their order does not count.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FullName {
    /// The given and the family name.
    pub core: Vec<String>,
    /// The names between.
    pub middle: Vec<String>,
}

impl FullName {
    /// Reads a name as it was cleaned.
    ///
    /// ```
    /// use pebblebank_values::comparable::FullName;
    /// let anna = FullName::of("Anna Rossi");
    /// for same in ["Mrs. Anna Rossi", "Anna Rossi, PhD", "ROSSI Anna", "Rossi, Anna", "anna (Annie)  rossi"] {
    ///     assert_eq!(FullName::of(same), anna, "{same}");
    /// }
    /// assert_eq!(FullName::of("Anna B. Rossi").middle, ["b"]);
    /// ```
    pub fn of(name: &str) -> FullName {
        let bare = name::without_nickname(name);
        let parts = name::compared_parts(&bare);
        let words = |words: &[&str]| {
            let mut words: Vec<String> = words.iter().map(|word| compared_word(word)).collect();
            words.retain(|word| !word.is_empty());
            words.sort_unstable();
            words
        };
        let WithoutExtras { core, middle } = parts;
        FullName { core: words(&core), middle: words(&middle) }
    }

    /// Whether there is no name.
    pub fn is_blank(&self) -> bool {
        self.core.is_empty()
    }

    /// All its words: for keys of people, where a middle name counts.
    pub fn as_it_stands(&self) -> String {
        let mut words: Vec<&str> = self.core.iter().chain(&self.middle).map(String::as_str).collect();
        words.sort_unstable();
        words.join(" ")
    }

    /// What a contact of this name is looked up by in a list, where a middle name counts only if both sides have one.
    pub fn asked_for(&self) -> [String; 2] {
        let core = self.core.join(" ");
        match self.middle.as_slice() {
            [] => [format!("{core}|"), format!("{core}|any")],
            middle => [format!("{core}|"), format!("{core}|={}", middle.join(" "))],
        }
    }

    /// What an entry of this name is found by.
    pub fn found_by(&self) -> Vec<String> {
        let core = self.core.join(" ");
        match self.middle.as_slice() {
            [] => vec![format!("{core}|")],
            middle => vec![format!("{core}|={}", middle.join(" ")), format!("{core}|any")],
        }
    }
}

/// A word of a name; the dot behind an initial does not count.
fn compared_word(word: &str) -> String {
    let folded = comparable(word).into_owned();
    match folded.strip_suffix('.') {
        Some(bare) if bare.chars().count() == 1 => bare.to_owned(),
        _ => folded,
    }
}
