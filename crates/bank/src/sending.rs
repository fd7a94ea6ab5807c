//! What was prepared and what was sent, and who in it must not be contacted any more.

use crate::batch::{Batch, BatchId, NewBatch, What, columns};
use crate::file::Bank;
use crate::scope::{EVERYONE, ScopeId};
use crate::seal::EntrySum;
use crate::text::{Kind, Text};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::Date;
use rusqlite::{Transaction, params};
use serde::Serialize;
use std::collections::HashSet;

/// Files that were sent are looked at for so many days: later the mailing is over.
const LATELY_DAYS: i32 = 60;

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

/// Whom new entries hold, as far as the bank knows them.
#[derive(Debug, Default)]
pub(crate) struct Newly {
    /// The numbers of texts, sorted.
    texts: Vec<i64>,
    domains: HashSet<Text>,
    digests: HashSet<Text>,
}

impl Newly {
    /// Adds an entry, with the number of its text if the bank has it.
    pub fn add(&mut self, id: Option<i64>, text: Text) {
        self.texts.extend(id);
        match text.kind {
            Kind::Domain => self.domains.insert(text),
            Kind::Sha256 | Kind::Md5 => self.digests.insert(text),
            _ => false,
        };
    }

    /// All are there.
    pub fn are_all(&mut self) {
        self.texts.sort_unstable();
    }

    fn holds(&self, id: i64, address: &Text) -> bool {
        self.texts.binary_search(&id).is_ok()
            || !self.domains.is_empty() && address.domains().iter().any(|domain| self.domains.contains(domain))
            || !self.digests.is_empty() && address.partner_digests().iter().any(|digest| self.digests.contains(digest))
    }
}

impl Bank {
    /// The batch that a receipt's run prepared, by the BLAKE3 of its tally.
    pub fn prepared(&self, fingerprint: &str) -> Result<Option<Batch>> {
        let found = self.batches_where(
            "fingerprint = ?1 and what in (?2, ?3) and undone is null",
            params![fingerprint, What::Prepared.code(), What::Sent.code()],
        )?;
        Ok(found.into_iter().next())
    }

    /// What was prepared was sent, on that day.
    pub fn sent(&mut self, batch: &Batch, campaign: Option<&str>, on: Date) -> Result<Batch> {
        if batch.what == What::Sent {
            let what = format!("batch {} was said to be sent already, on {}", batch.id.0, batch.day);
            let advice = format!("if that was a mistake, pebblebank bank undo {}", batch.id.0);
            return Err(Error::new(ErrorKind::Job, what, advice));
        }
        let moment = self.moment().to_owned();
        let id = batch.id;
        self.change(|change| {
            change.execute(
                "update batch set what = ?1, day = ?2, campaign = coalesce(?3, campaign, job) where id = ?4",
                params![What::Sent.code(), on.day_number(), campaign, id.0],
            )?;
            let count: i64 = change.query_row("select entries from batch where id = ?1", [id.0], |row| row.get(0))?;
            change.execute(
                "insert into history (moment, what, batch, count) values (?1, 'sent', ?2, ?3)",
                params![moment, id.0, count],
            )?;
            Ok(())
        })?;
        self.batch(id)
    }

    /// The files prepared last and sent lately.
    fn files(&self, scope: ScopeId) -> Result<Vec<Batch>> {
        let since = self.today().day_number() - LATELY_DAYS;
        let columns = columns();
        let query = format!(
            "select {columns} from batch where undone is null and (what = ?1 or what = ?2 and day >= ?3)
             and (?4 = ?5 or scope = ?4) order by id desc"
        );
        let codes = params![What::Prepared.code(), What::Sent.code(), since, scope.0, EVERYONE.0];
        self.ask(|bank| bank.prepare(&query)?.query_map(codes, Batch::of_row)?.collect())
    }

