//! The JSON documents, each a type of its own: what `--json` prints, what a receipt has, and their JSON Schemas.
//! docs/json.md explains the keys.

pub mod bank;
pub mod lists;
pub mod proposals;
pub mod receipts;
pub mod runs;
pub mod schemas;

use schemars::JsonSchema;
use serde::Serialize;

/// A document: the name of its schema, then its keys.
#[derive(Serialize, JsonSchema)]
pub struct Document<Body> {
    /// The name of the schema.
    schema: &'static str,
    #[serde(flatten)]
    body: Body,
}

/// The text of a document that names its schema.
pub fn document<Body: Serialize>(schema: &'static str, body: Body) -> String {
    text(&Document { schema, body })
}

/// The text of a document.
pub fn text(document: &impl Serialize) -> String {
    // By way of a value, since several parts of a document may be flattened into it.
    let document = serde_json::to_value(document).unwrap_or_default();
    format!("{document:#}\n")
}
