//! The keys of a row beside its address, and its rank among the copies of a person; in the first pass.

use super::open::OpenFiles;
use crate::clean::address::Address;
use crate::clean::blank::BlankWords;
use crate::clean::date::{Date, DateColumn, DateOf};
use crate::clean::plan::Wanted;
use crate::clean::text::comparable;
use crate::clean::{CleaningPlan, CleaningWishes, Kind, RowCleaner, place};
use crate::columns::fold::fold;
use crate::columns::{ColumnMap, Field};
use crate::job::Job;
use crate::job::layout::ColumnRef;
use crate::person::{IdentityHash, IdentityHasher, PersonKey, PersonWishes, Survivor};
use crate::read::{Record, cell};
use crate::units::ColumnIndex;
use crate::write::value::ValueSource;
use std::borrow::Cow;
use std::sync::Arc;

/// How the keys and ranks of one file's rows are found.
#[derive(Debug, Clone)]
pub struct RowKeys {
    cleaning: CleaningPlan,
    keys: Vec<(u8, Vec<Part>)>,
    rank: Rank,
}

/// A part of a key.
#[derive(Debug, Clone)]
enum Part {
    /// The identity of the usable address.
    Address,
    /// A value, as it is compared.
    Value { source: ValueSource, form: KeyForm },
}

/// How a value is compared.
#[derive(Debug, Clone, Copy)]
enum KeyForm {
    /// Letter case and the number of blanks do not count.
    Text,
    /// Nor do the words of streets in their usual forms.
    Street,
    /// Nor does anything but letters and digits.
    Code,
}

impl KeyForm {
    fn of(column: &ColumnRef) -> KeyForm {
        match column {
            ColumnRef::Field(Field::Street | Field::Street2) => KeyForm::Street,
            ColumnRef::Field(Field::PostalCode) => KeyForm::Code,
            _ => KeyForm::Text,
        }
    }

    fn key(self, value: &str) -> Cow<'_, str> {
        match self {
            KeyForm::Text => comparable(value),
            KeyForm::Street => place::street_key(value).into(),
            KeyForm::Code => fold(value).replace(' ', "").into(),
        }
    }
}

/// What a row is ranked by; the higher survives.
#[derive(Debug, Clone)]
enum Rank {
    Equal,
    /// The minutes of a date.
    Newest(ValueSource),
    /// How many of these are filled.
    Fullest(Vec<(ColumnIndex, Kind)>, Arc<BlankWords>),
}

impl RowKeys {
    /// Fits what a job says about persons to a file; none where the address alone decides and the first read survives.
    pub fn new(
        persons: &PersonWishes,
        wishes: &CleaningWishes,
        map: &ColumnMap,
        is_receipt: bool,
        separators: &[(ColumnIndex, char)],
    ) -> Option<RowKeys> {
        let is_ranked = matches!(persons.survivor, Survivor::Newest | Survivor::Fullest);
        if !persons.has_other_keys() && !is_ranked {
            return None;
        }
        let mut wanted = Wanted::default();
        for column in persons.columns() {
            wanted.add(column, map);
        }
        let cleaning = CleaningPlan::new(wishes, &wanted, map, is_receipt, separators);
        let part = |column: &ColumnRef| match column {
            ColumnRef::Field(Field::Email) => Part::Address,
            column => {
                Part::Value { source: ValueSource::new(column, &cleaning.map, is_receipt), form: KeyForm::of(column) }
            }
        };
        let keys = persons.same.iter().enumerate().filter(|(_, key)| !key.is_address());
        let keys = keys.map(|(place, key): (usize, &PersonKey)| (place as u8, key.columns.iter().map(part).collect()));
        let keys: Vec<(u8, Vec<Part>)> = keys.collect();
        let filled = |field: Field| map.column(field).map(|column| (column, Kind::of_field(field)));
        let rank = match (persons.survivor, &persons.newest_by) {
            (Survivor::Newest, Some(column)) => Rank::Newest(ValueSource::new(column, &cleaning.map, is_receipt)),
            (Survivor::Fullest, _) => {
                Rank::Fullest(Field::ALL.into_iter().filter_map(filled).collect(), Arc::clone(&wishes.blank_words))
            }
            _ => Rank::Equal,
        };
        Some(RowKeys { cleaning, keys, rank })
    }

    /// How values are cleaned before they are compared.
    pub fn cleaning(&self) -> &CleaningPlan {
        &self.cleaning
    }

    /// The same, to be told the order of dates.
    pub fn cleaning_mut(&mut self) -> &mut CleaningPlan {
        &mut self.cleaning
    }

    /// Hands the row's keys to `add`, each with its place in the job, and gives its rank.
    pub fn read(
        &self,
        record: &Record,
        address: &Address,
        cleaner: &mut RowCleaner,
        hasher: &IdentityHasher,
        mut add: impl FnMut(u8, IdentityHash),
    ) -> u32 {
        cleaner.clean(&self.cleaning, record, address);
        let after = cleaner.after(record);
        let is_doubtful = |source: &ValueSource| {
            let doubts = cleaner.doubts().iter().filter(|(_, doubt)| doubt.is_unusable());
            doubts.clone().any(|(column, _)| source.columns().any(|own| own == *column))
        };
        for (place, parts) in &self.keys {
            let mut text = vec![*place];
            let is_whole = parts.iter().all(|part| {
                let mut push = |key: &[u8]| {
                    // With its length, so that parts cannot run into each other.
                    text.extend_from_slice(&(key.len() as u32).to_le_bytes());
                    text.extend_from_slice(key);
                };
                match part {
                    Part::Address => {
                        push(address.identity);
                        address.is_usable()
                    }
                    Part::Value { source, form } => {
                        let value = source.value(&after, address.text);
                        let value = String::from_utf8_lossy(&value);
                        let key = form.key(&value);
                        push(key.as_bytes());
                        !key.is_empty() && !is_doubtful(source)
                    }
                }
            });
            if is_whole {
                add(*place, hasher.hash(&text));
            }
        }
        match &self.rank {
            Rank::Equal => 0,
            Rank::Newest(source) => minutes_of(&source.value(&after, address.text)),
            Rank::Fullest(columns, blank_words) => {
                let is_filled = |(column, kind): &&(ColumnIndex, Kind)| {
                    let raw = record.raw(column.0);
                    !raw.is_empty() && !blank_words.holds(&cell::text(raw), kind.blank_in())
                };
                columns.iter().filter(is_filled).count() as u32
            }
        }
    }
}

/// Minutes since the year 0; 0 where there is no date.
fn minutes_of(value: &[u8]) -> u32 {
    let text = String::from_utf8_lossy(value);
    let column = DateColumn { order: None, today: Date { year: 2100, month: 1, day: 1 }, of: DateOf::Any };
    match column.moment(&text) {
        Ok((moment, _)) => {
            let time = moment.time.map_or(0, |time| time.seconds / 60);
            moment.date.day_number().unsigned_abs() * 1_440 + time
        }
        Err(_) => 0,
    }
}

/// The date that `newest` goes by: as said, else the last time seen if any source has it, else the sign-up.
pub fn newest_by(job: &Job, files: &OpenFiles) -> Option<ColumnRef> {
    let has = |field: Field| files.sources.iter().any(|file| file.map().column(field).is_some());
    let known = [Field::LastSeen, Field::SignedUp].into_iter().find(|field| has(*field)).map(ColumnRef::Field);
    job.person.newest_by.clone().or(known)
}
