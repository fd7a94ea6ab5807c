//! Headers → fields: where the table begins, which column is which field, what travels along.

pub mod addresses;
pub mod consent;
pub mod field;
pub mod fold;
pub mod headers;
pub mod locate;
pub mod mapping;
mod named;
pub mod sample;
pub mod shape;

pub use field::Field;
pub use locate::{Table, likeness, locate_table};
pub use mapping::{ColumnMap, ConsentColumn, Mapping};
pub use named::NamedHeaders;
