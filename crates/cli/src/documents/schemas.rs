//! The JSON Schema of every document, and of the job and layout files, by name.

use super::Document;
use super::bank::{
    AddedDocument, BackupDocument, BankDocument, BatchDocument, BatchesDocument, CopiedDocument, ExportedDocument,
    ForgottenDocument, FoundDocument, HistoryDocument, ListedDocument, LoadDocument, MadeDocument, RemovedDocument,
    ResultsDocument, SnapshotDocument,
};
use super::lists::{CheckDocument, CompareDocument, SplitDocument, SurveyDocument};
use super::proposals::{LayoutDocument, ProposalDocument, ReviewDocument};
use super::receipts::{ChangesDocument, ReportDocument, WhyDocument};
use super::runs::{ErrorDocument, PreflightDocument, RunDocument, SuppressDocument};
use pebblebank_core::job::schema::{self, JOB_SCHEMA, LAYOUT_SCHEMA};
use pebblebank_core::run::account::guards_document::GuardsDocument;
use pebblebank_core::run::account::reports;
use pebblebank_core::run::tally::Tally;
use pebblebank_core::run::write::outputs::SealsDocument;
use pebblebank_core::tasks::duplicates::DuplicateGroups;
use pebblebank_core::tasks::top_up::wishes::ToppedUp;
use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, Schema};
use serde_json::json;

/// Where the schema of a name comes from.
type Make = fn(&str) -> Schema;

/// Every schema, by its whole name.
const SCHEMAS: [(&str, Make); 39] = [
    (JOB_SCHEMA, |_| schema::job()),
    (LAYOUT_SCHEMA, |_| schema::layout()),
    ("pebblebank/tally/1", tally),
    ("pebblebank/guards/1", of::<GuardsDocument>),
    ("pebblebank/inputs/1", of::<reports::InputsDocument>),
    ("pebblebank/receipt/1", of::<SealsDocument>),
    ("pebblebank/run/1", of::<reports::RunDocument>),
    ("pebblebank/error/1", of_body::<ErrorDocument>),
    ("pebblebank/survey/1", of_body::<SurveyDocument>),
    ("pebblebank/proposal/1", of_body::<ProposalDocument>),
    ("pebblebank/layout-proposal/1", of_body::<LayoutDocument>),
    ("pebblebank/compare/1", of_body::<CompareDocument>),
    ("pebblebank/duplicates/1", of_body::<DuplicateGroups>),
    ("pebblebank/top-up/1", of_body::<ToppedUp>),
    ("pebblebank/suppress/1", of_body::<SuppressDocument>),
    ("pebblebank/split/1", of_body::<SplitDocument>),
    ("pebblebank/check/1", of_body::<CheckDocument>),
    ("pebblebank/preflight/1", of_body::<PreflightDocument>),
    ("pebblebank/review/1", of_body::<ReviewDocument>),
    ("pebblebank/why/1", of_body::<WhyDocument>),
    ("pebblebank/changes/1", of_body::<ChangesDocument>),
    ("pebblebank/report/1", of_body::<ReportDocument>),
    ("pebblebank/bank/1", of_body::<BankDocument>),
    ("pebblebank/bank-add/1", of_body::<AddedDocument>),
    ("pebblebank/bank-backup/1", of_body::<BackupDocument>),
    ("pebblebank/bank-init/1", of_body::<MadeDocument>),
    ("pebblebank/bank-copy/1", of_body::<CopiedDocument>),
    ("pebblebank/bank-snapshot/1", of_body::<SnapshotDocument>),
    ("pebblebank/bank-batches/1", of_body::<BatchesDocument>),
    ("pebblebank/bank-export/1", of_body::<ExportedDocument>),
    ("pebblebank/bank-find/1", of_body::<FoundDocument>),
    ("pebblebank/bank-forget/1", of_body::<ForgottenDocument>),
    ("pebblebank/bank-history/1", of_body::<HistoryDocument>),
    ("pebblebank/bank-list/1", of_body::<ListedDocument>),
    ("pebblebank/bank-load/1", of_body::<LoadDocument>),
    ("pebblebank/bank-remove/1", of_body::<RemovedDocument>),
    ("pebblebank/bank-sent/1", of_body::<BatchDocument>),
    ("pebblebank/bank-undo/1", of_body::<BatchDocument>),
    ("pebblebank/bank-verdicts/1", of_body::<ResultsDocument>),
];

/// The names by which schemas are asked for, without `pebblebank/` and the version.
pub fn names() -> impl Iterator<Item = &'static str> {
    SCHEMAS.iter().map(|(whole, _)| short(whole))
}

/// The schema of that name; none where there is no such document.
pub fn named(name: &str) -> Option<Schema> {
    SCHEMAS.iter().find(|(whole, _)| short(whole) == name).map(|(whole, make)| make(whole))
}

fn short(whole: &'static str) -> &'static str {
    whole.split('/').nth(1).unwrap_or(whole)
}

/// The schema of a document without a type that names it.
fn of_body<Body: JsonSchema>(name: &str) -> Schema {
    of::<Document<Body>>(name)
}

/// The tally of a receipt, and what `--json` prints: only that has the keys about the run.
fn tally(name: &str) -> Schema {
    let mut schema = of::<RunDocument>(name);
    if let Some(required) = of::<Tally>(name).remove("required") {
        schema.insert("required".to_owned(), required);
    }
    schema
}

fn of<Whole: JsonSchema>(name: &str) -> Schema {
    let mut schema = SchemaSettings::draft2020_12().for_serialize().into_generator().into_root_schema_for::<Whole>();
    schema.insert("title".to_owned(), name.into());
    if let Some(own) = schema.get_mut("properties").and_then(|properties| properties.get_mut("schema")) {
        *own = json!({ "const": name });
    }
    schema
}
