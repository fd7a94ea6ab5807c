//! What is not delimited text, turned into records: workbooks, cards, mail, JSON, recipient lines, archives.
//!
//! [`input`] opens what may be packed, [`mod@format`] tells what it is, [`extract`] takes the rows out into a nameless file
//! that everything after reads like delimited text. Nothing here knows what a column is for.

#![warn(clippy::print_stdout, clippy::print_stderr)]

pub mod encoded_word;
pub mod extract;
pub mod format;
mod guarded;
pub mod input;
mod json;
pub mod mail;
mod recipient_parts;
pub mod recipients;
pub mod unpack;
mod vcard;
mod vcard_property;
pub mod workbook;
pub mod writing;

pub use extract::{Prepared, ReadWishes, prepare};
pub use format::Format;
pub use input::Input;
