//! Templates that commands are given.

use crate::arguments::Shared;
use crate::observe::Drawn;
use pebblebank_core::job::sources::ReadFiles;
use pebblebank_core::tasks::template::{Template, read_template};
use pebblebank_table::Result;
use std::path::Path;

/// Reads the layout that a template shows.
pub fn template(path: &Path, read: &ReadFiles, shared: &Shared) -> Result<Template> {
    let drawn = Drawn::of(shared);
    let read = read_template(path, read, &std::env::temp_dir(), &drawn);
    drawn.finish();
    read
}
