//! Cleans and judges values: one file a kind of value.
//!
//! A rule has a name, changes only what is certain, and applied twice changes nothing more.

pub mod decoded_twice;
pub mod plan;
pub mod replace;
pub mod row;

pub use plan::{CleaningPlan, CleaningWishes};
pub use row::RowCleaner;
