//! Bytes → rows: files, their dialect, chunks that end at a record's end, records and cells.
//!
//! The first stage of a row. [`record`] defines what a record is, byte by byte; [`scan`] finds the
//! same places 64 bytes at a time where a chunk holds nothing unusual. Nothing here knows what a
//! column means.

pub mod cell;
pub mod chunk;
pub mod dialect;
pub mod encoding;
pub mod input;
pub mod lines;
pub mod recognise;
pub mod record;
pub mod scan;
pub mod split;

pub use chunk::{Chunk, ChunkReader, Shape};
pub use dialect::Dialect;
pub use input::Input;
pub use lines::Line;
pub use recognise::recognise_dialect;
pub use split::{Record, Records};
