//! `pebblebank propose FILE… [-o JOB.toml]`: a job file from what a survey sees.

use crate::arguments::{Propose, Shared};
use crate::commands::reading::{country, read_files};
use crate::commands::survey::survey_all;
use crate::commands::template::template;
use crate::finish::Said;
use crate::render::{self, Screen};
use pebblebank_core::job::sources::ReadFiles;
use pebblebank_core::run::setting::{threads_of_this_machine, wrong_use};
use pebblebank_core::tasks::propose::layout_text::layout_file;
use pebblebank_core::tasks::propose::propose;
use pebblebank_core::tasks::survey::found::SurveyWishes;
use pebblebank_core::tasks::template::Template;
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
    let read = read_files(&command.reading)?;
    // What to say about reading is about the files; where there are none, about the template.
    let of_template = if command.files.is_empty() { read.clone() } else { ReadFiles::default() };
    let template = command.layout.as_deref().map(|path| template(path, &of_template, shared)).transpose()?;
    if let (Some(output), Some(template)) = (output, &command.layout)
        && is_same(output, template)
    {
        let what = format!("{} is the template", output.display());
        return Err(wrong_use(what, "name another file: -o layout.toml"));
    }
    if let (true, Some(template)) = (command.files.is_empty(), &template) {
        return layout_alone(template, output, command.replace, shared);
    }
    let wishes = SurveyWishes {
        read,
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
    let proposal = propose(&surveys, template.as_ref(), &name, folder);
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

/// Writes the layout of a template into a file of its own, or shows it.
fn layout_alone(template: &Template, output: Option<&Path>, replace: bool, shared: &Shared) -> Result<Said, Error> {
    let text = layout_file(template);
    let screen = Screen::new(shared);
    let shown = match output {
        _ if shared.json => render::propose::layout_json(template, &text, output),
        _ if shared.quiet && output.is_some() => String::new(),
        Some(output) => render::propose::layout_written(template, output, &screen),
        None => text.clone(),
    };
    if let Some(output) = output {
        write_alone(output, text.as_bytes(), replace)?;
    }
    Ok(Said::done(shown))
}

fn is_same(one: &Path, other: &Path) -> bool {
    match (std::fs::canonicalize(one), std::fs::canonicalize(other)) {
        (Ok(one), Ok(other)) => one == other,
        _ => false,
    }
}
