//! Part of a file, by the rows that a spreadsheet shows: `--rows 200-450`.

use pebblebank_table::units::RowNumber;
use pebblebank_table::{Error, ErrorKind, Result};
use std::fmt;

/// What to say about a row that a range leaves out.
pub const OUTSIDE: &str = "outside of the rows that are wanted";

/// Rows of a file, numbered from 1 with the header and all other lines included. Both ends belong to it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RowRange {
    first: u64,
    last: Option<u64>,
}

impl RowRange {
    /// Reads `200-450`, `200-` (to the end), `-450` (from the beginning) or `200` (one row).
    ///
    /// # Errors
    ///
    /// Where it is none of these, a number is 0, or the end comes before the beginning.
    pub fn parse(text: &str) -> Result<RowRange> {
        let wrong = |what: String| {
            Error::new(ErrorKind::Job, what, "write the rows as the spreadsheet numbers them: 200-450, 200- or 200")
        };
        let number = |part: &str| {
            let digits = part.trim().replace(',', "");
            let is_number = digits.bytes().all(|byte| byte.is_ascii_digit());
            match digits.parse::<u64>() {
                Ok(0) => Err(wrong(format!("rows \"{text}\" begin at 0, and the first row of a file is 1"))),
                Ok(number) if is_number => Ok(number),
                _ => Err(wrong(format!("\"{text}\" is not a range of rows"))),
            }
        };
        let (first, last) = match text.trim().split_once(['-', '–']) {
            None => (number(text)?, Some(number(text)?)),
            Some(("", last)) => (1, Some(number(last)?)),
            Some((first, "")) => (number(first)?, None),
            Some((first, last)) => (number(first)?, Some(number(last)?)),
        };
        match last {
            Some(last) if last < first => Err(wrong(format!("the rows {text} end before they begin"))),
            _ => Ok(RowRange { first, last }),
        }
    }

    /// Whether a row belongs to it.
    #[must_use]
    pub fn holds(self, row: RowNumber) -> bool {
        row.0 >= self.first && self.last.is_none_or(|last| row.0 <= last)
    }

    /// Whether a file with this number of rows ends before it begins.
    #[must_use]
    pub fn is_beyond(self, rows: u64) -> bool {
        self.first > rows
    }
}

impl fmt::Display for RowRange {
    fn fmt(&self, out: &mut fmt::Formatter) -> fmt::Result {
        match self.last {
            Some(last) if last == self.first => write!(out, "row {last}"),
            Some(last) => write!(out, "rows {}-{last}", self.first),
            None => write!(out, "rows {}-", self.first),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::both_ends_belong_to_it("200-450", &[200, 450], &[199, 451])]
    #[case::to_the_end("200-", &[200, 9_000_000], &[199])]
    #[case::from_the_beginning("-450", &[1, 450], &[451])]
    #[case::one_row("7", &[7], &[6, 8])]
    #[case::with_the_separators_of_a_spreadsheet("1,200 - 1,450", &[1200, 1450], &[1199, 1451])]
    fn a_range_holds_the_rows_that_it_names(#[case] text: &str, #[case] inside: &[u64], #[case] outside: &[u64]) {
        let range = RowRange::parse(text).unwrap();
        assert!(inside.iter().all(|row| range.holds(RowNumber(*row))));
        assert!(!outside.iter().any(|row| range.holds(RowNumber(*row))));
    }

    #[rstest]
    #[case("0-5")]
    #[case("9-3")]
    #[case("a-b")]
    #[case("")]
    #[case("-")]
    #[case("1-2-3")]
    #[case("+1")]
    #[case("99999999999999999999")]
    fn what_is_no_range_is_refused_with_an_example(#[case] text: &str) {
        let error = RowRange::parse(text).unwrap_err();
        assert!(error.advice().contains("200-450"), "{error:?}");
    }
}
