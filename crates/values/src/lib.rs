//! Values: one file a kind of value, which cleans it, judges it and compares it; the fields, and the words that headers use.
//!
//! A rule has a name, changes only what is certain, and applied twice changes nothing more. Nothing here knows of files
//! and rows.

#![warn(clippy::print_stdout, clippy::print_stderr)]

pub mod address;
mod address_cell;
pub mod address_syntax;
mod address_wrapping;
pub mod audience;
pub mod blank;
mod calendar;
pub mod column_ref;
pub mod comparable;
pub mod consent;
pub mod date;
pub mod date_column;
pub mod date_format;
pub mod digest;
pub mod doubt;
pub mod entry;
pub mod field;
pub mod fold;
pub mod headers;
pub mod identity;
pub mod kind;
pub mod language;
pub mod look;
pub mod name;
pub mod named;
pub mod number;
pub mod phone;
mod phone_plans;
mod phone_text;
pub mod place;
pub mod place_parts;
pub mod placeholder;
mod plain_address;
pub mod postal_code;
pub mod quick_map;
pub mod region;
pub mod rules;
pub mod status_code;
pub mod suggest;
pub mod tags;
pub mod text;
pub mod unread;
pub mod verdict;
pub mod verdict_words;
pub mod website;
pub mod yes_no;

pub use column_ref::{ColumnRef, ExtraColumn};
pub use doubt::{Cleaned, Doubt};
pub use field::Field;
pub use kind::Kind;
pub use named::NamedHeaders;
pub use rules::{Rule, Rules};
