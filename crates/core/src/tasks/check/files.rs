//! The files of a check: every row with what was found, and the good and the bad ones by themselves.

use super::wishes::{CheckWishes, CheckedFile, WantedFiles};
use crate::job::Job;
use crate::layout::LayoutColumn;
use crate::run::decide::copied::Copies;
use crate::run::decide::known::Known;
use crate::run::open::files::OpenFile;
use crate::run::setting::Setting;
use crate::run::write::copied_file::{CopiedCells, CopiedColumns, CopiedFile, free_name, write_of_copies};
use crate::run::write::outputs::surroundings;
use pebblebank_formats::writing::FileFormat;
use pebblebank_table::cell_digest::RowsDigest;
use pebblebank_table::csv::Defusing;
use pebblebank_table::observe::Observer;
use pebblebank_table::staged::placement::Placement;
use pebblebank_table::staged::{Output, Staged};
use pebblebank_table::units::SourceId;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::Field;
use pebblebank_values::verdict::{Verdict, Why};
use std::path::{Path, PathBuf};

/// The columns that a check adds.
pub(super) const FOUND: [&str; 4] = ["verdict", "why", "checked_on", "suggestion"];

/// A row of a chunk that was copied.
pub(super) struct CopiedRow {
    /// Where it ends among the chunk's bytes.
    pub end: usize,
    /// The digest of the chunk's rows up to it.
    pub digest: RowsDigest,
    /// What decided its verdict.
    pub why: Why,
}

/// The files of a check.
pub(super) struct CheckFiles {
    staged: Staged,
    files: Vec<OneFile>,
    to_check: Option<(PathBuf, CopiedFile)>,
    has_surplus: bool,
    is_line: bool,
}

struct OneFile {
    path: PathBuf,
    takes: Takes,
    file: CopiedFile,
    rows: u64,
}

/// Which rows a file takes.
#[derive(Debug, Clone, Copy)]
enum Takes {
    All,
    Only(Verdict),
    AllBut(Verdict),
}

impl Takes {
    fn holds(self, verdict: Verdict) -> bool {
        match self {
            Takes::All => true,
            Takes::Only(only) => verdict == only,
            Takes::AllBut(other) => verdict != other,
        }
    }
}

impl CheckFiles {
    /// Begins the files that are wanted.
    pub fn stage(wishes: &CheckWishes, job: &Job, known: &Known, setting: &Setting) -> Result<CheckFiles> {
        let WantedFiles { all, good, bad, to_check } = &wishes.files;
        let all = all.iter().map(|(path, only)| (path, only.map_or(Takes::All, Takes::Only)));
        let good = good.iter().map(|path| (path, Takes::Only(Verdict::Valid)));
        let bad = bad.iter().map(|path| (path, Takes::AllBut(Verdict::Valid)));
        let mut files = CheckFiles {
            staged: Staged::new(setting.dry_run),
            files: Vec::new(),
            to_check: None,
            has_surplus: false,
            is_line: false,
        };
        let mut preview_rows = setting.preview_rows;
        for (path, takes) in all.chain(good).chain(bad) {
            let shown = std::mem::take(&mut preview_rows);
            files.begin(path, takes, wishes, (job, known), shown)?;
        }
        if let Some(path) = to_check {
            let place = files.place_of(path, wishes, known)?;
            let write = write_of_copies(path.clone(), None, Some(&[LayoutColumn::of_column(Field::Email.name())]))?;
            let headers = vec![Field::Email.name().to_owned()];
            let columns = CopiedColumns { headers, ..CopiedColumns::default() };
            let to = (&mut files.staged, place);
            let file = CopiedFile::begin_as(&write, columns, Defusing::On, 0, surroundings(job, known), to)?;
            files.to_check = Some((path.clone(), file));
        }
        Ok(files)
    }

    fn place_of(&mut self, path: &Path, wishes: &CheckWishes, known: &Known) -> Result<Output> {
        if known.files.sources[0].input.is_at(path) {
            let what = "this file is read and would be written over";
            return Err(Error::new(ErrorKind::Output, what, "name another file").in_file(path));
        }
        self.staged.file(path, Placement::of_file(wishes.replace))
    }

