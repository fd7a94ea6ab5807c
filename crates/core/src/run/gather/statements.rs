//! What cells about consent say. Few different ones occur in a column, so what was read once is remembered.

use crate::clean::double_encoded;
use crate::columns::consent::is_sure_refusal;
use crate::columns::map::ConsentColumn;
use pebblebank_table::cell;
use pebblebank_values::consent::{self, Statement};
use std::borrow::Cow;
use std::collections::HashMap;

/// What status cells say. Few different ones occur, so they are remembered.
#[derive(Default)]
pub(crate) struct Statements {
    /// By the direction of their column.
    said: SaidByDirection,
    /// Whether values of watched columns are words of a status, and refusals.
    watched: HashMap<Vec<u8>, (bool, bool)>,
}

/// What status cells say, by the direction of their column.
type SaidByDirection = HashMap<Option<consent::YesMeans>, HashMap<Vec<u8>, Statement>>;

/// How many different values are remembered.
const KEPT: usize = 256;

impl Statements {
    /// Whether the value of a watched column is a word of a status, and one that can only be a refusal.
    pub fn watched(&mut self, raw: &[u8]) -> (bool, bool) {
        let known = &mut self.watched;
        if let Some(seen) = known.get(raw) {
            return *seen;
        }
        let text = cell::text(raw);
        let seen = (consent::is_listed(&text), is_sure_refusal(&text));
        if known.len() < KEPT {
            known.insert(raw.to_vec(), seen);
        }
        seen
    }

    /// Reads a status cell.
    pub fn read(&mut self, raw: &[u8], column: &ConsentColumn) -> Statement {
        let known = self.said.entry(column.yes_means).or_default();
        if let Some(statement) = known.get(raw) {
            return *statement;
        }
        let text = cell::text(raw);
        let meant = double_encoded::repaired(&text).map_or(text, Cow::Owned);
        let statement = consent::read(&meant, column.yes_means);
        if known.len() < KEPT {
            known.insert(raw.to_vec(), statement);
        }
        statement
    }
}
