//! Pick the audience: conditions on fields, read as words.
//!
//! [`condition`] reads them, [`plan`] fits them to the columns of a file and judges contacts.

pub mod condition;
mod condition_meant;
mod condition_words;
pub mod plan;
pub mod table;

pub use condition::Selection;
pub use plan::SelectionPlan;
pub use table::TableSelection;
