//! What is in the names of files that are written for words in braces.

/// What stands there, where the job says it.
pub(super) struct NameParts<'a> {
    pub(super) date: &'a str,
    pub(super) campaign: Option<&'a str>,
    pub(super) scope: Option<&'a str>,
}
