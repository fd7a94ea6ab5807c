//! Cleans and judges values: one file a kind of value.
//!
//! A rule has a name, changes only what is certain, and applied twice changes nothing more.

mod cell;
mod derived;
pub mod double_encoded;
mod known_words;
mod moved_parts;
pub mod plan;
mod record;
pub mod replace;
pub mod row;
mod row_country;

pub use plan::{CleaningPlan, CleaningWishes};
pub use row::RowCleaner;
