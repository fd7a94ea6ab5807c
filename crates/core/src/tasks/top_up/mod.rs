//! A master list, topped up: its own rows byte for byte and in order, then the people that it lacks.
//!
//! A job whose first source is the master: its rows survive before all others and are never held back; what is left of
//! the other sources is laid out in the master's columns and written in its manner behind it.

mod consent_word;
pub mod dialect;
pub mod files;
mod update;
pub mod wishes;

use crate::columns::lines::Line;
use crate::columns::map::ColumnMap;
use crate::job::guard::Accepted;
use crate::job::lists::JobList;
use crate::job::sources::Source;
use crate::job::{Job, Mode, Write};
use crate::layout::receipt::{AllColumns, REPAIRS, SET_ASIDE};
use crate::layout::{Content, Form, Layout, LayoutColumn};
use crate::person::same::PersonWishes;
use crate::run::account::earlier_run::EarlierRun;
use crate::run::account::guards::sort_out;
use crate::run::account::list_guards;
use crate::run::account::reports::Reports;
use crate::run::decide::fill::Supplies;
use crate::run::decide::known::Known;
use crate::run::decide::read_and_decide;
use crate::run::open::beginning::Beginning;
use crate::run::open::files::OpenFile;
use crate::run::open::opening::Opening;
use crate::run::setting::Setting;
use crate::run::tally::{Outcome, Tally};
use crate::run::write::copied_file::refuse_other_format;
use crate::run::write::plan::SecondPass;
use crate::run::write::preview::Preview;
use crate::run::write::rows::{Rows, Sink};
use crate::run::write::shapes::{self, ImportShape};
use crate::suppress::reason::Reason;
use crate::tasks::top_up::files::{Files, ends_with_line_end, tail_of};
use crate::tasks::top_up::wishes::{TopUpWishes, ToppedUp};
use consent_word::word_for_opted_in;
use dialect::Manner;
use encoding_rs::UTF_8;
use pebblebank_formats::Format;
use pebblebank_table::cell_digest::RowsDigest;
use pebblebank_table::encoding::BadBytesAre;
use pebblebank_table::observe::{Finding, Observer, Weight, counted};
use pebblebank_table::staged::{Output, Staged};
use pebblebank_table::units::SourceId;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::{ColumnRef, Field};
use std::io::Read;

/// Tops up a master list.
pub fn top_up(wishes: &TopUpWishes, setting: &Setting, observer: &dyn Observer) -> Result<ToppedUp> {
    refuse_other_format(&wishes.output)?;
    let mut job = job(wishes).with_remembered_lists().with_unread_lists();
    job.check()?;
    let mut opening = Opening::of(&job, setting, observer)?;
    if wishes.update && opening.reads(&wishes.repairs) {
        let what = "this file is read, and the list of filled cells would be written over it";
        return Err(Error::new(ErrorKind::Job, what, "name another file behind -o").in_file(&wishes.repairs));
    }
    let master = the_master(&opening)?;
    let layout = layout_of(master.map());
    job.writes[0].layout = Some(layout);
    opening.plan(&job)?;
    let mut staged = Staged::new(setting.dry_run);
    let files = Files::stage(wishes, &mut staged)?;
    let known = read_and_decide(opening, &job, setting, observer)?;
    check_end(&known)?;
    let master = &known.files.sources[0];
    let manner = manner_of(master)?;
    let mut layouts: Vec<Layout> = job.writes.iter().filter_map(|write| write.layout.clone()).collect();
    say_consent_in_its_words(&mut layouts, &known, observer)?;
    let columns = known.all_columns();
    let supplies = Supplies::gather(&job, &known, setting, observer, &mut |_| Ok(()))?;
    let mut cells_filled = 0;
    match &supplies {
        Some(supplies) => {
            if let Some(repairs) = files.repairs {
                staged.write(repairs, &AllColumns::default().header(&REPAIRS))?;
            }
            cells_filled = update::copy_updated(&job, &known, supplies, &manner, (&mut staged, &files), observer)?;
        }
        None if setting.dry_run => {}
        None => copy_as_it_is(master, &manner, &mut staged, files.output)?,
    }
    staged.write(files.set_aside, &columns.header_of_originals(&SET_ASIDE))?;
    let shapes = shapes::shapes(&job, layouts);
    let second_pass = SecondPass::new(&job, &known.files, &known.settled, &shapes, &columns, None);
    let mut appending = Appending::new(&mut staged, &files, manner, &shapes, setting.preview_rows);
    let counts = second_pass.run(setting, &mut appending, observer)?;
    let Appending { new, first_rows, .. } = appending;
    let added = new.rows;
    let preview = first_rows.text();
    files::read_back(&known.files.sources[0], (&staged, files.output), new, wishes.update, setting.threads, observer)?;
    let master_rows = known.source_counts[0].contacts;
    let refused = counts[0].refused_written.clone();
    let reports = Reports { job: &job, known: &known };
    let mut tally = reports.tally(counts, &[master_rows + added]);
    tally.check_balance()?;
    check_guards(&job, &known, &mut tally, &wishes.accept)?;
    tally.outcome = if setting.dry_run { Outcome::DryRun } else { Outcome::Written };
    let columns_left = columns_left(&known);
    tally.findings.extend(refused_finding(refused.by_reason()));
    tally.findings.sort_by_key(|finding| finding.weight);
    let has_set_aside = tally.all.set_aside_in_all() > 0;
    let fill = supplies.as_ref().map(|supplies| supplies.fill).unwrap_or_default();
    if !has_set_aside {
        staged.leave_out(files.set_aside);
    }
    if let Some(repairs) = files.repairs.filter(|_| cells_filled == 0) {
        staged.leave_out(repairs);
    }
    staged.place()?;
    Ok(ToppedUp {
        master_rows,
        added,
        known_already: known_already(&known),
        refused_in_master: refused.by_reason().iter().map(|(reason, count)| (*reason, *count)).collect(),
        cells_filled,
        values_differing: fill.conflicts,
        columns_left,
        output: (!setting.dry_run).then(|| wishes.output.clone()),
        set_aside: (!setting.dry_run && has_set_aside).then(|| wishes.set_aside.clone()),
        repairs: (!setting.dry_run && cells_filled > 0).then(|| wishes.repairs.clone()),
        preview,
        tally,
    })
}

