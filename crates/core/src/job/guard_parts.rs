//! The part of a job file about the limits that stop a run, as TOML has it.

use crate::job::known_names;
use schemars::JsonSchema;
use serde::Deserialize;
use std::collections::BTreeMap;

/// A share or a number of rows, or one for each reason.
#[derive(Deserialize, JsonSchema)]
#[serde(untagged, expecting = "a share as \"40%\", a number of rows, or { all = \"40%\", invalid-address = 200 }")]
pub(super) enum SetAsidePart {
    Share(String),
    Rows(u64),
    Each(BTreeMap<String, ShareOrRows>),
}

impl Default for SetAsidePart {
    fn default() -> SetAsidePart {
        SetAsidePart::Each(BTreeMap::new())
    }
}

#[derive(Deserialize, JsonSchema)]
#[serde(untagged, expecting = "a share as \"40%\", or a number of rows")]
pub(super) enum ShareOrRows {
    Share(String),
    Rows(u64),
}

#[derive(Deserialize, JsonSchema, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct GuardPart {
    /// How many contacts may be set aside: a share, a number, or one for each reason.
    #[serde(default)]
    pub(super) set_aside_at_most: SetAsidePart,
    /// The fewest contacts that must be written; 1 by default.
    pub(super) write_at_least: Option<u64>,
    /// The most contacts that may be written.
    pub(super) write_at_most: Option<u64>,
    /// The number of contacts that must be written.
    pub(super) write_exactly: Option<u64>,
    /// How much the number of contacts may differ from the run before, as `"20%"`.
    pub(super) change_at_most: Option<String>,
    /// No source may be the same as in the run before.
    #[serde(default)]
    pub(super) not_same_as_last_time: bool,
    /// No source may have fewer rows than in the run before.
    #[serde(default)]
    pub(super) not_fewer_than_last_time: bool,
    /// Every source must have rows.
    #[serde(default)]
    pub(super) no_empty_source: bool,
    /// The numbers of contacts at which the sending service costs more.
    #[serde(default)]
    pub(super) steps: Vec<u64>,
    /// Guards that do not stop the run, each up to the count that its message gives.
    #[serde(default)]
    #[schemars(schema_with = "known_names::accepted_guards")]
    pub(super) accept: BTreeMap<String, u64>,
}
