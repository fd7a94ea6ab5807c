//! A run: from a [`Job`] to files in place.
//!
//! The stages are folders, in the order in which a row meets them: [`open`] finds out what the files are, [`gather`] reads
//! every row once, [`decide`] says who is who and who must not be contacted, [`write`](mod@write) reads again and lays out,
//! [`account`] says where every row went. Nothing is put in place before the account balances. A stage knows those before
//! it and none after it; what they share stands beside them: [`contact`], the way from a record to a contact, [`tally`], the
//! account as data, and [`setting`].

pub mod account;
pub mod contact;
pub mod decide;
pub mod gather;
pub mod open;
pub mod row_bits;
pub mod row_set;
pub mod setting;
pub mod tally;
pub mod write;

pub use setting::{Setting, threads_of_this_machine, wrong_use};
pub use tally::{Account, Outcome, Tally, TrippedGuard};

use crate::job::Job;
use account::earlier::Earlier;
use open::Opening;
use pebblebank_table::Result;
use pebblebank_table::observe::Observer;
use pebblebank_table::units::SourceId;
use std::path::PathBuf;
use write::learned::Learned;
use write::outputs::Outputs;

/// What a run leaves.
#[derive(Debug)]
pub struct Finished {
    /// The account.
    pub tally: Tally,
    /// The guards that stopped it; empty where none did.
    pub tripped: Vec<TrippedGuard>,
    /// The import files, where they are put in place.
    pub imports: Vec<PathBuf>,
    /// The receipt that was left, if any; its name ends with `.stopped` where a guard stopped the run.
    pub receipt: Option<PathBuf>,
    /// The file of rows set aside outside a receipt, if any.
    pub set_aside: Option<PathBuf>,
    /// The first rows of the first import file, with its header.
    pub preview: Vec<u8>,
    /// Whether the outputs of an earlier, killed run were put in place first.
    pub completed_earlier: bool,
    /// What the bank learns from it, where it was written.
    pub learned: Option<Learned>,
    /// Where sources are compared: how many persons with a key are in which of them.
    pub memberships: Vec<(Vec<SourceId>, u64)>,
}

/// Does a job.
pub fn run(job: &Job, setting: &Setting, observer: &dyn Observer) -> Result<Finished> {
    job.check()?;
    let job = &job.with_remembered_lists().with_unread_lists();
    let earlier = Earlier::settle(job, setting)?;
    let opening = Opening::of(job, setting, observer)?;
    let mut outputs = Outputs::stage(job, setting)?;
    let gathered = gather::gather(opening, job, setting, observer)?;
    let known = decide::decide(gathered, job, setting, observer)?;
    let written = write::write(job, &known, &mut outputs, setting, observer)?;
    let account = account::account(job, &known, written, &outputs, &earlier, setting)?;
    account::finish(account, outputs, &earlier, job, observer)
}
