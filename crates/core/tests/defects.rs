//! What happens if a part of the program gives up where it should not: a clear end, and nothing written.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_core::job::memory::DEFAULT_MEMORY;
use pebblebank_core::run::setting::Setting;
use pebblebank_core::{job, run};
use pebblebank_table::observe::{Observer, Progress, Stage};
use rstest::rstest;
use std::path::{Path, PathBuf};

/// Gives up at a stage of the run.
struct GivesUp(Stage);

impl Observer for GivesUp {
    fn progress(&self, progress: Progress) {
        assert!(progress.stage != self.0, "planted");
    }
}

/// All files in a folder and below.
fn files(folder: &Path) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
    let mut found: Vec<PathBuf> =
        entries.flat_map(|path| if path.is_dir() { files(&path) } else { vec![path] }).collect();
    found.sort();
    found
}

#[rstest]
fn a_panic_in_any_stage_ends_the_run_with_70_and_leaves_the_folder_as_it_was(
    #[values(1, 2, 7)] threads: usize,
    #[values(Stage::Reading, Stage::Settling, Stage::Writing)] stage: Stage,
) {
    const ROWS: usize = 40_000;
    let folder = tempfile::tempdir().unwrap();
    pebblebank_demo::large::write(folder.path(), ROWS, 1).unwrap();
    let job = job::file::read(&folder.path().join(pebblebank_demo::large::JOB_FILE), "2026-03-02").unwrap();
    let before = files(folder.path());
    let setting = Setting {
        threads,
        memory: DEFAULT_MEMORY,
        dry_run: false,
        preview_rows: 20,
        spool_folder: std::env::temp_dir(),
        started: String::new(),
        arguments: Vec::new(),
        folder: String::new(),
        peak_memory: || None,
        log: Vec::new,
    };
    let error = run::run(&job, &setting, &GivesUp(stage)).map(|_| "it went on").unwrap_err();
    assert_eq!(error.exit_status(), 70, "{}", error.what());
    assert_eq!(files(folder.path()), before);
}
