//! What is cleaned in the records of one file, and how: fitted to its columns before the first of them is read.

use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use pebblebank_table::units::ColumnIndex;
use pebblebank_values::blank::BlankWords;
use pebblebank_values::consent::YesMeans;
use pebblebank_values::date::{Date, DateOrder, DateSystem};
use pebblebank_values::date_column::{DateColumn, DateOf};
use pebblebank_values::fold::fold;
use pebblebank_values::name::NamePart;
use pebblebank_values::place::Country;
use pebblebank_values::{ColumnRef, Field, Kind};
use std::sync::Arc;

/// What cleaning needs to know beside the columns.
#[derive(Debug, Clone)]
pub struct CleaningWishes {
    /// The country of rows that name none.
    pub country: Option<Country>,
    /// The day of the run.
    pub today: Date,
    /// From when the day numbers of spreadsheets count.
    pub date_system: DateSystem,
    /// Words that stand for nothing.
    pub blank_words: Arc<BlankWords>,
    /// Whether contacts with a role address get a tag.
    pub tags_roles: bool,
    /// Whether the job gives people tags, so that there must be a column for them.
    pub gives_tags: bool,
}

/// A column that is cleaned.
#[derive(Debug, Clone)]
pub struct ColumnCleaning {
    /// Where it is.
    pub column: ColumnIndex,
    /// What it holds.
    pub kind: Kind,
    /// Of dates: which comes first where both can.
    pub order: Option<DateOrder>,
    /// Of tags: what stands between them.
    pub(super) separator: char,
    /// Of consent: what yes means.
    pub(super) yes_means: Option<YesMeans>,
}

/// A field that follows from others.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Derived {
    /// A part of the full name.
    PartOfName(NamePart),
    /// All parts of the name.
    WholeName,
    /// The region in the city's cell.
    Region,
    /// The postal code in the city's cell.
    PostalCode,
    /// Tags where the file has none.
    Tags,
    /// The further address of this number, from 2.
    FurtherAddress(usize),
    /// What other rows or lists give.
    Supplied,
}

/// How the records of one file are cleaned.
#[derive(Debug, Clone)]
pub struct CleaningPlan {
    pub(super) wishes: CleaningWishes,
    pub(super) columns: Vec<ColumnCleaning>,
    pub(super) derived: Vec<Derived>,
    pub(super) width: usize,
    pub(super) country: Option<ColumnIndex>,
    pub(super) full_name: Option<ColumnIndex>,
    pub(super) names: [Option<ColumnIndex>; 5],
    pub(super) city: Option<ColumnIndex>,
    pub(super) region: Option<ColumnIndex>,
    pub(super) postal_code: Option<ColumnIndex>,
    pub(super) tags: Option<ColumnIndex>,
    pub(super) further_addresses: Vec<ColumnIndex>,
    pub(super) is_receipt: bool,
    /// The columns of a cleaned record: those of the file, then the derived ones.
    pub map: ColumnMap,
}

/// What is wanted of a file's columns.
#[derive(Debug, Clone, Default)]
pub struct Wanted {
    /// Known fields.
    pub fields: Vec<Field>,
    /// Columns of the job's own fields.
    pub own: Vec<(ColumnIndex, Kind)>,
    /// How many addresses of a contact, if more than one.
    pub addresses: usize,
}

impl Wanted {
    /// Adds a field or column of a file.
    pub fn add(&mut self, column: &ColumnRef, map: &ColumnMap) {
        match column {
            ColumnRef::Field(field) => {
                if !self.fields.contains(field) {
                    self.fields.push(*field);
                    self.fields.sort();
                }
            }
            ColumnRef::Extra(extra) => {
                self.addresses = self.addresses.max(extra.further_address().unwrap_or_default());
                let own = map.own.iter().find(|(column, _)| fold(map.header(*column)) == extra.folded);
                if let Some(own) = own.filter(|own| !self.own.contains(own)) {
                    self.own.push(*own);
                }
            }
        }
    }
}

/// The header of the further address of this number.
pub fn further_address_name(number: usize) -> String {
    format!("email_{number}")
}

