//! A key of a job file that takes one text or a list of them.

use schemars::JsonSchema;
use serde::Deserialize;

/// One header, or several.
#[derive(Deserialize, JsonSchema, Clone)]
#[serde(untagged)]
pub(super) enum Headers {
    One(String),
    Several(Vec<String>),
}

impl Headers {
    pub(super) fn into_vec(self) -> Vec<String> {
        match self {
            Headers::One(header) => vec![header],
            Headers::Several(headers) => headers,
        }
    }
}
