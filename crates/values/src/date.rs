//! Dates in many written forms → ISO 8601. The order of day and month is decided by the whole column, never by one
//! value; days are never shifted between time zones.

use crate::calendar::{iso_date, two, week_or_day_of_year};
use crate::fold::fold;

pub use crate::calendar::{Date, DateOrder, Moment, Time};
use std::collections::{HashMap, HashSet};
use std::sync::LazyLock;

/// What a text says as a date.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reading {
    /// It can be read in one way only.
    Sure(Moment),
    /// A spreadsheet's day number.
    SpreadsheetDate(Moment),
    /// Only the day can come first: a number is above 12.
    OnlyDayFirst(Moment),
    /// Only the month can come first.
    OnlyMonthFirst(Moment),
    /// It can be read in both orders: with the day first, with the month first.
    Either(Moment, Moment),
    /// It is written like a date, but no calendar has the day.
    Impossible,
    /// It is none.
    Unreadable,
}

/// Words of dates.
struct DateWords {
    months: HashMap<String, u8>,
    beside: HashSet<String>,
}

static WORDS: LazyLock<DateWords> = LazyLock::new(|| {
    let mut words = DateWords { months: HashMap::new(), beside: HashSet::new() };
    for (name, list) in include_str!("data/date_words.txt").lines().filter_map(|line| line.split_once(": ")) {
        let list = list.split('|').map(fold);
        match name.parse() {
            Ok(month) => words.months.extend(list.map(|word| (word, month))),
            Err(_) => words.beside.extend(list),
        }
    }
    words
});

/// A number of a text, with its digits.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Number {
    value: u32,
    digits: u8,
}

/// What a date is read from.
#[derive(Default)]
struct Tokens {
    numbers: [Option<Number>; 3],
    count: usize,
    month: Option<u8>,
    time: Option<Time>,
}

/// Reads a text as a date. `latest_year` is the year that numbers of two digits are brought near to: they lie in the
/// hundred years up to it.
pub fn read(text: &str, latest_year: i16) -> Reading {
    let bytes = text.as_bytes();
    if let Some(date) = iso_date(bytes) {
        return Reading::Sure(Moment { date, time: None });
    }
    if let Some(reading) = three_numbers(bytes) {
        return reading;
    }
    if let Some(reading) = compact(text) {
        return reading;
    }
    if let Some(date) = week_or_day_of_year(text) {
        return Reading::Sure(Moment { date, time: None });
    }
    if bytes.iter().all(|byte| byte.is_ascii_digit() || *byte == b'.') && memchr::memchr_iter(b'.', bytes).count() < 2 {
        return read_digits(text);
    }
    match tokens(text) {
        Some(tokens) => tokens.reading(latest_year),
        None => Reading::Unreadable,
    }
}

/// The quick way for `5.3.2026`, `05/03/2026` and `3-5-2026`: two numbers of one or two digits and a year of four.
#[inline]
fn three_numbers(bytes: &[u8]) -> Option<Reading> {
    let length = bytes.len();
    if !(8..=10).contains(&length) {
        return None;
    }
    let year = i16::from(two(&bytes[length - 4..length - 2])?) * 100 + i16::from(two(&bytes[length - 2..])?);
    let sign = bytes[length - 5];
    if !matches!(sign, b'.' | b'/' | b'-') {
        return None;
    }
    let head = &bytes[..length - 5];
    let short = |bytes: &[u8]| match bytes {
        [a] if a.is_ascii_digit() => Some(a - b'0'),
        bytes => two(bytes),
    };
    let at = head.iter().position(|byte| *byte == sign)?;
    Some(by_order(year, short(&head[..at])?, short(&head[at + 1..])?, None))
}

/// The basic form of ISO 8601 with a time: `20260305T143000Z`, `20260305 1430+01`, `202603051430`.
fn compact(text: &str) -> Option<Reading> {
    let bytes = text.as_bytes();
    let digits = bytes.iter().take_while(|byte| byte.is_ascii_digit()).count();
    let (day, time) = match (digits, bytes.get(digits)) {
        (8, Some(b'T' | b't' | b' ' | b'_')) => (&text[..8], text[9..].trim_start()),
        (12, None) => (&text[..8], &text[8..]),
        _ => return None,
    };
    let Reading::Sure(Moment { date, .. }) = read_digits(day) else { return None };
    let of_time = time.bytes().take_while(u8::is_ascii_digit).count();
    let mut tokens = Tokens::default();
    let spread = match of_time {
        4 => format!("{}:{}{}", &time[..2], &time[2..4], &time[4..]),
        6 => format!("{}:{}:{}{}", &time[..2], &time[2..4], &time[4..6], &time[6..]),
        _ => time.to_owned(),
    };
    let rest = tokens.take_time(&spread)?;
    let time = tokens.time.filter(|time| time.seconds > 0);
    rest.trim().is_empty().then_some(Reading::Sure(Moment { date, time }))
}

