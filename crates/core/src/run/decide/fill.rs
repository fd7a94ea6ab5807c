//! What persons are given from elsewhere before they are written: blank fields from their other rows, values from lists.
//!
//! The rows of persons with several are read again, sorted by person on disk, and folded into one; so are the rows of
//! lists that values are taken from. What comes of it lies in a nameless file in the order of the rows, for the second
//! pass to read alongside.

use super::copies::sort_copies;
use super::crossings::SharedValues;
use super::known::Known;
use crate::clean::plan::{CleaningPlan, Wanted};
use crate::columns::mapping::ColumnMap;
use crate::columns::value::ValueSource;
use crate::job::Job;
use crate::layout::receipt::AllColumns;
use crate::person::same::Survivor;
use crate::run::contact::ContactReader;
use crate::run::contact::ContactWishes;
use crate::run::contact::keys::{self, Rank};
use crate::run::gather::chunks::Reading;
use crate::run::gather::lists::{EntryScratch, ListPlan, read_list_chunk};
use crate::run::open::files::OpenFile;
use crate::run::open::fit::{cleaning_wishes, fields_that_others_follow};
use crate::run::setting::Setting;
use crate::run::tally::FillTally;
use crate::run::tally::TakenTally;
use pebblebank_table::csv::Defusing;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::sorter::{Sorted, Sorter};
use pebblebank_table::spill::{Spill, SpillReader, SpillWriter};
use pebblebank_table::split::RecordBuffer;
use pebblebank_table::units::{ColumnIndex, ListId, RowId, SourceId};
use pebblebank_table::{CsvBuffer, Error, Record, Records, Result};
use pebblebank_values::blank::BlankWords;
use pebblebank_values::date::DateOrder;
use pebblebank_values::text::comparable;
use pebblebank_values::{ColumnRef, Field, Kind, name, tags};
use std::collections::HashSet;
use std::sync::Arc;

/// What a record of the supplies is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SupplyKind {
    /// Values that the survivor is written with.
    Filled,
    /// The names of the columns that were taken from a merged row.
    TakenFrom,
    /// Values of a list, for fields that are blank.
    FromList,
}

impl SupplyKind {
    fn from_byte(byte: u8) -> SupplyKind {
        match byte {
            0 => SupplyKind::Filled,
            1 => SupplyKind::TakenFrom,
            _ => SupplyKind::FromList,
        }
    }
}

/// What one row is given.
#[derive(Debug)]
pub struct Supply {
    /// The row.
    pub row: RowId,
    /// Which part of it.
    pub kind: SupplyKind,
    payload: Vec<u8>,
}

impl Supply {
    /// The values by their place among the supplied columns.
    pub fn cells(&self) -> impl Iterator<Item = (usize, &[u8])> {
        let mut rest = &self.payload[..];
        std::iter::from_fn(move || {
            let (place, after) = take_u32(rest)?;
            let (value, after) = take_text(after)?;
            rest = after;
            Some((place as usize, value))
        })
    }

    /// The names of the columns, of [`SupplyKind::TakenFrom`].
    pub fn names(&self) -> &[u8] {
        &self.payload
    }
}

fn take_u32(bytes: &[u8]) -> Option<(u32, &[u8])> {
    let (number, rest) = bytes.split_first_chunk::<4>()?;
    Some((u32::from_le_bytes(*number), rest))
}

fn take_text(bytes: &[u8]) -> Option<(&[u8], &[u8])> {
    let (length, rest) = take_u32(bytes)?;
    rest.split_at_checked(length as usize)
}

fn put_text(out: &mut Vec<u8>, text: &[u8]) {
    out.extend_from_slice(&(text.len() as u32).to_le_bytes());
    out.extend_from_slice(text);
}

/// All supplies of a run, in the order of their rows.
#[derive(Debug)]
pub struct Supplies {
    spill: Spill,
    /// How much was filled.
    pub fill: FillTally,
    /// How much was taken, by list.
    pub taken: Vec<TakenTally>,
}

