//! The stored value of a cell → the text that a person would see in it.

use calamine::{Data, DataRef, ExcelDateTime, Style};
use std::io::Write;

/// The largest magnitude up to which a spreadsheet keeps all digits of a whole number: 15 of them (IEEE 754, and
/// what the programs show).
const FIFTEEN_DIGITS: f64 = 1e15;

/// What a cell holds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Value<'a> {
    /// Nothing.
    Nothing,
    /// Text, or a date that is stored as text (ISO 8601).
    Text(&'a str),
    /// A number; with `digits`, its format shows so many, with zeros before. `cut` where it had more than are kept.
    Number { number: f64, digits: usize, cut: bool },
    /// A date, a time, or both.
    Date(ExcelDateTime),
    /// Yes or no.
    Bool(bool),
    /// An error such as `#N/A`.
    Error,
}

impl<'a> Value<'a> {
    /// The value; `digits` are those that the cell's number format shows at least.
    pub(super) fn new(data: &'a DataRef<'_>, digits: usize) -> Value<'a> {
        match data {
            DataRef::Empty => Value::Nothing,
            DataRef::String(text) | DataRef::DateTimeIso(text) | DataRef::DurationIso(text) => Value::text(text),
            DataRef::SharedString(text) => Value::text(text),
            DataRef::Int(int) => Value::number(*int as f64, digits),
            DataRef::Float(float) => Value::number(*float, digits),
            DataRef::Bool(bool) => Value::Bool(*bool),
            DataRef::DateTime(serial) => Value::Date(*serial),
            DataRef::Error(_) => Value::Error,
        }
    }

    /// The same, from formats of which no number format is known.
    pub(super) fn of_data(data: &'a Data) -> Value<'a> {
        match data {
            Data::Empty => Value::Nothing,
            Data::String(text) | Data::DateTimeIso(text) | Data::DurationIso(text) => Value::text(text),
            Data::Int(int) => Value::number(*int as f64, 0),
            Data::Float(float) => Value::number(*float, 0),
            Data::Bool(bool) => Value::Bool(*bool),
            Data::DateTime(serial) => Value::Date(*serial),
            Data::Error(_) => Value::Error,
        }
    }

    fn number(number: f64, digits: usize) -> Value<'a> {
        Value::Number { number, digits, cut: number.abs() >= FIFTEEN_DIGITS && number.fract() == 0.0 }
    }

    fn text(text: &'a str) -> Value<'a> {
        if text.is_empty() { Value::Nothing } else { Value::Text(text) }
    }

    /// Adds the text.
    pub(super) fn write(&self, out: &mut Vec<u8>) {
        match self {
            Value::Nothing | Value::Error => {}
            Value::Text(text) => out.extend_from_slice(text.as_bytes()),
            Value::Bool(bool) => out.extend_from_slice(if *bool { b"TRUE" } else { b"FALSE" }),
            Value::Number { number, digits, .. } => write_number(*number, *digits, out),
            Value::Date(date) => write_date(date, out),
        }
    }
}

/// Whole numbers without point and exponent; others with the 15 significant digits that are shown.
fn write_number(number: f64, digits: usize, out: &mut Vec<u8>) {
    let is_whole = number.fract() == 0.0;
    let written = if is_whole && number.abs() < FIFTEEN_DIGITS {
        write!(out, "{:0digits$}", number as i64)
    } else if is_whole || !number.is_finite() {
        write!(out, "{number}")
    } else {
        let rounded: f64 = format!("{number:.14e}").parse().unwrap_or(number);
        write!(out, "{rounded}")
    };
    written.expect("memory takes all that is written");
}

/// ISO 8601: the date, the time, or both with a blank between, as far as they are there.
fn write_date(date: &ExcelDateTime, out: &mut Vec<u8>) {
    /// The first day that a serial number cannot mean: 10000-01-01.
    const END_OF_DATES: f64 = 2_958_466.0;
    let serial = date.as_f64();
    if !(0.0..END_OF_DATES).contains(&serial) {
        return write_number(serial, 0, out);
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

/// How many digits a number format of nothing but zeros shows, as it is used for postal codes and member numbers; 0 for
/// other formats.
pub(super) fn digits_of_code(style: &Style) -> usize {
    const MOST: usize = 20;
    let Some(format) = &style.number_format else { return 0 };
    let code = format.format_code.split(';').next().unwrap_or_default();
    let is_code = code.len() > 1 && code.len() <= MOST && code.bytes().all(|byte| byte == b'0');
    if is_code { code.len() } else { 0 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use calamine::ExcelDateTimeType;
    use rstest::rstest;

    fn shown(value: Value) -> String {
        let mut out = Vec::new();
        value.write(&mut out);
        String::from_utf8(out).expect("text")
    }

    #[rstest]
    #[case::phone(441_632_960_123.0, 0, "441632960123")]
    #[case::member_number(7.0, 0, "7")]
    #[case::postal_code_with_a_format_of_zeros(1_234.0, 5, "01234")]
    #[case::money(12.5, 0, "12.5")]
    #[case::what_binary_fractions_leave_is_rounded_as_programs_show_it(0.1 + 0.2, 0, "0.3")]
    #[case::no_exponent_however_large(4.415_551_234_567_89e17, 0, "441555123456789000")]
    #[case::nor_however_small(0.000_000_12, 0, "0.00000012")]
    #[case::negative(-3.0, 0, "-3")]
    fn numbers_come_without_point_zero_and_without_exponent(
        #[case] number: f64,
        #[case] digits: usize,
        #[case] text: &str,
    ) {
        assert_eq!(shown(Value::Number { number, digits, cut: false }), text);
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
