//! Who is who and what people are marked with, put together from what the partitions found, in their order.

use super::crossings::Crossings;
use super::partitions::PartitionFindings;
use super::settled::{DECIDED, Decided, NO_KEY, Switchboards};
use crate::columns::lines::Line;
use crate::person::decisions::{Decisions, Verdict};
use crate::person::groups::Groups;
use crate::person::runs::Runs;
use crate::person::same::{PersonWishes, Survivor};
use crate::run::row_bits::{HAS_ADDRESS, LACKS_FIELD, LEFT_OUT, LINE_BITS};
use crate::run::row_set::RowSet;
use crate::suppress::marks::{Mark, MarkSet, MarkSets};
use pebblebank_table::Result;
use pebblebank_table::units::{RowId, RowNumber};
use std::path::Path;

/// What is known of people so far.
pub(super) struct WhoIsWho {
    pub groups: Groups,
    pub marks: Vec<MarkSet>,
    pub mark_sets: MarkSets,
    /// Rows that share an identity and are not joined by it.
    pub shared: Runs,
    pub others: Runs,
    /// The first row with each row's first address, itself where there is none; empty where the address alone decides.
    pub first_with_address: Vec<u32>,
    pub key_of: Vec<u8>,
    pub address_key: u8,
    pub taken: Crossings,
    pub mailed: Crossings,
    pub decided: Vec<(u32, u32)>,
    /// The entries that matched.
    pub matched_entries: RowSet,
    pub several: Crossings,
}

impl WhoIsWho {
    /// Nobody is joined to anybody yet. Rows are marked with what their sources say.
    pub fn new(
        marks: Vec<MarkSet>,
        mark_sets: MarkSets,
        entries: u64,
        people: &PersonWishes,
        has_decisions: bool,
        spill_folder: &Path,
    ) -> WhoIsWho {
        let rows = marks.len();
        let has_other_keys = people.has_other_keys();
        WhoIsWho {
            groups: Groups::new(rows),
            marks,
            mark_sets,
            shared: Runs::new(spill_folder),
            others: Runs::new(spill_folder),
            first_with_address: if has_other_keys { (0..rows as u32).collect() } else { Vec::new() },
            key_of: if has_other_keys || has_decisions { vec![NO_KEY; rows] } else { Vec::new() },
            address_key: people.address_key().unwrap_or_default() as u8,
            taken: Crossings::default(),
            mailed: Crossings::default(),
            decided: Vec::new(),
            matched_entries: RowSet::new(entries as usize),
            several: Crossings::default(),
        }
    }

    pub fn take(&mut self, found: &PartitionFindings) -> Result<()> {
        for (row, mark) in &found.held {
            self.mark(*row, *mark);
        }
        found.matched_entries.iter().for_each(|entry| self.matched_entries.add(RowId(*entry)));
        self.several.append(&found.several);
        self.taken.append(&found.taken);
        self.mailed.append(&found.mailed);
        self.decided.extend_from_slice(&found.decided);
        self.shared.add(&found.shared)?;
        self.others.add(&found.others)?;
        for (first, row) in &found.same_address {
            self.first_with_address[*row as usize] = *first;
        }
        for (a, b) in &found.joined {
            self.join(*a, *b, self.address_key);
        }
        Ok(())
    }

    /// Makes two rows one person. Of several keys by which a row equals others of its person, the first of the job is kept.
    fn join(&mut self, a: RowId, b: RowId, key: u8) {
        self.groups.join(a, b, |a, b| a < b);
        if a != b {
            for row in [a, b] {
                if let Some(known) = self.key_of.get_mut(row.index()) {
                    *known = key.min(*known);
                }
            }
        }
    }

