//! The local memory: who must not be contacted and why, who was written to and when. One `SQLite` file that its owner
//! alone can read; the only crate that speaks SQL.
//!
//! Everything goes in by batches, so that it can be taken back whole ([`load`], [`change`]); [`memory`] is what a run sees
//! of it; [`sending`] is about what was prepared and sent; [`history`] is never rewritten.

#![forbid(unsafe_code)]
#![warn(clippy::print_stdout, clippy::print_stderr)]

pub mod batch;
mod blocks;
pub mod change;
mod connect;
pub mod entry;
pub mod file;
pub mod find;
pub mod forget;
mod going_in;
pub mod held_in_files;
pub mod history;
mod known;
pub mod list;
pub mod load;
pub mod memory;
mod memory_entries;
pub mod record;
pub mod scope;
mod seal;
pub mod sending;
mod sorted;
mod spelt;
pub mod text;
mod trouble;
pub mod verdicts;

pub use batch::{Batch, BatchId, What};
pub use file::{Access, Bank};
pub use memory::Memory;
pub use scope::{EVERYONE, ScopeId};
pub use text::{Kind, Text};
