//! Where the value of a field comes from in one file's cleaned records.

use super::map::ColumnMap;
use pebblebank_table::csv::without_defusing;
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Record, cell};
use pebblebank_values::blank::{BlankIn, BlankWords};
use pebblebank_values::{ColumnRef, Field, Kind};
use std::borrow::Cow;

/// Where the value of a field or extra column comes from in one file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ValueSource {
    /// The file has nothing for it.
    Nothing,
    /// The cleaned address.
    Address,
    /// A column.
    Column(ColumnPlan),
    /// A column, and another one where that is blank.
    FirstFilled([ColumnPlan; 2]),
}

/// How the cells of a column are read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ColumnPlan {
    /// Where it is.
    pub column: ColumnIndex,
    /// Whether its cells may have been defused by an earlier run.
    pub is_receipt: bool,
    /// Which words stand for nothing in it, where its values are not cleaned and such words are still there.
    pub blank_in: Option<BlankIn>,
}

impl ColumnPlan {
    /// The value; empty where nothing can be seen.
    pub fn value<'a>(&self, record: &Record<'a>) -> Cow<'a, [u8]> {
        let raw = record.raw(self.column.0);
        if cell::is_empty(raw) {
            return Cow::Borrowed(&[]);
        }
        let value = cell::value(raw);
        if self.is_receipt { without_defusing(value) } else { value }
    }
}

impl ValueSource {
    /// Finds where `wanted` comes from in a file with these columns.
    pub fn new(wanted: &ColumnRef, map: &ColumnMap, is_receipt: bool) -> ValueSource {
        let plan = |column| ColumnPlan { column, is_receipt, blank_in: None };
        let uncleaned = |column| {
            let of_field = Field::ALL.into_iter().find(|field| map.column(*field) == Some(column));
            let blank_in = of_field.map_or(BlankIn::Others, |field| Kind::of_field(field).blank_in());
            ColumnPlan { column, is_receipt, blank_in: Some(blank_in) }
        };
        match wanted {
            ColumnRef::Field(Field::Email) if map.column(Field::Email).is_some() => ValueSource::Address,
            ColumnRef::Field(field) => match (map.column(*field), map.second_choice(*field)) {
                (Some(first), Some(second)) => ValueSource::FirstFilled([plan(first), plan(second)]),
                (Some(column), None) => ValueSource::Column(plan(column)),
                (None, _) => ValueSource::Nothing,
            },
            ColumnRef::Extra(extra) => match map.headers.column(&extra.folded) {
                Some(column) if map.column(Field::Email) == Some(column) => ValueSource::Address,
                Some(column) => ValueSource::Column(uncleaned(column)),
                None => ValueSource::Nothing,
            },
        }
    }

    /// The columns that it reads.
    pub fn columns(&self) -> impl Iterator<Item = ColumnIndex> {
        let plans = match self {
            ValueSource::Nothing | ValueSource::Address => [None, None],
            ValueSource::Column(plan) => [Some(*plan), None],
            ValueSource::FirstFilled([first, second]) => [Some(*first), Some(*second)],
        };
        plans.into_iter().flatten().map(|plan| plan.column)
    }

    /// The value; empty also where it is one of the words that stand for nothing.
    pub fn filled<'a>(&self, record: &Record<'a>, address: &'a [u8], words: &BlankWords) -> Cow<'a, [u8]> {
        let value = self.value(record, address);
        if value.is_empty() || !self.is_blank_word(&value, words) { value } else { Cow::Borrowed(&[]) }
    }

    /// Whether a value of it is one of the words that stand for nothing.
    pub fn is_blank_word(&self, value: &[u8], words: &BlankWords) -> bool {
        match self {
            ValueSource::Column(ColumnPlan { blank_in: Some(blank_in), .. }) => {
                words.holds(&String::from_utf8_lossy(value), *blank_in)
            }
            _ => false,
        }
    }

    /// The value in a record whose cleaned address is `address`.
    pub fn value<'a>(&self, record: &Record<'a>, address: &'a [u8]) -> Cow<'a, [u8]> {
        match self {
            ValueSource::Nothing => Cow::Borrowed(&[]),
            ValueSource::Address => Cow::Borrowed(address),
            ValueSource::Column(plan) => plan.value(record),
            ValueSource::FirstFilled([first, second]) => {
                let value = first.value(record);
                if value.is_empty() { second.value(record) } else { value }
            }
        }
    }
}
