//! Near misses: entries of suppression lists that no contact has and are one typo, a `+tag` or a name from a contact about
//! to be written. That is how somebody who said no gets mail.
//!
//! The unmatched entries are read again and give keys (texts with one letter left out, [`crate::person::near`] says why
//! these find every typo); then the contacts that nothing holds are read again, and those who share a key are judged. Of more
//! entries than memory has room for, those are left out first that share no key with anybody ([`super::likely_entries`]); what
//! is too much even then is looked for in several rounds, each with the contacts read once more.

use super::close_entries::{Entry, Keys, MOST_PER_LIST, Pair, pairs};
use super::known::Known;
use super::likely_entries::for_each_likely;
use super::unmatched_entries::for_each_unmatched;
use crate::job::Job;
use crate::job::lists::{EntriesToCompare, NearMisses};
use crate::run::setting::Setting;
use crate::run::tally::{NearMissExample, NearMissTally};
use pebblebank_table::csv::Defusing;
use pebblebank_table::observe::Observer;
use pebblebank_table::units::{ListId, RowId};
use pebblebank_table::{CsvBuffer, Result};
use std::collections::HashMap;

/// Unless a job asks for it, near misses are looked for among no more people than these, and for no more entries, so that
/// a large run is as quick as it can be.
pub const QUICK: u64 = 200_000;

/// About what an entry takes in memory while it is looked for: its text, and some 25 keys with their bits.
const BYTES_PER_ENTRY: u64 = 640;

/// The part of the memory that the entries of a round may take.
const MEMORY_PARTS: u64 = 4;

/// How many pairs the tally shows.
const EXAMPLES: usize = 10;

/// The receipt's own columns of `near-misses.csv`.
pub const NEAR_MISSES: [&str; 9] = [
    "pebblebank_list",
    "pebblebank_reason",
    "pebblebank_entry",
    "pebblebank_contact",
    "pebblebank_why",
    "pebblebank_standing",
    "pebblebank_source",
    "pebblebank_file",
    "pebblebank_row",
];

/// What a contact is close to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Missed {
    /// Whether the job sets the contact aside for it.
    pub sets_aside: bool,
    /// The lists and what is alike, in words.
    pub details: String,
}

/// What the search found.
#[derive(Default)]
pub struct NearMissed {
    entries: Vec<Entry>,
    pairs: Vec<Pair>,
    by_row: HashMap<u32, Missed>,
    searched: u64,
    not_searched: u64,
    not_searched_in_bank: u64,
}

impl NearMissed {
    /// What a contact is close to, if anything.
    pub fn of(&self, row: RowId) -> Option<&Missed> {
        if self.by_row.is_empty() { None } else { self.by_row.get(&row.0) }
    }

    /// How it came out: of the pairs those whose contact passed everything else.
    pub fn tally(&self, job: &Job, set_aside: u64, passed: &[RowId]) -> NearMissTally {
        let pairs = self.pairs_of(passed);
        let example = |pair: &&Pair| {
            let entry = &self.entries[pair.entry as usize];
            NearMissExample {
                list: name_of(job, entry.list).to_owned(),
                entry: entry.alike.shown().to_owned(),
                contact: pair.contact.clone(),
                why: pair.why.to_owned(),
            }
        };
        NearMissTally {
            searched: self.searched,
            not_searched: self.not_searched,
            not_searched_in_bank: self.not_searched_in_bank,
            pairs: pairs.len() as u64,
            set_aside,
            examples: pairs.iter().take(EXAMPLES).map(example).collect(),
        }
    }

    fn pairs_of(&self, passed: &[RowId]) -> Vec<&Pair> {
        let passed: std::collections::HashSet<u32> = passed.iter().map(|row| row.0).collect();
        self.pairs.iter().filter(|pair| passed.contains(&pair.row.0)).collect()
    }

    /// The rows of `near-misses.csv`, with their header.
    pub fn rows(&self, job: &Job, known: &Known, passed: &[RowId]) -> Vec<u8> {
        let mut out = CsvBuffer::new(Defusing::On);
        for name in NEAR_MISSES {
            out.value(name.as_bytes());
        }
        out.end_row();
        for pair in self.pairs_of(passed) {
            let entry = &self.entries[pair.entry as usize];
            let hold = job.lists[entry.list.0 as usize].hold();
            let (file, number) = known.settled.place(pair.row);
            let file = &known.files.sources[file.0 as usize];
            let sets_aside = self.of(pair.row).is_some_and(|missed| missed.sets_aside);
            let cells = [
                name_of(job, entry.list),
                hold.map_or("", |hold| hold.reason.name()),
                entry.alike.shown(),
                &pair.contact,
                pair.why,
                if sets_aside { "near-miss" } else { "written" },
                &job.sources[file.owner.0 as usize].name,
                &file.input.name(),
                &number.to_string(),
            ];
            for cell in cells {
                out.value(cell.as_bytes());
            }
            out.end_row();
        }
        out.bytes
    }
}

