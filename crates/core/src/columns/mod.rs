//! Headers → fields: where the table begins, which column is which field, what travels along.

mod address_columns;
pub mod addresses;
mod by_header;
pub mod consent;
pub mod consent_columns;
mod consent_header;
mod consent_values;
pub mod headers;
pub mod lines;
pub mod locate;
pub mod map;
pub mod mapper;
pub mod mapping;
mod said;
pub mod sample;
pub mod shape;
pub mod value;
pub mod wishes;

pub use locate::{Table, likeness, locate_table};
pub use map::{ColumnMap, ConsentColumn};
pub use mapping::Mapping;
