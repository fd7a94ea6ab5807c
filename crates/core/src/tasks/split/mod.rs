//! A list → several files that together hold each of its rows exactly once, as it was read.
//!
//! The list is read twice: first to learn which parts there are and how large they become, then to write them. Cells
//! are written as they stand, in UTF-8 with commas; lines that are no contacts are counted and not written.

pub mod part_name;

use crate::clean::plan::{CleaningPlan, CleaningWishes, Wanted};
use crate::clean::row::RowCleaner;
use crate::columns::lines::Line;
use crate::columns::value::ValueSource;
use crate::job::ReadFiles;
use crate::run::gather::chunks::Reading;
use crate::run::gather::records::{address_value, checksum, line_above, not_text};
use crate::run::open::files::OpenFile;
use crate::run::open::recognise::{Part, in_another_encoding, open_file};
use crate::run::tally::OtherLines;
use part_name::PartNames;
use pebblebank_formats::Input;
use pebblebank_formats::input::FoundFile;
use pebblebank_table::csv::{Defusing, RawCells};
use pebblebank_table::error::closest;
use pebblebank_table::observe::{Finding, Observer, Stage};
use pebblebank_table::staged::early_sync::EarlySync;
use pebblebank_table::staged::{Commit, Placement, StagedFile};
use pebblebank_table::units::FileId;
use pebblebank_table::{CsvBuffer, Error, ErrorKind, Record, Records, Result};
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::date::Date;
use pebblebank_values::place::Country;
use pebblebank_values::text::comparable;
use pebblebank_values::{ColumnRef, Field};
use serde::Serialize;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// What a list is parted by.
#[derive(Debug, Clone, PartialEq)]
pub enum SplitBy {
    /// The value of a field or column, or of a part of its date.
    Column(ColumnRef, Every),
    /// The domain of the address.
    Domain,
    /// So many rows to a file, in their order.
    Rows(u64),
    /// So many files of the same size, at random by a seed.
    Parts {
        /// How many files.
        count: u64,
        /// The same seed gives the same parts.
        seed: u64,
    },
}

/// How much of a date makes a part.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Every {
    /// The whole value.
    Value,
    /// Its year.
    Year,
    /// Its year and month.
    Month,
    /// Its day.
    Day,
}

/// What is asked of a split.
#[derive(Debug, Clone)]
pub struct SplitWishes {
    /// How the list is to be read.
    pub read: ReadFiles,
    /// What it is parted by.
    pub by: SplitBy,
    /// Parts with fewer rows are gathered in one file.
    pub at_least: u64,
    /// The folder that the files are written into.
    pub folder: PathBuf,
    /// Whether existing files are replaced.
    pub replace: bool,
    /// Whether nothing is to be written.
    pub dry_run: bool,
    /// The country of contacts that name none.
    pub country: Option<Country>,
    /// The day.
    pub today: Date,
}

/// A file of a split.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct SplitFile {
    /// Where it is.
    pub file: PathBuf,
    /// The value that its rows share; empty for blanks; none for parts by number and for what was gathered.
    pub value: Option<String>,
    /// Its rows.
    pub rows: u64,
}

/// What a split came to.
#[derive(Debug, Clone, Serialize)]
pub struct Split {
    /// The list, as given.
    pub list: String,
    /// Its contacts.
    pub rows: u64,
    /// Its lines that are no contacts.
    pub other_lines: OtherLines,
    /// How many parts were gathered for being small.
    pub gathered: u64,
    /// What should be looked at.
    pub findings: Vec<Finding>,
    /// The files: by value the largest first, periods and numbers in their order, what was gathered last.
    pub files: Vec<SplitFile>,
}

/// More files than these are hardly meant.
pub const MOST_FILES: usize = 400;

/// A column with more different values tells contacts apart rather than parts.
const MOST_VALUES: usize = 100_000;

/// How many bytes of a part wait in memory before they are written.
const BYTES_WAITING: usize = 64 << 10;

