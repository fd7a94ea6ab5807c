//! The same person: identities as keyed hashes, groups of rows that share one.
//!
//! Rows are known by their number alone here; no value is kept. [`keys`] collects, [`groups`] joins.

pub mod decisions;
pub mod groups;
pub mod keys;
pub mod near;
pub mod runs;
pub mod same;