    /// Joins rows that share the value of another key, unless it is a switchboard.
    pub fn join_by_other_keys(&mut self, lines: &[u8], people: &PersonWishes) -> Result<Vec<Switchboards>> {
        const EXAMPLES: usize = 5;
        let several = people.same.len() > 1;
        let mut switchboards: Vec<Switchboards> = Vec::new();
        let mut addresses: Vec<u32> = Vec::new();
        let others = self.others.take();
        others.for_each(|place, run| {
            // Footnotes were found out after their keys.
            let contacts: Vec<u32> = run
                .iter()
                .copied()
                .filter(|row| Line::from_byte(lines[*row as usize] & LINE_BITS) == Line::Contact)
                .collect();
            let Some((first, copies)) = contacts.split_first() else { return };
            addresses.clear();
            addresses.extend(contacts.iter().map(|row| self.first_with_address[*row as usize]));
            addresses.sort_unstable();
            addresses.dedup();
            if several && addresses.len() > people.largest_group as usize {
                let key = usize::from(place);
                let known = switchboards.iter().position(|known| known.key == key);
                let known = known.unwrap_or_else(|| {
                    switchboards.push(Switchboards { key, ..Switchboards::default() });
                    switchboards.len() - 1
                });
                let board = &mut switchboards[known];
                board.values += 1;
                board.rows += contacts.len() as u64;
                board.examples.push(RowId(*first));
                board.examples.sort_unstable();
                board.examples.truncate(EXAMPLES);
                return;
            }
            for row in copies {
                self.join(RowId(*first), RowId(*row), place);
            }
        })?;
        switchboards.sort_by_key(|board| board.key);
        Ok(switchboards)
    }

    pub fn mark(&mut self, row: RowId, mark: Mark) {
        let number = self.mark_sets.number_of(mark);
        let marks = &mut self.marks[row.index()];
        *marks = self.mark_sets.union(*marks, number);
    }

    /// Makes the best row of each group its survivor, and gives it the marks of all copies.
    pub fn unite_people(&mut self, lines: &[u8], ranks: &[u32], survivor: Survivor, master_ends: u32) {
        self.groups.settle();
        let is_usable = |row: RowId| lines[row.index()] & HAS_ADDRESS != 0;
        let may_survive = |row: RowId| lines[row.index()] & LEFT_OUT == 0;
        let rank = |row: RowId| match survivor {
            Survivor::FirstRead => 0,
            Survivor::LastRead => row.0,
            Survivor::Newest | Survivor::Fullest => ranks.get(row.index()).copied().unwrap_or_default(),
        };
        let lacks_field = |row: RowId| ranks.get(row.index()).is_some_and(|rank| rank & LACKS_FIELD != 0);
        let standing = |row: RowId| {
            let is_of_master = row.0 < master_ends;
            let ranked = if is_of_master { (true, 0) } else { (!lacks_field(row), rank(row) & !LACKS_FIELD) };
            (is_of_master, may_survive(row), is_usable(row), ranked)
        };
        self.groups.elect(|row, other| standing(row) > standing(other));
        for row in 0..lines.len() {
            let survivor = self.groups.settled()[row] as usize;
            if survivor != row && self.marks[row] != MarkSet::NONE {
                let of_person = self.mark_sets.of_person(self.marks[row]);
                self.marks[survivor] = self.mark_sets.union(self.marks[survivor], of_person);
            }
        }
    }

    /// Does what somebody decided. `first_entry` is the number of the first person that the decisions name.
    pub fn decide(&mut self, decisions: &Decisions, first_entry: u32) -> Decided {
        let mut decided = std::mem::take(&mut self.decided);
        decided.sort_unstable();
        decided.dedup();
        let rows_of = |entry: u32| -> Vec<RowId> {
            let start = decided.partition_point(|(known, _)| *known < entry);
            decided[start..].iter().take_while(|(known, _)| *known == entry).map(|(_, row)| RowId(*row)).collect()
        };
        let mut done = Decided::default();
        let mut kept_apart = Vec::new();
        let mut entry = first_entry;
        for decision in &decisions.all {
            let mut rows: Vec<Vec<RowId>> = Vec::new();
            for _ in decision.people() {
                rows.push(rows_of(entry));
                entry += 1;
            }
            if rows.iter().any(Vec::is_empty) {
                done.about_nobody.at(RowNumber(decision.line as u64));
                continue;
            }
            match (decision.verdict, rows.as_slice()) {
                (Verdict::Same, [ours, theirs]) => {
                    done.same += 1;
                    ours.iter().chain(theirs).for_each(|row| self.join(ours[0], *row, DECIDED));
                }
                (Verdict::Different, [ours, theirs]) => kept_apart.push((decision.line, ours[0], theirs[0])),
                _ => {
                    done.taken_out += 1;
                    rows[0].iter().for_each(|row| self.mark(*row, Mark::RemovedByHand));
                }
            }
        }
        for (line, ours, theirs) in kept_apart {
            if self.groups.survivor(ours) == self.groups.survivor(theirs) {
                done.joined_by_keys.at(RowNumber(line as u64));
            }
        }
        done
    }
}
