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
        // Once enough are found, only those count that are as close.
        let most = if found.len() == CLOSEST { found[CLOSEST - 1].0 } else { limit };
        if !may_be_within(most, address.as_bytes(), other) {
            return;
        }
        let other = String::from_utf8_lossy(other);
        let distance = strsim::osa_distance(&other, address);
        if distance <= most {
            found.push((distance, other.into_owned()));
            found.sort();
            found.truncate(CLOSEST);
        }
    })?;
    Ok(found.into_iter().map(|(_, address)| address).collect())
}

/// Whether two texts may differ by no more than `most` letters: a glance that tells most of them apart.
fn may_be_within(most: usize, a: &[u8], b: &[u8]) -> bool {
    const LONGEST_LETTER: usize = 4;
    if a.len().abs_diff(b.len()) > most * LONGEST_LETTER {
        return false;
    }
    // A letter more, less or another changes how often two letters occur by one each; two that swap places change nothing.
    let mut counts = [0_i32; 256];
    for byte in a {
        counts[usize::from(*byte)] += 1;
    }
    for byte in b {
        counts[usize::from(*byte)] -= 1;
    }
    let differing: u32 = counts.iter().map(|count| count.unsigned_abs()).sum();
    let bytes_of_letter = if a.is_ascii() && b.is_ascii() { 1 } else { LONGEST_LETTER };
    differing as usize <= 2 * most * bytes_of_letter
}

/// The digests of these addresses, in reading order; none if the receipt has no list of them.
pub(crate) fn digests(receipt: &Receipt) -> Result<Option<Vec<[u8; 12]>>> {
    let mut found = Vec::new();
    let is_there = each_address(receipt, &mut |address| found.push(stable_digest(address)))?;
    Ok(is_there.then_some(found))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn the_glance_passes_over_nothing_that_is_close(a in "[abcä@.]{0,12}", b in "[abcä@.]{0,12}", most in 0_usize..5) {
            if strsim::osa_distance(&a, &b) <= most {
                prop_assert!(may_be_within(most, a.as_bytes(), b.as_bytes()));
            }
        }
    }
}
