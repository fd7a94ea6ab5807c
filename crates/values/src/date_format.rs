//! The form in which a layout writes dates, such as dd.mm.yyyy.

use crate::date::Date;

/// How a layout writes a day: `yyyy`, `yy`, `mm`, `m`, `dd`, `d` with signs between.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DateFormat(String);

impl DateFormat {
    /// Reads a format; none where it holds other letters, or neither day, month nor year.
    ///
    /// ```
    /// use pebblebank_values::date::Date;
    /// use pebblebank_values::date_format::DateFormat;
    /// let day = Date::from_iso("2026-03-05").unwrap();
    /// assert_eq!(DateFormat::new("d.m.yy").unwrap().of(day), "5.3.26");
    /// ```
    pub fn new(text: &str) -> Option<DateFormat> {
        let runs = runs(text);
        let is_known = |run: &&str| {
            !run.starts_with(|c: char| c.is_alphanumeric()) || matches!(*run, "yyyy" | "yy" | "mm" | "m" | "dd" | "d")
        };
        let has_letter = runs.iter().any(|run| run.starts_with(['y', 'm', 'd']));
        (has_letter && runs.iter().all(|run| is_known(&run.as_str()))).then(|| DateFormat(text.to_owned()))
    }

    /// The format as it is said.
    pub fn text(&self) -> &str {
        &self.0
    }

    /// Whether a text is a day of the calendar, written in this format.
    ///
    /// ```
    /// use pebblebank_values::date_format::DateFormat;
    /// let format = DateFormat::new("d.m.yy").unwrap();
    /// assert!(format.is_form_of("5.3.26"));
    /// assert!(!format.is_form_of("05.03.26") && !format.is_form_of("31.2.26"));
    /// ```
    pub fn is_form_of(&self, text: &str) -> bool {
        let (mut year, mut month, mut day) = (2000, 1, 1);
        let mut rest = text;
        for run in runs(&self.0) {
            let is_short = matches!(run.as_str(), "m" | "d");
            let digits = if is_short && rest.as_bytes().get(1).is_some_and(u8::is_ascii_digit) { 2 } else { run.len() };
            let Some((number, after)) = rest.split_at_checked(digits) else { return false };
            rest = after;
            if !run.starts_with(['y', 'm', 'd']) {
                if number != run {
                    return false;
                }
                continue;
            }
            let is_number = number.bytes().all(|byte| byte.is_ascii_digit()) && !(is_short && number.starts_with('0'));
            let (true, Ok(number)) = (is_number, number.parse::<i16>()) else { return false };
            match run.as_str() {
                "yyyy" => year = number,
                "yy" => year = 2000 + number,
                "mm" | "m" => month = number,
                _ => day = number,
            }
        }
        let date = u8::try_from(month).ok().zip(u8::try_from(day).ok());
        rest.is_empty() && date.is_some_and(|(month, day)| Date::new(year, month, day).is_some())
    }

    /// The day in this format.
    pub fn of(&self, date: Date) -> String {
        let Date { year, month, day } = date;
        runs(&self.0)
            .into_iter()
            .map(|run| match run.as_str() {
                "yyyy" => format!("{year:04}"),
                "yy" => format!("{:02}", year % 100),
                "mm" => format!("{month:02}"),
                "m" => month.to_string(),
                "dd" => format!("{day:02}"),
                "d" => day.to_string(),
                _ => run,
            })
            .collect()
    }
}

/// A text as runs of the same character.
pub(crate) fn runs(text: &str) -> Vec<String> {
    let mut runs: Vec<String> = Vec::new();
    for c in text.chars() {
        match runs.last_mut() {
            Some(run) if run.starts_with(c) => run.push(c),
            _ => runs.push(c.to_string()),
        }
    }
    runs
}