/// Reads supplies from the first on.
#[derive(Debug)]
pub struct SupplyReader {
    reader: SpillReader,
    ahead: Option<Supply>,
}

impl Supplies {
    /// Gathers what the job has persons filled with; `conflicts` takes the differing values as rows of CSV.
    pub fn gather(
        job: &Job,
        known: &Known,
        setting: &Setting,
        observer: &dyn Observer,
        conflicts: &mut dyn FnMut(&[u8]) -> Result<()>,
    ) -> Result<Option<Supplies>> {
        let Some(columns) = &known.files.supplied else { return Ok(None) };
        let memory = setting.memory / 8;
        let mut supplies = Sorter::new(memory, &known.spool_folder);
        let mut fill = FillTally::default();
        if job.person.fill {
            let mut all = columns.columns.clone();
            all.extend(fields_that_others_follow(&columns.columns));
            let copies = sorted_copies(job, known, &all, setting, memory, observer)?;
            let (filled, supplies) = (columns.columns.len(), &mut supplies);
            Folding { known, job, columns: &all, filled, supplies, tally: &mut fill, conflicts }.fold(copies)?;
        }
        let taken = take_from_lists(job, known, columns, memory, &mut supplies, observer)?;
        let mut out = SpillWriter::new(&known.spool_folder)?;
        let mut sorted = supplies.finish()?;
        while let Some((key, payload)) = sorted.next()? {
            out.frame(&[&key[..5], payload])?;
        }
        Ok(Some(Supplies { spill: out.finish()?, fill, taken }))
    }

    /// Begins to read them.
    pub fn reader(&self) -> Result<SupplyReader> {
        let mut reader = SupplyReader { reader: self.spill.reader()?, ahead: None };
        reader.ahead = reader.read()?;
        Ok(reader)
    }
}

impl SupplyReader {
    /// Those of rows before `end`, as far as they were not given yet.
    pub fn up_to(&mut self, end: RowId) -> Result<Vec<Supply>> {
        let mut found = Vec::new();
        while let Some(supply) = self.ahead.take_if(|supply| supply.row < end) {
            found.push(supply);
            self.ahead = self.read()?;
        }
        Ok(found)
    }

    fn read(&mut self) -> Result<Option<Supply>> {
        let Some(frame) = self.reader.next()? else { return Ok(None) };
        let (head, payload) = frame.split_first_chunk::<5>().ok_or_else(Error::defect)?;
        let [a, b, c, d, kind] = *head;
        let row = RowId(u32::from_be_bytes([a, b, c, d]));
        Ok(Some(Supply { row, kind: SupplyKind::from_byte(kind), payload: payload.to_vec() }))
    }
}

/// The rows of people with several, with their values by column, sorted by person and then by rank.
fn sorted_copies(
    job: &Job,
    known: &Known,
    columns: &[ColumnRef],
    setting: &Setting,
    memory: u64,
    observer: &dyn Observer,
) -> Result<Sorted> {
    let files = &known.files;
    let of_file = |(file, plan): (&OpenFile<SourceId>, &CleaningPlan)| {
        let source = |column| ValueSource::new(column, &plan.map, file.is_receipt);
        columns.iter().map(source).collect::<Vec<_>>()
    };
    let sources: Vec<Vec<ValueSource>> = files.sources.iter().zip(&files.cleaning).map(of_file).collect();
    sort_copies(job, known, setting, memory, observer, |copy, payload| {
        if known.settled.is_left_out(copy.row) {
            return;
        }
        payload.extend_from_slice(&copy.row.0.to_le_bytes());
        for source in &sources[copy.file] {
            put_text(payload, &source.filled(&copy.contact.cleaned, copy.contact.address.text, &job.clean.blank_words));
        }
    })
}

