//! What a usable contact must have, judged cell by cell for one file.

use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use pebblebank_table::Record;
use pebblebank_table::cell::is_empty;
use pebblebank_table::units::ColumnIndex;
use pebblebank_values::{ColumnRef, Doubt, Field};

/// A requirement, with the columns of one file.
#[derive(Debug, Clone)]
pub struct RequirementPlan {
    fields: Vec<(Field, ValueSource)>,
    any: Vec<Vec<ValueSource>>,
    any_text: String,
    needs_address: bool,
}

impl RequirementPlan {
    /// Fits a requirement to the columns of a file. The address itself is judged elsewhere.
    pub fn new(requirement: &Requirement, map: &ColumnMap, is_receipt: bool) -> RequirementPlan {
        let source = |field: &Field| ValueSource::new(&ColumnRef::Field(*field), map, is_receipt);
        let groups: Vec<String> = requirement
            .any
            .iter()
            .map(|group| group.iter().map(|field| field.name()).collect::<Vec<_>>().join(" + "))
            .collect();
        RequirementPlan {
            fields: requirement
                .fields
                .iter()
                .filter(|field| **field != Field::Email)
                .map(|field| (*field, source(field)))
                .collect(),
            any: requirement.any.iter().map(|group| group.iter().map(source).collect()).collect(),
            any_text: format!("any of {}", groups.join(", ")),
            needs_address: requirement.needs_address(),
        }
    }

    /// Whether the contact must have a usable address.
    pub fn needs_address(&self) -> bool {
        self.needs_address
    }

    /// What a row lacks, in the words of the job; none where it has all. `address` is empty where it is not usable.
    ///
    /// A value that cannot be used as what it should be, such as half a phone number, counts as missing.
    pub fn lacks(&self, record: &Record, doubts: &[(ColumnIndex, Doubt)], address: &[u8]) -> Option<String> {
        let unusable = |source: &ValueSource| {
            let supplier = source.columns().find(|column| !is_empty(record.raw(column.0)))?;
            let of_supplier = |(column, doubt): &&(ColumnIndex, Doubt)| *column == supplier && doubt.is_unusable();
            doubts.iter().find(of_supplier).map(|(_, doubt)| *doubt)
        };
        let is_blank = |source: &ValueSource| source.value(record, address).is_empty() || unusable(source).is_some();
        let missing: Vec<String> = self
            .fields
            .iter()
            .filter(|(_, source)| is_blank(source))
            .map(|(field, source)| match unusable(source) {
                Some(_) => format!("{} (unreadable)", field.name()),
                None => field.name().to_owned(),
            })
            .collect();
        if !missing.is_empty() {
            return Some(missing.join(", "));
        }
        let has_any = self.any.is_empty() || self.any.iter().any(|group| !group.iter().any(is_blank));
        (!has_any).then(|| self.any_text.clone())
    }
}

/// What a contact must have to be written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Requirement {
    /// All of these fields must be filled; `email` must also be valid.
    pub fields: Vec<Field>,
    /// At least one of these groups must be filled wholly; empty asks for nothing.
    pub any: Vec<Vec<Field>>,
    /// At least one copy of the person must say that it opted in.
    pub opted_in: bool,
}

impl Default for Requirement {
    fn default() -> Self {
        Requirement { fields: vec![Field::Email], any: Vec::new(), opted_in: false }
    }
}

impl Requirement {
    /// Whether a usable address is needed.
    pub fn needs_address(&self) -> bool {
        self.fields.contains(&Field::Email)
    }
}
