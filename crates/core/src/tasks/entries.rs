//! The entries of list files, with their text: for whoever keeps them. A run itself compares them by their hashes.

use crate::columns::lines::Line;
use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use crate::job::Job;
use crate::job::lists::{List, ListFiles, ListKey};
use crate::run::contact::ContactReader;
use crate::run::contact::keys::has_column;
use crate::run::gather::chunks::Reading;
use crate::run::gather::date_orders::order_of;
use crate::run::gather::lists::ListPlan;
use crate::run::gather::records::{line_above, not_text};
use crate::run::open::files::{OpenFile, OpenFiles};
use crate::run::open::opening::open_files;
use crate::run::open::status_columns::StatusColumns;
use crate::run::setting::Setting;
use crate::suppress::reason::Reason;
use crate::suppress::status::StatusReason;
use crate::tasks::found_entries::{EntriesFile, EntriesWishes, FORGOTTEN, FoundEntry, FoundText, StatusWish};
use pebblebank_formats::Format;
use pebblebank_table::observe::{Finding, Met, Observer, Stage, Weight, counted};
use pebblebank_table::units::{ColumnIndex, ListId, RowNumber};
use pebblebank_table::{Chunk, Error, ErrorKind, Record, Records, Result, cell};
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::blank::is_blank;
use pebblebank_values::date::Date;
use pebblebank_values::date_column::{DateColumn, DateOf, OrderEvidence};
use pebblebank_values::entry::{self, Entry};
use pebblebank_values::fold::fold;
use pebblebank_values::place::Country;
use pebblebank_values::unread::{RowGave, UnreadCounts, UnreadText, look_at};
use pebblebank_values::{Cleaned, ColumnRef, Field, phone};
use std::collections::BTreeMap;
use std::sync::Arc;

/// What reading entries came to.
#[derive(Debug, Clone, Default)]
pub struct EntriesRead {
    /// The files.
    pub files: Vec<EntriesFile>,
    /// What should be looked at.
    pub findings: Vec<Finding>,
    /// The columns that say what happened, as the files call them.
    pub status_columns: Vec<String>,
    /// The words in them, what each was read as, and how often it occurs.
    pub words: BTreeMap<String, (StatusReason, u64)>,
    /// What looks like an entry and stands outside of the entries.
    pub unread: UnreadCounts,
}

impl EntriesRead {
    fn name_status_columns(&mut self, files: &OpenFiles, plans: &[Plan]) {
        for (file, plan) in files.lists.iter().zip(plans) {
            for column in plan.status.iter().flat_map(StatusColumns::columns) {
                let header = file.map().header(column).to_owned();
                if !self.status_columns.contains(&header) {
                    self.status_columns.push(header);
                }
            }
        }
    }

    fn warn_of_unreadable(&mut self, wishes: &EntriesWishes, plans: &[Plan], unusable: &[Met], no_days: &[[Met; 2]]) {
        for (file, met) in self.files.iter().zip(unusable).filter(|(_, met)| met.count > 0) {
            let what = if wishes.by_phone {
                "no phone number that can be read (--country says which country they are of)"
            } else {
                "neither an address nor a domain"
            };
            let text = format!("{} {what}", counted(met.count, "row", "holds", "hold"));
            self.findings
                .push(Finding::new("unreadable-entries", Weight::Warning, text).in_file(&file.name).at_rows(met));
        }
        for ((file, plan), met) in self.files.iter().zip(plans).zip(no_days) {
            let said = ["; they count from the day of the load", "; these entries hold for good"];
            for ((column, met), so) in [&plan.dated, &plan.until].into_iter().zip(met).zip(said) {
                if let Some(column) = column.as_ref().filter(|_| met.count > 0) {
                    let text = format!("{} no day that can be read{so}", counted(met.count, "value", "is", "are"));
                    let finding = Finding::new("unreadable-days", Weight::Warning, text).in_file(&file.name);
                    self.findings.push(finding.in_column(&column.header).at_rows(met));
                }
            }
        }
    }
}

/// The most different words of status columns that are kept.
const WORDS_KEPT: usize = 200;

/// Headers of columns that say when it happened.
const DAY_HEADERS: [&str; 4] = ["date", "day", "datum", "date of bounce"];

