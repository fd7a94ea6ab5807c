//! The files of a run, staged beside their targets until all is known to be right.

use super::learned::Learned;
use super::people_index;
use super::preview::Preview;
use super::rows::{Rows, Sink};
use super::shapes::ImportShape;
use super::{written_people, written_rows};
use crate::job::Job;
use crate::layout::receipt::{AllColumns, CONFLICTS, MERGED, REPAIRS, SET_ASIDE, SUGGESTIONS};
use crate::run::decide::known::Known;
use crate::run::setting::{Setting, folder_for_spooling};
use crate::run::tally::Outcome;
use pebblebank_formats::writing::file_writer::{FileWriter, FormedRows, Surroundings, WrittenPart};
use pebblebank_table::cell_digest::RowsDigest;
use pebblebank_table::file_identity::FileIdentity;
use pebblebank_table::observe::Observer;
use pebblebank_table::sorter::Sorter;
use pebblebank_table::staged::placement::{Placement, with_ending};
use pebblebank_table::staged::seal::Seal;
use pebblebank_table::staged::{Output, Staged};
use pebblebank_table::{Error, ErrorKind, Result};
use schemars::JsonSchema;
use serde::Serialize;
use std::path::{Path, PathBuf};

/// The document with the seals of a receipt's files.
pub const SEALS_FILE: &str = "receipt.json";

/// The schema of `receipt.json`.
pub const SEALS_SCHEMA: &str = "pebblebank/receipt/1";

/// `receipt.json`: the seals of the other files.
#[derive(JsonSchema, Serialize)]
pub struct SealsDocument {
    /// `pebblebank/receipt/1`
    schema: &'static str,
    /// The seal of each file that is the same in every run over the same input.
    files: Vec<Seal>,
}

/// How many bytes of a sorted file are written at once.
const SORTED_BYTES: usize = 256 << 10;

/// The files of a run.
pub struct Outputs {
    staged: Staged,
    imports: Vec<Import>,
    set_aside: Option<Output>,
    receipt: Option<Receipt>,
    learned: Option<Learned>,
    preview: Preview,
}

struct Import {
    first: Output,
    /// Writes the file, once its columns are known.
    writer: Option<FileWriter>,
    /// Takes the rows of a file that is sorted.
    sorter: Option<Sorter>,
    /// The digest of rows that wait in the sorter.
    sorted_digest: RowsDigest,
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
    /// What of it makes no block yet.
    people_blocks: people_index::Blocks,
    written_people: Output,
    written: Output,
}

/// The documents of a receipt, by file name.
pub struct Documents {
    /// Name and text.
    pub files: Vec<(&'static str, Vec<u8>)>,
    /// Those that differ between two runs over the same input.
    pub of_one_run: Vec<&'static str>,
}

impl Documents {
    /// `receipt.json`: the seals of the files that are the same in every run over the same input.
    fn seals(&self, seals: Vec<Seal>) -> Vec<u8> {
        let seals: Vec<Seal> =
            seals.into_iter().filter(|seal| !self.of_one_run.contains(&seal.file.as_str())).collect();
        let document = SealsDocument { schema: SEALS_SCHEMA, files: seals };
        let mut text = serde_json::to_vec_pretty(&document).expect("plain data");
        text.push(b'\n');
        text
    }
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

impl Outputs {
    /// Begins all files, so that what cannot be written is known before the work.
    pub fn stage(job: &Job, setting: &Setting) -> Result<Outputs> {
        let mut staged = Staged::new(setting.dry_run);
        let placement = Placement::of_file(job.replace);
        let mut imports = Vec::new();
        for write in &job.writes {
            let first = staged.file(&write.first_file, placement)?;
            let sorted_digest = RowsDigest::default();
            imports.push(Import { first, writer: None, sorter: None, sorted_digest, rows: 0 });
        }
        let set_aside = job.set_aside.as_ref().map(|path| staged.file(path, placement)).transpose()?;
        let receipt = job.receipt.as_ref().map(|path| Receipt::stage(path, job.replace, &mut staged)).transpose()?;
        if job.for_spreadsheet {
            let tables = receipt.iter().flat_map(Receipt::tables).chain(set_aside);
            tables.for_each(|table| staged.write_for_spreadsheet(table));
        }
        Ok(Outputs {
            imports,
            set_aside,
            receipt,
            learned: if job.remember.is_anything() && !setting.dry_run {
                Some(Learned::new(&folder_for_spooling(job, setting))?)
            } else {
                None
            },
            preview: Preview::of(setting.preview_rows),
            staged,
        })
    }

