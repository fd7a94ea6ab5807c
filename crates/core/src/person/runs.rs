//! Rows that share the value of a key, waiting until all keys were looked at: a few in memory, more on disk.

use pebblebank_table::{Error, Result};
use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// How many numbers wait in memory before they are written.
const MOST_IN_MEMORY: usize = 1 << 20;

/// Runs of rows, each with the place of its key.
#[derive(Debug)]
pub struct Runs {
    /// The length of a run, its key's place, then its rows; and so on.
    waiting: Vec<u32>,
    file: Option<File>,
    /// How many numbers the file holds.
    written: u64,
    folder: PathBuf,
}

impl Runs {
    /// None yet; what does not fit into memory goes into a nameless file in `folder`.
    pub fn new(folder: &Path) -> Runs {
        Runs { waiting: Vec::new(), file: None, written: 0, folder: folder.to_path_buf() }
    }

    /// Adds runs, each as its length, its key's place, and its rows.
    pub fn add(&mut self, runs: &[u32]) -> Result<()> {
        self.waiting.extend_from_slice(runs);
        if self.waiting.len() > MOST_IN_MEMORY { self.write() } else { Ok(()) }
    }

    fn write(&mut self) -> Result<()> {
        let fail = |cause: std::io::Error| Error::unwritable(&self.folder, &cause);
        let file = match &mut self.file {
            Some(file) => file,
            none => none.insert(tempfile::tempfile_in(&self.folder).map_err(fail)?),
        };
        let bytes: Vec<u8> = self.waiting.iter().flat_map(|number| number.to_le_bytes()).collect();
        file.write_all(&bytes).map_err(fail)?;
        self.written += self.waiting.len() as u64;
        self.waiting.clear();
        Ok(())
    }

    /// Hands each run to `take`, in the order in which they were added: the place of its key, and its rows.
    pub fn for_each(mut self, mut take: impl FnMut(u8, &[u32])) -> Result<()> {
        let mut rows = Vec::new();
        if self.file.is_some() {
            self.write()?;
        }
        if let Some(mut file) = self.file.take() {
            let fail = |cause: std::io::Error| Error::unreadable(&self.folder, &cause);
            file.seek(SeekFrom::Start(0)).map_err(fail)?;
            let mut reader = BufReader::with_capacity(1 << 20, file);
            let mut head = [0; 8];
            let mut left = self.written;
            // A file that ends too early is a failed read, and not the end: joins would be lost in silence.
            while left > 0 {
                reader.read_exact(&mut head).map_err(fail)?;
                let [a, b, c, d, place, ..] = head;
                let length = u32::from_le_bytes([a, b, c, d]);
                let mut bytes = vec![0; length as usize * 4];
                reader.read_exact(&mut bytes).map_err(fail)?;
                left = left.saturating_sub(u64::from(length) + 2);
                rows.clear();
                rows.extend(bytes.as_chunks::<4>().0.iter().map(|number| u32::from_le_bytes(*number)));
                take(place, &rows);
            }
        }
        let mut rest = &self.waiting[..];
        while let [length, place, after @ ..] = rest {
            let (run, next) = after.split_at(*length as usize);
            take(*place as u8, run);
            rest = next;
        }
        Ok(())
    }
}
