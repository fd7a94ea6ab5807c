//! A file of rows that are copied as they were read: in any form, with all of their columns or some, read again when it is
//! finished.

use super::outputs::surroundings;
use crate::columns::headers::named_in_error;
use crate::columns::map::ColumnMap;
use crate::job::{Job, Write};
use crate::layout::{Content, LayoutColumn};
use crate::run::contact::Contact;
use crate::run::decide::copied::Copies;
use crate::run::decide::known::Known;
use crate::run::gather::counts::FileCounts;
use pebblebank_formats::writing::FileFormat;
use pebblebank_formats::writing::file_writer::{FileWriter, FormedRows, Surroundings};
use pebblebank_formats::writing::row_buffer::{FormedBuffer, RowBuffer, Shape};
use pebblebank_table::Shape as ChunkShape;
use pebblebank_table::cell_digest::RowsDigest;
use pebblebank_table::csv::{Defusing, RawCells, without_defusing};
use pebblebank_table::observe::Observer;
use pebblebank_table::staged::{Output, Staged};
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Chunk, CsvBuffer, Dialect, Error, ErrorKind, Records, Result, cell};
use pebblebank_values::ColumnRef;
use std::sync::Arc;

/// Which columns are copied, and under which names.
#[derive(Debug, Clone, Default)]
pub struct CopiedColumns {
    /// The header of each column that is written.
    pub headers: Vec<String>,
    /// The place of each among those that were read; none where all are copied in their order.
    pub places: Option<Vec<usize>>,
    /// Whether the last column holds what rows have behind the last header.
    pub has_surplus: bool,
}

/// How the cells of a contact are copied.
#[derive(Debug, Clone, Copy)]
pub struct CopiedCells {
    /// How many have a header.
    pub width: usize,
    /// Whether those behind them are copied, as one.
    pub has_surplus: bool,
    /// The column of the address, where the cleaned one is written: a line of recipients holds nothing else.
    pub address: Option<ColumnIndex>,
}

impl CopiedCells {
    /// Adds the cells of a contact.
    pub fn copy(&self, contact: &Contact, out: &mut CsvBuffer) {
        let record = &contact.as_read;
        for cell in 0..self.width {
            if self.address == Some(ColumnIndex(cell)) {
                out.address(contact.address.text);
            } else {
                out.raw(record.raw_cell(cell), RawCells::NeedALook);
            }
        }
        if self.has_surplus {
            out.value(record.raw_from(self.width));
        }
    }
}

/// A header that is not among these.
pub fn free_name(name: &str, headers: &[String]) -> String {
    let is_taken = |name: &str| headers.iter().any(|header| header.trim().eq_ignore_ascii_case(name));
    let mut free = name.to_owned();
    let mut number = 2;
    while is_taken(&free) {
        free = format!("{name} ({number})");
        number += 1;
    }
    free
}

impl CopiedColumns {
    /// The columns that are wanted, of a file with this map; all where nothing is wanted.
    ///
    /// # Errors
    ///
    /// Where the file lacks one, or one is made of several values.
    pub fn of(wanted: Option<&[LayoutColumn]>, headers: &[String], map: &ColumnMap) -> Result<CopiedColumns> {
        let Some(wanted) = wanted else {
            return Ok(CopiedColumns { headers: headers.to_vec(), ..CopiedColumns::default() });
        };
        let mut places = Vec::new();
        for column in wanted {
            let Content::Column(source) = &column.content else {
                let what = format!("rows are copied as they are, so no column \"{}\" can be made of them", column.name);
                return Err(Error::new(
                    ErrorKind::Job,
                    what,
                    "name columns of the list; pebblebank clean makes others",
                ));
            };
            let place = match source {
                ColumnRef::Field(field) => map.column(*field),
                ColumnRef::Extra(extra) => map.headers.column(&extra.folded),
            };
            places.push(place.ok_or_else(|| {
                let what = format!("the list has no \"{}\", which --columns names", source.name());
                let expected = format!("one of {}", named_in_error(headers.iter().map(String::as_str)));
                let advice = "name a header as it stands in the list, or a field that one was recognised as";
                Error::new(ErrorKind::Columns, what, advice).expected(expected)
            })?);
        }
        let headers = wanted.iter().map(|column| column.name.clone()).collect();
        let places = Some(places.into_iter().map(|column| column.0).collect());
        Ok(CopiedColumns { headers, places, has_surplus: false })
    }

    /// With one for the cells behind the last header, where a row of a file with these counts has any and all columns are
    /// copied. [`CopiedCells`] fill it.
    #[must_use]
    pub fn with_surplus(self, counts: &FileCounts, width: usize) -> CopiedColumns {
        if self.places.is_some() || counts.long_rows.count == 0 {
            return self;
        }
        let name = free_name("surplus cells", &self.headers);
        CopiedColumns { has_surplus: true, ..self.followed_by(vec![name], width) }
    }

    /// With further columns behind them, which stand behind the `width` that were read.
    #[must_use]
    pub fn followed_by(mut self, further: Vec<String>, width: usize) -> CopiedColumns {
        if let Some(places) = &mut self.places {
            places.extend(width..width + further.len());
        }
        self.headers.extend(further);
        self
    }
}

/// A file of copied rows.
pub struct CopiedFile {
    writer: FileWriter,
    /// Turns rows of CSV into those of the file; none where they are the same.
    formed: Option<FormedBuffer>,
    places: Option<Vec<usize>>,
    records: Records,
    first_rows: super::preview::Preview,
}

