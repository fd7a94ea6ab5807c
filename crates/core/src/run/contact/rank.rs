//! What a row is ranked by among the copies of a person.

use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use crate::job::Job;
use crate::run::row_bits::LACKS_FIELD;
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Record, cell};
use pebblebank_values::address::Address;
use pebblebank_values::blank::BlankWords;
use pebblebank_values::date::{Date, DateSystem};
use pebblebank_values::date_column::{DateColumn, DateOf};
use pebblebank_values::{ColumnRef, Field, Kind};
use std::sync::Arc;

/// What a row is ranked by; the higher survives.
#[derive(Debug, Clone)]
pub enum Rank {
    /// By nothing but the order of reading.
    Equal,
    /// By the minutes of a date, none of which may be after this day.
    Newest(ValueSource, Option<Date>),
    /// By how many of these are filled.
    Fullest(Vec<(ColumnIndex, Kind)>, Arc<BlankWords>),
}

impl Rank {
    /// By the latest moment. What was done cannot be still to come: such a date does not count.
    pub fn newest(column: &ColumnRef, map: &ColumnMap, is_receipt: bool, today: Date) -> Rank {
        let source = ValueSource::new(column, map, is_receipt);
        let is_of_the_past = matches!(column, ColumnRef::Field(Field::SignedUp | Field::LastSeen));
        Rank::Newest(source, is_of_the_past.then_some(today))
    }

    /// By how many known fields are filled.
    pub fn fullest(map: &ColumnMap, blank_words: &Arc<BlankWords>) -> Rank {
        let filled = |field: Field| map.column(field).map(|column| (column, Kind::of_field(field)));
        Rank::Fullest(Field::ALL.into_iter().filter_map(filled).collect(), Arc::clone(blank_words))
    }

    /// The rank of a record, which is also there as `cleaned`; less than [`LACKS_FIELD`].
    pub fn of(&self, record: &Record, cleaned: &Record, address: &Address) -> u32 {
        match self {
            Rank::Equal => 0,
            Rank::Newest(source, latest) => rank_of_moment(&source.value(cleaned, address.text), *latest),
            Rank::Fullest(columns, blank_words) => {
                let is_filled = |(column, kind): &&(ColumnIndex, Kind)| {
                    let raw = record.raw(column.0);
                    !raw.is_empty() && {
                        let text = cell::text(raw);
                        text.contains(char::is_alphanumeric) && !blank_words.holds(&text, kind.blank_in())
                    }
                };
                columns.iter().filter(is_filled).count() as u32
            }
        }
    }
}

/// Minutes since 1600, from 1 on and as far as they fit beside [`LACKS_FIELD`]; 0 where there is no date, or one after
/// `latest`.
pub(crate) fn rank_of_moment(value: &[u8], latest: Option<Date>) -> u32 {
    const BEGINNING: Date = Date { year: 1600, month: 1, day: 1 };
    let text = String::from_utf8_lossy(value);
    let column = DateColumn {
        order: None,
        system: DateSystem::default(),
        today: Date { year: 2100, month: 1, day: 1 },
        of: DateOf::Any,
    };
    match column.moment(&text) {
        Ok((moment, _)) if latest.is_none_or(|latest| moment.date <= latest) => {
            let time = moment.time.map_or(0, |time| time.seconds / 60);
            let days = i64::from(moment.date.day_number()) - i64::from(BEGINNING.day_number());
            let minutes = u32::try_from((days * 1_440 + i64::from(time)).max(1)).unwrap_or(u32::MAX);
            minutes.min(LACKS_FIELD - 1)
        }
        _ => 0,
    }
}

/// The column of dates by which the rows of a list are ranked that values are taken from.
pub fn newest_of_list(job: &Job, map: &ColumnMap) -> Option<ColumnRef> {
    let has = |column: &ColumnRef| ValueSource::new(column, map, false) != ValueSource::Nothing;
    let known = [Field::LastSeen, Field::SignedUp].map(ColumnRef::Field);
    job.person.newest_by.iter().chain(&known).find(|column| has(column)).cloned()
}
