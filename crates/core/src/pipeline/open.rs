//! The files of a job: found, opened, recognised, their columns mapped. Nothing is read beyond the samples.

use crate::columns::locate::SampleRecords;
use crate::columns::mapping::{Unmapped, map_columns};
use crate::columns::{ColumnMap, Field, Mapping, Table, locate_table};
use crate::error::{Error, ErrorKind, Result, closest};
use crate::job::layout::ColumnRef;
use crate::job::{Job, Layout, ReadFiles};
use crate::observe::{Finding, Observer, Weight};
use crate::read::encoding::Knowledge;
use crate::read::input::Sample;
use crate::read::recognise::DELIMITERS;
use crate::read::{Dialect, Input, recognise_dialect};
use crate::select::Selection;
use crate::units::{FileId, ListId, SourceId};
use crate::write::value::ValueSource;
use crate::write::{commit, receipt};
use encoding_rs::{Encoding, UTF_8};
use std::path::Path;

/// The most columns that a file may have.
pub const MAX_COLUMNS: usize = 16_384;

/// A file that is ready to be read.
#[derive(Debug)]
pub struct OpenFile<Owner> {
    /// Its place among the files of its kind.
    pub id: FileId,
    /// The source or list that it belongs to.
    pub owner: Owner,
    /// Its bytes.
    pub input: Input,
    /// What its text is encoded in.
    pub encoding: &'static Encoding,
    /// How it parts cells and lines.
    pub dialect: Dialect,
    /// Where its table is.
    pub table: Table,
    /// What its columns are.
    pub map: ColumnMap,
    /// Whether an earlier run wrote it aside.
    pub is_receipt: bool,
    /// About how many records it has, judged by its beginning.
    pub records_estimated: u64,
    /// Whether it holds nothing at all.
    pub is_empty: bool,
}

/// All files of a job.
#[derive(Debug, Default)]
pub struct OpenFiles {
    /// In the order of the job's sources, then of names.
    pub sources: Vec<OpenFile<SourceId>>,
    /// In the order of the job's suppression lists, then of names.
    pub lists: Vec<OpenFile<ListId>>,
    /// What should be said about them.
    pub findings: Vec<Finding>,
}

/// Opens the files of a job. `spool_folder` takes what cannot be read twice.
pub fn open_files(job: &Job, spool_folder: &Path, observer: &dyn Observer) -> Result<OpenFiles> {
    let mut opened = OpenFiles::default();
    for (index, source) in job.sources.iter().enumerate() {
        for input in open_inputs(&source.read, spool_folder, observer)? {
            let id = FileId(opened.sources.len() as u32);
            let owner = SourceId(index as u16);
            let file = recognise(id, owner, input, &source.read, false, None, &mut opened.findings)?;
            opened.sources.extend(file);
        }
    }
    for (index, list) in job.suppress.iter().enumerate() {
        for input in open_inputs(&list.read, spool_folder, observer)? {
            let id = FileId(opened.lists.len() as u32);
            let owner = ListId(index as u16);
            let file = recognise(id, owner, input, &list.read, true, None, &mut opened.findings)?;
            opened.lists.extend(file);
        }
    }
    check_inputs(&opened)?;
    check_outputs(job, &opened)?;
    check_columns(job, &opened)?;
    Ok(opened)
}

/// Maps the columns of source files anew, now that it is known whether their columns headed "status" are consent.
pub fn map_again(mut files: OpenFiles, job: &Job, status_is_consent: &[Option<bool>]) -> Result<OpenFiles> {
    let mut sources = Vec::with_capacity(files.sources.len());
    for (file, status_is_consent) in files.sources.into_iter().zip(status_is_consent) {
        if status_is_consent.is_none() {
            sources.push(file);
            continue;
        }
        let name = file.input.name();
        files.findings.retain(|finding| finding.file.as_deref() != Some(name.as_str()));
        let read = &job.sources[file.owner.0 as usize].read;
        let found = Found { input: file.input, by_pattern: false };
        let again = recognise(file.id, file.owner, found, read, false, *status_is_consent, &mut files.findings)?;
        sources.extend(again);
    }
    Ok(OpenFiles { sources, ..files })
}

/// An input, and whether it was found by a pattern rather than named.
struct Found {
    input: Input,
    by_pattern: bool,
}

fn open_inputs(read: &ReadFiles, spool_folder: &Path, observer: &dyn Observer) -> Result<Vec<Found>> {
    let mut found = Vec::new();
    for pattern in &read.files {
        for file in pattern.files()? {
            let input = Input::open(&file, spool_folder, observer)?;
            found.push(Found { input, by_pattern: pattern.is_pattern() });
        }
    }
    Ok(found)
}