impl CopiedFile {
    /// Begins the file of a job's first import file, for which `first` was staged.
    pub fn begin(
        job: &Job,
        known: &Known,
        columns: CopiedColumns,
        defusing: Defusing,
        preview_rows: usize,
        to: (&mut Staged, Output),
    ) -> Result<CopiedFile> {
        let write = job.writes.first().ok_or_else(Error::defect)?;
        CopiedFile::begin_as(write, columns, defusing, preview_rows, surroundings(job, known), to)
    }

    /// Begins a file that is none of the job's, for which `first` was staged.
    pub fn begin_as(
        write: &Write,
        columns: CopiedColumns,
        defusing: Defusing,
        preview_rows: usize,
        surroundings: Surroundings,
        (staged, first): (&mut Staged, Output),
    ) -> Result<CopiedFile> {
        let Write { file, form, .. } = write;
        let CopiedColumns { headers, places, .. } = columns;
        let shape = Arc::new(Shape::new(form.clone(), defusing, headers));
        let is_copied = form.is_plain_csv() && places.is_none();
        let mut first_rows = super::preview::Preview::of(preview_rows);
        let mut formed = FormedBuffer::new(&shape);
        let mut csv = CsvBuffer::digesting(defusing);
        let header = if is_copied && form.has_header {
            shape.columns.iter().for_each(|name| csv.value(name.as_bytes()));
            csv.end_row();
            FormedRows { bytes: &csv.bytes, ends: &[], rows: 1, digest: csv.digest() }
        } else if is_copied {
            FormedRows { bytes: b"", ends: &[], rows: 0, digest: RowsDigest::default() }
        } else {
            shape.columns.iter().for_each(|name| formed.value(name.as_bytes()));
            formed.end_row();
            FormedRows { bytes: formed.bytes(), ends: formed.row_ends(), rows: 1, digest: formed.digest() }
        };
        first_rows.begin(&shape, header.bytes);
        let writer = FileWriter::begin(file, first, &shape, header, surroundings, staged)?;
        formed.clear();
        let formed = (!is_copied).then_some(formed);
        Ok(CopiedFile { writer, formed, places, records: Records::default(), first_rows })
    }

    /// Adds rows that were copied.
    pub fn take(&mut self, copies: &Copies, staged: &mut Staged) -> Result<()> {
        self.take_csv(copies.bytes(), copies.rows(), copies.digest(), staged)
    }

    /// Adds rows of CSV with this digest.
    pub fn take_csv(&mut self, csv: &[u8], rows: u64, digest: RowsDigest, staged: &mut Staged) -> Result<()> {
        let CopiedFile { writer, formed, places, records, first_rows } = self;
        let Some(formed) = formed else {
            let rows = FormedRows { bytes: csv, ends: &[], rows, digest };
            first_rows.take(rows);
            return writer.take(rows, staged);
        };
        formed.clear();
        let chunk = Chunk { bytes: csv.to_vec(), shape: ChunkShape::Quoted, is_first: false };
        records.split(&chunk, Dialect::COMMA);
        for index in 0..records.len() {
            let record = records.get(index, &chunk.bytes, Dialect::COMMA);
            // What was defused for a spreadsheet is defused anew where the form needs it.
            let mut add = |place: usize| formed.value(&without_defusing(cell::value(record.raw(place))));
            match &places {
                Some(places) => places.iter().for_each(|place| add(*place)),
                None => (0..record.cells()).for_each(add),
            }
            formed.end_row();
        }
        let rows = FormedRows {
            bytes: formed.bytes(),
            ends: formed.row_ends(),
            rows: formed.row_ends().len() as u64,
            digest: formed.digest(),
        };
        first_rows.take(rows);
        writer.take(rows, staged)
    }

    /// Ends the file, and reads it again. Gives its first rows as they are written.
    pub fn finish(mut self, staged: &mut Staged, threads: usize, observer: &dyn Observer) -> Result<Vec<u8>> {
        self.writer.finish(staged)?;
        self.writer.read_back(staged, threads, observer)?;
        Ok(self.first_rows.text())
    }
}

/// Refuses a name whose ending is that of a workbook or another format, for a command that writes delimited text alone.
pub fn refuse_other_format(file: &std::path::Path) -> Result<()> {
    let is_text = file.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("txt"));
    match pebblebank_formats::writing::form::format_of_name(file) {
        Ok(None | Some(FileFormat::Csv | FileFormat::Tsv)) => Ok(()),
        Err(_) if is_text => Ok(()),
        Err(error) => Err(error),
        Ok(Some(format)) => {
            let what = format!("this command writes delimited text, and the name is that of {}", format.name());
            let advice = "name it .csv; pebblebank clean makes a workbook or JSON lines of that";
            Err(Error::new(ErrorKind::Job, what, advice).in_file(file))
        }
    }
}

/// A job's file to write for rows that are copied, in the form that `said` and its name ask for. Of a recipient line the columns
/// must be named.
pub fn write_of_copies(
    file: std::path::PathBuf,
    said: Option<FileFormat>,
    columns: Option<&[LayoutColumn]>,
) -> Result<Write> {
    let shown = file.display().to_string();
    let write = Write::new(file, shown, None, said)?;
    if write.form.format == FileFormat::RecipientLine {
        let of_line = crate::layout::Layout::new("--columns", columns.unwrap_or_default().to_vec());
        of_line.fits(&write.form).map_err(|error| {
            Error::new(ErrorKind::Job, error.what(), "add --columns email, or --columns email,full_name with names")
        })?;
    }
    Ok(write)
}
