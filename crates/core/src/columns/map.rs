//! What the columns of one file are: which holds which field, which say who may be written to, which travel along.

use super::headers::Headers;
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Record, cell};
use pebblebank_values::address_syntax::domain;
use pebblebank_values::comparable::Form;
use pebblebank_values::consent::YesMeans;
use pebblebank_values::fold::fold;
use pebblebank_values::{ColumnRef, Field, Kind, address, look};

/// What the columns of one file are.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ColumnMap {
    /// The headers, made different from each other and never empty.
    pub headers: Headers,
    pub(super) fields: [Option<ColumnIndex>; Field::COUNT],
    /// What is taken where the column of a field is blank.
    pub(super) second_choices: [Option<ColumnIndex>; Field::COUNT],
    /// Columns that say who may be written to; the most restrictive holds.
    pub consents: Vec<ConsentColumn>,
    /// Columns that may say so, and leave several readings.
    pub open_consents: Vec<OpenConsent>,
    /// Columns that were not taken for consent by what their beginning shows, and are watched further down.
    pub watched: Vec<ColumnIndex>,
    /// Columns of second addresses.
    pub further_addresses: Vec<ColumnIndex>,
    /// Columns of addresses of which it is not clear whose they are: compared with lists, and joining nobody.
    pub compared_addresses: Vec<ColumnIndex>,
    /// Columns of addresses of somebody else: "Added by", "Replaced by".
    pub others_addresses: Vec<ColumnIndex>,
    /// Columns without a known meaning, and those of the job's own fields.
    pub extras: Vec<ColumnIndex>,
    /// The columns of the job's own fields, and what their values are.
    pub own: Vec<(ColumnIndex, Kind)>,
    /// The most cells that a row has, but for one that a delimiter too many has lengthened.
    pub(super) usual_cells: usize,
}

impl ColumnMap {
    /// The form of a column's values in a file; of an extra column as the job's own fields say it.
    pub fn form_of(&self, column: &ColumnRef) -> Form {
        match column {
            ColumnRef::Field(field) => Form::of(Kind::of_field(*field)),
            ColumnRef::Extra(extra) => {
                let own = self.own.iter().find(|(column, _)| fold(self.header(*column)) == extra.folded);
                own.map_or(Form::Text, |(_, kind)| Form::of(*kind))
            }
        }
    }

    /// Columns that go by their headers alone.
    pub fn of_extras(headers: Vec<String>) -> ColumnMap {
        let usual_cells = headers.len();
        let extras = (0..headers.len()).map(ColumnIndex).collect();
        ColumnMap { extras, ..ColumnMap::unknown(headers, usual_cells) }
    }

    /// Columns of which nothing is known yet. A row has at most `usual_cells`, but for one with a delimiter too many.
    pub(super) fn unknown(headers: Vec<String>, usual_cells: usize) -> ColumnMap {
        ColumnMap {
            extras: Vec::new(),
            usual_cells,
            headers: headers.into(),
            fields: [None; Field::COUNT],
            second_choices: [None; Field::COUNT],
            consents: Vec::new(),
            open_consents: Vec::new(),
            watched: Vec::new(),
            further_addresses: Vec::new(),
            compared_addresses: Vec::new(),
            others_addresses: Vec::new(),
            own: Vec::new(),
        }
    }

    /// The column of a field.
    #[inline]
    pub fn column(&self, field: Field) -> Option<ColumnIndex> {
        self.fields[field as usize]
    }

