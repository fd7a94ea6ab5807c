//! The entries of list files, with their text: for whoever keeps them. A run itself compares them by their hashes.

use super::chunks::Reading;
use super::first_pass::{ListPlan, line_above, not_text};
use super::open::open_files;
use super::row_keys::has_column;
use super::{Setting, chunks};
use crate::clean::address::AddressCleaner;
use crate::clean::date::{Date, DateColumn, DateOf, DateOrder};
use crate::clean::place::Country;
use crate::clean::{Cleaned, phone};
use crate::columns::fold::fold;
use crate::columns::{ColumnMap, Field};
use crate::error::{Error, ErrorKind, Result};
use crate::job::{ColumnRef, Job, ListFiles, ListKey, ReadFiles};
use crate::observe::{Finding, Met, Observer, Stage, Weight, counted};
use crate::read::lines::judge_line;
use crate::read::{Line, Records, cell};
use crate::select::Selection;
use crate::suppress::entry::{self, Entry};
use crate::suppress::{Digest, StatusReason, status};
use crate::units::RowNumber;
use crate::write::value::ValueSource;
use std::sync::Arc;

/// What entries are read, and how.
#[derive(Debug, Clone)]
pub struct EntriesWishes {
    /// The files.
    pub read: ReadFiles,
    /// Whether phone numbers are meant, and not addresses.
    pub by_phone: bool,
    /// Which rows count.
    pub condition: Option<Selection>,
    /// The column that says what happened; by its name, where nobody says it.
    pub status: Option<ColumnRef>,
    /// Whether bounces are meant, so that columns of codes and types say what happened.
    pub of_bounces: bool,
    /// The column with the day on which it happened.
    pub dated: Option<ColumnRef>,
    /// The column with the last day on which the entry holds.
    pub until: Option<ColumnRef>,
    /// The country of phone numbers that name none.
    pub country: Option<Country>,
    /// The day.
    pub today: Date,
}

/// What an entry holds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FoundText {
    /// An address, by its identity.
    Address(String),
    /// A domain, as A-labels.
    Domain(String),
    /// A phone number (E.164).
    Phone(String),
    /// An address that is not shown.
    Digest(Digest),
}

/// An entry that was read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FoundEntry {
    /// What it holds.
    pub text: FoundText,
    /// What its status says, where there is such a column.
    pub status: Option<StatusReason>,
    /// The day of what happened.
    pub day: Option<Date>,
    /// The last day that it holds.
    pub until: Option<Date>,
    /// The number of the day on which the file was last changed; none where that is not known.
    pub file_day: Option<i32>,
}

/// A file that entries were read from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EntriesFile {
    /// Its name.
    pub name: String,
    /// The BLAKE3 of what was handed over, in hex.
    pub fingerprint: String,
    /// Its rows.
    pub rows: u64,
    /// Rows without an entry.
    pub blank: u64,
    /// Rows whose entry cannot be read.
    pub unusable: u64,
    /// Rows that the condition leaves out.
    pub left_out: u64,
}

/// What reading entries came to.
#[derive(Debug, Clone, Default)]
pub struct EntriesRead {
    /// The files.
    pub files: Vec<EntriesFile>,
    /// What should be looked at.
    pub findings: Vec<Finding>,
}

/// Headers of columns that say what happened.
const STATUS_HEADERS: [&str; 4] = ["status", "event", "state", "ereignis"];

/// Those that do so where bounces are meant; elsewhere a code is any number.
const BOUNCE_HEADERS: [&str; 6] = ["bounce type", "type", "status code", "code", "bounce", "result"];

