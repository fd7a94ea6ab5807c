//! All that is known once every row was read and it is decided who is who: what the stages after this one ask.

use super::settled::Settled;
use crate::clean::plan::CleaningPlan;
use crate::layout::receipt::AllColumns;
use crate::run::gather::chunks::{FileRead, changed};
use crate::run::gather::counts::{Entrants, FileCounts};
use crate::run::open::files::{OpenFile, OpenFiles};
use pebblebank_table::Result;
use std::path::PathBuf;
/// All that is known once every row was read and it is settled who is who.
pub struct Known {
    /// The files.
    pub files: OpenFiles,
    /// Who is who.
    pub settled: Settled,
    /// What was counted of each source file.
    pub source_counts: Vec<FileCounts>,
    /// What was counted of each list file.
    pub list_files: Vec<FileCounts>,
    /// What was counted of each list, and of the people whom the job names.
    pub entrants: Entrants,
    /// Whether what is remembered was looked up, so that its other entries are not there.
    pub looked_up: bool,
    /// Where what does not fit into memory may wait.
    pub spool_folder: PathBuf,
}

impl Known {
    /// Fails where a list is no longer what it was when its entries were compared. `read` are its files, read again.
    pub(crate) fn check_lists_again(&self, read: &[FileRead]) -> Result<()> {
        for (file, (again, first)) in self.files.lists.iter().zip(read.iter().zip(&self.list_files)) {
            if again.fingerprint != first.fingerprint {
                return Err(changed(file.input.path()));
            }
        }
        Ok(())
    }

    /// How the values that contacts are compared by are cleaned, by source file; none where one has no such values.
    pub(crate) fn key_cleaning(&self) -> Option<Vec<CleaningPlan>> {
        let row_keys = self.files.row_keys.iter();
        row_keys.map(|keys| keys.as_ref().map(|keys| keys.cleaning().clone())).collect()
    }

    /// The columns of all sources together.
    pub fn all_columns(&self) -> AllColumns {
        let mut columns = AllColumns::of(self.files.sources.iter().map(OpenFile::map));
        columns.has_surplus = self.source_counts.iter().any(|counts| counts.long_rows.count > 0);
        columns
    }
}
