//! What was decided about every record, and the only place that clears somebody for an import file.

use super::crossings::SharedValues;
use crate::columns::lines::Line;
use crate::person::groups::Groups;
use crate::person::same::Survivor;
use crate::run::decide::copied::{Copied, PersonStanding};
use crate::run::gather::chunks::ChunkPlace;
use crate::run::row_bits::{HAS_ADDRESS, HAS_OTHER_KEY, IS_CLEAN, LACKS_FIELD, LEFT_OUT, LINE_BITS};
use crate::run::row_set::RowSet;
use crate::suppress::RowChecks;
use crate::suppress::marks::{Mark, MarkSet, MarkSets};
use crate::suppress::reason::Reason;
use pebblebank_table::observe::Met;
use pebblebank_table::units::{FileId, ListId, RowId, RowNumber};
use pebblebank_values::identity::IdentityHasher;
/// Shows that the person for whom this record stands may be written to as far as lists and consent go. Only
/// [`Settled::standing`] makes one, for one record, and writing that record uses it up.
#[derive(Debug)]
pub struct Cleared(RowId);

impl Cleared {
    /// Uses the clearance up; gives the record.
    pub fn into_row(self) -> RowId {
        self.0
    }
}

/// What became of a record before its values were looked at again.
#[derive(Debug)]
pub enum Standing {
    /// It is no contact.
    NoContact,
    /// It is a copy of this survivor.
    Merged(RowId),
    /// It survives and must not be contacted.
    Held(Reason, MarkSet),
    /// It survives, and nothing holds it.
    Free(Cleared),
}

/// How the entries of a list came out.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Matches {
    /// Entries that are an identity of some row, or a domain above one.
    pub matched: u64,
    /// Entries that are not.
    pub unmatched: u64,
}

/// Values of a key that more distinct addresses share than a person would have: ignored, and reported.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Switchboards {
    /// The key's place in the job.
    pub key: usize,
    /// How many values.
    pub values: u64,
    /// How many rows have one of them.
    pub rows: u64,
    /// The first row of some of them.
    pub examples: Vec<RowId>,
}

/// Values of a list that goes by another field, such as a name, that are several people.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Namesakes {
    /// The list.
    pub list: ListId,
    /// How many of its entries.
    pub entries: u64,
    /// How many people they are.
    pub people: u64,
    /// Rows of some of them.
    pub examples: Vec<RowId>,
}

/// The result of the decisions; lines are those of their file.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Decided {
    /// Pairs that were made one person.
    pub same: u64,
    /// People that were taken out.
    pub taken_out: u64,
    /// Decisions about somebody who is in no source.
    pub about_nobody: Met,
    /// People who were said to be different, and whom the job's keys make one person.
    pub joined_by_keys: Met,
}

/// A record that no key joined to another.
pub(crate) const NO_KEY: u8 = u8::MAX;

/// A record that nothing but a decision joined to another.
pub(crate) const DECIDED: u8 = u8::MAX - 1;

/// All records of a run, settled.
pub struct Settled {
    pub(super) lines: Vec<u8>,
    pub(super) groups: Groups,
    pub(super) marks: Vec<MarkSet>,
    pub(super) mark_sets: MarkSets,
    /// By combination of marks: the gravest reason.
    pub(super) reasons: Vec<Option<Reason>>,
    /// By list.
    pub matches: Vec<Matches>,
    /// By which key each record was joined, as far as other keys than the address decide.
    pub(super) key_of: Vec<u8>,
    /// Values of keys that too many addresses share.
    pub switchboards: Vec<Switchboards>,
    /// Entries of lists that values are taken from, and the people whom they are of.
    pub taken: SharedValues,
    /// The result of the decisions about people.
    pub decided: Decided,
    /// Values of lists that are several people.
    pub namesakes: Vec<Namesakes>,
    /// The entries that matched, by number.
    pub matched_entries: RowSet,
    /// What rows were compared with.
    pub checks: RowChecks,
    /// Makes identities into the hashes that were settled.
    pub hasher: IdentityHasher,
    pub(super) ranks: Vec<u32>,
    pub(super) joins_by_address: bool,
    /// Whether reasons hold people back.
    pub(super) holds: bool,
    /// The first record that is none of the master's; 0 where there is no master.
    pub(super) master_ends: u32,
    /// The chunks of the sources, in reading order.
    pub chunks: Vec<ChunkPlace>,
    pub(super) first_of_file: Vec<u32>,
}

impl Settled {
    /// What became of a record.
    #[inline]
    pub fn standing(&self, row: RowId) -> Standing {
        if self.line(row) != Line::Contact {
            return Standing::NoContact;
        }
        let survivor = self.groups.settled()[row.index()];
        // Where lists are compared nobody is held back.
        let reason_of = |marks: MarkSet| if self.holds { self.reasons[marks.0 as usize] } else { None };
        if self.is_left_out(row) {
            let marks = self.marks[survivor as usize];
            let reason = reason_of(marks).map_or(Reason::NotSelected, |r| r.min(Reason::NotSelected));
            return Standing::Held(reason, marks);
        }
        if survivor != row.0 {
            return Standing::Merged(RowId(survivor));
        }
        let marks = self.marks[row.index()];
        match reason_of(marks) {
            Some(reason) => Standing::Held(reason, marks),
            None => Standing::Free(Cleared(row)),
        }
    }

