//! Between the passes: who is the same person, who survives, who is held. From keys and row numbers alone.

pub mod fill;
pub mod near_duplicates;
pub mod near_misses;
pub mod partitions;
pub mod why;

use super::gather::chunks::ChunkPlace;
use super::gather::counts::ListCounts;
use super::gather::kept::{HAS_ADDRESS, HAS_OTHER_KEY, IS_CLEAN, LACKS_FIELD, LEFT_OUT, LINE_BITS, People};
use crate::columns::lines::Line;
use crate::job::{Job, ListFiles};
use crate::person::decisions::Decisions;
use crate::person::groups::Groups;
use crate::person::runs::Runs;
use crate::person::same::Survivor;
use crate::suppress::RowChecks;
use crate::suppress::allowed::{HitBy, gives_way};
use crate::suppress::domains::HeldDomains;
use crate::suppress::marks::{ListReason, Mark, MarkSet, MarkSets, reason_of};
use crate::suppress::reason::Reason;
use partitions::{Entrants, EntryNumbers, PartitionFindings, Settling};
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Met, Observer, Progress, Stage};
use pebblebank_table::units::{FileId, ListId, RowId, RowNumber, SourceId};
use pebblebank_table::{Error, Result};
use pebblebank_values::consent::Consent;
use pebblebank_values::identity::IdentityHasher;
use std::path::Path;

/// Shows that a person may be written to as far as lists and consent go. Only [`Settled`] makes one.
#[derive(Debug, Clone, Copy)]
pub struct Cleared(());

/// What became of a record before its values were looked at again.
#[derive(Debug, Clone, Copy)]
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

/// Values of a list that goes by another field, such as a name, that are several persons.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Namesakes {
    /// The list.
    pub list: ListId,
    /// How many of its entries.
    pub entries: u64,
    /// How many persons they are.
    pub persons: u64,
    /// Rows of some of them.
    pub examples: Vec<RowId>,
}

/// What came of the decisions; lines are those of their file.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Decided {
    /// Pairs that were made one person.
    pub same: u64,
    /// Persons that were taken out.
    pub taken_out: u64,
    /// Decisions about somebody who is in no source.
    pub about_nobody: Met,
    /// People who were said to be different, and whom the job's keys make one person.
    pub joined_by_keys: Met,
}

/// A set of rows, a bit each.
pub struct RowSet {
    bits: Vec<u64>,
}

impl RowSet {
    /// Nobody of so many.
    pub fn new(rows: usize) -> RowSet {
        RowSet { bits: vec![0; rows.div_ceil(64)] }
    }

    /// Adds a row.
    pub fn add(&mut self, row: RowId) {
        self.bits[row.index() / 64] |= 1 << (row.0 % 64);
    }

    /// How many of these numbers are in it.
    pub fn count(&self, numbers: std::ops::Range<u32>) -> u64 {
        let (first, end) = (numbers.start as usize, numbers.end as usize);
        let in_word = |word: usize| {
            let below = |number: usize| if number >= 64 { u64::MAX } else { (1u64 << number) - 1 };
            let wanted = below((end - word * 64).min(64)) & !below(first.saturating_sub(word * 64));
            u64::from((self.bits[word] & wanted).count_ones())
        };
        (first / 64..end.div_ceil(64)).map(in_word).sum()
    }

    /// Whether a row is in it.
    #[inline]
    pub fn holds(&self, row: RowId) -> bool {
        self.bits[row.index() / 64] >> (row.0 % 64) & 1 == 1
    }
}

/// A record that no key joined to another.
pub(super) const NO_KEY: u8 = u8::MAX;

/// A record that nothing but a decision joined to another.
pub(super) const DECIDED: u8 = u8::MAX - 1;

