//! A few rows of a run that is over, read once more as the run read them, with the entries of lists that they match.
//!
//! Both sides go through the code of the first pass, so that what is said to match is what matched then. A file counts only
//! while its bytes are those that the run read. Who was written, and why somebody was not, is not decided again: the receipt
//! has it.

mod entries;
mod file;
mod narrowed;
mod rows;

pub use entries::{MatchedBy, NearEntry, RetracedEntry};
pub use file::{FileOfRun, NotRead};
pub use rows::{RetracedRow, RowsWanted, Stated};

use crate::job::Job;
use crate::run::gather::first_pass::with_another_encoding;
use crate::run::gather::records::NotText;
use crate::run::open::files::OpenFiles;
use crate::run::open::opening::open_unchecked;
use crate::run::setting::Setting;
use file::NotReadYet;
use pebblebank_table::observe::Silent;
use pebblebank_values::identity::IdentityHasher;

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
