//! Whom a job writes to although a list holds them for a lesser reason.

use super::reason::Reason;
use pebblebank_table::units::ListId;
use pebblebank_values::identity::IdentityHash;
use std::collections::HashSet;

/// The addresses that a job names in `[[allow]]`, and the lists that this can lift.
#[derive(Debug, Clone, Default)]
pub struct Allowed {
    identities: HashSet<IdentityHash>,
    lifts_domain: Vec<bool>,
}

/// How a list came to hold somebody.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum HitBy {
    /// By an address.
    Address,
    /// By a domain.
    Domain,
    /// By another field.
    Field,
}

/// Whether the reason gives way to an address that the job allows.
pub fn gives_way(reason: Reason, hit: HitBy) -> bool {
    match reason {
        Reason::AlreadySent | Reason::TooOften | Reason::OnOtherList => true,
        Reason::DoNotContact => hit != HitBy::Address,
        _ => false,
    }
}

impl Allowed {
    /// These addresses, against the lists of a job, of which each holds people for its reason, or for none.
    pub fn new(
        identities: impl IntoIterator<Item = IdentityHash>,
        reasons: impl IntoIterator<Item = Option<Reason>>,
    ) -> Allowed {
        let gives = |reason: Option<Reason>| reason.is_some_and(|reason| gives_way(reason, HitBy::Domain));
        Allowed { identities: identities.into_iter().collect(), lifts_domain: reasons.into_iter().map(gives).collect() }
    }

    /// Whether the list does not hold this address by its domain.
    #[inline]
    pub fn lifts(&self, identity: IdentityHash, list: ListId) -> bool {
        !self.identities.is_empty() && self.lifts_domain[list.0 as usize] && self.identities.contains(&identity)
    }
}
