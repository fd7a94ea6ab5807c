//! What a run taught: who was prepared, and who refused or bounced as its sources say.

use crate::bank::Bank;
use crate::batch::{BatchId, NewBatch, What};
use crate::entry::NewEntry;
use crate::scope::{EVERYONE, ScopeId};
use crate::text::Text;
use pebblebank_core::run::write::learned::{Learned, Learning};
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::Result;
use pebblebank_values::date::Date;
use schemars::JsonSchema;
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
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
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
            new_scope: None,
            job: Some(run.job.clone()),
            file: run.file.clone().filter(|_| what == What::Prepared),
            fingerprint: run.fingerprint.clone().filter(|_| what == What::Prepared),
            day: run.day,
            note: (what != What::Prepared).then(|| format!("found in the sources of {}", run.job)),
        };
        // By reason, those that hold for the job's scope alone apart.
        let mut refused: BTreeMap<(What, bool), Vec<NewEntry>> = BTreeMap::new();
        let mut staged = self.stage(batch(What::Prepared))?;
        let mut some: Vec<NewEntry> = Vec::new();
        learned.into_each(|learning, identity| {
            let entry = NewEntry::new(Text::address(identity));
            match learning {
                Learning::Prepared => some.push(entry),
                // A dead address is dead for all; what may pass says something of this client's mailings.
                Learning::Refused(Reason::Bounced) => refused.entry((What::Bounced, false)).or_default().push(entry),
                Learning::SoftBounced => {
                    refused.entry((What::Bounced, true)).or_default().push(NewEntry { is_soft: true, ..entry });
                }
                Learning::Refused(reason) => refused.entry((what_of(reason), true)).or_default().push(entry),
            }
            if some.len() >= AT_ONCE { staged.add(some.drain(..)) } else { Ok(()) }
        })?;
        staged.add(some.drain(..))?;
        let prepared = match staged.ready()?.commit_all_or_none()? {
            None => None,
            Some(id) => Some((id, self.batch(id)?.entries)),
        };
        let mut found = Vec::new();
        for ((what, is_of_scope), entries) in refused {
            let scope = if is_of_scope { run.scope } else { EVERYONE };
            let mut staged = self.stage(NewBatch { scope, ..batch(what) })?;
            staged.add(entries)?;
            if let Some(id) = staged.ready()?.commit_new()? {
                found.push((what, id, self.batch(id)?.entries));
            }
        }
        Ok(Recorded { prepared, refused: found })
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
