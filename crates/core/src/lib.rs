//! Jobs: from exported subscriber files to an import file, every row accounted for.
//!
//! The rooms, each of which only knows those before it: [`columns`] gives columns their fields, [`clean`] fits cleaning to
//! the columns of a file, [`person`] tells who is the same person, [`suppress`] who must not be contacted, [`select`] and
//! [`require`] who is wanted and fit, [`layout`] what is written; [`job`] says what is wanted of all that, [`run`] does it
//! in five stages, and [`tasks`] are the commands that are more than a job. Nothing here prints, asks, reads the clock or
//! the environment: a caller hands in a [`job::Job`] and a [`run::Setting`], and listens through
//! [`pebblebank_table::observe::Observer`].

#![warn(clippy::print_stdout, clippy::print_stderr)]

pub mod clean;
pub mod columns;
pub mod job;
pub mod layout;
pub mod person;
pub mod require;
pub mod run;
pub mod select;
pub mod suppress;
pub mod tasks;