/// Folds the rows of each person into what its survivor is given.
struct Folding<'a> {
    known: &'a Known,
    job: &'a Job,
    /// The columns that are filled, then those that some of them follow from.
    columns: &'a [ColumnRef],
    /// How many of these are filled.
    filled: usize,
    supplies: &'a mut Sorter,
    tally: &'a mut FillTally,
    conflicts: &'a mut dyn FnMut(&[u8]) -> Result<()>,
}

/// A row of a person, with its values by column.
struct Copy {
    row: RowId,
    values: Vec<Vec<u8>>,
}

impl Copy {
    fn read(payload: &[u8], columns: usize) -> Option<Copy> {
        let (row, mut rest) = take_u32(payload)?;
        let mut values = Vec::with_capacity(columns);
        for _ in 0..columns {
            let (value, after) = take_text(rest)?;
            values.push(value.to_vec());
            rest = after;
        }
        Some(Copy { row: RowId(row), values })
    }
}

impl Folding<'_> {
    fn fold(&mut self, mut copies: Sorted) -> Result<()> {
        let mut person: Vec<Copy> = Vec::new();
        let mut survivor = Vec::new();
        while let Some((key, payload)) = copies.next()? {
            if survivor != key[..4] {
                self.person(&person)?;
                person.clear();
                survivor = key[..4].to_vec();
            }
            person.extend(Copy::read(payload, self.columns.len()));
        }
        self.person(&person)
    }

    /// `copies` are in the survivor's ranking, itself first.
    fn person(&mut self, copies: &[Copy]) -> Result<()> {
        let [survivor, others @ ..] = copies else { return Ok(()) };
        let filled = Filled::new(self.columns, copies);
        let mut given = Vec::new();
        let mut taken: Vec<Vec<&str>> = vec![Vec::new(); others.len()];
        for (place, column) in self.columns[..self.filled].iter().enumerate() {
            let own = &survivor.values[place];
            match column {
                ColumnRef::Field(Field::Email) => {}
                ColumnRef::Field(Field::Tags) => {
                    let united = united_tags(copies.iter().map(|copy| &copy.values[place][..]));
                    if united.as_bytes() != own.as_slice() {
                        self.give(place, united.as_bytes(), &mut given);
                        for (other, taken) in others.iter().zip(&mut taken) {
                            if !other.values[place].is_empty() {
                                taken.push(column.name());
                            }
                        }
                    }
                }
                column => match self.following(column, survivor, &filled) {
                    Some(value) if !value.is_empty() => {
                        if value != *own {
                            self.give(place, &value, &mut given);
                        }
                        self.conflicts_in(column, place, (survivor.row, &value), others)?;
                    }
                    _ => {
                        let Some(kept) = filled.kept[place] else { continue };
                        let value = &copies[kept].values[place];
                        if kept > 0 {
                            self.give(place, value, &mut given);
                            taken[kept - 1].push(column.name());
                        }
                        self.conflicts_in(column, place, (copies[kept].row, value), &copies[kept + 1..])?;
                    }
                },
            }
        }
        if !given.is_empty() {
            self.tally.persons += 1;
            self.supplies.push(&[&survivor.row.0.to_be_bytes()[..], &[0]].concat(), &given)?;
        }
        for (other, names) in others.iter().zip(taken).filter(|(_, names)| !names.is_empty()) {
            self.supplies.push(&[&other.row.0.to_be_bytes()[..], &[1]].concat(), names.join("; ").as_bytes())?;
        }
        Ok(())
    }

    fn give(&mut self, place: usize, value: &[u8], given: &mut Vec<u8>) {
        given.extend_from_slice(&(place as u32).to_le_bytes());
        put_text(given, value);
        self.tally.values += 1;
    }

    /// A field that follows from others in the survivor's file, out of the filled ones, so that it does not contradict them;
    /// none for a column of the file.
    fn following(&self, column: &ColumnRef, survivor: &Copy, filled: &Filled) -> Option<Vec<u8>> {
        let ColumnRef::Field(field) = column else { return None };
        let (file, _) = self.known.settled.place(survivor.row);
        if !self.known.files.cleaning[file.0 as usize].derives(*field) {
            return None;
        }
        let text = |field| String::from_utf8_lossy(filled.value(field)).into_owned();
        let value = match (field, Kind::of_field(*field)) {
            (Field::FullName, _) => {
                let parts = [Field::FirstName, Field::MiddleName, Field::LastName].map(text);
                parts.iter().filter(|part| !part.is_empty()).map(String::as_str).collect::<Vec<_>>().join(" ")
            }
            (_, Kind::Name(part)) => name::part(&text(Field::FullName)).part(part).to_owned(),
            // What stood in the city's cell was parted before; where another row gave the city, it gives its region too.
            _ => String::from_utf8_lossy(filled.beside(Field::City, *field)).into_owned(),
        };
        Some(value.into_bytes())
    }

    /// Lists values that differ from the one that is kept, which is of the row with it.
    fn conflicts_in(
        &mut self,
        column: &ColumnRef,
        place: usize,
        (kept_row, kept): (RowId, &[u8]),
        others: &[Copy],
    ) -> Result<()> {
        let compared = |value: &[u8]| comparable(&String::from_utf8_lossy(value)).into_owned();
        let mut seen = HashSet::from([compared(kept)]);
        for other in others.iter().filter(|other| !other.values[place].is_empty()) {
            if !seen.insert(compared(&other.values[place])) {
                continue;
            }
            self.tally.conflicts += 1;
            let mut out = CsvBuffer::new(Defusing::On);
            out.value(column.name().as_bytes());
            for (row, value) in [(kept_row, kept), (other.row, &other.values[place])] {
                out.value(value);
                let (file, number) = self.known.settled.place(row);
                let file = &self.known.files.sources[file.0 as usize];
                out.value(self.job.sources[file.owner.0 as usize].name.as_bytes());
                out.value(file.input.name().as_bytes());
                out.value(number.to_string().as_bytes());
            }
            out.end_row();
            (self.conflicts)(&out.bytes)?;
        }
        Ok(())
    }
}

