//! One list compared with others: its own rows, less those of people who must not be contacted, or each with the reason.
//! Rows stay as they are read and in their order; nothing is merged, and nobody need have an address.

use crate::job::Job;
use crate::job::guard::Accepted;
use crate::job::lists::{JobList, NearMisses, SuppressionList};
use crate::job::remembering::Remembering;
use crate::job::row_range::{self, RowRange};
use crate::job::sources::{ReadFiles, Source};
use crate::layout::LayoutColumn;
use crate::layout::receipt::{OriginalValues, SET_ASIDE};
use crate::person::same::PersonWishes;
use crate::require::Requirement;
use crate::run::account::earlier_run::EarlierRun;
use crate::run::account::guards::sort_out;
use crate::run::account::list_guards;
use crate::run::account::reports::Reports;
use crate::run::decide::copied::{Copied, Copies};
use crate::run::decide::known::Known;
use crate::run::decide::near_misses::{self, NearMissed};
use crate::run::decide::read_again::{RowAgain, Wants, read_again};
use crate::run::decide::read_and_decide;
use crate::run::decide::why::describe;
use crate::run::open::files::OpenFile;
use crate::run::open::opening::Opening;
use crate::run::setting::Setting;
use crate::run::tally::{Outcome, Tally};
use crate::run::tripped_guard::TrippedGuard;
use crate::run::write::copied_file::{CopiedCells, CopiedColumns, CopiedFile, free_name, write_of_copies};
use crate::run::write::rows::Counts;
use crate::suppress::marks::MarkSet;
use crate::suppress::reason::Reason;
use pebblebank_formats::writing::FileFormat;
use pebblebank_table::csv::{Defusing, RawCells};
use pebblebank_table::observe::{Finding, Observer, Stage, Weight, counted};
use pebblebank_table::staged::placement::Placement;
use pebblebank_table::staged::{Output, Staged};
use pebblebank_table::units::SourceId;
use pebblebank_table::{CsvBuffer, Error, ErrorKind, Result};
use pebblebank_values::Field;
use pebblebank_values::address::State;
use pebblebank_values::date::Date;
use pebblebank_values::place::Country;
use std::path::PathBuf;

/// What is asked.
#[derive(Debug, Clone)]
pub struct AgainstWishes {
    /// The list.
    pub list: ReadFiles,
    /// What it is called.
    pub name: String,
    /// Which of its rows are wanted; the others are taken out. None for all.
    pub rows: Option<RowRange>,
    /// Whether formulas in the rows that stay are defused; they are the user's own rows, and are copied unless it is asked for.
    pub defusing: Defusing,
    /// Who is taken out of it.
    pub against: Vec<SuppressionList>,
    /// Which client or brand it is for.
    pub scope: Option<String>,
    /// Who is remembered from earlier work.
    pub remembered: Remembering,
    /// What happens to near misses, also of what is remembered.
    pub near_miss: NearMisses,
    /// The columns that are written; none for all.
    pub columns: Option<Vec<LayoutColumn>>,
    /// The format of the file; else that of its name.
    pub format: Option<FileFormat>,
    /// Whether all rows are written, each with the reason.
    pub marks: bool,
    /// The file to write.
    pub output: PathBuf,
    /// Where the rows go that are taken out.
    pub set_aside: PathBuf,
    /// Whether existing outputs are replaced.
    pub replace: bool,
    /// The country of contacts that name none.
    pub country: Option<Country>,
    /// The guards that do not stop it.
    pub accept: Accepted,
    /// The day.
    pub today: Date,
}

/// The result of it.
#[derive(Debug, Clone)]
pub struct HeldAgainst {
    /// The account; with marks every row is written.
    pub tally: Tally,
    /// Rows whose person must not be contacted.
    pub held: u64,
    /// The first rows as they are written, with the header.
    pub preview: Vec<u8>,
    /// The guards that stopped it; empty where none did.
    pub tripped: Vec<TrippedGuard>,
    /// Where the result is, if it was put in place.
    pub output: Option<PathBuf>,
    /// Where the rows are that were taken out, if there are any.
    pub set_aside: Option<PathBuf>,
}

