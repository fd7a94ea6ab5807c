//! The files of a top-up, and the end of the master.

use super::dialect::Manner;
use crate::run::open::files::OpenFile;
use crate::tasks::top_up::wishes::TopUpWishes;
use encoding_rs::UTF_8;
use pebblebank_formats::writing::read_back::{self, DelimitedText};
use pebblebank_table::cell_digest::RowsDigest;
use pebblebank_table::observe::Observer;
use pebblebank_table::staged::placement::Placement;
use pebblebank_table::staged::{Output, Staged};
use pebblebank_table::units::SourceId;
use pebblebank_table::{Error, Result};
use std::io::{Read, Seek, SeekFrom};

/// The files of a top-up.
pub(crate) struct Files {
    pub(super) output: Output,
    pub(super) set_aside: Output,
    /// The list of filled cells, where the master's blank cells are filled.
    pub(super) repairs: Option<Output>,
}

impl Files {
    pub fn stage(wishes: &TopUpWishes, staged: &mut Staged) -> Result<Files> {
        let placement = Placement::of_file(wishes.replace);
        let output = staged.file(&wishes.output, placement)?;
        let set_aside = staged.file(&wishes.set_aside, placement)?;
        let repairs = if wishes.update { Some(staged.file(&wishes.repairs, placement)?) } else { None };
        Ok(Files { output, set_aside, repairs })
    }
}

/// The last bytes of the master, as they lie.
pub(crate) fn tail_of(master: &OpenFile<SourceId>) -> Result<Vec<u8>> {
    let fail = |cause: std::io::Error| Error::unreadable(master.input.path(), &cause);
    let mut file = master.input.packed_file()?;
    let length = file.seek(SeekFrom::End(0)).map_err(fail)?;
    file.seek(SeekFrom::Start(length.saturating_sub(8))).map_err(fail)?;
    let mut tail = Vec::new();
    file.read_to_end(&mut tail).map_err(fail)?;
    Ok(tail)
}

/// Reads the finished file again: it must hold the master's rows and the new ones, and nothing else. Fails where a reader would
/// find other rows, as where the master ends within quotes.
pub(super) fn read_back(
    master: &OpenFile<SourceId>,
    (staged, output): (&Staged, Output),
    new: RowsDigest,
    cells_may_differ: bool,
    threads: usize,
    observer: &dyn Observer,
) -> Result<()> {
    let Some(path) = staged.part(output) else { return Ok(()) };
    let shown = staged.target(output);
    let text = |path, shown| DelimitedText {
        path,
        shown,
        encoding: master.encoding.standard().unwrap_or(UTF_8),
        dialect: master.dialect,
    };
    let found = text(path, shown).digest(threads, observer)?;
    let mut meant = text(master.input.path(), master.input.path()).digest(threads, observer)?;
    meant.add(new);
    let is_meant = if cells_may_differ { found.rows == meant.rows } else { found == meant };
    if is_meant { Ok(()) } else { Err(read_back::differs(shown, meant.rows, found.rows)) }
}

pub(crate) fn ends_with_line_end(tail: &[u8], manner: &Manner) -> Result<bool> {
    let last = manner.encoded(&manner.line_end.as_bytes()[manner.line_end.len() - 1..])?;
    Ok(tail.is_empty() || tail.ends_with(&last))
}
