//! The known fields, in the order in which they are written without a layout.

use std::fmt;
use strum::VariantArray;

/// A column with a known meaning.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Hash,
    strum::IntoStaticStr,
    strum::EnumString,
    strum::VariantArray,
)]
#[strum(serialize_all = "snake_case")]
#[repr(u8)]
#[allow(missing_docs)] // the names are the meaning
pub enum Field {
    Email,
    Title,
    FirstName,
    MiddleName,
    LastName,
    NameSuffix,
    FullName,
    Company,
    JobTitle,
    Phone,
    Street,
    #[strum(serialize = "street_2")]
    Street2,
    City,
    Region,
    PostalCode,
    Country,
    Website,
    Birthday,
    Language,
    Consent,
    SignedUp,
    LastSeen,
    Tags,
    ContactId,
    Notes,
}

impl Field {
    /// How many known fields there are.
    pub const COUNT: usize = Field::VARIANTS.len();

    /// All of them, in order.
    pub const ALL: [Field; Field::COUNT] = *Field::VARIANTS.first_chunk().expect("as many as there are");

    /// The name in jobs, options and files.
    pub fn name(self) -> &'static str {
        self.into()
    }

    /// The field of that name.
    pub fn from_name(name: &str) -> Option<Field> {
        name.parse().ok()
    }

    /// Whether its values are dates.
    pub fn is_date(self) -> bool {
        matches!(self, Field::Birthday | Field::SignedUp | Field::LastSeen)
    }

    /// Whether only the few blank words of names count as blank here: a person may be called Null.
    pub fn is_name_like(self) -> bool {
        matches!(
            self,
            Field::Title
                | Field::FirstName
                | Field::MiddleName
                | Field::LastName
                | Field::NameSuffix
                | Field::FullName
                | Field::Company
        )
    }
}

impl fmt::Display for Field {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}
