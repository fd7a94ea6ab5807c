//! An entry that is about to go in, wherever it comes from.

use crate::text::{Kind, Text};
use pebblebank_values::date::Date;

/// An entry that is about to go in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewEntry {
    /// Whom it is about.
    pub text: Text,
    /// The day of what happened, if that is known.
    pub day: Option<Date>,
    /// Whether mail came back for a reason that may pass.
    pub is_soft: bool,
    /// The last day that it holds.
    pub until: Option<Date>,
    /// The day on which the file that says so was last changed, as a number; none where it is as new as can be.
    pub file_day: Option<i32>,
}

impl NewEntry {
    /// An entry that holds from now on.
    pub fn new(text: Text) -> NewEntry {
        NewEntry { text, day: None, is_soft: false, until: None, file_day: None }
    }

    /// Whether it is an address, and says no more than its batch does.
    pub(crate) fn is_plain_address(&self) -> bool {
        self.text.kind == Kind::Address && self.day.is_none() && !self.is_soft && self.until.is_none()
    }
}
