//! What a run looks like to a program: one document, its schema named in it. docs/json.md explains the keys.

use crate::documents::runs::{ErrorDocument, RunDocument};
use crate::documents::{document, text};
use pebblebank_bank::record::Recorded;
use pebblebank_core::run::finished::Finished;
use pebblebank_table::Error;

/// The tally, with where things are.
pub fn finished(finished: &Finished, recorded: Option<&Recorded>) -> String {
    text(&RunDocument {
        tally: &finished.tally,
        tripped_guards: &finished.tripped,
        import_files: &finished.imports,
        receipt: finished.receipt.as_deref(),
        set_aside_file: finished.set_aside.as_deref(),
        remembered: recorded,
        completed_earlier_run: finished.completed_earlier,
    })
}

/// What stopped the run.
pub fn error(error: &Error, exit_status: u8) -> String {
    let place = error.place();
    let body = ErrorDocument {
        kind: error.kind().name(),
        exit_status,
        what: error.what(),
        file: place.file.as_deref(),
        row: place.row.map(|row| row.0),
        column: place.column.as_deref(),
        line: place.line.as_ref().map(|(line, _)| *line),
        expected: error.expectation(),
        advice: error.advice(),
    };
    document("pebblebank/error/1", body)
}
