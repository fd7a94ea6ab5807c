//! Columns that are recognised by their headers; what stands below a header may speak against it.

use super::consent;
use crate::columns::mapper::Mapper;
use pebblebank_table::Result;
use pebblebank_table::observe::{Finding, Weight};
use pebblebank_table::units::ColumnIndex;
use pebblebank_values::consent as words;
use pebblebank_values::fold::fold;
use pebblebank_values::headers::Meaning;
use pebblebank_values::{Field, headers};
use std::collections::BTreeMap;

impl Mapper<'_> {
    /// Takes the columns whose headers are known.
    pub fn take_recognised(&mut self) -> Result<()> {
        if !self.file.table.has_header {
            return Ok(());
        }
        let mut by_field: BTreeMap<Field, Vec<ColumnIndex>> = BTreeMap::new();
        for index in 0..self.map.width() {
            let column = ColumnIndex(index);
            if self.taken[index] || self.is_not_consent(column) {
                continue;
            }
            // A second column of the same header has a number behind it.
            let of_consent = |meaning: &Meaning| !matches!(meaning, Meaning::Field(_));
            let unnumbered = || headers::recognise(&self.file.table.headers[index]).filter(of_consent);
            match headers::recognise(self.map.header(column)).or_else(unnumbered) {
                // "Contact" may head names or addresses; the values decide.
                Some(Meaning::Field(field)) if field != Field::Email && self.holds_addresses(column) => {}
                // "Member" may head names or numbers.
                Some(Meaning::Field(Field::FullName)) if self.holds_numbers(column) => {
                    by_field.entry(Field::ContactId).or_default().push(column);
                }
                // "State" may head regions, or what became of a subscription.
                Some(Meaning::Field(Field::Region)) if self.speaks_of_consent(column) => {}
                Some(Meaning::Field(field)) => by_field.entry(field).or_default().push(column),
                Some(Meaning::Consent(_)) if self.holds_addresses(column) => {}
                Some(Meaning::Consent(yes_means)) => {
                    let header = self.map.header(column);
                    let yes_means = yes_means.or_else(|| consent::direction_of(header));
                    self.take_consent(column, yes_means);
                }
                Some(Meaning::MaybeConsent) => self.judge_status(column),
                None => {}
            }
        }
        self.part_of_a_name(&mut by_field);
        for (field, columns) in by_field {
            if field == Field::Email {
                self.take_addresses(&columns)?;
            } else if self.map.column(field).is_none() {
                self.take_fullest(field, &columns);
            }
        }
        Ok(())
    }

    /// "Name" beside "Vorname" is the last name, beside "Surname" the first.
    fn part_of_a_name(&self, by_field: &mut BTreeMap<Field, Vec<ColumnIndex>>) {
        let has = |field| by_field.contains_key(&field) || self.map.column(field).is_some();
        let part = match (has(Field::FirstName), has(Field::LastName)) {
            (true, false) => Field::LastName,
            (false, true) => Field::FirstName,
            _ => return,
        };
        let is_bare = |column: &ColumnIndex| {
            matches!(fold(self.map.header(*column)).as_str(), "name" | "naam" | "nom" | "nome" | "nombre")
        };
        if let Some([only]) = by_field.get(&Field::FullName).map(Vec::as_slice)
            && is_bare(only)
        {
            let columns = by_field.remove(&Field::FullName).unwrap_or_default();
            by_field.insert(part, columns);
        }
    }

    /// A column headed only "status" is consent only where most of its filled values are status words.
    fn judge_status(&mut self, column: ColumnIndex) {
        let (mut filled, mut listed) = (0, 0);
        for value in self.file.sample.column(column.0, self.file.table.records_above) {
            filled += 1;
            listed += usize::from(words::is_listed(&value));
        }
        let is_consent = self.file.found_consent.contains(&column) || listed * 2 > filled;
        let header = self.map.header(column).to_owned();
        let text = if is_consent {
            self.take_consent(column, None);
            format!("\"{header}\" was taken for consent, since most of its values are words like subscribed")
        } else {
            self.map.watched.push(column);
            self.taken[column.0] = false;
            format!("\"{header}\" was not taken for consent, since most of its values are not words like subscribed")
        };
        self.findings.push(Finding::new("status-column", Weight::Warning, text).in_column(header));
    }

    /// Of several columns for one field the fullest is taken, the next is its second choice; all but the first travel
    /// along besides.
    fn take_fullest(&mut self, field: Field, columns: &[ColumnIndex]) {
        let above = self.file.table.records_above;
        let filled = |column: &ColumnIndex| self.file.sample.column(column.0, above).count();
        let mut columns = columns.to_vec();
        columns.sort_by_key(|column| std::cmp::Reverse(filled(column)));
        let Some((taken, others)) = columns.split_first() else { return };
        self.take(field, *taken);
        self.map.second_choices[field as usize] = others.first().copied();
        for (rank, other) in others.iter().enumerate() {
            let (header, chosen) = (self.map.header(*other).to_owned(), self.map.header(*taken));
            let text = if rank == 0 {
                format!("\"{chosen}\" was taken for {field}; \"{header}\", less filled, stands in where it is blank")
            } else {
                format!("\"{chosen}\" was taken for {field}; \"{header}\", less filled, travels along as it is")
            };
            self.findings.push(Finding::new("second-column", Weight::Doubt, text).in_column(header));
        }
    }
}
