//! `pebblebank split LIST --by …`: one list into several.

use crate::arguments::{Period, Shared, Split};
use crate::commands::clean::columns_of;
use crate::commands::memory::remembering;
use crate::commands::reading::{country, read_files};
use crate::finish::Said;
use crate::observe::Drawn;
use crate::render::{self, Screen};
use crate::setting::{Now, setting};
use pebblebank_core::job::named::file_format;
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::sources::ReadFiles;
use pebblebank_core::run::Setting;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_core::tasks::split::split;
use pebblebank_core::tasks::split::wishes::{Every, SplitBy, SplitWishes};
use pebblebank_formats::input::STDIN_NAME;
use pebblebank_formats::writing::FileFormat;
use pebblebank_table::csv::Defusing;
use pebblebank_table::owner_only::create_folders;
use pebblebank_table::{Error, Result};
use pebblebank_values::ColumnRef;
use std::path::{Path, PathBuf};

/// Splits the list and says which files there are.
pub fn split_list(command: &Split, shared: &Shared) -> Result<Said, Error> {
    let now = Now::read();
    let mut found = FilePattern::relative(&command.list, Path::new("")).files()?;
    let (Some(list), true) = (found.pop(), found.is_empty()) else {
        let what = format!("{} means several files", command.list);
        return Err(wrong_use(what, "name one list; pebblebank clean merges several first"));
    };
    let folder = command.output.clone().unwrap_or_else(|| folder_of(&list.path));
    let remembered = &command.remembered;
    let files = vec![FilePattern::relative(&command.list, Path::new(""))];
    let wishes = SplitWishes {
        columns: command.columns.as_deref().map(columns_of).transpose()?,
        format: command.writing.format.as_deref().map_or(Ok(FileFormat::Csv), file_format)?,
        defusing: if command.defuse { Defusing::On } else { Defusing::Off },
        read: ReadFiles { files, ..read_files(&command.reading)? },
        rows: command.part.rows,
        by: by(command)?,
        at_least: command.at_least,
        folder: folder.clone(),
        replace: command.replace,
        remembered: remembering(remembered.scope.as_ref(), remembered, command.dry_run, shared, &now)?,
        scope: remembered.scope.clone(),
        country: country(&command.reading)?,
        today: now.day(),
    };
    if !command.dry_run {
        create_folders(&folder).map_err(|cause| Error::unwritable(&folder, &cause))?;
    }
    let drawn = Drawn::of(shared);
    let setting =
        Setting { preview_rows: command.writing.previewing.preview, ..setting(shared, command.dry_run, &now) };
    let done = split(&wishes, &setting, &drawn);
    drawn.finish();
    let done = done?;
    let screen = Screen::new(shared);
    let text = if shared.json {
        render::split::json(&done, command.dry_run)
    } else if shared.quiet {
        String::new()
    } else {
        render::split::finished(&done, command.dry_run, &screen)
    };
    Ok(Said::done(text))
}

fn by(command: &Split) -> Result<SplitBy> {
    let every = match command.every {
        None => Every::Value,
        Some(Period::Year) => Every::Year,
        Some(Period::Month) => Every::Month,
        Some(Period::Day) => Every::Day,
    };
    match (&command.by, command.rows_per_file, command.parts) {
        (Some(name), ..) if name == "domain" && every == Every::Value => Ok(SplitBy::Domain),
        (Some(name), ..) => Ok(SplitBy::Column(ColumnRef::new(name), every)),
        (_, Some(rows), _) => Ok(SplitBy::Rows(rows)),
        (_, _, Some(count)) => Ok(SplitBy::Parts { count, seed: command.seed }),
        (None, None, None) => {
            Err(wrong_use("nothing says how to part the list", "add --by FIELD, --rows-per-file N or --parts N"))
        }
    }
}

fn folder_of(list: &Path) -> PathBuf {
    match list.parent() {
        Some(folder) if folder != Path::new("") && list.as_os_str() != STDIN_NAME => folder.to_path_buf(),
        _ => PathBuf::from("."),
    }
}
