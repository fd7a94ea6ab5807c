//! What a row, and then a person, is marked with: the lists that hold it, and what its sources say of consent.
//!
//! Few combinations occur, so each is kept once and a row holds its number.

use super::reason::Reason;
use indexmap::IndexSet;
use pebblebank_table::units::{ListId, SourceId};
use pebblebank_values::consent::Consent;
use std::collections::HashMap;

/// What an allocator adds to a small piece of memory.
const MALLOC_BYTES: usize = 16;

/// One thing that a row or person is marked with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Mark {
    /// An entry of this list is one of its identities, or a domain above one.
    On(ListId),
    /// Its first usable address is an entry of this list, or at a domain that is one: what a list of bounces needs, which
    /// is about addresses and not people. It stays with the row.
    FirstOn(ListId),
    /// This source says that mail to its first usable address came back. It stays with the row.
    FirstBounced(SourceId),
    /// An entry of this list would hold it, but the job allows the address that it matched.
    Lifted(ListId),
    /// One of its identities is allowed by the job, in the part of this number.
    Allowed(u16),
    /// This source has a row of it; marked only where that is asked for.
    From(SourceId),
    /// The job's decisions take this row out by hand.
    RemovedByHand,
    /// It is a remark with an address in it, and no row of the table.
    UnreadableRow,
    /// A source says this of it.
    Said(Consent, SourceId),
    /// A source says, of another row with one of its identities, that the person refused.
    RefusedElsewhere(Consent, SourceId),
}

/// Whether contact was refused, and in what way; it counts for every identity of the person.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Refusal {
    /// Opted out or complained.
    pub consent: Consent,
    /// The source that says so.
    pub source: SourceId,
}

/// The number of a combination of marks. Zero is none.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct MarkSet(pub u32);

impl MarkSet {
    /// No mark.
    pub const NONE: MarkSet = MarkSet(0);
}

/// All combinations of marks that occur in a run.
#[derive(Debug)]
pub struct MarkSets {
    sets: IndexSet<Box<[Mark]>>,
    /// How many marks all combinations have together.
    marks: usize,
    unions: HashMap<(MarkSet, MarkSet), MarkSet>,
    last: Option<(Mark, MarkSet)>,
}

impl Default for MarkSets {
    fn default() -> Self {
        MarkSets { sets: IndexSet::from([Box::default()]), marks: 0, unions: HashMap::new(), last: None }
    }
}

impl MarkSets {
    /// The marks of a combination, sorted.
    pub fn marks(&self, set: MarkSet) -> &[Mark] {
        &self.sets[set.0 as usize]
    }

    /// All combinations, by number.
    pub fn all(&self) -> impl ExactSizeIterator<Item = &[Mark]> {
        self.sets.iter().map(AsRef::as_ref)
    }

    /// How many bytes the combinations take; few, unless nearly every row is on other lists.
    pub fn bytes(&self) -> u64 {
        const BYTES_PER_SET: usize = 2 * size_of::<Box<[Mark]>>() + size_of::<u64>() + MALLOC_BYTES;
        const BYTES_PER_UNION: usize = 2 * size_of::<((MarkSet, MarkSet), MarkSet)>();
        let sets = self.sets.len() * BYTES_PER_SET + self.marks * size_of::<Mark>();
        (sets + self.unions.len() * BYTES_PER_UNION) as u64
    }

    /// The number of a combination.
    pub fn number(&mut self, mut marks: Vec<Mark>) -> MarkSet {
        marks.sort_unstable();
        marks.dedup();
        if let Some(known) = self.sets.get_index_of(marks.as_slice()) {
            return MarkSet(known as u32);
        }
        self.marks += marks.len();
        MarkSet(self.sets.insert_full(marks.into()).0 as u32)
    }

