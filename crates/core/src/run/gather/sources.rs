//! Sources, read: each row leaves its kind, its keys and its marks; no value is kept.

use super::chunks;
use super::counts::FileCounts;
use super::kept::People;
use super::records::NotText;
use super::source_chunk::{RowPlan, Scratch, read_source_chunk};
use crate::run::open::files::OpenFiles;
use crate::run::setting::Setting;
use pebblebank_table::Result;
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Observer, Stage};

/// Reads all sources.
pub fn read_sources(
    files: &OpenFiles,
    setting: &Setting,
    people: &mut People,
    not_text: &mut Option<NotText>,
    observer: &dyn Observer,
) -> Result<Vec<FileCounts>> {
    let mut counts = vec![FileCounts::default(); files.sources.len()];
    let mut reading = chunks::Reading::new(&files.sources, Stage::Reading, observer);
    let hasher = people.hasher.clone();
    let checks = std::mem::take(&mut people.checks);
    let mut intake = people.intake(files.sources.len());
    in_order(
        setting.threads,
        || reading.next(),
        || Scratch::new(files),
        |job, scratch| {
            let file = &files.sources[job.file.0 as usize];
            let cleaning = &files.cleaning[job.file.0 as usize];
            let keys = files.row_keys[job.file.0 as usize].as_ref();
            let plan =
                RowPlan { cleaning, keys, marks_source: files.marks_sources, consent_stops: files.consent_stops };
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
    Ok(counts)
}