/// What two numbers before a year say.
fn by_order(year: i16, a: u8, b: u8, time: Option<Time>) -> Reading {
    let moment = |date| Moment { date, time };
    match (Date::new(year, b, a), Date::new(year, a, b)) {
        (Some(day_first), Some(month_first)) if day_first == month_first => Reading::Sure(moment(day_first)),
        (Some(day_first), Some(month_first)) => Reading::Either(moment(day_first), moment(month_first)),
        (Some(date), None) if a > 12 => Reading::OnlyDayFirst(moment(date)),
        (None, Some(date)) if b > 12 => Reading::OnlyMonthFirst(moment(date)),
        // 30/02: both numbers could be the month, but only one of the days is there.
        (Some(_) | None, None) | (None, Some(_)) => Reading::Impossible,
    }
}

/// From which day a spreadsheet counts days.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum DateSystem {
    /// 31 December 1899 is day 0; day 60 is the 29 February 1900 that there was not.
    #[default]
    From1900,
    /// 1 January 1904 is day 0, as older programs for the Mac count.
    From1904,
}

impl DateSystem {
    /// The day that was read as one counted from 1900.
    pub(crate) fn of(self, counted_from_1900: Moment) -> Moment {
        /// From 30 December 1899 to 1 January 1904.
        const DAYS_BETWEEN: i32 = 1_462;
        let date = match self {
            DateSystem::From1900 => counted_from_1900.date,
            DateSystem::From1904 => Date::from_day_number(counted_from_1900.date.day_number() + DAYS_BETWEEN),
        };
        Moment { date, ..counted_from_1900 }
    }
}

/// The day of a spreadsheet's day number, counted from 1900.
pub(crate) fn spreadsheet_day(number: i32) -> Date {
    // Day 1 is 1 January 1900, and the 29 February of that year, which there was not, is counted.
    let base = Date { year: 1899, month: 12, day: 30 };
    Date::from_day_number(base.day_number() + number)
}

/// `20260305`, `46086`, `46086.5`, seconds since 1970.
fn read_digits(text: &str) -> Reading {
    let (whole, fraction) = text.split_once('.').unwrap_or((text, ""));
    let Ok(number) = whole.parse::<u64>() else { return Reading::Unreadable };
    let moment = |date, seconds| Moment { date, time: (seconds > 0).then_some(Time { seconds, offset: None }) };
    match (whole.len(), fraction.is_empty()) {
        (8, true) => {
            let (year, month, day) = ((number / 10_000) as i16, (number / 100 % 100) as u8, (number % 100) as u8);
            match Date::new(year, month, day) {
                Some(date) if (1800..2200).contains(&year) => Reading::Sure(moment(date, 0)),
                _ => Reading::Unreadable,
            }
        }
        (14, true) => {
            let (date, time) = (number / 1_000_000, number % 1_000_000);
            let day = Date::new((date / 10_000) as i16, (date / 100 % 100) as u8, (date % 100) as u8);
            let seconds = time / 10_000 * 3600 + time / 100 % 100 * 60 + time % 100;
            match day {
                Some(day) if (1800..2200).contains(&day.year) && seconds < 86_400 => {
                    Reading::Sure(moment(day, seconds as u32))
                }
                _ => Reading::Unreadable,
            }
        }
        (5, _) if (10_000..80_000).contains(&number) => {
            // Six digits are finer than a second.
            let digits: String = fraction.chars().chain("000000".chars()).take(6).collect();
            let millionths: u64 = digits.parse().unwrap_or_default();
            let seconds = ((millionths * 86_400 + 500_000) / 1_000_000) as u32;
            Reading::SpreadsheetDate(moment(spreadsheet_day(number as i32), seconds.min(86_399)))
        }
        (10 | 13, true) => {
            let seconds = if whole.len() == 13 { number / 1000 } else { number };
            let epoch = Date { year: 1970, month: 1, day: 1 };
            let date = Date::from_day_number(epoch.day_number() + (seconds / 86_400) as i32);
            let time = Time { seconds: (seconds % 86_400) as u32, offset: Some(0) };
            Reading::Sure(Moment { date, time: Some(time).filter(|time| time.seconds > 0) })
        }
        _ => Reading::Unreadable,
    }
}

