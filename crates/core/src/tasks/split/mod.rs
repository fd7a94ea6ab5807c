//! A list → several files that together hold each of its rows exactly once, as it was read.
//!
//! It is first decided who must not be contacted, as in a run, so that the user is told of those who are in the parts. Then
//! the list is read again to learn which parts there are ([`parts`]), and once more to write them. Cells are written as they
//! stand, in UTF-8 with commas; lines that are no contacts are counted and not written.

pub mod part_name;
mod parts;
pub mod wishes;

use crate::columns::wishes::ConsentQuestions;
use crate::job::sources::Source;
use crate::job::{Job, Write};
use crate::person::same::PersonWishes;
use crate::require::Requirement;
use crate::run::decide::copied::{Copies, Refused};
use crate::run::decide::known::Known;
use crate::run::decide::read_again::{RowAgain, Wants, read_again};
use crate::run::decide::read_and_decide;
use crate::run::gather::chunks::changed;
use crate::run::open::Opening;
use crate::run::open::files::OpenFile;
use crate::run::setting::Setting;
use crate::run::tally::OtherLines;
use crate::run::write::copied_file::{CopiedCells, CopiedColumns, CopiedFile, write_of_copies};
use crate::run::write::outputs::surroundings;
use crate::tasks::split::wishes::{Split, SplitFile, SplitWishes};
use parts::{FilePlan, PartValue, Parts};
use pebblebank_formats::Input;
use pebblebank_formats::writing::FileFormat;
use pebblebank_table::cell_digest::RowsDigest;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::staged::Staged;
use pebblebank_table::staged::placement::Placement;
use pebblebank_table::units::{RowId, SourceId};
use pebblebank_table::{CsvBuffer, Error, ErrorKind, Result};
use pebblebank_values::Field;

pub use parts::MOST_FILES;

/// How many bytes of a part wait in memory before they are written.
const BYTES_WAITING: usize = 64 << 10;

/// Splits a list.
pub fn split(wishes: &SplitWishes, setting: &Setting, observer: &dyn Observer) -> Result<Split> {
    let job = job(wishes).with_remembered_lists();
    let opening = Opening::of(&job, setting, observer)?;
    let [file] = opening.sources() else {
        let advice = "name one of its files, as in exports.zip/shop.csv";
        return Err(Error::new(ErrorKind::Input, "this has several files in it", advice));
    };
    PartValue::new(file, wishes)?;
    let known = read_and_decide(opening, &job, setting, observer)?;
    let mut splitter = Splitter::new(&job, &known, wishes, setting, observer)?;
    splitter.count()?;
    let plan = FilePlan::new(&splitter.parts, splitter.file, wishes)?;
    let (refused, preview) = splitter.write(&plan)?;
    let counts = &known.source_counts[0];
    let mut findings = known.files.all_findings();
    findings.splice(0..0, refused.finding());
    Ok(Split {
        list: splitter.file.input.name(),
        rows: counts.contacts - counts.outside_of_range,
        outside_of_range: counts.outside_of_range,
        other_lines: OtherLines(counts.others),
        gathered: plan.gathered,
        findings,
        files: plan.files,
        preview,
    })
}

/// The job that decides who must not be contacted.
fn job(wishes: &SplitWishes) -> Job {
    Job {
        country: wishes.country,
        sources: vec![Source::new("list", wishes.read.clone()).only_rows(wishes.rows)],
        person: PersonWishes { near_duplicates: Some(false), ..PersonWishes::default() },
        scope: wishes.scope.clone(),
        remembered: wishes.remembered.clone(),
        require: Requirement { fields: Vec::new(), ..Requirement::default() },
        writes: vec![Write::as_copied(wishes.folder.join("part"), "")],
        consent_questions: ConsentQuestions::Warn,
        ..Job::new("split", wishes.today)
    }
}

/// Splits a list whose people are known.
struct Splitter<'a> {
    job: &'a Job,
    known: &'a Known,
    file: &'a OpenFile<SourceId>,
    wishes: &'a SplitWishes,
    setting: &'a Setting,
    observer: &'a dyn Observer,
    value: PartValue<'a>,
    parts: Parts<'a>,
}

