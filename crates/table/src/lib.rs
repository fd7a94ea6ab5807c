//! Records as bytes: reading and splitting delimited text, encodings, writing CSV, temporary files, and putting a set of
//! files in place at once.
//!
//! [`record`] defines what a record is, byte by byte; [`scan`] finds the same places 64 bytes at a time where a chunk holds
//! nothing unusual. Nothing here knows what a column means. What every crate above needs is here too: [`error`], the
//! number types of [`units`], and [`observe`], the one way in which work speaks while it goes on.

#![warn(clippy::print_stdout, clippy::print_stderr)]

pub mod cell;
pub mod cell_digest;
pub mod charset;
pub mod chunk;
pub mod csv;
pub mod damage;
pub mod dialect;
pub mod encoding;
mod encoding_weights;
pub mod error;
pub mod file_identity;
pub mod in_order;
pub mod observe;
pub mod owner_only;
pub mod recognise;
pub mod record;
pub mod saved_table;
pub mod scan;
pub mod sorter;
pub mod spill;
pub mod split;
pub mod spool;
pub mod spreadsheet_csv;
pub mod staged;
pub mod taking_effect;
pub mod text_lines;
pub mod unescape;
pub mod units;
pub mod unseen;

pub use chunk::{Chunk, ChunkReader, Shape};
pub use csv::CsvBuffer;
pub use dialect::Dialect;
pub use error::{Error, ErrorKind, Result};
pub use recognise::recognise_dialect;
pub use split::{Record, Records};