/// All records of a run, settled.
pub struct Settled {
    lines: Vec<u8>,
    groups: Groups,
    marks: Vec<MarkSet>,
    mark_sets: MarkSets,
    /// By combination of marks: the gravest reason.
    reasons: Vec<Option<Reason>>,
    /// By list.
    pub matches: Vec<Matches>,
    /// By which key each record was joined, as far as other keys than the address decide.
    key_of: Vec<u8>,
    /// Values of keys that too many addresses share.
    pub switchboards: Vec<Switchboards>,
    /// Entries of lists that values are taken from, each with the persons that it is of; by entry.
    pub taken: Vec<(u32, u32)>,
    /// What came of the decisions about persons.
    pub decided: Decided,
    /// Values of lists that are several persons.
    pub namesakes: Vec<Namesakes>,
    /// The entries that matched, by number.
    pub matched_entries: RowSet,
    /// What rows were held against.
    pub checks: RowChecks,
    /// Makes identities into the hashes that were settled.
    pub hasher: IdentityHasher,
    ranks: Vec<u32>,
    joins_by_address: bool,
    /// Whether reasons hold people back.
    holds: bool,
    /// The first record that is none of the master's; 0 where there is no master.
    master_ends: u32,
    /// The chunks of the sources, in reading order.
    pub chunks: Vec<ChunkPlace>,
    first_of_file: Vec<u32>,
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
            None => Standing::Free(Cleared(())),
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