/// The rows of a chunk, copied one after the other.
#[derive(Default)]
struct CopiedChunk {
    copies: Copies,
    /// The value of each row, where the row ends, and the digest of the rows up to it.
    rows: Vec<(String, usize, RowsDigest)>,
    /// The first row without an address, where recipients are written.
    no_recipient: Option<RowId>,
}

/// A file that is being written.
struct PartFile {
    file: CopiedFile,
    waiting: Vec<u8>,
    /// How many rows are waiting, and what they hold.
    digest: RowsDigest,
    rows: u64,
}

impl<'a> Splitter<'a> {
    fn new(
        job: &'a Job,
        known: &'a Known,
        wishes: &'a SplitWishes,
        setting: &'a Setting,
        observer: &'a dyn Observer,
    ) -> Result<Splitter<'a>> {
        let file = &known.files.sources[0];
        let value = PartValue::new(file, wishes)?;
        let parts = Parts::new(&wishes.by, known.source_counts[0].contacts - known.source_counts[0].outside_of_range);
        Ok(Splitter { job, known, file, wishes, setting, observer, value, parts })
    }

    /// Finds out which parts there are.
    fn count(&mut self) -> Result<()> {
        if !self.parts.go_by_value() {
            return Ok(());
        }
        let Splitter { known, file, setting, observer, value, parts, .. } = self;
        let plans = value.cleaning.as_ref().map(std::slice::from_ref);
        let is_wanted = |row: RowId| !known.settled.is_left_out(row);
        let wants = Wants { rows: is_wanted, values: plans, stage: Stage::Reading };
        let each = |again: &RowAgain, values: &mut Vec<String>| values.push(value.of(&again.contact));
        read_again(known, setting, *observer, &wants, each, |values| {
            values.into_iter().try_for_each(|value| parts.count(value, file))
        })
    }

    /// Writes the parts. Says how many of their rows are of people who must not be contacted, and gives the first rows of the
    /// first file.
    fn write(&mut self, plan: &FilePlan) -> Result<(Refused, Vec<u8>)> {
        let mut staged = Staged::new(self.setting.dry_run);
        let columns = self.columns()?;
        let has_surplus = columns.has_surplus;
        let mut files = self.begin(plan, &columns, &mut staged)?;
        let defusing = self.wishes.defusing;
        let is_ragged = self.is_ragged();
        let is_line = self.wishes.format == FileFormat::RecipientLine;
        let address = self.file.map().column(Field::Email).filter(|_| is_line);
        let Splitter { known, file, setting, observer, value, parts, .. } = &mut *self;
        let settled = &known.settled;
        let width = file.map().width();
        let each = |again: &RowAgain, chunk: &mut CopiedChunk| {
            let record = &again.contact.as_read;
            if address.is_some() && !again.contact.address.is_usable() {
                chunk.no_recipient.get_or_insert(again.row);
            }
            let cells = |row: &mut CsvBuffer| {
                row.set_defusing(defusing);
                // Without a header nobody says how many cells a row of text has.
                let width = if is_ragged { record.cells() } else { width };
                CopiedCells { width, has_surplus, address }.copy(&again.contact, row);
            };
            chunk.copies.everyone(&settled.copied(again.row), cells);
            chunk.rows.push((value.of(&again.contact), chunk.copies.bytes().len(), chunk.copies.digest()));
        };
        let plans = value.cleaning.as_ref().map(std::slice::from_ref);
        let is_wanted = |row: RowId| !settled.is_left_out(row);
        let wants = Wants { rows: is_wanted, values: plans, stage: Stage::Writing };
        let mut refused = Refused::default();
        let (path, mut before) = (file.input.path(), 0);
        read_again(known, setting, *observer, &wants, each, |chunk| {
            refused.add_all(chunk.copies.refused());
            if let Some(row) = chunk.no_recipient {
                let what = "this row has no usable address, and a recipient line needs one";
                let advice = "take such rows out first: pebblebank clean LIST -o clean.csv, then split that";
                return Err(Error::new(ErrorKind::Columns, what, advice).in_file(path).at_row(settled.place(row).1));
            }
            let (mut begin, mut digested) = (0, RowsDigest::default());
            for (value, end, digest) in &chunk.rows {
                let place = parts.of(value, before);
                let target = *plan.file_of_part.get(place).ok_or_else(|| changed(path))?;
                files[target].add(&chunk.copies.bytes()[begin..*end], digest.since(digested), &mut staged)?;
                (begin, digested, before) = (*end, *digest, before + 1);
            }
            Ok(())
        })?;
        let preview =
            place(files, plan, &file.input, staged, |file, staged| file.finish(staged, setting.threads, *observer))?;
        Ok((refused, preview))
    }

    /// Whether rows may have any number of cells, as those of a list without a header where text is written.
    fn is_ragged(&self) -> bool {
        !self.file.table.has_header && self.wishes.format.is_delimited()
    }

    fn columns(&self) -> Result<CopiedColumns> {
        let columns = self.wishes.columns.as_deref();
        let copied = CopiedColumns::of(columns, &self.file.table.headers, self.file.map())?;
        let counts = &self.known.source_counts[0];
        Ok(if self.is_ragged() { copied } else { copied.with_surplus(counts, self.file.map().width()) })
    }

    fn begin(&self, plan: &FilePlan, copied: &CopiedColumns, staged: &mut Staged) -> Result<Vec<PartFile>> {
        let placement = Placement::of_file(self.wishes.replace);
        let SplitWishes { columns, format, defusing, .. } = self.wishes;
        let has_header = self.file.table.has_header;
        let surroundings = surroundings(self.job, self.known);
        let mut preview_rows = self.setting.preview_rows;
        let begin = |target: &SplitFile| {
            if self.file.input.is_at(&target.file) {
                let what = "this file is read and would be written over";
                return Err(Error::new(ErrorKind::Output, what, "name another folder: -o parts").in_file(&target.file));
            }
            let output = staged.file(&target.file, placement)?;
            let mut write = write_of_copies(target.file.clone(), Some(*format), columns.as_deref())?;
            write.form.has_header &= has_header || columns.is_some();
            let shown = std::mem::take(&mut preview_rows);
            let to = (&mut *staged, output);
            let file = CopiedFile::begin_as(&write, copied.clone(), *defusing, shown, surroundings.clone(), to)?;
            Ok(PartFile { file, waiting: Vec::new(), digest: RowsDigest::default(), rows: 0 })
        };
        plan.files.iter().map(begin).collect()
    }
}

