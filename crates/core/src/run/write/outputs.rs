//! The files of a run, staged beside their targets until all is known to be right.

use super::learned::Learned;
use super::people_index;
use super::rows::{Rows, Sink};
use crate::job::Job;
use crate::layout::Layout;
use crate::layout::receipt::{AllColumns, CONFLICTS, MERGED, REPAIRS, SET_ASIDE, SUGGESTIONS};
use crate::run::setting::{Setting, folder_for_spooling};
use crate::run::tally::Outcome;
use pebblebank_table::csv::Defusing;
use pebblebank_table::observe::Observer;
use pebblebank_table::sorter::Sorter;
use pebblebank_table::staged::placement::{Placement, with_ending};
use pebblebank_table::staged::{Output, Staged};
use pebblebank_table::{CsvBuffer, Error, ErrorKind, Result};
use std::path::{Path, PathBuf};

/// How many rows a preview shows.
pub const PREVIEW_ROWS: usize = 5;

/// How many bytes of a sorted file are written at once.
const SORTED_BYTES: usize = 256 << 10;

/// The files of a run.
pub struct Outputs {
    staged: Staged,
    imports: Vec<Import>,
    set_aside: Option<Output>,
    receipt: Option<Receipt>,
    learned: Option<Learned>,
    preview: CsvBufferHead,
}

struct Import {
    file: Output,
    /// Takes the rows of a file that is sorted.
    sorter: Option<Sorter>,
    rows: u64,
}

struct Receipt {
    folder: Output,
    set_aside: Output,
    merged: Output,
    repairs: Output,
    suggestions: Output,
    conflicts: Output,
    review: Output,
    near_misses: Output,
    people: Output,
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
        let mut staged = Staged::new(setting.dry_run);
        let placement = Placement::of_file(job.replace);
        let mut imports = Vec::new();
        for write in &job.writes {
            imports.push(Import { file: staged.file(&write.file, placement)?, sorter: None, rows: 0 });
        }
        let set_aside = job.set_aside.as_ref().map(|path| staged.file(path, placement)).transpose()?;
        let receipt = job.receipt.as_ref().map(|path| Receipt::stage(path, job.replace, &mut staged)).transpose()?;
        Ok(Outputs {
            imports,
            set_aside,
            receipt,
            learned: if job.remember.is_anything() && !setting.dry_run {
                Some(Learned::new(&folder_for_spooling(job, setting))?)
            } else {
                None
            },
            preview: CsvBufferHead::default(),
            staged,
        })
    }

    /// Writes the headers, once all columns are known.
    pub fn write_headers(&mut self, layouts: &[Layout], columns: &AllColumns) -> Result<()> {
        for (import, layout) in self.imports.iter_mut().zip(layouts) {
            let header = header_of(layout);
            if self.preview.bytes.is_empty() {
                self.preview.bytes.extend_from_slice(&header);
            }
            self.staged.write(import.file, &header)?;
        }
        if let Some(file) = self.set_aside {
            self.staged.write(file, &columns.header(&SET_ASIDE))?;
        }
        if let Some(receipt) = &self.receipt {
            self.staged.write(receipt.set_aside, &columns.header(&SET_ASIDE))?;
            self.staged.write(receipt.merged, &columns.header(&MERGED))?;
            self.staged.write(receipt.repairs, &AllColumns::default().header(&REPAIRS))?;
            self.staged.write(receipt.suggestions, &AllColumns::default().header(&SUGGESTIONS))?;
            self.staged.write(receipt.conflicts, &AllColumns::default().header(&CONFLICTS))?;
            self.staged.write(receipt.people, &people_index::header())?;
        }
        Ok(())
    }

    /// Adds rows in which the rows of a person differ.
    pub fn add_conflicts(&mut self, rows: &[u8]) -> Result<()> {
        match &self.receipt {
            Some(receipt) => self.staged.write(receipt.conflicts, rows),
            None => Ok(()),
        }
    }

    /// Adds pairs that are likely one person.
    pub fn add_review(&mut self, rows: &[u8]) -> Result<()> {
        match &self.receipt {
            Some(receipt) => self.staged.write(receipt.review, rows),
            None => Ok(()),
        }
    }

    /// Adds entries of suppression lists that are close to a contact.
    pub fn add_near_misses(&mut self, rows: &[u8]) -> Result<()> {
        match &self.receipt {
            Some(receipt) => self.staged.write(receipt.near_misses, rows),
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
                    self.staged.write(import.file, &bytes)?;
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
    pub fn place(self, outcome: Outcome, documents: &Documents) -> Result<Placed> {
        let Outputs { mut staged, imports, set_aside, receipt, learned, .. } = self;
        let mut placed = Placed { receipt: None, set_aside: None, learned };
        let files = imports.iter().map(|import| import.file).chain(set_aside);
        match outcome {
            Outcome::Written => placed.set_aside = set_aside.map(|file| staged.target(file).to_path_buf()),
            Outcome::Stopped | Outcome::DryRun => files.for_each(|file| staged.leave_out(file)),
        }
        if let Some(Receipt { folder, .. }) = receipt.filter(|_| outcome != Outcome::DryRun) {
            for (name, text) in &documents.files {
                let file = staged.file_in(folder, name)?;
                staged.write(file, text)?;
            }
            if outcome == Outcome::Stopped {
                let stopped = with_ending(staged.target(folder), ".stopped");
                staged.retarget(folder, &stopped, Placement::Replace)?;
            }
            placed.receipt = Some(staged.target(folder).to_path_buf());
        }
        staged.place()?;
        Ok(placed)
    }
}

impl Receipt {
    fn stage(target: &Path, replace: bool, staged: &mut Staged) -> Result<Receipt> {
        if target.exists() && !target.join("tally.json").exists() {
            let what = "this exists and is not a receipt of an earlier run, so it is not replaced";
            return Err(Error::new(ErrorKind::Output, what, "name another receipt, or move it away").in_file(target));
        }
        let placement = if replace { Placement::KeepPrevious } else { Placement::New };
        let folder = staged.folder(target, placement)?;
        let mut file = |name: &str| staged.file_in(folder, name);
        Ok(Receipt {
            set_aside: file("set-aside.csv")?,
            merged: file("merged.csv")?,
            repairs: file("repairs.csv")?,
            suggestions: file("suggestions.csv")?,
            conflicts: file("conflicts.csv")?,
            review: file("review.csv")?,
            near_misses: file("near-misses.csv")?,
            people: file("people.idx")?,
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
            } else {
                self.staged.write(import.file, new.bytes())?;
            }
        }
        if let Some(file) = self.set_aside {
            self.staged.write(file, &rows.set_aside.bytes)?;
        }
        if let Some(receipt) = &self.receipt {
            self.staged.write(receipt.set_aside, &rows.set_aside.bytes)?;
            self.staged.write(receipt.merged, &rows.merged.bytes)?;
            self.staged.write(receipt.repairs, &rows.repairs.bytes)?;
            self.staged.write(receipt.suggestions, &rows.suggestions.bytes)?;
            self.staged.write(receipt.people, &rows.people)?;
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
    let mut header = CsvBuffer::new(if layout.defuse { Defusing::On } else { Defusing::Off });
    layout.columns.iter().for_each(|column| header.value(column.name.as_bytes()));
    header.end_row();
    header.bytes
}
