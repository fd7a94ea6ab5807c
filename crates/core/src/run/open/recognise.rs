//! Finds out how a file is to be read: its format, its encoding, its delimiter, where its table is, what its columns are.

use crate::clean::replace::ReplacementPlan;
use crate::columns::mapper::Unmapped;
use crate::columns::mapping::map_columns;
use crate::columns::sample::SampleRecords;
use crate::columns::shape::{ShapeWishes, TableShape, recognise_shape};
use crate::columns::wishes::ConsentQuestions;
use crate::columns::{Mapping, Table, likeness, locate_table};
use crate::job::sources::ReadFiles;
use crate::layout::receipt;
use crate::run::open::files::OpenFile;
use crate::run::open::first_values::Glimpse;
use crate::run::open::status_columns::StatusColumns;
use pebblebank_formats::{Format, Input, Prepared, ReadWishes, prepare};
use pebblebank_table::charset::Charset;
use pebblebank_table::encoding::{self, Knowledge, decode_mixed_sample};
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Finding, Observer, Weight};
use pebblebank_table::unescape::unescaped;
use pebblebank_table::units::{ColumnIndex, FileId, MAX_COLUMNS};
use pebblebank_table::{Dialect, Error, ErrorKind, Result};
use pebblebank_values::NamedHeaders;
use pebblebank_values::date::Date;
use std::collections::VecDeque;
use std::path::Path;
use std::sync::Arc;
/// An input, and whether it was found by a pattern rather than named.
pub(crate) struct Found {
    input: Input,
    by_pattern: bool,
}

/// The part of a file in a job.
pub struct Part<Owner> {
    /// Its place among the files of its kind.
    pub id: FileId,
    /// What it belongs to.
    pub owner: Owner,
    /// Whether it is a list: its values may be domains.
    pub is_list: bool,
    /// Whether a question that only the user can answer stops the work; else it is a finding.
    pub asks: bool,
    /// The headers that the job names.
    pub named: Arc<NamedHeaders>,
    /// What happens where a column may be about consent and leaves several readings.
    pub consent_questions: ConsentQuestions,
}

impl Part<()> {
    /// A file that is looked at by itself: what it leaves open is a finding.
    pub(crate) fn alone() -> Part<()> {
        Part {
            id: FileId(0),
            owner: (),
            is_list: false,
            asks: false,
            named: Arc::default(),
            consent_questions: ConsentQuestions::Warn,
        }
    }
}

/// Opens files.
pub(crate) struct Opener<'a> {
    pub(super) spool_folder: &'a Path,
    pub(super) threads: usize,
    pub(super) observer: &'a dyn Observer,
}

impl Opener<'_> {
    pub(crate) fn inputs(&self, read: &ReadFiles) -> Result<Vec<Found>> {
        let mut found = Vec::new();
        for pattern in &read.files {
            for file in pattern.files()? {
                for input in Input::open(&file, self.spool_folder, self.observer)? {
                    found.push(Found { input, by_pattern: pattern.is_pattern() });
                }
            }
        }
        Ok(found)
    }

    /// Opens the files of several owners, each with how its files are read, and numbers them; those that an earlier run wrote
    /// aside and nobody named are left out. They are prepared one after the other, since that may take memory, and recognised
    /// on all threads.
    pub(crate) fn open_all<'r, Owner: Copy + Send>(
        &self,
        mut owners: impl Iterator<Item = (Owner, &'r ReadFiles)> + Send,
        part: impl Fn(Owner) -> Part<Owner> + Sync,
        findings: &mut Vec<Finding>,
    ) -> Result<Vec<OpenFile<Owner>>> {
        let mut opened: Vec<OpenFile<Owner>> = Vec::new();
        let mut waiting: VecDeque<(Found, Owner, &ReadFiles)> = VecDeque::new();
        let mut next = || {
            while waiting.is_empty() {
                let Some((owner, read)) = owners.next() else { return Ok(None) };
                waiting.extend(self.inputs(read)?.into_iter().map(|found| (found, owner, read)));
            }
            let Some((found, owner, read)) = waiting.pop_front() else { return Ok(None) };
            let prepared = prepare_file(found.input, read, self.spool_folder, self.observer)?;
            Ok(Some((prepared, found.by_pattern, owner, read)))
        };
        in_order(
            self.threads,
            &mut next,
            || (),
            |(prepared, by_pattern, owner, read), ()| Ok((recognise(prepared, part(owner), read, &[])?, by_pattern)),
            |(mut file, by_pattern)| {
                findings.extend(file.is_receipt.then(|| own_output(&file, by_pattern)));
                if !(file.is_receipt && by_pattern) {
                    file.id = FileId(opened.len() as u32);
                    opened.push(file);
                }
                Ok(())
            },
        )?;
        Ok(opened)
    }
}

/// What is said about a file that an earlier run wrote aside.
fn own_output<Owner>(file: &OpenFile<Owner>, by_pattern: bool) -> Finding {
    let finding = if by_pattern {
        let text = "was written aside by an earlier run, so it was not read; name it to read it";
        Finding::new("own-output-skipped", Weight::Note, text)
    } else {
        let text = "was written aside by an earlier run; it is read, since it was named";
        Finding::new("own-output-read", Weight::Doubt, text)
    };
    finding.in_file(file.input.name())
}

