//! What became of one person in a run: every row, why, and what was written.

use crate::receipt::people::{Fate, Person};
use crate::receipt::table::{Table, TableRow};
use crate::receipt::{Place, Receipt};
use pebblebank_core::person::decisions::{Decisions, Named, Verdict};
use pebblebank_core::run::write::people_index::Column;
use pebblebank_core::run::write::written_people;
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::charset::Charset;
use pebblebank_table::csv::without_defusing;
use pebblebank_table::dialect::Dialect;
use pebblebank_table::encoding::{BadBytesAre, Decoding};
use pebblebank_table::record::{RecordEnd, split_record};
use pebblebank_table::saved_table::{rows, rows_in};
use pebblebank_table::{Error, Result, cell, recognise_dialect};
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::identity::stable_digest;
use pebblebank_values::text::comparable;
use std::borrow::Cow;
use std::collections::{BTreeSet, HashMap, HashSet};
use std::io::Read;
use std::path::{Path, PathBuf};

/// How far a story goes.
#[derive(Debug, Clone, Copy)]
pub struct Reading {
    /// How many threads work.
    pub threads: usize,
    /// The largest input that is opened for the words of a row, in bytes.
    pub most_of_input: u64,
}

/// How many close addresses are offered.
const CLOSEST: usize = 3;

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
    /// Sources that were searched for a value and could not be, since they changed or are no delimited text.
    pub not_searched: Vec<String>,
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
    /// Its cells as they were read, with their headers; empty if they are not known any more.
    pub read: Vec<(String, String)>,
    /// What was repaired in it.
    pub repairs: Vec<Repair>,
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
    let threads = reading.threads;
    let mut story = Story::default();
    let named = Named::parse(asked);
    let people = match &named {
        Some(Named::Address(address)) => people_of(receipt, &stable_digest(address.as_bytes()), threads)?,
        _ => Vec::new(),
    };
    let mut numbers: BTreeSet<u32> = people.iter().map(|person| person.row).collect();
    let mut fates: HashMap<u32, Person> = people.iter().map(|person| (person.row, *person)).collect();
    let mut has_written_without_address = false;
    let is_address = matches!(named, Some(Named::Address(_)));
    if people.is_empty() {
        let value = match &named {
            Some(Named::By(_, value)) => value.as_str(),
            _ => asked,
        };
        let found = rows_with(receipt, value, reading, &mut story.not_searched);
        let rows = Numbers::of(found.iter().copied());
        let of_person = receipt.people_by(Column::Row, threads, |row| rows.contain(row))?;
        let survivors = Numbers::of(of_person.iter().map(|person| person.survivor));
        let all = receipt.people_by(Column::Survivor, threads, |row| survivors.contain(row))?;
        has_written_without_address = !found.is_empty() && written_without_address(receipt, threads)? > 0;
        numbers.extend(found.iter().copied().chain(all.iter().map(|person| person.row)));
        fates.extend(all.into_iter().map(|person| (person.row, person)));
        if is_address {
            // Every address of a row is in the index, so that nothing was passed over.
            story.not_searched.clear();
        }
    }
    story.rows_in_all = numbers.len();
    let mut tables = Tables::open(receipt)?;
    for number in numbers.into_iter().take(MOST_ROWS) {
        let row = tables.row(receipt, number, fates.get(&number), reading)?;
        // A row that neither the index nor a table knows was written without an address, or is a header and no contact.
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
            story.closest = closest(receipt, address)?;
        }
    } else {
        story.near_misses = near_misses(receipt, &story.rows)?;
        note_decision(receipt, &mut story);
        if let Some(Named::Address(address)) = &named {
            story.import_line = crate::new_rows::line_of(receipt, address, reading.most_of_input);
        }
    }
    Ok(story)
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

