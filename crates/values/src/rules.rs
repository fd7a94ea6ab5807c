//! The names of the repairs, and a small set of them.

use Rule as R;
use strum::VariantArray;

/// A repair: a change that is certain enough to be made without asking, or that the job asks for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, strum::IntoStaticStr, strum::EnumString, strum::VariantArray)]
#[strum(serialize_all = "kebab-case")]
#[repr(u8)]
pub enum Rule {
    /// Capital letters made small, or of names written in one case throughout, as names are written.
    LetterCase,
    /// Blanks at the ends taken off.
    OuterSpaces,
    /// One blank for several, and for line breaks.
    InnerSpaces,
    /// Letters brought to their composed form (Unicode NFC).
    ComposedForm,
    /// A date written as ISO 8601 has it.
    DateForm,
    /// A phone number written as E.164 has it.
    PhoneForm,
    /// A postal code written as its country does.
    PostalCodeForm,
    /// A country written as its code (ISO 3166-1).
    CountryCode,
    /// A region written as its country does, by code or name (ISO 3166-2).
    RegionForm,
    /// A language written as its code (ISO 639-1, RFC 5646).
    LanguageCode,
    /// A status word written as one of few.
    ConsentWord,
    /// Yes or no written so.
    YesNoForm,
    /// A number written with digits and a decimal point.
    NumberForm,
    /// Zero-width, format and control characters taken out.
    InvisibleCharacters,
    /// Full-width forms made ordinary.
    FullWidth,
    /// `mailto:` taken off, with its percent-escapes and its `?…` part.
    Mailto,
    /// The address taken out of `Name <address>`.
    NameAndAddress,
    /// Quotes or brackets around taken off.
    Enclosure,
    /// `; , . :` at the end taken off.
    TrailingPunctuation,
    /// The first usable of several addresses in a cell taken; the others count as further addresses.
    SeveralAddresses,
    /// Text in brackets beside the address, or on the other side of a `;`, dropped.
    TextBesideAddress,
    /// The first usable of several phone numbers in a cell taken.
    SeveralPhones,
    /// Letters of a phone number dialled as digits (E.161).
    PhoneLetters,
    /// Zeros put back in front of a postal code.
    LeadingZeros,
    /// A spreadsheet's day number made the date that it stands for.
    SpreadsheetDate,
    /// "Family, Given" turned round in a full name.
    FamilyFirst,
    /// A title or suffix moved from the name into its own column.
    NameParts,
    /// City, region and postal code in one cell split.
    PlaceParts,
    /// A part of a postal address that stands there twice.
    RepeatedPart,
    /// Tags with one separator, each once.
    TagsForm,
    /// The address of a website with its scheme.
    WebsiteForm,
    /// A word that stands for nothing written as nothing.
    BlankWord,
    /// Text that was decoded wrongly before it was exported, put right.
    DoubleEncoded,
    /// A value replaced because the job says so.
    Replacement,
    /// A typo in a well-known or frequent domain mended, because the job says so.
    DomainTypo,
    /// A comma in a domain taken for a dot, because the job says so.
    CommaForDot,
    /// Dots one after the other made one, because the job says so.
    DoubledDot,
    /// A dot put before a known top-level domain, because the job says so.
    MissingDot,
    /// Blanks inside an address taken out, because the job says so.
    SpaceInside,
    /// "(at)" and "[dot]" written as signs, because the job says so.
    SpelledOutSigns,
}

impl Rule {
    /// How many there are.
    pub const COUNT: usize = Rule::VARIANTS.len();

    /// All rules, in the order of the tally.
    pub const ALL: [Rule; Rule::COUNT] = *Rule::VARIANTS.first_chunk().expect("as many as there are");

    /// Those that are suggested, and made only where the job lists them under `apply`.
    pub const SUGGESTED: [Rule; 6] =
        [R::DomainTypo, R::CommaForDot, R::DoubledDot, R::MissingDot, R::SpaceInside, R::SpelledOutSigns];