/// Puts the files in place, once each has the rows that were counted and `finish` read it again. Gives what is to be shown of
/// the first.
fn place(
    files: Vec<PartFile>,
    plan: &FilePlan,
    input: &Input,
    mut staged: Staged,
    finish: impl Fn(CopiedFile, &mut Staged) -> Result<Vec<u8>>,
) -> Result<Vec<u8>> {
    let mut preview = None;
    for (mut part, target) in files.into_iter().zip(&plan.files) {
        if part.rows != target.rows {
            if std::fs::metadata(input.path()).is_ok_and(|about| about.len() != input.bytes) {
                return Err(changed(input.path()));
            }
            let what = format!("{} would hold {} rows instead of {}", target.file.display(), part.rows, target.rows);
            let advice = "this is a defect of the program; please report it";
            return Err(Error::new(ErrorKind::Unbalanced, what, advice));
        }
        part.pass_on(&mut staged)?;
        let first_rows = finish(part.file, &mut staged)?;
        preview.get_or_insert(first_rows);
    }
    staged.place()?;
    Ok(preview.unwrap_or_default())
}

impl PartFile {
    /// Adds a row.
    fn add(&mut self, row: &[u8], digest: RowsDigest, staged: &mut Staged) -> Result<()> {
        self.rows += 1;
        self.waiting.extend_from_slice(row);
        self.digest.add(digest);
        if self.waiting.len() > BYTES_WAITING { self.pass_on(staged) } else { Ok(()) }
    }

    /// Writes the rows that wait.
    fn pass_on(&mut self, staged: &mut Staged) -> Result<()> {
        let digest = std::mem::take(&mut self.digest);
        self.file.take_csv(&self.waiting, digest.rows, digest, staged)?;
        self.waiting.clear();
        Ok(())
    }
}