/// Parts a list.
pub fn split(list: &FoundFile, wishes: &SplitWishes, spool_folder: &Path, observer: &dyn Observer) -> Result<Split> {
    let mut inputs = Input::open(list, spool_folder, observer)?;
    let (Some(input), true) = (inputs.pop(), inputs.is_empty()) else {
        let advice = "name one of its files, as in exports.zip/shop.csv";
        return Err(Error::new(ErrorKind::Input, "this holds several files", advice).in_file(&list.path));
    };
    let part = Part {
        id: FileId(0),
        owner: (),
        is_list: false,
        asks: true,
        named: Arc::default(),
        consent_questions: crate::columns::mapping::ConsentQuestions::Warn,
    };
    let mut file = open_file(input, part, &wishes.read, spool_folder, observer)?;
    let mut splitter = Splitter::new(&file, wishes)?;
    let mut is_not_text = false;
    let counted = match splitter.count(&file, &mut is_not_text, observer) {
        Err(error) if is_not_text => {
            file = in_another_encoding(file, &wishes.read, false)?.ok_or(error)?;
            splitter = Splitter::new(&file, wishes)?;
            splitter.count(&file, &mut is_not_text, observer)?
        }
        other => other?,
    };
    let plan = FilePlan::new(&counted, &file, wishes)?;
    if !wishes.dry_run {
        splitter.write(&file, &counted, &plan, wishes, observer)?;
    }
    Ok(Split {
        list: file.input.name(),
        rows: counted.rows,
        other_lines: OtherLines(counted.others),
        gathered: plan.gathered,
        findings: file.all_findings(),
        files: plan.files,
    })
}

/// What the first reading found.
#[derive(Default)]
struct Counted {
    rows: u64,
    others: [u64; Line::OTHERS.len()],
    /// The parts in the order of their first rows: the value and how many rows have it.
    parts: Vec<(String, u64)>,
    checksums: Vec<u64>,
}

/// Finds the part of each row.
struct Splitter<'a> {
    wishes: &'a SplitWishes,
    cleaning: CleaningPlan,
    cleaning_wishes: CleaningWishes,
    source: ValueSource,
    addresses: AddressCleaner,
    values: RowCleaner,
    /// The parts by what is compared.
    places: HashMap<String, usize>,
    shuffled: Shuffled,
}

