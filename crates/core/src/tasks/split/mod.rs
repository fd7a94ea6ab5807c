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
use crate::tasks::split::wishes::{Split, SplitFile, SplitWishes};
use parts::{FilePlan, PartValue, Parts};
use pebblebank_formats::Input;
use pebblebank_table::csv::RawCells;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::staged::placement::Placement;
use pebblebank_table::staged::{Output, Staged};
use pebblebank_table::units::SourceId;
use pebblebank_table::{CsvBuffer, Error, ErrorKind, Result};

pub use parts::MOST_FILES;

/// How many bytes of a part wait in memory before they are written.
const BYTES_WAITING: usize = 64 << 10;

/// Parts a list.
pub fn split(wishes: &SplitWishes, setting: &Setting, observer: &dyn Observer) -> Result<Split> {
    let job = job(wishes).with_remembered_lists();
    let opening = Opening::of(&job, setting, observer)?;
    let [file] = opening.sources() else {
        let advice = "name one of its files, as in exports.zip/shop.csv";
        return Err(Error::new(ErrorKind::Input, "this holds several files", advice));
    };
    PartValue::new(file, wishes)?;
    let known = read_and_decide(opening, &job, setting, observer)?;
    let mut splitter = Splitter::new(&known, wishes, setting, observer)?;
    splitter.count()?;
    let plan = FilePlan::new(&splitter.parts, splitter.file, wishes)?;
    let refused = splitter.write(&plan)?;
    let counts = &known.source_counts[0];
    let mut findings = known.files.all_findings();
    findings.splice(0..0, refused.finding());
    Ok(Split {
        list: splitter.file.input.name(),
        rows: counts.contacts,
        other_lines: OtherLines(counts.others),
        gathered: plan.gathered,
        findings,
        files: plan.files,
    })
}

/// The job that decides who must not be contacted.
fn job(wishes: &SplitWishes) -> Job {
    Job {
        country: wishes.country,
        sources: vec![Source::new("list", wishes.read.clone())],
        person: PersonWishes { near_duplicates: Some(false), ..PersonWishes::default() },
        scope: wishes.scope.clone(),
        remembered: wishes.remembered.clone(),
        require: Requirement { fields: Vec::new(), ..Requirement::default() },
        writes: vec![Write::as_copied(wishes.folder.join("part"), "")],
        consent_questions: ConsentQuestions::Warn,
        ..Job::new("split", wishes.today)
    }
}

/// Parts a list whose people are known.
struct Splitter<'a> {
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
    /// The value of each row, and where the row ends.
    rows: Vec<(String, usize)>,
}

/// A file that is being written.
struct PartFile {
    output: Output,
    waiting: Vec<u8>,
    rows: u64,
}

impl<'a> Splitter<'a> {
    fn new(
        known: &'a Known,
        wishes: &'a SplitWishes,
        setting: &'a Setting,
        observer: &'a dyn Observer,
    ) -> Result<Splitter<'a>> {
        let file = &known.files.sources[0];
        let value = PartValue::new(file, wishes)?;
        let parts = Parts::new(&wishes.by, known.source_counts[0].contacts);
        Ok(Splitter { known, file, wishes, setting, observer, value, parts })
    }

    /// Finds out which parts there are.
    fn count(&mut self) -> Result<()> {
        if !self.parts.go_by_value() {
            return Ok(());
        }
        let Splitter { known, file, setting, observer, value, parts, .. } = self;
        let plans = value.cleaning.as_ref().map(std::slice::from_ref);
        let wants = Wants { rows: |_| true, values: plans, stage: Stage::Reading };
        let each = |again: &RowAgain, values: &mut Vec<String>| values.push(value.of(&again.contact));
        read_again(known, setting, *observer, &wants, each, |values| {
            values.into_iter().try_for_each(|value| parts.count(value, file))
        })
    }

    /// Writes the parts; says how many of their rows are of people who must not be contacted.
    fn write(&mut self, plan: &FilePlan) -> Result<Refused> {
        let mut staged = Staged::new(self.setting.dry_run);
        let mut files = self.begin(plan, &mut staged)?;
        let defusing = self.wishes.defusing;
        let Splitter { known, file, setting, observer, value, parts, .. } = &mut *self;
        let width = if file.table.has_header { file.table.headers.len() } else { 0 };
        let settled = &known.settled;
        let each = |again: &RowAgain, chunk: &mut CopiedChunk| {
            let record = &again.contact.as_read;
            // What a row leaves out at its end is blank, so that all rows of a file have as many cells.
            let cells = |row: &mut CsvBuffer| {
                row.set_defusing(defusing);
                (0..record.cells().max(width)).for_each(|cell| row.raw(record.raw_cell(cell), RawCells::NeedALook));
            };
            chunk.copies.everyone(&settled.copied(again.row), cells);
            chunk.rows.push((value.of(&again.contact), chunk.copies.bytes().len()));
        };
        let plans = value.cleaning.as_ref().map(std::slice::from_ref);
        let wants = Wants { rows: |_| true, values: plans, stage: Stage::Writing };
        let mut refused = Refused::default();
        let (path, mut before) = (file.input.path(), 0);
        read_again(known, setting, *observer, &wants, each, |chunk| {
            refused.add_all(chunk.copies.refused());
            let mut begin = 0;
            for (value, end) in &chunk.rows {
                let place = parts.of(value, before);
                let target = *plan.file_of_part.get(place).ok_or_else(|| changed(path))?;
                files[target].add(&chunk.copies.bytes()[begin..*end], &mut staged)?;
                (begin, before) = (*end, before + 1);
            }
            Ok(())
        })?;
        place(files, plan, &file.input, staged)?;
        Ok(refused)
    }

    fn begin(&self, plan: &FilePlan, staged: &mut Staged) -> Result<Vec<PartFile>> {
        let placement = Placement::of_file(self.wishes.replace);
        let mut header = CsvBuffer::new(self.wishes.defusing);
        if self.file.table.has_header {
            self.file.table.headers.iter().for_each(|cell| header.value(cell.as_bytes()));
            header.end_row();
        }
        let begin = |target: &SplitFile| {
            if self.file.input.is_at(&target.file) {
                let what = "this file is read and would be written over";
                return Err(Error::new(ErrorKind::Output, what, "name another folder: -o parts").in_file(&target.file));
            }
            let output = staged.file(&target.file, placement)?;
            staged.write(output, &header.bytes)?;
            Ok(PartFile { output, waiting: Vec::new(), rows: 0 })
        };
        plan.files.iter().map(begin).collect()
    }
}

/// Puts the files in place, once each has the rows that were counted.
fn place(files: Vec<PartFile>, plan: &FilePlan, input: &Input, mut staged: Staged) -> Result<()> {
    for (part, target) in files.into_iter().zip(&plan.files) {
        if part.rows != target.rows {
            if std::fs::metadata(input.path()).is_ok_and(|about| about.len() != input.bytes) {
                return Err(changed(input.path()));
            }
            let what = format!("{} would hold {} rows instead of {}", target.file.display(), part.rows, target.rows);
            let advice = "this is a defect of the program; please report it";
            return Err(Error::new(ErrorKind::Unbalanced, what, advice));
        }
        staged.write(part.output, &part.waiting)?;
    }
    staged.place()
}

impl PartFile {
    /// Adds a row.
    fn add(&mut self, row: &[u8], staged: &mut Staged) -> Result<()> {
        self.rows += 1;
        self.waiting.extend_from_slice(row);
        if self.waiting.len() > BYTES_WAITING {
            staged.write(self.output, &self.waiting)?;
            self.waiting.clear();
        }
        Ok(())
    }
}
