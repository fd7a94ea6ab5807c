//! The rows of the first list, in their order and with their own columns, and a yes or no for each other list.

use super::{CompareWishes, Compared, counted, job};
use crate::job::Job;
use crate::run;
use crate::run::decide::copied::{Copies, Refused};
use crate::run::decide::known::Known;
use crate::run::decide::read_again::{RowAgain, Wants, read_again};
use crate::run::decide::read_and_decide;
use crate::run::open::opening::Opening;
use crate::run::setting::Setting;
use crate::run::write::copied_file::{CopiedCells, CopiedColumns, CopiedFile};
use crate::select::plan::SelectionPlan;
use crate::suppress::marks::Mark;
use pebblebank_table::csv::Defusing;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::staged::Staged;
use pebblebank_table::staged::placement::Placement;
use pebblebank_table::units::{FileId, RowId, SourceId};
use pebblebank_table::{Error, ErrorKind, Result};
use std::path::Path;

/// Compares lists, and writes the rows of the first one that were picked, each with a yes or no for the other lists; a
/// row that nothing can be compared by has neither.
pub fn mark(wishes: &CompareWishes, setting: &Setting, observer: &dyn Observer) -> Result<Compared> {
    let counting = CompareWishes { output: None, set_aside: None, ..wishes.clone() };
    let finished = run::run(&job(&counting)?, setting, observer)?;
    let job = job(wishes)?;
    let mut compared = counted(&job, &finished);
    let Some(output) = wishes.output.as_ref() else { return Ok(compared) };
    let job = job.with_remembered_lists();
    let known = read_and_decide(Opening::of(&job, setting, observer)?, &job, setting, observer)?;
    let mut refused = Refused::default();
    (compared.picked, compared.preview) = write_rows(&job, &known, output, &mut refused, setting, observer)?;
    compared.findings.splice(0..0, refused.finding());
    compared.written = (!setting.dry_run).then(|| output.clone());
    Ok(compared)
}

/// Writes the rows; says how many, and gives the first.
fn write_rows(
    job: &Job,
    known: &Known,
    output: &Path,
    refused: &mut Refused,
    setting: &Setting,
    observer: &dyn Observer,
) -> Result<(u64, Vec<u8>)> {
    let mut own = known.files.sources.iter().filter(|file| file.owner == SourceId(0));
    let (Some(file), None) = (own.next(), own.next()) else {
        let what = "the first list is several files, whose rows have no columns in common to be marked in";
        return Err(Error::new(ErrorKind::Job, what, "name one file first; pebblebank clean merges several"));
    };
    let mut staged = Staged::new(setting.dry_run);
    let output = staged.file(output, Placement::of_file(job.replace))?;
    let others: Vec<Mark> = (1..job.sources.len()).map(|place| Mark::From(SourceId(place as u16))).collect();
    let marks = job.sources[1..].iter().map(|list| format!("in {}", list.name)).collect();
    let width = file.map().width();
    let columns = CopiedColumns::of(None, &file.table.headers, file.map())?;
    let columns = columns.with_surplus(&known.source_counts[file.id.0 as usize], width);
    let cells = CopiedCells { width, has_surplus: columns.has_surplus, address: None };
    let columns = columns.followed_by(marks, width);
    let to = (&mut staged, output);
    let mut marked = CopiedFile::begin(job, known, columns, Defusing::On, setting.preview_rows, to)?;
    let cleaning = &known.files.cleaning[file.id.0 as usize];
    let selection =
        job.select.as_ref().map(|asked| SelectionPlan::new(asked, &cleaning.map, file.is_receipt, job.facts()));
    let settled = &known.settled;
    let each = |again: &RowAgain, copies: &mut Copies| {
        let copied = settled.copied(again.row);
        let marks = settled.marks(copied.marks());
        let contact = &again.contact;
        let is_picked = |selection: &SelectionPlan| selection.holds(&contact.cleaned, contact.usable_address(), marks);
        if !selection.as_ref().is_none_or(is_picked) {
            return;
        }
        let has_key = settled.has_key(again.row);
        copies.everyone(&copied, |rows| {
            rows.set_defusing(Defusing::On);
            cells.copy(contact, rows);
            for other in &others {
                let is_in = if marks.contains(other) { "yes" } else { "no" };
                rows.value(if has_key { is_in.as_bytes() } else { b"" });
            }
        });
    };
    let mut picked = 0;
    let first_list = |row: RowId| settled.place(row).0 == FileId(0) && !settled.is_left_out(row);
    let plans = selection.is_some().then_some(known.files.cleaning.as_slice());
    let wants = Wants { rows: first_list, values: plans, stage: Stage::Writing };
    read_again(known, setting, observer, &wants, each, |copies: Copies| {
        picked += copies.rows();
        refused.add_all(copies.refused());
        marked.take(&copies, &mut staged)
    })?;
    let first_rows = marked.finish(&mut staged, setting.threads, observer)?;
    staged.place()?;
    Ok((picked, first_rows))
}