/// Reads entries and hands each over.
pub fn read_entries(
    wishes: &EntriesWishes,
    setting: &Setting,
    observer: &dyn Observer,
    each: &mut dyn FnMut(FoundEntry) -> Result<()>,
) -> Result<EntriesRead> {
    let mut list = ListFiles::new("entries", wishes.read.clone());
    list.condition.clone_from(&wishes.condition);
    if wishes.by_phone {
        let phone = ColumnRef::Field(Field::Phone);
        list.go_by(Some(ListKey { ours: phone.clone(), theirs: phone }));
    }
    let job = Job { lists: vec![list], country: wishes.country, ..Job::new("entries", wishes.today) };
    let files = open_files(&job, &setting.spool_folder, observer)?;
    let mut read = EntriesRead { findings: files.all_findings(), ..EntriesRead::default() };
    let hasher = crate::person::IdentityHasher::random();
    let mut scratch = Scratch {
        cleaner: AddressCleaner::with(Arc::clone(&files.addresses)),
        further: AddressCleaner::with(Arc::clone(&files.addresses)),
        ..Scratch::default()
    };
    let mut records = Records::default();
    let plans: Vec<Plan> =
        files.lists.iter().map(|file| Plan::new(wishes, file.map(), &file.input.name())).collect::<Result<_>>()?;
    read.files = files.lists.iter().map(|file| EntriesFile::new(file.input.name())).collect();
    let mut unusable = vec![Met::default(); files.lists.len()];
    let mut rows_above = vec![0u64; files.lists.len()];
    let mut reading: Reading<_> = chunks::Reading::new(&files.lists, Stage::Reading, observer);
    while let Some(chunk) = reading.next()? {
        let index = chunk.file.0 as usize;
        let (file, plan) = (&files.lists[index], &plans[index]);
        records.split(&chunk.chunk, file.dialect);
        if let Some(problem) = not_text(file, &chunk.chunk, &records) {
            return Err(problem.at(file, rows_above[index]));
        }
        let keys = ListPlan::of(&files, index);
        for row in 0..records.len() {
            let record = records.get(row, &chunk.chunk.bytes, file.dialect);
            let is_contact = line_above(file, &chunk.chunk, row).is_none()
                && judge_line(&record, &file.map().headers, file.table.has_header) == Line::Contact;
            if !is_contact {
                continue;
            }
            let counts = &mut read.files[index];
            counts.rows += 1;
            if !keys.counts(&record, &mut scratch.cleaner, &mut scratch.values, &hasher) {
                counts.left_out += 1;
                continue;
            }
            let number = RowNumber(rows_above[index] + row as u64 + 1);
            let about = |text| FoundEntry {
                text,
                status: plan.status.map(|source| status::read(&String::from_utf8_lossy(&source.value(&record, b"")))),
                day: plan.day(plan.dated, &record),
                until: plan.day(plan.until, &record),
                file_day: file.changed_on,
            };
            match scratch.texts(plan, file.map(), &record, wishes) {
                Texts::Nothing => counts.blank += 1,
                Texts::Unusable => {
                    counts.unusable += 1;
                    unusable[index].at(number);
                }
                Texts::These(texts) => texts.into_iter().try_for_each(|text| each(about(text)))?,
            }
        }
        rows_above[index] += records.len() as u64;
        chunk.give_back();
    }
    for (file, found) in read.files.iter_mut().zip(reading.files_read()) {
        file.fingerprint = found.fingerprint;
    }
    for (file, met) in read.files.iter().zip(&unusable).filter(|(_, met)| met.count > 0) {
        let what = if wishes.by_phone {
            "no phone number that can be read (--country says which country they are of)"
        } else {
            "neither an address nor a domain"
        };
        let text = format!("{} {what}", counted(met.count, "row", "holds", "hold"));
        read.findings.push(Finding::new("unreadable-entries", Weight::Warning, text).in_file(&file.name).at_rows(met));
    }
    Ok(read)
}

impl EntriesFile {
    fn new(name: String) -> EntriesFile {
        EntriesFile { name, fingerprint: String::new(), rows: 0, blank: 0, unusable: 0, left_out: 0 }
    }
}

/// Where the parts of an entry are in one file.
struct Plan {
    status: Option<ValueSource>,
    dated: Option<ValueSource>,
    until: Option<ValueSource>,
    phone: Option<ValueSource>,
    dates: DateColumn,
}

