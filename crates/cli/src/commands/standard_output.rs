//! Standard output as the place of a file: the rows wait in a folder of their own until all is known to be right.

use crate::arguments::Shared;
use crate::finish::Said;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_formats::input::STDIN_NAME;
use pebblebank_table::{Error, Result};
use std::fs::File;
use std::path::{Path, PathBuf};

/// Where rows wait that go to standard output.
pub struct StandardOutput {
    folder: tempfile::TempDir,
    /// The file to write.
    pub file: PathBuf,
}

/// Whether `-` is asked for, and not another file.
pub fn is_meant(output: &Path) -> bool {
    output.as_os_str() == STDIN_NAME
}

impl StandardOutput {
    /// What standard output is called where the name of a file would stand.
    pub const NAME: &'static str = "standard output";

    /// A place for the rows.
    ///
    /// # Errors
    ///
    /// Where a JSON document is wanted there too, or the folder for temporary files cannot be written.
    pub fn new(shared: &Shared) -> Result<StandardOutput> {
        if shared.json {
            let what = "standard output takes the rows, so there is no room for a document beside them";
            return Err(wrong_use(what, "name a file: -o contacts.csv"));
        }
        let folder = tempfile::tempdir().map_err(|cause| Error::unwritable(&std::env::temp_dir(), &cause))?;
        Ok(StandardOutput { file: folder.path().join("rows"), folder })
    }

    /// A place for what the rows would have beside them, and nobody asked for: it is gone at the end.
    pub fn beside(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    /// Hands the file over, if it was written, with what is to be said of it.
    pub fn said(self, status: u8, remarks: String) -> Result<Said> {
        let written = (status == 0).then(|| File::open(&self.file)).transpose();
        let written = written.map_err(|cause| Error::unreadable(Path::new(StandardOutput::NAME), &cause))?;
        Ok(Said { status, remarks, file: written.map(|file| (file, self.folder)), ..Said::done(String::new()) })
    }
}
