//! JSON Schemas of the job file and of a layout in a file of its own, by which editors complete and check them.
//!
//! Where a key takes one of several names, [`super::known_names`] lists those that the job file is read with.

use super::layout_parts::LayoutPart;
use super::parts::JobFile;
use schemars::{JsonSchema, Schema, schema_for};

/// The name of the job file's schema; it grows as those of documents do.
pub const JOB_SCHEMA: &str = "pebblebank/job/1";

/// What the schema of job files is called where it stands beside them.
pub const JOB_SCHEMA_FILE: &str = "pebblebank-job.schema.json";

/// The name of the schema of a layout file.
pub const LAYOUT_SCHEMA: &str = "pebblebank/layout/1";

/// The schema of a job file.
pub fn job() -> Schema {
    entitled::<JobFile>(JOB_SCHEMA, "A job file of Pebblebank")
}

/// The schema of a layout file.
pub fn layout() -> Schema {
    entitled::<LayoutPart>(LAYOUT_SCHEMA, "A layout file of Pebblebank")
}

fn entitled<Part: JsonSchema>(title: &str, description: &str) -> Schema {
    let mut schema = schema_for!(Part);
    schema.insert("title".to_owned(), title.into());
    schema.insert("description".to_owned(), description.into());
    schema
}