    /// Begins the files with their headers, once all columns are known.
    pub fn begin_files(
        &mut self,
        job: &Job,
        shapes: &[ImportShape],
        columns: &AllColumns,
        known: &Known,
    ) -> Result<()> {
        let surroundings = surroundings(job, known);
        for ((import, write), shape) in self.imports.iter_mut().zip(&job.writes).zip(shapes) {
            shape.layout.fits(&shape.file.form)?;
            let begun = shape.with_header(|header| {
                self.preview.begin(&shape.file, header.bytes);
                FileWriter::begin(
                    &write.file,
                    import.first,
                    &shape.file,
                    header,
                    surroundings.clone(),
                    &mut self.staged,
                )
            });
            import.writer = Some(begun?);
        }
        if let Some(file) = self.set_aside {
            self.staged.write(file, &columns.header_of_originals(&SET_ASIDE))?;
        }
        if let Some(receipt) = &self.receipt {
            self.staged.write(receipt.set_aside, &columns.header_of_originals(&SET_ASIDE))?;
            self.staged.write(receipt.merged, &columns.header_of_originals(&MERGED))?;
            self.staged.write(receipt.repairs, &AllColumns::default().header(&REPAIRS))?;
            self.staged.write(receipt.suggestions, &AllColumns::default().header(&SUGGESTIONS))?;
            self.staged.write(receipt.conflicts, &AllColumns::default().header(&CONFLICTS))?;
            self.staged.write(receipt.people, &people_index::header())?;
            self.staged.write(receipt.written_people, &written_people::header())?;
            self.staged.write(receipt.written, &written_rows::header())?;
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
    pub fn sort(&mut self, shapes: &[ImportShape], memory: u64, folder: &Path) {
        for (import, shape) in self.imports.iter_mut().zip(shapes) {
            import.sorter = (!shape.layout.sort.is_empty()).then(|| Sorter::new(memory, folder));
        }
    }

    /// Writes the rows of sorted files, once all are there.
    pub fn write_sorted(&mut self, observer: &dyn Observer) -> Result<()> {
        for (place, import) in self.imports.iter_mut().enumerate() {
            let (Some(sorter), Some(writer)) = (import.sorter.take(), &mut import.writer) else { continue };
            let mut digest = std::mem::take(&mut import.sorted_digest);
            let mut in_order = sorter.finish()?;
            let mut bytes = Vec::new();
            let mut ends = Vec::new();
            let mut is_last = false;
            while !is_last {
                match in_order.next()? {
                    Some((_, row)) => {
                        bytes.extend_from_slice(row);
                        ends.push(bytes.len());
                    }
                    None => is_last = true,
                }
                if is_last || bytes.len() > SORTED_BYTES {
                    let digest = std::mem::take(&mut digest);
                    let rows = FormedRows { bytes: &bytes, ends: &ends, rows: ends.len() as u64, digest };
                    if place == 0 {
                        self.preview.take(rows);
                    }
                    writer.take(rows, &mut self.staged)?;
                    bytes.clear();
                    ends.clear();
                    if observer.wants_stop() {
                        return Err(Error::interrupted());
                    }
                }
            }
        }
        Ok(())
    }

    /// Ends the import files, and reads each again: what a reader finds must be what was meant.
    pub fn finish_files(&mut self, threads: usize, observer: &dyn Observer) -> Result<()> {
        for writer in self.imports.iter_mut().filter_map(|import| import.writer.as_mut()) {
            writer.finish(&mut self.staged)?;
            writer.read_back(&self.staged, threads, observer)?;
        }
        if let Some(receipt) = &mut self.receipt {
            self.staged.write(receipt.people, &receipt.people_blocks.finish())?;
        }
        Ok(())
    }

    /// The files that each import file came to: one, or several with numbered names.
    pub fn written_files(&self) -> impl Iterator<Item = Vec<WrittenPart<'_>>> {
        self.imports.iter().map(|import| import.writer.iter().flat_map(FileWriter::files).collect())
    }

    /// How many rows each import file has.
    pub fn import_rows(&self) -> impl Iterator<Item = u64> {
        self.imports.iter().map(|import| import.rows)
    }

    /// The first rows of the first import file as they are written, with its header.
    pub fn preview(&self) -> Vec<u8> {
        self.preview.text()
    }

    /// Puts everything in place; after a guard only the receipt, under a name of its own.
    pub fn place(self, outcome: Outcome, documents: &Documents) -> Result<Placed> {
        let Outputs { mut staged, imports, set_aside, receipt, learned, .. } = self;
        let mut placed = Placed { receipt: None, set_aside: None, learned };
        let parts = imports.iter().filter_map(|import| import.writer.as_ref()).flat_map(FileWriter::files);
        let firsts = imports.iter().map(|import| import.first);
        let files: Vec<Output> = parts.map(|part| part.output).chain(firsts).chain(set_aside).collect();
        match outcome {
            Outcome::Written => placed.set_aside = set_aside.map(|file| staged.target(file).to_path_buf()),
            Outcome::Stopped | Outcome::DryRun => files.into_iter().for_each(|file| staged.leave_out(file)),
        }
        if let Some(Receipt { folder, .. }) = receipt.filter(|_| outcome != Outcome::DryRun) {
            for (name, text) in &documents.files {
                let file = staged.file_in(folder, name)?;
                staged.write(file, text)?;
            }
            let seals = staged.seals(folder);
            let file = staged.file_in(folder, SEALS_FILE)?;
            staged.write(file, &documents.seals(seals))?;
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
    /// The files that are CSV.
    fn tables(&self) -> [Output; 7] {
        [self.set_aside, self.merged, self.repairs, self.suggestions, self.conflicts, self.review, self.near_misses]
    }

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
            people_blocks: people_index::Blocks::default(),
            written_people: file("written.csv")?,
            written: file("written.idx")?,
            folder,
        })
    }
}

impl Sink for Outputs {
    fn take(&mut self, rows: &Rows) -> Result<()> {
        let new = rows.imports.files();
        if let (Some(first), Some(Import { sorter: None, .. })) = (new.first(), self.imports.first()) {
            self.preview.take(first.formed());
        }
        for (import, new) in self.imports.iter_mut().zip(new) {
            import.rows += new.rows();
            if let Some(sorter) = &mut import.sorter {
                new.sorted_rows().try_for_each(|(key, row)| sorter.push(key, row))?;
                import.sorted_digest.add(new.digest());
            } else if let Some(writer) = &mut import.writer {
                writer.take(new.formed(), &mut self.staged)?;
            }
        }
        if let Some(file) = self.set_aside {
            self.staged.write(file, &rows.set_aside.bytes)?;
        }
        if let Some(receipt) = &mut self.receipt {
            self.staged.write(receipt.set_aside, &rows.set_aside.bytes)?;
            self.staged.write(receipt.merged, &rows.merged.bytes)?;
            self.staged.write(receipt.repairs, &rows.repairs.bytes)?;
            self.staged.write(receipt.suggestions, &rows.suggestions.bytes)?;
            let blocks = receipt.people_blocks.take(&rows.people);
            self.staged.write(receipt.people, &blocks)?;
            self.staged.write(receipt.written_people, &rows.written_people.bytes)?;
            let mut digests = Vec::new();
            for file in new {
                written_rows::add(file.row_digests(), &mut digests);
            }
            self.staged.write(receipt.written, &digests)?;
        }
        if let Some(learned) = &mut self.learned {
            learned.take(&rows.learned)?;
        }
        Ok(())
    }
}

/// What the writers of files need to know of the job.
pub(crate) fn surroundings(job: &Job, known: &Known) -> Surroundings {
    let files = &known.files;
    let inputs = files.sources.iter().map(|file| &file.input).chain(files.lists.iter().map(|file| &file.input));
    let read = inputs.map(|input| input.path().to_path_buf()).chain(job.read_from.iter().cloned());
    Surroundings {
        placement: Placement::of_file(job.replace),
        inputs: read.filter_map(|path| FileIdentity::of(&path).ok()).collect(),
        folder: known.spool_folder.clone(),
        day: (u16::try_from(job.today.year).unwrap_or(1970), job.today.month, job.today.day),
    }
}
