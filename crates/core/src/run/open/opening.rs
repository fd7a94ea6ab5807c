//! The files of a job, found, opened and recognised, before any row is read.

use super::recognise::Part;
use crate::columns::wishes::ConsentQuestions;
use crate::job::Job;
use crate::job::lists::EntriesToCompare;
use crate::person::decisions::Decisions;
use crate::run::open::check::{check_columns, check_inputs, check_outputs, findings_of_templates};
use crate::run::open::files::{OpenFile, OpenFiles};
use crate::run::open::recognise::Opener;
use crate::run::setting::{Setting, folder_for_spooling};
use pebblebank_table::Result;
use pebblebank_table::observe::Observer;
use pebblebank_table::units::{FileId, ListId, SourceId};
use std::path::{Path, PathBuf};
use std::sync::Arc;
/// The files of a job, opened and not yet read.
pub struct Opening {
    /// The files.
    pub(crate) files: OpenFiles,
    /// Where what cannot be read twice, or does not fit into memory, may wait.
    pub(crate) spool_folder: PathBuf,
}

impl Opening {
    /// Opens the files of a job.
    pub fn of(job: &Job, setting: &Setting, observer: &dyn Observer) -> Result<Opening> {
        let spool_folder = folder_for_spooling(job, setting);
        let files = open_files(job, &spool_folder, setting.threads, observer)?;
        tracing::info!(sources = files.sources.len(), lists = files.lists.len(), "files opened");
        Ok(Opening { files, spool_folder })
    }

    /// The files of the sources.
    pub fn sources(&self) -> &[OpenFile<SourceId>] {
        &self.files.sources
    }

    /// Whether one of them lies at `path`.
    pub fn reads(&self, path: &Path) -> bool {
        let sources = self.files.sources.iter().map(|file| &file.input);
        sources.chain(self.files.lists.iter().map(|file| &file.input)).any(|input| input.is_at(path))
    }

    /// Fits a job to them that has changed since they were opened.
    pub fn plan(&mut self, job: &Job) -> Result<()> {
        self.files.plan(job);
        check_columns(job, &self.files)
    }
}

/// Opens the files of a job. `spool_folder` takes what cannot be read twice.
pub fn open_files(job: &Job, spool_folder: &Path, threads: usize, observer: &dyn Observer) -> Result<OpenFiles> {
    let mut opened = open_unchecked(job, spool_folder, threads, observer)?;
    check_inputs(&opened)?;
    check_outputs(job, &opened)?;
    check_columns(job, &opened)?;
    let of_templates = findings_of_templates(job, &opened);
    opened.findings.extend(of_templates);
    Ok(opened)
}

/// Opens the files of a job that was opened before, or of a part of one: whether they fit together is not looked at.
pub(crate) fn open_unchecked(
    job: &Job,
    spool_folder: &Path,
    threads: usize,
    observer: &dyn Observer,
) -> Result<OpenFiles> {
    let mut opened = OpenFiles::default();
    let files_of = Opener { spool_folder, threads, observer };
    let named = Arc::new(job.named_headers());
    let sources = job.sources.iter().enumerate().map(|(index, source)| (SourceId(index as u16), &source.read));
    let part = |owner| Part {
        id: FileId(0),
        owner,
        is_list: false,
        asks: true,
        named: Arc::clone(&named),
        consent_questions: job.consent_questions,
    };
    opened.sources = files_of.open_all(sources, part, &mut opened.findings)?;
    let lists = job.lists.iter().enumerate();
    let lists = lists.filter_map(|(index, list)| list.files().map(|files| (ListId(index as u16), &files.read)));
    let part = |owner| Part {
        id: FileId(0),
        owner,
        is_list: true,
        asks: true,
        named: Arc::clone(&named),
        consent_questions: ConsentQuestions::Ignore,
    };
    opened.lists = files_of.open_all(lists, part, &mut opened.findings)?;
    opened.decisions = job.person.decisions.as_deref().map(Decisions::read).transpose()?.flatten();
    opened.plan(job);
    Ok(opened)
}
