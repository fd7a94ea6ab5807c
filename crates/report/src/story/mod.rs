//! What became of one person in a run: every row, why, and what was written.

pub mod files;
mod tables;

use crate::receipt::people::{Fate, Person};
use crate::receipt::table::Table;
use crate::receipt::{Place, Receipt, written};
use files::{FilesAgain, NotReadFiles};
use pebblebank_core::person::decisions::{Decisions, Named, Verdict};
use pebblebank_core::run::retrace::{NotRead, RetracedEntry, RetracedRow, Stated};
use pebblebank_core::run::setting::Setting;
use pebblebank_core::run::write::people_index::Column;
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::Result;
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::identity::{Identity, stable_digest, without_tag};
use pebblebank_values::look;
use pebblebank_values::text::comparable;
use std::collections::{BTreeSet, HashMap, HashSet};
use std::path::{Path, PathBuf};
use tables::Tables;

/// How far a story goes.
#[derive(Clone, Copy)]
pub struct Reading<'a> {
    /// How files are read.
    pub setting: &'a Setting,
    /// The largest input that is opened again, in bytes.
    pub most_of_input: u64,
}

/// How many rows a story names.
const MOST_ROWS: usize = 200;

/// What became of one person in a run.
#[derive(Debug, Clone, Default)]
pub struct Story {
    /// The rows of the person, in reading order; the first [`MOST_ROWS`].
    pub rows: Vec<RowStory>,
    /// How many rows the person has.
    pub rows_in_all: usize,
    /// How many people have these rows: a value such as a name may be that of several.
    pub people: usize,
    /// How many of them were written.
    pub written_people: usize,
    /// The gravest reason of all rows, those that are not named included.
    gravest: Option<Reason>,
    /// Entries of suppression lists that are close to the person and did not match.
    pub near_misses: Vec<NearMiss>,
    /// The import file and the line in which the address is, if the file is delimited text and still there.
    pub import_line: Option<(PathBuf, u64)>,
    /// If nobody of the run has this address: the closest addresses that were written.
    pub closest: Vec<String>,
    /// Entries of lists that the person has, or that came close to it, as far as the lists are as the run read them.
    pub entries: Vec<ListEntry>,
    /// Why the job writes to the person although a list has it, where it says so.
    pub allowed: Option<String>,
    /// Files that should have been read again and were not, by name: sources of the person, or that were searched for a value,
    /// and lists that the receipt tells of.
    pub not_read: Vec<(String, NotRead)>,
    /// Every address by which the person is known in rows that were read again.
    pub addresses: Vec<String>,
    /// The phone numbers in them.
    pub phones: Vec<String>,
}

/// An entry of a list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ListEntry {
    /// The file.
    pub file: String,
    /// Whether the list is of people who must not be contacted.
    pub suppresses: bool,
    /// The entry.
    pub entry: RetracedEntry,
}

/// What became of one row.
#[derive(Debug, Clone)]
pub struct RowStory {
    /// Its number among all rows of all sources, from 0.
    number: u32,
    /// Where it was read.
    pub place: Place,
    /// The source.
    pub source: String,
    /// The file.
    pub file: String,
    /// What became of it.
    pub fate: Fate,
    /// What the reason rests on: the lists, what the source says, or what the row lacks.
    pub details: String,
    /// The key by which it was merged.
    pub key: String,
    /// The row that survives for the person; none for the survivor itself.
    pub survivor: Option<Place>,
    /// What the survivor was filled with from it.
    pub taken: String,
    /// Its filled cells with their headers: those of the file while it is as it was, else those that the receipt kept, if it
    /// did.
    pub read: Vec<(String, String)>,
    /// What was repaired in it.
    pub repairs: Vec<Repair>,
    /// What it says of consent, cell by cell, if the file is as it was.
    pub consent: Vec<Stated>,
    /// Why somebody took the person out by hand.
    pub note: String,
}

/// A repair.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Repair {
    /// The rule.
    pub rule: String,
    /// The field or header.
    pub field: String,
    /// The value as it was read.
    pub before: String,
    /// The value after it.
    pub after: String,
}

/// An entry that is close to a contact.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NearMiss {
    /// The list.
    pub list: String,
    /// The entry.
    pub entry: String,
    /// What makes them close.
    pub why: String,
}

impl Story {
    /// Whether a row of the person was written.
    pub fn is_written(&self) -> bool {
        self.written_people > 0
    }

