//! What is in a file: format, header, columns and what they were recognised as, what looks wrong.
//!
//! A file is read once, as a stream; what is counted is exact but for the number of different values of very large
//! columns, which then says that it is an estimate.

pub mod chunk;
pub mod column;
mod distinct;
pub mod found;

use crate::clean::plan::{CleaningPlan, CleaningWishes, Wanted};
use crate::columns::map::ColumnMap;
use crate::run::gather::chunks::Reading;
use crate::run::gather::counts::{FileCounts, Tail};
use crate::run::open::files::OpenFile;
use crate::run::open::recognise::{Part, Refuted, in_another_encoding, open_again, open_file};
use crate::run::tally::OtherLines;
use crate::tasks::survey::chunk::{Asked, Scratch, SurveyChunk, read_chunk};
use crate::tasks::survey::found::{AddressSurvey, Counted, FileSurvey, LineAtTop, SurveyWishes};
use column::ColumnCount;
use distinct::Distinct;
use pebblebank_formats::input::FoundFile;
use pebblebank_formats::{Format, Input};
use pebblebank_table::Result;
use pebblebank_table::encoding::Knowledge;
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Finding, Observer, Stage, Weight};
use pebblebank_table::units::ColumnIndex;
use pebblebank_values::Field;
use pebblebank_values::date::Date;
use pebblebank_values::suggest::DomainTypos;
use std::collections::{BTreeMap, HashMap};
use std::path::Path;
use std::sync::Arc;

pub use column::{ColumnSurvey, ConsentWords, Feeds, Recognised};

/// How many different values of a column, or domains, are counted one by one.
const MOST_VALUES: usize = 200_000;

/// Up to how many addresses repetitions are counted exactly.
const MOST_ADDRESSES: usize = 1 << 20;

/// Surveys a file; an archive gives one survey for each of its files. `spool_folder` takes what cannot be read twice.
pub fn survey(
    found: &FoundFile,
    wishes: &SurveyWishes,
    spool_folder: &Path,
    observer: &dyn Observer,
) -> Result<Vec<Result<FileSurvey>>> {
    let inputs = Input::open(found, spool_folder, observer)?;
    Ok(inputs.into_iter().map(|input| survey_input(input, wishes, spool_folder, observer)).collect())
}

fn survey_input(
    input: Input,
    wishes: &SurveyWishes,
    spool_folder: &Path,
    observer: &dyn Observer,
) -> Result<FileSurvey> {
    let packed = input.packing().map(pebblebank_formats::unpack::Packing::name);
    let file = open_file(input, Part::alone(), &wishes.read, spool_folder, observer)?;
    let surveyor = Surveyor { wishes, observer };
    let mut file = surveyor.with_all_addresses(file)?;
    let typos = DomainTypos::new(file.glimpse.domains.iter().cloned());
    let mut not_text = false;
    let first = surveyor.read(&file, &typos, &mut not_text);
    let counts = match first {
        Err(error) if not_text => {
            file = in_another_encoding(file, &wishes.read, false)?.ok_or(error)?;
            surveyor.read(&file, &typos, &mut not_text)?
        }
        other => other?,
    };
    Ok(counts.finish(&file, packed, wishes))
}

/// Reads a file for its survey.
struct Surveyor<'a> {
    wishes: &'a SurveyWishes,
    observer: &'a dyn Observer,
}

