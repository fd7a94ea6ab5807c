//! The files of a job: found, opened, recognised, their columns mapped. Nothing is read beyond the samples.

pub mod check;
pub mod first_values;
pub mod fit;
pub mod status_columns;

use super::contact::keys::RowKeys;
use crate::clean::plan::CleaningPlan;
use crate::clean::replace::ReplacementPlan;
use crate::columns::lines::{Line, judge_line};
use crate::columns::locate::{Table, likeness, locate_table};
use crate::columns::mapping::{ColumnMap, ConsentQuestions, Mapping, Unmapped, map_columns};
use crate::columns::sample::SampleRecords;
use crate::columns::shape::{ShapeWishes, TableShape, recognise_shape};
use crate::columns::value::ValueSource;
use crate::job::{Job, ReadFiles};
use crate::layout::receipt::{self, AllColumns};
use crate::person::decisions::Decisions;
use check::{check_columns, check_inputs, check_outputs};
use encoding_rs::Encoding;
use first_values::{Glimpse, swapped_names};
use pebblebank_formats::{Format, Input, Prepared, ReadWishes, prepare};
use pebblebank_table::encoding::{self, BadBytesAre, Knowledge};
use pebblebank_table::observe::{Finding, Observer, Weight};
use pebblebank_table::unescape::unescaped;
use pebblebank_table::units::{ColumnIndex, FileId, ListId, MAX_COLUMNS, SourceId};
use pebblebank_table::{Dialect, Error, ErrorKind, Record, Result};
use pebblebank_values::NamedHeaders;
use pebblebank_values::address::AddressWishes;
use pebblebank_values::date::Date;
use pebblebank_values::unread::UnreadText;
use status_columns::StatusColumns;
use std::path::Path;
use std::sync::Arc;

/// A file that is ready to be read.
#[derive(Debug)]
#[allow(clippy::struct_excessive_bools)] // each says one thing that was seen of the file
pub struct OpenFile<Owner> {
    /// Its place among the files of its kind.
    pub id: FileId,
    /// The source or list that it belongs to.
    pub owner: Owner,
    /// Its text: the file itself, or the rows that were taken out of it.
    pub input: Input,
    /// What the user handed over.
    pub format: Format,
    /// The same, more exactly, as users call it.
    pub format_name: &'static str,
    /// The sheet, of a workbook.
    pub sheet: Option<String>,
    /// The headers, where the format names its columns.
    given_headers: Option<Vec<String>>,
    /// What its text is encoded in.
    pub encoding: &'static Encoding,
    /// How that is known.
    pub knowledge: Knowledge,
    /// What becomes of bytes that fit no character.
    pub bad_bytes: BadBytesAre,
    /// Whether quotes inside of quotes stand behind a backslash.
    pub has_backslash_quotes: bool,
    /// How it parts cells and lines.
    pub dialect: Dialect,
    /// Where its table is.
    pub table: Table,
    /// What its columns are, and how that is known.
    pub mapping: Mapping,
    /// What the beginning of it shows of its values.
    pub glimpse: Glimpse,
    /// What the job replaces in its values.
    pub replacements: ReplacementPlan,
    /// Whether an earlier run wrote it aside.
    pub is_receipt: bool,
    /// An estimate of its number of records, from its beginning.
    pub records_estimated: u64,
    /// Whether it holds nothing at all.
    pub is_empty: bool,
    /// Whether a question that only the user can answer stops the work.
    asks: bool,
    /// The headers that the job names.
    named: Arc<NamedHeaders>,
    consent_questions: ConsentQuestions,
    /// The number of the day on which it was last changed; none where that is not known.
    pub changed_on: Option<i32>,
    /// What was seen while it was recognised.
    pub findings: Vec<Finding>,
    /// The columns that say of each row what happened, of a list.
    pub statuses: StatusColumns,
    /// What stands on other sheets of its workbook, where it is a list.
    pub unread: Vec<UnreadText>,
    /// Whether the job needs its first column, so that a row which has nothing else is no footnote.
    pub needs_first_column: bool,
}

impl<Owner> OpenFile<Owner> {
    /// What its columns are.
    #[inline]
    pub fn map(&self) -> &ColumnMap {
        &self.mapping.map
    }

    /// What a record below the header is, where it has no usable address.
    pub fn judge(&self, record: &Record) -> Line {
        judge_line(record, self.table.has_header.then_some(&self.table.headers))
    }
}

/// Where the words stand that say of each entry of a list file what happened.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct EntryStatus {
    /// The column.
    pub source: ValueSource,
    /// Whether they give it its reason; else they only say which entries are no refusal.
    pub gives_reasons: bool,
}

