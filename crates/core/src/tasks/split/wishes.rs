//! What is asked of a split, and what results.

use crate::job::remembering::Remembering;
use crate::job::row_range::RowRange;
use crate::job::sources::ReadFiles;
use crate::layout::LayoutColumn;
use crate::run::tally::OtherLines;
use pebblebank_formats::writing::FileFormat;
use pebblebank_table::csv::Defusing;
use pebblebank_table::observe::Finding;
use pebblebank_values::ColumnRef;
use pebblebank_values::date::Date;
use pebblebank_values::place::Country;
use schemars::JsonSchema;
use serde::Serialize;
use std::path::PathBuf;

/// What a list is split by.
#[derive(Debug, Clone, PartialEq)]
pub enum SplitBy {
    /// The value of a field or column, or of a part of its date.
    Column(ColumnRef, Every),
    /// The domain of the address.
    Domain,
    /// This number of rows to a file, in their order.
    Rows(u64),
    /// This number of files of equal size, at random by a seed.
    Parts {
        /// How many files.
        count: u64,
        /// The same seed gives the same parts.
        seed: u64,
    },
}

/// How much of a date makes a part.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Every {
    /// The whole value.
    Value,
    /// Its year.
    Year,
    /// Its year and month.
    Month,
    /// Its day.
    Day,
}

/// What is asked of a split.
#[derive(Debug, Clone)]
pub struct SplitWishes {
    /// How the list is to be read.
    pub read: ReadFiles,
    /// Which of its rows are wanted; none for all.
    pub rows: Option<RowRange>,
    /// What it is split by.
    pub by: SplitBy,
    /// The columns that are written; none for all.
    pub columns: Option<Vec<LayoutColumn>>,
    /// The format of the files.
    pub format: FileFormat,
    /// Whether formulas are defused; the rows are the user's own, and are copied unless it is asked for.
    pub defusing: Defusing,
    /// Parts with fewer rows are gathered in one file.
    pub at_least: u64,
    /// The folder that the files are written into.
    pub folder: PathBuf,
    /// Whether existing files are replaced.
    pub replace: bool,
    /// Who is remembered from earlier work.
    pub remembered: Remembering,
    /// Which client or brand it is for.
    pub scope: Option<String>,
    /// The country of contacts that name none.
    pub country: Option<Country>,
    /// The day.
    pub today: Date,
}

/// A file of a split.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct SplitFile {
    /// Where it is.
    pub file: PathBuf,
    /// The value that its rows share; empty for blanks; none for parts by number and for what was gathered.
    pub value: Option<String>,
    /// Its rows.
    pub rows: u64,
}

/// What a split came to.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct Split {
    /// The list, as given.
    pub list: String,
    /// Its contacts that are in the files.
    pub rows: u64,
    /// Its contacts outside of the rows that are wanted, which are in none of the files.
    pub outside_of_range: u64,
    /// Its lines that are no contacts.
    pub other_lines: OtherLines,
    /// How many parts were gathered for being small.
    pub gathered: u64,
    /// What should be looked at.
    pub findings: Vec<Finding>,
    /// The files: by value the largest first, periods and numbers in their order, what was gathered last.
    pub files: Vec<SplitFile>,
    /// The first rows of the first file as they are written, with its header.
    #[serde(skip)]
    pub preview: Vec<u8>,
}
