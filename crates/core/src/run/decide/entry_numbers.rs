//! Entries by number: whose they are, and what their lists ask for. Partitions only know the numbers.

use crate::job::Job;
use crate::job::lists::{EntriesToCompare, JobList};
use crate::run::gather::counts::{Entrants, ListCounts};
use crate::suppress::reason::Reason;
use pebblebank_table::units::ListId;

/// Whose an entry is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum EntryOwner {
    /// A list's.
    List(ListId),
    /// That of somebody whom a decision names.
    Decision,
    /// An address that the job allows, in the part of this number.
    Allowance(u16),
}

/// The entries of a run by number, and what their lists are.
pub(super) struct EntryNumbers {
    /// The first number of each stretch, and whose it is.
    starts: Vec<(u32, EntryOwner)>,
    pub lists: Vec<ListWishes>,
    pub has_allowances: bool,
    /// The mailing of entries that count mailings: the first entry of each stretch, and the number of its mailing.
    mailings: Vec<(u32, u32)>,
}

/// What is wanted of a list's matches.
pub(super) struct ListWishes {
    /// Whether values are taken from it.
    pub gives_values: bool,
    pub about: About,
    pub reason: Option<Reason>,
}

/// What the entries of a list are about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum About {
    /// People, by any of their addresses.
    People,
    /// People, by another field.
    Fields,
    /// Whoever would be written at this address.
    Addresses,
    /// Mailings that went to an address, which are counted for each person.
    Mailings,
}

impl About {
    fn of(list: &JobList) -> About {
        match () {
            () if list.counts_mailings() => About::Mailings,
            () if list.is_of_addresses() => About::Addresses,
            () if list.by().is_some() => About::Fields,
            () => About::People,
        }
    }
}

impl EntryNumbers {
    pub fn new(entrants: &Entrants, job: &Job, mailings: Vec<(u32, u32)>) -> EntryNumbers {
        let lists = entrants.lists.iter().enumerate();
        let mut starts: Vec<(u32, EntryOwner)> = Vec::new();
        let mut add = |counts: &ListCounts, owner| {
            starts.extend(counts.entry_numbers.iter().map(|numbers| (numbers.start, owner)));
        };
        lists.for_each(|(list, counts)| add(counts, EntryOwner::List(ListId(list as u16))));
        add(&entrants.decided, EntryOwner::Decision);
        entrants.allowed.iter().enumerate().for_each(|(part, counts)| add(counts, EntryOwner::Allowance(part as u16)));
        starts.sort_by_key(|(start, _)| *start);
        let of_list = |list: &JobList| ListWishes {
            gives_values: !list.take().is_empty(),
            about: About::of(list),
            reason: list.hold().map(|hold| hold.reason),
        };
        EntryNumbers {
            starts,
            lists: job.lists.iter().map(of_list).collect(),
            has_allowances: !entrants.allowed.is_empty(),
            mailings,
        }
    }

    /// The mailing that an entry is of.
    pub fn mailing(&self, entry: u32) -> u32 {
        let after = self.mailings.partition_point(|(first, _)| *first <= entry);
        self.mailings[after - 1].1
    }

    pub fn owner(&self, entry: u32) -> EntryOwner {
        let after = self.starts.partition_point(|(start, _)| *start <= entry);
        self.starts[after - 1].1
    }
}
