//! Cleans and judges values: one file a kind of value.
//!
//! A rule has a name, changes only what is certain, and applied twice changes nothing more.

pub mod address;
pub mod audience;
pub mod blank;
pub mod comparable;
pub mod consent;
pub mod date;
pub mod decoded_twice;
pub mod doubt;
pub mod kind;
pub mod language;
pub mod look;
pub mod name;
pub mod number;
pub mod phone;
pub mod place;
pub mod placeholder;
mod plain_address;
pub mod plan;
pub mod quick_map;
pub mod replace;
pub mod row;
pub mod rules;
pub mod suggest;
pub mod tags;
pub mod text;
pub mod website;
pub mod yes_no;

pub use doubt::{Cleaned, Doubt};
pub use kind::Kind;
pub use plan::{CleaningPlan, CleaningWishes};
pub use row::RowCleaner;
pub use rules::{Rule, Rules};
