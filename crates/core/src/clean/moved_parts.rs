//! Parts of a value that belong into another column of the row: titles and suffixes, region and postal code.

use super::plan::{CleaningPlan, Derived};
use super::row::RowCleaner;
use crate::clean::row_country::RowCountry;
use pebblebank_table::Record;
use pebblebank_table::units::ColumnIndex;
use pebblebank_values::fold::fold;
use pebblebank_values::{Rule, Rules, name, place_parts};

impl RowCleaner {
    /// Titles and suffixes that are in a name go where the file has a column for them.
    pub(super) fn move_name_parts(&mut self, plan: &CleaningPlan, record: &Record) {
        let [title, first, _, last, suffix] = plan.names;
        if let (Some(to), Some(from)) = (title, first) {
            let name = self.value(record, from).into_owned();
            let (found, rest) = name::without_titles(&name);
            self.move_part(record, (from, &name, rest), (to, found));
        }
        if let (Some(to), Some(from)) = (suffix, last) {
            let name = self.value(record, from).into_owned();
            let (rest, found) = name::without_trailing_suffixes(&name);
            self.move_part(record, (from, &name, rest), (to, &found.join(" ")));
        }
    }

    pub(super) fn move_part(&mut self, record: &Record, from: (ColumnIndex, &str, &str), to: (ColumnIndex, &str)) {
        let (from, name, rest) = from;
        let (to, part) = to;
        if part.is_empty() {
            return;
        }
        let there = self.value(record, to).into_owned();
        if !there.is_empty() && fold(&there) != fold(part) {
            return;
        }
        self.change(from, Rules::one(Rule::NameParts), name, rest);
        if there.is_empty() {
            self.change(to, Rules::NONE, "", part);
        }
    }

    /// City, region and postal code in one cell are split where the others are blank, or wanted and not there.
    pub(super) fn part_place(
        &mut self,
        plan: &CleaningPlan,
        city: ColumnIndex,
        record: &Record,
        country: &mut RowCountry,
    ) {
        let raw = record.raw(city.0);
        let is_wanted = plan.postal_code.is_some() || plan.derived.contains(&Derived::PostalCode);
        if !is_wanted || !raw.iter().any(u8::is_ascii_digit) || !plan.columns.iter().any(|known| known.column == city) {
            return;
        }
        let country = self.country(plan, record, country);
        let text = self.value(record, city).into_owned();
        let Some(parts) = place_parts::place_parts(&text, country) else { return };
        let is_free = |cleaner: &RowCleaner, column: Option<ColumnIndex>, part: &str| {
            column.is_none_or(|column| {
                let there = cleaner.value(record, column);
                there.is_empty() || there.eq_ignore_ascii_case(part)
            })
        };
        let region = parts.region.as_deref().unwrap_or_default();
        let keeps_region = region.is_empty() || plan.region.is_some() || plan.derived.contains(&Derived::Region);
        if !keeps_region
            || !is_free(self, plan.postal_code, &parts.postal_code)
            || (!region.is_empty() && !is_free(self, plan.region, region))
        {
            return;
        }
        self.change(city, Rules::one(Rule::PlaceParts), &text, &parts.city);
        for (column, part) in [(plan.postal_code, parts.postal_code.as_str()), (plan.region, region)] {
            if let Some(column) = column
                && !part.is_empty()
                && self.value(record, column).is_empty()
            {
                self.change(column, Rules::NONE, "", part);
            }
        }
    }
}
