//! Rows in order → the files that hold them: one, or several with numbered names where a file may hold only so much.

use super::form::{FileForm, FileFormat, Separator};
use super::read_back::{self, Finished};
use super::row_buffer::Shape;
use super::sheet::Sheets;
use pebblebank_table::cell_digest::RowsDigest;
use pebblebank_table::file_identity::FileIdentity;
use pebblebank_table::observe::Observer;
use pebblebank_table::staged::placement::Placement;
use pebblebank_table::staged::{Output, Staged};
use pebblebank_table::{Error, ErrorKind, Result};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// More files than this are not made of one.
pub const MOST_FILES: usize = 400;

/// What a writer needs to know of the command.
#[derive(Debug, Clone)]
pub struct Surroundings {
    /// What may happen to files that are there.
    pub placement: Placement,
    /// What is read, which no file may replace.
    pub inputs: Arc<[FileIdentity]>,
    /// Where rows wait that are not in their file yet.
    pub folder: PathBuf,
    /// Year, month and day of the run.
    pub day: (u16, u8, u8),
}

/// A header, or rows, as bytes of the file's form.
#[derive(Debug, Clone, Copy)]
pub struct FormedRows<'a> {
    /// The bytes.
    pub bytes: &'a [u8],
    /// Where each row ends; needed where [`FileWriter::needs_row_ends`].
    pub ends: &'a [usize],
    /// How many rows.
    pub rows: u64,
    /// Their digest.
    pub digest: RowsDigest,
}

/// Writes rows into files of one form.
pub struct FileWriter {
    shape: Arc<Shape>,
    surroundings: Surroundings,
    /// The file, or what the numbered files are named after.
    target: PathBuf,
    header: Vec<u8>,
    header_digest: RowsDigest,
    parts: Vec<Part>,
    sheets: Option<Sheets>,
    /// How many recipients the line has that is being written.
    in_line: u64,
    buffer: Vec<u8>,
    meant: RowsDigest,
}

/// One of the files.
#[derive(Debug, Clone)]
struct Part {
    output: Output,
    shown: PathBuf,
    rows: u64,
    bytes: u64,
    sheets: usize,
}

/// The name of a part: with `{part}` replaced, or the number before the ending.
///
/// ```
/// use pebblebank_formats::writing::file_writer::part_name;
/// let name = |target: &str| part_name(target.as_ref(), 2).display().to_string();
/// assert_eq!(name("out/spring.csv"), "out/spring-2.csv");
/// assert_eq!(name("out/spring {part} of april.csv"), "out/spring 2 of april.csv");
/// ```
pub fn part_name(target: &Path, part: usize) -> PathBuf {
    let name = target.file_name().unwrap_or_default().to_string_lossy();
    if name.contains("{part}") {
        return target.with_file_name(name.replace("{part}", &part.to_string()));
    }
    let stem = target.file_stem().unwrap_or_default().to_string_lossy();
    let ending = target.extension().map_or(String::new(), |ending| format!(".{}", ending.to_string_lossy()));
    target.with_file_name(format!("{stem}-{part}{ending}"))
}

/// The first file of this form.
pub fn first_name(target: &Path, form: &FileForm) -> PathBuf {
    if form.most.is_any() { part_name(target, 1) } else { target.to_path_buf() }
}

impl FileWriter {
    /// Writes into `first`, which was begun for [`first_name`], and into further files where there are more rows than one
    /// may hold. `header` is the row of column names in the file's form.
    pub fn begin(
        target: &Path,
        first: Output,
        shape: &Arc<Shape>,
        header: FormedRows,
        surroundings: Surroundings,
        staged: &mut Staged,
    ) -> Result<FileWriter> {
        let form = &shape.form;
        let is_in_rows = form.has_header && form.format.is_delimited();
        let of_sheet = form.has_header && form.format == FileFormat::Xlsx;
        let mut writer = FileWriter {
            header: [form.first_bytes(), if is_in_rows { header.bytes } else { b"" }].concat(),
            header_digest: if is_in_rows || of_sheet { header.digest } else { RowsDigest::default() },
            shape: Arc::clone(shape),
            surroundings,
            target: target.to_path_buf(),
            parts: Vec::new(),
            sheets: None,
            in_line: 0,
            buffer: Vec::new(),
            meant: RowsDigest::default(),
        };
        writer.begin_part(first, staged)?;
        Ok(writer)
    }