    /// The fields that have a column, each with it and the one that is taken where it is blank.
    pub fn field_columns(&self) -> impl Iterator<Item = (Field, ColumnIndex, Option<ColumnIndex>)> + '_ {
        Field::ALL.into_iter().filter_map(|field| Some((field, self.column(field)?, self.second_choice(field))))
    }

    /// The column that is taken where that of the field is blank.
    pub fn second_choice(&self, field: Field) -> Option<ColumnIndex> {
        self.second_choices[field as usize]
    }

    /// The columns of the contact's addresses, the first one first.
    pub fn address_columns(&self) -> impl Iterator<Item = ColumnIndex> + '_ {
        self.column(Field::Email).into_iter().chain(self.further_addresses.iter().copied())
    }

    /// The cells of a list's row that hold an address and nothing else, outside of the columns of addresses: cells that a
    /// delimiter too many has shifted. Looked for in rows whose own column of
    /// addresses gave no entry, and in those that are longer than the header.
    pub fn shifted_addresses(&self, record: &Record, first_gave_entry: bool) -> Vec<ColumnIndex> {
        let is_read = |column: &ColumnIndex| self.address_columns().any(|own| own == *column);
        let extent =
            (0..record.cells()).rev().find(|column| !cell::is_empty(record.raw(*column))).map_or(0, |last| last + 1);
        let shift = extent.saturating_sub(self.width());
        let first = if first_gave_entry && shift == 0 { self.width() } else { 0 };
        let own = self.column(Field::Email).map(|own| own.0);
        let is_address = |column: &ColumnIndex| {
            let raw = record.raw(column.0);
            if memchr::memchr(b'@', raw).is_some() && is_address_alone(&cell::text(raw)) {
                return true;
            }
            // A domain counts only where the address would stand.
            let furthest = shift.max(usize::from(!first_gave_entry));
            own.is_some_and(|own| (own + 1..=own + furthest).contains(&column.0))
                && self.field_of(*column) != Some(Field::Website)
                && is_domain_entry(&cell::text(raw))
        };
        let columns = (first..record.cells()).map(ColumnIndex);
        columns
            .filter(|column| !is_read(column) && !self.others_addresses.contains(column) && is_address(column))
            .collect()
    }

    /// Whether a row has more cells than the header and most rows, blank ones included.
    pub fn is_longer(&self, record: &Record) -> bool {
        record.cells() > self.usual_cells
    }

    /// The field that a column feeds, if any: as its first or its second choice.
    pub fn field_of(&self, column: ColumnIndex) -> Option<Field> {
        let feeds = |field: &Field| {
            self.fields[*field as usize] == Some(column) || self.second_choices[*field as usize] == Some(column)
        };
        Field::ALL.into_iter().find(feeds)
    }

    /// Adds a column for a field that follows from others.
    pub fn derive(&mut self, field: Field) {
        self.fields[field as usize] = Some(ColumnIndex(self.headers.len()));
        self.headers.push(field.name().to_owned());
    }

    /// Adds an extra column that follows from others.
    pub fn derive_extra(&mut self, header: String) {
        self.headers.push(header);
    }

    /// The header of a column.
    pub fn header(&self, column: ColumnIndex) -> &str {
        &self.headers[column.0]
    }

    /// How many columns the header has.
    pub fn width(&self) -> usize {
        self.headers.len()
    }
}

/// A column that says who may be written to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ConsentColumn {
    /// Where it is.
    pub column: ColumnIndex,
    /// What yes means in it, where that is clear.
    pub yes_means: Option<YesMeans>,
    /// Whether boxes are ticked under an opt-in, so that a blank may mean that somebody did not opt in.
    pub is_ticks: bool,
}

/// A column that may say who may be written to, and leaves several readings.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OpenConsent {
    /// Where it is.
    pub column: ColumnIndex,
    /// Its most frequent values with their counts.
    pub values: String,
}

/// Whether a cell is an address, perhaps with a name, and no text that mentions one.
pub(crate) fn is_address_alone(value: &str) -> bool {
    let name = value.trim();
    is_domain_entry(name) || address::AddressCleaner::default().clean(name.as_bytes()).is_usable()
}

/// A cell of a list that means a domain: `@hotel.example`.
pub(crate) fn is_domain_entry(value: &str) -> bool {
    let name = value.trim().trim_start_matches(['@', '*', '.']);
    look::is_domain(name) || domain(name).is_some_and(|_| value.trim().starts_with('@'))
}

/// Headers without blanks around, never empty, and different from each other even when folded.
pub(crate) fn distinct_headers(headers: &[String]) -> Vec<String> {
    let mut seen = std::collections::HashSet::new();
    // The number of the next copy, so that a thousand equal headers do not each count from two.
    let mut copies: std::collections::HashMap<String, usize> = std::collections::HashMap::new();
    let mut distinct = Vec::with_capacity(headers.len());
    for (index, header) in headers.iter().enumerate() {
        let name = match header.trim() {
            "" => format!("column {}", index + 1),
            name => name.to_owned(),
        };
        let mut candidate = name.clone();
        while !seen.insert(fold(&candidate)) {
            let copy = copies.entry(fold(&name)).or_insert(2);
            candidate = format!("{name} ({copy})");
            *copy += 1;
        }
        distinct.push(candidate);
    }
    distinct
}