/// Fails where a guard of a list trips that is not accepted.
fn check_guards(job: &Job, known: &Known, tally: &mut Tally, accept: &Accepted) -> Result<()> {
    let tripped = list_guards::check(job, known, tally, &EarlierRun::default());
    let (tripped, accepted) = sort_out(tripped, accept);
    tally.accepted_guards = accepted;
    match tripped.into_iter().next() {
        None => Ok(()),
        Some(tripped) => {
            let what = format!("{}: {}", tripped.guard, tripped.text);
            Err(Error::new(ErrorKind::Guard, what, tripped.advice))
        }
    }
}

fn job(wishes: &TopUpWishes) -> Job {
    let master = Source::new(&wishes.master_name, wishes.master.clone());
    let shown = wishes.output.display().to_string();
    Job {
        country: wishes.country,
        sources: std::iter::once(master).chain(wishes.from.iter().cloned()).collect(),
        person: PersonWishes { fill: wishes.update, near_duplicates: Some(false), ..wishes.person.clone() },
        lists: wishes.against.iter().cloned().map(JobList::from).collect(),
        scope: wishes.scope.clone(),
        remembered: wishes.remembered.clone(),
        require: wishes.require.clone(),
        writes: vec![Write::as_copied(wishes.output.clone(), shown)],
        mode: Mode::TopsUp,
        set_aside: Some(wishes.set_aside.clone()),
        replace: wishes.replace,
        ..Job::new("top-up", wishes.today)
    }
}

/// The master must be one file of delimited text as it lies on the disk, since its bytes are kept.
fn the_master(opening: &Opening) -> Result<&OpenFile<SourceId>> {
    let mut own = opening.sources().iter().filter(|file| file.owner == SourceId(0));
    let (Some(master), None) = (own.next(), own.next()) else {
        let what = "the master must be one file";
        return Err(Error::new(ErrorKind::Job, what, "merge the files first, with pebblebank clean"));
    };
    let wrong =
        |what: String, advice: &str| Err(Error::new(ErrorKind::Input, what, advice).in_file(master.input.path()));
    if master.format != Format::Delimited || master.input.packing().is_some() {
        let what = format!("the master is {}, whose rows cannot be kept byte for byte", master.format_name);
        return wrong(what, "save it as CSV first, unpacked; the new files may be of any format");
    }
    if master.bad_bytes != BadBytesAre::Errors || master.oddities.is_any() {
        let what = "the master is not written in a way that can be continued".to_owned();
        return wrong(what, "save it as CSV first, with every quote doubled");
    }
    if master.encoding.standard().is_none() {
        let what = format!("the master is in {}, in which nothing is written", master.encoding.name());
        return wrong(what, "save it as UTF-8 first");
    }
    if master.is_empty || !master.table.has_header {
        return wrong("the master has no header, so nobody knows its columns".to_owned(), "add a header line first");
    }
    Ok(master)
}

/// The master's columns: those of a field take that field, the others a column of the same header.
fn layout_of(map: &ColumnMap) -> Layout {
    let column = |(place, header): (usize, &String)| {
        let field = Field::ALL.into_iter().find(|field| map.column(*field).is_some_and(|column| column.0 == place));
        let column = field.map_or_else(|| ColumnRef::extra(header), ColumnRef::Field);
        LayoutColumn { content: Content::Column(column), ..LayoutColumn::of_column(header) }
    };
    Layout::new("the master's columns", map.headers.iter().enumerate().map(column).collect())
}

/// Lets the consent column say what it says in the words of the master.
fn say_consent_in_its_words(layouts: &mut [Layout], known: &Known, observer: &dyn Observer) -> Result<()> {
    let is_consent = |column: &&mut LayoutColumn| column.content == Content::Column(ColumnRef::Field(Field::Consent));
    for column in layouts.iter_mut().flat_map(|layout| &mut layout.columns).filter(is_consent) {
        column.form = Some(Form::OptedIn(word_for_opted_in(known, observer)?));
    }
    Ok(())
}

