//! `pebblebank top-up MASTER --from NEW… -o OUT`: a master list and the people that it lacks.

use crate::arguments::{Shared, TopUp};
use crate::commands::clean::{named_by_stem, person_wishes, requirement};
use crate::commands::memory::remembering;
use crate::commands::reading::{country, read_files};
use crate::file_names::beside;
use crate::finish::Said;
use crate::observe::Drawn;
use crate::render::{self, Screen};
use crate::setting::{Now, setting};
use pebblebank_core::job::lists::SuppressionList;
use pebblebank_core::job::named::accepted;
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::remembering::Remembering;
use pebblebank_core::job::sources::{ReadFiles, Source};
use pebblebank_core::run::Setting;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_core::suppress::reason::Reason;
use pebblebank_core::tasks::top_up::top_up;
use pebblebank_core::tasks::top_up::wishes::TopUpWishes;
use pebblebank_formats::input::STDIN_NAME;
use pebblebank_table::{Error, Result};
use std::path::Path;

/// Tops up the master and says who was added.
pub fn top_up_master(command: &TopUp, shared: &Shared) -> Result<Said, Error> {
    if command.output.as_os_str() == STDIN_NAME {
        return Err(wrong_use("top-up cannot write to standard output", "name a file: -o members-new.csv"));
    }
    let now = Now::read();
    let mut wishes = wishes(command, &now)?;
    wishes.remembered = remembering(wishes.scope.as_ref(), &command.remembered, command.dry_run, shared, &now)?;
    let drawn = Drawn::of(shared);
    let preview_rows = command.previewing.preview;
    let setting = Setting { preview_rows, ..setting(shared, command.dry_run, &now) };
    let done = top_up(&wishes, &setting, &drawn);
    drawn.finish();
    let done = done?;
    let screen = Screen::new(shared);
    let text = if shared.json {
        render::top_up::json(&done)
    } else if shared.quiet {
        String::new()
    } else {
        render::top_up::finished(&done, &screen)
    };
    Ok(Said::done(text))
}

fn wishes(command: &TopUp, now: &Now) -> Result<TopUpWishes> {
    let read = read_files(&command.reading)?;
    let pattern = |file: &String| FilePattern::relative(file, Path::new(""));
    let patterns = |files: &[String]| files.iter().map(pattern).collect::<Vec<_>>();
    // Names are told apart over all files, since the tables go by them.
    let all = [&[command.master.clone()][..], &command.from, &command.against].concat();
    let mut names = named_by_stem(&patterns(&all));
    let master_name = names.next().unwrap_or_default();
    let of = |file: FilePattern| ReadFiles { files: vec![file], ..read.clone() };
    let from = patterns(&command.from).into_iter().map(|file| Source::new(names.next().unwrap_or_default(), of(file)));
    let from = from.collect();
    let list =
        |file: FilePattern| SuppressionList::new(names.next().unwrap_or_default(), of(file), Reason::DoNotContact);
    let against = patterns(&command.against).into_iter().map(list).collect();
    Ok(TopUpWishes {
        master: ReadFiles { files: vec![pattern(&command.master)], ..ReadFiles::default() },
        master_name,
        from,
        against,
        scope: command.remembered.scope.clone(),
        remembered: Remembering::Nothing,
        person: person_wishes(command.same.as_deref(), command.survivor.as_deref())?,
        require: requirement(command.require.as_deref())?,
        update: command.update,
        set_aside: command.set_aside.clone().unwrap_or_else(|| beside(&command.output, "set-aside")),
        repairs: beside(&command.output, "repairs"),
        output: command.output.clone(),
        replace: command.replace,
        country: country(&command.reading)?,
        accept: accepted(&command.accepting.accept)?,
        today: now.day(),
    })
}
