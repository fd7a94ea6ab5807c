//! The files of a job, opened: what each is, how it is read, and what its columns are.

use crate::clean::CleaningPlan;
use crate::clean::replace::ReplacementPlan;
use crate::columns::lines::{Line, begins_another_table, judge_line};
use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use crate::columns::wishes::ConsentQuestions;
use crate::columns::{Mapping, Table};
use crate::layout::receipt::AllColumns;
use crate::person::decisions::Decisions;
use crate::run::contact::keys::RowKeys;
use crate::run::contact::{Contact, ContactReader, ContactWishes};
use crate::run::open::first_values::{Glimpse, swapped_names};
use crate::run::open::status_columns::StatusColumns;
use pebblebank_formats::{Format, Input};
use pebblebank_table::charset::Charset;
use pebblebank_table::encoding::{BadBytesAre, Knowledge};
use pebblebank_table::observe::{Finding, Weight};
use pebblebank_table::unescape::Oddities;
use pebblebank_table::units::{FileId, ListId, SourceId};
use pebblebank_table::{Dialect, Record};
use pebblebank_values::NamedHeaders;
use pebblebank_values::address::AddressWishes;
use pebblebank_values::unread::UnreadText;
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
    pub(super) given_headers: Option<Vec<String>>,
    /// What its text is encoded in.
    pub encoding: Charset,
    /// How that is known.
    pub knowledge: Knowledge,
    /// What happens to bytes that fit no character.
    pub bad_bytes: BadBytesAre,
    /// How its text is written otherwise than RFC 4180 has it.
    pub oddities: Oddities,
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
    /// How many bytes its text has, about.
    pub bytes_estimated: u64,
    /// Whether it holds nothing at all.
    pub is_empty: bool,
    /// Whether a question that only the user can answer stops the work.
    pub(super) asks: bool,
    /// The headers that the job names.
    pub(super) named: Arc<NamedHeaders>,
    pub(super) consent_questions: ConsentQuestions,
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

    /// The contact that one of its records describes.
    #[inline]
    pub fn contact<'a>(&self, reader: &'a mut ContactReader, record: Record<'a>, wishes: ContactWishes) -> Contact<'a> {
        reader.read(self.map(), &self.replacements, record, wishes)
    }

    /// What a record below the header is, where it has no usable address.
    pub fn judge(&self, record: &Record) -> Line {
        judge_line(record, self.table.has_header.then_some(&self.table.headers))
    }

    /// Whether a record that was judged a header once more is that of another table.
    pub fn begins_another_table(&self, record: &Record) -> bool {
        begins_another_table(record, &self.table.headers)
    }
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
    /// The columns that people may be given values in from their other rows or from lists; none where they are not.
    pub supplied: Option<AllColumns>,
    /// What somebody decided about people.
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

/// Where the words stand that say of each entry of a list file what happened.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct EntryStatus {
    /// The column.
    pub source: ValueSource,
    /// Whether they give it its reason; else they only say which entries are no refusal.
    pub gives_reasons: bool,
}
