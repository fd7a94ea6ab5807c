//! A column of dates: whether the day or the month comes first in it, by what all of its values show, and how each is cleaned.

use crate::calendar::iso_date;
use crate::date::{Date, DateOrder, DateSystem, Moment, Reading, read, spreadsheet_day};
use crate::{Cleaned, Doubt, Rule, Rules};
use pebblebank_table::observe::Met;
use pebblebank_table::units::RowNumber;

/// What a column shows of the order of day and month.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct OrderEvidence {
    /// Dates in which only the day can come first.
    pub day_first: Met,
    /// Dates in which only the month can come first.
    pub month_first: Met,
    /// Dates that can be read in both orders.
    pub either: Met,
}

impl OrderEvidence {
    /// Looks at a cell's value; an ISO date shows nothing.
    #[inline]
    pub fn look(&mut self, value: &[u8], row: RowNumber) {
        if iso_date(value).is_none() && !value.is_empty() {
            self.look_closely(value, row);
        }
    }

    fn look_closely(&mut self, value: &[u8], row: RowNumber) {
        // Only the order matters here, so any latest year will do.
        let text = String::from_utf8_lossy(value);
        match read(text.trim(), 2050) {
            Reading::OnlyDayFirst(_) => self.day_first.at(row),
            Reading::OnlyMonthFirst(_) => self.month_first.at(row),
            Reading::Either(..) => self.either.at(row),
            _ => {}
        }
    }

    /// Goes on with what was seen further down.
    pub fn append(&mut self, later: &OrderEvidence) {
        self.day_first.append(&later.day_first);
        self.month_first.append(&later.month_first);
        self.either.append(&later.either);
    }

    /// The same, `rows` further down.
    #[must_use]
    pub fn moved(&self, rows: u64) -> OrderEvidence {
        OrderEvidence {
            day_first: self.day_first.moved(rows),
            month_first: self.month_first.moved(rows),
            either: self.either.moved(rows),
        }
    }

    /// The order that it shows, if it shows one.
    pub fn shown(&self) -> Option<DateOrder> {
        match self.decision() {
            OrderDecision::Shown(order) => Some(order),
            _ => None,
        }
    }

    /// What the column decides.
    pub fn decision(&self) -> OrderDecision {
        match (self.day_first.count, self.month_first.count, self.either.count) {
            (0, 0, 0) => OrderDecision::NotAsked,
            (0, 0, _) => OrderDecision::Silent,
            (_, 0, _) => OrderDecision::Shown(DateOrder::DayFirst),
            (0, _, _) => OrderDecision::Shown(DateOrder::MonthFirst),
            _ => OrderDecision::Contradicts,
        }
    }
}

/// What a column decides about the order of day and month.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OrderDecision {
    /// No date needs to know.
    NotAsked,
    /// Some do, and none shows it.
    Silent,
    /// Some show it, and all that show it the same.
    Shown(DateOrder),
    /// Some show one, some the other.
    Contradicts,
}

/// How the dates of a column are to be taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct DateColumn {
    /// Whether the day or the month comes first where both can.
    pub order: Option<DateOrder>,
    /// From when the day numbers of spreadsheets count in it.
    pub system: DateSystem,
    /// The day of the run.
    pub today: Date,
    /// What the dates are of.
    pub of: DateOf,
}

impl DateColumn {
    /// The year that numbers of two digits are brought near to.
    pub fn latest_year(&self) -> i16 {
        match self.of {
            DateOf::Birth => self.today.year,
            DateOf::Past => self.today.year + 1,
            DateOf::Any => self.today.year + 20,
        }
    }

    /// A spreadsheet's day number of fewer than five digits in a column of birthdays: before 18 May 1927, and no year.
    fn early_birthday(&self, text: &str) -> Option<Reading> {
        let number: i32 =
            Some(text).filter(|text| self.of == DateOf::Birth && (3..=4).contains(&text.len()))?.parse().ok()?;
        let is_year = (1850..=i32::from(self.today.year)).contains(&number);
        (number > 366 && !is_year)
            .then(|| Reading::SpreadsheetDate(Moment { date: spreadsheet_day(number), time: None }))
    }

    /// The moment that a text names.
    pub fn moment(&self, text: &str) -> Result<(Moment, Rule), Doubt> {
        let reading = self.early_birthday(text).unwrap_or_else(|| read(text, self.latest_year()));
        let moment = match (reading, self.order) {
            (Reading::Sure(moment), _)
            | (Reading::OnlyDayFirst(moment) | Reading::Either(moment, _), None | Some(DateOrder::DayFirst))
            | (Reading::OnlyMonthFirst(moment), None | Some(DateOrder::MonthFirst))
            | (Reading::Either(_, moment), Some(DateOrder::MonthFirst)) => (moment, Rule::DateForm),
            (Reading::SpreadsheetDate(moment), _) => (self.system.of(moment), Rule::SpreadsheetDate),
            (Reading::OnlyDayFirst(_) | Reading::OnlyMonthFirst(_) | Reading::Impossible, _) => {
                return Err(Doubt::ImpossibleDate);
            }
            (Reading::Unreadable, _) => return Err(Doubt::UnreadableDate),
        };
        Ok(moment)
    }

    /// The day that a text names, where it can be read in one way only.
    pub fn only_moment(&self, text: &str) -> Option<Date> {
        match read(text, self.latest_year()) {
            Reading::Sure(moment) | Reading::OnlyDayFirst(moment) | Reading::OnlyMonthFirst(moment) => {
                Some(moment.date)
            }
            _ => None,
        }
    }

    /// Whether the value is an ISO date in its bounds as it is.
    #[inline]
    pub fn is_clean(&self, value: &[u8]) -> bool {
        value.len() == 10 && iso_date(value).is_some_and(|date| !self.is_far(date) && !self.is_to_come(date))
    }

    /// Whether the day of something that was done is still to come.
    pub fn is_to_come(&self, date: Date) -> bool {
        self.of == DateOf::Past && date > self.today
    }

    fn is_far(&self, date: Date) -> bool {
        match self.of {
            DateOf::Birth => date > self.today || date.year < self.today.year - 120,
            DateOf::Past => date.year < 1900,
            DateOf::Any => date.year < 1900 || date.year > self.today.year + 100,
        }
    }

    /// Cleans a tidy text; the new value is added to `out`.
    pub fn clean(&self, text: &str, out: &mut String) -> Cleaned {
        let (mut moment, rule) = match self.moment(text) {
            Ok(read) => read,
            Err(doubt) => return Cleaned::Doubtful(doubt),
        };
        if self.of == DateOf::Birth {
            moment.time = None;
        }
        if self.is_far(moment.date) {
            return Cleaned::Doubtful(Doubt::FarOffDate);
        }
        let start = out.len();
        moment.write(out);
        if out[start..] == *text { Cleaned::AsItIs } else { Cleaned::Repaired(Rules::one(rule)) }
    }
}

/// What a date is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum DateOf {
    /// A birth: a day without a time, in the past.
    Birth,
    /// Something that was done: in the past.
    Past,
    /// Anything.
    Any,
}
