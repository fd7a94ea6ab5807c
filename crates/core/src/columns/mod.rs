//! Headers → fields: where the table begins, which column is which field, what travels along.

pub mod addresses;
pub mod consent;
pub mod headers;
pub mod lines;
pub mod locate;
pub mod map;
pub mod mapping;
pub mod sample;
pub mod shape;
pub mod value;
pub mod wishes;

pub use locate::{Table, likeness, locate_table};
pub use map::{ColumnMap, ConsentColumn};
pub use mapping::Mapping;
