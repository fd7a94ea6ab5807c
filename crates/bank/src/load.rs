//! Entries into the bank: staged first, so that it can be seen what a load would do before it changes anything.
//!
//! What is staged is sorted and each entry kept once, in a nameless file beside the bank; so the bank is asked and
//! changed in the order of its own index, which is many times as quick as in the order of a file.

use crate::batch::{Batch, BatchId, NewBatch, What};
use crate::file::{Bank, trouble};
use crate::text::{Kind, Text, Value};
use pebblebank_core::clean::date::Date;
use pebblebank_core::sorter::Sorter;
use pebblebank_core::{Error, ErrorKind, Result};
use rusqlite::{Connection, OptionalExtension, Statement, Transaction, params};
use serde::Serialize;
use std::fs::File;
use std::io::{BufReader, BufWriter, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// How much of the bank stays in memory while a batch goes in, so that few of its pages are written twice.
const WRITING_KIB: u32 = 256 << 10;

/// What may wait in memory to be sorted.
const SORTED_BYTES: u64 = 96 << 20;

/// An entry that is about to go in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewEntry {
    /// Whom it is about.
    pub text: Text,
    /// The day of what happened, if that is known.
    pub day: Option<Date>,
    /// Whether mail came back for a reason that may pass.
    pub is_soft: bool,
    /// The last day that it holds.
    pub until: Option<Date>,
}

impl NewEntry {
    /// An entry that holds from now on.
    pub fn new(text: Text) -> NewEntry {
        NewEntry { text, day: None, is_soft: false, until: None }
    }
}

/// What a load would do.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct Preview {
    /// Entries, each once.
    pub entries: u64,
    /// Of these, those that the bank does not have for this reason and scope.
    pub new: u64,
    /// Of these, those that it has.
    pub known: u64,
    /// Of the known ones, those who were forgotten; they stay uncontacted, and are not written down again.
    pub forgotten: u64,
    /// How many of those in the files prepared last would be held, by scope and job.
    pub held: Vec<HeldPrepared>,
}

/// People in a file for the sending service who must not be contacted.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct HeldPrepared {
    /// The batch.
    pub batch: BatchId,
    /// Whose file it is.
    pub scope: String,
    /// The job that wrote it.
    pub job: String,
    /// The day.
    pub day: String,
    /// Whether it was sent since.
    pub is_sent: bool,
    /// How many are in it.
    pub contacts: u64,
    /// How many of these.
    pub held: u64,
}

/// Whom new entries hold, as far as the bank knows them: texts by number, and domains.
#[derive(Debug, Default)]
pub(crate) struct Newly {
    /// The numbers of texts, sorted.
    pub texts: Vec<i64>,
    /// Domains.
    pub domains: Vec<Vec<u8>>,
}

/// A batch whose entries wait to go in.
pub struct Staged<'a> {
    bank: &'a mut Bank,
    batch: NewBatch,
    sorter: Sorter,
    forgotten: u64,
    forgets: bool,
}

/// A batch whose entries are all there.
pub struct Ready<'a> {
    bank: &'a mut Bank,
    batch: NewBatch,
    entries: SortedEntries,
    forgotten: u64,
}

impl Bank {
    /// Begins a batch.
    pub fn stage(&mut self, batch: NewBatch) -> Result<Staged<'_>> {
        let forgets = self.has_forgotten()?;
        let sorter = Sorter::new(SORTED_BYTES, &self.folder());
        Ok(Staged { bank: self, batch, sorter, forgotten: 0, forgets })
    }
}

impl<'a> Staged<'a> {
    /// Adds entries.
    pub fn add(&mut self, entries: impl IntoIterator<Item = NewEntry>) -> Result<()> {
        let key = self.bank.key()?;
        for entry in entries {
            if self.forgets
                && matches!(entry.text.kind, Kind::Address | Kind::Phone)
                && self.bank.text_id(&entry.text.forgotten(&key))?.is_some()
            {
                self.forgotten += 1;
                continue;
            }
            let NewEntry { text, day, is_soft, until } = entry;
            let is_soft = is_soft && self.batch.what == What::Bounced;
            let day = day.map_or(i32::MIN, Date::day_number);
            let until = until.map_or(i32::MIN, Date::day_number);
            let mut order = vec![text.kind as u8];
            order.extend_from_slice(&text.value);
            let mut payload = vec![u8::from(is_soft)];
            payload.extend_from_slice(&day.to_le_bytes());
            payload.extend_from_slice(&until.to_le_bytes());
            self.sorter.push(&order, &payload)?;
        }
        Ok(())
    }