/// All files of a job.
#[derive(Debug, Default)]
pub struct OpenFiles {
    /// In the order of the job's sources, then of names.
    pub sources: Vec<OpenFile<SourceId>>,
    /// How the values of each source file are cleaned.
    pub cleaning: Vec<CleaningPlan>,
    /// How the keys of each source file's rows are found; none where the address alone decides.
    pub row_keys: Vec<Option<RowKeys>>,
    /// How the entries of each list file are found; none where they are addresses and all count.
    pub list_keys: Vec<Option<RowKeys>>,
    /// Where the words stand that give each entry of a list file its reason; none where the list has one reason.
    pub list_status: Vec<Option<EntryStatus>>,
    /// Whether rows are marked with their source, since the job asks who is in which.
    pub marks_sources: bool,
    /// Whether a yes or no about consent whose direction is not known stops the work.
    pub consent_stops: bool,
    /// The columns that persons may be given values in from their other rows or from lists; none where they are not.
    pub supplied: Option<AllColumns>,
    /// What somebody decided about persons.
    pub decisions: Option<Decisions>,
    /// How addresses are cleaned.
    pub addresses: Arc<AddressWishes>,
    /// In the order of the job's lists, then of names.
    pub lists: Vec<OpenFile<ListId>>,
    /// What should be said about them.
    pub findings: Vec<Finding>,
}

impl OpenFiles {
    /// All that should be said about the files before their rows were read.
    pub fn all_findings(&self) -> Vec<Finding> {
        let of_sources = self.sources.iter().flat_map(OpenFile::all_findings);
        let of_lists = self.lists.iter().flat_map(OpenFile::all_findings);
        let glimpses: Vec<_> = self.sources.iter().map(|file| (file.input.name(), &file.glimpse)).collect();
        let swapped = swapped_names(&glimpses);
        self.findings.iter().cloned().chain(of_sources).chain(of_lists).chain(swapped).collect()
    }
}

/// Opens the files of a job. `spool_folder` takes what cannot be read twice.
pub fn open_files(job: &Job, spool_folder: &Path, observer: &dyn Observer) -> Result<OpenFiles> {
    let mut opened = OpenFiles::default();
    let files_of = Opener { spool_folder, observer };
    let named = Arc::new(job.named_headers());
    for (index, source) in job.sources.iter().enumerate() {
        for found in files_of.inputs(&source.read)? {
            let part = Part {
                id: FileId(opened.sources.len() as u32),
                owner: SourceId(index as u16),
                is_list: false,
                asks: true,
                named: Arc::clone(&named),
                consent_questions: job.consent_questions,
            };
            opened.sources.extend(files_of.open(found, part, &source.read, &mut opened.findings)?);
        }
    }
    for (index, list) in job.lists.iter().enumerate() {
        for found in files_of.inputs(&list.read)? {
            let part = Part {
                id: FileId(opened.lists.len() as u32),
                owner: ListId(index as u16),
                is_list: true,
                asks: true,
                named: Arc::clone(&named),
                consent_questions: ConsentQuestions::Ignore,
            };
            opened.lists.extend(files_of.open(found, part, &list.read, &mut opened.findings)?);
        }
    }
    opened.decisions = job.person.decisions.as_deref().map(Decisions::read).transpose()?.flatten();
    opened.plan(job);
    check_inputs(&opened)?;
    check_outputs(job, &opened)?;
    check_columns(job, &opened)?;
    Ok(opened)
}

/// What a first reading found out against what the beginning of a file suggested.
#[derive(Debug, Clone, Default)]
pub struct Refuted {
    /// Columns that are about consent after all.
    pub found_consent: Vec<ColumnIndex>,
    /// The encoding.
    pub encoding: Option<&'static Encoding>,
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
        has_backslash_quotes,
        findings,
        unread,
        ..
    } = file;
    let mut sample = input.sample(Some(refuted.encoding.unwrap_or(file.encoding)))?;
    sample.knowledge = if refuted.encoding.is_some() { Knowledge::Guessed } else { file.knowledge };
    if has_backslash_quotes {
        sample.bytes = unescaped(&sample.bytes);
    }
    let mut findings = findings;
    if let Some(encoding) = refuted.encoding {
        let text = format!(
            "begins like UTF-8 but is not, and was read as {}, by the letters that occur in it",
            encoding.name()
        );
        findings.push(Finding::new("encoding", Weight::Doubt, text).in_file(input.name()));
    }
    let prepared = Prepared {
        input,
        sample,
        format,
        format_name,
        sheet,
        headers: given_headers,
        has_backslash_quotes,
        findings,
        unread,
    };
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
    let encoding = encoding::recognise_encoding_of_all(file.input.reader()?).map_err(unreadable)?;
    if encoding == file.encoding {
        return Ok(None);
    }
    let refuted = Refuted { encoding: Some(encoding), found_consent: Vec::new() };
    open_again(file, read, is_list, &refuted).map(Some)
}

/// An input, and whether it was found by a pattern rather than named.
struct Found {
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

/// Opens files.
struct Opener<'a> {
    spool_folder: &'a Path,
    observer: &'a dyn Observer,
}

