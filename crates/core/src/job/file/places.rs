//! Where the parts of a job are in its file, for advice that names a key.

use crate::job::Job;
use crate::job::lists::EntriesToCompare;
use crate::job::pattern::FilePattern;
use pebblebank_table::Error;
use std::path::Path;

/// An error about a file of a job, with the advice for somebody who works with a job file: the key, and where it goes.
pub fn told_for_job(error: Error, job: &Job, path: &Path) -> Error {
    error.told_for_job(|place, advice| {
        let text = std::fs::read_to_string(path).unwrap_or_default();
        match place.file.as_ref().and_then(|file| part_of(file, job, &text)) {
            Some((part, line)) => format!("in the [[{part}]] of {}, line {line}: {advice}", path.display()),
            None => format!("in {}: {advice}", path.display()),
        }
    })
}

/// The part of the job that names a file: what it is, and its line from 1.
fn part_of(file: &Path, job: &Job, text: &str) -> Option<(&'static str, usize)> {
    let names = |patterns: &[FilePattern]| patterns.iter().any(|pattern| pattern.is_of(file));
    if let Some(place) = job.sources.iter().position(|source| names(&source.read.files)) {
        return Some(("source", line_of("source", place, text)?));
    }
    // A job's lists come first, then its suppression lists.
    let lists = text.lines().filter(|line| is_part("list", line)).count();
    let place = job.lists.iter().position(|list| list.files().is_some_and(|files| names(&files.read.files)))?;
    match place.checked_sub(lists) {
        None => Some(("list", line_of("list", place, text)?)),
        Some(place) => Some(("suppress", line_of("suppress", place, text)?)),
    }
}

fn line_of(part: &str, place: usize, text: &str) -> Option<usize> {
    text.lines().enumerate().filter(|(_, line)| is_part(part, line)).nth(place).map(|(line, _)| line + 1)
}

fn is_part(part: &str, line: &str) -> bool {
    let name = line.trim_start().strip_prefix("[[").and_then(|rest| rest.split_once("]]"));
    name.is_some_and(|(name, _)| name.trim() == part)
}
