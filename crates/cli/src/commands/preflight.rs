//! `pebblebank preflight FILE`: is this file fit to be imported now?

use crate::arguments::{Preflight, Shared};
use crate::commands::clean::named_by_stem;
use crate::commands::memory::remembering;
use crate::commands::reading::{country, read_files};
use crate::commands::template::template;
use crate::finish::Said;
use crate::observe::Drawn;
use crate::render::{self, Screen};
use crate::setting::{Now, setting};
use pebblebank_core::job::file::read_layout_of;
use pebblebank_core::job::lists::SuppressionList;
use pebblebank_core::job::named::accepted;
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::sources::ReadFiles;
use pebblebank_core::suppress::reason::Reason;
use pebblebank_core::tasks::preflight::preflight;
use pebblebank_core::tasks::preflight::wishes::PreflightWishes;
use pebblebank_table::{Error, Result};
use std::path::Path;

/// Looks at the file and says whether it is fit, and what mends it.
pub fn preflight_file(command: &Preflight, shared: &Shared) -> Result<Said, Error> {
    preflight_at(command, shared, &Now::read())
}

/// The same at a moment.
pub fn preflight_at(command: &Preflight, shared: &Shared, now: &Now) -> Result<Said, Error> {
    let wishes = wishes(command, shared, now)?;
    let drawn = Drawn::of(shared);
    let looked = preflight(&wishes, &setting(shared, true, now), &drawn);
    drawn.finish();
    let looked = looked?;
    let status = if looked.is_fit() { 0 } else { 3 };
    let screen = Screen::new(shared);
    let text = if shared.json {
        render::preflight::json(&looked)
    } else if shared.quiet && status == 0 {
        String::new()
    } else {
        render::preflight::finished(&looked, command, shared.bank.as_deref().map(Path::new), &screen)
    };
    Ok(Said { status, ..Said::done(text) })
}

fn wishes(command: &Preflight, shared: &Shared, now: &Now) -> Result<PreflightWishes> {
    let read = read_files(&command.reading)?;
    let pattern = |file: &String| FilePattern::relative(file, Path::new(""));
    let all: Vec<FilePattern> = std::iter::once(&command.file).chain(&command.against).map(pattern).collect();
    let mut names = named_by_stem(&all);
    let name = names.next().unwrap_or_default();
    let of = |file: &String| ReadFiles { files: vec![pattern(file)], ..read.clone() };
    let mut against = Vec::new();
    for (file, name) in command.against.iter().zip(names) {
        let list = SuppressionList::new(name, of(file), Reason::DoNotContact);
        let place = against.len();
        against.extend(list.with_shares(place));
    }
    let remembered = &command.remembered;
    Ok(PreflightWishes {
        file: of(&command.file),
        name,
        layout: match (&command.layout, &command.like) {
            (Some(place), _) => Some(read_layout_of(place)?),
            (None, Some(path)) => Some(template(path, &ReadFiles::default(), shared)?.layout),
            (None, None) => None,
        },
        against,
        remembered: remembering(remembered.scope.as_ref(), remembered, true, shared, now)?,
        scope: remembered.scope.clone(),
        receipt: command.receipt.clone(),
        country: country(&command.reading)?,
        accept: accepted(&command.accepting.accept)?,
        today: now.day(),
    })
}
