//! What earlier runs of a job left: files that were not put in place to the end, and the last receipt.

use super::earlier_run::EarlierRun;
use crate::job::Job;
use crate::run::setting::Setting;
use pebblebank_table::{Result, staged};

/// What earlier runs of a job left.
pub struct Earlier {
    /// Whether the files of a run that was killed were put in place first.
    pub completed: bool,
    /// What the last receipt says.
    pub run: EarlierRun,
}

impl Earlier {
    /// Puts in place what a run that was killed had finished, and reads the last receipt.
    pub fn settle(job: &Job, setting: &Setting) -> Result<Earlier> {
        let mut completed = false;
        for output in job.outputs().filter(|_| !setting.dry_run) {
            completed |= staged::settle(output)?;
        }
        Ok(Earlier { completed, run: EarlierRun::of(job.receipt.as_deref()) })
    }
}
