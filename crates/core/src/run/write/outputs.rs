//! The files of a run, staged beside their targets until all is known to be right.

use super::learned::Learned;
use super::people_index;
use super::rows::{Rows, Sink};
use crate::job::{Job, Write};
use crate::layout::Layout;
use crate::layout::receipt::{AllColumns, CONFLICTS, MERGED, REPAIRS, SET_ASIDE, SUGGESTIONS};
use crate::run::setting::{Setting, folder_for_spooling};
use crate::run::tally::Outcome;
use pebblebank_table::csv::Defusing;
use pebblebank_table::observe::Observer;
use pebblebank_table::sorter::Sorter;
use pebblebank_table::staged::early_sync::EarlySync;
use pebblebank_table::staged::{Commit, FolderFile, Placement, StagedFile, StagedFolder, with_ending};
use pebblebank_table::{CsvBuffer, Error, ErrorKind, Result};
use std::path::{Path, PathBuf};

/// How many rows a preview shows.
pub const PREVIEW_ROWS: usize = 5;

/// How many bytes of a sorted file are written at once.
const SORTED_BYTES: usize = 256 << 10;

/// The files of a run.
pub struct Outputs {
    imports: Vec<Import>,
    set_aside: Option<StagedFile>,
    receipt: Option<Receipt>,
    learned: Option<Learned>,
    preview: CsvBufferHead,
    sync: EarlySync,
}

struct Import {
    file: Option<StagedFile>,
    /// Takes the rows of a file that is sorted.
    sorter: Option<Sorter>,
    rows: u64,
}

struct Receipt {
    folder: StagedFolder,
    set_aside: FolderFile,
    merged: FolderFile,
    repairs: FolderFile,
    suggestions: FolderFile,
    conflicts: FolderFile,
    review: FolderFile,
    near_misses: FolderFile,
    people: FolderFile,
}

/// The documents of a receipt, by file name.
pub struct Documents {
    /// Name and text.
    pub files: Vec<(&'static str, Vec<u8>)>,
}

/// What was put in place.
pub struct Placed {
    /// The receipt.
    pub receipt: Option<PathBuf>,
    /// The file of rows set aside outside a receipt.
    pub set_aside: Option<PathBuf>,
    /// What the bank learns.
    pub learned: Option<Learned>,
}

/// The first rows of a file.
#[derive(Default)]
struct CsvBufferHead {
    bytes: Vec<u8>,
    rows: usize,
}

impl Outputs {
    /// Begins all files, so that what cannot be written is known before the work.
    pub fn stage(job: &Job, setting: &Setting) -> Result<Outputs> {
        let placement = if job.replace { Placement::Replace } else { Placement::New };
        let stage = |path: &PathBuf| {
            if setting.dry_run { Ok(None) } else { StagedFile::create(path, placement).map(Some) }
        };
        let import = |write: &Write| Ok(Import { file: stage(&write.file)?, sorter: None, rows: 0 });
        Ok(Outputs {
            imports: job.writes.iter().map(import).collect::<Result<_>>()?,
            set_aside: job.set_aside.as_ref().map_or(Ok(None), stage)?,
            receipt: match &job.receipt {
                Some(path) if !setting.dry_run => Some(Receipt::stage(path, job.replace)?),
                _ => None,
            },
            learned: if job.remember.is_anything() && !setting.dry_run {
                Some(Learned::new(&folder_for_spooling(job, setting))?)
            } else {
                None
            },
            preview: CsvBufferHead::default(),
            sync: EarlySync::new(),
        })
    }

    /// Writes the headers, once all columns are known.
    pub fn write_headers(&mut self, layouts: &[Layout], columns: &AllColumns) -> Result<()> {
        for (import, layout) in self.imports.iter_mut().zip(layouts) {
            let header = header_of(layout);
            if self.preview.bytes.is_empty() {
                self.preview.bytes.extend_from_slice(&header);
            }
            if let Some(file) = &mut import.file {
                file.write(&header, &self.sync)?;
            }
        }
        if let Some(file) = &mut self.set_aside {
            file.write(&columns.header(&SET_ASIDE), &self.sync)?;
        }
        if let Some(receipt) = &mut self.receipt {
            receipt.set_aside.write(&columns.header(&SET_ASIDE), &self.sync)?;
            receipt.merged.write(&columns.header(&MERGED), &self.sync)?;
            receipt.repairs.write(&AllColumns::default().header(&REPAIRS), &self.sync)?;
            receipt.suggestions.write(&AllColumns::default().header(&SUGGESTIONS), &self.sync)?;
            receipt.conflicts.write(&AllColumns::default().header(&CONFLICTS), &self.sync)?;
            receipt.people.write(&people_index::header(), &self.sync)?;
        }
        Ok(())
    }

    /// Adds rows in which the rows of a person differ.
    pub fn add_conflicts(&mut self, rows: &[u8]) -> Result<()> {
        match &mut self.receipt {
            Some(receipt) => receipt.conflicts.write(rows, &self.sync),
            None => Ok(()),
        }
    }

    /// Adds pairs that are likely one person.
    pub fn add_review(&mut self, rows: &[u8]) -> Result<()> {
        match &mut self.receipt {
            Some(receipt) => receipt.review.write(rows, &self.sync),
            None => Ok(()),
        }
    }

    /// Adds entries of suppression lists that are close to a contact.
    pub fn add_near_misses(&mut self, rows: &[u8]) -> Result<()> {
        match &mut self.receipt {
            Some(receipt) => receipt.near_misses.write(rows, &self.sync),
            None => Ok(()),
        }
    }

