//! The work itself: from exported subscriber files to an import file, every row accounted for.
//!
//! A row goes through the stages in the order of their names here: [`read`], [`columns`] (map),
//! [`clean`], [`person`] (same person), [`suppress`], [`require`], [`select`], [`write`] (lay out, write).
//! [`pipeline`] strings them together in two passes and keeps the account; [`job`] says what is
//! wanted; [`survey`] tells what is in a file before there is a job, [`split`] parts a list,
//! [`compare`] holds lists against each other, [`against`] takes the people of some out of another, [`top_up`] adds to a master list, [`review`] goes through
//! likely duplicates. Nothing here prints, asks, reads the clock or the environment: a caller hands in a
//! [`job::Job`] and a [`pipeline::Setting`], and listens through [`observe::Observer`].
#![warn(clippy::print_stdout, clippy::print_stderr)]

pub mod against;
pub mod clean;
pub mod columns;
pub mod compare;
pub mod error;
pub mod job;
pub mod observe;
pub mod person;
pub mod pipeline;
pub mod propose;
pub mod read;
pub mod require;
pub mod review;
pub mod select;
pub mod sorter;
pub mod split;
pub mod suppress;
pub mod survey;
pub mod top_up;
pub mod units;
pub mod write;

pub use error::{Error, ErrorKind, Result};
