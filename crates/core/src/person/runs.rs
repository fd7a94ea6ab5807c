//! Rows that share the value of a key, waiting until all keys were looked at: a few in memory, more on disk.

use pebblebank_table::Result;
use pebblebank_table::spill::SpillWriter;
use std::path::{Path, PathBuf};

/// How many numbers wait in memory before they are written.
const MOST_IN_MEMORY: usize = 1 << 20;

/// Runs of rows, each with the place of its key.
#[derive(Debug)]
pub struct Runs {
    /// The length of a run, its key's place, then its rows; and so on.
    waiting: Vec<u32>,
    spill: Option<SpillWriter>,
    folder: PathBuf,
}

impl Runs {
    /// None yet; what does not fit into memory goes into a temporary file in `folder`.
    pub fn new(folder: &Path) -> Runs {
        Runs { waiting: Vec::new(), spill: None, folder: folder.to_path_buf() }
    }

    /// All of them, and none stay.
    #[must_use]
    pub fn take(&mut self) -> Runs {
        let none = Runs::new(&self.folder);
        std::mem::replace(self, none)
    }

    /// Adds runs, each as its length, its key's place, and its rows.
    pub fn add(&mut self, runs: &[u32]) -> Result<()> {
        self.waiting.extend_from_slice(runs);
        if self.waiting.len() > MOST_IN_MEMORY { self.write() } else { Ok(()) }
    }

    /// Writes what waits, as one frame.
    fn write(&mut self) -> Result<()> {
        let spill = match &mut self.spill {
            Some(spill) => spill,
            none => none.insert(SpillWriter::new(&self.folder)?),
        };
        let bytes: Vec<u8> = self.waiting.iter().flat_map(|number| number.to_le_bytes()).collect();
        spill.frame(&[&bytes])?;
        self.waiting.clear();
        Ok(())
    }

    /// Hands each run to `take`, in the order in which they were added: the place of its key, and its rows.
    pub fn for_each(self, mut take: impl FnMut(u8, &[u32])) -> Result<()> {
        if let Some(spill) = self.spill {
            let mut reader = spill.finish()?.into_reader()?;
            let mut numbers = Vec::new();
            while let Some(frame) = reader.next()? {
                numbers.clear();
                numbers.extend(frame.as_chunks::<4>().0.iter().map(|number| u32::from_le_bytes(*number)));
                each_run(&numbers, &mut take);
            }
        }
        each_run(&self.waiting, &mut take);
        Ok(())
    }
}

fn each_run(mut runs: &[u32], take: &mut impl FnMut(u8, &[u32])) {
    while let [length, place, after @ ..] = runs {
        let (run, next) = after.split_at(*length as usize);
        take(*place as u8, run);
        runs = next;
    }
}
