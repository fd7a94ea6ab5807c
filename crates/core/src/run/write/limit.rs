//! So many of those who could be written: the first, or some at random.

use super::rows::{Rows, Sink};
use crate::job::Pick;
use crate::run::write::rows::Candidate;
use pebblebank_table::Result;
use pebblebank_table::units::RowId;
use pebblebank_values::address::Address;
use std::collections::BinaryHeap;
use xxhash_rust::xxh3::xxh3_64_with_seed;

/// Who is picked, as far as that is known.
#[derive(Debug, Clone, Copy)]
pub enum Picking {
    /// All.
    All,
    /// It is to be found out.
    Asking(Pick),
    /// Those up to this one.
    UpTo(Pick, Candidate),
}

/// What decides about a contact. At random goes by who it is, so that a fresh export gives the same people.
fn candidate(pick: Pick, row: RowId, address: &Address) -> Candidate {
    match pick {
        Pick::First(_) => (0, row),
        Pick::Sample { seed, .. } if address.is_usable() => (xxh3_64_with_seed(address.identity, seed), row),
        Pick::Sample { seed, .. } => (xxh3_64_with_seed(&row.0.to_le_bytes(), seed), row),
    }
}

impl Picking {
    /// What decides about a contact, while that is being found out.
    pub fn candidate(&self, row: RowId, address: &Address) -> Option<Candidate> {
        match self {
            Picking::Asking(pick) => Some(candidate(*pick, row, address)),
            Picking::All | Picking::UpTo(..) => None,
        }
    }

    /// Whether a contact that lacks nothing is picked.
    pub fn takes(&self, row: RowId, address: &Address) -> bool {
        match self {
            Picking::All | Picking::Asking(_) => true,
            Picking::UpTo(pick, last) => candidate(*pick, row, address) <= *last,
        }
    }
}

/// Keeps the smallest candidates.
pub struct Picked {
    pick: Pick,
    most: usize,
    kept: BinaryHeap<Candidate>,
}

impl Picked {
    /// Nobody yet.
    pub fn new(pick: Pick) -> Picked {
        let (Pick::First(most) | Pick::Sample { count: most, .. }) = pick;
        Picked { pick, most: most as usize, kept: BinaryHeap::new() }
    }

    /// Who is picked.
    pub fn decided(self) -> Picking {
        match self.kept.peek() {
            Some(last) if self.kept.len() == self.most => Picking::UpTo(self.pick, *last),
            _ => Picking::All,
        }
    }
}

impl Sink for Picked {
    fn take(&mut self, rows: &Rows) -> Result<()> {
        for candidate in &rows.candidates {
            if self.kept.len() < self.most {
                self.kept.push(*candidate);
            } else if self.kept.peek().is_some_and(|last| candidate < last) {
                self.kept.pop();
                self.kept.push(*candidate);
            }
        }
        Ok(())
    }
}