    /// Whether rows must come with their ends.
    pub fn needs_row_ends(&self) -> bool {
        self.form().most.is_any() || matches!(self.form().format, FileFormat::Xlsx | FileFormat::RecipientLine)
    }

    fn form(&self) -> &FileForm {
        &self.shape.form
    }

    fn part(&mut self) -> &mut Part {
        self.parts.last_mut().expect("a part was begun with the writer")
    }

    fn begin_part(&mut self, output: Output, staged: &mut Staged) -> Result<()> {
        let shown = staged.target(output).to_path_buf();
        self.parts.push(Part { output, shown, rows: 0, bytes: self.header.len() as u64, sheets: 0 });
        self.in_line = 0;
        if self.form().format == FileFormat::Xlsx {
            let columns = self.shape.columns.len();
            let header = self.form().has_header.then(|| self.shape.columns.clone());
            // Nothing is written in a dry run.
            let is_wanted = staged.part(output).is_some();
            let Surroundings { day, folder, .. } = &self.surroundings;
            self.sheets = if is_wanted { Some(Sheets::new(header, columns, *day, folder)?) } else { None };
            return Ok(());
        }
        self.meant.add(self.header_digest);
        staged.write(output, &self.header)
    }

    fn next_part(&mut self, staged: &mut Staged) -> Result<()> {
        self.end_part(staged)?;
        if self.parts.len() == MOST_FILES {
            let what = format!("this would be more than {MOST_FILES} files");
            return Err(Error::new(ErrorKind::Job, what, "let each file hold more").in_file(&self.target));
        }
        let target = part_name(&self.target, self.parts.len() + 1);
        self.refuse_input(&target)?;
        let output = staged.file(&target, self.surroundings.placement)?;
        self.begin_part(output, staged)
    }

    fn refuse_input(&self, target: &Path) -> Result<()> {
        let is_read = FileIdentity::of(target).is_ok_and(|identity| self.surroundings.inputs.contains(&identity));
        if is_read {
            let what = "this file is read by the job and would be written by it";
            let advice = "write to another file; what is read is never changed";
            return Err(Error::new(ErrorKind::Job, what, advice).in_file(target));
        }
        Ok(())
    }

    /// Adds rows of one chunk.
    pub fn take(&mut self, rows: FormedRows, staged: &mut Staged) -> Result<()> {
        self.meant.add(rows.digest);
        if !self.form().most.is_any() {
            return self.add(rows.bytes, rows.ends, rows.rows, staged);
        }
        let mut from = 0;
        while from < rows.ends.len() {
            let start = if from == 0 { 0 } else { rows.ends[from - 1] };
            let fitting = self.how_many_fit(start, &rows.ends[from..])?;
            if fitting == 0 {
                self.next_part(staged)?;
                continue;
            }
            let ends: Vec<usize> = rows.ends[from..from + fitting].iter().map(|end| end - start).collect();
            let bytes = &rows.bytes[start..rows.ends[from + fitting - 1]];
            self.add(bytes, &ends, fitting as u64, staged)?;
            from += fitting;
        }
        Ok(())
    }

    /// How many of the rows that end at `ends` fit into the file that is being written.
    fn how_many_fit(&mut self, start: usize, ends: &[usize]) -> Result<usize> {
        let most = self.form().most;
        let header = self.header.len() as u64;
        let is_line = self.form().format == FileFormat::RecipientLine;
        let target = self.target.clone();
        let part = self.part();
        let room = most.rows.map_or(usize::MAX, |rows| usize::try_from(rows - part.rows).unwrap_or(usize::MAX));
        let Some(most_bytes) = most.bytes else { return Ok(room.min(ends.len())) };
        // A separator stands beside each recipient.
        let beside = if is_line { 2 } else { 0 };
        let size = |count: usize| (ends[count - 1] - start) as u64 + beside * count as u64;
        let fitting = (1..=room.min(ends.len())).take_while(|count| part.bytes + size(*count) <= most_bytes).count();
        if fitting == 0 && part.rows == 0 {
            let what = format!(
                "one row alone needs {} bytes with the header, and a file may hold {most_bytes}",
                header + size(1)
            );
            return Err(Error::new(ErrorKind::Job, what, "let each file hold more (most_bytes)").in_file(&target));
        }
        Ok(fitting)
    }

