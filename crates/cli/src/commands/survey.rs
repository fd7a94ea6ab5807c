//! `pebblebank survey FILE…`: what is in these files.

use crate::arguments::{Shared, Survey};
use crate::commands::reading::{country, read_files};
use crate::finish::Said;
use crate::observe::Drawn;
use crate::render::{self, Screen};
use crate::setting::Now;
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::run::setting::threads_of_this_machine;
use pebblebank_core::tasks::survey::found::{FileSurvey, SurveyWishes};
use pebblebank_core::tasks::survey::survey;
use pebblebank_table::Error;
use pebblebank_values::date::Date;
use std::path::Path;

/// Surveys the files and shows what was seen. A file that cannot be read does not keep the others from being shown.
pub fn survey_files(command: &Survey, shared: &Shared) -> Result<Said, Error> {
    let wishes = SurveyWishes {
        read: read_files(&command.reading)?,
        domains: command.domains,
        values: command.values.clone(),
        country: country(&command.reading)?,
        today: Date::from_iso(&Now::read().today),
        threads: shared.threads.map_or_else(threads_of_this_machine, usize::from),
    };
    let (surveys, errors) = survey_all(&command.files, &wishes, shared)?;
    let status = errors.first().map_or(0, Error::exit_status);
    let screen = Screen::new(shared);
    let text = if shared.json {
        render::survey::json(&surveys, &errors)
    } else if shared.quiet {
        String::new()
    } else {
        let readable = readable(&command.files, &surveys, &errors);
        render::survey::surveys(&surveys, &readable, &screen)
    };
    Ok(Said { errors, status, ..Said::done(text) })
}

/// The files as they were typed, without those that cannot be read; a pattern that has such a file gives way to the others.
fn readable(typed: &[String], surveys: &[FileSurvey], errors: &[Error]) -> Vec<String> {
    let broken: Vec<&Path> = errors.iter().filter_map(|error| error.place().file.as_deref()).collect();
    let mut readable = Vec::new();
    for text in typed {
        let pattern = FilePattern::relative(text, Path::new(""));
        if !broken.iter().any(|file| pattern.is_of(file)) {
            readable.push(text.clone());
            continue;
        }
        let files = surveys.iter().map(|survey| survey.path.as_path());
        let others = files.filter(|file| pattern.is_of(file) && !broken.contains(file));
        for file in others.map(|file| file.display().to_string()) {
            if !readable.contains(&file) {
                readable.push(file);
            }
        }
    }
    readable
}

/// The surveys of all files, and why others could not be surveyed.
pub fn survey_all(
    files: &[String],
    wishes: &SurveyWishes,
    shared: &Shared,
) -> Result<(Vec<FileSurvey>, Vec<Error>), Error> {
    let drawn = Drawn::of(shared);
    let spool_folder = std::env::temp_dir();
    let (mut surveys, mut errors) = (Vec::new(), Vec::new());
    for file in files {
        let found = match FilePattern::relative(file, Path::new("")).files() {
            Ok(found) => found,
            Err(error) => {
                errors.push(error);
                continue;
            }
        };
        for found in found {
            let results = survey(&found, wishes, &spool_folder, &drawn).unwrap_or_else(|error| vec![Err(error)]);
            for result in results {
                match result {
                    Ok(survey) => surveys.push(survey),
                    Err(error) if error.kind() == pebblebank_table::ErrorKind::Interrupted => return Err(error),
                    Err(error) => errors.push(error),
                }
            }
        }
    }
    drawn.finish();
    if surveys.is_empty()
        && let Some(error) = errors.pop()
    {
        if errors.is_empty() {
            return Err(error);
        }
        errors.push(error);
    }
    Ok((surveys, errors))
}
