//! `pebblebank schema NAME`: the JSON Schema of job files or of a document, for editors and programs.

use crate::arguments::{Schema, Shared};
use crate::documents::schemas;
use crate::finish::Said;
use pebblebank_core::job::schema::JOB_SCHEMA_FILE;
use pebblebank_table::error::closest;
use pebblebank_table::staged::Staged;
use pebblebank_table::staged::placement::Placement;
use pebblebank_table::{Error, ErrorKind, Result};

/// Prints a schema, or writes it; without a name, lists what there is.
pub fn print(command: &Schema, shared: &Shared) -> Result<Said> {
    let Some(name) = &command.name else { return Ok(Said::done(listed())) };
    let schema = schemas::named(name).ok_or_else(|| unknown(name))?;
    let text = format!("{:#}\n", schema.to_value());
    let Some(path) = &command.output else { return Ok(Said::done(text)) };
    let mut staged = Staged::new(false);
    let file = staged.file(path, Placement::of_file(command.replace))?;
    staged.write(file, text.as_bytes())?;
    staged.place()?;
    Ok(Said::done(if shared.quiet { String::new() } else { written(name, &path.display().to_string()) }))
}

fn listed() -> String {
    let names: String = schemas::names().map(|name| format!("  {name}\n")).collect();
    format!(
        "JSON Schemas of files that you write (job, layout) and of documents that Pebblebank writes:\n\n{names}\n\
         to let an editor complete and check job files: pebblebank schema job -o {JOB_SCHEMA_FILE}\n"
    )
}

fn written(name: &str, file: &str) -> String {
    let next = match name {
        "job" => format!("  editors that know JSON Schemas for TOML use it where a job begins with #:schema {file}\n"),
        _ => String::new(),
    };
    format!("{file} is the JSON Schema of {name}\n{next}")
}

fn unknown(name: &str) -> Error {
    let advice = match closest(name, schemas::names()) {
        Some(near) => format!("did you mean {near}?"),
        None => "pebblebank schema, without a name, lists them".to_owned(),
    };
    Error::new(ErrorKind::Job, format!("there is no schema {name}"), advice)
}
