//! Lists to ask about, suppression lists, and what is remembered, as a job names them.

use crate::columns::wishes::OwnField;
use crate::job::sources::ReadFiles;
use crate::select::condition::Selection;
use crate::suppress::reason::Reason;
use crate::suppress::status::StatusReasons;
use pebblebank_values::ColumnRef;
use pebblebank_values::fold::fold;

/// A named set of people: to ask about, or to hold back.
#[derive(Debug, Clone)]
pub struct ListFiles {
    /// What it is called in tables, receipts and conditions.
    pub name: String,
    /// Its files.
    pub read: ReadFiles,
    /// Which of its rows count; none for all.
    pub condition: Option<Selection>,
    /// What its entries are compared by; none for the address, or its domain.
    pub by: Option<ListKey>,
    /// The values that contacts are given from it.
    pub take: Vec<Taken>,
    /// Whether its people can be asked about, as a `[[list]]` of the job.
    pub is_asked: bool,
    /// Why its people must not be contacted; none for a list that holds nobody back.
    pub hold: Option<Hold>,
    /// The column whose words give each entry a reason of its own.
    pub reason_from: Option<ColumnRef>,
    /// Where its entries come from if it has no files.
    pub entries_from: EntriesFrom,
}

impl ListFiles {
    /// A list of addresses, all of which count, that holds nobody back.
    pub fn new(name: impl Into<String>, read: ReadFiles) -> ListFiles {
        ListFiles {
            name: name.into(),
            read,
            condition: None,
            by: None,
            take: Vec::new(),
            is_asked: false,
            hold: None,
            reason_from: None,
            entries_from: EntriesFrom::Files,
        }
    }

    /// Whether it holds whoever would be written at an address of it, and not the people who have one: a list of bounces.
    pub fn is_of_addresses(&self) -> bool {
        self.by.is_none() && self.hold.as_ref().is_some_and(|hold| hold.reason == Reason::Bounced)
    }

    /// Whether its entries are the mailings that people were sent, of which only so many are allowed.
    pub fn counts_mailings(&self) -> bool {
        let is_memory = matches!(self.entries_from, EntriesFrom::Memory(_));
        is_memory && self.hold.as_ref().is_some_and(|hold| hold.reason == Reason::TooOften)
    }

    /// The list, at this place in the job, and where its entries have reasons of their own one more behind it for each.
    pub fn with_shares(self, place: usize) -> Vec<ListFiles> {
        let of_reason = |reason: Reason| {
            let name = format!("{} ({})", self.name, reason.name());
            let hold = self.hold.as_ref().map(|hold| Hold { name: name.clone(), reason, ..hold.clone() });
            let entries_from = EntriesFrom::ReasonOf(place);
            ListFiles { hold, entries_from, by: self.by.clone(), ..ListFiles::new(name, ReadFiles::default()) }
        };
        let shares: Vec<ListFiles> = match (&self.reason_from, &self.hold) {
            (Some(_), Some(_)) => StatusReasons::REASONS.into_iter().map(of_reason).collect(),
            _ => Vec::new(),
        };
        std::iter::once(self).chain(shares).collect()
    }

    /// A list of people who must not be contacted.
    pub fn holding(name: impl Into<String>, read: ReadFiles, reason: Reason) -> ListFiles {
        let list = ListFiles::new(name, read);
        ListFiles { hold: Some(Hold::new(&list.name, reason)), ..list }
    }

    /// Goes by other columns than the address. Where the contacts' one is a known field, or one of the job's own, and the
    /// list's one a header, the header is taken for that field, so that both sides are cleaned alike.
    pub fn go_by(&mut self, key: Option<ListKey>, own_fields: &[OwnField]) {
        self.by = key.map(|ListKey { ours, mut theirs }| {
            for (ours, theirs) in ours.iter().zip(&mut theirs) {
                if let (ColumnRef::Field(field), ColumnRef::Extra(extra)) = (ours, &*theirs) {
                    self.read.columns.headers.entry(*field).or_insert_with(|| vec![extra.header.clone()]);
                    *theirs = ours.clone();
                } else if let (ColumnRef::Extra(ours_extra), ColumnRef::Extra(extra)) = (ours, &*theirs)
                    && let Some(own) = own_fields.iter().find(|own| fold(&own.name) == ours_extra.folded)
                {
                    let header = Some(extra.header.clone());
                    self.read.columns.own.push(OwnField { header, ..own.clone() });
                    *theirs = ours.clone();
                }
            }
            ListKey { ours, theirs }
        });
    }
}

/// Where the entries of a list come from.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum EntriesFrom {
    /// Its own files.
    #[default]
    Files,
    /// The rows of the list at this place that have its reason.
    ReasonOf(usize),
    /// What is remembered, by the place of the hold there.
    Memory(usize),
    /// What stands in the files of the list at this place beside its entries. Whom it names is about to be written by
    /// mistake, perhaps: it holds nobody, and trips a guard.
    UnreadOf(usize),
}

/// That the people of a list must not be contacted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Hold {
    /// What the suppression is called.
    pub name: String,
    /// The reason.
    pub reason: Reason,
    /// What becomes of entries that matched nobody and are close to a contact.
    pub near_miss: NearMisses,
    /// After how many days the list's files are too old to be relied on; none for never.
    pub stale_after: Option<u32>,
    /// Whether fewer entries than in the run before are no sign that the list was exported in part.
    pub may_shrink: bool,
}

impl Hold {
    /// For this reason, with all that is usual.
    pub fn new(name: impl Into<String>, reason: Reason) -> Hold {
        Hold { name: name.into(), reason, near_miss: NearMisses::default(), stale_after: None, may_shrink: false }
    }
}

/// What becomes of entries of a suppression list that matched nobody and are close to a contact.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum NearMisses {
    /// They are reported, as long as the list is not too long to be searched in passing.
    #[default]
    ReportedIfQuick,
    /// They are reported.
    Reported,
    /// The contacts are set aside.
    SetAside,
    /// They are not looked for.
    Ignored,
}

/// An address that the job writes to although a list holds it for a lesser reason: `do-not-contact` by its domain,
/// `already-sent`, `too-often`, `on-other-list`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Allowance {
    /// The addresses, cleaned.
    pub addresses: Vec<String>,
    /// Why.
    pub why: String,
}

/// What the entries of a list are compared by: columns of the contacts, and as many of the list. A blank in any of them
/// makes no key.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ListKey {
    /// The contacts' columns.
    pub ours: Vec<ColumnRef>,
    /// The list's columns, in the same order.
    pub theirs: Vec<ColumnRef>,
}

impl ListKey {
    /// The same column on both sides.
    pub fn of(column: ColumnRef) -> ListKey {
        ListKey { ours: vec![column.clone()], theirs: vec![column] }
    }

    /// The contacts' columns, as a job names them.
    pub fn name(&self) -> String {
        self.ours.iter().map(ColumnRef::name).collect::<Vec<_>>().join(" + ")
    }
}

/// A value that contacts are given from a list, where they have none of their own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Taken {
    /// The contacts' column.
    pub ours: ColumnRef,
    /// The list's column.
    pub theirs: ColumnRef,
}
