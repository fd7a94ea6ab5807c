//! Options that several commands share.

use clap::{Args, ValueEnum};
use pebblebank_core::job::row_range::RowRange;
use std::path::PathBuf;

/// Guards that do not stop the command.
#[derive(Args, Debug, Clone, Default)]
pub struct Accepting {
    /// Go on although this guard tripped; the receipt keeps it
    #[arg(long, value_name = "GUARD", value_delimiter = ',')]
    pub accept: Vec<String>,
}

/// How the file is written.
#[derive(Args, Debug, Clone, Default)]
pub struct Writing {
    /// The format: csv, tsv, xlsx, jsonl or recipient-line [default: by the ending of the file's name]
    #[arg(long, value_name = "FORMAT")]
    pub format: Option<String>,
    #[command(flatten)]
    pub previewing: Previewing,
}

/// CSV for spreadsheet programs.
#[derive(Args, Debug, Clone, Default)]
pub struct ForSpreadsheet {
    /// Write CSV with semicolons and a byte order mark, for spreadsheets that split cells at the semicolon
    #[arg(long)]
    pub for_spreadsheet: bool,
}

/// What a dry run shows.
#[derive(Args, Debug, Clone, Default)]
pub struct Previewing {
    /// How many of the first rows a dry run shows
    #[arg(long, value_name = "N", default_value_t = 5)]
    pub preview: usize,
}

/// Which part of the list is wanted.
#[derive(Args, Debug, Clone, Default)]
pub struct Part {
    /// Only these rows, as a spreadsheet numbers them: 200-450, or 200- to the end
    #[arg(long, value_name = "ROWS", value_parser = parse_rows, allow_hyphen_values = true)]
    pub rows: Option<RowRange>,
}

fn parse_rows(text: &str) -> Result<RowRange, String> {
    RowRange::parse(text).map_err(|error| format!("{}; {}", error.what(), error.advice()))
}

/// Who is remembered from earlier work.
#[derive(Args, Debug, Clone, Default)]
#[command(next_help_heading = "Who is remembered from earlier work")]
pub struct Remembered {
    /// The client or brand that it is for: its entries in the bank count beside those of everyone
    #[arg(long, value_name = "NAME")]
    pub scope: Option<String>,
    /// The scope is a new one
    #[arg(long)]
    pub new_scope: bool,
    /// Hold nobody back for what the bank remembers; the account says so
    #[arg(long, conflicts_with = "new_scope")]
    pub without_bank: bool,
    /// Where the bank cannot be reached, go on with this copy, which bank snapshot made
    #[arg(long, value_name = "FILE", conflicts_with = "without_bank")]
    pub bank_copy: Option<PathBuf>,
}

/// How files are read, where that is not recognised.
#[derive(Args, Debug)]
#[command(next_help_heading = "How files are read, where recognition must be overruled")]
pub struct Reading {
    /// Which column is which field: --field "email=Contact"
    #[arg(long = "field", value_name = "FIELD=HEADER")]
    pub fields: Vec<String>,
    /// A column in which a yes, a tick or a date means that the contact opted in
    #[arg(long, value_name = "HEADER")]
    pub opt_in: Vec<String>,
    /// A column in which a yes, a tick or a date means that the contact opted out
    #[arg(long, value_name = "HEADER")]
    pub opt_out: Vec<String>,
    /// A column that says nothing about who may be contacted, whatever it looks like
    #[arg(long, value_name = "HEADER")]
    pub not_consent: Vec<String>,
    /// What comes first in dates that may be read in two ways
    #[arg(long, value_name = "ORDER")]
    pub date_order: Option<DateOrder>,
    /// From which year spreadsheets' day numbers count: 1900, or 1904 as in old files of the Mac
    #[arg(long, value_name = "YEAR", default_value = "1900", hide_default_value = true)]
    pub date_system: DateSystem,
    /// The country of contacts that name none, for phones, postal codes and dates: GB
    #[arg(long, value_name = "CC")]
    pub country: Option<String>,
    /// The encoding, such as windows-1252
    #[arg(long, value_name = "NAME")]
    pub encoding: Option<String>,
    /// Put � in place of bytes that fit no character, instead of stopping
    #[arg(long)]
    pub replace_bad_bytes: bool,
    /// What stands between cells: "," ";" "|" or tab
    #[arg(long, value_name = "SIGN")]
    pub delimiter: Option<String>,
    /// The row of the header, from 1; 0 for none
    #[arg(long, value_name = "ROW")]
    pub header_row: Option<u64>,
    /// The sheet of a workbook, by name or number
    #[arg(long, value_name = "SHEET")]
    pub sheet: Option<String>,
}

#[derive(ValueEnum, Debug, Clone, Copy, PartialEq, Eq)]
pub enum DateSystem {
    /// 46086 is 5 March 2026
    #[value(name = "1900")]
    From1900,
    /// 44624 is 5 March 2026
    #[value(name = "1904")]
    From1904,
}

#[derive(ValueEnum, Debug, Clone, Copy, PartialEq, Eq)]
pub enum DateOrder {
    /// The day: 31/12/2025
    Dmy,
    /// The month: 12/31/2025
    Mdy,
}
