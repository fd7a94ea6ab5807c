//! The known fields, in the order in which they are written without a layout.

use std::fmt;

/// A column with a known meaning.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
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
    pub const COUNT: usize = 25;

    /// All of them, in order.
    pub const ALL: [Field; Field::COUNT] = [
        Field::Email,
        Field::Title,
        Field::FirstName,
        Field::MiddleName,
        Field::LastName,
        Field::NameSuffix,
        Field::FullName,
        Field::Company,
        Field::JobTitle,
        Field::Phone,
        Field::Street,
        Field::Street2,
        Field::City,
        Field::Region,
        Field::PostalCode,
        Field::Country,
        Field::Website,
        Field::Birthday,
        Field::Language,
        Field::Consent,
        Field::SignedUp,
        Field::LastSeen,
        Field::Tags,
        Field::ContactId,
        Field::Notes,
    ];

    /// The name in jobs, options and files.
    pub fn name(self) -> &'static str {
        match self {
            Field::Email => "email",
            Field::Title => "title",
            Field::FirstName => "first_name",
            Field::MiddleName => "middle_name",
            Field::LastName => "last_name",
            Field::NameSuffix => "name_suffix",
            Field::FullName => "full_name",
            Field::Company => "company",
            Field::JobTitle => "job_title",
            Field::Phone => "phone",
            Field::Street => "street",
            Field::Street2 => "street_2",
            Field::City => "city",
            Field::Region => "region",
            Field::PostalCode => "postal_code",
            Field::Country => "country",
            Field::Website => "website",
            Field::Birthday => "birthday",
            Field::Language => "language",
            Field::Consent => "consent",
            Field::SignedUp => "signed_up",
            Field::LastSeen => "last_seen",
            Field::Tags => "tags",
            Field::ContactId => "contact_id",
            Field::Notes => "notes",
        }
    }

    /// The field of that name.
    pub fn from_name(name: &str) -> Option<Field> {
        Field::ALL.into_iter().find(|field| field.name() == name)
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
