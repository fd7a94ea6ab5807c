//! What a run learns for the bank: who was written, who opted out, whose mail came back. Kept in a temporary file until
//! the run is done.

use crate::suppress::reason::Reason;
use pebblebank_table::Result;
use pebblebank_table::spill::SpillWriter;
use std::path::Path;

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
    spill: SpillWriter,
}

impl Learned {
    /// Nothing yet.
    pub fn new(folder: &Path) -> Result<Learned> {
        Ok(Learned { spill: SpillWriter::new(folder)? })
    }

    /// Adds what [`add`] made.
    pub fn take(&mut self, bytes: &[u8]) -> Result<()> {
        if bytes.is_empty() { Ok(()) } else { self.spill.frame(&[bytes]).map(drop) }
    }

    /// All of it, one by one.
    pub fn into_each(self, mut each: impl FnMut(Learning, &str) -> Result<()>) -> Result<()> {
        let mut reader = self.spill.finish()?.into_reader()?;
        while let Some(frame) = reader.next()? {
            for line in frame.split(|byte| *byte == b'\n') {
                if let [kind, identity @ ..] = line {
                    each(Learning::of_byte(*kind), &String::from_utf8_lossy(identity))?;
                }
            }
        }
        Ok(())
    }
}
