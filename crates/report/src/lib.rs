//! What receipts say.
//!
//! [`receipt`] reads the folder that a run left and notices if somebody edited it. [`story`] tells what became of one
//! person, [`changes`] what differs between two runs of the same job, and [`page`] makes an HTML page of a run. Nothing here is printed or changed.

pub mod changes;
pub mod new_rows;
pub mod page;
pub mod receipt;
pub mod story;
