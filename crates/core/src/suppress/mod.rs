//! Who must not be contacted: reasons, entries of lists, held domains, and what a person is marked with.

pub mod allowed;
pub mod digest;
pub mod domains;
pub mod entry;
pub mod marks;
pub mod mistake;
pub mod reason;
pub mod remembered;
pub mod status;

pub use allowed::Allowed;
pub use digest::{Digest, DigestKind, DigestsInUse};
pub use domains::HeldDomains;
pub use entry::Entry;
pub use marks::{Mark, MarkSet, MarkSets, Refusal};
pub use mistake::Mistake;
pub use reason::Reason;
pub use remembered::{Among, HeldBy, Remembered, RememberedEntry, RememberedHold};
pub use status::{StatusReason, StatusReasons};

/// What the identities of each row are held against as soon as it is read.
#[derive(Debug, Default)]
pub struct RowChecks {
    /// Domains that lists hold.
    pub domains: HeldDomains,
    /// In what ways lists hold addresses without showing them.
    pub digests: DigestsInUse,
    /// Whom the job writes to although a list holds them for a lesser reason.
    pub allowed: Allowed,
}
