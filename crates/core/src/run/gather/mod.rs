//! The second stage of a run, its first pass over the rows: each leaves its kind, its keys and its marks.
//!
//! [`first_pass`] reads everything, [`lists`] and [`sources`] know how; [`kept`] is what is kept of every record.

pub mod chunks;
pub mod counts;
pub mod date_orders;
pub mod first_pass;
pub mod kept;
pub(crate) mod list_chunk;
mod list_entries;
pub(crate) mod lists;
pub mod records;
pub mod remembered;
pub(crate) mod source_chunk;
mod source_row;
pub(crate) mod sources;
pub(crate) mod statements;

use crate::job::Job;
use crate::run::open::Opening;
use crate::run::open::files::OpenFiles;
use crate::run::setting::Setting;
use counts::{Entrants, FileCounts};
use first_pass::{Counted, read_everything};
use kept::People;
use pebblebank_table::Result;
use pebblebank_table::observe::Observer;
use pebblebank_values::look::mask_addresses;
use std::path::PathBuf;

/// What the first pass leaves.
pub struct Gathered {
    /// The files.
    pub files: OpenFiles,
    /// What is kept of every record.
    pub people: People,
    /// What was counted of each source file.
    pub source_counts: Vec<FileCounts>,
    /// What was counted of each list file.
    pub list_files: Vec<FileCounts>,
    /// What was counted of each list, and of the people whom the job names.
    pub entrants: Entrants,
    /// Whether what is remembered was looked up, so that its other entries are not there.
    pub looked_up: bool,
    /// Where what does not fit into memory may wait.
    pub spool_folder: PathBuf,
}

/// Reads the files of a job once.
pub fn gather(opening: Opening, job: &Job, setting: &Setting, observer: &dyn Observer) -> Result<Gathered> {
    let Opening { files, spool_folder } = opening;
    let (mut files, people, counted) = read_everything(files, job, setting, &spool_folder, observer)?;
    let Counted { files: source_counts, list_files, entrants, looked_up } = counted;
    let of_dates = date_orders::decide(&mut files, &source_counts, job)?;
    files.findings.extend(of_dates);
    let read = files.sources.iter().map(|file| &file.input).zip(&source_counts);
    for (input, counts) in read.chain(files.lists.iter().map(|file| &file.input).zip(&list_files)) {
        tracing::info!(
            file = mask_addresses(&input.name(), |_| false),
            bytes = input.file_bytes,
            rows = counts.contacts,
            "file read"
        );
    }
    Ok(Gathered { files, people, source_counts, list_files, entrants, looked_up, spool_folder })
}