impl Opener<'_> {
    fn inputs(&self, read: &ReadFiles) -> Result<Vec<Found>> {
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

    /// Opens a file; none for one that an earlier run wrote aside and nobody named.
    fn open<Owner>(
        &self,
        found: Found,
        part: Part<Owner>,
        read: &ReadFiles,
        findings: &mut Vec<Finding>,
    ) -> Result<Option<OpenFile<Owner>>> {
        let file = open_file(found.input, part, read, self.spool_folder, self.observer)?;
        if !file.is_receipt {
            return Ok(Some(file));
        }
        let finding = if found.by_pattern {
            let text = "was written aside by an earlier run, so it was not read; name it to read it";
            Finding::new("own-output-skipped", Weight::Note, text)
        } else {
            let text = "was written aside by an earlier run; it is read, since it was named";
            Finding::new("own-output-read", Weight::Doubt, text)
        };
        findings.push(finding.in_file(file.input.name()));
        Ok((!found.by_pattern).then_some(file))
    }
}

/// Finds out how a file is to be read.
pub fn open_file<Owner>(
    input: Input,
    part: Part<Owner>,
    read: &ReadFiles,
    spool_folder: &Path,
    observer: &dyn Observer,
) -> Result<OpenFile<Owner>> {
    let mut prepared = prepare(input, &read.wishes, &likeness, spool_folder, observer)?;
    let name = prepared.input.name();
    prepared.findings.iter_mut().for_each(|finding| finding.file = Some(name.clone()));
    recognise(prepared, part, read, &[])
}

fn recognise<Owner>(
    prepared: Prepared,
    part: Part<Owner>,
    read: &ReadFiles,
    found_consent: &[ColumnIndex],
) -> Result<OpenFile<Owner>> {
    if prepared.format == Format::Mail && part.asks && !part.is_list {
        return Err(Error::new(
            ErrorKind::Input,
            "this is mail, not a table of contacts",
            "name it as a list of people who must not be contacted, or take it into the bank: pebblebank bank load FILE --as bounced",
        )
        .in_file(prepared.input.path()));
    }
    let TableShape { dialect, records, table } = shape_of(&prepared, &read.wishes, &part.named)?;
    let Prepared { input, sample, format, format_name, sheet, headers, has_backslash_quotes, findings, unread } =
        prepared;
    if table.headers.len() > MAX_COLUMNS {
        let what = format!("the header has {} columns, more than {MAX_COLUMNS}", table.headers.len());
        return Err(Error::new(
            ErrorKind::Input,
            what,
            "check the delimiter: delimiter = in a job, or --delimiter, says which one it is",
        )
        .in_file(input.path()));
    }
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
        bad_bytes: read.wishes.bad_bytes,
        has_backslash_quotes,
        dialect,
        is_receipt: receipt::is_receipt(&table.headers),
        glimpse: if is_empty { Glimpse::default() } else { Glimpse::new(&mapping.map, &table, &records) },
        table,
        replacements: ReplacementPlan::default(),
        mapping,
        records_estimated,
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

impl<Owner> OpenFile<Owner> {
    /// All that should be said about the file before its rows were read.
    pub fn all_findings(&self) -> Vec<Finding> {
        let name = self.input.name();
        let empty = self.is_empty.then(|| Finding::new("empty-file", Weight::Warning, "the file is empty"));
        let own = empty.into_iter().chain(self.mapping.findings.iter().cloned());
        self.findings.iter().cloned().chain(own.map(|finding| finding.in_file(name.clone()))).collect()
    }
}

/// The day on which a file was last changed, in UTC.
fn day_of_change(input: &Input) -> Option<i32> {
    let changed = std::fs::metadata(input.path()).and_then(|about| about.modified()).ok()?;
    let seconds = changed.duration_since(std::time::UNIX_EPOCH).ok()?.as_secs();
    let epoch = Date { year: 1970, month: 1, day: 1 }.day_number();
    Some(epoch + (seconds / 86_400) as i32)
}

/// How a file parts its cells, and where its table is.
fn shape_of(prepared: &Prepared, wishes: &ReadWishes, named: &NamedHeaders) -> Result<TableShape> {
    let sample = &prepared.sample;
    let wishes = ShapeWishes { delimiter: wishes.delimiter, header_row: wishes.header_row, named };
    if prepared.format == Format::Delimited {
        let shape = recognise_shape(&sample.bytes, sample.is_whole, wishes);
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
fn empty_mapping(unmapped: &Unmapped) -> Result<Mapping> {
    map_columns(&Unmapped { wishes: &crate::columns::mapping::ColumnWishes::default(), ..*unmapped })
}

fn check_header_row(header_row: Option<u64>, records: &SampleRecords, input: &Input) -> Result<()> {
    let most = records.len().min(crate::columns::sample::HEADER_IS_WITHIN) as u64;
    match header_row {
        Some(row) if row > most => {
            let what = format!("header_row = {row}, but the header must be among the first {most} rows");
            Err(Error::new(
                ErrorKind::Columns,
                what,
                "correct header_row (or --header-row); 0 says that there is no header",
            )
            .in_file(input.path()))
        }
        _ => Ok(()),
    }
}
