//! Who was written, by address.

use super::Receipt;
use super::people::{Fate, Person};
use pebblebank_core::run::write::written_people;
use pebblebank_table::csv::without_defusing;
use pebblebank_table::{Error, Result, cell};
use pebblebank_values::identity::stable_digest;
use std::fs::File;
use std::io::{BufRead, BufReader};

/// How many close addresses are offered.
const CLOSEST: usize = 3;

/// How many contacts were written that have no address, so that the index does not know them.
pub fn without_address(receipt: &Receipt, threads: usize) -> Result<u64> {
    let written = receipt.tally["all"]["written"].as_u64().unwrap_or_default();
    let each = |person: Person, found: &mut WrittenRows| {
        if person.fate == Fate::Written {
            found.add(person.row);
        }
    };
    let mut known = WrittenRows::default();
    receipt.scan(threads, &each)?.iter().for_each(|part| known.append(part));
    Ok(written.saturating_sub(known.count))
}

/// Rows, each of which has records that stand together; but they may be split between two threads.
#[derive(Default)]
struct WrittenRows {
    count: u64,
    first: Option<u32>,
    last: Option<u32>,
}

impl WrittenRows {
    fn add(&mut self, row: u32) {
        if self.last != Some(row) {
            self.count += 1;
            self.first.get_or_insert(row);
            self.last = Some(row);
        }
    }

    fn append(&mut self, next: &WrittenRows) {
        let is_split = next.first.is_some() && self.last == next.first;
        self.count += next.count - u64::from(is_split);
        self.first = self.first.or(next.first);
        self.last = next.last.or(self.last);
    }
}

/// Hands the address of everybody who was written to `each`, in reading order and line by line. Says whether the receipt has a
/// list of them.
pub(crate) fn each_address(receipt: &Receipt, each: &mut dyn FnMut(&[u8])) -> Result<bool> {
    let path = receipt.path("written.csv");
    let unreadable = |cause: std::io::Error| Error::unreadable(&path, &cause);
    let file = match File::open(&path) {
        Err(cause) if cause.kind() == std::io::ErrorKind::NotFound => return Ok(false),
        other => other.map_err(unreadable)?,
    };
    let mut lines = BufReader::with_capacity(256 << 10, file);
    let (mut line, mut is_header) = (Vec::new(), true);
    loop {
        line.clear();
        // An address has no line end in it, so that a line is a record.
        if lines.read_until(b'\n', &mut line).map_err(unreadable)? == 0 {
            return Ok(!is_header);
        }
        let raw = line.strip_suffix(b"\n").unwrap_or(&line);
        let raw = raw.strip_suffix(b"\r").unwrap_or(raw);
        if !is_header {
            each(&without_defusing(cell::value(raw)));
        } else if raw.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(raw) != written_people::HEADER.as_bytes() {
            return Ok(false);
        }
        is_header = false;
    }
}

/// The addresses that were written and are closest to one that is in no row.
pub(crate) fn closest(receipt: &Receipt, address: &str) -> Result<Vec<String>> {
    let limit = 1 + address.len() / 8;
    let mut found: Vec<(usize, String)> = Vec::new();
    each_address(receipt, &mut |other| {
        // Most addresses are told apart by their length.
        if other.len().abs_diff(address.len()) > limit {
            return;
        }
        let other = String::from_utf8_lossy(other);
        let distance = strsim::osa_distance(&other, address);
        if distance <= limit {
            found.push((distance, other.into_owned()));
            found.sort();
            found.truncate(CLOSEST);
        }
    })?;
    Ok(found.into_iter().map(|(_, address)| address).collect())
}

/// The digests of these addresses, in reading order; none if the receipt has no list of them.
pub(crate) fn digests(receipt: &Receipt) -> Result<Option<Vec<[u8; 12]>>> {
    let mut found = Vec::new();
    let is_there = each_address(receipt, &mut |address| found.push(stable_digest(address)))?;
    Ok(is_there.then_some(found))
}
