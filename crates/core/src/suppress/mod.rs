//! Who must not be contacted: reasons, entries of lists, held domains, and what a person is marked with.

pub mod domains;
pub mod entry;
pub mod marks;
pub mod reason;

pub use domains::HeldDomains;
pub use entry::Entry;
pub use marks::{Mark, MarkSet, MarkSets, Refusal};
pub use reason::Reason;
