//! What is being found out about the columns of one file: what is taken for which field, and what should be said of it.

use super::consent;
use super::consent::Judged;
use super::locate::Table;
use crate::columns::consent::ValuesSay;
use crate::columns::headers::named_in_error;
use crate::columns::map::{ColumnMap, ConsentColumn, is_domain_entry};
use crate::columns::sample::SampleRecords;
use crate::columns::wishes::{ColumnWishes, ConsentQuestions};
use pebblebank_table::error::closest;
use pebblebank_table::observe::Finding;
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::consent::YesMeans;
use pebblebank_values::fold::fold;
use pebblebank_values::headers::RESERVED_PREFIX;
use pebblebank_values::{Field, look};
use std::path::Path;

/// A file whose columns are to be mapped.
pub struct Unmapped<'a> {
    /// Its path, for errors.
    pub path: &'a Path,
    /// Where its table is.
    pub table: &'a Table,
    /// Its beginning.
    pub sample: &'a SampleRecords,
    /// What the job says.
    pub wishes: &'a ColumnWishes,
    /// A list: its values may be domains.
    pub is_list: bool,
    /// Columns that all of the file showed to be about consent, although its beginning did not.
    pub found_consent: &'a [ColumnIndex],
    /// What happens where a column may be about consent and leaves several readings.
    pub consent_questions: ConsentQuestions,
    /// Whether a question that only the user can answer is an error; else it is a finding.
    pub asks: bool,
}

/// The columns of a file, as far as they are known.
pub(super) struct Mapper<'a> {
    pub file: &'a Unmapped<'a>,
    pub map: ColumnMap,
    pub taken: Vec<bool>,
    pub findings: Vec<Finding>,
}

impl Mapper<'_> {
    pub fn drop_receipt_columns(&mut self) {
        for (column, header) in self.map.headers.iter().enumerate() {
            self.taken[column] = header.starts_with(RESERVED_PREFIX);
        }
    }

    pub fn take(&mut self, field: Field, column: ColumnIndex) {
        self.map.fields[field as usize] = Some(column);
        self.taken[column.0] = true;
    }

    pub fn take_consent(&mut self, column: ColumnIndex, yes_means: Option<YesMeans>) {
        if self.map.consents.iter().any(|known| known.column == column) {
            return;
        }
        let is_ticks = yes_means == Some(YesMeans::OptedIn) && self.values_say(column).are_ticks();
        self.map.consents.push(ConsentColumn { column, yes_means, is_ticks });
        self.taken[column.0] = true;
        if self.map.column(Field::Consent).is_none() {
            self.take(Field::Consent, column);
        }
    }

    pub fn column_named(&self, field: &str, header: &str) -> Result<ColumnIndex> {
        let headers = &self.map.headers;
        let exactly = headers.iter().position(|candidate| candidate.trim() == header.trim());
        let folded = || headers.column(&fold(header));
        exactly.map(ColumnIndex).or_else(folded).ok_or_else(|| {
            let list = named_in_error(headers.iter().map(String::as_str));
            let advice = match closest(header, headers.iter().map(String::as_str)) {
                Some(near) => format!("did you mean \"{near}\"?"),
                None => format!("say which of its columns has {field}"),
            };
            Error::new(ErrorKind::Columns, format!("there is no column \"{header}\" for the field {field}"), advice)
                .in_file(self.file.path)
                .expected(format!("one of {list}"))
        })
    }

    /// Whether most of the filled values hold addresses.
    pub fn holds_addresses(&self, column: ColumnIndex) -> bool {
        // Of a list some are enough: a note or a totals line may stand below few of them.
        if self.file.is_list {
            self.share_of(column, |value| look::holds_address(value) || is_domain_entry(value)) >= ENOUGH_OF_A_LIST
        } else {
            self.mostly(column, look::holds_address)
        }
    }

    /// Whether most of the filled values are numbers.
    pub fn holds_numbers(&self, column: ColumnIndex) -> bool {
        self.mostly(column, |value| {
            let value = value.trim().as_bytes();
            value.iter().all(|byte| byte.is_ascii_digit() || *byte == b'-') && value.iter().any(u8::is_ascii_digit)
        })
    }

    pub fn mostly(&self, column: ColumnIndex, is_one: impl Fn(&str) -> bool) -> bool {
        self.share_of(column, is_one) > 0.5
    }

    /// The share of the filled values that are such, as far as they are looked at; 0 where nothing is filled.
    pub fn share_of(&self, column: ColumnIndex, is_one: impl Fn(&str) -> bool) -> f64 {
        const LOOKED_AT: usize = 200;
        let (mut filled, mut found) = (0, 0);
        for value in self.file.sample.column(column.0, self.file.table.records_above).take(LOOKED_AT) {
            filled += 1;
            found += u32::from(is_one(&value));
        }
        if filled == 0 { 0.0 } else { f64::from(found) / f64::from(filled) }
    }

    /// What the values of a column say, the blank ones included.
    pub fn values_say(&self, column: ColumnIndex) -> ValuesSay {
        ValuesSay::of(self.file.sample.all_of_column(column.0, self.file.table.records_above))
    }

    pub fn speaks_of_consent(&self, column: ColumnIndex) -> bool {
        let values = self.values_say(column);
        matches!(consent::judge("", &values), Judged::Consent { .. })
    }

    pub fn is_not_consent(&self, column: ColumnIndex) -> bool {
        let header = fold(self.map.header(column));
        self.file.wishes.not_consent.iter().any(|said| fold(said) == header)
    }
}

/// The share of addresses from which on a column of a list is one of addresses.
pub(super) const ENOUGH_OF_A_LIST: f64 = 0.3;
