//! What is asked of a top-up, and what results.

use crate::job::guard::Accepted;
use crate::job::lists::SuppressionList;
use crate::job::remembering::Remembering;
use crate::job::sources::{ReadFiles, Source};
use crate::person::same::PersonWishes;
use crate::require::Requirement;
use crate::run::tally::Tally;
use crate::suppress::reason::Reason;
use pebblebank_values::date::Date;
use pebblebank_values::place::Country;
use schemars::JsonSchema;
use serde::Serialize;
use std::path::PathBuf;

/// What is asked of a top-up.
#[derive(Debug, Clone)]
pub struct TopUpWishes {
    /// The master.
    pub master: ReadFiles,
    /// What the master is called.
    pub master_name: String,
    /// Where new people come from, in order of trust.
    pub from: Vec<Source>,
    /// Who must not be added.
    pub against: Vec<SuppressionList>,
    /// Which client or brand it is for.
    pub scope: Option<String>,
    /// Who is remembered from earlier work.
    pub remembered: Remembering,
    /// Who is the same person, and which of several new rows is added.
    pub person: PersonWishes,
    /// What a new contact must have.
    pub require: Requirement,
    /// Whether the master's blank cells are filled from the new rows.
    pub update: bool,
    /// The file to write.
    pub output: PathBuf,
    /// Where rows go that were not added for a reason.
    pub set_aside: PathBuf,
    /// Where it is listed which cells of the master were filled.
    pub repairs: PathBuf,
    /// Whether existing outputs are replaced.
    pub replace: bool,
    /// The country of contacts that name none.
    pub country: Option<Country>,
    /// The guards that do not stop it.
    pub accept: Accepted,
    /// The day.
    pub today: Date,
}

/// What a top-up came to.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct ToppedUp {
    /// The account: of the master, every row is written.
    pub tally: Tally,
    /// The master's rows, all of which stay.
    pub master_rows: u64,
    /// The people added.
    pub added: u64,
    /// The rows of the new files whose person the master has already.
    pub known_already: u64,
    /// Rows of the master whose person must not be contacted, by reason; they stay as they are.
    pub refused_in_master: Vec<(Reason, u64)>,
    /// Cells of the master that were filled.
    pub cells_filled: u64,
    /// Values of the new files that differ from the master's, which stay as they are.
    pub values_differing: u64,
    /// Columns of the new files that the master has none for.
    pub columns_left: Vec<String>,
    /// Where the result is, unless it was a dry run.
    pub output: Option<PathBuf>,
    /// Where rows are that were not added for a reason, if there are any.
    pub set_aside: Option<PathBuf>,
    /// Where it is listed which cells of the master were filled, if any were.
    pub repairs: Option<PathBuf>,
    /// The first rows that are added, in the master's columns.
    #[serde(skip)]
    pub preview: Vec<u8>,
}