impl Surveyor<'_> {
    /// A file without contacts' addresses may be a list of domains.
    fn with_all_addresses(&self, file: OpenFile<()>) -> Result<OpenFile<()>> {
        if file.is_empty || file.map().column(Field::Email).is_some() {
            return Ok(file);
        }
        open_again(file, &self.wishes.read, true, &Refuted::default())
    }

    /// What a run would do with all the fields of a file.
    fn cleaning(&self, file: &OpenFile<()>) -> CleaningPlan {
        let wishes = CleaningWishes {
            country: self.wishes.country,
            today: self.wishes.today.unwrap_or(Date { year: 2100, month: 1, day: 1 }),
            date_system: self.wishes.read.columns.date_system,
            blank_words: Arc::default(),
            tags_roles: false,
            gives_tags: false,
        };
        let map = file.map();
        let fields = Field::ALL.into_iter().filter(|field| map.column(*field).is_some()).collect();
        let wanted = Wanted { fields, own: map.own.clone(), addresses: 0 };
        let mut plan = CleaningPlan::new(&wishes, &wanted, map, file.is_receipt, &file.glimpse.separators);
        if let Some(order) = self.wishes.read.columns.date_order {
            let dates: Vec<ColumnIndex> = plan.date_columns().collect();
            for column in dates {
                plan.set_order(column, order);
            }
        }
        plan
    }

    fn read(&self, file: &OpenFile<()>, typos: &DomainTypos, is_not_text: &mut bool) -> Result<Counts> {
        let cleaning = self.cleaning(file);
        let files = std::slice::from_ref(file);
        let mut reading = Reading::new(files, Stage::Reading, self.observer);
        let mut counts = Counts::new(file, self.wishes);
        let values_of = counts.values_of;
        in_order(
            self.wishes.threads,
            || reading.next(),
            Scratch::default,
            |job, scratch| {
                let asked = Asked { cleaning: &cleaning, typos, with_domains: self.wishes.domains, values_of };
                let read = read_chunk(file, &job.chunk, &asked, scratch);
                Ok((job, read))
            },
            |(job, read)| {
                if let Some(problem) = read.problem {
                    *is_not_text = problem.is_not_text();
                    return Err(problem.at(file, counts.records));
                }
                counts.add(read);
                job.give_back();
                Ok(())
            },
        )?;
        counts.fingerprint = reading.files_read().pop().map(|read| read.fingerprint).unwrap_or_default();
        Ok(counts)
    }
}

/// What all chunks hold.
struct Counts {
    records: u64,
    kinds: Vec<u8>,
    tail: Tail,
    waiting: Vec<Vec<u8>>,
    address_is_first: bool,
    lines: FileCounts,
    columns: Vec<ColumnCount>,
    addresses: AddressSurvey,
    identities: Distinct,
    domain_entries: u64,
    domains: HashMap<String, u64>,
    further_domains: u64,
    values: HashMap<String, u64>,
    further_values: u64,
    values_of: Option<ColumnIndex>,
    fingerprint: String,
}

impl Counts {
    fn new(file: &OpenFile<()>, wishes: &SurveyWishes) -> Counts {
        Counts {
            records: 0,
            kinds: Vec::new(),
            tail: Tail::default(),
            waiting: Vec::new(),
            address_is_first: file.map().column(Field::Email) == Some(ColumnIndex(0)),
            lines: FileCounts::default(),
            columns: (0..file.map().width()).map(|_| ColumnCount::new()).collect(),
            addresses: AddressSurvey::default(),
            identities: Distinct::new(MOST_ADDRESSES),
            domain_entries: 0,
            domains: HashMap::new(),
            further_domains: 0,
            values: HashMap::new(),
            further_values: 0,
            values_of: wishes.values.as_deref().and_then(|name| column_called(file.map(), name)),
            fingerprint: String::new(),
        }
    }

    fn add(&mut self, chunk: SurveyChunk) {
        let first_row = self.records;
        if chunk.tail.follows_contact {
            self.look_at_waiting(0);
        }
        self.tail.append(&chunk.tail, first_row as u32);
        self.waiting.extend(chunk.waiting.into_iter().map(|(_, raw)| raw));
        self.kinds.extend(chunk.kinds);
        self.records += chunk.records;
        self.lines.add(&chunk.lines, first_row);
        for (count, chunk) in self.columns.iter_mut().zip(&chunk.columns) {
            count.add(chunk, first_row);
        }
        let (sum, more) = (&mut self.addresses, chunk.addresses);
        sum.usable += more.usable;
        sum.repaired += more.repaired;
        sum.role += more.role;
        sum.disposable += more.disposable;
        sum.invalid += more.invalid;
        sum.placeholder += more.placeholder;
        sum.blank += more.blank;
        for (rule, count) in more.repairs {
            *sum.repairs.entry(rule).or_default() += count;
        }
        for (rule, count) in more.suggestions {
            *sum.suggestions.entry(rule).or_default() += count;
        }
        for identity in chunk.identities {
            self.identities.add(identity);
        }
        self.domain_entries += chunk.domain_entries;
        self.further_domains += add_counts(&mut self.domains, chunk.domains);
        self.further_values += add_counts(&mut self.values, chunk.values);
    }