    fn begin(
        &mut self,
        path: &Path,
        takes: Takes,
        wishes: &CheckWishes,
        (job, known): (&Job, &Known),
        preview_rows: usize,
    ) -> Result<()> {
        let file = &known.files.sources[0];
        let columns = columns_of(wishes, known, file)?;
        self.has_surplus = columns.has_surplus;
        let output = self.place_of(path, wishes, known)?;
        let write = write_of_copies(path.to_path_buf(), wishes.format, wishes.columns.as_deref())?;
        self.is_line |= write.form.format == FileFormat::RecipientLine;
        let to = (&mut self.staged, output);
        let copied = CopiedFile::begin_as(&write, columns, Defusing::Off, preview_rows, surroundings(job, known), to)?;
        self.files.push(OneFile { path: path.to_path_buf(), takes, file: copied, rows: 0 });
        Ok(())
    }

    /// How the list's own cells are copied.
    pub fn cells(&self, file: &OpenFile<SourceId>) -> CopiedCells {
        let address = file.map().column(Field::Email).filter(|_| self.is_line);
        CopiedCells { width: file.map().width(), has_surplus: self.has_surplus, address }
    }

    /// Adds the rows of a chunk to the files that take them.
    pub fn take(&mut self, bytes: &[u8], rows: &[CopiedRow]) -> Result<()> {
        for OneFile { takes, file, rows: written, .. } in &mut self.files {
            let mut taken = Vec::new();
            let mut digest = RowsDigest::default();
            let (mut begin, mut before) = (0, RowsDigest::default());
            for row in rows {
                if takes.holds(row.why.verdict()) {
                    taken.extend_from_slice(&bytes[begin..row.end]);
                    digest.add(row.digest.since(before));
                }
                (begin, before) = (row.end, row.digest);
            }
            *written += digest.rows;
            file.take_csv(&taken, digest.rows, digest, &mut self.staged)?;
        }
        Ok(())
    }

    /// Whether addresses are given to somebody else to check.
    pub fn gives_out(&self) -> bool {
        self.to_check.is_some()
    }

    /// Adds addresses that somebody else shall check.
    pub fn take_to_check(&mut self, addresses: &Copies) -> Result<()> {
        match &mut self.to_check {
            Some((_, file)) => file.take(addresses, &mut self.staged),
            None => Ok(()),
        }
    }

    /// Reads the files again and puts them in place; `to_check` is how many addresses somebody else shall check. Gives them with their rows, and the first rows of the first.
    pub fn place(
        self,
        to_check: u64,
        setting: &Setting,
        observer: &dyn Observer,
    ) -> Result<(Vec<CheckedFile>, Vec<u8>)> {
        let CheckFiles { mut staged, files, to_check: others, .. } = self;
        let mut placed = Vec::new();
        let mut preview = None;
        for OneFile { path, file, rows, .. } in files {
            let first_rows = file.finish(&mut staged, setting.threads, observer)?;
            preview.get_or_insert(first_rows);
            placed.push(CheckedFile { file: path, rows });
        }
        if let Some((path, file)) = others {
            file.finish(&mut staged, setting.threads, observer)?;
            placed.push(CheckedFile { file: path, rows: to_check });
        }
        staged.place()?;
        Ok((placed, preview.unwrap_or_default()))
    }
}

/// The columns of the list, and behind them what was found; of both those that are wanted.
fn columns_of(wishes: &CheckWishes, known: &Known, file: &OpenFile<SourceId>) -> Result<CopiedColumns> {
    let (headers, width) = (&file.table.headers, file.map().width());
    let Some(wanted) = wishes.columns.as_deref() else {
        let own = CopiedColumns::of(None, headers, file.map())?;
        let own = own.with_surplus(&known.source_counts[0], width);
        let found = FOUND.map(|name| free_name(name, &own.headers)).to_vec();
        return Ok(own.followed_by(found, width));
    };
    let found = |column: &LayoutColumn| FOUND.iter().position(|name| column.is_just(name));
    let own: Vec<LayoutColumn> = wanted.iter().filter(|column| found(column).is_none()).cloned().collect();
    let own = CopiedColumns::of(Some(&own), headers, file.map())?;
    let mut own_places = own.places.unwrap_or_default().into_iter();
    let place = |column: &LayoutColumn| match found(column) {
        Some(found) => width + found,
        None => own_places.next().unwrap_or_default(),
    };
    let places = Some(wanted.iter().map(place).collect());
    let headers = wanted.iter().map(|column| column.name.clone()).collect();
    Ok(CopiedColumns { headers, places, has_surplus: false })
}