    /// All entries are there.
    pub fn ready(self) -> Result<Ready<'a>> {
        let entries = SortedEntries::of(self.sorter, &self.bank.folder())?;
        Ok(Ready { bank: self.bank, batch: self.batch, entries, forgotten: self.forgotten })
    }
}

impl Ready<'_> {
    /// Says which file it comes from.
    pub fn comes_from(&mut self, file: &str, fingerprint: &str) {
        self.batch.file = Some(file.to_owned());
        self.batch.fingerprint = Some(fingerprint.to_owned());
    }

    /// The batch that a file of the same content went in with, if it still counts.
    pub fn loaded_before(&self, fingerprint: &str) -> Result<Option<Batch>> {
        self.bank.batch_of_file(fingerprint, self.batch.what, self.batch.scope)
    }

    /// Fails unless the batch has so many entries.
    pub fn expect(&self, expected: u64, found: u64) -> Result<()> {
        if expected == found {
            return Ok(());
        }
        let what = format!("{found} entries were read, and {expected} were expected, so nothing was changed");
        Err(Error::new(
            ErrorKind::Guard,
            what,
            "look whether the file is the right one, and whole; then correct --expect",
        ))
    }

    /// What the batch would do.
    pub fn preview(&mut self) -> Result<Preview> {
        let bank = self.bank.connection();
        let fail = |cause: rusqlite::Error| trouble(self.bank.path(), &cause);
        let mut known = Known::new(bank, &self.batch).map_err(fail)?;
        let mut newly = Newly::default();
        let mut preview = Preview { known: self.forgotten, forgotten: self.forgotten, ..Preview::default() };
        let mut last: Option<Text> = None;
        self.entries.for_each(|entry| {
            let is_first = last.as_ref() != Some(&entry.text);
            let id = known.id(&entry.text).map_err(fail)?;
            if !entry.is_soft {
                newly.texts.extend(id);
                newly.domains.extend((entry.text.kind == Kind::Domain).then(|| entry.text.value.clone()));
            }
            if is_first {
                let is_known = id.map_or(Ok(false), |id| known.is_held(id)).map_err(fail)?;
                *if is_known { &mut preview.known } else { &mut preview.new } += 1;
                last = Some(entry.text);
            }
            Ok(())
        })?;
        preview.entries = preview.new + preview.known;
        newly.texts.sort_unstable();
        if self.batch.what.reason().is_some() {
            preview.held = self.bank.held_in_files(self.batch.scope, &newly)?;
        }
        Ok(preview)
    }

    /// Lets the batch go in: the whole of it, or nothing.
    pub fn commit(mut self) -> Result<BatchId> {
        self.put(false)?.ok_or_else(|| {
            let what = "everybody in it was forgotten, and stays uncontacted; nothing was changed";
            Error::new(ErrorKind::Job, what, "nothing is left to be done")
        })
    }

    /// The same; none where there is nothing.
    pub fn commit_all_or_none(mut self) -> Result<Option<BatchId>> {
        self.put(false)
    }

    /// Lets go in what the bank does not have yet for this reason and scope; none where that is nothing.
    pub fn commit_new(mut self) -> Result<Option<BatchId>> {
        self.put(true)
    }

    fn put(&mut self, only_new: bool) -> Result<Option<BatchId>> {
        let moment = self.bank.moment().to_owned();
        let path = self.bank.path().to_path_buf();
        let (batch, entries) = (&self.batch, &mut self.entries);
        self.bank.keep_pages(WRITING_KIB)?;
        self.bank.change_with(|change| {
            let fail = |cause: rusqlite::Error| trouble(&path, &cause);
            let id = insert_batch(change, batch, &moment).map_err(fail)?;
            let mut counts = Counts::default();
            {
                let mut known = Known::new(change, batch).map_err(fail)?;
                let mut new_text = change.prepare("insert into text (kind, value) values (?1, ?2)").map_err(fail)?;
                let mut new_entry = change
                    .prepare("insert into entry (text, batch, day, soft, until) values (?1, ?2, ?3, ?4, ?5)")
                    .map_err(fail)?;
                entries.for_each(|entry| {
                    let text = known.id(&entry.text).map_err(fail)?;
                    if only_new && text.map_or(Ok(false), |text| known.is_held(text)).map_err(fail)? {
                        return Ok(());
                    }
                    let text = match text {
                        Some(text) => text,
                        None => new_text.insert(params![entry.text.kind, Value(&entry.text)]).map_err(fail)?,
                    };
                    let day = entry.day.map(Date::day_number);
                    let until = entry.until.map(Date::day_number);
                    new_entry.insert(params![text, id.0, day, entry.is_soft, until]).map_err(fail)?;
                    counts.add(&entry);
                    Ok(())
                })?;
            }
            if counts.entries + counts.softs == 0 {
                change.execute("delete from batch where id = ?1", [id.0]).map_err(fail)?;
                return Ok(None);
            }
            counts.write(change, id, batch.file.is_some(), &moment).map_err(fail)?;
            Ok(Some(id))
        })
    }
}

