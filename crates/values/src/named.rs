//! The headers that a job names, so that they count as words of headers in its files.

use crate::fold::fold;
use std::collections::HashSet;

/// The headers that a job names, folded.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct NamedHeaders {
    headers: HashSet<String>,
}

impl NamedHeaders {
    /// Whether one of them reads like this, whatever its letter case and punctuation.
    pub fn holds(&self, header: &str) -> bool {
        !self.headers.is_empty() && self.headers.contains(&fold(header))
    }
}

impl<Text: AsRef<str>> FromIterator<Text> for NamedHeaders {
    fn from_iter<All: IntoIterator<Item = Text>>(headers: All) -> NamedHeaders {
        let folded = headers.into_iter().map(|header| fold(header.as_ref()));
        NamedHeaders { headers: folded.filter(|header| !header.is_empty()).collect() }
    }
}
