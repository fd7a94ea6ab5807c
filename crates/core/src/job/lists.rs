//! What contacts are compared with, as a job names it: lists to ask about, suppression lists, and what the bank remembers.
//!
//! They are three types, and [`EntriesToCompare`] is what they have in common. A suppression list may come in several parts, each of
//! which is compared by itself: the list, its entries by reason, and what was not read of it.

use crate::columns::wishes::OwnField;
use crate::job::sources::ReadFiles;
use crate::select::condition::Selection;
use crate::suppress::reason::Reason;
use crate::suppress::status::StatusReasons;
use pebblebank_values::ColumnRef;
use pebblebank_values::fold::fold;

/// Entries that contacts are compared with.
pub trait EntriesToCompare {
    /// What they are called in tables, receipts and conditions.
    fn name(&self) -> &str;

    /// The files that they stand in, if they have files of their own.
    fn files(&self) -> Option<&ListFiles> {
        None
    }

    /// What they are compared by; none for the address, or its domain.
    fn by(&self) -> Option<&ListKey> {
        None
    }

    /// Why their people must not be contacted; none where they hold nobody back.
    fn hold(&self) -> Option<&Hold> {
        None
    }

    /// The values that contacts are given from them.
    fn take(&self) -> &[Taken] {
        &[]
    }

    /// The column whose words give each entry a reason of its own.
    fn reason_from(&self) -> Option<&ColumnRef> {
        None
    }
}

/// How the files of a list are read, which of their rows count, and what these are compared by.
#[derive(Debug, Clone, Default)]
pub struct ListFiles {
    /// The files.
    pub read: ReadFiles,
    /// Which of their rows count; none for all.
    pub condition: Option<Selection>,
    /// What entries are compared by; none for the address, or its domain.
    pub by: Option<ListKey>,
}

/// A `[[list]]`: a named set of people to ask about. A `[[suppress]]` that names it makes it hold its people back too.
#[derive(Debug, Clone)]
pub struct List {
    /// What it is called.
    pub name: String,
    /// Its files.
    pub files: ListFiles,
    /// The values that contacts are given from it.
    pub take: Vec<Taken>,
    /// Why its people must not be contacted, where a suppression names it.
    pub hold: Option<Hold>,
}

impl List {
    /// A list that holds nobody back.
    pub fn new(name: impl Into<String>, files: ListFiles) -> List {
        List { name: name.into(), files, take: Vec::new(), hold: None }
    }
}

impl EntriesToCompare for List {
    fn name(&self) -> &str {
        &self.name
    }

    fn files(&self) -> Option<&ListFiles> {
        Some(&self.files)
    }

    fn by(&self) -> Option<&ListKey> {
        self.files.by.as_ref()
    }

    fn hold(&self) -> Option<&Hold> {
        self.hold.as_ref()
    }

    fn take(&self) -> &[Taken] {
        &self.take
    }
}

/// A suppression list: people who must not be contacted.
#[derive(Debug, Clone)]
pub struct SuppressionList {
    /// Its files.
    pub files: ListFiles,
    /// Why its people must not be contacted, and what it is called.
    pub hold: Hold,
    /// The column whose words give each entry a reason of its own.
    pub reason_from: Option<ColumnRef>,
    /// Which part of it this is.
    pub part: Part,
}

/// Which part of a suppression list is compared.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Part {
    /// The entries of its files.
    #[default]
    Whole,
    /// Of the list at this place, the entries that have its reason.
    OfReason(usize),
    /// What is in the files of the list at this place beside its entries. Whom it names is about to be written by
    /// mistake, perhaps: it holds nobody, and trips a guard.
    Unread(usize),
}

impl SuppressionList {
    /// A list of addresses, all of which are held for this reason.
    pub fn new(name: impl Into<String>, read: ReadFiles, reason: Reason) -> SuppressionList {
        let files = ListFiles { read, ..ListFiles::default() };
        SuppressionList { files, hold: Hold::new(name, reason), reason_from: None, part: Part::Whole }
    }

    /// The list, at this place in the job, and where its entries have reasons of their own one more behind it for each.
    pub fn with_shares(self, place: usize) -> Vec<SuppressionList> {
        let of_reason = |reason: Reason| {
            let name = format!("{} ({})", self.hold.name, reason.name());
            let files = ListFiles { by: self.files.by.clone(), ..ListFiles::default() };
            let hold = Hold { name, reason, ..self.hold.clone() };
            SuppressionList { files, hold, reason_from: None, part: Part::OfReason(place) }
        };
        let shares: Vec<SuppressionList> = match &self.reason_from {
            Some(_) => StatusReasons::REASONS.into_iter().map(of_reason).collect(),
            None => Vec::new(),
        };
        std::iter::once(self).chain(shares).collect()
    }

    /// What is not read of the list at this place.
    fn unread_of(name: &str, place: usize) -> SuppressionList {
        let list = SuppressionList::new(format!("{name} (not read)"), ReadFiles::default(), Reason::DoNotContact);
        SuppressionList { part: Part::Unread(place), ..list }
    }
}