/// How many contacts were written that have no address, so that the index does not know them.
pub fn written_without_address(receipt: &Receipt, threads: usize) -> Result<u64> {
    let written = receipt.tally["all"]["written"].as_u64().unwrap_or_default();
    // The records of a row stand together, but may be split between two threads.
    let rows = receipt.people(threads, |person| person.fate == Fate::Written)?;
    let known = rows.chunk_by(|a, b| a.row == b.row).count() as u64;
    Ok(written.saturating_sub(known))
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

/// The tables that tell of rows.
struct Tables {
    set_aside: Option<Table>,
    merged: Option<Table>,
    repairs: Option<Table>,
}

impl Tables {
    fn open(receipt: &Receipt) -> Result<Tables> {
        let is_as_written = |name: &str| !receipt.is_unsealed && !receipt.edited.iter().any(|edited| edited == name);
        let open = |name: &str| Table::open(&receipt.path(name), &receipt.inputs, is_as_written(name));
        Ok(Tables { set_aside: open("set-aside.csv")?, merged: open("merged.csv")?, repairs: open("repairs.csv")? })
    }

    /// The story of a row; none if its number is none of this run.
    fn row(
        &mut self,
        receipt: &Receipt,
        number: u32,
        person: Option<&Person>,
        reading: Reading,
    ) -> Result<Option<RowStory>> {
        let Some(place) = receipt.place(u64::from(number)) else { return Ok(None) };
        let input = &receipt.inputs[place.input];
        let mut story = RowStory {
            number,
            source: input.of.clone(),
            file: input.file.clone(),
            fate: person.map_or(Fate::Written, |person| person.fate),
            details: String::new(),
            key: String::new(),
            survivor: None,
            taken: String::new(),
            read: Vec::new(),
            repairs: self.repairs_at(&place)?,
            note: String::new(),
            place: place.clone(),
        };
        if let Some(person) = person.filter(|person| person.survivor != person.row) {
            story.survivor = receipt.place(u64::from(person.survivor));
        }
        let is_known = person.is_some();
        if !is_known || matches!(story.fate, Fate::SetAside(_)) {
            self.tell_set_aside(&place, &mut story)?;
        }
        if !is_known || story.fate == Fate::Merged {
            self.tell_merged(receipt, &place, &mut story)?;
        }
        if story.read.is_empty() {
            story.read = as_read(receipt, &place, person, reading);
        }
        Ok(Some(story))
    }

    fn tell_set_aside(&mut self, place: &Place, story: &mut RowStory) -> Result<()> {
        let Some(table) = &mut self.set_aside else { return Ok(()) };
        let rows = table.at(place)?;
        let Some(row) = rows.first() else { return Ok(()) };
        let name = table.cell(row, "pebblebank_reason");
        if let Some(reason) = Reason::ALL.into_iter().find(|reason| reason.name() == name) {
            story.fate = Fate::SetAside(reason);
        }
        table.cell(row, "pebblebank_details").clone_into(&mut story.details);
        story.read = read_cells(table, row);
        Ok(())
    }

    fn tell_merged(&mut self, receipt: &Receipt, place: &Place, story: &mut RowStory) -> Result<()> {
        let Some(table) = &mut self.merged else { return Ok(()) };
        let rows = table.at(place)?;
        let Some(row) = rows.first() else { return Ok(()) };
        story.fate = Fate::Merged;
        table.cell(row, "pebblebank_key").clone_into(&mut story.key);
        table.cell(row, "pebblebank_taken").clone_into(&mut story.taken);
        let cell = |name: &str| table.cell(row, name);
        let (source, file) = (cell("pebblebank_survivor_source"), cell("pebblebank_survivor_file"));
        let is_it = |input: &&crate::receipt::Input| input.of == source && input.file == file && input.part == "source";
        let input = receipt.inputs.iter().position(|input| is_it(&input));
        let number = cell("pebblebank_survivor_row").parse().ok();
        story.survivor = input.zip(number).map(|(input, row)| Place { input, row }).or(story.survivor.take());
        story.read = read_cells(table, row);
        Ok(())
    }

    fn repairs_at(&mut self, place: &Place) -> Result<Vec<Repair>> {
        let Some(table) = &mut self.repairs else { return Ok(Vec::new()) };
        let rows = table.at(place)?;
        let repair = |row: &TableRow| {
            let cell = |name: &str| table.cell(row, name).to_owned();
            Repair {
                rule: cell("pebblebank_rule"),
                field: cell("pebblebank_field"),
                before: cell("pebblebank_before"),
                after: cell("pebblebank_after"),
            }
        };
        Ok(rows.iter().map(repair).collect())
    }
}

/// The cells that are filled, without those of the receipt itself.
fn read_cells(table: &Table, row: &TableRow) -> Vec<(String, String)> {
    let cells = table.header.iter().zip(&row.cells);
    let own = cells.filter(|(header, value)| !header.starts_with("pebblebank_") && !value.trim().is_empty());
    own.map(|(header, value)| (header.clone(), value.clone())).collect()
}

/// The cells of a row of an input, if it is delimited text that is still as it was.
///
/// Lines may be split otherwise than the run did it, so the row must have the address that the run found in it.
fn as_read(receipt: &Receipt, place: &Place, person: Option<&Person>, reading: Reading) -> Vec<(String, String)> {
    let Some(text) = text_of(receipt, place.input, reading) else { return Vec::new() };
    let bytes = text.trim_start_matches('\u{feff}').as_bytes();
    let dialect = recognise_dialect(bytes);
    let (mut at, mut row, mut ends) = (0, 1, Vec::new());
    let mut header: Vec<Vec<String>> = Vec::new();
    while at < bytes.len() {
        ends.clear();
        let next = match split_record(bytes, at, dialect, true, &mut ends) {
            RecordEnd::At(next) => next,
            RecordEnd::NeedsMore => bytes.len(),
        };
        if row == place.row || header.len() < HEADER_IS_WITHIN {
            let Some((_, cells)) = rows_in(&bytes[at..next], dialect).into_iter().next() else { return Vec::new() };
            if row < place.row {
                header.push(cells);
            } else {
                return named_cells(&header, cells, person);
            }
        }
        row += 1;
        at = next;
    }
    Vec::new()
}

/// How many rows at the top may be the header.
const HEADER_IS_WITHIN: usize = 20;

fn named_cells(above: &[Vec<String>], cells: Vec<String>, person: Option<&Person>) -> Vec<(String, String)> {
    let mut cleaner = AddressCleaner::default();
    let mut has = |identity: &[u8; 12]| {
        let of_cell = |cell: &String| {
            let address = cleaner.clean(cell.as_bytes());
            let further = address.further.iter().map(|further| further.identity.as_bytes());
            std::iter::once(address.identity).chain(further).any(|found| stable_digest(found) == *identity)
        };
        cells.iter().any(of_cell)
    };
    if person.is_some_and(|person| !has(&person.identity)) {
        return Vec::new();
    }
    let header = above.iter().find(|header| header.len() == cells.len());
    let name = |column: usize| header.and_then(|header| header.get(column)).cloned().unwrap_or_default();
    let filled = cells.into_iter().enumerate().filter(|(_, value)| !value.trim().is_empty());
    filled.map(|(column, value)| (name(column), value)).collect()
}

/// The text of an input that is delimited text, and still as it was.
fn text_of(receipt: &Receipt, input: usize, reading: Reading) -> Option<String> {
    let file = &receipt.inputs[input];
    let of_tally = receipt.tally["sources"].as_array()?.iter().find(|source| source["name"] == *file.of)?;
    let known = of_tally["files"].as_array()?.iter().find(|known| known["file"] == *file.file)?;
    if known["format"] != "delimited text" {
        return None;
    }
    let charset = Charset::named(known["encoding"].as_str()?)?;
    let bytes = file.unchanged(reading.most_of_input)?;
    let mut text = String::new();
    // A text of two encodings is read as the run read it.
    let is_utf_8 = charset == encoding_rs::UTF_8;
    let bad_bytes = if is_utf_8 { BadBytesAre::Windows1252 } else { BadBytesAre::Errors };
    Decoding::new(&bytes[..], charset, bad_bytes, false).read_to_string(&mut text).ok()?;
    Some(text)
}

/// The rows in which some cell has the value, as it is compared: letter case does not count, nor do the signs of a number.
fn rows_with(receipt: &Receipt, value: &str, reading: Reading, not_searched: &mut Vec<String>) -> HashSet<u32> {
    let wanted = comparable(value.trim()).into_owned();
    let digits = digits_of(value);
    let is_it = |cell: &String| {
        comparable(cell.trim()) == wanted || (digits.len() > 5 && ends_alike(&digits_of(cell), &digits))
    };
    let mut found = HashSet::new();
    for (place, input) in receipt.inputs.iter().enumerate().filter(|(_, input)| input.part == "source") {
        let Some(text) = text_of(receipt, place, reading) else {
            not_searched.push(input.file.clone());
            continue;
        };
        let all = rows(&text);
        if all.len() as u64 != input.records {
            not_searched.push(input.file.clone());
            continue;
        }
        for (row, _) in all.iter().enumerate().filter(|(_, (_, cells))| cells.iter().any(is_it)) {
            let number = receipt.number(&Place { input: place, row: row as u64 + 1 });
            found.extend(number.and_then(|number| u32::try_from(number).ok()));
        }
    }
    found
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

/// The addresses that were written and are closest to one that is in no row.
fn closest(receipt: &Receipt, address: &str) -> Result<Vec<String>> {
    let path = receipt.path("written.csv");
    let bytes = match std::fs::read(&path) {
        Err(cause) if cause.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
        other => other.map_err(|cause| Error::unreadable(&path, &cause))?,
    };
    let limit = 1 + address.len() / 8;
    let mut found: Vec<(usize, Cow<'_, str>)> = Vec::new();
    for line in bytes.split(|byte| *byte == b'\n') {
        // Most addresses are told apart by their length.
        if line.len().abs_diff(address.len()) > limit + 2 {
            continue;
        }
        let other = String::from_utf8_lossy(line);
        let distance = strsim::osa_distance(&other, address);
        if distance <= limit {
            found.push((distance, other));
            found.sort_by(|a, b| a.0.cmp(&b.0).then_with(|| a.1.cmp(&b.1)));
            found.truncate(CLOSEST);
        }
    }
    let plain = |(_, text): (usize, Cow<'_, str>)| {
        let value = without_defusing(cell::value(text.as_bytes()));
        String::from_utf8_lossy(&value).into_owned()
    };
    Ok(found.into_iter().map(plain).collect())
}

/// The addresses of everybody who was written, in reading order; none if the receipt has no list of them.
pub fn written_addresses(receipt: &Receipt) -> Result<Option<Vec<String>>> {
    let path = receipt.path("written.csv");
    let bytes = match std::fs::read(&path) {
        Err(cause) if cause.kind() == std::io::ErrorKind::NotFound => return Ok(None),
        other => other.map_err(|cause| Error::unreadable(&path, &cause))?,
    };
    let mut rows = rows_in(&bytes, Dialect::COMMA).into_iter().map(|(_, mut cells)| cells.swap_remove(0));
    Ok((rows.next().as_deref() == Some(written_people::HEADER)).then(|| rows.collect()))
}
