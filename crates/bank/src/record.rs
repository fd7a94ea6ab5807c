//! What a run taught: who was prepared, and who refused or bounced as its sources say.

use crate::batch::{BatchId, NewBatch, What};
use crate::file::Bank;
use crate::load::NewEntry;
use crate::scope::ScopeId;
use crate::text::Text;
use pebblebank_core::Result;
use pebblebank_core::clean::date::Date;
use pebblebank_core::pipeline::learned::{Learned, Learning};
use pebblebank_core::suppress::Reason;
use rusqlite::params;
use serde::Serialize;
use std::collections::BTreeMap;

/// A run, as the bank remembers it.
#[derive(Debug, Clone)]
pub struct RunDone {
    /// The job.
    pub job: String,
    /// Whose it is.
    pub scope: ScopeId,
    /// The mailing.
    pub campaign: Option<String>,
    /// The day of the run.
    pub day: Date,
    /// Its first import file.
    pub file: Option<String>,
    /// The BLAKE3 of the tally in its receipt.
    pub fingerprint: Option<String>,
}

/// What the bank keeps of it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Recorded {
    /// The contacts that were written.
    pub prepared: Option<(BatchId, u64)>,
    /// What its sources said, as far as it is new.
    pub refused: Vec<(What, BatchId, u64)>,
}

impl Bank {
    /// Keeps what a run taught; what the same job prepared before is replaced.
    pub fn record(&mut self, run: &RunDone, learned: Learned) -> Result<Recorded> {
        const AT_ONCE: usize = 50_000;
        let batch = |what| NewBatch {
            what,
            scope: run.scope,
            campaign: run.campaign.clone().filter(|_| what == What::Prepared),
            job: Some(run.job.clone()),
            file: run.file.clone().filter(|_| what == What::Prepared),
            fingerprint: run.fingerprint.clone().filter(|_| what == What::Prepared),
            day: run.day,
            note: (what != What::Prepared).then(|| format!("found in the sources of {}", run.job)),
        };
        let mut refused: BTreeMap<What, Vec<NewEntry>> = BTreeMap::new();
        let mut staged = self.stage(batch(What::Prepared))?;
        let mut some: Vec<NewEntry> = Vec::new();
        learned.into_each(|learning, identity| {
            let entry = NewEntry::new(Text::address(identity));
            match learning {
                Learning::Prepared => some.push(entry),
                Learning::Refused(reason) => refused.entry(what_of(reason)).or_default().push(entry),
            }
            if some.len() >= AT_ONCE { staged.add(some.drain(..)) } else { Ok(()) }
        })?;
        staged.add(some.drain(..))?;
        let prepared = match staged.ready()?.commit_all_or_none()? {
            None => None,
            Some(id) => {
                self.replace_prepared(&run.job, run.scope, id)?;
                Some((id, self.batch(id)?.entries))
            }
        };
        let mut found = Vec::new();
        for (what, entries) in refused {
            let mut staged = self.stage(batch(what))?;
            staged.add(entries)?;
            if let Some(id) = staged.ready()?.commit_new()? {
                found.push((what, id, self.batch(id)?.entries));
            }
        }
        Ok(Recorded { prepared, refused: found })
    }

    /// Forgets what the job prepared before.
    fn replace_prepared(&mut self, job: &str, scope: ScopeId, new: BatchId) -> Result<()> {
        let moment = self.moment().to_owned();
        self.change(|change| {
            let earlier: Vec<i64> = change
                .prepare(
                    "select id from batch where what = ?1 and job is ?2 and scope = ?3 and id <> ?4 and undone is null",
                )?
                .query_map(params![What::Prepared.code(), job, scope.0, new.0], |row| row.get(0))?
                .collect::<rusqlite::Result<_>>()?;
            for id in earlier {
                change.execute("update batch set undone = ?1, entries = 0 where id = ?2", params![moment, id])?;
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
        })
    }
}

fn what_of(reason: Reason) -> What {
    match reason {
        Reason::Complained => What::Complained,
        Reason::OptedOut => What::OptedOut,
        Reason::Bounced => What::Bounced,
        _ => What::DoNotContact,
    }
}
