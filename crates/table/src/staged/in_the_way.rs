//! What may give way to an output: an ordinary file to a file, a receipt of this program to a receipt, a bank to nothing.

use super::calls::RECEIPT_FILE;
use super::placement::Placement;
use crate::{Error, ErrorKind, Result};
use std::fs::File;
use std::io::Read;
use std::path::Path;

/// What stands in it near its beginning.
const RECEIPT_MARK: &[u8] = b"\"pebblebank/";

/// The endings of what a receipt holds.
const RECEIPT_ENDINGS: [&str; 7] = ["csv", "json", "jsonl", "idx", "toml", "html", "txt"];

/// What a bank begins with: it is an `SQLite` database.
const DATABASE: &[u8] = b"SQLite format 3\0";

/// Without `--replace` an existing output stops the command.
pub(super) fn refuse_existing(target: &Path, placement: Placement) -> Result<()> {
    if placement == Placement::New && target.symlink_metadata().is_ok() {
        return Err(Error::unwritable(target, &std::io::ErrorKind::AlreadyExists.into()));
    }
    Ok(())
}

/// Only a file gives way to a file: no folder, no device or pipe, no link that leads nowhere.
pub(super) fn refuse_odd(target: &Path) -> Result<()> {
    if target.symlink_metadata().is_err() {
        return Ok(());
    }
    let (what, advice) = match std::fs::metadata(target) {
        Ok(found) if found.is_file() => return Ok(()),
        Ok(found) if found.is_dir() => ("this is a folder, not a file", "name the file to write in it"),
        Ok(_) => ("this is a device or a pipe, not a file, and would be replaced", "write to a file"),
        Err(_) => ("this is a link that leads nowhere", "name the file itself, or take the link away"),
    };
    Err(Error::new(ErrorKind::Output, what, advice).in_file(target))
}

/// A folder is moved aside only if it is empty, or a receipt of an earlier run.
pub(super) fn refuse_no_receipt(target: &Path) -> Result<()> {
    let may_move = match std::fs::read_dir(target) {
        Ok(mut entries) => entries.next().is_none() || is_receipt(target),
        Err(_) => target.symlink_metadata().is_err(),
    };
    if may_move {
        return Ok(());
    }
    let what = "this is no receipt of an earlier run, and would be replaced by one";
    Err(Error::new(ErrorKind::Output, what, "name another receipt, or move this away").in_file(target))
}

/// A folder is deleted only if it is empty, or a receipt of an earlier run with nothing else in it.
pub(super) fn refuse_foreign_folder(target: &Path) -> Result<()> {
    refuse_no_receipt(target)?;
    let entries = std::fs::read_dir(target).into_iter().flatten().flatten();
    let mut foreign: Vec<_> = entries.filter(|entry| !is_of_a_receipt(entry)).map(|entry| entry.file_name()).collect();
    foreign.sort();
    let Some(first) = foreign.first() else { return Ok(()) };
    let what =
        format!("this receipt has something of your own in it ({}), and would be deleted", first.to_string_lossy());
    Err(Error::new(ErrorKind::Output, what, "move it out of the receipt first, or name another receipt")
        .in_file(target))
}

fn is_receipt(folder: &Path) -> bool {
    let mut begin = Vec::new();
    let read = File::open(folder.join(RECEIPT_FILE)).and_then(|file| file.take(256).read_to_end(&mut begin));
    read.is_ok() && memchr::memmem::find(&begin, RECEIPT_MARK).is_some()
}

/// Whether a run wrote it, or the system or a spreadsheet program for itself (`.DS_Store`, `.~lock.merged.csv#`).
fn is_of_a_receipt(entry: &std::fs::DirEntry) -> bool {
    const OF_THE_SYSTEM: [&str; 2] = ["Thumbs.db", "desktop.ini"];
    let path = entry.path();
    let name = entry.file_name().to_string_lossy().into_owned();
    if name.starts_with('.') || OF_THE_SYSTEM.contains(&name.as_str()) {
        return true;
    }
    let ending = path.extension().map(|ending| ending.to_string_lossy().into_owned());
    let is_file = entry.file_type().is_ok_and(|kind| kind.is_file());
    is_file && ending.is_some_and(|ending| RECEIPT_ENDINGS.contains(&ending.as_str()))
}

/// A bank is never written over, nor the files that its database keeps beside it.
pub fn refuse_bank(target: &Path) -> Result<()> {
    let is_database = |path: &Path| {
        let mut begin = Vec::new();
        File::open(path).is_ok_and(|file| file.take(DATABASE.len() as u64).read_to_end(&mut begin).is_ok())
            && begin == DATABASE
    };
    let name = target.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let of_database = ["-wal", "-shm", "-journal"]
        .iter()
        .filter_map(|ending| name.strip_suffix(ending))
        .any(|database| is_database(&target.with_file_name(database)));
    if is_database(target) || of_database {
        let what = "this is a bank, or belongs to one, and would be written over";
        return Err(Error::new(ErrorKind::Job, what, "write to another file; what is remembered is never replaced")
            .in_file(target));
    }
    Ok(())
}
