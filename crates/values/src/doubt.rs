//! Values that cannot be cleaned, or that look like something else: they stay as they are, and are reported.

/// What is doubtful about a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Doubt {
    /// A phone number in exponent form, or with digits missing or too many.
    DamagedPhone,
    /// A phone number without a country code, where neither the row nor the job says the country.
    PhoneWithoutCountry,
    /// No phone number at all.
    UnreadablePhone,
    /// A day that no calendar has, such as 31 June or 1900-01-00.
    ImpossibleDate,
    /// A day before 1900, a birthday still to come, a birthday more than 120 years ago.
    FarOffDate,
    /// A sign-up or last visit still to come.
    DateToCome,
    /// No date at all.
    UnreadableDate,
    /// A postal code that its country cannot have.
    UnfitPostalCode,
    /// No country that is known by this name or code.
    UnknownCountry,
    /// No region that the country is known to have.
    UnknownRegion,
    /// No language that is known by this name or code.
    UnknownLanguage,
    /// No number, or one whose comma may be of thousands or of decimals.
    UnreadableNumber,
    /// Neither yes nor no.
    UnreadableYesNo,
    /// No address of a website.
    UnreadableWebsite,
    /// No address that could be used, in a field of addresses.
    UnusableAddress,
    /// A company in a column of names.
    CompanyInName,
    /// Two people, or a family, in one name.
    CoupleInName,
    /// A name with a comma that does not part family and given name for certain.
    CommaInName,
    /// A middle name that no column of the import file takes.
    MiddleNameLeftOut,
    /// An address in a column of names.
    AddressInName,
    /// An address whose top-level domain is not known.
    UnknownTopLevelDomain,
}

impl Doubt {
    /// The stable short name of the finding.
    pub fn code(self) -> &'static str {
        self.into()
    }

    /// Whether the value cannot be used as what it should be, so that a field that is required counts as missing.
    pub fn is_unusable(self) -> bool {
        !matches!(
            self,
            Doubt::FarOffDate
                | Doubt::DateToCome
                | Doubt::CompanyInName
                | Doubt::CoupleInName
                | Doubt::CommaInName
                | Doubt::MiddleNameLeftOut
                | Doubt::UnknownTopLevelDomain
                | Doubt::UnknownRegion
                | Doubt::UnknownLanguage
                | Doubt::UnfitPostalCode
        )
    }

    /// What follows the number of values in a sentence.
    pub fn says(self) -> &'static str {
        match self {
            Doubt::DamagedPhone => {
                "in exponent form, or with digits cut off or too many: damaged before the export, left unchanged; ask for a fresh export"
            }
            Doubt::PhoneWithoutCountry => {
                "without a country code, left unchanged: country = in [job], --country, or a country column would say which it is"
            }
            Doubt::UnreadablePhone => "that cannot be a phone number, left unchanged",
            Doubt::ImpossibleDate => "with an impossible date, left unchanged",
            Doubt::FarOffDate => "far off: before 1900, or still to come where that cannot be; left unchanged",
            Doubt::DateToCome => "still to come, of something that was done; does not count as the newest",
            Doubt::UnreadableDate => "that cannot be read as a date, left unchanged",
            Doubt::UnfitPostalCode => "that cannot be a postal code of the country, left unchanged",
            Doubt::UnknownCountry => "not known as a country, left unchanged",
            Doubt::UnknownRegion => "not known as a region of the country, left unchanged",
            Doubt::UnknownLanguage => "not known as a language, left unchanged",
            Doubt::UnreadableNumber => "that cannot be read as a number, or in two ways; left unchanged",
            Doubt::UnreadableYesNo => "neither yes nor no, left unchanged",
            Doubt::UnreadableWebsite => "that cannot be the address of a website, left unchanged",
            Doubt::UnusableAddress => "that cannot be an e-mail address, left unchanged",
            Doubt::CompanyInName => "like the name of a company, in a column of names",
            Doubt::CoupleInName => {
                "like the name of two people or a family; where names are split, the first given name and the family name are taken"
            }
            Doubt::CommaInName => {
                "with a comma that does not part family name and given name for certain, left in its order"
            }
            Doubt::MiddleNameLeftOut => {
                "with a middle name that is not written: the columns have last_name, and neither middle_name nor full_name"
            }
            Doubt::AddressInName => "with an e-mail address in a column of names, left unchanged",
            Doubt::UnknownTopLevelDomain => "under a top-level domain that is not known; perhaps a typo",
        }
    }
}

/// What became of a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Cleaned {
    /// It is clean as it is.
    AsItIs,
    /// It was repaired, by these rules; the new value was put where the caller said.
    Repaired(crate::Rules),
    /// It stays as it is.
    Doubtful(Doubt),
}
