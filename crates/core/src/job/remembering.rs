//! What a job asks of the memory, and what the memory learns from it.

use crate::suppress::remembered::Remembered;
use std::ffi::OsString;
use std::path::PathBuf;
use std::sync::Arc;

/// How often a person may be written to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// The most times that a person may be written to
    pub at_most: u32,
    /// within this number of days.
    pub per_days: u32,
}

/// What a job says about where the bank is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BankNamed {
    /// The bank: a file, or the address of a database.
    pub named: Option<OsString>,
    /// A copy of it, for where it cannot be reached.
    pub copy: Option<PathBuf>,
    /// After how many days that copy is too old.
    pub stale_after: u32,
}

impl BankNamed {
    /// After how many days a copy is too old unless the job says otherwise: whoever opts out must not be written for longer.
    pub const STALE_AFTER: u32 = 1;
}

impl Default for BankNamed {
    fn default() -> BankNamed {
        BankNamed { named: None, copy: None, stale_after: BankNamed::STALE_AFTER }
    }
}

/// What the bank learns from a run.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Remember {
    /// Who was written.
    pub prepared: bool,
    /// Who opted out or complained in a source.
    pub opted_out: bool,
    /// Whose mail came back, as a source says.
    pub bounced: bool,
}

impl Remember {
    /// Whether there is anything to learn.
    pub fn is_anything(self) -> bool {
        self.prepared || self.opted_out || self.bounced
    }
}

/// Whether earlier work is remembered in a run.
#[derive(Debug, Clone, Default)]
pub enum Remembering {
    /// There is nothing to remember.
    #[default]
    Nothing,
    /// It was named, and is not there yet.
    NotThere(PathBuf),
    /// Somebody said that it does not count this time.
    SwitchedOff,
    /// It counts.
    From(Arc<dyn Remembered>),
}