/// Finds out how a file is to be read; none for one that an earlier run wrote aside and nobody named.
fn recognise<Owner>(
    id: FileId,
    owner: Owner,
    found: Found,
    read: &ReadFiles,
    is_list: bool,
    status_is_consent: Option<bool>,
    findings: &mut Vec<Finding>,
) -> Result<Option<OpenFile<Owner>>> {
    let Found { input, by_pattern } = found;
    let sample = input.sample(read.encoding)?;
    findings.extend(encoding_finding(&sample).map(|finding| finding.in_file(input.name())));
    let Shape { dialect, records, table } = recognise_shape(&sample, read, &input)?;
    if table.headers.len() > MAX_COLUMNS {
        let what = format!("the header has {} columns, more than {MAX_COLUMNS}", table.headers.len());
        return Err(Error::new(ErrorKind::Input, what, "check the delimiter; delimiter = says which one it is")
            .in_file(input.path()));
    }
    let is_receipt = receipt::is_receipt(&table.headers);
    if is_receipt && by_pattern {
        let text = "was written aside by an earlier run, so it was not read; name it to read it";
        findings.push(Finding::new("own-output-skipped", Weight::Note, text).in_file(input.name()));
        return Ok(None);
    }
    if is_receipt {
        let text = "was written aside by an earlier run; it is read, since it was named";
        findings.push(Finding::new("own-output-read", Weight::Doubt, text).in_file(input.name()));
    }
    let is_empty = table.headers.is_empty();
    if is_empty {
        findings.push(Finding::new("empty-file", Weight::Warning, "the file is empty").in_file(input.name()));
    }
    let unmapped = Unmapped {
        path: input.path(),
        table: &table,
        sample: &records,
        wishes: &read.columns,
        is_list,
        status_is_consent,
    };
    let mapping = if is_empty { empty_mapping(&unmapped)? } else { map_columns(&unmapped)? };
    let name = input.name();
    findings.extend(mapping.findings.into_iter().map(|finding| finding.in_file(name.clone())));
    let records_estimated = records.estimate(input.bytes);
    let map = mapping.map;
    Ok(Some(OpenFile {
        id,
        owner,
        input,
        encoding: sample.encoding,
        dialect,
        table,
        map,
        is_receipt,
        records_estimated,
        is_empty,
    }))
}

/// How a file parts its cells, and where its table is.
struct Shape {
    dialect: Dialect,
    records: SampleRecords,
    table: Table,
}

/// Takes the delimiter that parts the records most evenly, unless another one makes known words of the header and
/// this one does not.
fn recognise_shape(sample: &Sample, read: &ReadFiles, input: &Input) -> Result<Shape> {
    let shape = |dialect: Dialect| {
        let records = SampleRecords::new(&sample.bytes, dialect, sample.is_whole);
        check_header_row(read.header_row, &records, input)?;
        let table = locate_table(&records, read.header_row);
        Ok(Shape { dialect, records, table })
    };
    let even = recognise_dialect(&sample.bytes);
    let first = shape(Dialect { delimiter: read.delimiter.unwrap_or(even.delimiter), ..even })?;
    if read.delimiter.is_some() || first.table.known_headers() > 0 {
        return Ok(first);
    }
    for delimiter in DELIMITERS.into_iter().filter(|delimiter| *delimiter != even.delimiter) {
        let other = shape(Dialect { delimiter, ..even })?;
        if other.table.known_headers() > 0 && other.table.headers.len() > 1 {
            return Ok(other);
        }
    }
    Ok(first)
}

/// What is said of an encoding that is not UTF-8.
fn encoding_finding(sample: &Sample) -> Option<Finding> {
    let name = sample.encoding.name();
    match sample.knowledge {
        _ if sample.encoding == UTF_8 => None,
        Knowledge::Said => None,
        Knowledge::Certain => Some(Finding::new("encoding", Weight::Note, format!("was read as {name}"))),
        Knowledge::Guessed => {
            let text = format!("is not UTF-8 and was read as {name}, by the letters that occur in it");
            Some(Finding::new("encoding", Weight::Doubt, text))
        }
    }
}

/// A file without any line has no columns, whatever the job says of them.
fn empty_mapping(unmapped: &Unmapped) -> Result<Mapping> {
    map_columns(&Unmapped { wishes: &crate::columns::mapping::ColumnWishes::default(), ..*unmapped })
}

fn check_header_row(header_row: Option<u64>, records: &SampleRecords, input: &Input) -> Result<()> {
    let most = records.len().min(crate::columns::locate::HEADER_IS_WITHIN) as u64;
    match header_row {
        Some(row) if row > most => {
            let what = format!("header_row = {row}, but the header must be among the first {most} rows");
            Err(Error::new(ErrorKind::Columns, what, "correct header_row; 0 says that there is no header")
                .in_file(input.path()))
        }
        _ => Ok(()),
    }
}

fn inputs(opened: &OpenFiles) -> Vec<&Input> {
    let sources = opened.sources.iter().map(|file| &file.input);
    sources.chain(opened.lists.iter().map(|file| &file.input)).collect()
}

