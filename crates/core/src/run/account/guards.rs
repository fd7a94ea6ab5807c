//! Limits that stop a run before anything is put in place.

use crate::job::Guards;
use crate::job::guard::{Accepted, Guard};
use crate::run::tally::{Tally, TrippedGuard};
use pebblebank_table::observe::counted;

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
