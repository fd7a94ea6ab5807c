//! Who was written, by address.

use super::Receipt;
use super::people::Fate;
use pebblebank_core::run::write::written_people;
use pebblebank_table::csv::without_defusing;
use pebblebank_table::dialect::Dialect;
use pebblebank_table::saved_table::rows_in;
use pebblebank_table::{Error, Result, cell};
use pebblebank_values::identity::stable_digest;
use std::borrow::Cow;
use std::io::{BufRead, BufReader};

/// How many close addresses are offered.
const CLOSEST: usize = 3;

/// How many contacts were written that have no address, so that the index does not know them.
pub fn without_address(receipt: &Receipt, threads: usize) -> Result<u64> {
    let written = receipt.tally["all"]["written"].as_u64().unwrap_or_default();
    // The records of a row stand together, but may be split between two threads.
    let rows = receipt.people(threads, |person| person.fate == Fate::Written)?;
    let known = rows.chunk_by(|a, b| a.row == b.row).count() as u64;
    Ok(written.saturating_sub(known))
}

/// The addresses that were written and are closest to one that is in no row.
pub(crate) fn closest(receipt: &Receipt, address: &str) -> Result<Vec<String>> {
    let path = receipt.path("written.csv");
    let bytes = match std::fs::read(&path) {
        Err(cause) if cause.kind() == std::io::ErrorKind::NotFound => return Ok(Vec::new()),
        other => other.map_err(|cause| Error::unreadable(&path, &cause))?,
    };
    let limit = 1 + address.len() / 8;
    let mut found: Vec<(usize, Cow<'_, str>)> = Vec::new();
    for line in bytes.split(|byte| *byte == b'\n') {
        // Most addresses are told apart by their length.
        if line.len().abs_diff(address.len()) > limit + 2 {
            continue;
        }
        let other = String::from_utf8_lossy(line);
        let distance = strsim::osa_distance(&other, address);
        if distance <= limit {
            found.push((distance, other));
            found.sort_by(|a, b| a.0.cmp(&b.0).then_with(|| a.1.cmp(&b.1)));
            found.truncate(CLOSEST);
        }
    }
    let plain = |(_, text): (usize, Cow<'_, str>)| {
        let value = without_defusing(cell::value(text.as_bytes()));
        String::from_utf8_lossy(&value).into_owned()
    };
    Ok(found.into_iter().map(plain).collect())
}

/// The addresses of everybody who was written, in reading order; none if the receipt has no list of them.
pub fn addresses(receipt: &Receipt) -> Result<Option<Vec<String>>> {
    let path = receipt.path("written.csv");
    let bytes = match std::fs::read(&path) {
        Err(cause) if cause.kind() == std::io::ErrorKind::NotFound => return Ok(None),
        other => other.map_err(|cause| Error::unreadable(&path, &cause))?,
    };
    let mut rows = rows_in(&bytes, Dialect::COMMA).into_iter().map(|(_, mut cells)| cells.swap_remove(0));
    Ok((rows.next().as_deref() == Some(written_people::HEADER)).then(|| rows.collect()))
}

/// The digests of these addresses, in reading order; none if the receipt has no list of them. They are read line by line.
pub(crate) fn digests(receipt: &Receipt) -> Result<Option<Vec<[u8; 12]>>> {
    let path = receipt.path("written.csv");
    let file = match std::fs::File::open(&path) {
        Err(cause) if cause.kind() == std::io::ErrorKind::NotFound => return Ok(None),
        other => other.map_err(|cause| Error::unreadable(&path, &cause))?,
    };
    let mut lines = BufReader::new(file);
    let (mut line, mut found, mut is_header) = (Vec::new(), Vec::new(), true);
    loop {
        line.clear();
        // An address has no line end in it, so that a line is a record.
        let read = lines.read_until(b'\n', &mut line).map_err(|cause| Error::unreadable(&path, &cause))?;
        if read == 0 {
            return Ok((!is_header).then_some(found));
        }
        let value = line.strip_suffix(b"\n").unwrap_or(&line);
        let value = value.strip_suffix(b"\r").unwrap_or(value);
        if is_header {
            let is_known = value.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(value) == written_people::HEADER.as_bytes();
            if !is_known {
                return Ok(None);
            }
            is_header = false;
        } else {
            found.push(stable_digest(&without_defusing(cell::value(value))));
        }
    }
}
