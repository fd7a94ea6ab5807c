//! What a job makes of verdicts on addresses that were found earlier. A run never asks anybody.

use pebblebank_values::verdict::{Level, Verdict};

/// What happens to contacts by their verdicts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct VerdictRules {
    /// How far the verdicts go that count.
    pub level: Level,
    /// After how many days a verdict is no longer believed.
    pub max_age: u32,
    /// Whose contacts are set aside.
    pub set_aside: Vec<Verdict>,
    /// The tag that risky ones get.
    pub tag: Option<String>,
}

/// After how many days a verdict is no longer believed, unless somebody says otherwise.
pub const MAX_AGE: u32 = 30;

/// Reads an age in days, such as `30d` or `30`.
#[must_use]
pub fn days(text: &str) -> Option<u32> {
    text.trim().trim_end_matches(['d', 'D']).trim().parse().ok()
}