    /// How many of those in recent files are held by new entries.
    pub(crate) fn held_in_files(&self, scope: ScopeId, newly: &Newly) -> Result<Vec<HeldPrepared>> {
        let mut held = Vec::new();
        for batch in self.files(scope)? {
            let found = self.newly_held(batch.id, newly)?.len() as u64;
            if found > 0 {
                held.push(HeldPrepared {
                    batch: batch.id,
                    scope: batch.scope.clone(),
                    job: batch.campaign.clone().or(batch.job.clone()).unwrap_or_default(),
                    day: batch.day.clone(),
                    is_sent: batch.what == What::Sent,
                    contacts: batch.entries,
                    held: found,
                });
            }
        }
        Ok(held)
    }

    /// Those in a file whom new entries hold, by address, domain or digest.
    fn newly_held(&self, batch: BatchId, newly: &Newly) -> Result<Vec<String>> {
        self.ask(|bank| {
            let mut all = bank.prepare(
                "select t.id, t.value from entry e join text t on t.id = e.text where e.batch = ?1 and e.removed is null",
            )?;
            let mut rows = all.query([batch.0])?;
            let mut held = Vec::new();
            while let Some(row) = rows.next()? {
                let address = Text { kind: Kind::Address, value: row.get(1)? };
                if newly.holds(row.get(0)?, &address) {
                    held.push(address.shown());
                }
            }
            held.sort_unstable();
            Ok(held)
        })
    }

    /// The addresses in files prepared or sent lately that a batch holds.
    pub fn affected_by(&self, batch: BatchId) -> Result<Vec<(HeldPrepared, Vec<String>)>> {
        let scope: i64 =
            self.ask(|bank| bank.query_row("select scope from batch where id = ?1", [batch.0], |row| row.get(0)))?;
        if self.files(ScopeId(scope))?.is_empty() {
            return Ok(Vec::new());
        }
        let mut newly = Newly::default();
        self.ask(|bank| {
            let mut held = bank.prepare(
                "select t.id, t.kind, t.value from entry e join text t on t.id = e.text
                 where e.batch = ?1 and e.removed is null and e.soft = 0",
            )?;
            let mut rows = held.query([batch.0])?;
            while let Some(row) = rows.next()? {
                newly.add(Some(row.get(0)?), Text { kind: Kind::of_code(row.get(1)?), value: row.get(2)? });
            }
            Ok(())
        })?;
        newly.are_all();
        let held = self.held_in_files(ScopeId(scope), &newly)?;
        held.into_iter().map(|file| self.newly_held(file.batch, &newly).map(|addresses| (file, addresses))).collect()
    }
}

/// A new file of a job takes the place of what the same job prepared before; that is not kept.
pub(crate) fn replace_prepared(
    change: &Transaction,
    batch: &NewBatch,
    new: BatchId,
    moment: &str,
) -> rusqlite::Result<()> {
    let earlier: Vec<(i64, i64)> = change
        .prepare(
            "select id, entries from batch
             where what = ?1 and job is ?2 and scope = ?3 and id <> ?4 and undone is null",
        )?
        .query_map(params![What::Prepared.code(), batch.job, batch.scope.0, new.0], |row| {
            Ok((row.get(0)?, row.get(1)?))
        })?
        .collect::<rusqlite::Result<_>>()?;
    for (id, count) in earlier {
        change.execute(
            "update batch set undone = ?1, entries = 0, digest = ?2 where id = ?3",
            params![moment, EntrySum::default().bytes(), id],
        )?;
        change.execute(
            "insert into history (moment, what, batch, count) values (?1, 'replaced', ?2, ?3)",
            params![moment, id, count],
        )?;
        let texts: Vec<i64> = change
            .prepare("delete from entry where batch = ?1 returning text")?
            .query_map([id], |row| row.get(0))?
            .collect::<rusqlite::Result<_>>()?;
        // Whom the new file does not have, and nothing else knows, is not kept.
        let mut leave = change.prepare(
            "delete from text where id = ?1 and not exists (select 1 from entry where text = ?1)
             and not exists (select 1 from history where text = ?1)
             and not exists (select 1 from returned where text = ?1)",
        )?;
        for text in texts {
            leave.execute([text])?;
        }
    }
    Ok(())
}
