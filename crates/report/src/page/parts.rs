//! What the parts of a page are made of: tables, shares, and what the tally says.

use serde::Serialize;
use serde_json::Value;

/// The document of the receipt with all counts.
pub(super) const TALLY: &str = "tally.json";

/// How many rows a table of the page has before the rest is counted.
pub(super) const MOST_ROWS: usize = 15;

/// A table of the page, and the bars beside its numbers.
#[derive(Debug, Default, Serialize)]
pub(super) struct PageTable {
    head: Vec<&'static str>,
    rows: Vec<PageRow>,
    /// How many rows are not shown.
    more: usize,
    /// The file of the receipt that has all of it.
    file: Option<&'static str>,
}

#[derive(Debug, Serialize)]
pub(super) struct PageRow {
    /// What the row is about.
    name: String,
    /// Its cells, and whether each is a number.
    cells: Vec<(String, bool)>,
    /// The length of its bar, in percent; none for no bar.
    bar: Option<u64>,
}

impl PageTable {
    pub(super) fn of(head: &[&'static str], file: Option<&'static str>) -> PageTable {
        PageTable { head: head.to_vec(), file, ..PageTable::default() }
    }

    pub(super) fn row(&mut self, name: impl Into<String>, cells: Vec<String>, bar: Option<u64>) {
        // What stands for no number is among numbers, too.
        let is_number = |cell: &str| {
            let begins = cell.starts_with(|sign: char| sign.is_ascii_digit() || sign == '<') || cell == "–";
            cell.is_empty() || (begins && !cell.contains(char::is_alphabetic))
        };
        let cells = cells.into_iter().map(|cell| {
            let is_number = is_number(&cell);
            (cell, is_number)
        });
        let cells = cells.collect();
        if self.rows.len() < MOST_ROWS {
            self.rows.push(PageRow { name: name.into(), cells, bar });
        } else {
            self.more += 1;
        }
    }
}

pub(super) fn number(value: &Value, key: &str) -> u64 {
    value[key].as_u64().unwrap_or_default()
}

pub(super) fn list<'a>(value: &'a Value, key: &str) -> &'a [Value] {
    value[key].as_array().map(Vec::as_slice).unwrap_or_default()
}

pub(super) fn text(value: &Value, key: &str) -> String {
    value[key].as_str().unwrap_or_default().to_owned()
}

/// A share as people read it.
pub(super) fn share(part: u64, whole: u64) -> String {
    match (part, percent(part, whole)) {
        (0, _) => "none".to_owned(),
        (_, 0) => "<1 %".to_owned(),
        (_, share) => format!("{share} %"),
    }
}

pub(super) fn percent(part: u64, whole: u64) -> u64 {
    let whole = u128::from(whole.max(1));
    u64::try_from((u128::from(part) * 200 + whole) / (whole * 2)).unwrap_or(u64::MAX)
}