    /// The number of the combination of one mark; mostly the one asked for last.
    pub fn number_of(&mut self, mark: Mark) -> MarkSet {
        match self.last {
            Some((last, number)) if last == mark => number,
            _ => {
                let number = self.number(vec![mark]);
                self.last = Some((mark, number));
                number
            }
        }
    }

    /// The marks of a combination that count for the whole person.
    pub fn of_person(&mut self, set: MarkSet) -> MarkSet {
        if !self.marks(set).iter().any(|mark| mark.stays_with_row()) {
            return set;
        }
        let marks = self.marks(set).iter().copied().filter(|mark| !mark.stays_with_row()).collect();
        self.number(marks)
    }

    /// All marks of both.
    #[inline]
    pub fn union(&mut self, a: MarkSet, b: MarkSet) -> MarkSet {
        if a == b || b == MarkSet::NONE {
            return a;
        }
        if a == MarkSet::NONE {
            return b;
        }
        let pair = (a.min(b), a.max(b));
        if let Some(union) = self.unions.get(&pair) {
            return *union;
        }
        let both = [self.marks(a), self.marks(b)].concat();
        let union = self.number(both);
        self.unions.insert(pair, union);
        union
    }

    /// How the person refused, where a source says so.
    pub fn refusals(&self, set: MarkSet) -> impl Iterator<Item = Refusal> + '_ {
        self.marks(set).iter().filter_map(|mark| match mark {
            Mark::Said(consent @ (Consent::OptedOut | Consent::Complained), source) => {
                Some(Refusal { consent: *consent, source: *source })
            }
            _ => None,
        })
    }
}

impl Mark {
    /// Whether it is about the address that the row would be written at, and no other row of the person.
    pub fn stays_with_row(self) -> bool {
        matches!(self, Mark::FirstOn(_) | Mark::FirstBounced(_))
    }

    /// Whether marks say that the person is what this one says: on a list also where an address that the job allows keeps
    /// the list from holding it.
    pub fn is_in(self, marks: &[Mark]) -> bool {
        let is_lifted = |list| marks.contains(&Mark::Lifted(list));
        marks.contains(&self) || matches!(self, Mark::On(list) if is_lifted(list))
    }
}

/// Why being on a list matters, if it does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ListReason {
    /// The reason.
    pub reason: Reason,
    /// Whether only the address counts that somebody would be written at.
    pub is_of_address: bool,
}

/// What a mark means for being written to; `list_reasons` by list.
pub fn reason_of(mark: Mark, list_reasons: &[Option<ListReason>]) -> Option<Reason> {
    let of_list = |list: ListId| list_reasons[list.0 as usize];
    match mark {
        Mark::On(list) => of_list(list).filter(|list| !list.is_of_address).map(|list| list.reason),
        Mark::FirstOn(list) => of_list(list).filter(|list| list.is_of_address).map(|list| list.reason),
        Mark::FirstBounced(_) => Some(Reason::Bounced),
        // Judged with all else that a survivor may lack.
        Mark::From(_) | Mark::RemovedByHand | Mark::UnreadableRow | Mark::Lifted(_) | Mark::Allowed(_) => None,
        Mark::Said(consent, _) | Mark::RefusedElsewhere(consent, _) => match consent {
            // A bounce is of the address alone: see `FirstBounced`.
            Consent::OptedIn | Consent::Bounced => None,
            Consent::Pending | Consent::Unlisted => Some(Reason::NoConsent),
            Consent::OptedOut => Some(Reason::OptedOut),
            Consent::Complained => Some(Reason::Complained),
        },
    }
}

/// The lists and sources that conditions and layouts ask about by name.
pub trait NamedMarks {
    /// What the people of the list or source of that name are marked with, whatever its letter case.
    fn mark_named(&self, name: &str) -> Option<Mark>;
}

/// No lists and sources.
#[derive(Debug, Clone, Copy)]
pub struct NoNames;

impl NamedMarks for NoNames {
    fn mark_named(&self, _name: &str) -> Option<Mark> {
        None
    }
}
