//! `guards.json`: which guards stopped the run, and which were accepted.

use crate::run::tally::{Outcome, Tally};
use crate::run::tripped_guard::TrippedGuard;
use schemars::JsonSchema;
use serde::Serialize;

/// The schema of `guards.json`.
pub const GUARDS_SCHEMA: &str = "pebblebank/guards/1";

/// `guards.json`: which guards stopped the run, and which were accepted.
#[derive(Debug, JsonSchema, Serialize)]
pub struct GuardsDocument<'a> {
    /// `pebblebank/guards/1`
    schema: &'static str,
    /// The result of the run.
    outcome: Outcome,
    /// The guards that stopped it.
    tripped: &'a [TrippedGuard],
    /// The guards that would have stopped it, and were accepted.
    accepted: &'a [TrippedGuard],
}

impl GuardsDocument<'_> {
    /// The guards of a run.
    pub fn of<'a>(tally: &'a Tally, tripped: &'a [TrippedGuard]) -> GuardsDocument<'a> {
        GuardsDocument { schema: GUARDS_SCHEMA, outcome: tally.outcome, tripped, accepted: &tally.accepted_guards }
    }
}
