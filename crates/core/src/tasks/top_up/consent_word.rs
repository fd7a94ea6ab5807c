//! How the master itself says that somebody may be written to: the same words are written behind it.
//!
//! "opted-in" under a header like "do not mail" would say the opposite.

use crate::columns::lines::Line;
use crate::run::decide::known::Known;
use crate::run::gather::chunks::Reading;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::units::{FileId, RowId};
use pebblebank_table::{Records, Result, cell};
use pebblebank_values::Field;
use pebblebank_values::consent::{self, Consent, Statement, YesMeans};
use std::collections::BTreeMap;

/// The word that stands most often in the master's consent column for people who may be written to; empty where none
/// does, so that nothing is said of them.
pub(super) fn word_for_opted_in(known: &Known, observer: &dyn Observer) -> Result<String> {
    let master = &known.files.sources[0];
    let Some(column) = master.map().column(Field::Consent) else { return Ok(String::new()) };
    let known_column = master.map().consents.iter().find(|consent| consent.column == column);
    let yes_means = known_column.and_then(|consent| consent.yes_means);
    let mut words: BTreeMap<String, u64> = BTreeMap::new();
    let mut records = Records::default();
    let mut reading = Reading::again(&known.files.sources, &known.settled.chunks, Stage::Reading, observer);
    while let Some(chunk) = reading.next()?.filter(|chunk| chunk.file == FileId(0)) {
        records.split(&chunk.chunk, master.dialect);
        let first = known.settled.chunks.get(chunk.index).map_or(0, |place| place.first.0);
        for index in 0..records.len() {
            let record = records.get(index, &chunk.chunk.bytes, master.dialect);
            let text = cell::text(record.raw(column.0));
            let text = text.trim();
            let is_word = !text.is_empty() && known.settled.line(RowId(first + index as u32)) == Line::Contact;
            let allows = match consent::read(text, yes_means) {
                Statement::Says(consent) => consent == Consent::OptedIn,
                // "No" under "do not mail".
                Statement::Nothing => yes_means == Some(YesMeans::OptedOut),
                Statement::YesOrNo => false,
            };
            if is_word && allows && (words.len() < MOST_WORDS || words.contains_key(text)) {
                *words.entry(text.to_owned()).or_default() += 1;
            }
        }
        chunk.give_back();
    }
    let best = words.into_iter().max_by_key(|(word, count)| (*count, std::cmp::Reverse(word.clone())));
    Ok(best.map_or(String::new(), |(word, _)| word))
}

/// More different words are no words for consent.
const MOST_WORDS: usize = 1_000;