    /// The place of the key by which a merged record was joined to its person; none where somebody decided it.
    pub fn key_of(&self, row: RowId) -> Option<usize> {
        match self.key_of.get(row.index()).copied() {
            Some(DECIDED) => None,
            Some(NO_KEY) | None => Some(0),
            Some(key) => Some(usize::from(key)),
        }
    }

    /// Whether the condition of its source leaves the record out.
    pub fn is_left_out(&self, row: RowId) -> bool {
        self.lines[row.index()] & LEFT_OUT != 0
    }

    /// The record that stands for the person.
    pub fn survivor_of(&self, row: RowId) -> RowId {
        RowId(self.groups.settled()[row.index()])
    }

    /// How many records there are, lines that are no contacts included.
    pub fn records(&self) -> usize {
        self.lines.len()
    }

    /// How many people there are.
    pub fn people(&self) -> u64 {
        let is_person = |row: &u32| self.line(RowId(*row)) == Line::Contact && self.survivor_of(RowId(*row)).0 == *row;
        (0..self.lines.len() as u32).filter(is_person).count() as u64
    }

    /// The rows that stand for people of whom the condition of a source leaves rows out; none where there are no such rows.
    pub fn people_with_rows_left_out(&self) -> Option<RowSet> {
        let mut found: Option<RowSet> = None;
        for row in (0..self.lines.len() as u32).map(RowId) {
            if self.is_left_out(row) && self.line(row) == Line::Contact {
                found.get_or_insert_with(|| RowSet::new(self.lines.len())).add(self.survivor_of(row));
            }
        }
        found
    }

    /// The survivors that other records were merged into.
    pub fn with_copies(&self) -> RowSet {
        let mut found = RowSet::new(self.lines.len());
        for (row, survivor) in self.groups.settled().iter().enumerate() {
            if *survivor as usize != row {
                found.add(RowId(*survivor));
            }
        }
        found
    }

    /// Bytes that order the rows of all people: by survivor, then in the survivor's ranking, itself first.
    pub fn order_of_copy(&self, row: RowId, rule: Survivor) -> Vec<u8> {
        let survivor = self.survivor_of(row);
        let flag = |is_later: bool| [u8::from(is_later)];
        let rank = match rule {
            Survivor::FirstRead => 0,
            Survivor::LastRead => row.0,
            Survivor::Newest | Survivor::Fullest => {
                self.ranks.get(row.index()).copied().unwrap_or_default() & !LACKS_FIELD
            }
        };
        let is_usable = self.lines[row.index()] & HAS_ADDRESS != 0;
        let lacks_field = self.ranks.get(row.index()).is_some_and(|rank| rank & LACKS_FIELD != 0);
        let parts: [&[u8]; 7] = [
            &survivor.0.to_be_bytes(),
            &flag(row != survivor),
            &flag(self.is_left_out(row)),
            &flag(!is_usable),
            &flag(lacks_field),
            &(!rank).to_be_bytes(),
            &row.0.to_be_bytes(),
        ];
        parts.concat()
    }

    /// Whether the record is one of the master's.
    pub fn is_of_master(&self, row: RowId) -> bool {
        row.0 < self.master_ends
    }

    /// The contacts that are none of the master's.
    pub fn contacts_of_others(&self) -> impl Iterator<Item = RowId> {
        let rows = self.master_ends..self.lines.len() as u32;
        rows.map(RowId).filter(|row| self.line(*row) == Line::Contact)
    }

    /// What was decided about the person of a record that is copied as it is.
    pub fn copied(&self, row: RowId) -> Copied {
        let marks = self.marks_of(self.survivor_of(row));
        let standing = match self.reasons[marks.0 as usize] {
            Some(reason) => PersonStanding::MustNotBe(reason, marks),
            None => PersonStanding::MayBeContacted(marks),
        };
        Copied::new(row, standing)
    }

    /// The marks of a combination.
    pub fn marks(&self, set: MarkSet) -> &[Mark] {
        self.mark_sets.marks(set)
    }

    /// What a surviving record's person is marked with.
    pub fn marks_of(&self, survivor: RowId) -> MarkSet {
        self.marks[survivor.index()]
    }

    /// All combinations of marks, by number.
    pub fn all_marks(&self) -> impl Iterator<Item = &[Mark]> {
        self.mark_sets.all()
    }

    /// How many combinations of marks there are.
    pub fn mark_sets(&self) -> usize {
        self.mark_sets.all().len()
    }

    /// What a record is.
    pub fn line(&self, row: RowId) -> Line {
        Line::from_byte(self.lines[row.index()] & LINE_BITS)
    }

    /// Whether the record can be compared with others by a key of the job.
    pub fn has_key(&self, row: RowId) -> bool {
        let flags = if self.joins_by_address { HAS_ADDRESS | HAS_OTHER_KEY } else { HAS_OTHER_KEY };
        self.lines[row.index()] & flags != 0
    }

    /// Whether the record's address is clean as it is in the file.
    #[inline]
    pub fn is_clean(&self, row: RowId) -> bool {
        self.lines[row.index()] & IS_CLEAN != 0
    }

    /// The first record of a file.
    pub fn first_of(&self, file: FileId) -> RowId {
        RowId(self.first_of_file[file.0 as usize])
    }

    /// The record's place in its file, and the file.
    pub fn place(&self, row: RowId) -> (FileId, RowNumber) {
        let file = self.first_of_file.partition_point(|first| *first <= row.0) - 1;
        (FileId(file as u32), RowNumber(u64::from(row.0 - self.first_of_file[file]) + 1))
    }
}
