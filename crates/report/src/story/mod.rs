//! What became of one person in a run: every row, why, and what was written.

mod cells;
pub mod files;
mod tables;
mod told;

pub use told::{ListEntry, NearMiss, Reading, Repair, RowStory, Story};

use crate::receipt::people::{Fate, Person};
use crate::receipt::table::Table;
use crate::receipt::{Receipt, written};
use cells::{is_address, is_value};
use files::{FilesAgain, NotReadFiles};
use pebblebank_core::person::decisions::{Decisions, Named, Verdict};
use pebblebank_core::run::retrace::RetracedRow;
use pebblebank_core::run::write::people_index::Column;
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::Result;
use pebblebank_values::identity::stable_digest;
use pebblebank_values::text::comparable;
use std::collections::{BTreeSet, HashMap};
use std::path::{Path, PathBuf};
use tables::Tables;

/// How many rows a story names.
const MOST_ROWS: usize = 200;

/// Tells what became of a person, who is named by an address, by `field = value`, or by a value of any column.
pub fn tell(receipt: &Receipt, asked: &str, reading: Reading) -> Result<Story> {
    let threads = reading.setting.threads;
    let job = files::job_of(receipt);
    let files = FilesAgain::new(receipt, &job, &reading);
    let mut story = Story::default();
    let mut not_read = NotReadFiles::new();
    let named = Named::parse(asked);
    let people = match &named {
        Some(Named::Address(address)) => people_of(receipt, &stable_digest(address.as_bytes()), threads)?,
        _ => Vec::new(),
    };
    let mut numbers: BTreeSet<u32> = people.iter().map(|person| person.row).collect();
    let mut fates: HashMap<u32, Person> = people.iter().map(|person| (person.row, *person)).collect();
    let mut has_written_without_address = false;
    let mut tables = Tables::open(receipt)?;
    if people.is_empty() {
        let is_it: Box<dyn Fn(&str) -> bool> = match &named {
            Some(Named::Address(address)) => Box::new(is_address(asked, address, job.clean.identity)),
            Some(Named::By(_, value)) => Box::new(is_value(value)),
            None => Box::new(is_value(asked)),
        };
        let mut found = files.rows_with(&is_it, &mut not_read);
        if !not_read.is_empty() {
            // What the receipt kept of rows can still be searched.
            found.extend(tables.rows_with(receipt, &is_it, reading.most_of_input)?);
        }
        let rows = Numbers::of(found.iter().copied());
        let of_person = receipt.people_by(Column::Row, threads, |row| rows.contain(row))?;
        let survivors = Numbers::of(of_person.iter().map(|person| person.survivor));
        let all = receipt.people_by(Column::Survivor, threads, |row| survivors.contain(row))?;
        has_written_without_address = !found.is_empty() && written::without_address(receipt, threads)? > 0;
        numbers.extend(found.iter().copied().chain(all.iter().map(|person| person.row)));
        fates.extend(all.into_iter().map(|person| (person.row, person)));
    }
    story.rows_in_all = numbers.len();
    for number in numbers.into_iter().take(MOST_ROWS) {
        let row = tables.row(receipt, number, fates.get(&number))?;
        // A row that neither the index nor a table knows was written without an address, or is a footnote and no contact.
        let is_told =
            |row: &RowStory| row.fate != Fate::Written || fates.contains_key(&number) || has_written_without_address;
        story.rows.extend(row.filter(is_told));
    }
    if story.rows_in_all <= MOST_ROWS {
        story.rows_in_all = story.rows.len();
    }
    story.count_people(&fates);
    if story.rows.is_empty() {
        if let Some(Named::Address(address)) = &named {
            story.closest = written::closest(receipt, address)?;
        }
    } else {
        story.near_misses = near_misses(receipt, &story.rows)?;
        if reading.is_whole {
            story.read_again(&files, &fates, &mut not_read);
        }
        note_decision(receipt, &mut story);
        if let Some(Named::Address(address)) = &named {
            story.import_line = crate::new_rows::line_of(receipt, address, reading.most_of_input);
        }
    }
    story.not_read = not_read.into_iter().collect();
    Ok(story)
}

