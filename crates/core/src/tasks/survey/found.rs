//! What is asked of a survey, and what it finds in a file.

use super::column::ColumnSurvey;
use crate::columns::lines::Line;
use crate::job::sources::ReadFiles;
use crate::run::tally::OtherLines;
use pebblebank_table::observe::Finding;
use pebblebank_values::date::Date;
use pebblebank_values::place::Country;
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::PathBuf;

/// What is asked of a survey.
#[derive(Debug, Clone, Default)]
pub struct SurveyWishes {
    /// How the files are to be read.
    pub read: ReadFiles,
    /// Count the domains of the addresses.
    pub domains: bool,
    /// Count the values of this field or header.
    pub values: Option<String>,
    /// The threads that work.
    pub threads: usize,
    /// The country of contacts that name none.
    pub country: Option<Country>,
    /// The day; none where dates still to come are not to be minded.
    pub today: Option<Date>,
}

/// What a line at the top of a file was taken for.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct LineAtTop {
    /// Its row.
    pub row: u64,
    /// What it is, as the account calls it.
    pub line: &'static str,
    /// Why.
    pub why: String,
}

impl LineAtTop {
    pub(crate) fn new((row, line, why): &(u64, Line, String)) -> LineAtTop {
        LineAtTop { row: *row, line: line.name(), why: why.clone() }
    }
}

/// What is in one file.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct FileSurvey {
    /// The file, as given.
    pub file: String,
    /// Its path; a member of an archive follows the archive's.
    #[serde(skip)]
    pub path: PathBuf,
    /// What it is.
    pub format: &'static str,
    /// How it is packed, if it is.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub packed: Option<&'static str>,
    /// The sheet that was read, of a workbook.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sheet: Option<String>,
    /// The encoding of text.
    pub encoding: Option<&'static str>,
    /// Whether the encoding is a guess by the letters that occur.
    pub encoding_is_guessed: bool,
    /// The delimiter of delimited text.
    pub delimiter: Option<&'static str>,
    /// The row of the header; none where there is none or the format names its columns.
    pub header_row: Option<u64>,
    /// The size in bytes.
    pub bytes: u64,
    /// Rows that are contacts.
    pub rows: u64,
    /// Lines that are no contacts.
    pub other_lines: OtherLines,
    /// What the lines at the top were taken for, and why.
    pub lines_at_top: Vec<LineAtTop>,
    /// The columns, in order.
    pub columns: Vec<ColumnSurvey>,
    /// What the addresses are like; none without a column of addresses.
    pub addresses: Option<AddressSurvey>,
    /// The domains of the addresses, the most frequent first, where they are asked for.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub domains: Option<Counted>,
    /// The values of a column, the most frequent first, where they are asked for.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub values: Option<Counted>,
    /// What should be looked at.
    pub findings: Vec<Finding>,
    /// Whether every filled value of the address column is an address or a domain and there is little else: a list.
    pub only_addresses: bool,
    /// Of the address column: entries that are whole domains.
    pub domain_entries: u64,
    /// Whether an earlier run wrote it aside.
    pub is_receipt: bool,
    /// BLAKE3 of the file, unpacked.
    pub blake3: String,
}

/// What the addresses of a file are like.
#[derive(Debug, Clone, Default, JsonSchema, Serialize)]
pub struct AddressSurvey {
    /// Rows with an address that can be used, cleaned or as it is.
    pub usable: u64,
    /// Those of them that cleaning changes in more than letter case and outer blanks.
    pub repaired: u64,
    /// By the name of the rule, how many rows it would change.
    pub repairs: BTreeMap<&'static str, u64>,
    /// By the name of the rule, how many addresses look like typos that a run can mend where it is told to.
    pub suggestions: BTreeMap<&'static str, u64>,
    /// Usable ones that belong to an office rather than to a person, such as info@.
    pub role: u64,
    /// Usable ones at domains whose mailboxes are thrown away after use.
    pub disposable: u64,
    /// Rows with something that cannot be an address.
    pub invalid: u64,
    /// Rows with something typed instead of an address.
    pub placeholder: u64,
    /// Rows with nothing.
    pub blank: u64,
    /// Rows whose address a row above has.
    pub repeated: u64,
    /// Whether that is an estimate.
    pub repeated_is_estimate: bool,
    /// Different addresses.
    pub distinct: u64,
}

impl AddressSurvey {
    /// A row whose only text is in its first cell and holds no `@`.
    pub(crate) fn without_at_sign(&mut self, is_in_address_column: bool) {
        *(if is_in_address_column { &mut self.invalid } else { &mut self.blank }) += 1;
    }
}

/// Values with how often they occur, the most frequent first.
#[derive(Debug, Clone, Default, JsonSchema, Serialize)]
pub struct Counted {
    /// The field or header that they belong to.
    pub of: String,
    /// The values and their counts.
    pub values: Vec<(String, u64)>,
    /// Occurrences of values beyond those that can be counted one by one.
    pub of_further_values: u64,
}
