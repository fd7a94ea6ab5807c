//! Documents of `propose` and `review`.

use pebblebank_core::suppress::reason::Reason;
use schemars::JsonSchema;
use serde::Serialize;
use std::path::Path;

/// A job that was proposed.
#[derive(Serialize, JsonSchema)]
pub struct ProposalDocument<'a> {
    /// The file that was written; null where the proposal was only printed.
    pub job_file: Option<&'a Path>,
    /// What became of each file.
    pub parts: Vec<PartDocument<'a>>,
    /// What must be decided before the job can run.
    pub open_questions: &'a [String],
    /// The job file's text.
    pub toml: &'a str,
}

/// A source or list of a proposed job.
#[derive(Serialize, JsonSchema)]
pub struct PartDocument<'a> {
    /// Its name.
    pub name: &'a str,
    /// `source` or `suppress`.
    pub part: &'static str,
    /// Why its people must not be contacted; null for a source.
    pub reason: Option<Reason>,
    /// Why it was taken for that.
    pub because: &'a str,
    /// Its files.
    pub files: &'a [String],
}

/// A layout that was read off a template.
#[derive(Serialize, JsonSchema)]
pub struct LayoutDocument<'a> {
    /// The template.
    pub template: &'a Path,
    /// The file that was written; null where the layout was only printed.
    pub layout_file: Option<&'a Path>,
    /// The names of its columns.
    pub columns: Vec<&'a str>,
    /// What the template does not show.
    pub not_shown: Vec<NotShown<'a>>,
    /// The layout file's text.
    pub toml: &'a str,
}

/// Something that a template does not show.
#[derive(Serialize, JsonSchema)]
pub struct NotShown<'a> {
    /// The column; null where it is about the file.
    pub column: Option<&'a str>,
    /// The sentence.
    pub text: &'a str,
    /// Whether it must be decided first.
    pub open: bool,
}

/// What was decided on likely duplicates.
#[derive(Serialize, JsonSchema)]
pub struct ReviewDocument<'a> {
    /// The file of decisions.
    pub decisions: &'a Path,
    /// Pairs that are one person.
    pub same: u64,
    /// Pairs that are two.
    pub different: u64,
    /// People taken out.
    pub taken_out: u64,
    /// Pairs left for later.
    pub later: u64,
    /// Pairs that were not looked at.
    pub left: usize,
    /// Pairs decided in an earlier review.
    pub decided_before: u64,
}
