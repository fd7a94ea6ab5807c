//! `pebblebank propose FILE… [-o JOB.toml]`: a job file from what a survey sees.

use crate::arguments::{Propose, Shared};
use crate::commands::reading::{country, read_files};
use crate::commands::survey::survey_all;
use crate::finish::Said;
use crate::render::{self, Screen};
use pebblebank_core::run::setting::{threads_of_this_machine, wrong_use};
use pebblebank_core::tasks::propose::propose;
use pebblebank_core::tasks::survey::found::SurveyWishes;
use pebblebank_formats::input::STDIN_NAME;
use pebblebank_table::staged::write_alone;
use pebblebank_table::{Error, ErrorKind};
use std::path::Path;

/// Surveys the files and writes a job file, or shows it.
pub fn propose_job(command: &Propose, shared: &Shared) -> Result<Said, Error> {
    let output = command.output.as_deref().filter(|output| output.as_os_str() != STDIN_NAME);
    if let Some(output) = output
        && output.exists()
        && !command.replace
    {
        return Err(Error::new(
            ErrorKind::Output,
            "the file exists already",
            "add --replace to put the new one in its place, or name another",
        )
        .in_file(output));
    }
    let wishes = SurveyWishes {
        read: read_files(&command.reading)?,
        country: country(&command.reading)?,
        threads: shared.threads.map_or_else(threads_of_this_machine, usize::from),
        ..SurveyWishes::default()
    };
    let (surveys, errors) = survey_all(&command.files, &wishes, shared)?;
    if let Some(error) = errors.into_iter().next() {
        return Err(error);
    }
    if let Some(output) = output
        && surveys.iter().any(|survey| is_same(output, &survey.path))
    {
        return Err(wrong_use(
            format!("{} is one of the files that are looked at", output.display()),
            "name another file for the job: -o job.toml",
        ));
    }
    let folder = output.and_then(Path::parent).unwrap_or(Path::new(""));
    let stem = output.and_then(Path::file_stem).map(|stem| stem.to_string_lossy().replace(['-', '_'], " "));
    let name = command.name.clone().or(stem).unwrap_or_else(|| "mailing".to_owned());
    let proposal = propose(&surveys, &name, folder);
    let screen = Screen::new(shared);
    let shown = if shared.json {
        render::propose::json(&proposal, output)
    } else {
        match output {
            _ if shared.quiet => String::new(),
            Some(output) => render::propose::written(&proposal, output, &screen),
            None => proposal.text.clone(),
        }
    };
    if let Some(output) = output {
        write_alone(output, proposal.text.as_bytes(), command.replace)?;
    }
    Ok(Said::done(shown))
}

fn is_same(one: &Path, other: &Path) -> bool {
    match (std::fs::canonicalize(one), std::fs::canonicalize(other)) {
        (Ok(one), Ok(other)) => one == other,
        _ => false,
    }
}
