//! What the keys of one partition say: which rows share a value, and which entries they match. Workers look at partitions
//! side by side, each by itself; [`super::who_is_who`] puts together what they found.

use super::crossings::Crossings;
use super::entry_numbers::{About, EntryNumbers, EntryOwner};
use crate::person::keys::{Key, Role};
use crate::suppress::allowed::{HitBy, gives_way};
use crate::suppress::marks::Mark;
use pebblebank_table::units::{RowId, SourceId};

/// What the keys of one partition say.
#[derive(Default)]
pub(super) struct PartitionFindings {
    pub keys: u64,
    pub joined: Vec<(RowId, RowId)>,
    pub held: Vec<(RowId, Mark)>,
    /// Entries that matched.
    pub matched_entries: Vec<u32>,
    /// Entries of lists that go by another field, and the rows that they are of, where there are several.
    pub several: Crossings,
    /// Entries of lists that values are taken from, and the rows that they are of.
    pub taken: Crossings,
    /// Entries that count mailings, and the rows that they are of.
    pub mailed: Crossings,
    /// Who is named by a decision: the entry, and a row.
    pub decided: Vec<(u32, u32)>,
    /// Rows that share an identity and are not joined by it: runs, each after its length and a zero.
    pub shared: Vec<u32>,
    /// Rows that share the value of another key: runs, each after its length and the key's place.
    pub others: Vec<u32>,
    /// Rows with the same first address: the first of them, and another.
    pub same_address: Vec<(u32, u32)>,
    joins: Joins,
}

/// By what rows are joined into people.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Joins {
    /// By their addresses.
    pub by_address: bool,
    /// By other keys, which need to know who has the same address.
    pub by_others: bool,
}

impl PartitionFindings {
    /// Looks at each run of equal hashes; `keys` are sorted.
    pub fn of(keys: &[Key], numbers: &EntryNumbers, bounced: &[(u32, SourceId)], joins: Joins) -> PartitionFindings {
        let mut found = PartitionFindings { keys: keys.len() as u64, joins, ..Default::default() };
        for run in keys.chunk_by(|a, b| a.is_same_identity(*b)) {
            found.look_at(run, numbers, bounced);
        }
        found
    }

    fn look_at(&mut self, run: &[Key], numbers: &EntryNumbers, bounced: &[(u32, SourceId)]) {
        if run.len() == 1 {
            return;
        }
        if let Role::Other(place) = run[0].role() {
            self.others.extend([run.len() as u32, u32::from(place)]);
            self.others.extend(run.iter().map(|key| key.owner()));
            return;
        }
        let entries = run.partition_point(|key| key.role() == Role::Entry);
        let (entries, rows) = run.split_at(entries);
        if rows.is_empty() {
            return;
        }
        self.compare(entries, rows, numbers);
        let firsts = rows.partition_point(|key| key.role() == Role::First);
        let joining = rows.partition_point(|key| key.role() <= Role::Further);
        if firsts > 1 && !bounced.is_empty() {
            self.spread_bounces(&rows[..firsts], bounced);
        }
        if self.joins.by_others && firsts > 1 {
            self.same_address.extend(rows[1..firsts].iter().map(|row| (rows[0].owner(), row.owner())));
        }
        let joins = firsts > 0 && self.joins.by_address;
        if joins {
            let first = RowId(rows[0].owner());
            self.joined.extend(rows[1..joining].iter().map(|row| (first, RowId(row.owner()))));
        }
        let joined = if joins { joining } else { 0 };
        if rows.len() > 1 && joined < rows.len() && rows[0].role() < Role::Compared {
            self.shared.extend([rows.len() as u32, 0]);
            self.shared.extend(rows.iter().map(|row| row.owner()));
        }
    }

    /// Mail to one address came back: that holds every row that would be written there.
    fn spread_bounces(&mut self, rows: &[Key], bounced: &[(u32, SourceId)]) {
        let source = |row: &Key| {
            let place = bounced.binary_search_by_key(&row.owner(), |(row, _)| *row).ok()?;
            Some(bounced[place].1)
        };
        if let Some(source) = rows.iter().find_map(source) {
            self.held.extend(rows.iter().map(|row| (RowId(row.owner()), Mark::FirstBounced(source))));
        }
    }

    /// Rows that are what some entries say.
    fn compare(&mut self, entries: &[Key], rows: &[Key], numbers: &EntryNumbers) {
        let owner = |entry: &Key| numbers.owner(entry.owner());
        let is_allowed =
            numbers.has_allowances && entries.iter().any(|entry| matches!(owner(entry), EntryOwner::Allowance(_)));
        let mut before = None;
        let (mut mailed, mut taken, mut several) = (Vec::new(), Vec::new(), Vec::new());
        for entry in entries {
            let of_rows = || rows.iter().map(|row| (entry.owner(), row.owner()));
            let mark_all = |mark| rows.iter().map(move |row| (RowId(row.owner()), mark));
            self.matched_entries.push(entry.owner());
            let list = match owner(entry) {
                EntryOwner::Decision => {
                    self.decided.extend(of_rows());
                    continue;
                }
                EntryOwner::Allowance(part) => {
                    self.held.extend(mark_all(Mark::Allowed(part)));
                    continue;
                }
                EntryOwner::List(list) => list,
            };
            let wishes = &numbers.lists[list.0 as usize];
            let lifted = is_allowed && wishes.reason.is_some_and(|reason| gives_way(reason, HitBy::Address));
            if wishes.about == About::Mailings {
                mailed.extend((!lifted).then_some(entry.owner()));
                continue;
            }
            if wishes.gives_values {
                taken.push(entry.owner());
            }
            if wishes.about == About::Fields && rows.len() > 1 {
                several.push(entry.owner());
            }
            if before.replace(list) != Some(list) {
                self.held.extend(mark_all(if lifted { Mark::Lifted(list) } else { Mark::On(list) }));
                if wishes.about == About::Addresses {
                    let firsts = rows.iter().filter(|row| matches!(row.role(), Role::First | Role::FirstHash));
                    self.held.extend(firsts.map(|row| (RowId(row.owner()), Mark::FirstOn(list))));
                }
            }
        }
        for (found, entries) in [(&mut self.mailed, mailed), (&mut self.taken, taken), (&mut self.several, several)] {
            found.add(&entries, rows.iter().map(|row| row.owner()));
        }
    }
}
