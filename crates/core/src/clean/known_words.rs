//! Cells of kinds in which few different words occur: what became of each is remembered.

use super::plan::{CleaningPlan, ColumnCleaning};
use pebblebank_values::consent::YesMeans;
use pebblebank_values::date::DateOrder;
use pebblebank_values::quick_map::QuickMap;
use pebblebank_values::{Cleaned, Doubt, Kind};

/// A cell of a kind in which few different words occur, and what became of it.
#[derive(Debug)]
pub(super) struct KnownWord {
    pub(super) cleaned: Cleaned,
    /// What is doubtful in it beside.
    pub(super) doubts: Vec<Doubt>,
    pub(super) before: String,
    pub(super) after: String,
}

/// How many different words are remembered of a kind, and of countries of rows.
pub(super) const WORDS_REMEMBERED: usize = 512;

/// How many different days are remembered: those of some twenty years.
const DAYS_REMEMBERED: usize = 8192;

/// What decides beside the cell what becomes of it.
#[derive(Debug, Clone, Copy, PartialEq)]
struct WordKind {
    kind: Kind,
    yes_means: Option<YesMeans>,
    order: Option<DateOrder>,
    is_receipt: bool,
}

/// The cells that are remembered, by kind.
#[derive(Debug, Default)]
pub(super) struct KnownWords {
    kinds: Vec<(WordKind, QuickMap<Vec<u8>, KnownWord>)>,
}

impl KnownWords {
    /// The place of a column's words; none where cells of its kind are mostly all different.
    pub fn of_column(&mut self, plan: &CleaningPlan, column: &ColumnCleaning) -> Option<usize> {
        let ColumnCleaning { kind, yes_means, order, .. } = *column;
        if !matches!(kind, Kind::Country | Kind::Consent | Kind::Language | Kind::YesNo | Kind::Date(_)) {
            return None;
        }
        let wanted = WordKind { kind, yes_means, order, is_receipt: plan.is_receipt };
        let place = self.kinds.iter().position(|(known, _)| *known == wanted);
        Some(place.unwrap_or_else(|| {
            self.kinds.push((wanted, QuickMap::default()));
            self.kinds.len() - 1
        }))
    }

    #[inline]
    pub fn get(&self, place: usize, raw: &[u8]) -> Option<&KnownWord> {
        self.kinds.get(place)?.1.get(raw)
    }

    /// Remembers what became of a cell, as long as there is room.
    pub fn remember(&mut self, place: usize, raw: &[u8], word: impl FnOnce() -> KnownWord) {
        let (kind, words) = &mut self.kinds[place];
        let most = if matches!(kind.kind, Kind::Date(_)) { DAYS_REMEMBERED } else { WORDS_REMEMBERED };
        if words.len() < most {
            words.insert(raw.to_vec(), word());
        }
    }
}
