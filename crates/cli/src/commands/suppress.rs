//! `pebblebank suppress LIST --against FILE… -o OUT`: the people of some lists, taken out of another.

use crate::arguments::{NearMiss, Shared, Suppress};
use crate::commands::clean::{columns_of, named_by_stem};
use crate::commands::memory::remembering;
use crate::commands::reading::{country, read_files};
use crate::commands::standard_output::{StandardOutput, is_meant};
use crate::file_names::beside;
use crate::finish::Said;
use crate::observe::Drawn;
use crate::render::{self, Screen};
use crate::setting::{Now, setting};
use pebblebank_core::job::lists::{NearMisses, SuppressionList};
use pebblebank_core::job::named::{accepted, file_format, list_key, list_reason};
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::sources::ReadFiles;
use pebblebank_core::run::Setting;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_core::select::condition::Selection;
use pebblebank_core::suppress::reason::Reason;
use pebblebank_core::tasks::suppress::{AgainstWishes, hold_against};
use pebblebank_table::csv::Defusing;
use pebblebank_table::{Error, Result};
use pebblebank_values::ColumnRef;
use std::path::{Path, PathBuf};

/// Holds the list against the others and says who was taken out.
pub fn suppress(command: &Suppress, shared: &Shared) -> Result<Said, Error> {
    let now = Now::read();
    let mut wishes = wishes(command, shared, &now)?;
    let to_output = (is_meant(&command.output) && !command.dry_run).then(|| StandardOutput::new(shared)).transpose()?;
    if let Some(output) = &to_output {
        wishes.output.clone_from(&output.file);
        if command.set_aside.is_none() {
            wishes.set_aside = output.beside("set-aside");
        }
    }
    let drawn = Drawn::of(shared);
    let done = hold_against(
        &wishes,
        &Setting { preview_rows: command.writing.previewing.preview, ..setting(shared, command.dry_run, &now) },
        &drawn,
    );
    drawn.finish();
    let mut done = done?;
    let screen = Screen::new(shared);
    let status = if done.tripped.is_empty() { 0 } else { 3 };
    if let Some(output) = to_output {
        let shown = AgainstWishes { output: PathBuf::from(StandardOutput::NAME), ..wishes };
        done.output = None;
        done.set_aside = done.set_aside.filter(|_| command.set_aside.is_some());
        let is_quiet = shared.quiet && status == 0;
        let remarks = if is_quiet { String::new() } else { render::suppress::finished(&done, &shown, &screen) };
        return output.said(status, remarks);
    }
    let text = if shared.json {
        render::suppress::json(&done)
    } else if shared.quiet && status == 0 {
        String::new()
    } else {
        render::suppress::finished(&done, &wishes, &screen)
    };
    Ok(Said { status, ..Said::done(text) })
}

fn wishes(command: &Suppress, shared: &Shared, now: &Now) -> Result<AgainstWishes> {
    let read = read_files(&command.reading)?;
    let pattern = |file: &String| FilePattern::relative(file, Path::new(""));
    // Names are told apart over all files, since the tables go by them.
    let all: Vec<FilePattern> = std::iter::once(&command.list).chain(&command.against).map(pattern).collect();
    let mut names = named_by_stem(&all);
    let name = names.next().unwrap_or_default();
    let of = |file: &String| ReadFiles { files: vec![pattern(file)], ..read.clone() };
    let reason = command.reason.as_deref().map_or(Ok(Reason::DoNotContact), list_reason)?;
    let by = command.by.as_deref().map(list_key).transpose()?.flatten();
    let condition = command.condition.as_deref().map(Selection::parse).transpose()?;
    let mut against = Vec::new();
    for (file, name) in command.against.iter().zip(names) {
        let mut list = SuppressionList::new(name, of(file), reason);
        list.files.condition.clone_from(&condition);
        list.files.go_by(by.clone(), &[]);
        list.reason_from = command.reason_from.as_deref().map(ColumnRef::new);
        let place = against.len();
        against.extend(list.with_shares(place));
    }
    let scope = command.remembered.scope.as_ref();
    let remembered = remembering(scope, &command.remembered, command.dry_run, shared, now)?;
    if against.is_empty() && !matches!(remembered, pebblebank_core::job::remembering::Remembering::From(_)) {
        let what = "there is nobody to take out: no list is named, and there is no bank";
        return Err(wrong_use(what, "name lists: --against do-not-contact.csv"));
    }
    Ok(AgainstWishes {
        defusing: if command.defuse { Defusing::On } else { Defusing::Off },
        list: of(&command.list),
        name,
        rows: command.part.rows,
        against,
        scope: command.remembered.scope.clone(),
        remembered,
        near_miss: match command.near_miss {
            NearMiss::Report => NearMisses::ReportedIfQuick,
            NearMiss::SetAside => NearMisses::SetAside,
            NearMiss::Ignore => NearMisses::Ignored,
        },
        columns: command.columns.as_deref().map(columns_of).transpose()?,
        format: command.writing.format.as_deref().map(file_format).transpose()?,
        marks: command.mark,
        set_aside: command.set_aside.clone().unwrap_or_else(|| beside(&command.output, "set-aside")),
        output: command.output.clone(),
        replace: command.replace,
        country: country(&command.reading)?,
        accept: accepted(&command.accepting.accept)?,
        today: now.day(),
    })
}
