//! The rows of an import file that are new since an earlier run, as they stand there.

use crate::changes::{Identity, addresses};
use crate::receipt::Receipt;
use pebblebank_table::csv::{Defusing, without_defusing};
use pebblebank_table::record::{RecordEnd, split_record};
use pebblebank_table::{CsvBuffer, Error, ErrorKind, Result, cell, recognise_dialect};
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::identity::stable_digest;
use std::collections::HashSet;
use std::path::{Path, PathBuf};

/// The header and the rows of these people in the first import file that is delimited text, and how many rows. If no such
/// file is there any more, the addresses of these people instead.
///
/// # Errors
///
/// If the import file has fewer of these people than the run wrote: somebody changed it since.
pub fn new_rows(receipt: &Receipt, people: &[Vec<Identity>]) -> Result<(Vec<u8>, u64)> {
    let all: Vec<Identity> = people.iter().flatten().copied().collect();
    let new: &HashSet<Identity> = &all.iter().copied().collect();
    let Some(path) = import_file(receipt) else {
        let mut found: Vec<String> = addresses(receipt, &all)?.into_values().collect();
        if found.len() < people.len() {
            let what = "the import file is gone, and the receipt does not have the addresses of all new people";
            return Err(Error::new(ErrorKind::Input, what, "run the job again").in_file(&receipt.folder));
        }
        found.sort();
        let mut csv = CsvBuffer::new(Defusing::On);
        for address in std::iter::once("email").chain(found.iter().map(String::as_str)) {
            csv.value(address.as_bytes());
            csv.end_row();
        }
        return Ok((csv.bytes, found.len() as u64));
    };
    let bytes = std::fs::read(&path).map_err(|cause| Error::unreadable(&path, &cause))?;
    let (rows, count) = rows_of(&bytes, new);
    if count < people.len() as u64 {
        let what =
            format!("{count} of {} new people are in this file, so it is no longer as the run wrote it", people.len());
        let advice = "run the job again, or compare without -o";
        return Err(Error::new(ErrorKind::Input, what, advice).in_file(&path));
    }
    Ok((rows, count))
}

/// The import file that everybody is in, if it is delimited text and still the one that the run wrote.
pub(crate) fn import_file(receipt: &Receipt) -> Option<PathBuf> {
    if !receipt.has_written() {
        return None;
    }
    let files = receipt.tally["written"].as_array()?;
    let is_whole = |file: &&serde_json::Value| {
        file["where"].is_null()
            && file["files"].as_array().is_none_or(|parts| parts.len() < 2)
            && (file["format"] == "csv" || file["format"] == "tsv")
    };
    let name = files.iter().find(is_whole)?["file"].as_str()?;
    let beside_job = receipt.job_file.as_deref().and_then(Path::parent).map(|folder| folder.join(name));
    // A command's paths are relative to the folder in which it was typed; a receipt lies beside its import file.
    let beside_receipt =
        receipt.folder.parent().zip(Path::new(name).file_name()).map(|(folder, name)| folder.join(name));
    [beside_job, beside_receipt, Some(PathBuf::from(name))]
        .into_iter()
        .flatten()
        .find(|path| path.is_file() && receipt.is_of_this_run(path))
}

/// The import file and the number of the line that has the address; none if no import file is delimited text, if it is gone, or
/// if it has more than `most` bytes.
pub(crate) fn line_of(receipt: &Receipt, address: &str, most: u64) -> Option<(PathBuf, u64)> {
    let path = import_file(receipt)?;
    let length = std::fs::metadata(&path).ok()?.len();
    if length > most {
        return None;
    }
    let bytes = std::fs::read(&path).ok()?;
    let is_whole = |at: &usize| {
        let (before, behind) = (at.checked_sub(1).map(|at| bytes[at]), bytes.get(at + address.len()));
        let is_edge = |byte: u8| b",;\t|\"'\r\n".contains(&byte);
        before.is_none_or(is_edge) && behind.copied().is_none_or(is_edge)
    };
    let at = memchr::memmem::find_iter(&bytes, address.as_bytes()).find(is_whole)?;
    Some((path, memchr::memchr_iter(b'\n', &bytes[..at]).count() as u64 + 1))
}

fn rows_of(bytes: &[u8], new: &HashSet<Identity>) -> (Vec<u8>, u64) {
    let text = bytes.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(bytes);
    let dialect = recognise_dialect(text);
    let mut cleaner = AddressCleaner::default();
    let (mut out, mut count) = (bytes[..bytes.len() - text.len()].to_vec(), 0);
    let (mut at, mut ends) = (0, Vec::new());
    while at < text.len() {
        ends.clear();
        let next = match split_record(text, at, dialect, true, &mut ends) {
            RecordEnd::At(next) => next,
            RecordEnd::NeedsMore => text.len(),
        };
        let is_header = at == 0;
        let mut start = at;
        let is_new = ends.iter().any(|end| {
            let raw = &text[start..*end as usize];
            start = *end as usize + 1;
            let value = without_defusing(cell::value(raw.strip_suffix(b"\r").unwrap_or(raw)));
            value.contains(&b'@') && new.contains(&stable_digest(cleaner.clean(&value).identity))
        });
        if is_header || is_new {
            out.extend_from_slice(&text[at..next]);
            count += u64::from(is_new && !is_header);
        }
        at = next;
    }
    (out, count)
}
