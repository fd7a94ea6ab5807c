//! `pebblebank compare A B`: lists compared.

use crate::arguments::{Compare, Shared};
use crate::commands::clean::layout_of;
use crate::commands::memory::remembering;
use crate::commands::reading::{country, read_files};
use crate::commands::standard_output::{StandardOutput, is_meant};
use crate::finish::Said;
use crate::observe::Drawn;
use crate::render::{self, Screen};
use crate::setting::{Now, setting};
use pebblebank_core::job::file::read_layout_of;
use pebblebank_core::job::named::{file_format, list_key, sort_columns};
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::sources::ReadFiles;
use pebblebank_core::run::Setting;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_core::select::condition::Selection;
use pebblebank_core::tasks::compare::mark::mark;
use pebblebank_core::tasks::compare::{CompareWishes, ComparedList, compare};
use pebblebank_formats::input::STDIN_NAME;
use pebblebank_table::{Error, Result};
use std::path::{Path, PathBuf};

/// Compares the lists and says who is where.
pub fn compare_lists(command: &Compare, shared: &Shared) -> Result<Said, Error> {
    let now = Now::read();
    let mut wishes = wishes(command, shared, &now)?;
    let is_to_output = command.output.as_deref().is_some_and(is_meant) && !command.dry_run;
    let to_output = is_to_output.then(|| StandardOutput::new(shared)).transpose()?;
    if let Some(output) = &to_output {
        wishes.output = Some(output.file.clone());
    }
    let drawn = Drawn::of(shared);
    let setting =
        Setting { preview_rows: command.writing.previewing.preview, ..setting(shared, command.dry_run, &now) };
    let compared = if command.mark { mark(&wishes, &setting, &drawn) } else { compare(&wishes, &setting, &drawn) };
    drawn.finish();
    let mut compared = compared?;
    let screen = Screen::new(shared);
    if let Some(output) = to_output {
        compared.written = Some(PathBuf::from(StandardOutput::NAME));
        let remarks =
            if shared.quiet { String::new() } else { render::compare::finished(&compared, command.mark, &screen) };
        return output.said(0, remarks);
    }
    let text = if shared.json {
        render::compare::json(&compared, command.mark)
    } else if shared.quiet {
        String::new()
    } else {
        render::compare::finished(&compared, command.mark, &screen)
    };
    Ok(Said::done(text))
}

fn wishes(command: &Compare, shared: &Shared, now: &Now) -> Result<CompareWishes> {
    let read = read_files(&command.reading)?;
    let layout = match (&command.layout, &command.columns) {
        (Some(place), _) => Some(read_layout_of(place)?),
        (None, Some(columns)) => Some(layout_of(columns)?),
        (None, None) => None,
    };
    Ok(CompareWishes {
        lists: lists(command, &read)?,
        by: command.by.as_deref().map(list_key).transpose()?.flatten(),
        select: command.condition.as_deref().map(Selection::parse).transpose()?,
        output: command.output.clone(),
        layout,
        format: command.writing.format.as_deref().map(file_format).transpose()?,
        sort: command.sort.as_deref().map_or(Ok(Vec::new()), sort_columns)?,
        set_aside: command.set_aside.clone(),
        replace: command.replace,
        remembered: remembering(command.remembered.scope.as_ref(), &command.remembered, command.dry_run, shared, now)?,
        scope: command.remembered.scope.clone(),
        country: country(&command.reading)?,
        today: now.day(),
    })
}

fn lists(command: &Compare, read: &ReadFiles) -> Result<Vec<ComparedList>> {
    let mut lists: Vec<ComparedList> = command.lists.iter().map(|text| list(text, read)).collect::<Result<_>>()?;
    lists.iter_mut().take(1).for_each(|first| first.rows = command.part.rows);
    Ok(lists)
}

/// `walkers=guided-walks.csv`, or a file that is called by its stem. A file whose own name holds an = is a file.
fn list(text: &str, read: &ReadFiles) -> Result<ComparedList> {
    let (name, file) = match text.split_once('=') {
        Some((name, file)) if !Path::new(text).exists() => {
            if name.trim().is_empty() || file.is_empty() {
                return Err(wrong_use(format!("{text} lacks a name or a file"), "write walkers=guided-walks.csv"));
            }
            (name.trim().to_owned(), file)
        }
        _ => {
            let stem = Path::new(text).file_stem().map(|stem| stem.to_string_lossy().into_owned());
            let name = if text == STDIN_NAME { Some("standard input".to_owned()) } else { stem };
            (name.unwrap_or_else(|| text.to_owned()), text)
        }
    };
    let read = ReadFiles { files: vec![FilePattern::relative(file, Path::new(""))], ..read.clone() };
    Ok(ComparedList { name, read, rows: None })
}