fn insert_batch(change: &Transaction, batch: &NewBatch, moment: &str) -> rusqlite::Result<BatchId> {
    let NewBatch { what, scope, campaign, job, file, fingerprint, day, note } = batch;
    change.execute(
        "insert into batch (what, scope, campaign, job, file, fingerprint, added, day, note)
         values (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)",
        params![what.code(), scope.0, campaign, job, file, fingerprint, moment, day.day_number(), note],
    )?;
    Ok(BatchId(change.last_insert_rowid()))
}

/// What counts of a batch.
#[derive(Debug, Default)]
struct Counts {
    entries: i64,
    softs: i64,
    phones: i64,
    lapsing: i64,
}

impl Counts {
    fn add(&mut self, entry: &NewEntry) {
        self.softs += i64::from(entry.is_soft);
        self.entries += i64::from(!entry.is_soft);
        self.phones += i64::from(!entry.is_soft && entry.text.kind == Kind::Phone);
        self.lapsing += i64::from(entry.until.is_some());
    }

    fn write(&self, change: &Transaction, batch: BatchId, is_load: bool, moment: &str) -> rusqlite::Result<()> {
        let Counts { entries, softs, phones, lapsing } = self;
        change.execute(
            "update batch set entries = ?1, softs = ?2, phones = ?3, lapsing = ?4 where id = ?5",
            params![entries, softs, phones, lapsing, batch.0],
        )?;
        change.execute(
            "insert into history (moment, what, batch, count) values (?1, ?2, ?3, ?4)",
            params![moment, if is_load { "load" } else { "add" }, batch.0, entries + softs],
        )?;
        Ok(())
    }
}

/// Counts what still holds of a batch.
pub(crate) fn count_again(change: &Transaction, batch: BatchId) -> rusqlite::Result<i64> {
    change.execute(
        "update batch set (entries, softs, phones, lapsing) = (
           select coalesce(sum(e.soft = 0), 0), coalesce(sum(e.soft = 1), 0),
                  coalesce(sum(e.soft = 0 and t.kind = 2), 0), coalesce(sum(e.until is not null), 0)
           from entry e join text t on t.id = e.text where e.batch = batch.id and e.removed is null)
         where id = ?1",
        [batch.0],
    )?;
    change.query_row("select entries + softs from batch where id = ?1", [batch.0], |row| row.get(0))
}

/// What the bank knows of the texts of a batch.
struct Known<'a> {
    id: Statement<'a>,
    held: Statement<'a>,
    what: i64,
    scope: i64,
    campaign: Option<String>,
}

impl<'a> Known<'a> {
    fn new(bank: &'a Connection, batch: &NewBatch) -> rusqlite::Result<Known<'a>> {
        Ok(Known {
            id: bank.prepare("select id from text where kind = ?1 and value = ?2")?,
            held: bank.prepare(
                "select exists (select 1 from entry e join batch b on b.id = e.batch
                 where e.text = ?1 and e.removed is null and b.undone is null
                 and b.what = ?2 and b.scope in (1, ?3) and b.campaign is ?4)",
            )?,
            what: batch.what.code(),
            scope: batch.scope.0,
            campaign: batch.campaign.clone(),
        })
    }