/// Below a totals line or a footnote nobody would look for contacts, and behind an open quote nobody would find them.
fn check_end(known: &Known) -> Result<()> {
    let master = &known.files.sources[0];
    let counts = &known.source_counts[0];
    for (line, name) in [(Line::Totals, "a totals line"), (Line::Footnote, "a footnote")] {
        let place = Line::OTHERS.iter().position(|other| *other == line).unwrap_or_default();
        if counts.others[place] > 0 {
            let what = format!("the master has {name}, behind which new rows would stand");
            return Err(Error::new(ErrorKind::Input, what, "take that line out of the master first")
                .in_file(master.input.path()));
        }
    }
    if let Some(row) = counts.open_quotes.rows.first() {
        let what = "a cell of the master begins with a quote that is never closed, so that readers may take new rows for its text";
        return Err(Error::new(ErrorKind::Input, what, "correct that cell in the master first")
            .in_file(master.input.path())
            .at_row(*row));
    }
    Ok(())
}

/// How the master's rows are written.
fn manner_of(master: &OpenFile<SourceId>) -> Result<Manner> {
    let line_end = Beginning::of(master)?.line_end;
    Ok(Manner { delimiter: master.dialect.delimiter, line_end, encoding: master.encoding.standard().unwrap_or(UTF_8) })
}

/// Copies the master, and adds a line end where the last is missing.
fn copy_as_it_is(master: &OpenFile<SourceId>, manner: &Manner, staged: &mut Staged, out: Output) -> Result<()> {
    let fail = |cause: std::io::Error| Error::unreadable(master.input.path(), &cause);
    let mut file = master.input.packed_file()?;
    let mut buffer = vec![0; 256 << 10];
    loop {
        let read = file.read(&mut buffer).map_err(fail)?;
        if read == 0 {
            break;
        }
        staged.write(out, &buffer[..read])?;
    }
    if ends_with_line_end(&tail_of(master)?, manner)? {
        return Ok(());
    }
    staged.write(out, &manner.encoded(manner.line_end.as_bytes())?)
}

/// Takes the new rows.
struct Appending<'a> {
    staged: &'a mut Staged,
    files: &'a Files,
    manner: Manner,
    /// How many rows are new, and what they hold.
    new: RowsDigest,
    first_rows: Preview,
}

impl<'a> Appending<'a> {
    fn new(
        staged: &'a mut Staged,
        files: &'a Files,
        manner: Manner,
        shapes: &[ImportShape],
        preview_rows: usize,
    ) -> Appending<'a> {
        let mut first_rows = Preview::of(preview_rows);
        for shape in shapes.iter().take(1) {
            shape.with_header(|header| first_rows.begin(&shape.file, header.bytes));
        }
        Appending { staged, files, manner, new: RowsDigest::default(), first_rows }
    }
}

impl Sink for Appending<'_> {
    fn take(&mut self, rows: &Rows) -> Result<()> {
        let Some(new) = rows.imports.files().first() else { return Ok(()) };
        self.new.add(new.digest());
        self.first_rows.take(new.formed());
        self.staged.write(self.files.output, &self.manner.encoded(&self.manner.rows(new.bytes()))?)?;
        self.staged.write(self.files.set_aside, &rows.set_aside.bytes)
    }
}

/// Rows of the new files that were merged into a row of the master.
fn known_already(known: &Known) -> u64 {
    let settled = &known.settled;
    settled.contacts_of_others().filter(|row| settled.is_of_master(settled.survivor_of(*row))).count() as u64
}

/// Columns of the new files that the master has none for.
fn columns_left(known: &Known) -> Vec<String> {
    let (master, others) = known.files.sources.split_at(1);
    let own = AllColumns::of(master.iter().map(OpenFile::map)).columns;
    let theirs = AllColumns::of(others.iter().map(OpenFile::map)).columns;
    let has = |field: Field| own.contains(&ColumnRef::Field(field));
    // A name is taken over in whichever parts the master has.
    let is_name = |column: &ColumnRef| match column {
        ColumnRef::Field(Field::Title | Field::FirstName | Field::MiddleName | Field::LastName | Field::NameSuffix) => {
            has(Field::FullName)
        }
        ColumnRef::Field(Field::FullName) => has(Field::FirstName) || has(Field::LastName),
        _ => false,
    };
    theirs
        .iter()
        .filter(|column| !own.contains(column) && !is_name(column))
        .map(|column| column.name().to_owned())
        .collect()
}

fn refused_finding(refused: &std::collections::BTreeMap<Reason, u64>) -> Option<Finding> {
    let count: u64 = refused.values().sum();
    let reasons: Vec<String> = refused.iter().map(|(reason, count)| format!("{} {count}", reason.name())).collect();
    let text = format!(
        "{} stand for people who must not be contacted ({}); the master is not changed for that",
        counted(count, "row", "of the master:", "of the master"),
        reasons.join(", ")
    );
    let finding = Finding::new("refused-in-master", Weight::Warning, text);
    (count > 0).then_some(Finding { count, ..finding })
}