    /// How many persons there are.
    pub fn persons(&self) -> u64 {
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

    /// Bytes that order the rows of all persons: by survivor, then in the survivor's ranking, itself first.
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

    /// Why the record's person must not be contacted, if so.
    pub fn refusal(&self, row: RowId) -> Option<Reason> {
        self.reasons[self.marks_of(self.survivor_of(row)).0 as usize]
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
        self.mark_sets.all().iter().map(Vec::as_slice)
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

    /// Whether the record's address is clean as it stands in the file.
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

/// With fewer records, handing partitions from thread to thread costs more than it saves.
const WORTH_A_SECOND_THREAD: usize = 200_000;

/// Settles who is who and who is held.
pub fn settle(
    people: People,
    entrants: &Entrants,
    job: &Job,
    decisions: Option<&Decisions>,
    spill_folder: &Path,
    threads: usize,
    observer: &dyn Observer,
) -> Result<Settled> {
    let People {
        hasher, checks, keys, lines, ranks, marks, mark_sets, chunks, first_of_file, entries, mailings, ..
    } = people;
    let numbers = EntryNumbers::new(entrants, job, mailings);
    let bounced = bounced_rows(&marks, &mark_sets);
    let lists = &entrants.lists;
    let address_key = job.person.address_key();
    let has_other_keys = job.person.has_other_keys();
    let mut settling = Settling {
        groups: Groups::new(lines.len()),
        marks,
        mark_sets,
        shared: Vec::new(),
        others: Runs::new(spill_folder),
        first_with_address: if has_other_keys { (0..lines.len() as u32).collect() } else { Vec::new() },
        key_of: if has_other_keys || decisions.is_some() { vec![NO_KEY; lines.len()] } else { Vec::new() },
        address_key: address_key.unwrap_or_default() as u8,
        taken: Vec::new(),
        mailed: Vec::new(),
        decided: Vec::new(),
        matched_entries: RowSet::new(entries as usize),
        several: Vec::new(),
    };
    let (partitions, spilled) = keys.into_partitions();
    let threads = if lines.len() < WORTH_A_SECOND_THREAD { 1 } else { threads };
    let mut rows = 0;
    let mut partitions = partitions.into_iter().enumerate();
    in_order(
        threads,
        || if observer.wants_stop() { Err(Error::interrupted()) } else { Ok(partitions.next()) },
        || (),
        |(partition, mut keys), ()| {
            spilled.load(partition, &mut keys)?;
            Ok(PartitionFindings::of(&keys, &numbers, &bounced, address_key.is_some(), has_other_keys))
        },
        |found: PartitionFindings| {
            rows += found.keys;
            observer.progress(Progress { stage: Stage::Settling, bytes: 0, bytes_in_all: 0, rows });
            settling.take(&found)
        },
    )?;
    let others = std::mem::replace(&mut settling.others, Runs::new(spill_folder));
    let switchboards = settling.join_by_other_keys(others, &lines, &job.person)?;
    let first_entry = entrants.decided.entry_numbers.first().map_or(0, |numbers| numbers.start);
    let decided = decisions.map(|decisions| settling.decide(decisions, first_entry)).unwrap_or_default();
    let master_ends = match (job.has_master, first_of_file.get(1)) {
        (true, Some(first)) => *first,
        (true, None) => lines.len() as u32,
        (false, _) => 0,
    };
    settling.unite_persons(&lines, &ranks, job.person.survivor, master_ends);
    settling.count_mailings(&numbers, job);
    settling.spread_refusals();
    let persons_of_entries = settling.persons_of_entries();
    let namesakes = settling.namesakes(&numbers);
    let Settling { groups, mut marks, mark_sets, key_of, matched_entries, .. } = settling;
    forget_marks_of_merged(&mut marks, &groups);
    let reasons = gravest_reasons(&mark_sets, job);
    Ok(Settled {
        lines,
        groups,
        marks,
        mark_sets,
        reasons,
        matches: matches(lists, &matched_entries, &checks.domains),
        key_of,
        switchboards,
        taken: persons_of_entries,
        decided,
        namesakes,
        matched_entries,
        checks,
        hasher,
        ranks,
        joins_by_address: address_key.is_some(),
        holds: !job.compares,
        master_ends,
        chunks,
        first_of_file,
    })
}

/// Marks count for the person, so they stand at its survivor only.
fn forget_marks_of_merged(marks: &mut [MarkSet], groups: &Groups) {
    for (row, survivor) in groups.settled().iter().enumerate() {
        if *survivor as usize != row {
            marks[row] = MarkSet::NONE;
        }
    }
}

fn matches(lists: &[ListCounts], matched: &RowSet, domains: &HeldDomains) -> Vec<Matches> {
    let of_list = |(index, counts): (usize, &ListCounts)| {
        let own = counts.entry_numbers.iter().map(|numbers| matched.count(numbers.clone())).sum::<u64>();
        let matched = own + domains.matched_entries(ListId(index as u16));
        let entries = counts.addresses + counts.domains + counts.unusable;
        Matches { matched, unmatched: entries - matched }
    };
    lists.iter().enumerate().map(of_list).collect()
}

/// The rows of which a source says that mail to their address came back, in their order, each with the source.
fn bounced_rows(marks: &[MarkSet], mark_sets: &MarkSets) -> Vec<(u32, SourceId)> {
    let source = |marks: &Vec<Mark>| {
        marks.iter().find_map(|mark| if let Mark::FirstBounced(source) = mark { Some(*source) } else { None })
    };
    let of_set: Vec<Option<SourceId>> = mark_sets.all().iter().map(source).collect();
    if of_set.iter().all(Option::is_none) {
        return Vec::new();
    }
    let rows = marks.iter().enumerate();
    rows.filter_map(|(row, set)| Some((row as u32, of_set[set.0 as usize]?))).collect()
}

/// The gravest reason of each combination of marks.
fn gravest_reasons(sets: &MarkSets, job: &Job) -> Vec<Option<Reason>> {
    let list_reason = |list: &ListFiles| {
        Some(ListReason { reason: list.hold.as_ref()?.reason, is_of_address: list.is_of_addresses() })
    };
    let list_reasons: Vec<Option<ListReason>> = job.lists.iter().map(list_reason).collect();
    let of_set = |marks: &Vec<Mark>| {
        let is_allowed = marks.iter().any(|mark| matches!(mark, Mark::Allowed(_)));
        let reason = |mark: &Mark| {
            let reason = reason_of(*mark, &list_reasons)?;
            let by_field = matches!(mark, Mark::On(list) if job.lists[list.0 as usize].by.is_some());
            // Where another field was hit, any of the person's addresses will do.
            let is_lifted = is_allowed && by_field && gives_way(reason, HitBy::Field);
            (!is_lifted).then_some(reason)
        };
        let gravest = marks.iter().filter_map(reason).min();
        let opted_in = marks.iter().any(|mark| matches!(mark, Mark::Said(Consent::OptedIn, _)));
        let lacks_opt_in = (job.require.opted_in && !opted_in).then_some(Reason::NoConsent);
        gravest.into_iter().chain(lacks_opt_in).min()
    };
    sets.all().iter().map(of_set).collect()
}