    /// The name in files and tables.
    pub fn name(self) -> &'static str {
        self.into()
    }

    /// What it does, in a few words for tables.
    pub fn says(self) -> &'static str {
        match self {
            R::LetterCase => "letter case as it is usual",
            R::OuterSpaces => "spaces at the ends taken off",
            R::InnerSpaces => "one space for several and for line ends",
            R::ComposedForm => "letters and their marks joined",
            R::DateForm => "date as ISO 8601 has it",
            R::PhoneForm => "phone number as E.164 has it",
            R::PostalCodeForm => "postal code as its country writes it",
            R::CountryCode => "country by its code",
            R::RegionForm => "region as its country writes it",
            R::LanguageCode => "language by its code",
            R::ConsentWord => "status as one of few words",
            R::YesNoForm => "yes or no",
            R::NumberForm => "number with a decimal point",
            R::InvisibleCharacters => "invisible characters taken out",
            R::FullWidth => "full-width forms made ordinary",
            R::Mailto => "mailto: taken off",
            R::NameAndAddress => "taken out of Name <address>",
            R::Enclosure => "quotes or brackets taken off",
            R::TrailingPunctuation => "punctuation at the end taken off",
            R::SeveralAddresses | R::SeveralPhones => "first of several in a cell taken",
            R::TextBesideAddress => "text beside the address dropped",
            R::PhoneLetters => "letters dialled as digits",
            R::LeadingZeros => "lost zeros put back in front",
            R::SpreadsheetDate => "a spreadsheet's day number as its date",
            R::FamilyFirst => "\"Family, Given\" turned round",
            R::NameParts => "title or suffix moved to its column",
            R::PlaceParts => "city, region and postal code parted",
            R::RepeatedPart => "what stood there twice, once",
            R::TagsForm => "tags with one separator, each once",
            R::WebsiteForm => "website with its scheme",
            R::BlankWord => "a word that stands for nothing, emptied",
            R::DoubleEncoded => "wrongly decoded text put right",
            R::Replacement => "replaced, as the job says",
            R::DomainTypo => "a typo in a known domain",
            R::CommaForDot => "a comma for a dot",
            R::DoubledDot => "a dot too many",
            R::MissingDot => "a missing dot",
            R::SpaceInside => "spaces inside",
            R::SpelledOutSigns => "(at) and [dot] as signs",
        }
    }

    /// The rule of that name.
    pub fn from_name(name: &str) -> Option<Rule> {
        name.parse().ok()
    }

    /// Whether it changes the written form only: such repairs are counted, with examples, and not listed.
    #[inline]
    pub fn changes_form_only(self) -> bool {
        (self as u8) <= R::NumberForm as u8
    }
}

/// A set of rules.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Rules(u64);

impl Rules {
    /// No rule.
    pub const NONE: Rules = Rules(0);

    /// The set of one rule.
    pub const fn one(rule: Rule) -> Rules {
        Rules(1 << rule as u8)
    }

    /// The set of some rules.
    pub const fn of(rules: &[Rule]) -> Rules {
        let mut all = 0;
        let mut place = 0;
        while place < rules.len() {
            all |= 1 << rules[place] as u8;
            place += 1;
        }
        Rules(all)
    }

    /// Adds a rule.
    #[inline]
    pub fn add(&mut self, rule: Rule) {
        self.0 |= 1 << rule as u8;
    }

    /// Adds the rules of another set.
    #[inline]
    pub fn add_all(&mut self, rules: Rules) {
        self.0 |= rules.0;
    }

    /// Whether `rule` is in it.
    #[inline]
    pub fn has(self, rule: Rule) -> bool {
        self.0 >> rule as u8 & 1 == 1
    }

    /// Whether it is empty.
    #[inline]
    pub fn is_empty(self) -> bool {
        self.0 == 0
    }

    /// The rules in it, in the order of the tally.
    #[inline]
    pub fn iter(self) -> impl Iterator<Item = Rule> {
        let mut left = self.0;
        std::iter::from_fn(move || {
            let place = left.trailing_zeros() as usize;
            left &= left.wrapping_sub(1);
            Rule::ALL.get(place).copied()
        })
    }

    /// Whether it holds one rule only.
    #[inline]
    pub fn is_one(self) -> bool {
        self.0.is_power_of_two()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_rule_stands_at_its_own_place() {
        assert!(Rule::ALL.iter().enumerate().all(|(place, rule)| *rule as usize == place));
    }
}