impl<'a> Splitter<'a> {
    fn new(file: &OpenFile<()>, wishes: &'a SplitWishes) -> Result<Splitter<'a>> {
        let mut wanted = Wanted::default();
        let column = match &wishes.by {
            SplitBy::Column(column, _) => Some(column),
            SplitBy::Domain | SplitBy::Rows(_) | SplitBy::Parts { .. } => None,
        };
        if let Some(column) = column {
            wanted.add(column, file.map());
        }
        let cleaning_wishes = CleaningWishes {
            country: wishes.country,
            today: wishes.today,
            blank_words: Arc::default(),
            tags_roles: false,
        };
        let separators = &file.glimpse.separators;
        let mut cleaning = CleaningPlan::new(&cleaning_wishes, &wanted, file.map(), file.is_receipt, separators);
        for (column, seen) in &file.glimpse.dates {
            if let Some(order) = wishes.read.columns.date_order.or(seen.shown()) {
                cleaning.set_order(*column, order);
            }
        }
        let source = match column {
            Some(column) => ValueSource::new(column, &cleaning.map, file.is_receipt),
            None => ValueSource::Nothing,
        };
        let lacks_address = wishes.by == SplitBy::Domain && file.map().column(Field::Email).is_none();
        if let Some(column) = column.filter(|_| source == ValueSource::Nothing) {
            return Err(no_such_column(column, file));
        }
        if lacks_address {
            return Err(no_such_column(&ColumnRef::Field(Field::Email), file));
        }
        Ok(Splitter {
            wishes,
            cleaning,
            cleaning_wishes,
            source,
            addresses: AddressCleaner::default(),
            values: RowCleaner::default(),
            places: HashMap::new(),
            shuffled: Shuffled::default(),
        })
    }

    /// What the row's part is called, and what it is compared by.
    fn value(&mut self, file: &OpenFile<()>, record: &Record) -> String {
        let typed = address_value(file.map(), record);
        let address = self.addresses.clean(&typed);
        match &self.wishes.by {
            SplitBy::Domain if address.is_usable() => String::from_utf8_lossy(address.domain()).into_owned(),
            SplitBy::Domain | SplitBy::Rows(_) | SplitBy::Parts { .. } => String::new(),
            SplitBy::Column(_, every) => {
                self.values.clean(&self.cleaning, record, &address);
                let cleaned = self.values.after(record);
                let value = self.source.filled(&cleaned, address.text, &self.cleaning_wishes.blank_words);
                let value = String::from_utf8_lossy(&value).trim().to_owned();
                let length = match every {
                    Every::Value => return value,
                    Every::Year => 4,
                    Every::Month => 7,
                    Every::Day => 10,
                };
                // What is no date is gathered with the blanks.
                let is_date = value.get(..10).is_some_and(|day| Date::from_iso(day).is_some());
                if is_date { value[..length].to_owned() } else { String::new() }
            }
        }
    }

    /// The place of the part of the contact that so many come before, by its value.
    fn place(&mut self, value: &str, before: u64, rows: u64) -> usize {
        match self.wishes.by {
            SplitBy::Rows(most) => (before / most) as usize,
            SplitBy::Parts { count, seed } => self.shuffled.part_of(before, rows, count, seed),
            SplitBy::Column(..) | SplitBy::Domain => {
                let next = self.places.len();
                *self.places.entry(comparable(value).into_owned()).or_insert(next)
            }
        }
    }

    /// Hands each contact to `take` with how many come before it.
    fn each(
        &mut self,
        file: &OpenFile<()>,
        stage: Stage,
        observer: &dyn Observer,
        is_not_text: &mut bool,
        mut take: impl FnMut(&mut Self, Seen) -> Result<()>,
    ) -> Result<()> {
        let mut reading = Reading::new(std::slice::from_ref(file), stage, observer);
        let mut records = Records::default();
        let (mut contacts, mut rows_above) = (0, 0);
        while let Some(job) = reading.next()? {
            records.split(&job.chunk, file.dialect);
            if let Some(problem) = not_text(file, &job.chunk, &records) {
                *is_not_text = true;
                return Err(problem.at(file, rows_above));
            }
            take(self, Seen::Chunk(checksum(&job.chunk)))?;
            for index in 0..records.len() {
                let record = records.get(index, &job.chunk.bytes, file.dialect);
                let line = line_above(file, &job.chunk, index).unwrap_or_else(|| file.judge(&record));
                if line == Line::Contact {
                    take(self, Seen::Contact(record, contacts))?;
                    contacts += 1;
                } else {
                    take(self, Seen::Other(line))?;
                }
            }
            rows_above += records.len() as u64;
            job.give_back();
        }
        Ok(())
    }

    fn count(&mut self, file: &OpenFile<()>, is_not_text: &mut bool, observer: &dyn Observer) -> Result<Counted> {
        let mut counted = Counted::default();
        self.each(file, Stage::Reading, observer, is_not_text, |splitter, seen| {
            match seen {
                Seen::Chunk(checksum) => counted.checksums.push(checksum),
                Seen::Other(line) => {
                    let place = Line::OTHERS.iter().position(|other| *other == line);
                    if let Some(place) = place {
                        counted.others[place] += 1;
                    }
                }
                Seen::Contact(record, before) => {
                    counted.rows += 1;
                    if matches!(splitter.wishes.by, SplitBy::Column(..) | SplitBy::Domain) {
                        let value = splitter.value(file, &record);
                        let place = splitter.place(&value, before, 0);
                        if place == MOST_VALUES {
                            return Err(too_many_values(file));
                        }
                        if place == counted.parts.len() {
                            counted.parts.push((value, 0));
                        }
                        counted.parts[place].1 += 1;
                    }
                }
            }
            Ok(())
        })?;
        match self.wishes.by {
            SplitBy::Rows(most) => {
                let files = counted.rows.div_ceil(most);
                counted.parts = (0..files).map(|k| (String::new(), most.min(counted.rows - k * most))).collect();
            }
            SplitBy::Parts { count, .. } => {
                let size = |k: u64| counted.rows / count + u64::from(k < counted.rows % count);
                counted.parts = (0..count).map(|k| (String::new(), size(k))).collect();
            }
            SplitBy::Column(..) | SplitBy::Domain => {}
        }
        Ok(counted)
    }

    fn write(
        &mut self,
        file: &OpenFile<()>,
        counted: &Counted,
        plan: &FilePlan,
        wishes: &SplitWishes,
        observer: &dyn Observer,
    ) -> Result<()> {
        let placement = if wishes.replace { Placement::Replace } else { Placement::New };
        let sync = EarlySync::new();
        let mut header = CsvBuffer::new(Defusing::Off);
        if file.table.has_header {
            file.table.headers.iter().for_each(|cell| header.value(cell.as_bytes()));
            header.end_row();
        }
        let mut outputs = Vec::new();
        for target in &plan.files {
            if file.input.is_at(&target.file) {
                let what = "this file is read and would be written over";
                return Err(Error::new(ErrorKind::Output, what, "name another folder: -o parts").in_file(&target.file));
            }
            let mut staged = StagedFile::create(&target.file, placement)?;
            staged.write(&header.bytes, &sync)?;
            outputs.push((staged, CsvBuffer::new(Defusing::Off), 0u64));
        }
        let mut chunks = counted.checksums.iter();
        let mut is_not_text = false;
        self.each(file, Stage::Writing, observer, &mut is_not_text, |splitter, seen| {
            match seen {
                Seen::Chunk(checksum) if chunks.next() != Some(&checksum) => return Err(changed(file)),
                Seen::Chunk(_) | Seen::Other(_) => {}
                Seen::Contact(record, before) => {
                    let value = splitter.value(file, &record);
                    let place = splitter.place(&value, before, counted.rows);
                    let target = *plan.file_of_part.get(place).ok_or_else(|| changed(file))?;
                    let (staged, waiting, rows) = &mut outputs[target];
                    // What a row leaves out at its end is blank, so that all rows of a file have as many cells.
                    let width = if file.table.has_header { file.table.headers.len() } else { 0 };
                    for column in 0..record.cells().max(width) {
                        waiting.raw(record.raw_cell(column), RawCells::NeedALook);
                    }
                    waiting.end_row();
                    *rows += 1;
                    if waiting.bytes.len() > BYTES_WAITING {
                        staged.write(&waiting.bytes, &sync)?;
                        waiting.clear();
                    }
                }
            }
            Ok(())
        })?;
        let mut commit = Commit::default();
        for ((mut staged, waiting, rows), target) in outputs.into_iter().zip(&plan.files) {
            staged.write(&waiting.bytes, &sync)?;
            if rows != target.rows {
                let what = format!("{} would hold {rows} rows instead of {}", target.file.display(), target.rows);
                return Err(Error::new(
                    ErrorKind::Unbalanced,
                    what,
                    "this is a defect of the program; please report it",
                ));
            }
            commit.file(staged);
        }
        drop(sync);
        let journal = wishes.folder.join(".split.commit");
        commit.place(&journal)
    }
}

/// What is met on the way through a list.
enum Seen<'a> {
    /// A chunk begins, with this checksum.
    Chunk(u64),
    /// A contact, and how many come before it.
    Contact(Record<'a>, u64),
    /// A line that is none.
    Other(Line),
}

/// Which files there will be.
struct FilePlan {
    files: Vec<SplitFile>,
    /// The file of each part.
    file_of_part: Vec<usize>,
    gathered: u64,
}

impl FilePlan {
    fn new(counted: &Counted, file: &OpenFile<()>, wishes: &SplitWishes) -> Result<FilePlan> {
        let stem = file.input.path().file_stem().map(|stem| stem.to_string_lossy().into_owned());
        let mut names = PartNames::new(&stem.unwrap_or_else(|| "list".to_owned()));
        let by_value = matches!(wishes.by, SplitBy::Column(..) | SplitBy::Domain);
        let mut order: Vec<usize> = (0..counted.parts.len()).collect();
        match wishes.by {
            // Periods stand in their order.
            SplitBy::Column(_, Every::Year | Every::Month | Every::Day) => {
                order.sort_by(|a, b| counted.parts[*a].0.cmp(&counted.parts[*b].0));
            }
            _ if by_value => order.sort_by_key(|part| std::cmp::Reverse(counted.parts[*part].1)),
            _ => {}
        }
        let mut plan = FilePlan { files: Vec::new(), file_of_part: vec![0; counted.parts.len()], gathered: 0 };
        let small: Vec<usize> =
            order.iter().copied().filter(|part| by_value && counted.parts[*part].1 < wishes.at_least).collect();
        let gathers = small.len() > 1;
        let own = order.len() - if gathers { small.len() } else { 0 } + usize::from(gathers);
        if own > MOST_FILES {
            let what = format!("this would write {own} files, more than {MOST_FILES}");
            let advice = "gather the small ones: --at-least 100; or part by something with fewer values";
            return Err(Error::new(ErrorKind::Output, what, advice).in_file(file.input.path()));
        }
        for (number, part) in order.iter().enumerate() {
            if gathers && small.contains(part) {
                continue;
            }
            let (value, rows) = &counted.parts[*part];
            let name = if by_value { names.of_value(value) } else { names.of_number(number + 1, order.len()) };
            plan.file_of_part[*part] = plan.files.len();
            let value = by_value.then(|| value.clone());
            plan.files.push(SplitFile { file: wishes.folder.join(name), value, rows: *rows });
        }
        if gathers {
            let rows = small.iter().map(|part| counted.parts[*part].1).sum();
            for part in &small {
                plan.file_of_part[*part] = plan.files.len();
            }
            plan.gathered = small.len() as u64;
            plan.files.push(SplitFile { file: wishes.folder.join(names.of_value("others")), value: None, rows });
        }
        Ok(plan)
    }
}

/// Parts at random: of each run of as many contacts as there are parts, one goes to each, in an order of the seed, so
/// that sizes differ by one at most and the first parts have the larger ones.
#[derive(Default)]
struct Shuffled {
    /// The run whose order is known.
    run: Option<u64>,
    order: Vec<usize>,
}

impl Shuffled {
    /// The part of the contact that so many of all `rows` come before.
    fn part_of(&mut self, before: u64, rows: u64, count: u64, seed: u64) -> usize {
        let run = before / count;
        if self.run != Some(run) {
            self.run = Some(run);
            let in_run = count.min(rows.saturating_sub(run * count));
            self.order = (0..in_run as usize).collect();
            let mut state = seed ^ run.wrapping_mul(0x9E37_79B9_7F4A_7C15);
            for end in (1..self.order.len()).rev() {
                self.order.swap(end, (next_random(&mut state) % (end as u64 + 1)) as usize);
            }
        }
        self.order.get((before % count) as usize).copied().unwrap_or_default()
    }
}

/// `SplitMix64`.
fn next_random(state: &mut u64) -> u64 {
    *state = state.wrapping_add(0x9E37_79B9_7F4A_7C15);
    let mut mixed = *state;
    mixed = (mixed ^ (mixed >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
    mixed ^ (mixed >> 31)
}

fn no_such_column(column: &ColumnRef, file: &OpenFile<()>) -> Error {
    let headers: Vec<&str> = file.map().headers.iter().map(String::as_str).collect();
    let advice = match closest(column.name(), headers.iter().copied().chain(Field::ALL.map(Field::name))) {
        Some(near) => format!("did you mean \"{near}\"?"),
        None => format!("say which column it is: --field \"{}=…\"", column.name()),
    };
    let expected = headers.iter().map(|header| format!("\"{header}\"")).collect::<Vec<_>>().join(", ");
    Error::new(ErrorKind::Columns, format!("the list has no \"{}\"", column.name()), advice)
        .in_file(file.input.path())
        .expected(format!("a known field or one of {expected}"))
}

fn too_many_values(file: &OpenFile<()>) -> Error {
    let what = format!("there are more than {MOST_VALUES} different values, each of which would be a part");
    Error::new(ErrorKind::Columns, what, "part by a column with fewer values, or by --rows or --parts")
        .in_file(file.input.path())
}

fn changed(file: &OpenFile<()>) -> Error {
    Error::new(
        ErrorKind::InputChanged,
        "the file changed while it was being read",
        "wait until whatever writes it has finished, then start again; nothing was put in place",
    )
    .in_file(file.input.path())
}
