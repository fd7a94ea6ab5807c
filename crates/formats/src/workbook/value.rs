//! The stored value of a cell → the text that a person would see in it.

use super::number_format::{NumberFormat, rounded};
use calamine::{Data, DataRef, ExcelDateTime};
use std::io::Write;

/// The largest magnitude up to which a spreadsheet keeps all digits of a whole number: 15 of them (IEEE 754, and
/// what the programs show).
const FIFTEEN_DIGITS: f64 = 1e15;

/// What a cell holds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Value<'a> {
    /// Nothing.
    Nothing,
    /// Text.
    Text(&'a str),
    /// A day or a moment that is stored as text (ISO 8601).
    Moment(&'a str),
    /// A time that is stored as text, such as `PT10H15M00S`.
    Duration(&'a str),
    /// A number and how it is shown. `cut` where it had more digits than are kept.
    Number { number: f64, format: &'a NumberFormat, cut: bool },
    /// A date, a time, or both.
    Date(ExcelDateTime),
    /// Yes or no.
    Bool(bool),
    /// An error such as `#N/A`.
    Error,
}

impl<'a> Value<'a> {
    /// The value, in a cell with that number format.
    pub(super) fn new(data: &'a DataRef<'_>, format: &'a NumberFormat) -> Value<'a> {
        match data {
            DataRef::Empty => Value::Nothing,
            DataRef::String(text) => Value::text(text),
            DataRef::SharedString(text) => Value::text(text),
            DataRef::DateTimeIso(text) => Value::Moment(text),
            DataRef::DurationIso(text) => Value::Duration(text),
            DataRef::Int(int) => Value::number(*int as f64, format),
            DataRef::Float(float) => Value::number(*float, format),
            DataRef::Bool(bool) => Value::Bool(*bool),
            DataRef::DateTime(serial) => Value::Date(*serial),
            DataRef::Error(_) => Value::Error,
        }
    }

    /// The same, of a sheet that was read as a whole.
    pub(super) fn of_data(data: &'a Data, format: &'a NumberFormat) -> Value<'a> {
        match data {
            Data::Empty => Value::Nothing,
            Data::String(text) => Value::text(text),
            Data::DateTimeIso(text) => Value::Moment(text),
            Data::DurationIso(text) => Value::Duration(text),
            Data::Int(int) => Value::number(*int as f64, format),
            Data::Float(float) => Value::number(*float, format),
            Data::Bool(bool) => Value::Bool(*bool),
            Data::DateTime(serial) => Value::Date(*serial),
            Data::Error(_) => Value::Error,
        }
    }

    /// A number that is shown so.
    pub(super) fn number(number: f64, format: &'a NumberFormat) -> Value<'a> {
        Value::Number { number, format, cut: number.abs() >= FIFTEEN_DIGITS && number.fract() == 0.0 }
    }

    /// A text, or nothing.
    pub(super) fn text(text: &'a str) -> Value<'a> {
        if text.is_empty() { Value::Nothing } else { Value::Text(text) }
    }

    /// Adds the text.
    pub(super) fn write(&self, out: &mut Vec<u8>) {
        match self {
            Value::Nothing | Value::Error => {}
            Value::Text(text) => out.extend_from_slice(text.as_bytes()),
            Value::Bool(bool) => out.extend_from_slice(if *bool { b"TRUE" } else { b"FALSE" }),
            Value::Number { number, format, .. } => match format.show(*number) {
                Some(text) => out.extend_from_slice(text.as_bytes()),
                None => write_number(*number, out),
            },
            Value::Date(date) => write_date(date, out),
            Value::Moment(text) => out.extend_from_slice(moment(text).as_bytes()),
            Value::Duration(text) => out.extend_from_slice(duration(text).as_bytes()),
        }
    }
}

/// `2026-03-05`, with a blank and the time where there is one.
fn moment(stored: &str) -> String {
    match stored.split_once('T') {
        Some((day, time)) => match time.split('.').next().unwrap_or_default().trim_end_matches('Z') {
            "00:00:00" | "" => day.to_owned(),
            time => format!("{day} {time}"),
        },
        None => stored.to_owned(),
    }
}

/// `10:15:00` of `PT10H15M00S`.
fn duration(stored: &str) -> String {
    let mut parts = [0u64; 3];
    let Some(rest) = stored.strip_prefix("PT") else { return stored.to_owned() };
    let mut number = String::new();
    for sign in rest.chars() {
        let place = match sign {
            'H' => 0,
            'M' => 1,
            'S' => 2,
            _ => {
                number.push(sign);
                continue;
            }
        };
        let Ok(value) = std::mem::take(&mut number).split(['.', ',']).next().unwrap_or_default().parse() else {
            return stored.to_owned();
        };
        parts[place] = value;
    }
    format!("{:02}:{:02}:{:02}", parts[0], parts[1], parts[2])
}

/// Whole numbers without point and exponent; others with the 15 significant digits that are shown.
fn write_number(number: f64, out: &mut Vec<u8>) {
    let is_whole = number.fract() == 0.0;
    let written = if is_whole && number.abs() < FIFTEEN_DIGITS {
        write!(out, "{}", number as i64)
    } else if is_whole || !number.is_finite() {
        write!(out, "{number}")
    } else {
        write!(out, "{}", rounded(number))
    };
    written.expect("memory takes all that is written");
}

/// ISO 8601: the date, the time, or both with a blank between, as far as they are there.
fn write_date(date: &ExcelDateTime, out: &mut Vec<u8>) {
    /// The first day that a serial number cannot mean: 10000-01-01.
    const END_OF_DATES: f64 = 2_958_466.0;
    let serial = date.as_f64();
    if !(0.0..END_OF_DATES).contains(&serial) {
        return write_number(serial, out);
    }
    let written = if date.is_duration() {
        let seconds = (serial * 86_400.0).round() as i64;
        write!(out, "{}:{:02}:{:02}", seconds / 3_600, seconds / 60 % 60, seconds % 60)
    } else {
        let (year, month, day, hour, minute, second, _) = date.to_ymd_hms_milli();
        let has_date = serial >= 1.0;
        let has_time = (hour, minute, second) != (0, 0, 0);
        match (has_date, has_time) {
            (true, false) => write!(out, "{year:04}-{month:02}-{day:02}"),
            (true, true) => write!(out, "{year:04}-{month:02}-{day:02} {hour:02}:{minute:02}:{second:02}"),
            (false, _) => write!(out, "{hour:02}:{minute:02}:{second:02}"),
        }
    };
    written.expect("memory takes all that is written");
}

#[cfg(test)]
mod tests {
    use super::super::number_format::PLAIN;
    use super::*;
    use calamine::ExcelDateTimeType;
    use rstest::rstest;

    fn shown(value: Value) -> String {
        let mut out = Vec::new();
        value.write(&mut out);
        String::from_utf8(out).expect("text")
    }

    #[rstest]
    #[case::phone(441_632_960_123.0, "441632960123")]
    #[case::member_number(7.0, "7")]
    #[case::money(12.5, "12.5")]
    #[case::what_binary_fractions_leave_is_rounded_as_programs_show_it(0.1 + 0.2, "0.3")]
    #[case::no_exponent_however_large(4.415_551_234_567_89e17, "441555123456789000")]
    #[case::nor_however_small(0.000_000_12, "0.00000012")]
    #[case::negative(-3.0, "-3")]
    fn numbers_come_without_point_zero_and_without_exponent(#[case] number: f64, #[case] text: &str) {
        assert_eq!(shown(Value::number(number, &PLAIN)), text);
    }

    #[rstest]
    #[case::day(Value::Moment("2026-03-05"), "2026-03-05")]
    #[case::day_with_midnight(Value::Moment("2026-03-05T00:00:00"), "2026-03-05")]
    #[case::moment(Value::Moment("2026-03-05T14:30:00.000Z"), "2026-03-05 14:30:00")]
    #[case::time(Value::Duration("PT10H15M00S"), "10:15:00")]
    #[case::hours(Value::Duration("PT36H00M00.5S"), "36:00:00")]
    #[case::something_else(Value::Duration("P1D"), "P1D")]
    fn dates_that_are_stored_as_text_come_as_dates(#[case] value: Value, #[case] text: &str) {
        assert_eq!(shown(value), text);
    }

    #[rstest]
    #[case::date(46_083.0, ExcelDateTimeType::DateTime, "2026-03-02")]
    #[case::date_and_time(46_083.427_083_333_33, ExcelDateTimeType::DateTime, "2026-03-02 10:15:00")]
    #[case::time(0.5, ExcelDateTimeType::DateTime, "12:00:00")]
    #[case::hours(1.5, ExcelDateTimeType::TimeDelta, "36:00:00")]
    #[case::no_date_at_all(-1.0, ExcelDateTimeType::DateTime, "-1")]
    fn dates_come_as_dates(#[case] serial: f64, #[case] kind: ExcelDateTimeType, #[case] text: &str) {
        assert_eq!(shown(Value::Date(ExcelDateTime::new(serial, kind, false))), text);
    }
}
