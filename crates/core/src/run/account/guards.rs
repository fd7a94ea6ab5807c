//! Limits that stop a run before anything is put in place.

use crate::job::Guards;
use crate::job::guard::{Accepted, Guard};
use crate::run::tally::Tally;
use pebblebank_table::observe::counted;
use serde::Serialize;

/// A guard that stopped a run, or would have if it had not been accepted.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct TrippedGuard {
    /// Its name, as `--accept` takes it.
    pub guard: &'static str,
    /// What it counted.
    pub count: u64,
    /// What was found.
    pub text: String,
    /// What to do, and how to accept it.
    pub advice: String,
    #[serde(skip)]
    which: Guard,
}

impl TrippedGuard {
    /// A guard that counted so many; `advice` says what to do about it, without how to accept it.
    pub fn new(which: Guard, count: u64, text: impl Into<String>, advice: &str) -> TrippedGuard {
        let guard = which.name();
        let advice = format!(
            "{advice}; to go on all the same, --accept {guard} (in a job: [guard] accept = {{ {guard} = {count} }})"
        );
        TrippedGuard { guard, count, text: text.into(), advice, which }
    }
}

/// Parts the guards that were tripped into those that stop the run, and those that were accepted.
pub fn sort_out(tripped: Vec<TrippedGuard>, accepted: &Accepted) -> (Vec<TrippedGuard>, Vec<TrippedGuard>) {
    tripped.into_iter().partition(|guard| !accepted.covers(guard.which, guard.count))
}

/// The guards that the numbers of a run trip.
pub fn check(guards: &Guards, tally: &Tally) -> Vec<TrippedGuard> {
    let mut tripped = Vec::new();
    let written = tally.written.iter().map(|file| file.rows).max().unwrap_or(tally.all.written);
    if written < guards.write_at_least {
        let text = format!(
            "{} would be written, and {} must be at least",
            counted(written, "contact", "", "").trim_end(),
            guards.write_at_least
        );
        let advice = "look at the reasons below; write_at_least in [guard] says how many there must be";
        tripped.push(TrippedGuard::new(Guard::WriteAtLeast, guards.write_at_least - written, text, advice));
    }
    if let Some(most) = guards.set_aside_at_most
        && tally.all.read > 0
    {
        let set_aside = tally.all.set_aside_in_all();
        let share = set_aside as f64 / tally.all.read as f64;
        if share > most {
            let text = format!(
                "{:.1}% of the contacts would be set aside, and the job allows {:.1}%",
                share * 100.0,
                most * 100.0
            );
            let advice = "look at the rows that would be set aside, or raise set_aside_at_most in [guard]";
            tripped.push(TrippedGuard::new(Guard::SetAsideAtMost, set_aside, text, advice));
        }
    }
    tripped
}