/// What a file holds, as text.
fn prepare_file(input: Input, read: &ReadFiles, spool_folder: &Path, observer: &dyn Observer) -> Result<Prepared> {
    let mut prepared = prepare(input, &read.wishes, &likeness, spool_folder, observer)?;
    let name = prepared.input.name();
    prepared.findings.iter_mut().for_each(|finding| finding.file = Some(name.clone()));
    Ok(prepared)
}

/// Finds out how a file is to be read.
pub fn open_file<Owner>(
    input: Input,
    part: Part<Owner>,
    read: &ReadFiles,
    spool_folder: &Path,
    observer: &dyn Observer,
) -> Result<OpenFile<Owner>> {
    recognise(prepare_file(input, read, spool_folder, observer)?, part, read, &[])
}

/// Looks at a file once more, now that something is known that its beginning did not show.
pub fn open_again<Owner>(
    file: OpenFile<Owner>,
    read: &ReadFiles,
    is_list: bool,
    refuted: &Refuted,
) -> Result<OpenFile<Owner>> {
    let OpenFile {
        asks,
        named,
        consent_questions,
        id,
        owner,
        input,
        format,
        format_name,
        sheet,
        given_headers,
        oddities,
        findings,
        unread,
        ..
    } = file;
    let (encoding, knowledge) = refuted.encoding.unwrap_or((file.encoding, file.knowledge));
    let mut sample = input.sample(Some(encoding))?;
    sample.knowledge = knowledge;
    if knowledge == Knowledge::Mixed {
        sample.bytes = decode_mixed_sample(&sample.raw, sample.is_whole);
    }
    if oddities.is_any() {
        sample.bytes = unescaped(&sample.bytes, oddities);
    }
    let mut findings = findings;
    if let Some((encoding, _)) = refuted.encoding.filter(|(_, knowledge)| *knowledge != Knowledge::Mixed) {
        let text = format!(
            "begins like UTF-8 but is not, and was read as {}, by the letters that occur in it",
            encoding.name()
        );
        findings.push(Finding::new("encoding", Weight::Doubt, text).in_file(input.name()));
    }
    let prepared =
        Prepared { input, sample, format, format_name, sheet, headers: given_headers, oddities, findings, unread };
    let part = Part { id, owner, is_list, asks, named, consent_questions };
    recognise(prepared, part, read, &refuted.found_consent)
}

/// Opens a file in the encoding that all of it suggests, where its rows refute what its beginning showed; none where
/// that is still the same, or where the encoding was not found by itself.
pub fn in_another_encoding<Owner>(
    file: OpenFile<Owner>,
    read: &ReadFiles,
    is_list: bool,
) -> Result<Option<OpenFile<Owner>>> {
    if file.knowledge != Knowledge::Certain {
        return Ok(None);
    }
    let unreadable = |cause| encoding::unreadable(file.input.path(), &cause);
    let (encoding, knowledge) = encoding::recognise_encoding_of_all(file.input.reader()?).map_err(unreadable)?;
    if encoding == file.encoding && knowledge != Knowledge::Mixed {
        return Ok(None);
    }
    let refuted = Refuted { encoding: Some((encoding, knowledge)), found_consent: Vec::new() };
    open_again(file, read, is_list, &refuted).map(Some)
}

/// What a first reading found out against what the beginning of a file suggested.
#[derive(Debug, Clone, Default)]
pub struct Refuted {
    /// Columns that are about consent after all.
    pub found_consent: Vec<ColumnIndex>,
    /// The encoding, and how it is known.
    pub encoding: Option<(Charset, Knowledge)>,
}

/// Finds out what a file is: its shape, its columns, what they mean.
pub(crate) fn recognise<Owner>(
    prepared: Prepared,
    part: Part<Owner>,
    read: &ReadFiles,
    found_consent: &[ColumnIndex],
) -> Result<OpenFile<Owner>> {
    refuse_mail(&prepared, &part)?;
    let TableShape { dialect, records, table } = shape_of(&prepared, &read.wishes, &part.named)?;
    let Prepared { input, sample, format, format_name, sheet, headers, oddities, findings, unread } = prepared;
    refuse_wide(&table, input.path())?;
    let is_empty = table.headers.is_empty();
    let unmapped = Unmapped {
        path: input.path(),
        table: &table,
        sample: &records,
        wishes: &read.columns,
        is_list: part.is_list,
        found_consent,
        consent_questions: part.consent_questions,
        asks: part.asks,
    };
    let mapping = if is_empty { empty_mapping(&unmapped)? } else { map_columns(&unmapped)? };
    let statuses = if part.is_list && table.has_header && !is_empty {
        StatusColumns::find(&mapping.map, &records, table.records_above)
    } else {
        StatusColumns::default()
    };
    let records_estimated = records.estimate(sample.file_bytes);
    Ok(OpenFile {
        id: part.id,
        owner: part.owner,
        format,
        format_name,
        sheet,
        given_headers: headers,
        encoding: sample.encoding,
        knowledge: sample.knowledge,
        bad_bytes: sample.knowledge.bad_bytes(read.wishes.bad_bytes),
        oddities,
        dialect,
        is_receipt: receipt::is_receipt(&table.headers),
        glimpse: if is_empty { Glimpse::default() } else { Glimpse::new(&mapping.map, &table, &records) },
        table,
        replacements: ReplacementPlan::default(),
        mapping,
        records_estimated,
        bytes_estimated: sample.file_bytes,
        is_empty,
        asks: part.asks,
        named: part.named,
        consent_questions: part.consent_questions,
        changed_on: day_of_change(&input),
        input,
        findings,
        unread,
        needs_first_column: false,
        statuses,
    })
}

