//! How a run is to be done, and where it keeps what is not finished.

use crate::job::Job;
use pebblebank_table::{Error, ErrorKind};
use std::path::{Path, PathBuf};

/// How a run is to be done; changes nothing about its result.
#[derive(Debug, Clone)]
pub struct Setting {
    /// How many threads work.
    pub threads: usize,
    /// How much memory may be taken, in bytes.
    pub memory: u64,
    /// Whether nothing is to be put in place.
    pub dry_run: bool,
    /// How many rows a preview shows.
    pub preview_rows: usize,
    /// Where jobs that write nothing keep what cannot be read twice.
    pub spool_folder: PathBuf,
    /// When the run began (RFC 3339), for `run.json`.
    pub started: String,
    /// The words of the command, for `run.json`.
    pub arguments: Vec<String>,
    /// The folder in which it was typed, for `run.json`.
    pub folder: String,
    /// Says how many bytes of memory the process had at most so far, where the system tells it; for `run.json`.
    pub peak_memory: fn() -> Option<u64>,
    /// What was logged so far, for `log.jsonl`: a JSON object a line.
    pub log: fn() -> Vec<u8>,
}

/// Beside the first output, which is on a disk with room for it; a dry run may be without that folder.
pub(crate) fn folder_for_spooling(job: &Job, setting: &Setting) -> PathBuf {
    match job.outputs().next().map(|first| first.parent()) {
        Some(Some(folder)) if folder != Path::new("") && folder.is_dir() => folder.to_path_buf(),
        Some(folder) if folder.is_none_or(|folder| folder == Path::new("")) => PathBuf::from("."),
        _ => setting.spool_folder.clone(),
    }
}

/// The number of threads that a machine has use for.
pub fn threads_of_this_machine() -> usize {
    std::thread::available_parallelism().map_or(1, std::num::NonZero::get)
}

/// What the user is told where a job cannot be done for a reason that lies in the job alone.
pub fn wrong_use(what: impl Into<String>, advice: impl Into<String>) -> Error {
    Error::new(ErrorKind::Job, what, advice)
}
