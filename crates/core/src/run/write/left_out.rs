//! Why people are not written of whom the condition of a source leaves rows out.
//!
//! Such a row is set aside as `not-selected`, or for the person's graver reason. Who lacks what is known once the row that
//! stands for the person was judged, which may come later in the files; so that is found out beforehand.

use super::rows::{Rows, Sink};
use crate::run::row_set::RowSet;
use crate::suppress::reason::Reason;
use pebblebank_table::Result;
use pebblebank_table::units::RowId;
use std::collections::HashMap;

/// What is known of the people of whom rows are left out.
pub(super) enum LeftOut {
    /// There are none, or nothing but lists and consent was asked.
    Nobody,
    /// It is to be found out of these, by the row that stands for each.
    Asking(RowSet),
    /// It is known.
    Known(Judged),
}

/// Why people are not written, by the row that stands for each; nothing of those who are.
#[derive(Default)]
pub(super) struct Judged {
    reasons: HashMap<u32, (Reason, String)>,
}

impl LeftOut {
    /// Whether the row stands for somebody of whom it is to be found out.
    pub fn asks_of(&self, row: RowId) -> bool {
        matches!(self, LeftOut::Asking(people) if people.holds(row))
    }

    /// Why the person is not written whom this row stands for.
    pub fn reason(&self, row: RowId) -> Option<&(Reason, String)> {
        if let LeftOut::Known(judged) = self { judged.reasons.get(&row.0) } else { None }
    }
}

impl Sink for Judged {
    fn take(&mut self, rows: &Rows) -> Result<()> {
        self.reasons.extend(rows.judged.iter().map(|(row, reason, details)| (row.0, (*reason, details.clone()))));
        Ok(())
    }
}