/// Mail is a list of people whose mail came back, and no source.
fn refuse_mail<Owner>(prepared: &Prepared, part: &Part<Owner>) -> Result<()> {
    if prepared.format == Format::Mail && part.asks && !part.is_list {
        return Err(Error::new(
            ErrorKind::Input,
            "this is mail, not a table of contacts",
            "name it as a list of people who must not be contacted, or take it into the bank: pebblebank bank load FILE --as bounced",
        )
        .in_file(prepared.input.path()));
    }
    Ok(())
}

/// More columns than any table has are a delimiter that was taken wrongly.
fn refuse_wide(table: &Table, path: &Path) -> Result<()> {
    if table.headers.len() > MAX_COLUMNS {
        let what = format!("the header has {} columns, more than {MAX_COLUMNS}", table.headers.len());
        return Err(Error::new(ErrorKind::Input, what, "check the delimiter; --delimiter \";\" says which one it is")
            .or_in_job("check the delimiter; delimiter = \";\" says which one it is")
            .in_file(path));
    }
    Ok(())
}

/// A delimiter that was named and leaves the header in one cell, with another delimiter in it, was meant for something else.
fn refuse_single_cell(delimiter: Option<u8>, table: &Table, path: &Path) -> Result<()> {
    let (Some(_), [header]) = (delimiter, table.headers.as_slice()) else { return Ok(()) };
    let is_other = |sign: &char| header.matches(*sign).count() > 1;
    match [',', ';', '\t', '|'].into_iter().find(is_other) {
        Some(_) => Err(Error::new(
            ErrorKind::Columns,
            "with the delimiter that was named, the whole header is one cell",
            "take out --delimiter, which is about reading; --for-spreadsheet writes semicolons",
        )
        .or_in_job("take delimiter out of the source; a layout says which delimiter is written")
        .in_file(path)),
        None => Ok(()),
    }
}

/// The day on which a file was last changed, in UTC.
pub(crate) fn day_of_change(input: &Input) -> Option<i32> {
    let changed = std::fs::metadata(input.path()).and_then(|about| about.modified()).ok()?;
    let seconds = changed.duration_since(std::time::UNIX_EPOCH).ok()?.as_secs();
    let epoch = Date { year: 1970, month: 1, day: 1 }.day_number();
    Some(epoch + (seconds / 86_400) as i32)
}

/// How a file parts its cells, and where its table is.
pub(crate) fn shape_of(prepared: &Prepared, wishes: &ReadWishes, named: &NamedHeaders) -> Result<TableShape> {
    let sample = &prepared.sample;
    let wishes = ShapeWishes { delimiter: wishes.delimiter, header_row: wishes.header_row, named };
    if prepared.format == Format::Delimited {
        let shape = recognise_shape(&sample.bytes, sample.is_whole, wishes);
        refuse_single_cell(wishes.delimiter, &shape.table, prepared.input.path())?;
        check_header_row(wishes.header_row, &shape.records, &prepared.input)?;
        return Ok(shape);
    }
    let dialect = Dialect::COMMA;
    let records = SampleRecords::new(&sample.bytes, dialect, sample.is_whole);
    let table = if let Some(headers) = &prepared.headers {
        Table::with_headers(headers.clone())
    } else {
        check_header_row(wishes.header_row, &records, &prepared.input)?;
        locate_table(&records, wishes.header_row, named)
    };
    Ok(TableShape { dialect, records, table })
}

/// A file without any line has no columns, whatever the job says of them.
pub(crate) fn empty_mapping(unmapped: &Unmapped) -> Result<Mapping> {
    map_columns(&Unmapped { wishes: &crate::columns::wishes::ColumnWishes::default(), ..*unmapped })
}

pub(crate) fn check_header_row(header_row: Option<u64>, records: &SampleRecords, input: &Input) -> Result<()> {
    let most = records.len().min(crate::columns::sample::HEADER_IS_WITHIN) as u64;
    match header_row {
        Some(row) if row > most => {
            let what = format!("header_row = {row}, but the header must be among the first {most} rows");
            Err(Error::new(ErrorKind::Columns, what, "correct --header-row; 0 says that there is no header")
                .or_in_job("correct header_row; 0 says that there is no header")
                .in_file(input.path()))
        }
        _ => Ok(()),
    }
}
