//! A file of a run that is over, and why it may not be read again.

use crate::run::gather::chunks::Reading;
use crate::run::open::files::OpenFile;
use pebblebank_table::{Error, ErrorKind};

/// A file that a run read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileOfRun {
    /// The source or list that it belongs to.
    pub of: String,
    /// Its name, as receipts have it.
    pub file: String,
    /// Its place among the parts of that name: the sheets of a workbook.
    pub part: usize,
    /// Its size in bytes, unpacked.
    pub bytes: u64,
    /// The BLAKE3 of what the user handed over, unpacked, in hexadecimal digits.
    pub blake3: String,
}

/// Why a file was not read again.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum NotRead {
    /// It is no longer there.
    Gone,
    /// Its bytes are others than those that the run read.
    Changed,
    /// It has more bytes than are read in passing.
    TooLarge,
    /// It cannot be read.
    Unreadable(String),
}

impl From<Error> for NotRead {
    fn from(error: Error) -> NotRead {
        match error.kind() {
            ErrorKind::InputChanged => NotRead::Changed,
            _ => NotRead::Unreadable(error.what().to_owned()),
        }
    }
}

/// Why a file is not read to its end.
pub(super) enum NotReadYet {
    /// The file of this place among those of its kind is in another encoding.
    NotText(usize),
    /// For good.
    For(NotRead),
}

impl From<Error> for NotReadYet {
    fn from(error: Error) -> NotReadYet {
        NotReadYet::For(error.into())
    }
}

/// The file of the run among those that were opened by its name, and its place.
pub(super) fn part_of<'f, Owner>(
    opened: &'f [OpenFile<Owner>],
    file: &FileOfRun,
) -> Result<(usize, &'f OpenFile<Owner>), NotRead> {
    opened.iter().enumerate().nth(file.part).ok_or(NotRead::Changed)
}

/// Fails unless the file was read to its end and is what it was.
pub(super) fn check_unchanged<Owner>(reading: Reading<Owner>, file: &FileOfRun) -> Result<(), NotRead> {
    let is_same = reading.files_read().first().is_some_and(|read| read.fingerprint == file.blake3);
    if is_same && !file.blake3.is_empty() { Ok(()) } else { Err(NotRead::Changed) }
}