    /// Sorts the files whose layouts ask for it, each in up to `memory` bytes, the rest on disk in `folder`.
    pub fn sort(&mut self, layouts: &[Layout], memory: u64, folder: &Path) {
        for (import, layout) in self.imports.iter_mut().zip(layouts) {
            import.sorter = (!layout.sort.is_empty()).then(|| Sorter::new(memory, folder));
        }
    }

    /// Writes the rows of sorted files, once all are there.
    pub fn write_sorted(&mut self, observer: &dyn Observer) -> Result<()> {
        for (place, import) in self.imports.iter_mut().enumerate() {
            let Some(sorter) = import.sorter.take() else { continue };
            let mut in_order = sorter.finish()?;
            let mut bytes = Vec::new();
            let mut is_last = false;
            while !is_last {
                match in_order.next()? {
                    Some((_, row)) => bytes.extend_from_slice(row),
                    None => is_last = true,
                }
                if is_last || bytes.len() > SORTED_BYTES {
                    if place == 0 {
                        self.preview.take(&bytes);
                    }
                    if let Some(file) = &mut import.file {
                        file.write(&bytes, &self.sync)?;
                    }
                    bytes.clear();
                    if observer.wants_stop() {
                        return Err(Error::interrupted());
                    }
                }
            }
        }
        Ok(())
    }

    /// How many rows each import file has.
    pub fn import_rows(&self) -> impl Iterator<Item = u64> {
        self.imports.iter().map(|import| import.rows)
    }

    /// The first rows of the first import file, with its header.
    pub fn preview(&self) -> Vec<u8> {
        self.preview.bytes.clone()
    }

    /// Puts everything in place; after a guard only the receipt, under a name of its own.
    pub fn place(self, outcome: Outcome, documents: &Documents, journal: &Path) -> Result<Placed> {
        let mut commit = Commit::default();
        let mut placed = Placed { receipt: None, set_aside: None, learned: self.learned };
        if outcome == Outcome::Written {
            for file in self.imports.into_iter().filter_map(|import| import.file) {
                commit.file(file);
            }
            if let Some(file) = self.set_aside {
                placed.set_aside = Some(file.target().to_path_buf());
                commit.file(file);
            }
        }
        if let Some(Receipt { mut folder, .. }) = self.receipt {
            for (name, text) in &documents.files {
                folder.file(name)?.write(text, &self.sync)?;
            }
            if outcome == Outcome::Stopped {
                folder.retarget(with_ending(folder.target(), ".stopped"), Placement::Replace)?;
            }
            placed.receipt = Some(folder.target().to_path_buf());
            commit.folder(folder);
        }
        drop(self.sync);
        if outcome != Outcome::DryRun {
            commit.place(journal)?;
        }
        Ok(placed)
    }
}

impl Receipt {
    fn stage(target: &Path, replace: bool) -> Result<Receipt> {
        if target.exists() && !target.join("tally.json").exists() {
            let what = "this exists and is not a receipt of an earlier run, so it is not replaced";
            return Err(Error::new(ErrorKind::Output, what, "name another receipt, or move it away").in_file(target));
        }
        let placement = if replace { Placement::KeepPrevious } else { Placement::New };
        let mut folder = StagedFolder::create(target, placement)?;
        Ok(Receipt {
            set_aside: folder.file("set-aside.csv")?,
            merged: folder.file("merged.csv")?,
            repairs: folder.file("repairs.csv")?,
            suggestions: folder.file("suggestions.csv")?,
            conflicts: folder.file("conflicts.csv")?,
            review: folder.file("review.csv")?,
            near_misses: folder.file("near-misses.csv")?,
            people: folder.file("people.idx")?,
            folder,
        })
    }
}

impl Sink for Outputs {
    fn take(&mut self, rows: &Rows) -> Result<()> {
        let new = rows.imports.files();
        if let (Some(first), Some(Import { sorter: None, .. })) = (new.first(), self.imports.first()) {
            self.preview.take(first.bytes());
        }
        for (import, new) in self.imports.iter_mut().zip(new) {
            import.rows += new.rows();
            if let Some(sorter) = &mut import.sorter {
                new.sorted_rows().try_for_each(|(key, row)| sorter.push(key, row))?;
            } else if let Some(file) = &mut import.file {
                file.write(new.bytes(), &self.sync)?;
            }
        }
        if let Some(file) = &mut self.set_aside {
            file.write(&rows.set_aside.bytes, &self.sync)?;
        }
        if let Some(receipt) = &mut self.receipt {
            receipt.set_aside.write(&rows.set_aside.bytes, &self.sync)?;
            receipt.merged.write(&rows.merged.bytes, &self.sync)?;
            receipt.repairs.write(&rows.repairs.bytes, &self.sync)?;
            receipt.suggestions.write(&rows.suggestions.bytes, &self.sync)?;
            receipt.people.write(&rows.people, &self.sync)?;
        }
        if let Some(learned) = &mut self.learned {
            learned.take(&rows.learned)?;
        }
        Ok(())
    }
}

impl CsvBufferHead {
    /// Takes over rows until there are enough.
    fn take(&mut self, bytes: &[u8]) {
        let mut is_quoted = false;
        let mut end = 0;
        for (at, byte) in bytes.iter().enumerate() {
            if self.rows == PREVIEW_ROWS {
                break;
            }
            match byte {
                b'"' => is_quoted = !is_quoted,
                b'\n' if !is_quoted => {
                    self.rows += 1;
                    end = at + 1;
                }
                _ => {}
            }
        }
        self.bytes.extend_from_slice(&bytes[..end]);
    }
}

fn header_of(layout: &Layout) -> Vec<u8> {
    let mut header = CsvBuffer::new(Defusing::Off);
    layout.columns.iter().for_each(|column| header.value(column.name.as_bytes()));
    header.end_row();
    header.bytes
}
