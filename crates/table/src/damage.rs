//! What can be wrong with a packed file, and how it is said.

use crate::{Error, ErrorKind};
use std::path::Path;

/// What is unpacked beyond this is weighed against the size of the packed file.
const WEIGHED_FROM: u64 = 1 << 30;

/// How many times its packed size a file may unpack to; text packs five to twenty times smaller.
const MOST_TIMES: u64 = 500;

/// Whether this many bytes can hardly have come honestly out of so few.
pub fn is_absurd(unpacked: u64, packed: u64) -> bool {
    unpacked > WEIGHED_FROM && unpacked / MOST_TIMES > packed
}

/// What is wrong with a packed file.
#[derive(Debug, thiserror::Error)]
pub enum Damage {
    /// It cannot be unpacked to its end.
    #[error("{0}")]
    Broken(String),
    /// It holds far more than any file of contacts would.
    #[error("absurd size")]
    Absurd,
}

impl Damage {
    /// The error for the user.
    pub fn error(&self, file: &Path) -> Error {
        match self {
            Damage::Broken(cause) => damaged(file, cause),
            Damage::Absurd => Error::new(
                ErrorKind::Input,
                format!("it unpacks to more than {MOST_TIMES} times its size, which no file of contacts does"),
                "look into it with an archive program; hand over the files themselves if they are right",
            )
            .in_file(file),
        }
    }
}

/// The error of an archive that cannot be read to its end.
pub fn damaged(path: &Path, cause: &dyn std::fmt::Display) -> Error {
    Error::new(
        ErrorKind::Input,
        format!("the archive is damaged or cut short ({cause})"),
        "fetch or export it again, and compare its size with the original's",
    )
    .in_file(path)
}
