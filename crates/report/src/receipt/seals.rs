//! Whether the files of a receipt are still as the run wrote them.
//!
//! Small files are compared with their seals whole, so is every file that was changed later than the seals. Of the others the
//! size is enough, unless the whole folder is younger than its run: a copy of a receipt that was edited before.

use super::document::{document, known_version};
use pebblebank_core::run::write::outputs::SEALS_FILE;
use pebblebank_table::staged::seal::Seal;
use pebblebank_table::{Error, ErrorKind, Result};
use serde_json::Value;
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;
use std::time::{Duration, SystemTime};

/// How long after the seals a file may have been written by the same run.
pub(super) const SAME_RUN: Duration = Duration::from_secs(2);

/// How long after the end of its run the files of a receipt may take their places.
const IN_PLACE: Duration = Duration::from_secs(60);

/// Files up to this size are compared whole.
const SMALL: u64 = 1 << 20;

/// The end of the log that its last line stands in.
const LAST_LINE: u64 = 4 << 10;

/// The sealed files that are no longer as the run wrote them, and whether there are no seals. `started` is when the run began
/// (RFC 3339).
pub(super) fn edited(folder: &Path, started: Option<&str>) -> Result<(Vec<String>, bool)> {
    let path = folder.join(SEALS_FILE);
    if !path.exists() {
        return Ok((Vec::new(), true));
    }
    let document = document(folder, SEALS_FILE)?;
    known_version(folder, SEALS_FILE, &document, "pebblebank/receipt/")?;
    let seals: Vec<Seal> = serde_json::from_value(document["files"].clone()).map_err(|_| {
        let what = "this part of the receipt is damaged";
        Error::new(ErrorKind::Input, what, "run the job again; its receipt is then whole").in_file(&path)
    })?;
    let sealed_at = modified(&path);
    let is_copy = !sealed_at.is_some_and(|sealed| is_of_run(folder, started, sealed));
    let is_edited = |seal: &Seal| {
        let is_later = match (modified(&folder.join(&seal.file)), sealed_at) {
            (Some(file), Some(sealed)) => file > sealed + SAME_RUN,
            _ => true,
        };
        if is_copy || is_later || seal.bytes <= SMALL { !seal.fits(folder) } else { !seal.fits_size(folder) }
    };
    Ok((seals.iter().filter(|seal| is_edited(seal)).map(|seal| seal.file.clone()).collect(), false))
}

/// Whether the seals were made when the run ended, as far as its log tells how long it took.
fn is_of_run(folder: &Path, started: Option<&str>, sealed: SystemTime) -> bool {
    let started = started.and_then(|started| started.parse::<jiff::Timestamp>().ok());
    let ended = started.zip(duration(folder)).map(|(started, took)| SystemTime::from(started) + took);
    ended.is_some_and(|ended| sealed <= ended + IN_PLACE)
}

/// How long the run took until its log ended.
fn duration(folder: &Path) -> Option<Duration> {
    let mut file = File::open(folder.join("log.jsonl")).ok()?;
    let length = file.metadata().ok()?.len();
    file.seek(SeekFrom::Start(length.saturating_sub(LAST_LINE))).ok()?;
    let mut end = Vec::new();
    file.read_to_end(&mut end).ok()?;
    let last = end.split(|byte| *byte == b'\n').rfind(|line| !line.is_empty())?;
    let line: Value = serde_json::from_slice(last).ok()?;
    line["milliseconds"].as_u64().map(Duration::from_millis)
}

pub(super) fn modified(path: &Path) -> Option<SystemTime> {
    std::fs::metadata(path).and_then(|about| about.modified()).ok()
}
