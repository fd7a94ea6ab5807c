//! A run: from a [`Job`] to files in place.
//!
//! The stages are folders, in the order in which a row meets them: [`open`] finds out what the files are, [`gather`] reads
//! every row once, [`decide`] says who is who and who must not be contacted, [`write`](mod@write) reads again and lays out,
//! [`account`] says where every row went. Nothing is put in place before the account balances. A stage knows those before
//! it and none after it; what they share stands beside them: [`contact`], the way from a record to a contact, [`tally`], the
//! account as data, and [`setting`]. [`retrace`] goes back to a few rows of a run that is over.

pub mod account;
pub mod contact;
pub mod decide;
pub mod finished;
pub mod gather;
pub mod open;
pub mod retrace;
pub mod row_bits;
pub mod row_set;
pub mod setting;
pub mod tally;
pub mod tripped_guard;
pub mod verdicts;
pub mod write;

use crate::run::finished::Finished;
pub use setting::{Setting, threads_of_this_machine, wrong_use};
pub use tally::{Account, Outcome, Tally};
pub use tripped_guard::TrippedGuard;

use crate::job::Job;
use account::earlier::Earlier;
use open::Opening;
use pebblebank_table::Result;
use pebblebank_table::observe::Observer;
use write::outputs::Outputs;

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
    account::finish(account, outputs, &earlier, observer)
}
