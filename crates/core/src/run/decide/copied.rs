//! Rows that are copied as they are in their file, each with what was decided about its person.
//!
//! A command that copies rows writes them through [`Copies`], which asks for that decision: no row goes into a file without
//! it being looked at whether its person may be contacted.

use crate::suppress::marks::MarkSet;
use crate::suppress::reason::Reason;
use pebblebank_table::CsvBuffer;
use pebblebank_table::cell_digest::RowsDigest;
use pebblebank_table::csv::Defusing;
use pebblebank_table::observe::{Finding, Weight};
use pebblebank_table::units::RowId;
use std::collections::BTreeMap;

/// Whether the person of a row may be contacted, with what the person is marked with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PersonStanding {
    /// As far as lists and consent go.
    MayBeContacted(MarkSet),
    /// For this reason not.
    MustNotBe(Reason, MarkSet),
}

/// Shows what was decided about the person of a row, for whoever copies that row. Only
/// [`super::settled::Settled::copied`] makes one.
#[derive(Debug)]
pub struct Copied {
    row: RowId,
    standing: PersonStanding,
}

impl Copied {
    pub(super) fn new(row: RowId, standing: PersonStanding) -> Copied {
        Copied { row, standing }
    }

    /// The row.
    pub fn row(&self) -> RowId {
        self.row
    }

    /// Whether its person may be contacted.
    pub fn standing(&self) -> PersonStanding {
        self.standing
    }

    /// Why its person must not be contacted, if so.
    pub fn refusal(&self) -> Option<Reason> {
        match self.standing {
            PersonStanding::MayBeContacted(_) => None,
            PersonStanding::MustNotBe(reason, _) => Some(reason),
        }
    }

    /// What its person is marked with.
    pub fn marks(&self) -> MarkSet {
        let (PersonStanding::MayBeContacted(marks) | PersonStanding::MustNotBe(_, marks)) = self.standing;
        marks
    }
}

/// Copied rows of one chunk.
#[derive(Default)]
pub struct Copies {
    buffer: Option<CsvBuffer>,
    refused: Refused,
}

impl Copies {
    /// Copies a row whoever its person is, and counts it if that person must not be contacted. `cells` adds the cells.
    pub fn everyone(&mut self, copied: &Copied, cells: impl FnOnce(&mut CsvBuffer)) {
        self.refused.add(copied);
        self.copy(cells);
    }

    /// Copies a row if its person may be contacted; says whether it did. `cells` adds the cells.
    pub fn only_free(&mut self, copied: &Copied, cells: impl FnOnce(&mut CsvBuffer)) -> bool {
        let is_free = copied.refusal().is_none();
        if is_free {
            self.copy(cells);
        }
        is_free
    }

    fn copy(&mut self, cells: impl FnOnce(&mut CsvBuffer)) {
        let buffer = self.buffer.get_or_insert_with(|| CsvBuffer::digesting(Defusing::Off));
        cells(buffer);
        buffer.end_row();
    }

    /// How many rows it holds.
    pub fn rows(&self) -> u64 {
        self.buffer.as_ref().map_or(0, CsvBuffer::rows)
    }

    /// The rows, as CSV.
    pub fn bytes(&self) -> &[u8] {
        self.buffer.as_ref().map_or(&[], |buffer| &buffer.bytes)
    }

    /// The digest of the rows.
    pub fn digest(&self) -> RowsDigest {
        self.buffer.as_ref().map(CsvBuffer::digest).unwrap_or_default()
    }

    /// Forgets the rows, and keeps the counts.
    pub fn clear(&mut self) {
        self.buffer.iter_mut().for_each(CsvBuffer::clear);
    }

    /// How many of its rows are of people who must not be contacted.
    pub fn refused(&self) -> &Refused {
        &self.refused
    }
}

/// How many of some rows are of people who must not be contacted, by reason.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Refused {
    by_reason: BTreeMap<Reason, u64>,
}

impl Refused {
    /// Counts a row, if it is of such a person.
    pub fn add(&mut self, copied: &Copied) {
        if let Some(reason) = copied.refusal() {
            *self.by_reason.entry(reason).or_default() += 1;
        }
    }

    /// Adds what was counted elsewhere.
    pub fn add_all(&mut self, other: &Refused) {
        for (reason, count) in &other.by_reason {
            *self.by_reason.entry(*reason).or_default() += count;
        }
    }

    /// The counts, the gravest reason first.
    pub fn by_reason(&self) -> &BTreeMap<Reason, u64> {
        &self.by_reason
    }

    /// What to say about it; nothing where there are none.
    pub fn finding(&self) -> Option<Finding> {
        let count: u64 = self.by_reason.values().sum();
        if count == 0 {
            return None;
        }
        let reasons: Vec<String> =
            self.by_reason.iter().map(|(reason, count)| format!("{} {count}", reason.name())).collect();
        let rows = if count == 1 { "1 of the rows written is of somebody" } else { "rows written are of people" };
        let rows = if count == 1 { rows.to_owned() } else { format!("{count} of the {rows}") };
        let text = format!(
            "{rows} who must not be contacted ({}): pebblebank suppress FILE -o OUT takes them out before anything is sent",
            reasons.join(", ")
        );
        Some(Finding { count, ..Finding::new("must-not-be-contacted", Weight::Warning, text) })
    }
}