    fn id(&mut self, text: &Text) -> rusqlite::Result<Option<i64>> {
        self.id.query_row(params![text.kind, Value(text)], |row| row.get(0)).optional()
    }

    /// Whether it holds for the same reason, in the same scope or in that of everyone.
    fn is_held(&mut self, text: i64) -> rusqlite::Result<bool> {
        self.held.query_row(params![text, self.what, self.scope, self.campaign], |row| row.get(0))
    }
}

/// Entries, each once, in the order of the bank's index; in a nameless file.
struct SortedEntries {
    file: File,
    folder: PathBuf,
}

impl SortedEntries {
    /// Of several entries with the same text one is kept, with the latest days; of soft bounces one for each day.
    fn of(sorter: Sorter, folder: &Path) -> Result<SortedEntries> {
        let fail = |cause: std::io::Error| Error::unwritable(folder, &cause);
        let mut out = BufWriter::with_capacity(256 << 10, tempfile::tempfile_in(folder).map_err(fail)?);
        let mut all = sorter.finish()?;
        let mut same: Vec<(bool, i32, i32)> = Vec::new();
        let mut text: Vec<u8> = Vec::new();
        loop {
            let next = all.next()?;
            let is_same = next.is_some_and(|(order, _)| order == text.as_slice());
            if !is_same {
                put_same(&mut out, &text, &mut same).map_err(fail)?;
                let Some((order, _)) = next else { break };
                text.clear();
                text.extend_from_slice(order);
            }
            if let Some((_, payload)) = next {
                let number = |at: usize| payload[at..at + 4].try_into().map_or(i32::MIN, i32::from_le_bytes);
                same.push((payload[0] == 1, number(1), number(5)));
            }
        }
        let file = out.into_inner().map_err(|cause| fail(cause.into_error()))?;
        Ok(SortedEntries { file, folder: folder.to_path_buf() })
    }

    fn for_each(&mut self, mut each: impl FnMut(NewEntry) -> Result<()>) -> Result<()> {
        let folder = self.folder.clone();
        let fail = |cause: std::io::Error| Error::unwritable(&folder, &cause);
        self.file.seek(SeekFrom::Start(0)).map_err(fail)?;
        let mut reader = BufReader::with_capacity(256 << 10, &self.file);
        let mut head = [0u8; 14];
        let date = |bytes: &[u8]| {
            let number = bytes.try_into().map_or(i32::MIN, i32::from_le_bytes);
            (number != i32::MIN).then(|| Date::from_day_number(number))
        };
        loop {
            match reader.read_exact(&mut head) {
                Err(cause) if cause.kind() == std::io::ErrorKind::UnexpectedEof => return Ok(()),
                read => read.map_err(fail)?,
            }
            let length = u32::from_le_bytes([head[0], head[1], head[2], head[3]]) as usize;
            let mut value = vec![0; length];
            reader.read_exact(&mut value).map_err(fail)?;
            each(NewEntry {
                text: Text { kind: Kind::of_code(i64::from(head[4])), value },
                is_soft: head[5] == 1,
                day: date(&head[6..10]),
                until: date(&head[10..14]),
            })?;
        }
    }
}

fn put_same(out: &mut impl Write, text: &[u8], same: &mut Vec<(bool, i32, i32)>) -> std::io::Result<()> {
    let mut put = |(is_soft, day, until): (bool, i32, i32)| {
        out.write_all(&(text.len() as u32 - 1).to_le_bytes())?;
        out.write_all(&[text[0], u8::from(is_soft)])?;
        out.write_all(&day.to_le_bytes())?;
        out.write_all(&until.to_le_bytes())?;
        out.write_all(&text[1..])
    };
    same.sort_unstable();
    let hard = same.iter().filter(|entry| !entry.0);
    if let Some(day) = hard.clone().map(|entry| entry.1).max() {
        let until = hard.clone().map(|entry| entry.2);
        // What holds for good holds longer than any day.
        let for_good = until.clone().any(|until| until == i32::MIN);
        put((false, day, if for_good { i32::MIN } else { until.max().unwrap_or(i32::MIN) }))?;
    }
    let mut soft: Vec<(bool, i32, i32)> = same.drain(..).filter(|entry| entry.0).collect();
    soft.dedup_by_key(|entry| entry.1);
    soft.into_iter().try_for_each(put)
}