/// The rows of a person, the survivor first, with the first of them that has a value, by column.
struct Filled<'a> {
    columns: &'a [ColumnRef],
    copies: &'a [Copy],
    kept: Vec<Option<usize>>,
}

impl<'a> Filled<'a> {
    fn new(columns: &'a [ColumnRef], copies: &'a [Copy]) -> Filled<'a> {
        let kept = |place: usize| copies.iter().position(|copy| !copy.values[place].is_empty());
        Filled { columns, copies, kept: (0..columns.len()).map(kept).collect() }
    }

    fn place(&self, field: Field) -> Option<usize> {
        self.columns.iter().position(|column| *column == ColumnRef::Field(field))
    }

    /// The value of a field; empty where no row has one.
    fn value(&self, field: Field) -> &'a [u8] {
        self.beside(field, field)
    }

    /// The value of another field in the row that gives this one.
    fn beside(&self, field: Field, other: Field) -> &'a [u8] {
        let (Some(place), Some(other)) = (self.place(field), self.place(other)) else { return b"" };
        self.kept[place].map_or(b"", |kept| &self.copies[kept].values[other])
    }
}

/// The tags of all, in their order, each once whatever its letter case.
fn united_tags<'a>(values: impl Iterator<Item = &'a [u8]>) -> String {
    let all = values.map(|value| String::from_utf8_lossy(value).into_owned()).collect::<Vec<_>>().join(tags::BETWEEN);
    let mut united = String::new();
    tags::clean(&all, ';', &mut united);
    united
}