/// Reads entries and hands each over.
pub fn read_entries(
    wishes: &EntriesWishes,
    setting: &Setting,
    observer: &dyn Observer,
    each: &mut dyn FnMut(FoundEntry) -> Result<()>,
) -> Result<EntriesRead> {
    let mut files = ListFiles { read: wishes.read.clone(), condition: wishes.condition.clone(), by: None };
    if wishes.by_phone {
        files.go_by(Some(ListKey::of(ColumnRef::Field(Field::Phone))), &[]);
    }
    let job = Job {
        lists: vec![List::new("entries", files).into()],
        country: wishes.country,
        ..Job::new("entries", wishes.today)
    };
    let files = open_files(&job, &setting.spool_folder, observer)?;
    // What a status column says is asked here as it stands, and not for consent.
    let findings = files.all_findings().into_iter().filter(|finding| finding.code != "status-column").collect();
    let mut read = EntriesRead { findings, ..EntriesRead::default() };
    let hasher = pebblebank_values::identity::IdentityHasher::random();
    let mut scratch = Scratch {
        contacts: ContactReader::new(&files.addresses),
        cleaner: AddressCleaner::with(Arc::clone(&files.addresses)),
        ..Scratch::default()
    };
    let mut records = Records::default();
    let mut plans: Vec<Plan> = files.lists.iter().map(|file| Plan::new(wishes, file)).collect::<Result<_>>()?;
    read.findings.extend(decide_orders(&mut plans, &files, wishes, observer)?);
    read.files = files.lists.iter().map(|file| EntriesFile::new(file.input.name())).collect();
    let mut unusable = vec![Met::default(); files.lists.len()];
    let mut no_days = vec![[Met::default(), Met::default()]; files.lists.len()];
    let mut rows_above = vec![0u64; files.lists.len()];
    let mut reading: Reading<_> = Reading::new(&files.lists, Stage::Reading, observer);
    while let Some(chunk) = reading.next()? {
        let index = chunk.file.0 as usize;
        let (file, plan) = (&files.lists[index], &plans[index]);
        records.split(&chunk.chunk, file.dialect);
        if let Some(problem) = not_text(file, &chunk.chunk, &records) {
            return Err(problem.at(file, rows_above[index]));
        }
        let keys = ListPlan::of(&files, index);
        for row in 0..records.len() {
            let number = RowNumber(rows_above[index] + row as u64 + 1);
            let Some(record) = contact(file, &chunk.chunk, &records, row) else {
                let record = records.get(row, &chunk.chunk.bytes, file.dialect);
                look_for_unread(file, &record, number, &[], false, &mut read.unread);
                continue;
            };
            let counts = &mut read.files[index];
            counts.rows += 1;
            if !keys.counts(file, &record, &mut scratch.contacts, &hasher) {
                counts.left_out += 1;
                continue;
            }
            let days = [&plan.dated, &plan.until]
                .map(|column| column.as_ref().map_or(Day::None, |column| column.day(&record)));
            for (_, met) in days.iter().zip(&mut no_days[index]).filter(|(day, _)| **day == Day::Unreadable) {
                met.at(number);
            }
            let [day, until] = days.map(Day::known);
            let status = plan.status.as_ref().map(|columns| columns.read(&record));
            let status = status.map(|(word, said)| {
                let word: String = word.chars().take(40).collect();
                if read.words.len() < WORDS_KEPT || read.words.contains_key(&word) {
                    read.words.entry(word).or_insert((said, 0)).1 += 1;
                }
                said
            });
            let about = |text| FoundEntry { text, status, day, until, file_day: file.changed_on };
            scratch.shifted.clear();
            let texts = scratch.texts(plan, file.map(), &record, wishes);
            let is_entry = !matches!(
                status,
                Some(StatusReason::None | StatusReason::Verdict | StatusReason::Is(Reason::AlreadySent))
            );
            if is_entry {
                let gave_entry = matches!(texts, Texts::These(_));
                let read_columns = [&plan.read_columns[..], &scratch.shifted[..]].concat();
                look_for_unread(file, &record, number, &read_columns, gave_entry, &mut read.unread);
            }
            match texts {
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
    for file in &files.lists {
        file.unread.iter().for_each(|text| read.unread.add(&file.input.name(), "", text));
    }
    read.name_status_columns(&files, &plans);
    for (file, found) in read.files.iter_mut().zip(reading.files_read()) {
        file.fingerprint = found.fingerprint;
    }
    read.warn_of_unreadable(wishes, &plans, &unusable, &no_days);
    Ok(read)
}

/// Counts what a row holds beside its entries.
fn look_for_unread(
    file: &OpenFile<ListId>,
    record: &Record,
    row: RowNumber,
    read: &[ColumnIndex],
    gave_entry: bool,
    unread: &mut UnreadCounts,
) {
    // Who is meant by a message was found out when it was read.
    if file.format == Format::Mail {
        return;
    }
    let name = file.input.name();
    let row_gave = RowGave::new(gave_entry, file.map().is_longer(record));
    for (column, raw) in record.raw_cells().enumerate() {
        if raw.len() < 4 || read.contains(&ColumnIndex(column)) {
            continue;
        }
        look_at(&cell::text(raw), row_gave, &mut |look, text| {
            let header = file.map().headers.get(column).map_or_else(|| format!("column {}", column + 1), String::clone);
            unread.add(&name, &header, &UnreadText { sheet: None, row, column, look, text });
        });
    }
}

/// The record of a row that is an entry, and not a title, a header or an empty line.
fn contact<'a>(file: &OpenFile<ListId>, chunk: &'a Chunk, records: &'a Records, row: usize) -> Option<Record<'a>> {
    let record = records.get(row, &chunk.bytes, file.dialect);
    let is_contact = line_above(file, chunk, row).is_none() && file.judge(&record) == Line::Contact;
    is_contact.then_some(record)
}

/// Decides by all of each column of days whether the day or the month comes first; reads the files once for it, where any
/// has such a column.
fn decide_orders(
    plans: &mut [Plan],
    files: &OpenFiles,
    wishes: &EntriesWishes,
    observer: &dyn Observer,
) -> Result<Vec<Finding>> {
    let said = wishes.read.columns.date_order;
    let mut findings = Vec::new();
    if plans.iter().all(|plan| plan.dated.is_none() && plan.until.is_none()) {
        return Ok(findings);
    }
    let mut seen = vec![[OrderEvidence::default(), OrderEvidence::default()]; plans.len()];
    let mut records = Records::default();
    let mut rows_above = vec![0u64; plans.len()];
    let mut reading: Reading<_> = Reading::new(&files.lists, Stage::Reading, observer);
    while let Some(chunk) = reading.next()? {
        let index = chunk.file.0 as usize;
        let file = &files.lists[index];
        records.split(&chunk.chunk, file.dialect);
        for row in 0..records.len() {
            let Some(record) = contact(file, &chunk.chunk, &records, row) else { continue };
            let number = RowNumber(rows_above[index] + row as u64 + 1);
            for (column, seen) in [&plans[index].dated, &plans[index].until].into_iter().zip(&mut seen[index]) {
                if let Some(column) = column {
                    seen.look(&column.source.value(&record, b""), number);
                }
            }
        }
        rows_above[index] += records.len() as u64;
        chunk.give_back();
    }
    for ((plan, file), seen) in plans.iter_mut().zip(&files.lists).zip(&seen) {
        for (column, seen) in [&mut plan.dated, &mut plan.until].into_iter().zip(seen) {
            if let Some(column) = column {
                let (order, finding) = order_of(file, &column.header, seen, said, wishes.country)?;
                column.dates.order = order;
                findings.extend(finding);
            }
        }
    }
    Ok(findings)
}

/// Where the parts of an entry are in one file.
struct Plan {
    status: Option<StatusColumns>,
    /// The columns that entries are read from.
    read_columns: Vec<ColumnIndex>,
    dated: Option<DayColumn>,
    until: Option<DayColumn>,
    phone: Option<ValueSource>,
}

/// A column of days.
struct DayColumn {
    header: String,
    source: ValueSource,
    dates: DateColumn,
}

/// What a cell of days says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Day {
    None,
    Known(Date),
    Unreadable,
}

impl Day {
    fn known(self) -> Option<Date> {
        if let Day::Known(day) = self { Some(day) } else { None }
    }
}

impl DayColumn {
    fn new(column: &ColumnRef, map: &ColumnMap, today: Date) -> DayColumn {
        DayColumn {
            header: column.name().to_owned(),
            source: ValueSource::new(column, map, false),
            dates: DateColumn { order: None, today, of: DateOf::Any },
        }
    }

    fn day(&self, record: &Record) -> Day {
        let value = self.source.value(record, b"");
        let text = String::from_utf8_lossy(&value);
        if is_blank(&text) {
            return Day::None;
        }
        self.dates.moment(text.trim()).map_or(Day::Unreadable, |(moment, _)| Day::Known(moment.date))
    }
}

impl Plan {
    fn new(wishes: &EntriesWishes, file: &OpenFile<ListId>) -> Result<Plan> {
        let map = file.map();
        let named = |column: &ColumnRef| {
            if has_column(column, map) {
                return Ok(column.clone());
            }
            let what = format!("the file has no column \"{}\"", column.name());
            let headers = map.headers.iter().map(|header| format!("\"{header}\"")).collect::<Vec<_>>().join(", ");
            Err(Error::new(ErrorKind::Columns, what, "name one of its headers")
                .in_file(file.input.path())
                .expected(format!("one of {headers}")))
        };
        let find = |known: &[&str]| {
            let header = map.headers.iter().find(|header| known.contains(&fold(header).as_str()));
            header.map(|header| ColumnRef::extra(header))
        };
        let status = match &wishes.status {
            StatusWish::NoColumn => StatusColumns::default(),
            StatusWish::OfBounces => file.statuses.clone(),
            StatusWish::OfEvents => file.statuses.clone().of_events(),
            StatusWish::Column(column) => {
                let source = ValueSource::new(&named(column)?, map, false);
                source.columns().next().map(StatusColumns::named).unwrap_or_default()
            }
        };
        let status = Some(status.meaning(&wishes.status_means)).filter(|status| !status.is_empty());
        let dated = wishes.dated.as_ref().map(named).transpose()?.or_else(|| find(&DAY_HEADERS));
        let until = wishes.until.as_ref().map(named).transpose()?;
        let days = |column: Option<ColumnRef>| column.map(|column| DayColumn::new(&column, map, wishes.today));
        let phone = wishes.by_phone.then(|| ValueSource::new(&ColumnRef::Field(Field::Phone), map, false));
        let read_columns = match &phone {
            Some(phone) => phone.columns().collect(),
            None => map.address_columns().collect(),
        };
        Ok(Plan { status, read_columns, dated: days(dated), until: days(until), phone })
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
    contacts: ContactReader,
    /// The cells of the row that were read although they stand outside of the columns of addresses.
    shifted: Vec<ColumnIndex>,
}

impl Scratch {
    fn texts(&mut self, plan: &Plan, map: &ColumnMap, record: &Record, wishes: &EntriesWishes) -> Texts {
        if let Some(phone) = plan.phone {
            return phone_text(&String::from_utf8_lossy(&phone.value(record, b"")), wishes.country);
        }
        let mut texts = Vec::new();
        let mut is_unusable = false;
        let first = map.column(Field::Email).map(|column| cell::text(record.raw(column.0)));
        let forgotten = first.as_deref().and_then(|text| text.trim().strip_prefix(FORGOTTEN)?.strip_prefix(':'));
        if let Some((mark, _)) = forgotten.and_then(|rest| rest.split_once(':')) {
            return Texts::These(vec![FoundText::Forgotten(mark.to_owned())]);
        }
        let mut first_gave_entry = None;
        for column in map.address_columns() {
            let value = cell::value(record.raw(column.0));
            entry::read(&value, &mut self.cleaner, &mut |entry| match entry {
                Entry::Address(identity) => {
                    texts.push(FoundText::Address(String::from_utf8_lossy(identity).into_owned()));
                }
                Entry::Domain(domain) => texts.push(FoundText::Domain(domain)),
                Entry::Digest(digest) => texts.push(FoundText::Digest(digest)),
                Entry::Unusable(_) => is_unusable = true,
            });
            first_gave_entry.get_or_insert(!texts.is_empty());
        }
        for column in map.shifted_addresses(record, first_gave_entry.unwrap_or(false)) {
            let value = cell::value(record.raw(column.0));
            entry::read(&value, &mut self.cleaner, &mut |entry| {
                if let Entry::Address(identity) = entry {
                    texts.push(FoundText::Address(String::from_utf8_lossy(identity).into_owned()));
                }
            });
            self.shifted.push(column);
        }
        match texts.is_empty() {
            true if is_unusable => Texts::Unusable,
            true => Texts::Nothing,
            false => Texts::These(texts),
        }
    }
}

fn phone_text(value: &str, country: Option<Country>) -> Texts {
    let value = value.trim();
    if value.is_empty() || phone::is_placeholder(value) {
        return Texts::Nothing;
    }
    let mut number = String::new();
    match phone::clean(value, country, &mut number) {
        Cleaned::AsItIs => Texts::These(vec![FoundText::Phone(value.to_owned())]),
        Cleaned::Repaired(_) => Texts::These(vec![FoundText::Phone(number)]),
        Cleaned::Doubtful(_) => Texts::Unusable,
    }
}
