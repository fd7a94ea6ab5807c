//! A job, narrowed to one file: what else it asks of files and columns would stand in the way.

use super::file::{FileOfRun, NotRead};
use crate::columns::wishes::ConsentQuestions;
use crate::job::lists::{EntriesToCompare, JobList};
use crate::job::pattern::FilePattern;
use crate::job::remembering::Remembering;
use crate::job::sources::ReadFiles;
use crate::job::{Job, Write};
use crate::person::same::PersonWishes;
use crate::require::Requirement;
use std::path::PathBuf;

/// The job with this file of a source alone.
pub(super) fn to_source(job: &Job, file: &FileOfRun) -> Result<Job, NotRead> {
    let of = job.sources.iter().position(|source| source.name == file.of).ok_or(NotRead::Gone)?;
    let found = only(&job.sources[of].read, file)?;
    let mut job = bare(job);
    job.sources[of].read.files = vec![found];
    Ok(job)
}

/// The job with this file of a list alone.
pub(super) fn to_list(job: &Job, file: &FileOfRun) -> Result<Job, NotRead> {
    let is_it = |list: &JobList| list.name() == file.of && list.files().is_some();
    let of = job.lists.iter().position(is_it).ok_or(NotRead::Gone)?;
    let files = job.lists[of].files().ok_or(NotRead::Gone)?;
    let found = only(&files.read, file)?;
    let mut job = bare(job);
    *files_mut(&mut job.lists[of]).ok_or(NotRead::Gone)? = vec![found];
    Ok(job)
}

/// What a packed file may be longer than its contents.
const PACKING_BYTES: u64 = 64 << 10;

fn only(read: &ReadFiles, file: &FileOfRun) -> Result<FilePattern, NotRead> {
    let found = read.files.iter().find_map(|pattern| pattern.only(&file.file)).ok_or(NotRead::Gone)?;
    match std::fs::metadata(found.path()) {
        // What has grown is not read to its end to see that it changed.
        Ok(about) if about.is_file() && about.len() > file.bytes + PACKING_BYTES => Err(NotRead::Changed),
        // A folder of messages; what flows is gone once it was read.
        Ok(about) if about.is_file() || about.is_dir() => Ok(found),
        // A member of an archive is behind the archive's name.
        Err(_) if found.is_in_archive() => Ok(found),
        _ => Err(NotRead::Gone),
    }
}

fn files_mut(list: &mut JobList) -> Option<&mut Vec<FilePattern>> {
    match list {
        JobList::List(list) => Some(&mut list.files.read.files),
        JobList::Suppression(list) => Some(&mut list.files.read.files),
        JobList::Bank(_) => None,
    }
}

/// The job without its files, and without what needs columns of several of them.
fn bare(job: &Job) -> Job {
    let mut bare = Job {
        person: PersonWishes::default(),
        remembered: Remembering::default(),
        require: Requirement { fields: Vec::new(), ..Requirement::default() },
        writes: vec![Write::as_copied(PathBuf::from("nothing"), "")],
        consent_questions: ConsentQuestions::Ignore,
        select: None,
        check: None,
        tags: Vec::new(),
        sort: Vec::new(),
        receipt: None,
        set_aside: None,
        ..job.clone()
    };
    for source in &mut bare.sources {
        (source.condition, source.rows, source.same) = (None, None, None);
        source.read.files.clear();
    }
    bare.lists.iter_mut().filter_map(files_mut).for_each(Vec::clear);
    bare
}
