//! Cells of kinds in which few different words occur: what became of each is remembered.

use pebblebank_values::consent::YesMeans;
use pebblebank_values::{Cleaned, Kind};

/// A cell of a kind in which few different words occur, and what became of it.
#[derive(Debug)]
pub(super) struct KnownWord {
    pub(super) cleaned: Cleaned,
    pub(super) before: String,
    pub(super) after: String,
}

/// Kinds of which words are remembered; the direction of yes and no belongs to it.
pub(super) const WORD_KINDS: [(Kind, Option<YesMeans>); 6] = [
    (Kind::Country, None),
    (Kind::Language, None),
    (Kind::YesNo, None),
    (Kind::Consent, None),
    (Kind::Consent, Some(YesMeans::OptedIn)),
    (Kind::Consent, Some(YesMeans::OptedOut)),
];

/// How many different words are remembered for each kind.
pub(super) const WORDS_REMEMBERED: usize = 512;
