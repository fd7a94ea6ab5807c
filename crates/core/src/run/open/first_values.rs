//! What the beginning of a file shows of its values, for decisions that go beyond one column or one file.

use crate::columns::locate::Table;
use crate::columns::map::ColumnMap;
use crate::columns::sample::SampleRecords;
use pebblebank_table::observe::{Finding, Weight};
use pebblebank_table::units::{ColumnIndex, RowNumber};
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::date_column::OrderEvidence;
use pebblebank_values::fold::fold;
use pebblebank_values::{Field, Kind, tags};
use std::collections::HashSet;

/// What the beginning of a file shows.
#[derive(Debug, Clone, Default)]
pub struct Glimpse {
    /// The domains of its addresses, as A-labels.
    pub domains: Vec<String>,
    /// What stands between the tags of its columns of tags.
    pub separators: Vec<(ColumnIndex, char)>,
    /// What its columns of dates show of their order.
    pub dates: Vec<(ColumnIndex, OrderEvidence)>,
    /// First names, folded.
    first_names: HashSet<String>,
    /// Last names, folded.
    last_names: HashSet<String>,
}

impl Glimpse {
    /// Looks at the beginning of a file.
    pub fn new(map: &ColumnMap, table: &Table, sample: &SampleRecords) -> Glimpse {
        let values = |column: ColumnIndex| sample.column(column.0, table.records_above);
        let mut cleaner = AddressCleaner::default();
        let mut domains = Vec::new();
        if let Some(column) = map.column(Field::Email) {
            for value in values(column) {
                let address = cleaner.clean(value.as_bytes());
                if address.is_usable() {
                    domains.push(String::from_utf8_lossy(address.domain()).into_owned());
                }
            }
        }
        let own_tags = map.own.iter().filter(|(_, kind)| *kind == Kind::Tags).map(|(column, _)| *column);
        let separator = |column| {
            let values: Vec<String> = values(column).collect();
            (column, tags::separator_of(values.iter().map(String::as_str)))
        };
        let names = |field: Field| match map.column(field) {
            Some(column) => values(column).map(|value| fold(&value)).filter(|name| !name.is_empty()).collect(),
            None => HashSet::new(),
        };
        let own_dates = map.own.iter().filter(|(_, kind)| matches!(kind, Kind::Date(_))).map(|(column, _)| *column);
        let dates = Field::ALL.into_iter().filter(|field| field.is_date()).filter_map(|field| map.column(field));
        let order = |column| {
            let mut seen = OrderEvidence::default();
            values(column).for_each(|value| seen.look(value.as_bytes(), RowNumber(0)));
            (column, seen)
        };
        Glimpse {
            domains,
            dates: dates.chain(own_dates).map(order).collect(),
            separators: map.column(Field::Tags).into_iter().chain(own_tags).map(separator).collect(),
            first_names: names(Field::FirstName),
            last_names: names(Field::LastName),
        }
    }

    /// Whether the first names of one file are the last names of the other: this many names are found crosswise, and
    /// hardly any straight.
    fn is_swapped_against(&self, other: &Glimpse) -> bool {
        const NAMES: usize = 5;
        const TIMES: usize = 3;
        let shared = |a: &HashSet<String>, b: &HashSet<String>| a.intersection(b).count();
        let crosswise = shared(&self.first_names, &other.last_names) + shared(&self.last_names, &other.first_names);
        let straight = shared(&self.first_names, &other.first_names) + shared(&self.last_names, &other.last_names);
        crosswise >= NAMES && crosswise > straight * TIMES
    }
}

/// Files whose first and last names seem swapped against those of the files before them.
pub fn swapped_names(files: &[(String, &Glimpse)]) -> Vec<Finding> {
    let mut findings = Vec::new();
    for (place, (name, glimpse)) in files.iter().enumerate() {
        let against = files[..place].iter().find(|(_, earlier)| glimpse.is_swapped_against(earlier));
        if let Some((earlier, _)) = against {
            let what =
                format!("first and last names seem swapped against {earlier}; if so, say which column is which:");
            let text = format!("{what} --field \"first_name=…\" --field \"last_name=…\"");
            let in_job = format!("{what} columns = {{ first_name = \"…\", last_name = \"…\" }}");
            let finding = Finding::new("swapped-names", Weight::Warning, text).or_in_job(in_job);
            findings.push(finding.in_file(name.clone()));
        }
    }
    findings
}