    fn add(&mut self, bytes: &[u8], ends: &[usize], rows: u64, staged: &mut Staged) -> Result<()> {
        let output = self.part().output;
        let written = match self.form().format {
            FileFormat::Csv | FileFormat::Tsv | FileFormat::Jsonl => {
                staged.write(output, bytes)?;
                bytes.len()
            }
            FileFormat::Xlsx => {
                let Surroundings { folder, .. } = &self.surroundings;
                self.sheets.as_mut().map_or(Ok(()), |sheets| sheets.add(bytes, ends, folder))?;
                bytes.len()
            }
            FileFormat::RecipientLine => {
                self.join(bytes, ends);
                let written = self.buffer.len();
                staged.write(output, &self.buffer)?;
                self.buffer.clear();
                written
            }
        };
        let part = self.part();
        part.rows += rows;
        part.bytes += written as u64;
        Ok(())
    }

    /// Puts separators between recipients.
    fn join(&mut self, bytes: &[u8], ends: &[usize]) {
        let form = &self.shape.form;
        let line_end = form.line_end.bytes();
        let separator: &[u8] = match form.recipients.separator {
            Separator::Comma => b", ",
            Separator::Semicolon => b"; ",
            Separator::Line => line_end,
        };
        let most = form.recipients.most_per_line.unwrap_or(u64::MAX);
        let mut start = 0;
        self.buffer.reserve(bytes.len() + ends.len() * 2);
        for end in ends {
            if self.in_line == most {
                self.buffer.extend_from_slice(line_end);
                self.in_line = 0;
            } else if self.in_line > 0 {
                self.buffer.extend_from_slice(separator);
            }
            self.buffer.extend_from_slice(&bytes[start..*end]);
            self.in_line += 1;
            start = *end;
        }
    }

    fn end_part(&mut self, staged: &mut Staged) -> Result<()> {
        let output = self.part().output;
        if let Some(sheets) = self.sheets.take() {
            let count = sheets.count();
            for _ in 0..count {
                self.meant.add(self.header_digest);
            }
            self.part().sheets = count;
            let shown = self.part().shown.clone();
            let Some(path) = staged.part(output) else { return Ok(()) };
            let file = std::fs::File::options().read(true).write(true).open(path);
            sheets.save(file.map_err(|cause| Error::unwritable(&shown, &cause))?, &shown)?;
        } else if self.form().format == FileFormat::RecipientLine && self.in_line > 0 {
            staged.write(output, self.shape.form.line_end.bytes())?;
        }
        Ok(())
    }

    /// Ends the last file. No file may be left that an earlier command wrote as a later part: it would be taken for one of
    /// these.
    pub fn finish(&mut self, staged: &mut Staged) -> Result<()> {
        self.end_part(staged)?;
        if self.form().most.is_any() {
            let mut later = (self.parts.len() + 1..=MOST_FILES).map(|part| part_name(&self.target, part));
            if let Some(later) = later.find(|later| later.exists()) {
                let what = "this file was written as a later part by an earlier command, and now there are fewer parts";
                return Err(
                    Error::new(ErrorKind::Output, what, "move it away, so that it is not imported").in_file(&later)
                );
            }
        }
        Ok(())
    }

    /// Reads every file again and compares it with what was meant.
    pub fn read_back(&self, staged: &Staged, threads: usize, observer: &dyn Observer) -> Result<()> {
        let mut found = RowsDigest::default();
        for part in &self.parts {
            let Some(path) = staged.part(part.output) else { return Ok(()) };
            let finished =
                Finished { path, shown: &part.shown, rows: part.rows, sheets: part.sheets, shape: &self.shape };
            found.add(read_back::digest(&finished, &self.surroundings.folder, threads, observer)?);
        }
        if found == self.meant {
            return Ok(());
        }
        Err(read_back::differs(&self.target, self.meant.rows, found.rows))
    }

    /// The files: name and rows of each, and how many sheets where there are several.
    pub fn files(&self) -> impl Iterator<Item = WrittenPart<'_>> {
        self.parts.iter().map(|part| WrittenPart {
            path: &part.shown,
            output: part.output,
            rows: part.rows,
            sheets: part.sheets,
        })
    }
}

/// A file that was written.
#[derive(Debug, Clone, Copy)]
pub struct WrittenPart<'a> {
    /// Where it will be.
    pub path: &'a Path,
    /// Its place among what is staged.
    pub output: Output,
    /// How many rows it has.
    pub rows: u64,
    /// How many sheets; 0 where it has none.
    pub sheets: usize,
}
