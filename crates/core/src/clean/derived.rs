//! The record built anew, with the fields that its file has no column for but that follow from others.

use super::plan::{CleaningPlan, Derived};
use super::row::RowCleaner;
use crate::clean::cell::original_text;
use crate::clean::row::ROLE_TAG;
use crate::clean::row_country::RowCountry;
use pebblebank_table::csv::needs_quotes;
use pebblebank_table::split::RecordBuffer;
use pebblebank_table::{CsvBuffer, Record, cell};
use pebblebank_values::address::{Address, FurtherAddress};
use pebblebank_values::name::{self, NamePart, NameParts, Naming, repaired_case};
use pebblebank_values::place_parts::PlaceParts;
use pebblebank_values::text::{LineEnds, tidy};
use pebblebank_values::{Field, Rule, Rules, place_parts};
use std::borrow::Cow;

pub(super) fn push_value(cell: &mut CsvBuffer, buffer: &mut RecordBuffer, value: &str) {
    if !needs_quotes(value.as_bytes()) {
        return buffer.cell(value.as_bytes());
    }
    cell.clear();
    cell.value(value.as_bytes());
    buffer.cell(cell.bytes.strip_suffix(b",").unwrap_or(&cell.bytes));
}

impl RowCleaner {
    /// Builds the record anew: cells as they are or as they were changed, then the derived ones, then surplus ones.
    pub(super) fn rebuild(
        &mut self,
        plan: &CleaningPlan,
        record: &Record,
        address: &Address,
        is_tagged: bool,
        country: &mut RowCountry,
    ) {
        let mut buffer = std::mem::take(&mut self.record);
        buffer.clear();
        // A short record grows where a part of another cell goes beyond its end.
        let changed = self.repairs.iter().map(|repair| repair.column.0 + 1).max().unwrap_or_default();
        let cells = if plan.derived.is_empty() { record.cells().max(changed) } else { plan.width };
        for column in 0..cells {
            match self.repairs.iter().rev().find(|repair| repair.column.0 == column) {
                Some(repair) => push_value(&mut self.cell, &mut buffer, &self.texts[repair.after.clone()]),
                None => buffer.cell(record.raw(column)),
            }
        }
        if !plan.derived.is_empty() {
            self.push_derived(plan, record, address, is_tagged, country, &mut buffer);
            for column in plan.width..record.cells() {
                buffer.cell(record.raw(column));
            }
        }
        self.record = buffer;
    }

    /// Adds the fields that follow from others, in the order of the plan.
    fn push_derived(
        &mut self,
        plan: &CleaningPlan,
        record: &Record,
        address: &Address,
        is_tagged: bool,
        country: &mut RowCountry,
        buffer: &mut RecordBuffer,
    ) {
        let full = self.full_name_as_typed(plan, record);
        let naming = full.as_ref().map(|_| self.naming(plan, record, country)).unwrap_or_default();
        let parts = full.as_deref().map(|full| name_parts(full, naming)).unwrap_or_default();
        let has_further = plan.derived.iter().any(|derived| matches!(derived, Derived::FurtherAddress(_)));
        let further = if has_further { self.further_addresses(plan, record, address) } else { Vec::new() };
        let place = self.parted_place(plan, record, country);
        for derived in &plan.derived {
            let whole;
            let value: &str = match derived {
                Derived::PartOfName(part) => parts.part(*part),
                Derived::WholeName => {
                    whole = self.whole_name(plan, record);
                    &whole
                }
                Derived::PostalCode => place.as_ref().map_or("", |place| &place.postal_code),
                Derived::Region => place.as_ref().and_then(|place| place.region.as_deref()).unwrap_or_default(),
                Derived::Tags if is_tagged => ROLE_TAG,
                Derived::Tags | Derived::Supplied => "",
                Derived::FurtherAddress(number) => further.get(number - 2).map_or("", String::as_str),
            };
            push_value(&mut self.cell, buffer, value);
        }
    }

    /// The full name: cleaned, but where it was turned round as it was typed, since its comma says which the family name is.
    fn full_name_as_typed(&self, plan: &CleaningPlan, record: &Record) -> Option<String> {
        let column = plan.full_name?;
        let mut repairs = self.repairs.iter().filter(|repair| repair.column == column);
        if repairs.any(|repair| repair.rules.has(Rule::FamilyFirst)) {
            let typed = original_text(plan, record.raw(column.0));
            return Some(tidy(&typed, LineEnds::AreBlanks, &mut Rules::default()).into_owned());
        }
        Some(self.value(record, column).into_owned())
    }

    /// How names are built in the contact's country, or by its language.
    fn naming(&mut self, plan: &CleaningPlan, record: &Record, country: &mut RowCountry) -> Naming {
        let country = self.country(plan, record, country);
        match (country, plan.map.column(Field::Language)) {
            (None, Some(column)) if column.0 < plan.width => Naming::of(None, &self.value(record, column)),
            _ => Naming::of(country, ""),
        }
    }

    /// What was in the cell of the city besides the city, where it was split.
    fn parted_place(&mut self, plan: &CleaningPlan, record: &Record, country: &mut RowCountry) -> Option<PlaceParts> {
        let is_wanted = plan.derived.iter().any(|derived| matches!(derived, Derived::PostalCode | Derived::Region));
        let is_parted = self.repairs.iter().any(|repair| repair.rules.has(Rule::PlaceParts));
        let city = plan.city.filter(|_| is_wanted && is_parted)?;
        let country = self.country(plan, record, country);
        place_parts::place_parts(&original_text(plan, record.raw(city.0)), country)
    }

    pub(super) fn whole_name(&self, plan: &CleaningPlan, record: &Record) -> String {
        let [_, first, middle, last, _] = plan.names;
        let mut whole = String::new();
        for column in [first, middle, last].into_iter().flatten() {
            let value = self.value(record, column);
            if !value.is_empty() && !whole.is_empty() {
                whole.push(' ');
            }
            whole.push_str(&value);
        }
        whole
    }

    /// The usable addresses beside the first, as they are written: of its cell, then of further columns, each once.
    pub(super) fn further_addresses(&mut self, plan: &CleaningPlan, record: &Record, address: &Address) -> Vec<String> {
        let mut all: Vec<FurtherAddress> = address.further.to_vec();
        for column in &plan.further_addresses {
            let value = cell::value(record.raw(column.0));
            let further = self.addresses.clean(&value);
            if further.is_usable() {
                let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
                let (text, identity) = (text(further.text), text(further.identity));
                all.push(FurtherAddress { typed: text.clone(), text, identity });
                all.extend(further.further.iter().cloned());
            }
        }
        let mut seen = std::collections::HashSet::from([String::from_utf8_lossy(address.identity).into_owned()]);
        all.into_iter().filter(|further| seen.insert(further.identity.clone())).map(|further| further.text).collect()
    }
}

/// The parts of a full name; those of one that was typed in capitals or small letters throughout with usual letter case.
fn name_parts(full: &str, naming: Naming) -> NameParts<'_> {
    let mut parts = name::part_in(full, naming);
    if parts.is_turned && repaired_case(full, NamePart::Full).is_some() {
        let usual = |text: &mut Cow<str>, part| {
            if let Some(repaired) = repaired_case(text, part) {
                *text = repaired.into();
            }
        };
        usual(&mut parts.title, NamePart::Title);
        usual(&mut parts.suffix, NamePart::Suffix);
        usual(&mut parts.first, NamePart::First);
        usual(&mut parts.middle, NamePart::Middle);
        usual(&mut parts.last, NamePart::Last);
    }
    parts
}