    /// The gravest reason for which a row of the person was set aside.
    pub fn reason(&self) -> Option<Reason> {
        self.gravest
    }

    /// Counts the people of the rows, by what the index knows of all of them and the tables of the rest.
    fn count_people(&mut self, fates: &HashMap<u32, Person>) {
        let survivors: HashSet<u32> = fates.values().map(|person| person.survivor).collect();
        let unknown: Vec<Fate> =
            self.rows.iter().filter(|row| !fates.contains_key(&row.number)).map(|row| row.fate).collect();
        let is_end = |fate: &&Fate| **fate != Fate::Merged;
        self.people = survivors.len() + unknown.iter().filter(is_end).count();
        let written = fates.values().filter(|person| person.fate == Fate::Written).map(|person| person.survivor);
        let written: HashSet<u32> = written.collect();
        self.written_people = written.len() + unknown.iter().filter(|fate| **fate == Fate::Written).count();
        let reason = |fate: Fate| match fate {
            Fate::SetAside(reason) => Some(reason),
            Fate::Written | Fate::Merged => None,
        };
        self.gravest = fates.values().map(|person| person.fate).chain(unknown).filter_map(reason).min();
    }
}

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
    if people.is_empty() {
        let found = match &named {
            Some(Named::Address(address)) => {
                let found = files.rows_with(&is_address(asked, address, job.clean.identity), &mut not_read);
                // Every address of a row is in the index, so that nothing was passed over.
                not_read.clear();
                found
            }
            Some(Named::By(_, value)) => files.rows_with(&is_value(value), &mut not_read),
            None => files.rows_with(&is_value(asked), &mut not_read),
        };
        let rows = Numbers::of(found.iter().copied());
        let of_person = receipt.people_by(Column::Row, threads, |row| rows.contain(row))?;
        let survivors = Numbers::of(of_person.iter().map(|person| person.survivor));
        let all = receipt.people_by(Column::Survivor, threads, |row| survivors.contain(row))?;
        has_written_without_address = !found.is_empty() && written::without_address(receipt, threads)? > 0;
        numbers.extend(found.iter().copied().chain(all.iter().map(|person| person.row)));
        fates.extend(all.into_iter().map(|person| (person.row, person)));
    }
    story.rows_in_all = numbers.len();
    let mut tables = Tables::open(receipt)?;
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
        story.read_again(&files, &fates, &mut not_read);
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

/// Whether a cell is what was asked for, or an address that the job compares as equal to it.
fn is_address(asked: &str, address: &str, identity: Identity) -> impl Fn(&str) -> bool {
    let is_same_text = is_value(asked);
    let untagged = |address: &[u8]| without_tag(address).into_owned();
    let own = untagged(address.as_bytes());
    let asked_for = address.to_owned();
    move |cell: &str| {
        let is_same_but_for_tag = || {
            let mut cleaner = AddressCleaner::default();
            cell.contains('@') && untagged(cleaner.clean(cell.as_bytes()).identity) == own
        };
        // A remark or a shifted cell may have it among other words.
        let has_it = || cell.contains('@') && look::addresses_in(cell).contains(&asked_for);
        is_same_text(cell) || has_it() || (identity == Identity::IgnoreTags && is_same_but_for_tag())
    }
}

/// Whether a cell has the value, as it is compared: letter case does not count, nor do the signs of a number.
fn is_value(value: &str) -> impl Fn(&str) -> bool {
    let wanted = comparable(value.trim()).into_owned();
    let digits = digits_of(value);
    move |cell: &str| comparable(cell.trim()) == wanted || (digits.len() > 5 && ends_alike(&digits_of(cell), &digits))
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

/// The digits of a phone number, without an extension behind it; empty for text.
fn digits_of(text: &str) -> String {
    let number = text.trim().split(|sign: char| sign.is_alphabetic() || sign == '@').next().unwrap_or_default();
    let is_number = number.chars().all(|sign| sign.is_ascii_digit() || " +()-./\u{a0}".contains(sign));
    if is_number { number.chars().filter(char::is_ascii_digit).collect() } else { String::new() }
}

/// Whether two numbers are the same but for what stands in front: a country or trunk prefix.
fn ends_alike(a: &str, b: &str) -> bool {
    let (a, b) = (a.trim_start_matches('0'), b.trim_start_matches('0'));
    let (long, short) = if a.len() > b.len() { (a, b) } else { (b, a) };
    short.len() > 5 && long.ends_with(short) && long.len() - short.len() <= 3
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