fn tokens(text: &str) -> Option<Tokens> {
    let mut tokens = Tokens::default();
    // "Thu Mar 05 2026 14:30:00 GMT+0100 (Central European Standard Time)"
    let mut rest = text.split(['(', '[']).next().unwrap_or_default().trim();
    while let Some(first) = rest.chars().next() {
        if tokens.time.is_some() && is_zone_name(rest) {
            break;
        }
        if first.is_ascii_digit() {
            let end = rest.find(|c: char| !c.is_ascii_digit()).unwrap_or(rest.len());
            let after = &rest[end..];
            let is_time = (after.starts_with(':') && after[1..].starts_with(|c: char| c.is_ascii_digit()))
                || (tokens.count == 3 || tokens.month.is_some() && tokens.count == 2) && tokens.time.is_none();
            if is_time {
                rest = tokens.take_time(rest)?;
                continue;
            }
            if tokens.count == 3 || end > 4 {
                return None;
            }
            let value = rest[..end].parse().ok()?;
            tokens.numbers[tokens.count] = Some(Number { value, digits: end as u8 });
            tokens.count += 1;
            rest = after;
        } else if first.is_alphabetic() {
            let end = rest.find(|c: char| !c.is_alphabetic()).unwrap_or(rest.len());
            tokens.take_word(&rest[..end])?;
            rest = &rest[end..];
        } else if first.is_whitespace()
            || matches!(first, '/' | '.' | '-' | ',' | '–' | '\'' | '’' | 'º' | 'ª' | '°' | ':')
        {
            rest = &rest[first.len_utf8()..];
        } else {
            return None;
        }
    }
    Some(tokens)
}

impl Tokens {
    fn take_word(&mut self, word: &str) -> Option<()> {
        let mut lower = [0u8; 12];
        let folded;
        let key = match lower.get_mut(..word.len()) {
            Some(lower) if word.is_ascii() => {
                lower.copy_from_slice(word.as_bytes());
                lower.make_ascii_lowercase();
                std::str::from_utf8(lower).ok()?
            }
            _ => {
                folded = fold(word);
                folded.as_str()
            }
        };
        if key == "t" && self.count == 3 {
            return Some(());
        }
        let words = &*WORDS;
        if let Some(month) = words.months.get(key)
            && self.month.is_none()
        {
            self.month = Some(*month);
            return Some(());
        }
        if matches!(key, "utc" | "gmt" | "z") && self.time.is_some() {
            if let Some(time) = &mut self.time {
                time.offset.get_or_insert(0);
            }
            return Some(());
        }
        let is_zone = self.time.is_some() && word.len() <= 5 && word.bytes().all(|byte| byte.is_ascii_uppercase());
        (is_zone || words.beside.contains(key) || words.months.contains_key(key)).then_some(())
    }

