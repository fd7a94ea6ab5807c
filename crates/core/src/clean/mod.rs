//! Cleans and judges values: one file a kind of value.
//!
//! A rule has a name, changes only what is certain, and applied twice changes nothing more.

pub mod address;
pub mod audience;
pub mod blank;
pub mod consent;
pub mod decoded_twice;
pub mod name;
pub mod placeholder;
pub mod replace;
pub mod rules;

pub use rules::{Rule, Rules};