/// Reads the lists again that values are taken from, and finds the value of each person.
fn take_from_lists(
    job: &Job,
    known: &Known,
    columns: &AllColumns,
    memory: u64,
    supplies: &mut Sorter,
    observer: &dyn Observer,
) -> Result<Vec<TakenTally>> {
    if job.lists.iter().all(|list| list.take.is_empty()) {
        return Ok(Vec::new());
    }
    let mut rows = Sorter::new(memory, &known.spool_folder);
    read_list_rows(job, known, &mut rows, observer)?;
    let mut tallies: Vec<TakenTally> =
        job.lists.iter().map(|list| TakenTally { list: list.name.clone(), ..TakenTally::default() }).collect();
    let place_of = |column: &ColumnRef| columns.columns.iter().position(|known| known == column).unwrap_or_default();
    let places: Vec<Vec<usize>> =
        job.lists.iter().map(|list| list.take.iter().map(|taken| place_of(&taken.ours)).collect()).collect();
    let mut of_people = Sorter::new(memory, &known.spool_folder);
    give_to_people(rows.finish()?, &known.settled.taken, &mut of_people)?;
    let mut sorted = of_people.finish()?;
    let mut person = Vec::new();
    let mut found = BestValues::default();
    let mut give = |person: &[u8], found: &BestValues| -> Result<()> {
        let [a, b, c, d, high, low] = *person else { return Ok(()) };
        let list = usize::from(u16::from_be_bytes([high, low]));
        let mut payload = Vec::new();
        for (best, place) in found.columns.iter().zip(&places[list]).filter(|(best, _)| !best.value.is_empty()) {
            payload.extend_from_slice(&(*place as u32).to_le_bytes());
            put_text(&mut payload, &best.value);
        }
        tallies[list].persons += u64::from(!payload.is_empty());
        tallies[list].several += u64::from(found.columns.iter().any(|best| best.differs));
        supplies.push(&[a, b, c, d, 2, high, low], &payload)
    };
    while let Some((key, payload)) = sorted.next()? {
        if person != key[..6] {
            give(&person, &found)?;
            found = BestValues::default();
            person = key[..6].to_vec();
        }
        found.unite(&BestValues::from_bytes(payload)?);
    }
    give(&person, &found)?;
    Ok(tallies.into_iter().zip(&job.lists).filter(|(_, list)| !list.take.is_empty()).map(|(tally, _)| tally).collect())
}

/// For each column that is taken from a list: the value of the row that ranks first among those in which it is filled.
#[derive(Default)]
struct BestValues {
    columns: Vec<BestValue>,
}

/// The value of the row that ranks first, the row's rank and number, and whether others differ from it.
#[derive(Default, Clone)]
struct BestValue {
    /// The smaller ranks first.
    rank: [u8; 8],
    value: Vec<u8>,
    differs: bool,
}

impl BestValues {
    /// Takes over what ranks before its own values.
    fn unite(&mut self, other: &BestValues) {
        self.columns.resize(other.columns.len().max(self.columns.len()), BestValue::default());
        for (own, other) in self.columns.iter_mut().zip(&other.columns).filter(|(_, other)| !other.value.is_empty()) {
            let differs = own.differs || other.differs || (!own.value.is_empty() && own.value != other.value);
            if own.value.is_empty() || other.rank < own.rank {
                own.clone_from(other);
            }
            own.differs = differs;
        }
    }

    /// The values of one row of a list.
    fn of_row(rank: [u8; 8], mut values: &[u8]) -> BestValues {
        let mut columns = Vec::new();
        while let Some((value, after)) = take_text(values) {
            columns.push(BestValue { rank, value: value.to_vec(), differs: false });
            values = after;
        }
        BestValues { columns }
    }

    fn to_bytes(&self) -> Vec<u8> {
        let mut bytes = Vec::new();
        for BestValue { rank, value, differs } in &self.columns {
            bytes.extend_from_slice(rank);
            bytes.push(u8::from(*differs));
            put_text(&mut bytes, value);
        }
        bytes
    }

    fn from_bytes(mut bytes: &[u8]) -> Result<BestValues> {
        let mut columns = Vec::new();
        while let Some((head, rest)) = bytes.split_first_chunk::<9>() {
            let [rank @ .., differs] = *head;
            let (value, after) = take_text(rest).ok_or_else(Error::defect)?;
            columns.push(BestValue { rank, value: value.to_vec(), differs: differs == 1 });
            bytes = after;
        }
        Ok(BestValues { columns })
    }
}

