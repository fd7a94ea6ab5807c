//! Sources, read: each row leaves its kind, its keys and its marks; no value is kept.

use super::chunks;
use super::counts::FileCounts;
use super::kept::People;
use super::records::NotText;
use super::source_chunk::{RowPlan, Scratch, read_source_chunk};
use crate::job::Job;
use crate::job::row_range::RowRange;
use crate::run::open::files::{OpenFile, OpenFiles};
use crate::run::setting::Setting;
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::units::SourceId;
use pebblebank_table::{Error, ErrorKind, Result};

/// The rows of each file that can be written. Fails where a range is asked of a source with several files.
fn ranges(job: &Job, files: &OpenFiles) -> Result<Vec<Option<RowRange>>> {
    for file in &files.sources {
        let of_source = files.sources.iter().filter(|other| other.owner == file.owner).count();
        if let (Some(range), 2..) = (range_of(job, file), of_source) {
            let source = &job.sources[file.owner.0 as usize].name;
            let what = format!("{range} would be taken of {of_source} files: \"{source}\" has several");
            return Err(Error::new(ErrorKind::Job, what, "name one file and one sheet"));
        }
    }
    Ok(files.sources.iter().map(|file| range_of(job, file)).collect())
}

fn range_of(job: &Job, file: &OpenFile<SourceId>) -> Option<RowRange> {
    job.sources[file.owner.0 as usize].rows
}

fn ends_before(file: &OpenFile<SourceId>, range: RowRange, rows: u64) -> Error {
    let what = format!("{range} are asked for, and the file ends at row {rows}");
    Error::new(ErrorKind::Input, what, "number the rows as the spreadsheet does, the header included")
        .in_file(file.input.path())
}

/// Reads all sources.
pub fn read_sources(
    (job, files): (&Job, &OpenFiles),
    setting: &Setting,
    people: &mut People,
    not_text: &mut Option<NotText>,
    observer: &dyn Observer,
) -> Result<Vec<FileCounts>> {
    let mut counts = vec![FileCounts::default(); files.sources.len()];
    let mut reading = chunks::Reading::new(&files.sources, Stage::Reading, observer);
    let hasher = people.hasher.clone();
    let checks = std::mem::take(&mut people.checks);
    let mut intake = people.intake(ranges(job, files)?);
    in_order(
        setting.threads,
        || reading.next(),
        || Scratch::new(files),
        |job, scratch| {
            let file = &files.sources[job.file.0 as usize];
            let cleaning = &files.cleaning[job.file.0 as usize];
            let keys = files.row_keys[job.file.0 as usize].as_ref();
            let plan = RowPlan {
                cleaning,
                keys,
                marks_source: files.marks_sources,
                consent_stops: files.consent_stops,
                keeps_identities: false,
            };
            let read = read_source_chunk(file, &plan, &job.chunk, &hasher, &checks, scratch);
            Ok((job, read))
        },
        |(job, read)| {
            let first_row = intake.add(job.file, &job.chunk, &read)?;
            if let Some(problem) = read.problem {
                *not_text = problem.is_not_text().then_some(NotText::Source(job.file.0 as usize));
                return Err(problem.at(&files.sources[job.file.0 as usize], first_row));
            }
            counts[job.file.0 as usize].add(&read.counts, first_row);
            job.give_back();
            Ok(())
        },
    )?;
    for (counts, footnotes) in counts.iter_mut().zip(intake.footnotes()) {
        counts.are_footnotes(footnotes);
    }
    people.checks = checks;
    for (counts, read) in counts.iter_mut().zip(reading.files_read()) {
        counts.file_read(read);
    }
    for (file, counts) in files.sources.iter().zip(&mut counts) {
        if let Some(range) = range_of(job, file) {
            let rows = counts.contacts + counts.others.iter().sum::<u64>();
            if range.is_beyond(rows) {
                return Err(ends_before(file, range, rows));
            }
            counts.outside_of_range = people.contacts_outside(file.id, range);
        }
    }
    Ok(counts)
}
