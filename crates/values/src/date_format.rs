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