/// Puts the rows of lists that have a value in common together, and hands what comes of them to everybody who has the value,
/// by person and list.
fn give_to_people(mut rows: Sorted, shared: &SharedValues, of_people: &mut Sorter) -> Result<()> {
    let mut at = Vec::new();
    let mut found = BestValues::default();
    let mut give = |at: &[u8], found: &BestValues| -> Result<()> {
        let Some((value, list)) = at.split_first_chunk::<4>() else { return Ok(()) };
        let payload = found.to_bytes();
        let people = shared.people_with(u32::from_be_bytes(*value)).iter();
        people.into_iter().try_for_each(|(_, person)| {
            of_people.push(&[&person.to_be_bytes()[..], list, &value[..]].concat(), &payload)
        })
    };
    while let Some((key, payload)) = rows.next()? {
        if at != key[..6] {
            give(&at, &found)?;
            found = BestValues::default();
            at = key[..6].to_vec();
        }
        let rank = key[6..].first_chunk::<8>().ok_or_else(Error::defect)?;
        found.unite(&BestValues::of_row(*rank, payload));
    }
    give(&at, &found)
}

/// How the values that are taken from one list file are found, and what its rows are ranked by.
struct TakePlan {
    cleaning: CleaningPlan,
    sources: Vec<ValueSource>,
    rank: Rank,
}

impl TakePlan {
    fn new(job: &Job, file: &OpenFile<ListId>) -> TakePlan {
        let list = &job.lists[file.owner.0 as usize];
        let newest_by = keys::newest_of_list(job, file.map());
        let mut wanted = Wanted::default();
        for column in list.take.iter().map(|taken| &taken.theirs).chain(&newest_by) {
            wanted.add(column, file.map());
        }
        let separators = &file.glimpse.separators;
        let mut cleaning = CleaningPlan::new(&cleaning_wishes(job), &wanted, file.map(), file.is_receipt, separators);
        let said = list.read.columns.date_order.or(job.clean.date_order);
        let usual = job.country.map(|country| DateOrder::of_country(country.code()));
        for (column, seen) in &file.glimpse.dates {
            if let Some(order) = said.or(seen.shown()).or(usual) {
                cleaning.set_order(*column, order);
            }
        }
        let source = |column: &ColumnRef| ValueSource::new(column, &cleaning.map, file.is_receipt);
        let rank = match (job.person.survivor, newest_by) {
            (Survivor::Newest, Some(column)) => Rank::newest(&column, &cleaning.map, file.is_receipt, job.today),
            (Survivor::Fullest, _) => Rank::fullest(file.map(), &job.clean.blank_words),
            _ => Rank::Equal,
        };
        TakePlan { sources: list.take.iter().map(|taken| source(&taken.theirs)).collect(), rank, cleaning }
    }
}

