//! Limits that stop a run before anything is put in place.

use super::tally::Tally;
use crate::job::Guards;
use serde::Serialize;

/// A guard that stopped a run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct TrippedGuard {
    /// The key of the job file.
    pub guard: &'static str,
    /// What was found.
    pub text: String,
    /// How to say that it is meant.
    pub advice: String,
}

/// The guards that a run trips.
pub fn check(guards: &Guards, tally: &Tally) -> Vec<TrippedGuard> {
    let mut tripped = Vec::new();
    if let Some(most) = guards.set_aside_at_most
        && tally.all.read > 0
    {
        let share = tally.all.set_aside_in_all() as f64 / tally.all.read as f64;
        if share > most {
            tripped.push(TrippedGuard {
                guard: "set_aside_at_most",
                text: format!(
                    "{:.1}% of the contacts would be set aside, and the job allows {:.1}%",
                    share * 100.0,
                    most * 100.0
                ),
                advice: "look at the set-aside rows; if it is meant, raise set_aside_at_most in [guard]".to_owned(),
            });
        }
    }
    tripped
}
