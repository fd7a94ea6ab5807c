//! The first stage of a run: the files of a job are found, opened and recognised, and what the job says is fitted to their
//! columns. Nothing is read beyond their beginnings.
//!
//! [`recognise`] finds out how a file is to be read, [`files`] holds the result of it, [`check`] tells whether a job fits its
//! files, and [`fit`] fits the cleaning, the keys and the conditions of a job to each of them.

pub mod beginning;
pub mod check;
pub mod files;
pub mod first_values;
pub mod fit;
pub mod opening;
pub mod recognise;
pub mod status_columns;

pub use opening::Opening;
