//! What was prepared and what was sent, and who in it must not be contacted any more.

use crate::batch::{Batch, BatchId, COLUMNS, What};
use crate::file::Bank;
use crate::load::{HeldPrepared, Newly, count_again};
use crate::scope::{EVERYONE, ScopeId};
use crate::text::{Kind, Text};
use pebblebank_core::clean::date::Date;
use pebblebank_core::{Error, ErrorKind, Result};
use rusqlite::params;
use std::collections::HashSet;

/// Files that were sent are looked at for so many days: later the mailing is over.
const LATELY_DAYS: i32 = 60;

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
            let count = count_again(change, id)?;
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
        let query = format!(
            "select {COLUMNS} from batch where undone is null and (what = ?1 or what = ?2 and day >= ?3)
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

    /// Those in a file whom new entries hold, by address or domain.
    fn newly_held(&self, batch: BatchId, newly: &Newly) -> Result<Vec<String>> {
        let domains: HashSet<&[u8]> = newly.domains.iter().map(Vec::as_slice).collect();
        self.ask(|bank| {
            let mut all = bank.prepare(
                "select t.id, t.value from entry e join text t on t.id = e.text where e.batch = ?1 and e.removed is null",
            )?;
            let mut rows = all.query([batch.0])?;
            let mut held = Vec::new();
            while let Some(row) = rows.next()? {
                let is_named = newly.texts.binary_search(&row.get(0)?).is_ok();
                if !is_named && domains.is_empty() {
                    continue;
                }
                let text = Text { kind: Kind::Address, value: row.get(1)? };
                let by_domain = || text.domains().iter().any(|domain| domains.contains(domain.value.as_slice()));
                if is_named || by_domain() {
                    held.push(text.shown());
                }
            }
            held.sort_unstable();
            Ok(held)
        })
    }

    /// The addresses in files prepared or sent lately that a batch holds.
    pub fn affected_by(&self, batch: BatchId) -> Result<Vec<(HeldPrepared, Vec<String>)>> {
        const HELD: &str = "e.batch = ?1 and e.removed is null and e.soft = 0";
        let scope: i64 =
            self.ask(|bank| bank.query_row("select scope from batch where id = ?1", [batch.0], |row| row.get(0)))?;
        if self.files(ScopeId(scope))?.is_empty() {
            return Ok(Vec::new());
        }
        let mut newly = self.ask(|bank| {
            let texts = bank
                .prepare(&format!("select e.text from entry e where {HELD}"))?
                .query_map([batch.0], |row| row.get(0))?
                .collect::<rusqlite::Result<_>>()?;
            let domains = bank
                .prepare(&format!(
                    "select t.value from entry e join text t on t.id = e.text where {HELD} and t.kind = 1"
                ))?
                .query_map([batch.0], |row| row.get(0))?
                .collect::<rusqlite::Result<_>>()?;
            Ok(Newly { texts, domains })
        })?;
        newly.texts.sort_unstable();
        let held = self.held_in_files(ScopeId(scope), &newly)?;
        held.into_iter().map(|file| self.newly_held(file.batch, &newly).map(|addresses| (file, addresses))).collect()
    }
}
