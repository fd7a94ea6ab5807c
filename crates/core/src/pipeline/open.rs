//! The files of a job: found, opened, recognised, their columns mapped. Nothing is read beyond the samples.

use super::glimpse::{Glimpse, swapped_names};
use super::row_keys::{self, KeyedFile, RowKeys};
use crate::clean::address::AddressWishes;
use crate::clean::date::DateOrder;
use crate::clean::plan::Wanted;
use crate::clean::replace::ReplacementPlan;
use crate::clean::suggest::DomainSlips;
use crate::clean::{CleaningPlan, CleaningWishes};
use crate::columns::locate::SampleRecords;
use crate::columns::mapping::{Unmapped, map_columns};
use crate::columns::{ColumnMap, Field, Mapping, Table, likeness, locate_table};
use crate::error::{Error, ErrorKind, Result, closest};
use crate::job::layout::ColumnRef;
use crate::job::{Job, Layout, Passing, ReadFiles};
use crate::observe::{Finding, Observer, Weight};
use crate::person::Survivor;
use crate::person::decisions::{Decision, Decisions, Named};
use crate::read::encoding::{self, BadBytesAre, Knowledge};
use crate::read::recognise::{DELIMITERS, said_by_first_line};
use crate::read::unescape::unescaped;
use crate::read::{Dialect, Format, Input, Prepared, ReadWishes, prepare, recognise_dialect};
use crate::select::Selection;
use crate::units::{FileId, ListId, SourceId};
use crate::write::receipt::AllColumns;
use crate::write::value::ValueSource;
use crate::write::{commit, receipt};
use encoding_rs::Encoding;
use std::path::Path;
use std::sync::Arc;

/// The most columns that a file may have.
pub const MAX_COLUMNS: usize = 16_384;

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
    /// About how many records it has, judged by its beginning.
    pub records_estimated: u64,
    /// Whether it holds nothing at all.
    pub is_empty: bool,
    /// Whether a question that only the user can answer stops the work.
    asks: bool,
    /// What was seen while it was recognised.
    pub findings: Vec<Finding>,
}

