//! What a run looks like to a program: one document, its schema named in it. docs/json.md explains the keys.

use pebblebank_bank::record::Recorded;
use pebblebank_core::run::finished::Finished;
use pebblebank_table::Error;
use serde_json::{Value, json};

/// The tally, with where things are.
pub fn finished(finished: &Finished, recorded: Option<&Recorded>) -> String {
    let mut document = serde_json::to_value(&finished.tally).unwrap_or_default();
    if let Value::Object(document) = &mut document {
        document.insert("tripped_guards".to_owned(), json!(finished.tripped));
        document.insert("import_files".to_owned(), json!(finished.imports));
        document.insert("receipt".to_owned(), json!(finished.receipt));
        document.insert("set_aside_file".to_owned(), json!(finished.set_aside));
        document.insert("remembered".to_owned(), json!(recorded));
        document.insert("completed_earlier_run".to_owned(), json!(finished.completed_earlier));
    }
    pretty(&document)
}

/// What stopped the run.
pub fn error(error: &Error, exit_status: u8) -> String {
    let place = error.place();
    pretty(&json!({
        "schema": "pebblebank/error/1",
        "kind": error.kind().name(),
        "exit_status": exit_status,
        "what": error.what(),
        "file": place.file,
        "row": place.row.map(|row| row.0),
        "column": place.column,
        "line": place.line.as_ref().map(|(line, _)| line),
        "expected": error.expectation(),
        "advice": error.advice(),
    }))
}

/// A document of this schema: what `extra` says, then the keys of `value`.
pub fn of_schema(schema: &str, extra: &[(&str, Value)], value: Value) -> String {
    let mut document = serde_json::Map::from_iter([("schema".to_owned(), json!(schema))]);
    document.extend(extra.iter().map(|(key, value)| ((*key).to_owned(), value.clone())));
    if let Value::Object(value) = value {
        document.extend(value);
    }
    pretty(&Value::Object(document))
}

fn pretty(document: &Value) -> String {
    format!("{document:#}\n")
}