impl CleaningPlan {
    /// Fits the cleaning to a file. `separators` says what stands between the tags of its columns.
    pub fn new(
        wishes: &CleaningWishes,
        wanted: &Wanted,
        map: &ColumnMap,
        is_receipt: bool,
        separators: &[(ColumnIndex, char)],
    ) -> CleaningPlan {
        let wants = |field: Field| wanted.fields.contains(&field);
        let mut plan = CleaningPlan {
            wishes: wishes.clone(),
            columns: Vec::new(),
            derived: Vec::new(),
            width: map.width(),
            country: map.column(Field::Country),
            full_name: map.column(Field::FullName),
            names: [Field::Title, Field::FirstName, Field::MiddleName, Field::LastName, Field::NameSuffix]
                .map(|field| map.column(field)),
            city: map.column(Field::City),
            region: map.column(Field::Region),
            postal_code: map.column(Field::PostalCode),
            tags: map.column(Field::Tags),
            further_addresses: map.further_addresses.clone(),
            is_receipt,
            map: map.clone(),
        };
        plan.derive(wanted, map);
        let derives_names = plan.derived.iter().any(|derived| matches!(derived, Derived::PartOfName(_)));
        let derives_whole = plan.derived.contains(&Derived::WholeName);
        let mut kinds: Vec<(ColumnIndex, Kind)> = Vec::new();
        for field in Field::ALL {
            let is_part = matches!(field, Field::FirstName | Field::MiddleName | Field::LastName);
            let is_needed = wants(field) || (field == Field::FullName && derives_names) || (is_part && derives_whole);
            if is_needed && field != Field::Email {
                let columns = map.column(field).into_iter().chain(map.second_choice(field));
                kinds.extend(columns.map(|column| (column, Kind::of_field(field))));
            }
        }
        kinds.extend(&wanted.own);
        kinds.sort_by_key(|(column, _)| *column);
        let cleaning = |(column, kind): (ColumnIndex, Kind)| {
            let consent = map.consents.iter().find(|consent| consent.column == column);
            let separator = separators.iter().find(|(known, _)| *known == column);
            ColumnCleaning {
                column,
                kind,
                order: None,
                separator: separator.map_or(';', |(_, separator)| *separator),
                yes_means: consent.and_then(|consent| consent.yes_means),
            }
        };
        plan.columns = kinds.into_iter().map(cleaning).collect();
        plan
    }

    /// Adds columns for the wanted fields that follow from others. A whole name follows from a first and a last one, where the
    /// file has a column for each.
    fn derive(&mut self, wanted: &Wanted, map: &ColumnMap) {
        let has = |field: Field| map.column(field).is_some();
        for field in &wanted.fields {
            if has(*field) {
                continue;
            }
            let derived = match field {
                Field::Title if has(Field::FullName) => Derived::PartOfName(NamePart::Title),
                Field::FirstName if has(Field::FullName) => Derived::PartOfName(NamePart::First),
                Field::MiddleName if has(Field::FullName) => Derived::PartOfName(NamePart::Middle),
                Field::LastName if has(Field::FullName) => Derived::PartOfName(NamePart::Last),
                Field::NameSuffix if has(Field::FullName) => Derived::PartOfName(NamePart::Suffix),
                Field::FullName if has(Field::FirstName) && has(Field::LastName) => Derived::WholeName,
                Field::PostalCode if has(Field::City) => Derived::PostalCode,
                Field::Region if has(Field::City) => Derived::Region,
                Field::Tags if self.wishes.tags_roles || self.wishes.gives_tags => Derived::Tags,
                _ => continue,
            };
            self.map.derive(*field);
            self.derived.push(derived);
        }
        for number in 2..=wanted.addresses {
            self.map.derive_extra(further_address_name(number));
            self.derived.push(Derived::FurtherAddress(number));
        }
    }

    /// Makes room for a field or column that other rows or lists may give.
    pub fn supply(&mut self, column: &ColumnRef) {
        if ValueSource::new(column, &self.map, self.is_receipt) != ValueSource::Nothing {
            return;
        }
        match column {
            ColumnRef::Field(Field::Email) => return,
            ColumnRef::Field(field) => self.map.derive(*field),
            ColumnRef::Extra(extra) => self.map.derive_extra(extra.header.clone()),
        }
        self.derived.push(Derived::Supplied);
    }

    /// Whether a field follows from others in this file, which has no column for it.
    pub fn derives(&self, field: Field) -> bool {
        self.derived.iter().any(|derived| match derived {
            Derived::PartOfName(part) => Kind::of_field(field) == Kind::Name(*part),
            Derived::WholeName => field == Field::FullName,
            Derived::Region => field == Field::Region,
            Derived::PostalCode => field == Field::PostalCode,
            Derived::Tags | Derived::FurtherAddress(_) | Derived::Supplied => false,
        })
    }

    /// The columns that are cleaned.
    pub fn columns(&self) -> &[ColumnCleaning] {
        &self.columns
    }

    /// The columns of dates, and what they are of.
    pub fn date_columns(&self) -> impl Iterator<Item = ColumnIndex> {
        self.columns.iter().filter(|column| matches!(column.kind, Kind::Date(_))).map(|column| column.column)
    }

    /// Says which comes first in a column of dates; whether that is new.
    pub fn set_order(&mut self, column: ColumnIndex, order: DateOrder) -> bool {
        let mut is_new = false;
        for known in self.columns.iter_mut().filter(|known| known.column == column) {
            is_new |= known.order.replace(order) != Some(order);
        }
        is_new
    }

    /// The country of rows that name none.
    pub fn country(&self) -> Option<Country> {
        self.wishes.country
    }
}

impl CleaningPlan {
    /// How dates of a kind are taken.
    pub(super) fn dates(&self, of: DateOf, order: Option<DateOrder>) -> DateColumn {
        DateColumn { order, system: self.wishes.date_system, today: self.wishes.today, of }
    }
}
