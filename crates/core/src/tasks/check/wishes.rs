//! What is asked of a check of addresses, and what results.

use crate::job::remembering::Remembering;
use crate::job::row_range::RowRange;
use crate::job::sources::ReadFiles;
use crate::layout::LayoutColumn;
use crate::run::tally::OtherLines;
use crate::select::condition::Selection;
use crate::tasks::check::asking::AskedFor;
use pebblebank_formats::writing::FileFormat;
use pebblebank_table::observe::Finding;
use pebblebank_values::date::Date;
use pebblebank_values::place::Country;
use pebblebank_values::verdict::{Level, Verdict, Why};
use std::collections::BTreeMap;
use std::path::PathBuf;

/// What is asked.
#[derive(Debug, Clone)]
pub struct CheckWishes {
    /// The list.
    pub list: ReadFiles,
    /// What it is called.
    pub name: String,
    /// Which of its rows are checked; none for all.
    pub rows: Option<RowRange>,
    /// Which contacts are checked.
    pub select: Option<Selection>,
    /// How many contacts are checked at most.
    pub first: Option<u64>,
    /// How far the check goes.
    pub level: Level,
    /// How many days something remembered is believed.
    pub max_age: u32,
    /// The files to write.
    pub files: WantedFiles,
    /// The columns that are written, of the list and of the check; none for all.
    pub columns: Option<Vec<LayoutColumn>>,
    /// The format of the files; else that of their names.
    pub format: Option<FileFormat>,
    /// Whether existing files are replaced.
    pub replace: bool,
    /// Which client or brand it is for.
    pub scope: Option<String>,
    /// Who is remembered from earlier work.
    pub remembered: Remembering,
    /// The country of contacts that name none.
    pub country: Option<Country>,
    /// The day.
    pub today: Date,
}

/// Which rows are written where.
#[derive(Debug, Clone, Default)]
pub struct WantedFiles {
    /// All rows that were checked, or those with the verdict.
    pub all: Option<(PathBuf, Option<Verdict>)>,
    /// Those that are valid.
    pub good: Option<PathBuf>,
    /// All others.
    pub bad: Option<PathBuf>,
    /// The addresses that are neither invalid already nor known from earlier, once each, for somebody else to check.
    pub to_check: Option<PathBuf>,
}

/// A file of a check.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CheckedFile {
    /// Where it is.
    pub file: PathBuf,
    /// Its rows.
    pub rows: u64,
}

/// What a check found.
#[derive(Debug, Clone, Default)]
pub struct Checked {
    /// The list, as given.
    pub list: String,
    /// Its contacts.
    pub rows: u64,
    /// Those that were checked.
    pub checked: u64,
    /// Its lines that are no contacts.
    pub other_lines: OtherLines,
    /// How many of the rows checked have each verdict, by the gravest reason for it.
    pub counts: BTreeMap<(Verdict, Why), u64>,
    /// Of the rows checked, those with the address of a row above.
    pub duplicates: u64,
    /// Addresses once each, by verdict; those that could not be used have none.
    pub once: BTreeMap<Verdict, u64>,
    /// Of these, those whose mailbox was known from earlier.
    pub known: u64,
    /// How domains were asked for.
    pub domains: AskedFor,
    /// How mailboxes were asked for.
    pub mailboxes: AskedFor,
    /// Whether somebody stopped the asking: the rest is unknown.
    pub is_stopped: bool,
    /// How many addresses were written for somebody else to check.
    pub given_out: u64,
    /// The files that were written.
    pub files: Vec<CheckedFile>,
    /// The first rows of the first file as they are written.
    pub preview: Vec<u8>,
    /// What should be looked at.
    pub findings: Vec<Finding>,
}

impl Checked {
    /// How many of the rows checked have a verdict.
    #[must_use]
    pub fn with(&self, verdict: Verdict) -> u64 {
        self.counts.iter().filter(|((own, _), _)| *own == verdict).map(|(_, count)| count).sum()
    }
}
