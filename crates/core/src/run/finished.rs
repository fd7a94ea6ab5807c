//! What a run leaves.

use super::tally::Tally;
use super::tripped_guard::TrippedGuard;
use super::write::learned::Learned;
use pebblebank_table::units::SourceId;
use std::path::PathBuf;

/// What a run leaves.
#[derive(Debug)]
pub struct Finished {
    /// The account.
    pub tally: Tally,
    /// The guards that stopped it; empty where none did.
    pub tripped: Vec<TrippedGuard>,
    /// The import files, where they are put in place.
    pub imports: Vec<PathBuf>,
    /// The receipt that was left, if any; its name ends with `.stopped` where a guard stopped the run.
    pub receipt: Option<PathBuf>,
    /// The file of rows set aside outside a receipt, if any.
    pub set_aside: Option<PathBuf>,
    /// The first rows of the first import file, with its header.
    pub preview: Vec<u8>,
    /// Whether the outputs of an earlier, killed run were put in place first.
    pub completed_earlier: bool,
    /// What the bank learns from it, where it was written.
    pub learned: Option<Learned>,
    /// Where sources are compared: how many people with a key are in which of them.
    pub memberships: Vec<(Vec<SourceId>, u64)>,
}
