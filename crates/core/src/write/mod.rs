//! Lay out, write: values into cells, cells into files, files into place all at once.

pub mod commit;
pub mod csv;
pub mod early_sync;
pub mod layout;
mod leftovers;
pub mod receipt;
pub mod sort;
pub mod value;

pub use commit::{Commit, Placement};
pub use csv::CsvBuffer;
pub use layout::LayoutPlan;
