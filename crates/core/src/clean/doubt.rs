//! Values that cannot be cleaned, or that look like something else: they stay as they are, and are reported.

/// What is doubtful about a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Doubt {
    /// A phone number in exponent form, or with digits missing or too many.
    DamagedPhone,
    /// A phone number without a country code, where neither the row nor the job says the country.
    PhoneWithoutCountry,
    /// No phone number at all.
    UnreadablePhone,
    /// A day that no calendar has, such as 31 June or 1900-01-00.
    ImpossibleDate,
    /// A day before 1900, a birthday or last visit still to come, a birthday more than 120 years ago.
    FarOffDate,
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
    /// An address in a column of names.
    AddressInName,
    /// An address whose top-level domain is not known.
    UnknownTopLevelDomain,
}

impl Doubt {
    /// The stable short name of the finding.
    pub fn code(self) -> &'static str {
        match self {
            Doubt::DamagedPhone => "damaged-phone",
            Doubt::PhoneWithoutCountry => "phone-without-country",
            Doubt::UnreadablePhone => "unreadable-phone",
            Doubt::ImpossibleDate => "impossible-date",
            Doubt::FarOffDate => "far-off-date",
            Doubt::UnreadableDate => "unreadable-date",
            Doubt::UnfitPostalCode => "unfit-postal-code",
            Doubt::UnknownCountry => "unknown-country",
            Doubt::UnknownRegion => "unknown-region",
            Doubt::UnknownLanguage => "unknown-language",
            Doubt::UnreadableNumber => "unreadable-number",
            Doubt::UnreadableYesNo => "unreadable-yes-no",
            Doubt::UnreadableWebsite => "unreadable-website",
            Doubt::UnusableAddress => "unusable-address",
            Doubt::CompanyInName => "company-in-name",
            Doubt::AddressInName => "address-in-name",
            Doubt::UnknownTopLevelDomain => "unknown-top-level-domain",
        }
    }

    /// Whether the value cannot be used as what it should be, so that a field that is required counts as missing.
    pub fn is_unusable(self) -> bool {
        !matches!(
            self,
            Doubt::FarOffDate
                | Doubt::CompanyInName
                | Doubt::UnknownTopLevelDomain
                | Doubt::UnknownRegion
                | Doubt::UnknownLanguage
                | Doubt::UnfitPostalCode
        )
    }

    /// The end of a sentence that begins with the number of values.
    pub fn says(self) -> &'static str {
        match self {
            Doubt::DamagedPhone => {
                "in exponent form, or with digits cut off or too many: damaged before the export, and left as they are; ask for a fresh export"
            }
            Doubt::PhoneWithoutCountry => {
                "without a country code: country = in [job], --country, or a country column would say which; left as they are"
            }
            Doubt::UnreadablePhone => "that are no phone numbers; left as they are",
            Doubt::ImpossibleDate => "that name a day which no calendar has; left as they are",
            Doubt::FarOffDate => "that are far off: before 1900, or still to come where that cannot be",
            Doubt::UnreadableDate => "that cannot be read as dates; left as they are",
            Doubt::UnfitPostalCode => "that their country cannot have; left as they are",
            Doubt::UnknownCountry => "that are no known country; left as they are",
            Doubt::UnknownRegion => "that are no known region of their country; left as they are",
            Doubt::UnknownLanguage => "that are no known language; left as they are",
            Doubt::UnreadableNumber => "that are no numbers, or may be read in two ways; left as they are",
            Doubt::UnreadableYesNo => "that are neither yes nor no; left as they are",
            Doubt::UnreadableWebsite => "that are no addresses of websites; left as they are",
            Doubt::UnusableAddress => "that are no usable addresses; left as they are",
            Doubt::CompanyInName => "that look like companies, in a column of names",
            Doubt::AddressInName => "that are e-mail addresses, in a column of names",
            Doubt::UnknownTopLevelDomain => "under a top-level domain that is not known; perhaps a slip",
        }
    }
}

/// What became of a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Cleaned {
    /// It is clean as it stands.
    AsItIs,
    /// It was repaired, by these rules; the new value was put where the caller said.
    Repaired(super::Rules),
    /// It stays as it is.
    Doubtful(Doubt),
}