fn name_of(job: &Job, list: ListId) -> &str {
    let list = &job.lists[list.0 as usize];
    list.hold().map_or(list.name(), |hold| &hold.name)
}

/// Looks for near misses, where the job wants it or it takes no time.
pub fn search(job: &Job, known: &Known, setting: &Setting, observer: &dyn Observer) -> Result<NearMissed> {
    let mut found = NearMissed::default();
    let wanted = wanted_lists(job, known, &mut found);
    if !wanted.contains(&true) {
        return Ok(found);
    }
    let room = (setting.memory / MEMORY_PARTS / BYTES_PER_ENTRY).max(1) as usize;
    let mut round: Vec<Entry> = Vec::new();
    let are_many = found.searched > room as u64;
    let mut look = |entry: Entry| {
        round.push(entry);
        if round.len() < room { Ok(()) } else { found.look_for(&std::mem::take(&mut round), known, setting, observer) }
    };
    if are_many {
        for_each_likely(job, known, &wanted, setting, observer, &mut look)?;
    } else {
        for_each_unmatched(job, known, &wanted, &|_| (), setting, observer, &mut look)?;
    }
    found.look_for(&round, known, setting, observer)?;
    // However many rounds it took, in the order of the contacts and then of the entries.
    found.pairs.sort_by_key(|pair| (pair.row, pair.entry));
    found.keep_first();
    found.tell_contacts(job);
    Ok(found)
}

/// Which lists are looked at; counts the entries of all.
fn wanted_lists(job: &Job, known: &Known, found: &mut NearMissed) -> Vec<bool> {
    let unmatched = |list: usize| known.settled.matches[list].unmatched;
    let is_short = known.settled.people() <= QUICK;
    let mut wanted = vec![false; job.lists.len()];
    for (place, list) in job.lists.iter().enumerate() {
        // How often somebody was written to is no matter of one entry.
        let Some(hold) = list.hold().filter(|_| !list.counts_mailings()) else { continue };
        let count = unmatched(place);
        let is_wanted = match hold.near_miss {
            NearMisses::Ignored => continue,
            NearMisses::ReportedIfQuick => is_short && count <= QUICK,
            NearMisses::Reported | NearMisses::SetAside => true,
        };
        let is_bank = list.place_in_bank().is_some();
        // Of what was looked up, the other entries are not there.
        let is_there = !(known.looked_up && is_bank);
        if is_wanted && is_there {
            wanted[place] = count > 0;
            found.searched += count;
        } else {
            found.not_searched += count;
            found.not_searched_in_bank += if is_bank { count } else { 0 };
        }
    }
    wanted
}

impl NearMissed {
    /// Looks for contacts close to these entries, and keeps what it finds.
    fn look_for(&mut self, entries: &[Entry], known: &Known, setting: &Setting, observer: &dyn Observer) -> Result<()> {
        if entries.is_empty() {
            return Ok(());
        }
        let mut place_of: HashMap<u32, u32> = HashMap::new();
        let mut pairs = pairs(known, entries, &Keys::new(entries), setting, observer)?;
        let mut met: Vec<u32> = pairs.iter().map(|pair| pair.entry).collect();
        met.sort_unstable();
        met.dedup();
        for number in met {
            place_of.insert(number, self.entries.len() as u32);
            self.entries.push(entries[number as usize].clone());
        }
        for pair in &mut pairs {
            pair.entry = place_of[&pair.entry];
        }
        self.pairs.append(&mut pairs);
        Ok(())
    }

    /// Keeps the first pairs of each contact with each list, whatever round found them.
    fn keep_first(&mut self) {
        let (mut row, mut of_lists) = (None, HashMap::new());
        let entries = &self.entries;
        self.pairs.retain(|pair| {
            if row != Some(pair.row) {
                row = Some(pair.row);
                of_lists.clear();
            }
            let count = of_lists.entry(entries[pair.entry as usize].list).or_insert(0);
            *count += 1;
            *count <= MOST_PER_LIST
        });
    }

    /// Keeps for each contact what it is close to, in words.
    fn tell_contacts(&mut self, job: &Job) {
        for pair in &self.pairs {
            let entry = &self.entries[pair.entry as usize];
            let hold = job.lists[entry.list.0 as usize].hold();
            let sets_aside = hold.is_some_and(|hold| hold.near_miss == NearMisses::SetAside);
            let text = format!("{}: {}, {}", name_of(job, entry.list), entry.alike.shown(), pair.why);
            let missed = self.by_row.entry(pair.row.0).or_insert(Missed { sets_aside: false, details: String::new() });
            missed.sets_aside |= sets_aside;
            if !missed.details.is_empty() {
                missed.details.push_str("; ");
            }
            missed.details.push_str(&text);
        }
    }
}