impl Plan {
    fn new(wishes: &EntriesWishes, map: &ColumnMap, file: &str) -> Result<Plan> {
        let named = |column: &Option<ColumnRef>| match column {
            Some(column) if has_column(column, map) => Ok(Some(ValueSource::new(column, map, false))),
            Some(column) => {
                let what = format!("the file has no column \"{}\"", column.name());
                let headers = map.headers.iter().map(|header| format!("\"{header}\"")).collect::<Vec<_>>().join(", ");
                Err(Error::new(ErrorKind::Columns, what, "name one of its headers")
                    .in_file(std::path::Path::new(file))
                    .expected(format!("one of {headers}")))
            }
            None => Ok(None),
        };
        let by_name = || {
            let find = |known: &[&str]| map.headers.iter().find(|header| known.contains(&fold(header).as_str()));
            let of_bounces = || if wishes.of_bounces { find(&BOUNCE_HEADERS) } else { None };
            let header = find(&STATUS_HEADERS).or_else(of_bounces)?;
            Some(ValueSource::new(&ColumnRef::extra(header), map, false))
        };
        let date_by_name = || {
            let is_date =
                |header: &&String| ["date", "day", "datum", "date of bounce"].contains(&fold(header).as_str());
            map.headers.iter().find(is_date).map(|header| ValueSource::new(&ColumnRef::extra(header), map, false))
        };
        let phone = ColumnRef::Field(Field::Phone);
        let order = wishes.read.columns.date_order;
        let usual = wishes.country.map(|country| DateOrder::of_country(country.code()));
        Ok(Plan {
            status: named(&wishes.status)?.or_else(by_name),
            dated: named(&wishes.dated)?.or_else(date_by_name),
            until: named(&wishes.until)?,
            phone: wishes.by_phone.then(|| ValueSource::new(&phone, map, false)),
            dates: DateColumn { order: order.or(usual), today: wishes.today, of: DateOf::Any },
        })
    }

    fn day(&self, source: Option<ValueSource>, record: &crate::read::Record) -> Option<Date> {
        let value = source?.value(record, b"").into_owned();
        let (moment, _) = self.dates.moment(String::from_utf8_lossy(&value).trim()).ok()?;
        Some(moment.date)
    }
}

/// What a row holds.
enum Texts {
    Nothing,
    Unusable,
    These(Vec<FoundText>),
}

#[derive(Default)]
struct Scratch {
    cleaner: AddressCleaner,
    further: AddressCleaner,
    values: crate::clean::RowCleaner,
}

impl Scratch {
    fn texts(&mut self, plan: &Plan, map: &ColumnMap, record: &crate::read::Record, wishes: &EntriesWishes) -> Texts {
        if let Some(phone) = plan.phone {
            return phone_text(&String::from_utf8_lossy(&phone.value(record, b"")), wishes.country);
        }
        let value = map.column(Field::Email).map_or_else(Default::default, |column| cell::value(record.raw(column.0)));
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        let (entry, more) = entry::read(&value, &mut self.cleaner);
        let mut texts = match entry {
            Entry::Nothing => Vec::new(),
            Entry::Address(identity) => vec![FoundText::Address(text(identity))],
            Entry::Domain(domain) => vec![FoundText::Domain(domain)],
            Entry::Digest(digest) => vec![FoundText::Digest(digest)],
            Entry::Unusable(_) => return Texts::Unusable,
        };
        texts.extend(more.iter().cloned().map(FoundText::Address));
        for column in &map.further_addresses {
            let value = cell::value(record.raw(column.0));
            let address = self.further.clean(&value);
            if address.is_usable() {
                texts.push(FoundText::Address(text(address.identity)));
            }
            texts.extend(address.further.iter().cloned().map(FoundText::Address));
        }
        if texts.is_empty() { Texts::Nothing } else { Texts::These(texts) }
    }
}

fn phone_text(value: &str, country: Option<Country>) -> Texts {
    let value = value.trim();
    if value.is_empty() {
        return Texts::Nothing;
    }
    let mut number = String::new();
    match phone::clean(value, country, &mut number) {
        Cleaned::AsItIs => Texts::These(vec![FoundText::Phone(value.to_owned())]),
        Cleaned::Repaired(_) => Texts::These(vec![FoundText::Phone(number)]),
        Cleaned::Doubtful(_) => Texts::Unusable,
    }
}
