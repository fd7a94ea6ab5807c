//! Entries into the bank: staged first, so that it can be seen what a load would do before it changes anything.

use crate::batch::{Batch, BatchId, NewBatch, What};
use crate::file::{Bank, trouble};
use crate::text::{Kind, Text, Value};
use pebblebank_core::clean::date::Date;
use pebblebank_core::{Error, ErrorKind, Result};
use rusqlite::{OptionalExtension, Transaction, params};
use serde::Serialize;

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

/// That the bank has a staged entry already, for the same reason, in the same scope or in that of everyone.
const KNOWN: &str = "select 1 from text t join entry e on e.text = t.id join batch b on b.id = e.batch
    where t.kind = s.kind and t.value = s.value and e.removed is null and b.undone is null
    and b.what = ?1 and b.scope in (1, ?2) and b.campaign is ?3";

/// Where entries wait.
const STAGED: &str = "create temp table if not exists staged (kind integer not null, value blob not null, day integer, \
     soft integer not null, until integer)";

/// Entries that wait to go in.
#[derive(Debug)]
pub struct Staged<'a> {
    bank: &'a mut Bank,
    batch: NewBatch,
    forgotten: u64,
    forgets: bool,
}

impl Bank {
    /// Begins a batch.
    pub fn stage(&mut self, batch: NewBatch) -> Result<Staged<'_>> {
        self.ask(|bank| {
            bank.execute_batch(STAGED)?;
            bank.execute_batch("delete from staged")
        })?;
        let forgets = self.has_forgotten()?;
        Ok(Staged { bank: self, batch, forgotten: 0, forgets })
    }
}

impl Staged<'_> {
    /// Adds entries.
    pub fn add(&mut self, entries: impl IntoIterator<Item = NewEntry>) -> Result<()> {
        let key = self.bank.key()?;
        let path = self.bank.path().to_path_buf();
        let fail = |cause: rusqlite::Error| trouble(&path, &cause);
        let bank = self.bank.connection();
        let transaction = bank.unchecked_transaction().map_err(fail)?;
        {
            let mut insert = transaction.prepare("insert into staged values (?1, ?2, ?3, ?4, ?5)").map_err(fail)?;
            let mut known = transaction.prepare("select id from text where kind = ?1 and value = ?2").map_err(fail)?;
            for entry in entries {
                if self.forgets && matches!(entry.text.kind, Kind::Address | Kind::Phone) {
                    let forgotten = entry.text.forgotten(&key);
                    let met: Option<i64> = known
                        .query_row(params![Kind::Forgotten, Value(&forgotten)], |row| row.get(0))
                        .optional()
                        .map_err(fail)?;
                    if met.is_some() {
                        self.forgotten += 1;
                        continue;
                    }
                }
                let day = |date: Option<Date>| date.map(Date::day_number);
                let (day, until) = (day(entry.day), day(entry.until));
                insert
                    .execute(params![entry.text.kind, Value(&entry.text), day, entry.is_soft, until])
                    .map_err(fail)?;
            }
        }
        transaction.commit().map_err(fail)
    }

    /// What the batch would do.
    pub fn preview(&self) -> Result<Preview> {
        let batch = &self.batch;
        let bank = &*self.bank;
        let (entries, known): (i64, i64) = bank.ask(|bank| {
            let entries = bank.query_row("select count(*) from (select distinct kind, value from staged)", [], |row| row.get(0))?;
            let known = bank.query_row(
                &format!("select count(*) from (select distinct kind, value from staged) s where exists ({KNOWN})"),
                params![batch.what.code(), batch.scope.0, batch.campaign],
                |row| row.get(0),
            )?;
            Ok((entries, known))
        })?;
        let (entries, known) = (entries.unsigned_abs(), known.unsigned_abs());
        let held = if batch.what.reason().is_some() { self.held()? } else { Vec::new() };
        Ok(Preview {
            entries: entries + self.forgotten,
            new: entries - known,
            known: known + self.forgotten,
            forgotten: self.forgotten,
            held,
        })
    }

    /// Who is in a file that was prepared or sent lately and would be held.
    fn held(&self) -> Result<Vec<HeldPrepared>> {
        self.bank.ask(|bank| bank.execute_batch(
            "create temp table if not exists newly (kind integer not null, value blob not null, primary key (kind, value)) without rowid;
             delete from newly;
             insert or ignore into newly select kind, value from staged where soft = 0;",
        ))?;
        self.bank.held_in_files(self.batch.scope)
    }

    /// Whether nothing waits to go in.
    pub fn is_empty(&self) -> Result<bool> {
        self.bank.ask(|bank| bank.query_row("select not exists (select 1 from staged)", [], |row| row.get(0)))
    }

    /// Leaves out what the bank has already for this reason and scope.
    pub fn leave_out_known(&mut self) -> Result<()> {
        let batch = &self.batch;
        self.bank.ask(|bank| {
            bank.execute(
                &format!("delete from staged where exists ({})", KNOWN.replace("s.", "staged.")),
                params![batch.what.code(), batch.scope.0, batch.campaign],
            )
        })?;
        Ok(())
    }

    /// Lets the batch go in: the whole of it, or nothing.
    pub fn commit(self) -> Result<BatchId> {
        let moment = self.bank.moment().to_owned();
        let NewBatch { what, scope, campaign, job, file, fingerprint, day, note } = self.batch;
        let done = self.bank.change(|change| {
            change.execute(
                "insert into batch (what, scope, campaign, job, file, fingerprint, added, day, note)
                 values (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)",
                params![what.code(), scope.0, campaign, job, file, fingerprint, moment, day.day_number(), note],
            )?;
            let batch = BatchId(change.last_insert_rowid());
            add_staged(change, batch, what)?;
            let count: i64 = count_again(change, batch)?;
            change.execute(
                "insert into history (moment, what, batch, count) values (?1, ?2, ?3, ?4)",
                params![moment, if file.is_some() { "load" } else { "add" }, batch.0, count],
            )?;
            Ok(batch)
        })?;
        self.bank.ask(|bank| bank.execute_batch("delete from staged"))?;
        Ok(done)
    }

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
        Err(Error::new(ErrorKind::Guard, what, "look whether the file is the right one, and whole; then correct --expect"))
    }
}

/// Entries of one batch are each kept once, but for soft bounces, which count.
fn add_staged(change: &Transaction, batch: BatchId, what: What) -> rusqlite::Result<()> {
    change.execute_batch(
        "insert or ignore into text (kind, value) select distinct kind, value from staged order by kind, value",
    )?;
    change.execute(
        "insert into entry (text, batch, day, soft, until)
         select t.id, ?1, max(s.day), (s.soft and ?2) as is_soft, max(s.until) from staged s
         join text t on t.kind = s.kind and t.value = s.value
         group by t.id, is_soft, case when is_soft then s.day end order by t.id",
        params![batch.0, what == What::Bounced],
    )?;
    Ok(())
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