impl EntriesToCompare for SuppressionList {
    fn name(&self) -> &str {
        &self.hold.name
    }

    fn files(&self) -> Option<&ListFiles> {
        (self.part == Part::Whole).then_some(&self.files)
    }

    fn by(&self) -> Option<&ListKey> {
        self.files.by.as_ref()
    }

    fn hold(&self) -> Option<&Hold> {
        (!matches!(self.part, Part::Unread(_))).then_some(&self.hold)
    }

    fn reason_from(&self) -> Option<&ColumnRef> {
        self.reason_from.as_ref()
    }
}

/// What the bank remembers for one reason.
#[derive(Debug, Clone)]
pub struct BankEntries {
    /// The place of the hold in the bank.
    pub place: usize,
    /// Why its people must not be contacted, and what it is called.
    pub hold: Hold,
    /// What its entries are compared by; none for the address, or its domain.
    pub by: Option<ListKey>,
}

impl EntriesToCompare for BankEntries {
    fn name(&self) -> &str {
        &self.hold.name
    }

    fn by(&self) -> Option<&ListKey> {
        self.by.as_ref()
    }

    fn hold(&self) -> Option<&Hold> {
        Some(&self.hold)
    }
}

/// What a job compares its contacts with, one after the other.
#[derive(Debug, Clone)]
pub enum JobList {
    /// A list to ask about.
    List(List),
    /// A suppression list, or a part of one.
    Suppression(SuppressionList),
    /// What the bank remembers.
    Bank(BankEntries),
}

impl EntriesToCompare for JobList {
    fn name(&self) -> &str {
        self.entries().name()
    }

    fn files(&self) -> Option<&ListFiles> {
        self.entries().files()
    }

    fn by(&self) -> Option<&ListKey> {
        self.entries().by()
    }

    fn hold(&self) -> Option<&Hold> {
        self.entries().hold()
    }

    fn take(&self) -> &[Taken] {
        self.entries().take()
    }

    fn reason_from(&self) -> Option<&ColumnRef> {
        self.entries().reason_from()
    }
}

impl JobList {
    fn entries(&self) -> &dyn EntriesToCompare {
        match self {
            JobList::List(list) => list,
            JobList::Suppression(list) => list,
            JobList::Bank(entries) => entries,
        }
    }

    /// Why its people must not be contacted, to be changed.
    pub fn hold_mut(&mut self) -> Option<&mut Hold> {
        match self {
            JobList::List(list) => list.hold.as_mut(),
            JobList::Suppression(SuppressionList { part: Part::Unread(_), .. }) => None,
            JobList::Suppression(list) => Some(&mut list.hold),
            JobList::Bank(entries) => Some(&mut entries.hold),
        }
    }

    /// Whether conditions and layouts can ask about its people: a `[[list]]` of the job.
    pub fn is_asked(&self) -> bool {
        matches!(self, JobList::List(_))
    }

    /// The place of its hold in the bank, if its entries are remembered there.
    pub fn place_in_bank(&self) -> Option<usize> {
        match self {
            JobList::Bank(entries) => Some(entries.place),
            _ => None,
        }
    }

    /// The place of the list of which this is what was not read.
    pub fn unread_of(&self) -> Option<usize> {
        match self {
            JobList::Suppression(SuppressionList { part: Part::Unread(place), .. }) => Some(*place),
            _ => None,
        }
    }

    /// Whether it is the part of a list that has one reason.
    pub fn is_share(&self) -> bool {
        matches!(self, JobList::Suppression(SuppressionList { part: Part::OfReason(_), .. }))
    }

    /// What is not read of it, where it is a list at this place with files of its own that holds people back.
    pub fn unread_part(&self, place: usize) -> Option<SuppressionList> {
        let holds = self.hold().is_some() && self.files().is_some();
        holds.then(|| SuppressionList::unread_of(self.name(), place))
    }

    /// Whether it holds whoever would be written at an address of it, and not the people who have one: bounces.
    pub fn is_of_addresses(&self) -> bool {
        self.by().is_none() && self.hold().is_some_and(|hold| hold.reason == Reason::Bounced)
    }

    /// Whether its entries are the mailings that people were sent, of which only so many are allowed.
    pub fn counts_mailings(&self) -> bool {
        self.place_in_bank().is_some() && self.hold().is_some_and(|hold| hold.reason == Reason::TooOften)
    }
}

impl From<List> for JobList {
    fn from(list: List) -> JobList {
        JobList::List(list)
    }
}

impl From<SuppressionList> for JobList {
    fn from(list: SuppressionList) -> JobList {
        JobList::Suppression(list)
    }
}

impl ListFiles {
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

/// That the people of a list must not be contacted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Hold {
    /// What the suppression is called.
    pub name: String,
    /// The reason.
    pub reason: Reason,
    /// What happens to entries that no contact has and are close to a contact.
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

/// What happens to entries of a suppression list that no contact has and are close to a contact.
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
    /// One column, by which both sides are compared.
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
