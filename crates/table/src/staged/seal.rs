//! Seals of files: their sizes and XXH3-128 digests, by which a later change is noticed.
//!
//! A seal notices changes by hand or by accident. It is no signature: whoever wants to can make another one.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::io::Read;
use std::path::Path;
use xxhash_rust::xxh3::Xxh3;

/// The seal of a file.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize, Deserialize)]
pub struct Seal {
    /// Its name in its folder.
    pub file: String,
    /// Its size.
    pub bytes: u64,
    /// Its XXH3-128, as 32 hexadecimal digits.
    pub xxh3: String,
}

/// The seal of a file that is being written.
#[derive(Default)]
pub(super) struct Sealing {
    bytes: u64,
    digest: Xxh3,
}

impl std::fmt::Debug for Sealing {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(formatter, "Sealing {{ bytes: {} }}", self.bytes)
    }
}

impl Sealing {
    /// Adds bytes that were written.
    pub(super) fn add(&mut self, bytes: &[u8]) {
        self.bytes += bytes.len() as u64;
        self.digest.update(bytes);
    }

    /// The seal of all bytes so far.
    pub(super) fn seal(&self, file: String) -> Seal {
        Seal { file, bytes: self.bytes, xxh3: format!("{:032x}", self.digest.digest128()) }
    }
}

impl Seal {
    /// Whether the file in `folder` still has this size.
    pub fn fits_size(&self, folder: &Path) -> bool {
        std::fs::metadata(folder.join(&self.file)).is_ok_and(|about| about.len() == self.bytes)
    }

    /// Whether the file in `folder` is still as it was sealed; it is read to its end.
    pub fn fits(&self, folder: &Path) -> bool {
        let digest = || {
            let mut file = std::fs::File::open(folder.join(&self.file)).ok()?;
            let mut sealing = Sealing::default();
            let mut buffer = vec![0; 256 << 10];
            loop {
                match file.read(&mut buffer).ok()? {
                    0 => return Some(sealing.seal(self.file.clone())),
                    read => sealing.add(&buffer[..read]),
                }
            }
        };
        self.fits_size(folder) && digest().is_some_and(|found| found == *self)
    }

    /// Whether these are the bytes that were sealed.
    pub fn fits_bytes(&self, bytes: &[u8]) -> bool {
        let mut sealing = Sealing::default();
        sealing.add(bytes);
        sealing.seal(self.file.clone()) == *self
    }
}
