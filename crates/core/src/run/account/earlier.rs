//! What earlier runs of a job left: files that were not put in place to the end, and the last receipt.

use super::list_guards::EarlierRun;
use crate::job::Job;
use crate::run::setting::{Setting, journal_of};
use pebblebank_table::{Result, staged};
use std::path::PathBuf;

/// What earlier runs of a job left.
pub struct Earlier {
    /// Where the journal of the run's files stands.
    pub journal: PathBuf,
    /// Whether the files of a run that was killed were put in place first.
    pub completed: bool,
    /// What the last receipt says.
    pub run: EarlierRun,
}

impl Earlier {
    /// Puts in place what a run that was killed had finished, and reads the last receipt.
    pub fn settle(job: &Job, setting: &Setting) -> Result<Earlier> {
        let journal = journal_of(job, setting);
        let completed = !setting.dry_run && staged::complete_interrupted(&journal)?;
        Ok(Earlier { journal, completed, run: EarlierRun::of(job.receipt.as_deref()) })
    }
}
