//! Which columns hold the parts of a name, and whether they can stand for a full name.

use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use pebblebank_values::{ColumnRef, Field};

/// The fields that stand for the full name.
pub(super) const PARTS_OF_NAME: [Field; 3] = [Field::FirstName, Field::MiddleName, Field::LastName];

/// Whether the first and the last name stand for the full one, which is not there.
pub(super) fn names_stand_for(map: &ColumnMap) -> bool {
    map.column(Field::FullName).is_none() && has_given_and_family(map)
}

pub(super) fn has_given_and_family(map: &ColumnMap) -> bool {
    map.column(Field::FirstName).is_some() && map.column(Field::LastName).is_some()
}

pub(super) fn is_given_or_family(column: &ColumnRef) -> bool {
    matches!(column, ColumnRef::Field(Field::FirstName | Field::LastName))
}

/// Whether a key names both the given and the family name, which are then compared as the parts of one name.
pub(super) fn names_given_and_family(columns: &[ColumnRef]) -> bool {
    columns.iter().filter(|column| is_given_or_family(column)).count() > 1
}

/// Whether a file has something for a column.
pub fn has_column(column: &ColumnRef, map: &ColumnMap) -> bool {
    let is_name = *column == ColumnRef::Field(Field::FullName) && names_stand_for(map);
    is_name || ValueSource::new(column, map, false) != ValueSource::Nothing
}
