//! The names of the repairs, and a small set of them.

/// A repair: a change that is certain enough to be made without asking.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[repr(u8)]
pub enum Rule {
    /// Capital letters made small.
    LetterCase,
    /// Blanks at the ends taken off.
    OuterBlanks,
    /// Letters brought to their composed form (Unicode NFC).
    ComposedForm,
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
    /// A word that stands for nothing written as nothing.
    BlankWord,
    /// Text that was decoded wrongly before it was exported, put right.
    DecodedTwice,
    /// A value replaced because the job says so.
    Replacement,
}

impl Rule {
    /// How many there are.
    pub const COUNT: usize = 13;

    /// All rules, in the order of the tally.
    pub const ALL: [Rule; Rule::COUNT] = [
        Rule::LetterCase,
        Rule::OuterBlanks,
        Rule::ComposedForm,
        Rule::InvisibleCharacters,
        Rule::FullWidth,
        Rule::Mailto,
        Rule::NameAndAddress,
        Rule::Enclosure,
        Rule::TrailingPunctuation,
        Rule::SeveralAddresses,
        Rule::BlankWord,
        Rule::DecodedTwice,
        Rule::Replacement,
    ];

    /// The name in files and tables.
    pub fn name(self) -> &'static str {
        match self {
            Rule::LetterCase => "letter-case",
            Rule::OuterBlanks => "outer-blanks",
            Rule::ComposedForm => "composed-form",
            Rule::InvisibleCharacters => "invisible-characters",
            Rule::FullWidth => "full-width",
            Rule::Mailto => "mailto",
            Rule::NameAndAddress => "name-and-address",
            Rule::Enclosure => "enclosure",
            Rule::TrailingPunctuation => "trailing-punctuation",
            Rule::SeveralAddresses => "several-addresses",
            Rule::BlankWord => "blank-word",
            Rule::DecodedTwice => "decoded-twice",
            Rule::Replacement => "replacement",
        }
    }

    /// Whether it changes the written form only: such repairs are counted, with examples, and not listed.
    pub fn changes_form_only(self) -> bool {
        matches!(self, Rule::LetterCase | Rule::OuterBlanks | Rule::ComposedForm)
    }
}

/// A set of rules.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Rules(u16);

impl Rules {
    /// No rule.
    pub const NONE: Rules = Rules(0);

    /// Adds a rule.
    #[inline]
    pub fn add(&mut self, rule: Rule) {
        self.0 |= 1 << rule as u8;
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
    pub fn iter(self) -> impl Iterator<Item = Rule> {
        Rule::ALL.into_iter().filter(move |rule| self.has(*rule))
    }
}
