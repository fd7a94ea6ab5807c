//! The parts that a name has, and what is not certain of them.

use std::borrow::Cow;

/// Which part of a name a column holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum NamePart {
    /// What stands before the name: Dr, Mrs.
    Title,
    /// The given name.
    First,
    /// Further given names.
    Middle,
    /// The family name.
    Last,
    /// What stands after the name: Jr., `PhD`.
    Suffix,
    /// All of it.
    Full,
}

/// The parts of a full name; empty where it has none.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct NameParts<'a> {
    /// Dr, Mrs.
    pub title: Cow<'a, str>,
    /// The given name: one word, or several that are one name.
    pub first: Cow<'a, str>,
    /// Names and initials between.
    pub middle: Cow<'a, str>,
    /// The family name with its particles.
    pub last: Cow<'a, str>,
    /// Jr., `PhD`.
    pub suffix: Cow<'a, str>,
    /// What is not certain of them.
    pub doubt: Option<NameDoubt>,
    /// Whether the family name stands first, before a comma.
    pub is_turned: bool,
}

/// Why the parts of a name are not certain.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NameDoubt {
    /// It is the name of two people or of a family.
    Couple,
    /// What the comma in it parts is not clear.
    Comma,
}

impl NameParts<'_> {
    /// One of the parts.
    pub fn part(&self, part: NamePart) -> &str {
        match part {
            NamePart::Title => &self.title,
            NamePart::First => &self.first,
            NamePart::Middle => &self.middle,
            NamePart::Last => &self.last,
            NamePart::Suffix => &self.suffix,
            NamePart::Full => "",
        }
    }
}
