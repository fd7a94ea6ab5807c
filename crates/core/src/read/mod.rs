//! Bytes → rows: files, their dialect, chunks that end at a record's end, records and cells.
//!
//! The first stage of a row. [`input`] opens what may be packed, [`mod@format`] tells what it is, [`extract`] takes rows out of
//! what is not delimited text. [`record`] defines what a record is, byte by byte; [`scan`] finds the
//! same places 64 bytes at a time where a chunk holds nothing unusual. Nothing here knows what a
//! column means.

pub mod cell;
pub mod chunk;
pub mod dialect;
pub mod encoded_word;
pub mod encoding;
pub mod extract;
pub mod format;
pub mod input;
mod json;
pub mod lines;
pub(crate) mod mail;
pub mod recipients;
pub mod recognise;
pub mod record;
pub mod scan;
pub mod split;
mod spool;
mod text_lines;
pub mod unescape;
pub mod unpack;
mod vcard;
pub mod workbook;

pub use chunk::{Chunk, ChunkReader, Shape};
pub use dialect::Dialect;
pub use extract::{Prepared, ReadWishes, prepare};
pub use format::Format;
pub use input::Input;
pub use lines::Line;
pub use recognise::recognise_dialect;
pub use split::{Record, Records};
