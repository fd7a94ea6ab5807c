//! What a run learns for the bank: who was written, who opted out, whose mail came back. Kept in a nameless file until
//! the run is done.

use crate::suppress::reason::Reason;
use pebblebank_table::{Error, Result};
use std::fs::File;
use std::io::{BufRead, BufReader, BufWriter, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// What was learned of an identity.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Learning {
    /// It was written to an import file.
    Prepared,
    /// A source says that the person complained or opted out, or that mail came back for good.
    Refused(Reason),
    /// A source says that mail came back for a reason that may pass.
    SoftBounced,
}

impl Learning {
    fn byte(self) -> u8 {
        match self {
            Learning::Prepared => b'P',
            Learning::SoftBounced => b'S',
            Learning::Refused(reason) => reason as u8,
        }
    }

    fn of_byte(byte: u8) -> Learning {
        match Reason::ALL.get(usize::from(byte)) {
            Some(reason) => Learning::Refused(*reason),
            None if byte == b'S' => Learning::SoftBounced,
            None => Learning::Prepared,
        }
    }
}

/// Adds what was learned of an identity.
pub fn add(out: &mut Vec<u8>, learning: Learning, identity: &[u8]) {
    out.push(learning.byte());
    out.extend_from_slice(identity);
    out.push(b'\n');
}

/// What a run learned.
#[derive(Debug)]
pub struct Learned {
    file: BufWriter<File>,
    folder: PathBuf,
}

impl Learned {
    /// Nothing yet.
    pub fn new(folder: &Path) -> Result<Learned> {
        let file = tempfile::tempfile_in(folder).map_err(|cause| Error::unwritable(folder, &cause))?;
        Ok(Learned { file: BufWriter::new(file), folder: folder.to_path_buf() })
    }

    /// Adds what [`add`] made.
    pub fn take(&mut self, bytes: &[u8]) -> Result<()> {
        self.file.write_all(bytes).map_err(|cause| Error::unwritable(&self.folder, &cause))
    }

    /// All of it, one by one.
    pub fn into_each(self, mut each: impl FnMut(Learning, &str) -> Result<()>) -> Result<()> {
        let Learned { file, folder } = self;
        let fail = |cause: std::io::Error| Error::unwritable(&folder, &cause);
        let mut file = file.into_inner().map_err(|cause| fail(cause.into_error()))?;
        file.seek(SeekFrom::Start(0)).map_err(fail)?;
        let mut reader = BufReader::new(file);
        let mut line = Vec::new();
        while reader.read_until(b'\n', &mut line).map_err(fail)? > 0 {
            if let [kind, identity @ .., b'\n'] = line.as_slice() {
                each(Learning::of_byte(*kind), &String::from_utf8_lossy(identity))?;
            }
            line.clear();
        }
        Ok(())
    }
}