/// Hands each row of a list that somebody is in, with the values that are taken from it, to `rows`: by the value that both
/// have, list, rank.
fn read_list_rows(job: &Job, known: &Known, rows: &mut Sorter, observer: &dyn Observer) -> Result<()> {
    let files = &known.files;
    let plans: Vec<TakePlan> = files.lists.iter().map(|file| TakePlan::new(job, file)).collect();
    let mut scratch = EntryScratch::new(files);
    let mut contacts = ContactReader::new(&files.addresses);
    let mut records = Records::default();
    let mut reading = Reading::new(&files.lists, Stage::Filling, observer);
    let (mut entry, mut at) = (0u32, 0usize);
    let matches = known.settled.taken.entries();
    while let Some(chunk) = reading.next()? {
        let file = &files.lists[chunk.file.0 as usize];
        let read = read_list_chunk(
            file,
            &ListPlan::of(files, chunk.file.0 as usize),
            &chunk.chunk,
            &known.settled.hasher,
            &mut scratch,
        );
        records.split(&chunk.chunk, file.dialect);
        let plan = &plans[chunk.file.0 as usize];
        let mut before = 0;
        for (index, entries) in read.entries_after_row.iter().enumerate() {
            let own = entry + before..entry + *entries;
            before = *entries;
            let first = at;
            while matches.get(at).is_some_and(|(known, _)| own.contains(known)) {
                at += 1;
            }
            if first == at {
                continue;
            }
            let record = records.get(index, &chunk.chunk.bytes, file.dialect);
            let contact = file.contact(&mut contacts, record, ContactWishes::values(&plan.cleaning));
            let mut payload = Vec::new();
            for source in &plan.sources {
                put_text(&mut payload, &source.filled(&contact.cleaned, contact.address.text, &job.clean.blank_words));
            }
            let order = match job.person.survivor {
                Survivor::LastRead => !own.start,
                _ => !plan.rank.of(&record, &contact.cleaned, &contact.address),
            };
            for (_, value) in &matches[first..at] {
                let list = file.owner.0.to_be_bytes();
                let key = [&value.to_be_bytes()[..], &list, &order.to_be_bytes(), &own.start.to_be_bytes()];
                rows.push(&key.concat(), &payload)?;
            }
        }
        entry += read.shares.iter().map(|share| share.compared.len() as u32).sum::<u32>();
        chunk.give_back();
    }
    known.check_lists_again(&reading.files_read())
}

/// The supplied columns in the cleaned records of one file.
#[derive(Debug)]
pub struct SuppliedColumns {
    places: Vec<Option<ColumnIndex>>,
    sources: Vec<ValueSource>,
    blank_words: Arc<BlankWords>,
}

impl SuppliedColumns {
    /// Fits them to a file.
    pub fn new(
        columns: &AllColumns,
        map: &ColumnMap,
        is_receipt: bool,
        blank_words: &Arc<BlankWords>,
    ) -> SuppliedColumns {
        let sources: Vec<ValueSource> =
            columns.columns.iter().map(|column| ValueSource::new(column, map, is_receipt)).collect();
        let places = sources.iter().map(|source| source.columns().next()).collect();
        SuppliedColumns { places, sources, blank_words: Arc::clone(blank_words) }
    }
}

/// Records with what they are given put in. Keeps its buffers from record to record.
#[derive(Debug, Default)]
pub struct Supplied {
    buffer: RecordBuffer,
    cell: CsvBuffer,
    changes: Vec<(ColumnIndex, Vec<u8>)>,
}

impl Supplied {
    /// The record with the values of `supplies`, which are all its own.
    pub fn apply<'a>(
        &'a mut self,
        record: &Record<'a>,
        address: &[u8],
        supplies: &[Supply],
        columns: &SuppliedColumns,
    ) -> Record<'a> {
        self.changes.clear();
        for supply in supplies.iter().filter(|supply| supply.kind != SupplyKind::TakenFrom) {
            for (place, value) in supply.cells() {
                let Some(column) = columns.places[place] else { continue };
                let is_given = self.changes.iter().any(|(known, _)| *known == column);
                let is_blank = || columns.sources[place].filled(record, address, &columns.blank_words).is_empty();
                if !is_given && (supply.kind == SupplyKind::Filled || is_blank()) {
                    self.changes.push((column, value.to_vec()));
                }
            }
        }
        if self.changes.is_empty() {
            return *record;
        }
        self.buffer.clear();
        let last = self.changes.iter().map(|(column, _)| column.0 + 1).max().unwrap_or_default();
        for column in 0..record.cells().max(last) {
            match self.changes.iter().find(|(changed, _)| changed.0 == column) {
                Some((_, value)) => {
                    self.cell.clear();
                    self.cell.value(value);
                    self.buffer.cell(self.cell.bytes.strip_suffix(b",").unwrap_or(&self.cell.bytes));
                }
                None => self.buffer.cell(record.raw(column)),
            }
        }
        self.buffer.record()
    }
}
