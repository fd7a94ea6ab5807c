//! A condition fitted to the columns of one file, and how a contact is judged by it.

use super::condition::{Condition, NumberTest, Selection, Subject, Test};
use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use crate::suppress::marks::{Mark, NamedMarks};
use pebblebank_table::Record;
use pebblebank_values::blank::BlankWords;
use pebblebank_values::date::{Date, DateSystem};
use pebblebank_values::date_column::{DateColumn, DateOf};
use pebblebank_values::place::Country;
use pebblebank_values::text::comparable;
use pebblebank_values::{ColumnRef, Field, number};
use std::sync::Arc;

/// What conditions and layouts need to know of a job beside their own text.
#[derive(Clone, Copy)]
pub struct JobFacts<'a> {
    /// The day of the run.
    pub today: Date,
    /// The country of rows that name none.
    pub country: Option<Country>,
    /// Words that stand for nothing.
    pub blank_words: &'a Arc<BlankWords>,
    /// The lists and sources by name.
    pub lists: &'a dyn NamedMarks,
    /// Whether the job gives people tags.
    pub gives_tags: bool,
}

/// A selection, with the columns of one file.
#[derive(Debug, Clone)]
pub struct SelectionPlan {
    condition: Fitted,
    today: Date,
    blank_words: Arc<BlankWords>,
}

/// A condition whose columns are known.
#[derive(Debug, Clone)]
enum Fitted {
    All(Vec<Fitted>),
    Any(Vec<Fitted>),
    Not(Box<Fitted>),
    Column(Subject, ValueSource, Test),
    /// The person is marked with this.
    Marked(Mark),
}

impl SelectionPlan {
    /// Fits a selection of the job to the cleaned records of a file.
    pub fn new(selection: &Selection, map: &ColumnMap, is_receipt: bool, facts: JobFacts) -> SelectionPlan {
        let condition = fit(&selection.condition, map, is_receipt, facts.lists);
        SelectionPlan { condition, today: facts.today, blank_words: Arc::clone(facts.blank_words) }
    }

    /// Whether a contact is in the audience. `address` is empty where it is not usable; `marks` are those of its person.
    pub fn holds(&self, record: &Record, address: &[u8], marks: &[Mark]) -> bool {
        self.is_met(&self.condition, record, address, marks)
    }

    fn is_met(&self, condition: &Fitted, record: &Record, address: &[u8], marks: &[Mark]) -> bool {
        match condition {
            Fitted::All(parts) => parts.iter().all(|part| self.is_met(part, record, address, marks)),
            Fitted::Any(parts) => parts.iter().any(|part| self.is_met(part, record, address, marks)),
            Fitted::Not(part) => !self.is_met(part, record, address, marks),
            Fitted::Marked(mark) => mark.is_in(marks),
            Fitted::Column(subject, source, test) => {
                let value = source.value(record, address);
                let shown = String::from_utf8_lossy(&value);
                match subject {
                    // A word that stands for nothing is blank, unless it is the very word that is asked for.
                    Subject::Value(_) if source.is_blank_word(&value, &self.blank_words) => {
                        names_word(test, &shown).unwrap_or_else(|| passes(test, "", self.today))
                    }
                    Subject::Value(_) => passes(test, &shown, self.today),
                    Subject::Domain => {
                        passes(test, shown.rsplit_once('@').map_or("", |(_, domain)| domain), self.today)
                    }
                    Subject::Age => match day_of(&shown) {
                        Some(born) => passes(test, &years_between(born, self.today).to_string(), self.today),
                        None => passes(test, "", self.today),
                    },
                }
            }
        }
    }
}

/// What a test that names the very word comes to.
fn names_word(test: &Test, word: &str) -> Option<bool> {
    let names = |values: &[String]| {
        let own = comparable(word);
        values.iter().any(|value| *value == own)
    };
    match test {
        Test::Is(values) if names(values) => Some(true),
        Test::IsNot(values) if names(values) => Some(false),
        _ => None,
    }
}

fn fit(condition: &Condition, map: &ColumnMap, is_receipt: bool, lists: &dyn NamedMarks) -> Fitted {
    let all = |parts: &[Condition]| parts.iter().map(|part| fit(part, map, is_receipt, lists)).collect();
    match condition {
        Condition::In(name) => Fitted::Marked(lists.mark_named(name).expect("the job was checked to have the list")),
        Condition::All(parts) => Fitted::All(all(parts)),
        Condition::Any(parts) => Fitted::Any(all(parts)),
        Condition::Not(part) => Fitted::Not(Box::new(fit(part, map, is_receipt, lists))),
        Condition::Column(subject, test) => {
            let column = match subject {
                Subject::Value(column) => column.clone(),
                Subject::Age => ColumnRef::Field(Field::Birthday),
                Subject::Domain => ColumnRef::Field(Field::Email),
            };
            Fitted::Column(subject.clone(), ValueSource::new(&column, map, is_receipt), test.clone())
        }
    }
}

/// Whether a value passes a test.
fn passes(test: &Test, value: &str, today: Date) -> bool {
    let is_one_of = |values: &[String]| {
        let own = comparable(value);
        values.iter().any(|value| *value == own)
    };
    match test {
        Test::IsBlank => value.is_empty(),
        Test::IsFilled => !value.is_empty(),
        Test::IsNot(values) => value.is_empty() || !is_one_of(values),
        _ if value.is_empty() => false,
        Test::Is(values) => is_one_of(values),
        Test::Contains(part) => comparable(value).contains(part.as_str()),
        Test::StartsWith(part) => comparable(value).starts_with(part.as_str()),
        Test::EndsWith(part) => comparable(value).ends_with(part.as_str()),
        Test::Has(tag) => value.split([';', '|', ',']).any(|known| comparable(known) == *tag),
        Test::Since(day) => day_of(value).is_some_and(|own| own >= *day),
        Test::Before(day) => day_of(value).is_some_and(|own| own < *day),
        Test::BetweenDays(first, last) => day_of(value).is_some_and(|own| (*first..=*last).contains(&own)),
        Test::WithinDays(days) => day_of(value).is_some_and(|own| {
            let ago = today.day_number() - own.day_number();
            (0..=*days).contains(&ago)
        }),
        Test::Number(test) => number_of(value).is_some_and(|own| match test {
            NumberTest::AtLeast(number) => own >= *number,
            NumberTest::AtMost(number) => own <= *number,
            NumberTest::MoreThan(number) => own > *number,
            NumberTest::LessThan(number) => own < *number,
            NumberTest::Between(first, last) => (*first..=*last).contains(&own),
        }),
    }
}

/// The day that a value names, where it can be read in one way only; fields of dates are cleaned before.
fn day_of(value: &str) -> Option<Date> {
    if let Some(date) = value.get(..10).and_then(Date::from_iso) {
        return Some(date);
    }
    DateColumn {
        order: None,
        system: DateSystem::default(),
        today: Date { year: 2100, month: 1, day: 1 },
        of: DateOf::Any,
    }
    .only_moment(value.trim())
}

fn number_of(value: &str) -> Option<f64> {
    let mut cleaned = String::new();
    let value = value.trim();
    match number::clean(value, &mut cleaned) {
        pebblebank_values::Cleaned::AsItIs => value.parse().ok(),
        pebblebank_values::Cleaned::Repaired(_) => cleaned.parse().ok(),
        pebblebank_values::Cleaned::Doubtful(_) => None,
    }
}

fn years_between(born: Date, today: Date) -> i16 {
    let had_birthday = (today.month, today.day) >= (born.month, born.day);
    today.year - born.year - i16::from(!had_birthday)
}
