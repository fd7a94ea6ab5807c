//! The entries of list files, with their text: for whoever keeps them. A run itself compares them by their hashes.

mod orders;
mod plan;
mod row;

use crate::job::Job;
use crate::job::lists::{List, ListFiles, ListKey};
use crate::run::contact::ContactReader;
use crate::run::gather::chunks::Reading;
use crate::run::gather::counts::another_table;
use crate::run::gather::list_chunk::ListPlan;
use crate::run::gather::records::{line_above, not_text};
use crate::run::open::files::OpenFiles;
use crate::run::open::opening::open_files;
use crate::run::open::status_columns::StatusColumns;
use crate::run::setting::Setting;
use crate::suppress::reason::Reason;
use crate::suppress::status::StatusReason;
use crate::tasks::found_entries::{EntriesFile, EntriesWishes, FoundEntry};
use orders::decide_orders;
use pebblebank_table::observe::{Finding, Met, Observer, Stage, Weight, counted};
use pebblebank_table::units::RowNumber;
use pebblebank_table::{Chunk, Record, Records, Result};
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::date::Date;
use pebblebank_values::identity::IdentityHasher;
use pebblebank_values::unread::UnreadCounts;
use pebblebank_values::{ColumnRef, Field};
use plan::{Day, Plan};
use row::{Scratch, Texts, contact, look_for_unread};
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
    /// Rows that may be refusals and whose entry was read.
    pub readable: u64,
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

    fn warn_of_unreadable(&mut self, wishes: &EntriesWishes, unreadable: &[Met], lost: &[Met]) {
        let what = if wishes.by_phone {
            "no phone number that can be read (--country says which country they are of)"
        } else {
            "neither an address nor a domain"
        };
        let codes = [(UNREADABLE_ENTRIES, unreadable, KEPT_AS_WRITTEN), (LOST_ENTRIES, lost, "")];
        for (code, met, so) in codes {
            for (file, met) in self.files.iter().zip(met).filter(|(_, met)| met.count > 0) {
                let text = format!("{} {what}{so}", counted(met.count, "row", "has", "have"));
                self.findings.push(Finding::new(code, Weight::Warning, text).in_file(&file.name).at_rows(met));
            }
        }
    }

    fn warn_of_days(&mut self, plans: &[Plan], no_days: &[[Met; 2]]) {
        for ((file, plan), met) in self.files.iter().zip(plans).zip(no_days) {
            let said = ["; they count from the day of the load", "; these entries count for good"];
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

/// The code of the finding about entries that cannot be read and are kept as they stand.
pub const UNREADABLE_ENTRIES: &str = "unreadable-entries";

/// What its sentence ends with once they are kept.
pub const KEPT_AS_WRITTEN: &str =
    ", kept as written: the same text is suppressed, and what is close to it is a near miss";

/// The code of the finding about entries that cannot be read and cannot be kept.
pub const LOST_ENTRIES: &str = "lost-entries";

/// The most different words of status columns that are kept.
const WORDS_KEPT: usize = 200;

/// Reads entries and hands each over.
pub fn read_entries(
    wishes: &EntriesWishes,
    setting: &Setting,
    observer: &dyn Observer,
    each: &mut dyn FnMut(FoundEntry) -> Result<()>,
) -> Result<EntriesRead> {
    let files = open_files(&job_of(wishes), &setting.spool_folder, setting.threads, observer)?;
    let mut plans: Vec<Plan> = files.lists.iter().map(|file| Plan::new(wishes, file)).collect::<Result<_>>()?;
    let orders = decide_orders(&mut plans, &files, wishes, observer)?;
    let mut pass = EntriesPass::new(wishes, &files, &plans);
    pass.read.findings.extend(orders);
    let mut records = Records::default();
    let mut reading: Reading<_> = Reading::new(&files.lists, Stage::Reading, observer);
    while let Some(chunk) = reading.next()? {
        pass.chunk(chunk.file.0 as usize, &chunk.chunk, &mut records, each)?;
        chunk.give_back();
    }
    let mut read = pass.finish();
    for (file, found) in read.files.iter_mut().zip(reading.files_read()) {
        file.fingerprint = found.fingerprint;
    }
    Ok(read)
}

/// The job that opens the files as one list.
fn job_of(wishes: &EntriesWishes) -> Job {
    let mut files = ListFiles { read: wishes.read.clone(), condition: wishes.condition.clone(), by: None };
    if wishes.by_phone {
        files.go_by(Some(ListKey::of(ColumnRef::Field(Field::Phone))), &[]);
    }
    Job {
        lists: vec![List::new("entries", files).into()],
        country: wishes.country,
        ..Job::new("entries", wishes.today)
    }
}

/// The pass over the files of a list.
struct EntriesPass<'a> {
    wishes: &'a EntriesWishes,
    files: &'a OpenFiles,
    plans: &'a [Plan],
    hasher: IdentityHasher,
    scratch: Scratch,
    read: EntriesRead,
    /// By file: the rows that were read of it so far.
    rows_above: Vec<u64>,
    /// By file: headers of another table.
    other_tables: Vec<Met>,
    /// By file: rows with an entry that cannot be read and is kept as it stands.
    unreadable: Vec<Met>,
    /// By file: rows that would have an entry, if it could be read.
    lost: Vec<Met>,
    /// By file: days that cannot be read, of the event and of the end.
    no_days: Vec<[Met; 2]>,
}

impl<'a> EntriesPass<'a> {
    fn new(wishes: &'a EntriesWishes, files: &'a OpenFiles, plans: &'a [Plan]) -> EntriesPass<'a> {
        // What a status column says is asked here as it is, and not for consent.
        let findings = files.all_findings().into_iter().filter(|finding| finding.code != "status-column").collect();
        EntriesPass {
            wishes,
            files,
            plans,
            hasher: IdentityHasher::random(),
            scratch: Scratch {
                contacts: ContactReader::new(&files.addresses),
                cleaner: AddressCleaner::with(Arc::clone(&files.addresses)),
                ..Scratch::default()
            },
            read: EntriesRead {
                findings,
                files: files.lists.iter().map(|file| EntriesFile::new(file.input.name())).collect(),
                ..EntriesRead::default()
            },
            rows_above: vec![0; files.lists.len()],
            other_tables: vec![Met::default(); files.lists.len()],
            unreadable: vec![Met::default(); files.lists.len()],
            lost: vec![Met::default(); files.lists.len()],
            no_days: vec![[Met::default(), Met::default()]; files.lists.len()],
        }
    }

    /// Reads the next chunk of the file of this place.
    fn chunk(
        &mut self,
        index: usize,
        chunk: &Chunk,
        records: &mut Records,
        each: &mut dyn FnMut(FoundEntry) -> Result<()>,
    ) -> Result<()> {
        let file = &self.files.lists[index];
        records.split(chunk, file.dialect);
        if let Some(problem) = not_text(file, chunk, records) {
            return Err(problem.at(file, self.rows_above[index]));
        }
        let keys = ListPlan::of(self.files, index);
        for row in 0..records.len() {
            let number = RowNumber(self.rows_above[index] + row as u64 + 1);
            let Some(record) = contact(file, chunk, records, row) else {
                let record = records.get(row, &chunk.bytes, file.dialect);
                let is_below = line_above(file, chunk, row).is_none();
                if is_below && file.table.has_header && file.begins_another_table(&record) {
                    self.other_tables[index].at(number);
                }
                look_for_unread(file, &record, number, &[], false, &mut self.read.unread);
                continue;
            };
            self.read.files[index].rows += 1;
            if keys.counts(file, &record, &mut self.scratch.contacts, &self.hasher) {
                self.row(index, &record, number, each)?;
            } else {
                self.read.files[index].left_out += 1;
            }
        }
        self.rows_above[index] += records.len() as u64;
        Ok(())
    }

    /// Hands over the entries of a row.
    fn row(
        &mut self,
        index: usize,
        record: &Record,
        number: RowNumber,
        each: &mut dyn FnMut(FoundEntry) -> Result<()>,
    ) -> Result<()> {
        let (file, plan) = (&self.files.lists[index], &self.plans[index]);
        let [day, until] = self.days(index, record, number);
        let status = self.status(plan, record);
        self.scratch.shifted.clear();
        let texts = self.scratch.texts(plan, file.map(), record, self.wishes);
        let is_no_entry =
            matches!(status, Some(StatusReason::None | StatusReason::Verdict | StatusReason::Is(Reason::AlreadySent)));
        if !is_no_entry {
            let gave_entry = matches!(texts, Texts::These(_));
            let read_columns = [&plan.read_columns[..], &self.scratch.shifted[..]].concat();
            look_for_unread(file, record, number, &read_columns, gave_entry, &mut self.read.unread);
        }
        let texts = match texts {
            Texts::Nothing => {
                self.read.files[index].blank += 1;
                return Ok(());
            }
            Texts::Lost => {
                self.read.files[index].unusable += 1;
                if !is_no_entry {
                    self.lost[index].at(number);
                }
                return Ok(());
            }
            Texts::Unreadable(texts) => {
                self.read.files[index].unusable += 1;
                if !is_no_entry {
                    self.unreadable[index].at(number);
                }
                texts
            }
            Texts::These(texts) => {
                self.read.readable += u64::from(!is_no_entry);
                texts
            }
        };
        let entry = |text| FoundEntry { file: index, row: number, text, status, day, until, file_day: file.changed_on };
        texts.into_iter().try_for_each(|text| each(entry(text)))
    }

    /// The day of the event and the last day that the entry holds.
    fn days(&mut self, index: usize, record: &Record, number: RowNumber) -> [Option<Date>; 2] {
        let plan = &self.plans[index];
        let days =
            [&plan.dated, &plan.until].map(|column| column.as_ref().map_or(Day::None, |column| column.day(record)));
        for (_, met) in days.iter().zip(&mut self.no_days[index]).filter(|(day, _)| **day == Day::Unreadable) {
            met.at(number);
        }
        days.map(Day::known)
    }

    /// What the row's status says; its word is counted.
    fn status(&mut self, plan: &Plan, record: &Record) -> Option<StatusReason> {
        let (word, said) = plan.status.as_ref()?.read(record);
        let word: String = word.chars().take(40).collect();
        let words = &mut self.read.words;
        if words.len() < WORDS_KEPT || words.contains_key(&word) {
            words.entry(word).or_insert((said, 0)).1 += 1;
        }
        Some(said)
    }

    fn finish(mut self) -> EntriesRead {
        for file in &self.files.lists {
            file.unread.iter().for_each(|text| self.read.unread.add(&file.input.name(), "", text));
        }
        for (file, met) in self.read.files.iter().zip(&self.other_tables) {
            self.read.findings.extend(another_table(met).map(|finding| finding.in_file(&file.name)));
        }
        self.read.name_status_columns(self.files, self.plans);
        self.read.warn_of_unreadable(self.wishes, &self.unreadable, &self.lost);
        self.read.warn_of_days(self.plans, &self.no_days);
        self.read
    }
}
