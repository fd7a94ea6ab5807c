//! What can be wrong with the bank's file, in words.

use pebblebank_table::{Error, ErrorKind};
use rusqlite::ErrorCode;
use std::path::Path;

pub(crate) fn read_only(path: &Path) -> Error {
    let what = "the bank cannot be written to";
    let advice = "look at the permissions of the file and its folder, or name another place with --bank";
    Error::new(ErrorKind::Output, what, advice).in_file(path)
}

/// The error for changes that cannot be read where nothing can be written.
pub(crate) fn unread_side_file(path: &Path) -> Error {
    let what = "the newest changes of the bank stand in its side file (-wal), which cannot be read on a disk that cannot be \
         written to";
    let advice = "copy the bank and its side file to another folder, and name the copy with --bank";
    Error::new(ErrorKind::Input, what, advice).in_file(path)
}

/// What is wrong, in words.
pub(crate) fn trouble(path: &Path, cause: &rusqlite::Error) -> Error {
    let error = |kind, what: &str, advice: &str| Error::new(kind, what, advice).in_file(path);
    match cause.sqlite_error_code() {
        Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => error(
            ErrorKind::Output,
            "another command has been changing the bank for half a minute, so nothing was changed",
            "wait until it has finished, then try again",
        ),
        Some(ErrorCode::DiskFull) => error(
            ErrorKind::Output,
            "the disk is full, so nothing was changed in the bank",
            "make room, then give the same command again",
        ),
        Some(ErrorCode::ReadOnly | ErrorCode::CannotOpen | ErrorCode::PermissionDenied) => read_only(path),
        Some(ErrorCode::NotADatabase) => error(
            ErrorKind::Input,
            "this file is not a bank",
            "name the bank with --bank, or with PEBBLEBANK_BANK in the environment",
        ),
        Some(ErrorCode::DatabaseCorrupt) => damaged(path),
        Some(ErrorCode::SystemIoFailure) => error(
            ErrorKind::Output,
            "the bank could not be read or written",
            "look whether the disk is full or the drive is gone, then give the same command again",
        ),
        // A table or a column is gone.
        _ if cause.to_string().starts_with("no such ") => damaged(path),
        _ => Error::new(ErrorKind::Output, format!("the bank could not do it: {cause}"), "try again").in_file(path),
    }
}

/// The error for a bank that is not as it was written.
pub(crate) fn damaged(path: &Path) -> Error {
    let what = "the bank is damaged, so it cannot be told who must not be contacted";
    let advice = "keep this file, and go on with the latest copy that pebblebank bank backup made";
    Error::new(ErrorKind::Input, what, advice).in_file(path)
}