impl Story {
    /// Adds what the files of the run say of the rows, and the entries of lists that these have.
    fn read_again(&mut self, files: &FilesAgain, fates: &HashMap<u32, Person>, not_read: &mut NotReadFiles) {
        let mut again = files.rows(&self.rows, not_read);
        for row in &mut self.rows {
            let known = fates.get(&row.number);
            // Another version of the program may number rows otherwise.
            let is_it = |again: &&RetracedRow| {
                let has = |person: &Person| {
                    again.addresses.iter().any(|address| stable_digest(address.as_bytes()) == person.identity)
                };
                known.is_none_or(has)
            };
            match again.get(&row.place).filter(is_it) {
                Some(found) => {
                    row.read.clone_from(&found.cells);
                    row.consent.clone_from(&found.consent);
                    add_new(&mut self.addresses, &found.addresses);
                    add_new(&mut self.phones, &found.phones);
                }
                None => {
                    again.remove(&row.place);
                }
            }
        }
        let found: Vec<&RetracedRow> = again.values().collect();
        self.entries = files.entries(&found, &self.rows, &self.near_misses, not_read);
        self.allowed = files.allowed(&self.addresses);
    }
}

fn add_new(known: &mut Vec<String>, found: &[String]) {
    for text in found {
        if !known.contains(text) {
            known.push(text.clone());
        }
    }
}

/// Adds why somebody was taken out by hand, if the file of decisions still says so.
fn note_decision(receipt: &Receipt, story: &mut Story) {
    let is_out = |row: &&mut RowStory| row.fate == Fate::SetAside(Reason::RemovedByHand);
    let Some(row) = story.rows.iter_mut().find(is_out) else { return };
    let Some(file) = receipt.tally["decisions"].as_str() else { return };
    let beside_job = receipt.job_file.as_deref().and_then(Path::parent).map(|folder| folder.join(file));
    let decisions = [Some(PathBuf::from(file)), beside_job].into_iter().flatten();
    let mut decisions = decisions;
    let Some(decisions) = decisions.find_map(|path| Decisions::read(&path).ok().flatten()) else { return };
    let values: Vec<String> = row.read.iter().map(|(_, value)| comparable(value.trim()).into_owned()).collect();
    let names = |named: &Named| match named {
        Named::Address(address) => values.iter().any(|value| value.contains(&comparable(address).into_owned())),
        Named::By(_, value) => values.contains(&comparable(value).into_owned()),
    };
    let made = decisions.all.iter().find(|made| made.verdict == Verdict::TakeOut && names(&made.person));
    row.note = made.map_or(String::new(), |made| made.note.clone());
}

/// The records of everybody who has the identity, and of all rows that were merged with theirs.
fn people_of(receipt: &Receipt, identity: &[u8; 12], threads: usize) -> Result<Vec<Person>> {
    let [a, b, c, d, ..] = *identity;
    let start = u32::from_le_bytes([a, b, c, d]);
    let mut own = receipt.people_by(Column::IdentityStart, threads, |other| other == start)?;
    own.retain(|person| person.identity == *identity);
    if own.is_empty() {
        return Ok(Vec::new());
    }
    let survivors = Numbers::of(own.iter().map(|person| person.survivor));
    receipt.people_by(Column::Survivor, threads, |row| survivors.contain(row))
}

/// A few numbers that each of millions of records is asked for: mostly one.
struct Numbers {
    sorted: Vec<u32>,
    first: u32,
    last: u32,
}

impl Numbers {
    fn of(numbers: impl Iterator<Item = u32>) -> Numbers {
        let mut sorted: Vec<u32> = numbers.collect();
        sorted.sort_unstable();
        sorted.dedup();
        // Without numbers the range is empty.
        let (first, last) = (sorted.first().copied().unwrap_or(1), sorted.last().copied().unwrap_or(0));
        Numbers { sorted, first, last }
    }

    #[inline]
    fn contain(&self, number: u32) -> bool {
        self.first <= number && number <= self.last && self.sorted.binary_search(&number).is_ok()
    }
}

fn near_misses(receipt: &Receipt, of: &[RowStory]) -> Result<Vec<NearMiss>> {
    let Some(mut table) = Table::open(&receipt.path("near-misses.csv"), &receipt.inputs, false)? else {
        return Ok(Vec::new());
    };
    let mut found = Vec::new();
    for row in of {
        for near in table.at(&row.place)? {
            let cell = |name: &str| table.cell(&near, name).to_owned();
            let list = cell("pebblebank_list");
            found.push(NearMiss { list, entry: cell("pebblebank_entry"), why: cell("pebblebank_why") });
        }
    }
    Ok(found)
}
