//! What a file that is written looks like, and the way of rows into it.
//!
//! [`form`] says the shape, [`row_buffer`] turns the rows of a chunk into bytes of it on any thread, [`file_writer`] puts
//! them into files in order, and [`read_back`] reads a finished file again and compares it with what was meant.

pub mod encode;
pub mod file_writer;
pub mod form;
mod json_line;
pub mod read_back;
mod recipient_entry;
pub mod row_buffer;
pub mod sheet;
pub mod wishes;

pub use form::{FileForm, FileFormat};