/// No file may be read twice: its people would all be duplicates, or all be held.
fn check_inputs(opened: &OpenFiles) -> Result<()> {
    let inputs = inputs(opened);
    for (index, input) in inputs.iter().enumerate() {
        if let Some(earlier) = inputs[..index].iter().find(|earlier| earlier.is_same_as(input)) {
            let what = if earlier.path() == input.path() {
                "the same file is given twice".to_owned()
            } else {
                format!("this is the same file as {}", earlier.name())
            };
            return Err(Error::new(ErrorKind::Job, what, "take it out in one place; a file has one part in a job")
                .in_file(input.path()));
        }
    }
    Ok(())
}

/// No output may be an input, the job file, or a folder that holds an input.
fn check_outputs(job: &Job, opened: &OpenFiles) -> Result<()> {
    const ADVICE: &str = "write to another file; what is read is never changed";
    for output in job.outputs() {
        if inputs(opened).iter().any(|input| input.is_at(output)) {
            let what = "this file is read by the job and would be written by it";
            return Err(Error::new(ErrorKind::Job, what, ADVICE).in_file(output));
        }
        if job.read_from.iter().any(|file| same_file::is_same_file(file, output).unwrap_or(false)) {
            let what = "this file says what is to be done and would be written over";
            return Err(Error::new(ErrorKind::Job, what, ADVICE).in_file(output));
        }
    }
    let Some(receipt) = &job.receipt else { return Ok(()) };
    for folder in [receipt.clone(), commit::with_ending(receipt, ".previous")] {
        let Ok(folder) = std::fs::canonicalize(folder) else { continue };
        let lies_in = |input: &&Input| std::fs::canonicalize(input.path()).is_ok_and(|path| path.starts_with(&folder));
        if let Some(input) = inputs(opened).into_iter().find(lies_in) {
            return Err(Error::new(
                ErrorKind::Job,
                "this file lies in the receipt that the run would replace",
                "name another receipt: in a job receipt = \"…\", with clean --receipt",
            )
            .in_file(input.path()));
        }
    }
    Ok(())
}

/// Every source has the addresses that the job needs, and some source has each column that it names.
fn check_columns(job: &Job, opened: &OpenFiles) -> Result<()> {
    let filled: Vec<&OpenFile<SourceId>> = opened.sources.iter().filter(|file| !file.is_empty).collect();
    if job.require.needs_address() {
        for file in &filled {
            if file.map.column(Field::Email).is_none() {
                return Err(no_address_column(&file.input, &file.map));
            }
        }
    }
    for file in opened.lists.iter().filter(|file| !file.is_empty) {
        if file.map.column(Field::Email).is_none() {
            return Err(no_address_column(&file.input, &file.map));
        }
    }
    let wanted = job.writes.iter().filter_map(|write| write.layout.as_ref()).flat_map(columns_of);
    let required = job.require.fields.iter().chain(job.require.any.iter().flatten());
    let required = required.map(|field| ("the requirement".to_owned(), ColumnRef::Field(*field)));
    let selected = job.select.iter().flat_map(Selection::columns);
    let selected = selected.map(|column| ("the condition in [select]".to_owned(), column.clone()));
    for (whose, column) in wanted.chain(required).chain(selected) {
        let is_there = |file: &&OpenFile<SourceId>| ValueSource::new(&column, &file.map, false) != ValueSource::Nothing;
        if !filled.is_empty() && !filled.iter().any(is_there) {
            return Err(no_such_column(&whose, &column, &filled));
        }
    }
    Ok(())
}

fn columns_of(layout: &Layout) -> Vec<(String, ColumnRef)> {
    let name = format!("the layout {}", layout.name);
    layout
        .columns
        .iter()
        .flat_map(|column| column.content.columns())
        .map(|column| (name.clone(), column.clone()))
        .collect()
}

fn quoted_list<'a>(names: impl Iterator<Item = &'a str>) -> String {
    names.map(|name| format!("\"{name}\"")).collect::<Vec<_>>().join(", ")
}

fn no_address_column(input: &Input, map: &ColumnMap) -> Error {
    let headers = quoted_list(map.headers.iter().map(String::as_str));
    Error::new(
        ErrorKind::Columns,
        "no column of this file was recognised as e-mail addresses",
        "say which it is: in a job columns = { email = \"…\" }, with clean --field \"email=…\"",
    )
    .in_file(input.path())
    .expected(format!("addresses in one of its columns: {headers}"))
}

fn no_such_column(whose: &str, column: &ColumnRef, files: &[&OpenFile<SourceId>]) -> Error {
    let name = column.name();
    let headers: Vec<&str> = files.iter().flat_map(|file| file.map.headers.iter().map(String::as_str)).collect();
    let advice = match (column, closest(name, headers.iter().copied().chain(Field::ALL.map(Field::name)))) {
        (ColumnRef::Extra(_), Some(near)) => format!("did you mean \"{near}\"?"),
        (ColumnRef::Field(field), _) => {
            format!(
                "say which column it is, in a job columns = {{ {field} = \"…\" }}, with clean --field \"{field}=…\""
            )
        }
        _ => "name a known field, or a header as it stands in a source".to_owned(),
    };
    Error::new(ErrorKind::Columns, format!("no source has \"{name}\", which {whose} needs"), advice)
        .expected(format!("a known field or one of {}", quoted_list(headers.into_iter())))
}
