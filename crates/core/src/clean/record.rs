//! A record as it was read → the same with its values cleaned, and with the fields that its file has no column for but
//! that follow from others.
//!
//! Only columns that are written, required, or in a condition are looked at. A record in which all is clean is handed on
//! as it is.

use super::plan::CleaningPlan;
use super::row::RowCleaner;
use crate::clean::row::ROLE_TAG;
use crate::clean::row_country::RowCountry;
use pebblebank_table::Record;
use pebblebank_values::address::Address;
use pebblebank_values::{Rule, Rules, audience, tags};

impl RowCleaner {
    /// Cleans a record whose address is `address`: puts right what was decoded wrongly, then cleans each value.
    pub fn clean(&mut self, plan: &CleaningPlan, record: &Record, address: &Address) {
        let mut decoded = std::mem::take(&mut self.decoded);
        self.is_decoded = decoded.read(record, &plan.map);
        let meant = if self.is_decoded { decoded.record() } else { *record };
        self.clean_values(plan, &meant, address);
        self.decoded = decoded;
    }

    pub(super) fn clean_values(&mut self, plan: &CleaningPlan, record: &Record, address: &Address) {
        self.repairs.clear();
        self.doubts.clear();
        self.texts.clear();
        self.is_changed = false;
        let mut country = RowCountry::NotAsked;
        for column in &plan.columns {
            let raw = record.raw(column.column.0);
            if !raw.is_empty() && !self.is_surely_clean(plan, column, raw, record, &mut country) {
                self.clean_cell(plan, column, raw, record, &mut country);
            }
        }
        if plan.names[0].is_some() || plan.names[4].is_some() {
            self.move_name_parts(plan, record);
        }
        if let Some(city) = plan.city {
            self.part_place(plan, city, record, &mut country);
        }
        let is_tagged = plan.wishes.tags_roles && address.is_usable() && audience::is_role(address.local());
        if let (true, Some(column)) = (is_tagged, plan.tags) {
            let value = self.value(record, column).into_owned();
            let tagged =
                if value.is_empty() { ROLE_TAG.to_owned() } else { format!("{value}{}{ROLE_TAG}", tags::BETWEEN) };
            if !value.split(tags::BETWEEN).any(|tag| tag == ROLE_TAG) {
                self.change(column, Rules::one(Rule::TagsForm), &value, &tagged);
            }
        }
        self.is_changed = !self.repairs.is_empty() || !plan.derived.is_empty();
        if self.is_changed {
            self.rebuild(plan, record, address, is_tagged, &mut country);
        }
    }
}