impl<Owner> OpenFile<Owner> {
    /// What its columns are.
    #[inline]
    pub fn map(&self) -> &ColumnMap {
        &self.mapping.map
    }
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
    /// Whether rows are marked with their source, since the job asks who is in which.
    pub marks_sources: bool,
    /// Whether columns that say who may be written to count.
    pub asks_consent: bool,
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
    for (index, source) in job.sources.iter().enumerate() {
        for found in files_of.inputs(&source.read)? {
            let part = Part {
                id: FileId(opened.sources.len() as u32),
                owner: SourceId(index as u16),
                is_list: false,
                asks: true,
            };
            opened.sources.extend(files_of.open(found, part, &source.read, &mut opened.findings)?);
        }
    }
    for (index, list) in job.lists.iter().enumerate() {
        for found in files_of.inputs(&list.read)? {
            let part =
                Part { id: FileId(opened.lists.len() as u32), owner: ListId(index as u16), is_list: true, asks: true };
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

impl OpenFiles {
    /// Fits what the job says about values to the source files, once their columns are known.
    pub fn plan(&mut self, job: &Job) {
        let wishes = cleaning_wishes(job);
        let all = AllColumns::of(self.sources.iter().map(OpenFile::map));
        let newest_by = row_keys::newest_by(job, self);
        let supplied = supplied_columns(job, &all);
        let plan = |file: &OpenFile<SourceId>| {
            // A master's rows are written as they stand, unless its blanks are filled.
            let is_kept = job.has_master && file.owner == SourceId(0) && !job.person.fill;
            let mut wanted =
                if is_kept { Wanted::default() } else { wanted(job, newest_by.as_ref(), &all, file.map()) };
            let condition = job.sources[file.owner.0 as usize].condition.as_ref();
            let of_keys = job.person.columns().cloned().chain(condition.iter().flat_map(|asked| asked.columns()));
            // The order of day and month is found out for columns that are cleaned.
            for column in of_keys.filter(ColumnRef::is_date) {
                wanted.add(&column, file.map());
            }
            let mut plan = CleaningPlan::new(&wishes, &wanted, file.map(), file.is_receipt, &file.glimpse.separators);
            supplied.iter().flat_map(|all| &all.columns).for_each(|column| plan.supply(column));
            plan
        };
        self.cleaning = self.sources.iter().map(plan).collect();
        let keys = |file: &OpenFile<SourceId>| {
            let source = &job.sources[file.owner.0 as usize];
            let by = self.decisions.as_ref().map(fields_of).unwrap_or_default();
            let mut keys = RowKeys::of_source(&keyed(file, job, &wishes), source, newest_by.as_ref(), &by)?;
            set_orders(&mut keys, &file.glimpse, source.read.columns.date_order, job);
            Some(keys)
        };
        self.row_keys = self.sources.iter().map(keys).collect();
        let keys = |file: &OpenFile<ListId>| {
            let list = &job.lists[file.owner.0 as usize];
            let mut keys = RowKeys::of_list(&keyed(file, job, &wishes), file.owner, list)?;
            set_orders(&mut keys, &file.glimpse, list.read.columns.date_order, job);
            Some(keys)
        };
        self.list_keys = self.lists.iter().map(keys).collect();
        self.supplied = supplied;
        self.marks_sources = job.marks_sources();
        self.asks_consent = !job.compares;
        for file in &mut self.sources {
            file.replacements = ReplacementPlan::new(&job.replace_values, file.map());
        }
        let domains = self.sources.iter().flat_map(|file| file.glimpse.domains.iter().cloned());
        self.addresses = Arc::new(AddressWishes {
            blank_words: Arc::clone(&job.clean.blank_words),
            apply: job.clean.apply,
            slips: DomainSlips::new(domains),
        });
    }
}

/// The fields by which decisions name people.
fn fields_of(decisions: &Decisions) -> Vec<Field> {
    let field = |named: &Named| match named {
        Named::By(field, _) => Some(*field),
        Named::Address(_) => None,
    };
    let mut fields: Vec<Field> = decisions.all.iter().flat_map(Decision::persons).filter_map(field).collect();
    fields.sort_unstable();
    fields.dedup();
    fields
}

/// What cleaning needs to know of a job beside the columns.
pub(super) fn cleaning_wishes(job: &Job) -> CleaningWishes {
    CleaningWishes {
        country: job.country,
        today: job.today,
        blank_words: Arc::clone(&job.clean.blank_words),
        tags_roles: job.clean.role == Passing::Tag,
    }
}

/// The columns that persons may be given values in.
fn supplied_columns(job: &Job, all: &AllColumns) -> Option<AllColumns> {
    let taken = job.lists.iter().flat_map(|list| &list.take).map(|taken| &taken.ours);
    let mut supplied = AllColumns::default();
    let needed = if job.person.fill { needed_columns(job, all) } else { Vec::new() };
    let needed = needed.iter().filter(|column| **column != ColumnRef::Field(Field::Email));
    for column in needed.chain(taken) {
        if !supplied.columns.contains(column) {
            supplied.columns.push(column.clone());
        }
    }
    (!supplied.columns.is_empty()).then_some(supplied)
}

fn keyed<'a, Owner>(file: &'a OpenFile<Owner>, job: &'a Job, wishes: &'a CleaningWishes) -> KeyedFile<'a> {
    let separators = &file.glimpse.separators;
    KeyedFile { job, wishes, map: file.map(), is_receipt: file.is_receipt, separators }
}

/// Sets the order of day and month in keys by what the beginning of the file shows; the first pass starts over where the
/// rest shows otherwise.
fn set_orders(keys: &mut RowKeys, glimpse: &Glimpse, said: Option<DateOrder>, job: &Job) {
    let usual = job.country.map(|country| DateOrder::of_country(country.code()));
    for (column, seen) in &glimpse.dates {
        if let Some(order) = said.or(job.clean.date_order).or(seen.shown()).or(usual) {
            keys.cleaning_mut().set_order(*column, order);
        }
    }
}

/// What a job writes, requires, or has conditions on, of a file with these columns.
fn wanted(job: &Job, newest_by: Option<&ColumnRef>, all: &AllColumns, map: &ColumnMap) -> Wanted {
    let mut wanted = Wanted::default();
    let newest_by = newest_by.filter(|_| job.person.survivor == Survivor::Newest);
    for column in needed_columns(job, all).iter().chain(newest_by) {
        wanted.add(column, map);
    }
    wanted
}

/// What a job writes, requires, or has conditions on.
fn needed_columns(job: &Job, all: &AllColumns) -> Vec<ColumnRef> {
    let mut columns: Vec<ColumnRef> = Vec::new();
    // What is compared is written as it was read.
    for write in job.writes.iter().filter(|_| !job.compares) {
        match &write.layout {
            Some(layout) => {
                columns.extend(layout.columns.iter().flat_map(|column| column.content.columns()).cloned());
                columns.extend(layout.sort.iter().map(|sorted| sorted.column.clone()));
            }
            None => columns.extend(all.columns.iter().cloned()),
        }
    }
    columns.extend(job.sort.iter().map(|sorted| sorted.column.clone()));
    let required = job.require.fields.iter().chain(job.require.any.iter().flatten());
    columns.extend(required.map(|field| ColumnRef::Field(*field)));
    columns.extend(job.select.iter().flat_map(Selection::columns));
    if job.clean.role == Passing::Tag {
        columns.push(ColumnRef::Field(Field::Tags));
    }
    // The form of a region depends on the country.
    if columns.contains(&ColumnRef::Field(Field::Region)) {
        columns.push(ColumnRef::Field(Field::Country));
    }
    columns
}

/// What a first reading found out against what the beginning of a file suggested.
#[derive(Debug, Clone, Copy, Default)]
pub struct Refuted {
    /// Whether a column headed "status" is consent.
    pub status_is_consent: Option<bool>,
    /// The encoding.
    pub encoding: Option<&'static Encoding>,
}

/// Looks at a file once more, now that something is known that its beginning did not show.
pub fn open_again<Owner>(
    file: OpenFile<Owner>,
    read: &ReadFiles,
    is_list: bool,
    refuted: Refuted,
) -> Result<OpenFile<Owner>> {
    let OpenFile {
        asks,
        id,
        owner,
        input,
        format,
        format_name,
        sheet,
        given_headers,
        has_backslash_quotes,
        findings,
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
    let prepared =
        Prepared { input, sample, format, format_name, sheet, headers: given_headers, has_backslash_quotes, findings };
    let part = Part { id, owner, is_list, asks };
    recognise(prepared, part, read, refuted.status_is_consent)
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
    let refuted = Refuted { encoding: Some(encoding), status_is_consent: None };
    open_again(file, read, is_list, refuted).map(Some)
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
    recognise(prepared, part, read, None)
}

fn recognise<Owner>(
    prepared: Prepared,
    part: Part<Owner>,
    read: &ReadFiles,
    status_is_consent: Option<bool>,
) -> Result<OpenFile<Owner>> {
    let Shape { dialect, records, table } = recognise_shape(&prepared, &read.wishes)?;
    let Prepared { input, sample, format, format_name, sheet, headers, has_backslash_quotes, findings } = prepared;
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
        status_is_consent,
        asks: part.asks,
    };
    let mapping = if is_empty { empty_mapping(&unmapped)? } else { map_columns(&unmapped)? };
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
        input,
        findings,
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

/// How a file parts its cells, and where its table is.
struct Shape {
    dialect: Dialect,
    records: SampleRecords,
    table: Table,
}

/// Takes the delimiter that parts the records most evenly, unless another one makes known words of the header and
/// this one does not.
fn recognise_shape(prepared: &Prepared, wishes: &ReadWishes) -> Result<Shape> {
    let sample = &prepared.sample;
    let shape = |dialect: Dialect| {
        let records = SampleRecords::new(&sample.bytes, dialect, sample.is_whole);
        if let Some(headers) = &prepared.headers {
            let table = Table { records_above: 0, has_header: true, headers: headers.clone() };
            return Ok(Shape { dialect, records, table });
        }
        check_header_row(wishes.header_row, &records, &prepared.input)?;
        let table = locate_table(&records, wishes.header_row);
        Ok::<Shape, Error>(Shape { dialect, records, table })
    };
    if prepared.format != Format::Delimited {
        return shape(Dialect::COMMA);
    }
    let even = recognise_dialect(&sample.bytes);
    let first = shape(Dialect { delimiter: wishes.delimiter.unwrap_or(even.delimiter), ..even })?;
    let is_said = wishes.delimiter.is_some() || said_by_first_line(&sample.bytes).is_some();
    if is_said || first.table.known_headers() > 0 {
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

/// A file without any line has no columns, whatever the job says of them.
fn empty_mapping(unmapped: &Unmapped) -> Result<Mapping> {
    map_columns(&Unmapped { wishes: &crate::columns::mapping::ColumnWishes::default(), ..*unmapped })
}

fn check_header_row(header_row: Option<u64>, records: &SampleRecords, input: &Input) -> Result<()> {
    let most = records.len().min(crate::columns::locate::HEADER_IS_WITHIN) as u64;
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
pub(super) fn check_columns(job: &Job, opened: &OpenFiles) -> Result<()> {
    let filled: Vec<&OpenFile<SourceId>> = opened.sources.iter().filter(|file| !file.is_empty).collect();
    if job.require.needs_address() {
        for file in &filled {
            if file.map().column(Field::Email).is_none() {
                return Err(no_address_column(&file.input, file.map()));
            }
        }
    }
    for file in filled.iter().filter(|_| job.compares) {
        check_compared_columns(job, opened, file)?;
    }
    for file in opened.lists.iter().filter(|file| !file.is_empty) {
        check_list_columns(job, opened, file)?;
    }
    let wanted = job.writes.iter().filter_map(|write| write.layout.as_ref()).flat_map(columns_of);
    let required = job.require.fields.iter().chain(job.require.any.iter().flatten());
    let required = required.map(|field| ("the requirement".to_owned(), ColumnRef::Field(*field)));
    let selected = job.select.iter().flat_map(Selection::columns);
    let selected = selected.map(|column| ("the condition".to_owned(), column));
    let replaced = job.replace_values.iter().map(|replacement| ("[[replace]]".to_owned(), replacement.column.clone()));
    if job.person.survivor == Survivor::Newest && row_keys::newest_by(job, opened).is_none() && !filled.is_empty() {
        return Err(Error::new(
            ErrorKind::Columns,
            "survivor = \"newest\" needs a date, and no source has last_seen or signed_up",
            "say which date counts: newest_by = \"…\" in [person]",
        ));
    }
    let has_own_keys = job.sources.iter().any(|source| source.same.is_some());
    let keyed = job.person.columns().filter(|_| !has_own_keys).map(|column| ("[person]".to_owned(), column.clone()));
    let compared = job.lists.iter().filter_map(|list| Some((list, list.by.as_ref()?)));
    let compared = compared.map(|(list, key)| (format!("by = of {}", list.name), key.ours.clone()));
    let conditioned = job.sources.iter().filter_map(|source| Some((source, source.condition.as_ref()?)));
    let conditioned = conditioned.flat_map(|(source, condition)| {
        condition.columns().map(|column| (format!("where = of {}", source.name), column)).collect::<Vec<_>>()
    });
    let sorted = job.sort.iter().map(|sorted| ("--sort".to_owned(), sorted.column.clone()));
    let keyed = keyed.chain(compared).chain(conditioned).chain(sorted);
    for (whose, column) in wanted.chain(required).chain(selected).chain(replaced).chain(keyed) {
        let is_there = |file: &&OpenFile<SourceId>| {
            let place = file.id.0 as usize;
            let keyed = opened.row_keys[place].as_ref().map(|keys| &keys.cleaning().map);
            let mut maps = std::iter::once(&opened.cleaning[place].map).chain(keyed);
            maps.any(|map| ValueSource::new(&column, map, false) != ValueSource::Nothing)
        };
        if !filled.is_empty() && !filled.iter().any(is_there) {
            return Err(no_such_column(&whose, &column, &filled));
        }
    }
    Ok(())
}

/// Every list that is compared has the column that it is compared by.
fn check_compared_columns(job: &Job, opened: &OpenFiles, file: &OpenFile<SourceId>) -> Result<()> {
    let own = job.sources[file.owner.0 as usize].same.as_ref().unwrap_or(&job.person.same);
    let keyed = opened.row_keys[file.id.0 as usize].as_ref().map(|keys| &keys.cleaning().map);
    for column in own.iter().flat_map(|key| &key.columns) {
        let mut maps = std::iter::once(file.map()).chain(keyed);
        if !maps.any(|map| ValueSource::new(column, map, false) != ValueSource::Nothing) {
            let headers = || file.map().headers.iter().map(String::as_str);
            let near =
                closest(column.name(), headers()).map_or(String::new(), |near| format!("did you mean \"{near}\"? "));
            let advice = format!(
                "{near}--by takes a column of the first list, and after = that of the others where it is called otherwise"
            );
            let what = format!("the list has no \"{}\" to be compared by", column.name());
            return Err(Error::new(ErrorKind::Columns, what, advice)
                .in_file(file.input.path())
                .expected(format!("one of {}", quoted_list(headers()))));
        }
    }
    Ok(())
}

/// A list has the addresses, or the column that it goes by, and those of its condition and of what is taken from it.
fn check_list_columns(job: &Job, opened: &OpenFiles, file: &OpenFile<ListId>) -> Result<()> {
    let list = &job.lists[file.owner.0 as usize];
    if list.by.is_none() && file.map().column(Field::Email).is_none() {
        return Err(no_address_column(&file.input, file.map()));
    }
    let keyed = opened.list_keys[file.id.0 as usize].as_ref().map(|keys| &keys.cleaning().map);
    let by = list.by.iter().map(|key| ("by =", key.theirs.clone()));
    let conditioned = list.condition.iter().flat_map(Selection::columns).map(|column| ("where =", column));
    let taken = list.take.iter().map(|taken| ("take =", taken.theirs.clone()));
    for (whose, column) in by.chain(conditioned).chain(taken) {
        let mut maps = std::iter::once(file.map()).chain(keyed);
        if !maps.any(|map| ValueSource::new(&column, map, false) != ValueSource::Nothing) {
            let headers = || file.map().headers.iter().map(String::as_str);
            let advice = match closest(column.name(), headers()) {
                Some(near) => format!("did you mean \"{near}\"?"),
                None => "name one of its headers, or a field that one of them was recognised as".to_owned(),
            };
            let what = format!("the list has no \"{}\", which its {whose} needs", column.name());
            return Err(Error::new(ErrorKind::Columns, what, advice)
                .in_file(file.input.path())
                .expected(format!("one of {}", quoted_list(headers()))));
        }
    }
    Ok(())
}

fn columns_of(layout: &Layout) -> Vec<(String, ColumnRef)> {
    let name = format!("the layout {}", layout.name);
    let sorted = layout.sort.iter().map(|sorted| &sorted.column);
    layout
        .columns
        .iter()
        .flat_map(|column| column.content.columns())
        .chain(sorted)
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
    let headers: Vec<&str> = files.iter().flat_map(|file| file.map().headers.iter().map(String::as_str)).collect();
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