    /// All but the last `footnotes` of what was taken for possible footnotes are rows like others.
    fn look_at_waiting(&mut self, footnotes: usize) {
        let rows = self.waiting.len().saturating_sub(footnotes);
        for raw in self.waiting.drain(..).take(rows) {
            self.columns[0].add_one(&raw);
            self.addresses.without_at_sign(self.address_is_first);
        }
    }

    fn finish(mut self, file: &OpenFile<()>, packed: Option<&'static str>, wishes: &SurveyWishes) -> FileSurvey {
        let map = file.map();
        let has_addresses = map.column(Field::Email).is_some();
        let footnotes = self.tail.footnotes(&self.kinds).len();
        self.lines.are_footnotes(footnotes as u64);
        self.look_at_waiting(footnotes);
        self.addresses.distinct = self.identities.count().min(self.addresses.usable);
        self.addresses.repeated = self.addresses.usable - self.addresses.distinct;
        self.addresses.repeated_is_estimate = self.identities.is_estimate();
        let rows = self.lines.contacts;
        let columns: Vec<ColumnSurvey> = self
            .columns
            .iter()
            .enumerate()
            .map(|(column, count)| count.finish(file, ColumnIndex(column), rows, &wishes.read))
            .collect();
        let entries = self.addresses.usable + self.domain_entries;
        let filled = entries + self.addresses.invalid.saturating_sub(self.domain_entries) + self.addresses.placeholder;
        let others = columns.iter().filter(|column| column.filled > 0).count().saturating_sub(1);
        let mut findings = file.all_findings();
        findings.extend(self.lines.row_findings());
        if !has_addresses && !file.is_empty {
            let text = "no column was recognised as addresses; --field \"email=…\" says which it is";
            findings.push(Finding::new("no-address-column", Weight::Warning, text));
        }
        findings.sort_by_key(|finding| finding.weight);
        let of = |name: &str, counts, further| counted(name, counts, further);
        FileSurvey {
            file: file.input.name(),
            path: file.input.path().to_path_buf(),
            is_receipt: file.is_receipt,
            format: file.format_name,
            packed,
            sheet: file.sheet.clone(),
            encoding: file.format.is_text().then(|| file.encoding.name()),
            encoding_is_guessed: file.format.is_text() && file.knowledge == Knowledge::Guessed,
            delimiter: (file.format == Format::Delimited && map.width() > 1).then(|| file.dialect.delimiter_name()),
            header_row: (file.table.has_header && file.table.records_above > 0).then_some(file.table.records_above),
            bytes: file.input.file_bytes,
            rows,
            other_lines: OtherLines(self.lines.others),
            lines_at_top: file.table.reasons.iter().map(LineAtTop::new).collect(),
            columns,
            addresses: has_addresses.then_some(self.addresses),
            domains: wishes.domains.then(|| of("domain", self.domains, self.further_domains)),
            values: self.values_of.map(|column| of(map.header(column), self.values, self.further_values)),
            findings,
            only_addresses: filled > 0 && entries * 10 >= filled * 9 && others == 0,
            domain_entries: self.domain_entries,
            blake3: self.fingerprint,
        }
    }
}

/// The column with that field or header.
fn column_called(map: &ColumnMap, name: &str) -> Option<ColumnIndex> {
    let by_field = Field::from_name(name.trim()).and_then(|field| map.column(field));
    let folded = pebblebank_values::fold::fold(name);
    let by_header =
        || map.headers.iter().position(|header| pebblebank_values::fold::fold(header) == folded).map(ColumnIndex);
    by_field.or_else(by_header)
}

/// Adds counts as long as there is room for new values; gives how many occurrences had none.
fn add_counts(counts: &mut HashMap<String, u64>, more: HashMap<String, u64>) -> u64 {
    let mut without_room = 0;
    // In a fixed order, so that the same file gives the same counts.
    let more: BTreeMap<String, u64> = more.into_iter().collect();
    for (value, count) in more {
        if let Some(sum) = counts.get_mut(&value) {
            *sum += count;
        } else if counts.len() < MOST_VALUES {
            counts.insert(value, count);
        } else {
            without_room += count;
        }
    }
    without_room
}

fn counted(of: &str, counts: HashMap<String, u64>, of_further_values: u64) -> Counted {
    let mut values: Vec<(String, u64)> = counts.into_iter().collect();
    values.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
    Counted { of: of.to_owned(), values, of_further_values }
}
