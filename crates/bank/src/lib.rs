//! The memory: who must not be contacted and why, who was written to and when. It is kept in one `SQLite` file that its owner
//! alone can read, or in a `PostgreSQL` database that several machines reach; the only crate that speaks SQL.
//!
//! Everything goes in by batches, so that it can be taken back whole ([`load`], [`change`]); [`memory`] is what a run sees
//! of it; [`sending`] is about what was prepared and sent; [`history`] is never rewritten.

#![forbid(unsafe_code)]
#![warn(clippy::print_stdout, clippy::print_stderr)]

pub mod bank;
pub mod batch;
mod blocks;
pub mod change;
pub mod copying;
pub mod entry;
pub mod find;
pub mod forget;
mod going_in;
pub mod held_in_files;
pub mod history;
mod key;
mod known;
pub mod list;
pub mod load;
pub mod location;
pub mod memory;
mod memory_entries;
mod postgres;
pub mod record;
pub mod scope;
mod seal;
pub mod sending;
pub mod snapshot;
mod sorted;
mod spelt;
mod sqlite;
mod store;
pub mod text;
mod text_ids;
mod unfinished;
pub mod verdicts;

pub use bank::Bank;
pub use batch::{Batch, BatchId, What};
pub use location::Location;
pub use memory::Memory;
pub use scope::{EVERYONE, ScopeId};
pub use store::{Access, Leftover, Made};
pub use text::{Kind, Text};
