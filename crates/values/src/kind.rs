//! What kind of value a column holds, and so how it is cleaned.

use crate::Field;
use crate::blank::BlankIn;
use crate::date_column::DateOf;
use crate::name::NamePart;

/// A kind of value.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[allow(missing_docs)] // the names are the meaning
pub enum Kind {
    Email,
    Name(NamePart),
    Company,
    Text,
    /// Text of several lines.
    Notes,
    /// A number or code that tells contacts apart: only what surrounds it goes.
    Identifier,
    Phone,
    Street,
    City,
    Region,
    PostalCode,
    Country,
    Website,
    Date(DateOf),
    Language,
    Consent,
    Tags,
    Number,
    YesNo,
}

impl Kind {
    /// The kinds that a job can give to fields of its own, by name.
    pub const NAMES: [(&str, Kind); 10] = [
        ("text", Kind::Text),
        ("email", Kind::Email),
        ("name", Kind::Name(NamePart::Full)),
        ("phone", Kind::Phone),
        ("date", Kind::Date(DateOf::Any)),
        ("number", Kind::Number),
        ("yes_no", Kind::YesNo),
        ("country", Kind::Country),
        ("postal_code", Kind::PostalCode),
        ("tags", Kind::Tags),
    ];

    /// The kind of that name.
    pub fn from_name(name: &str) -> Option<Kind> {
        Kind::NAMES.iter().find(|(known, _)| *known == name).map(|(_, kind)| *kind)
    }

    /// The kind of a known field.
    pub fn of_field(field: Field) -> Kind {
        match field {
            Field::Email => Kind::Email,
            Field::Title => Kind::Name(NamePart::Title),
            Field::FirstName => Kind::Name(NamePart::First),
            Field::MiddleName => Kind::Name(NamePart::Middle),
            Field::LastName => Kind::Name(NamePart::Last),
            Field::NameSuffix => Kind::Name(NamePart::Suffix),
            Field::FullName => Kind::Name(NamePart::Full),
            Field::Company => Kind::Company,
            Field::JobTitle => Kind::Text,
            Field::Phone => Kind::Phone,
            Field::Street | Field::Street2 => Kind::Street,
            Field::City => Kind::City,
            Field::Region => Kind::Region,
            Field::PostalCode => Kind::PostalCode,
            Field::Country => Kind::Country,
            Field::Website => Kind::Website,
            Field::Birthday => Kind::Date(DateOf::Birth),
            Field::SignedUp | Field::LastSeen => Kind::Date(DateOf::Past),
            Field::Language => Kind::Language,
            Field::Consent => Kind::Consent,
            Field::Tags => Kind::Tags,
            Field::ContactId => Kind::Identifier,
            Field::Notes => Kind::Notes,
        }
    }

    /// Which words stand for nothing in it.
    pub fn blank_in(self) -> BlankIn {
        match self {
            Kind::Name(_) | Kind::Company => BlankIn::Names,
            Kind::Region | Kind::Country => BlankIn::Places,
            Kind::Date(_) => BlankIn::Dates,
            _ => BlankIn::Others,
        }
    }
}
