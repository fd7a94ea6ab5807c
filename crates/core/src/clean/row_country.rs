//! The country of a row, by which its phone numbers, postal codes and regions are read: asked for once, and remembered
//! by what is in the cell.

use super::plan::CleaningPlan;
use super::row::RowCleaner;
use crate::clean::known_words::WORDS_REMEMBERED;
use pebblebank_table::{Record, cell};
use pebblebank_values::Rules;
use pebblebank_values::blank::BlankIn;
use pebblebank_values::place::Country;
use pebblebank_values::text::{LineEnds, tidy};

/// The country of the row that is being cleaned, once it was asked for.
#[derive(Debug, Clone, Copy)]
pub(super) enum RowCountry {
    NotAsked,
    Is(Option<Country>),
}

impl RowCleaner {
    /// The country of the row: its own, else the job's. A row whose country is not known has none.
    pub(super) fn country(
        &mut self,
        plan: &CleaningPlan,
        record: &Record,
        country: &mut RowCountry,
    ) -> Option<Country> {
        if let RowCountry::Is(known) = *country {
            return known;
        }
        let found = self.find_country(plan, record);
        *country = RowCountry::Is(found);
        found
    }

    pub(super) fn find_country(&mut self, plan: &CleaningPlan, record: &Record) -> Option<Country> {
        let raw = plan.country.map_or(&[][..], |column| record.raw(column.0));
        if raw.is_empty() {
            return plan.wishes.country;
        }
        if let Some(known) = self.known_countries.get(raw) {
            return *known;
        }
        let text = cell::text(raw);
        let found = if plan.wishes.blank_words.holds(&text, BlankIn::Places) {
            plan.wishes.country
        } else {
            Country::from_text(&tidy(&text, LineEnds::AreBlanks, &mut Rules::default()))
        };
        if self.known_countries.len() < WORDS_REMEMBERED {
            self.known_countries.insert(raw.to_vec(), found);
        }
        found
    }
}
