//! Where the value of a field comes from in one file.

use crate::clean::blank::{is_ascii_blank_word, is_blank, is_blank_name};
use crate::clean::name;
use crate::columns::fold::fold;
use crate::columns::{ColumnMap, Field};
use crate::job::layout::ColumnRef;
use crate::read::{Record, cell};
use crate::units::ColumnIndex;
use crate::write::csv::without_defusing;
use std::borrow::Cow;

/// Where the value of a field or extra column comes from in one file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ValueSource {
    /// The file has nothing for it.
    Nothing,
    /// The cleaned address.
    Address,
    /// A column.
    Column(ColumnPlan),
    /// A column, and another one where that is blank.
    FirstFilled([ColumnPlan; 2]),
    /// The first name in a column of full names.
    FirstNameOf(ColumnPlan),
    /// The last name in a column of full names.
    LastNameOf(ColumnPlan),
    /// The parts of a name, joined by blanks.
    Joined(Vec<ColumnPlan>),
}

/// How the cells of a column are read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ColumnPlan {
    /// Where it is.
    pub column: ColumnIndex,
    /// Which words stand for nothing in it.
    pub blank_words: BlankWords,
    /// Whether its cells may have been defused by an earlier run.
    pub is_receipt: bool,
}

/// Which words stand for nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BlankWords {
    /// All of the list.
    All,
    /// The few that nobody is called.
    OfNames,
    /// None: the meaning of the column is not known.
    None,
}

/// What a blank word, a blank, a quote or an invisible character may begin with.
const BEGINS_BLANK_WORD: [bool; 256] = {
    let mut begins = [false; 256];
    let mut byte = 0;
    while byte < 256 {
        begins[byte] = matches!(
            byte as u8,
            b'n' | b'N' | b'-' | b'#' | b'?' | b'u' | b'U' | 0..=b' ' | b'"' | 0x7F | 0xC2 | 0xCD | 0xD8 | 0xE1..=0xE3 | 0xEF | 0xF3
        );
        byte += 1;
    }
    begins
};

impl ColumnPlan {
    /// Whether the cell, as it stands in the file, is filled and begins like no blank word.
    #[inline]
    pub fn is_surely_filled(&self, raw: &[u8]) -> bool {
        raw.first().is_some_and(|first| self.blank_words == BlankWords::None || !BEGINS_BLANK_WORD[*first as usize])
    }

    /// Whether the cell, as it stands in the file, holds a blank word.
    #[inline]
    pub fn is_blank_word(&self, raw: &[u8]) -> bool {
        const LONGEST: usize = 24;
        !raw.is_empty() && raw.len() <= LONGEST && !self.is_surely_filled(raw) && self.is_blank_word_exactly(raw)
    }

    fn is_blank_word_exactly(&self, raw: &[u8]) -> bool {
        if raw.iter().all(u8::is_ascii_alphabetic) && !is_ascii_blank_word(raw) {
            return false;
        }
        let text = cell::text(raw);
        match self.blank_words {
            BlankWords::All => is_blank(&text),
            BlankWords::OfNames => is_blank_name(&text),
            BlankWords::None => false,
        }
    }

    /// The value; empty for a blank word.
    pub fn value<'a>(&self, record: &Record<'a>) -> Cow<'a, [u8]> {
        let raw = record.raw(self.column.0);
        if self.is_blank_word(raw) || cell::is_empty(raw) {
            return Cow::Borrowed(&[]);
        }
        let value = cell::value(raw);
        if self.is_receipt { without_defusing(value) } else { value }
    }
}

impl ValueSource {
    /// Finds where `wanted` comes from in a file with these columns.
    pub fn new(wanted: &ColumnRef, map: &ColumnMap, is_receipt: bool) -> ValueSource {
        let plan = |column, blank_words| ColumnPlan { column, blank_words, is_receipt };
        match wanted {
            ColumnRef::Field(field) => {
                let blank_words = if field.is_name_like() { BlankWords::OfNames } else { BlankWords::All };
                let column_of = |field| map.column(field).map(|column| plan(column, blank_words));
                match (field, column_of(*field)) {
                    (Field::Email, Some(_)) => ValueSource::Address,
                    (field, Some(column)) if map.second_choice(*field).is_some() => {
                        let second = map.second_choice(*field).map_or(column, |second| plan(second, blank_words));
                        ValueSource::FirstFilled([column, second])
                    }
                    (_, Some(column)) => ValueSource::Column(column),
                    (Field::FirstName, None) => {
                        column_of(Field::FullName).map_or(ValueSource::Nothing, ValueSource::FirstNameOf)
                    }
                    (Field::LastName, None) => {
                        column_of(Field::FullName).map_or(ValueSource::Nothing, ValueSource::LastNameOf)
                    }
                    (Field::FullName, None) => {
                        let parts = [Field::FirstName, Field::MiddleName, Field::LastName];
                        let columns: Vec<_> = parts.into_iter().filter_map(column_of).collect();
                        if columns.is_empty() { ValueSource::Nothing } else { ValueSource::Joined(columns) }
                    }
                    (_, None) => ValueSource::Nothing,
                }
            }
            ColumnRef::Extra(extra) => {
                let column = map.headers.iter().position(|header| fold(header) == extra.folded);
                match column.map(ColumnIndex) {
                    Some(column) if map.column(Field::Email) == Some(column) => ValueSource::Address,
                    Some(column) => ValueSource::Column(plan(column, BlankWords::None)),
                    None => ValueSource::Nothing,
                }
            }
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
            ValueSource::FirstNameOf(plan) => part_of(plan.value(record), |full| name::part(full).0),
            ValueSource::LastNameOf(plan) => part_of(plan.value(record), |full| name::part(full).1),
            ValueSource::Joined(plans) => {
                let mut joined = Vec::new();
                for plan in plans {
                    let value = plan.value(record);
                    if !value.is_empty() && !joined.is_empty() {
                        joined.push(b' ');
                    }
                    joined.extend_from_slice(&value);
                }
                Cow::Owned(joined)
            }
        }
    }
}

/// A part of a full name.
fn part_of(full_name: Cow<'_, [u8]>, part: impl Fn(&[u8]) -> &[u8]) -> Cow<'_, [u8]> {
    match full_name {
        Cow::Borrowed(bytes) => Cow::Borrowed(part(bytes)),
        Cow::Owned(bytes) => Cow::Owned(part(&bytes).to_vec()),
    }
}
