//! Days of the calendar and times of the day: what `date` reads and `date_format` writes. The calendar itself is jiff's;
//! days are never shifted between time zones.

use jiff::{SignedDuration, civil};
use std::fmt::Write;

/// The day with the number 0, from which the days in banks and temporary files are counted.
const FIRST_DAY: civil::Date = civil::date(0, 3, 1);

/// A day of the Gregorian calendar.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Date {
    /// The year.
    pub year: i16,
    /// From 1 to 12.
    pub month: u8,
    /// From 1 to 31.
    pub day: u8,
}

impl Date {
    /// The day, where a calendar has it.
    #[inline]
    pub fn new(year: i16, month: u8, day: u8) -> Option<Date> {
        // Of a day that the calendar lacks jiff would make an error, which costs more than the question.
        if !(1..=12).contains(&month) || day > 31 {
            return None;
        }
        let month_begins = civil::Date::new(year, month.cast_signed(), 1).ok()?;
        let days = month_begins.days_in_month().unsigned_abs();
        (1..=days).contains(&day).then_some(Date { year, month, day })
    }

    /// The day that ISO 8601 writes so: 2026-03-05.
    pub fn from_iso(text: &str) -> Option<Date> {
        iso_date(text.as_bytes())
    }

    /// Days since 1 March of the year 0.
    pub fn day_number(self) -> i32 {
        let date = civil::Date::new(self.year, self.month.cast_signed(), self.day.cast_signed())
            .expect("a day that the calendar has");
        (date.duration_since(FIRST_DAY).as_hours() / 24) as i32
    }

    /// The day of a day number.
    pub fn from_day_number(days: i32) -> Date {
        let date = FIRST_DAY.saturating_add(SignedDuration::from_hours(i64::from(days) * 24));
        Date { year: date.year(), month: date.month().unsigned_abs(), day: date.day().unsigned_abs() }
    }
}

/// A day, and the time of day where one is given.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Moment {
    /// The day.
    pub date: Date,
    /// The time; midnight counts as none, since spreadsheets add it to every day.
    pub time: Option<Time>,
}

/// A time of day.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Time {
    /// Seconds since midnight.
    pub seconds: u32,
    /// Minutes ahead of UTC, where that is given.
    pub offset: Option<i16>,
}

impl Moment {
    /// Adds it as ISO 8601 writes it.
    pub fn write(self, out: &mut String) {
        let Date { year, month, day } = self.date;
        let mut two = |number: u8| {
            out.push(char::from(b'0' + number / 10 % 10));
            out.push(char::from(b'0' + number % 10));
        };
        let (hundreds, years) = (year.unsigned_abs() / 100, year.unsigned_abs() % 100);
        two(hundreds as u8);
        two(years as u8);
        for part in [month, day] {
            out.push('-');
            out.push(char::from(b'0' + part / 10));
            out.push(char::from(b'0' + part % 10));
        }
        let Some(Time { seconds, offset }) = self.time else { return };
        let _ = write!(out, "T{:02}:{:02}:{:02}", seconds / 3600, seconds / 60 % 60, seconds % 60);
        match offset {
            None => {}
            Some(0) => out.push('Z'),
            Some(minutes) => {
                let sign = if minutes < 0 { '-' } else { '+' };
                let _ = write!(out, "{sign}{:02}:{:02}", minutes.abs() / 60, minutes.abs() % 60);
            }
        }
    }
}

/// Whether the day or the month comes first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum DateOrder {
    /// 31.12.2025
    DayFirst,
    /// 12/31/2025
    MonthFirst,
}

impl DateOrder {
    /// The order of that name: `dmy` or `mdy`.
    pub fn from_name(name: &str) -> Option<DateOrder> {
        match name {
            "dmy" => Some(DateOrder::DayFirst),
            "mdy" => Some(DateOrder::MonthFirst),
            _ => None,
        }
    }

    /// The order in which a country writes its dates.
    pub fn of_country(country: &str) -> DateOrder {
        const MONTH_FIRST: [&str; 6] = ["US", "PH", "PR", "GU", "FM", "MH"];
        if MONTH_FIRST.contains(&country) { DateOrder::MonthFirst } else { DateOrder::DayFirst }
    }
}

pub(crate) fn two(bytes: &[u8]) -> Option<u8> {
    match bytes {
        [a, b] if a.is_ascii_digit() && b.is_ascii_digit() => Some((a - b'0') * 10 + b - b'0'),
        _ => None,
    }
}

/// `2026-03-05`
pub(crate) fn iso_date(bytes: &[u8]) -> Option<Date> {
    let [y1, y2, y3, y4, b'-', m1, m2, b'-', d1, d2] = *bytes else { return None };
    let year = i16::from(two(&[y1, y2])?) * 100 + i16::from(two(&[y3, y4])?);
    Date::new(year, two(&[m1, m2])?, two(&[d1, d2])?)
}

/// `2026-W10-4` and `2026-064`: the day of a week or of a year (ISO 8601).
pub(crate) fn week_or_day_of_year(text: &str) -> Option<Date> {
    const DAYS_OF_A_WEEK: i32 = 7;
    let (year, rest) = text.split_once('-')?;
    let is_year = year.len() == 4 && year.bytes().all(|byte| byte.is_ascii_digit());
    let year: i16 = Some(year).filter(|_| is_year)?.parse().ok()?;
    let first = Date::new(year, 1, 1)?.day_number();
    if let Some((week, day)) = rest.strip_prefix(['W', 'w']).and_then(|rest| rest.split_once('-')) {
        let week: i32 =
            Some(week).filter(|week| week.len() == 2)?.parse().ok().filter(|week| (1..=53).contains(week))?;
        let day: i32 = day.parse().ok().filter(|day| (1..=DAYS_OF_A_WEEK).contains(day))?;
        // The first week is that of 4 January; 1 January 1970, day 0, was a Thursday.
        let epoch = Date { year: 1970, month: 1, day: 1 }.day_number();
        let of_fourth = (first + 3 - epoch + 3).rem_euclid(DAYS_OF_A_WEEK);
        return Some(Date::from_day_number(first + 3 - of_fourth + (week - 1) * DAYS_OF_A_WEEK + day - 1));
    }
    let is_day = rest.len() == 3 && rest.bytes().all(|byte| byte.is_ascii_digit());
    let day: i32 = Some(rest).filter(|_| is_day)?.parse().ok()?;
    let date = Date::from_day_number(first + day - 1);
    (day > 0 && date.year == year).then_some(date)
}
