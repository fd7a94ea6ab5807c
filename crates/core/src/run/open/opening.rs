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
        let files = open_files(job, &spool_folder, observer)?;
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
pub fn open_files(job: &Job, spool_folder: &Path, observer: &dyn Observer) -> Result<OpenFiles> {
    let mut opened = OpenFiles::default();
    let files_of = Opener { spool_folder, observer };
    let named = Arc::new(job.named_headers());
    for (index, source) in job.sources.iter().enumerate() {
        for found in files_of.inputs(&source.read)? {
            let part = Part {
                id: FileId(opened.sources.len() as u32),
                owner: SourceId(index as u16),
                is_list: false,
                asks: true,
                named: Arc::clone(&named),
                consent_questions: job.consent_questions,
            };
            opened.sources.extend(files_of.open(found, part, &source.read, &mut opened.findings)?);
        }
    }
    for (index, list) in job.lists.iter().enumerate() {
        let Some(files) = list.files() else { continue };
        for found in files_of.inputs(&files.read)? {
            let part = Part {
                id: FileId(opened.lists.len() as u32),
                owner: ListId(index as u16),
                is_list: true,
                asks: true,
                named: Arc::clone(&named),
                consent_questions: ConsentQuestions::Ignore,
            };
            opened.lists.extend(files_of.open(found, part, &files.read, &mut opened.findings)?);
        }
    }
    opened.decisions = job.person.decisions.as_deref().map(Decisions::read).transpose()?.flatten();
    opened.plan(job);
    check_inputs(&opened)?;
    check_outputs(job, &opened)?;
    check_columns(job, &opened)?;
    let of_templates = findings_of_templates(job, &opened);
    opened.findings.extend(of_templates);
    Ok(opened)
}
