//! A few rows of a run that is over, read once more as the run read them, with the entries of lists that they match.
//!
//! Both sides go through the code of the first pass, so that what is said to match is what matched then. A file counts only
//! while its bytes are those that the run read. Who was written, and why somebody was not, is not decided again: the receipt
//! has it.

mod entries;
mod narrowed;
mod rows;

pub use entries::{MatchedBy, NearEntry, RetracedEntry};
pub use rows::{RetracedRow, RowsWanted, Stated};

use crate::job::Job;
use crate::run::gather::chunks::Reading;
use crate::run::gather::first_pass::with_another_encoding;
use crate::run::gather::records::NotText;
use crate::run::open::files::{OpenFile, OpenFiles};
use crate::run::open::opening::open_unchecked;
use crate::run::setting::Setting;
use pebblebank_table::observe::Silent;
use pebblebank_table::{Error, ErrorKind};
use pebblebank_values::identity::IdentityHasher;

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

/// A run whose files are read again.
pub struct Retracing<'a> {
    job: &'a Job,
    setting: &'a Setting,
    /// The largest file that is read, in bytes.
    most: u64,
    hasher: IdentityHasher,
}

impl<'a> Retracing<'a> {
    /// Goes back to the files of a job, as it was run; no file of more than `most` bytes is read.
    pub fn new(job: &'a Job, setting: &'a Setting, most: u64) -> Retracing<'a> {
        Retracing { job, setting, most, hasher: IdentityHasher::random().comparing(job.clean.identity) }
    }

    /// The wanted rows of a source's file that are contacts.
    pub fn rows(&self, file: &FileOfRun, wanted: &RowsWanted) -> Result<Vec<RetracedRow>, NotRead> {
        self.read(file, narrowed::to_source, NotText::Source, |files| rows::read(files, file, wanted, &self.hasher))
    }

    /// The entries of a list's file that one of these rows has, and those that came close.
    pub fn entries(
        &self,
        file: &FileOfRun,
        rows: &[&RetracedRow],
        near: &[NearEntry],
    ) -> Result<Vec<RetracedEntry>, NotRead> {
        let asked = entries::Asked::new(rows, near, &self.hasher);
        self.read(file, narrowed::to_list, NotText::List, |files| {
            entries::read(files, self.job, file, &asked, &self.hasher)
        })
    }

    /// Opens a file by itself and reads it; once more where its encoding turns out to be another one.
    fn read<T>(
        &self,
        file: &FileOfRun,
        narrow: fn(&Job, &FileOfRun) -> Result<Job, NotRead>,
        not_text: fn(usize) -> NotText,
        read: impl Fn(&OpenFiles) -> Result<T, NotReadYet>,
    ) -> Result<T, NotRead> {
        if file.bytes > self.most {
            return Err(NotRead::TooLarge);
        }
        let job = narrow(self.job, file)?;
        let mut files = open_unchecked(&job, &self.setting.spool_folder, self.setting.threads, &Silent)?;
        loop {
            match read(&files) {
                Ok(found) => return Ok(found),
                Err(NotReadYet::For(why)) => return Err(why),
                Err(NotReadYet::NotText(index)) => {
                    let again = with_another_encoding(files, &job, not_text(index))?;
                    let Some(again) = again else {
                        return Err(NotRead::Unreadable("some bytes are not UTF-8 text".to_owned()));
                    };
                    files = again;
                    files.plan(&job);
                }
            }
        }
    }
}

/// Why a file is not read to its end.
enum NotReadYet {
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
fn part_of<'f, Owner>(
    opened: &'f [OpenFile<Owner>],
    file: &FileOfRun,
) -> Result<(usize, &'f OpenFile<Owner>), NotRead> {
    opened.iter().enumerate().nth(file.part).ok_or(NotRead::Changed)
}

/// Fails unless the file was read to its end and is what it was.
fn check_unchanged<Owner>(reading: Reading<Owner>, file: &FileOfRun) -> Result<(), NotRead> {
    let is_same = reading.files_read().first().is_some_and(|read| read.fingerprint == file.blake3);
    if is_same && !file.blake3.is_empty() { Ok(()) } else { Err(NotRead::Changed) }
}