/// Holds a list against others.
pub fn hold_against(wishes: &AgainstWishes, setting: &Setting, observer: &dyn Observer) -> Result<HeldAgainst> {
    let mut job = job(wishes)?.with_remembered_lists().with_unread_lists();
    job.lists.iter_mut().filter_map(JobList::hold_mut).for_each(|hold| hold.near_miss = wishes.near_miss);
    job.check()?;
    let opening = Opening::of(&job, setting, observer)?;
    let mut staged = Staged::new(setting.dry_run);
    let files = Files::stage(wishes, &mut staged)?;
    let known = read_and_decide(opening, &job, setting, observer)?;
    let near = near_misses::search(&job, &known, setting, observer)?;
    let found = write_rows(wishes, &job, &known, &near, (&mut staged, &files), setting, observer)?;
    let written = found.counts.account.written;
    let without_key = found.without_key;
    let held = found.held;
    let preview = found.preview;
    let passed = found.counts.near_missed.clone();
    let mut tally = Reports { job: &job, known: &known }.tally(vec![found.counts], &[written]);
    tally.near_misses = near.tally(&job, found.near_missed, &passed);
    tally.check_balance()?;
    if without_key > 0 {
        let text = format!(
            "{} no usable address; such rows can match only by another field, and stay otherwise",
            counted(without_key, "row", "has", "have")
        );
        tally.findings.push(Finding::new("rows-without-address", Weight::Note, text));
    }
    let tripped = list_guards::check(&job, &known, &tally, &EarlierRun::default());
    let (tripped, accepted) = sort_out(tripped, &wishes.accept);
    tally.accepted_guards = accepted;
    tally.outcome = match (tripped.is_empty(), setting.dry_run) {
        (false, _) => Outcome::Stopped,
        (true, true) => Outcome::DryRun,
        (true, false) => Outcome::Written,
    };
    let is_written = tally.outcome == Outcome::Written;
    let has_set_aside = is_written && !wishes.marks && held > 0;
    if is_written {
        if let Some(set_aside) = files.set_aside.filter(|_| !has_set_aside) {
            staged.leave_out(set_aside);
        }
        staged.place()?;
    }
    Ok(HeldAgainst {
        tally,
        held,
        preview,
        tripped,
        output: is_written.then(|| wishes.output.clone()),
        set_aside: has_set_aside.then(|| wishes.set_aside.clone()),
    })
}

fn job(wishes: &AgainstWishes) -> Result<Job> {
    let write = write_of_copies(wishes.output.clone(), wishes.format, wishes.columns.as_deref())?;
    Ok(Job {
        country: wishes.country,
        sources: vec![Source::new(&wishes.name, wishes.list.clone()).only_rows(wishes.rows)],
        person: PersonWishes { near_duplicates: Some(false), ..PersonWishes::default() },
        lists: wishes.against.iter().cloned().map(JobList::from).collect(),
        scope: wishes.scope.clone(),
        remembered: wishes.remembered.clone(),
        require: Requirement { fields: Vec::new(), ..Requirement::default() },
        writes: vec![write],
        set_aside: Some(wishes.set_aside.clone()),
        replace: wishes.replace,
        ..Job::new("suppress", wishes.today)
    })
}

/// The files that are written.
struct Files {
    output: Output,
    /// With marks, nothing is taken out.
    set_aside: Option<Output>,
}

impl Files {
    fn stage(wishes: &AgainstWishes, staged: &mut Staged) -> Result<Files> {
        let placement = Placement::of_file(wishes.replace);
        let output = staged.file(&wishes.output, placement)?;
        let set_aside = if wishes.marks { None } else { Some(staged.file(&wishes.set_aside, placement)?) };
        Ok(Files { output, set_aside })
    }
}

/// The rows of a chunk, split.
#[derive(Default)]
struct Parted {
    kept: Copies,
    held: Option<CsvBuffer>,
    counts: Counts,
    held_rows: u64,
    without_key: u64,
    near_missed: u64,
}

/// What was written.
#[derive(Default)]
struct Found {
    counts: Counts,
    held: u64,
    without_key: u64,
    near_missed: u64,
    preview: Vec<u8>,
}

fn write_rows(
    wishes: &AgainstWishes,
    job: &Job,
    known: &Known,
    near: &NearMissed,
    (staged, files): (&mut Staged, &Files),
    setting: &Setting,
    observer: &dyn Observer,
) -> Result<Found> {
    let mut own = known.files.sources.iter().filter(|file| file.owner == SourceId(0));
    let (Some(file), None) = (own.next(), own.next()) else {
        let what = "the list is several files, which may have different columns";
        return Err(Error::new(ErrorKind::Job, what, "name one file; pebblebank clean merges several"));
    };
    let columns = known.all_columns();
    let copied = columns_of(wishes, known, file)?;
    let is_line = job.writes.first().is_some_and(|write| write.form.format == FileFormat::RecipientLine);
    let address = file.map().column(Field::Email).filter(|_| is_line);
    let cells = CopiedCells { width: file.map().width(), has_surplus: copied.has_surplus, address };
    let to = (&mut *staged, files.output);
    let mut output = CopiedFile::begin(job, known, copied, wishes.defusing, setting.preview_rows, to)?;
    if let Some(set_aside) = files.set_aside {
        staged.write(set_aside, &columns.header_of_originals(&SET_ASIDE))?;
    }
    let details = known.settled.all_marks().map(|marks| describe(job, marks)).collect();
    let originals = OriginalValues::new(&columns, file.map());
    let parting = Parting { wishes, job, known, near, details, originals, file, cells };
    let mut found = Found::default();
    let wants = Wants { rows: |_| true, values: None, stage: Stage::Writing };
    let each = |again: &RowAgain, parted: &mut Parted| parting.take(again, parted);
    read_again(known, setting, observer, &wants, each, |parted: Parted| {
        found.held += parted.held_rows;
        found.without_key += parted.without_key;
        found.near_missed += parted.near_missed;
        found.counts.add(parted.counts);
        output.take(&parted.kept, staged)?;
        match (parted.held, files.set_aside) {
            (Some(held), Some(set_aside)) => staged.write(set_aside, &held.bytes),
            _ => Ok(()),
        }
    })?;
    found.preview = output.finish(staged, setting.threads, observer)?;
    Ok(found)
}

