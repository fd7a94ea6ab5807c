//! Who must not be contacted: reasons, entries of lists, held domains, and what a person is marked with.

pub mod alike;
pub mod allowed;
pub mod domains;
pub mod marks;
pub mod reason;
pub mod remembered;
pub mod status;

use allowed::Allowed;
use domains::HeldDomains;
use pebblebank_values::digest::DigestsInUse;
use pebblebank_values::identity::IdentityHash;
use std::collections::HashMap;

/// What the identities of each row are compared with as soon as it is read.
#[derive(Debug, Default)]
pub struct RowChecks {
    /// Domains that lists hold.
    pub domains: HeldDomains,
    /// In what ways lists hold addresses without showing them.
    pub digests: DigestsInUse,
    /// Whom the job writes to although a list holds them for a lesser reason.
    pub allowed: Allowed,
    /// Who refused and came back, and on which day.
    pub returned: Returned,
    /// By list: whether it is about addresses, as bounces are, and not about people.
    pub lists_of_addresses: Vec<bool>,
}

/// People who refused and came back, as the bank remembers it: refusals in files that are older than that are void.
#[derive(Debug, Clone, Default)]
pub struct Returned {
    days: HashMap<IdentityHash, i32>,
}

impl Returned {
    /// These, each with the number of the day.
    pub fn new(days: impl IntoIterator<Item = (IdentityHash, i32)>) -> Returned {
        Returned { days: days.into_iter().collect() }
    }

    /// Whether there is nobody.
    pub fn is_empty(&self) -> bool {
        self.days.is_empty()
    }

    /// Whether what a file that was last changed on `file_day` says of somebody's refusal is void. A file whose day is not
    /// known is as new as can be.
    pub fn voids(&self, identity: IdentityHash, file_day: Option<i32>) -> bool {
        match (self.days.get(&identity), file_day) {
            (Some(returned), Some(file_day)) => file_day < *returned,
            _ => false,
        }
    }
}
