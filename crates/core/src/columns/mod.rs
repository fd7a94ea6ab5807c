//! Headers → fields: where the table begins, which column is which field, what travels along.

pub mod field;
pub mod fold;
pub mod headers;
pub mod locate;
pub mod mapping;

pub use field::Field;
pub use locate::{Table, likeness, locate_table};
pub use mapping::{ColumnMap, ConsentColumn, Mapping};