/// The columns of the list, and those of the marks where these are wanted.
fn columns_of(wishes: &AgainstWishes, known: &Known, file: &OpenFile<SourceId>) -> Result<CopiedColumns> {
    let width = file.map().width();
    let columns = CopiedColumns::of(wishes.columns.as_deref(), &file.table.headers, file.map())?;
    let columns = columns.with_surplus(&known.source_counts[file.id.0 as usize], width);
    let marks: Vec<String> = ["reason", "suppressed by"]
        .into_iter()
        .filter(|_| wishes.marks)
        .map(|name| free_name(name, &columns.headers))
        .collect();
    Ok(columns.followed_by(marks, width))
}

/// Splits the rows of the list into those that stay and those that are taken out.
struct Parting<'a> {
    wishes: &'a AgainstWishes,
    job: &'a Job,
    known: &'a Known,
    near: &'a NearMissed,
    /// What to say about each combination of marks.
    details: Vec<String>,
    originals: OriginalValues,
    file: &'a OpenFile<SourceId>,
    cells: CopiedCells,
}

impl Parting<'_> {
    /// Takes the next row.
    fn take(&self, again: &RowAgain, parted: &mut Parted) {
        let settled = &self.known.settled;
        let copied = settled.copied(again.row);
        let is_survivor = settled.survivor_of(again.row) == again.row;
        let marks = copied.marks();
        let (reason, details) = self.why_taken_out(&copied, parted);
        // A recipient without an address is none.
        let is_no_recipient = self.cells.address.is_some() && reason.is_none();
        let reason = reason.or_else(|| reason_of_state(again.contact.address.state).filter(|_| is_no_recipient));
        parted.held_rows += u64::from(reason.is_some());
        parted.without_key += u64::from(reason.is_none() && !again.contact.address.is_usable());
        count_person(parted, is_survivor, marks, settled.mark_sets());
        let own_cells = |kept: &mut CsvBuffer| {
            kept.set_defusing(self.wishes.defusing);
            self.cells.copy(&again.contact, kept);
        };
        match reason {
            _ if self.wishes.marks => parted.kept.everyone(&copied, |kept| {
                own_cells(kept);
                kept.value(reason.map_or("", Reason::name).as_bytes());
                kept.value(details.as_bytes());
            }),
            None => _ = parted.kept.only_free(&copied, own_cells),
            Some(reason) => return self.set_aside(again, reason, details, parted),
        }
        parted.counts.account.written += 1;
        if reason.is_none() && is_survivor {
            parted.counts.note_unread(again.row, settled.marks(marks), self.job);
        }
    }

    /// Why a row is taken out, if it is, and what to say about it.
    fn why_taken_out(&self, copied: &Copied, parted: &mut Parted) -> (Option<Reason>, &str) {
        if let Some(reason) = copied.refusal() {
            return (Some(reason), &self.details[copied.marks().0 as usize]);
        }
        if self.known.settled.is_left_out(copied.row()) {
            return (Some(Reason::NotSelected), row_range::OUTSIDE);
        }
        let Some(missed) = self.near.of(copied.row()) else { return (None, "") };
        parted.counts.near_missed.push(copied.row());
        if !missed.sets_aside {
            return (None, "");
        }
        parted.near_missed += 1;
        (Some(Reason::NearMiss), &missed.details)
    }

    fn set_aside(&self, again: &RowAgain, reason: Reason, details: &str, parted: &mut Parted) {
        let number = self.known.settled.place(again.row).1;
        let held = parted.held.get_or_insert_with(|| CsvBuffer::new(Defusing::On));
        self.originals.write(&again.contact.as_read, RawCells::NeedALook, held);
        for cell in [reason.name(), details, &self.wishes.name, &self.file.input.name(), &number.0.to_string()] {
            held.value(cell.as_bytes());
        }
        held.end_row();
        parted.counts.account.set_aside[reason as usize] += 1;
    }
}

/// Why nobody can be written at an address.
fn reason_of_state(state: State) -> Option<Reason> {
    match state {
        State::Usable => None,
        State::Blank => Some(Reason::BlankAddress),
        State::Placeholder => Some(Reason::PlaceholderAddress),
        State::Invalid(_) => Some(Reason::InvalidAddress),
    }
}

fn count_person(parted: &mut Parted, is_survivor: bool, marks: MarkSet, sets: usize) {
    if is_survivor && marks != MarkSet::NONE {
        parted.counts.people.resize(sets, 0);
        parted.counts.people[marks.0 as usize] += 1;
    }
}