    /// `14:30`, `14:30:05.123`, `14.30`, `2 pm`, then `Z`, `+01:00`.
    fn take_time<'a>(&mut self, text: &'a str) -> Option<&'a str> {
        if self.time.is_some() {
            return None;
        }
        let mut parts = [0u32; 3];
        let mut rest = text;
        for (place, part) in parts.iter_mut().enumerate() {
            let end = rest.find(|c: char| !c.is_ascii_digit()).unwrap_or(rest.len());
            if end == 0 || end > 2 {
                return None;
            }
            *part = rest[..end].parse().ok()?;
            rest = &rest[end..];
            let goes_on =
                rest.starts_with([':', '.', 'h']) && rest[1..].starts_with(|c: char| c.is_ascii_digit()) && place < 2;
            if !goes_on {
                break;
            }
            rest = &rest[1..];
        }
        if let Some(fraction) = rest.strip_prefix(['.', ',']) {
            rest = fraction.trim_start_matches(|c: char| c.is_ascii_digit());
        }
        let mut hours = parts[0];
        let after = rest.trim_start().trim_start_matches('.');
        if let Some((is_afternoon, length)) = half_of_day(after)
            && (1..=12).contains(&hours)
        {
            hours = hours % 12 + if is_afternoon { 12 } else { 0 };
            rest = &after[length..];
        }
        let seconds = hours * 3600 + parts[1] * 60 + parts[2];
        if hours > 24 || parts[1] > 59 || parts[2] > 60 || seconds > 86_400 {
            return None;
        }
        let (offset, rest) = zone(rest);
        self.time = Some(Time { seconds: seconds.min(86_399), offset });
        Some(rest)
    }

    fn reading(&self, latest_year: i16) -> Reading {
        let time = self.time.filter(|time| time.seconds > 0);
        let moment = |date| Moment { date, time };
        let year = |number: Number| full_year(number, latest_year);
        let sure = |date: Option<Date>| date.map_or(Reading::Impossible, |date| Reading::Sure(moment(date)));
        match (self.month, self.numbers) {
            (Some(month), [Some(a), Some(b), None]) => {
                let is_year = |number: Number| number.digits > 2 || number.value > 31;
                let (day_number, of_year) = if is_year(a) { (b, a) } else { (a, b) };
                match year(of_year) {
                    Some(year) if day_number.digits <= 2 => sure(Date::new(year, month, day_number.value as u8)),
                    _ => Reading::Unreadable,
                }
            }
            (None, [Some(a), Some(b), Some(c)]) if a.digits > 2 || (a.value > 31 && a.digits == 2) => {
                match (year(a), b.digits <= 2 && c.digits <= 2) {
                    (Some(year), true) => sure(Date::new(year, b.value as u8, c.value as u8)),
                    _ => Reading::Unreadable,
                }
            }
            (None, [Some(a), Some(b), Some(c)])
                if a.digits <= 2 && b.digits <= 2 && (c.digits == 4 || c.digits == 2) =>
            {
                let Some(year) = year(c) else { return Reading::Unreadable };
                by_order(year, a.value as u8, b.value as u8, time)
            }
            _ => Reading::Unreadable,
        }
    }
}

/// `am`, `PM`, `p.m.`, `p. m.`: whether it is the afternoon, and how long the word is.
fn half_of_day(text: &str) -> Option<(bool, usize)> {
    let is_afternoon = match text.bytes().next()? {
        b'a' | b'A' => false,
        b'p' | b'P' => true,
        _ => return None,
    };
    let between = text[1..].bytes().take_while(|byte| matches!(byte, b'.' | b' ' | 0xC2 | 0xA0)).count();
    let rest = text.get(1 + between..)?.strip_prefix(['m', 'M'])?;
    let end = text.len() - rest.strip_prefix('.').unwrap_or(rest).len();
    (!rest.starts_with(char::is_alphanumeric)).then_some((is_afternoon, end))
}

/// Whether a text is the name of a time zone: `Europe/Vienna`, `Central European Time`.
fn is_zone_name(text: &str) -> bool {
    let text = text.trim();
    let is_word = |word: &str| !word.is_empty() && word.bytes().all(|byte| byte.is_ascii_alphabetic() || byte == b'_');
    let has_parts = text.contains('/') && text.split('/').all(is_word);
    has_parts || (text.ends_with(" Time") && text.split(' ').all(is_word))
}

fn full_year(number: Number, latest: i16) -> Option<i16> {
    match number.digits {
        4 => i16::try_from(number.value).ok(),
        2 => {
            let year = latest - latest.rem_euclid(100) + number.value as i16;
            Some(if year > latest { year - 100 } else { year })
        }
        _ => None,
    }
}

/// `Z`, `+01:00`, `-0500`, `GMT+0100`
fn zone(rest: &str) -> (Option<i16>, &str) {
    let trimmed = rest.trim_start();
    let named = trimmed.strip_prefix("UTC").or_else(|| trimmed.strip_prefix("GMT")).unwrap_or(trimmed);
    if let Some(after) = trimmed.strip_prefix(['Z', 'z'])
        && !after.starts_with(char::is_alphabetic)
    {
        return (Some(0), after);
    }
    let sign = match named.bytes().next() {
        Some(b'+') => 1,
        Some(b'-') => -1,
        _ => return (None, rest),
    };
    let digits: String = named[1..].chars().take(5).filter(char::is_ascii_digit).collect();
    let has_colon = named.as_bytes().get(3) == Some(&b':');
    let (Some(hours), minutes) = (digits.get(..2).and_then(|text| text.parse::<i16>().ok()), digits.get(2..4)) else {
        return (None, rest);
    };
    let minutes: i16 = minutes.and_then(|text| text.parse().ok()).unwrap_or_default();
    let length = 1 + if digits.len() < 4 { 2 } else { 4 + usize::from(has_colon) };
    if hours > 14 || minutes > 59 {
        return (None, rest);
    }
    (Some(sign * (hours * 60 + minutes)), named.get(length..).unwrap_or_default())
}
