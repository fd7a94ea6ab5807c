//! Whether a job fits its files, before any row is read: inputs are no outputs, and every column that is named is there.

use super::files::{OpenFile, OpenFiles};
use crate::columns::headers::named_in_error;
use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use crate::job::Job;
use crate::job::lists::EntriesToCompare;
use crate::layout::{Layout, LayoutColumn};
use crate::person::same::Survivor;
use crate::run::contact::keys;
use crate::run::open::fit::newest_by;
use crate::select::condition::Selection;
use pebblebank_formats::Input;
use pebblebank_table::error::closest;
use pebblebank_table::file_identity::FileIdentity;
use pebblebank_table::observe::{Finding, Weight};
use pebblebank_table::units::{ListId, SourceId};
use pebblebank_table::{Error, ErrorKind, Result, staged};
use pebblebank_values::fold::fold;
use pebblebank_values::{ColumnRef, Field};
use std::collections::HashMap;

fn inputs(opened: &OpenFiles) -> Vec<&Input> {
    let sources = opened.sources.iter().map(|file| &file.input);
    sources.chain(opened.lists.iter().map(|file| &file.input)).collect()
}

/// No file may be read twice: its people would all be duplicates, or all be held.
pub(super) fn check_inputs(opened: &OpenFiles) -> Result<()> {
    let mut seen = HashMap::new();
    for input in inputs(opened) {
        if let Some(earlier) = seen.insert(input.identity(), input) {
            let what = if earlier.path() == input.path() {
                "the same file is given twice".to_owned()
            } else {
                format!("this is the same file as {}", earlier.name())
            };
            return Err(Error::new(ErrorKind::Job, what, "take it out in one place; a file has one part in a job")
                .in_file(input.path()));
        }
    }
    Ok(())
}

/// No output may be an input, the job file, or a folder that holds an input.
pub(super) fn check_outputs(job: &Job, opened: &OpenFiles) -> Result<()> {
    const ADVICE: &str = "write to another file; what is read is never changed";
    for output in job.outputs() {
        if inputs(opened).iter().any(|input| input.is_at(output)) {
            let what = "this file is read by the job and would be written by it";
            return Err(Error::new(ErrorKind::Job, what, ADVICE).in_file(output));
        }
        if job.read_from.iter().any(|file| FileIdentity::are_one(file, output)) {
            let what = "this file says what is to be done and would be written over";
            return Err(Error::new(ErrorKind::Job, what, ADVICE).in_file(output));
        }
    }
    let Some(receipt) = &job.receipt else { return Ok(()) };
    for folder in [receipt.clone(), staged::placement::with_ending(receipt, ".previous")] {
        let Ok(folder) = std::fs::canonicalize(folder) else { continue };
        let lies_in = |input: &&Input| std::fs::canonicalize(input.path()).is_ok_and(|path| path.starts_with(&folder));
        if let Some(input) = inputs(opened).into_iter().find(lies_in) {
            return Err(Error::new(
                ErrorKind::Job,
                "this file lies in the receipt that the run would replace",
                "name another folder: --receipt DIR",
            )
            .or_in_job("name another folder: receipt = \"…\" in [job]")
            .in_file(input.path()));
        }
    }
    Ok(())
}

/// Every source has the addresses that the job needs, and some source has each column that it names.
pub(crate) fn check_columns(job: &Job, opened: &OpenFiles) -> Result<()> {
    let filled: Vec<&OpenFile<SourceId>> = opened.sources.iter().filter(|file| !file.is_empty).collect();
    if job.require.needs_address() {
        for file in &filled {
            if file.map().column(Field::Email).is_none() {
                return Err(no_address_column(&file.input, file.map()));
            }
        }
    }
    for file in filled.iter().filter(|_| job.compares()) {
        check_compared_columns(job, opened, file)?;
    }
    for file in opened.lists.iter().filter(|file| !file.is_empty) {
        check_list_columns(job, opened, file)?;
    }
    check_consent_wishes(job, &filled)?;
    let layouts = job.writes.iter().filter_map(|write| write.layout.as_ref());
    let wanted = layouts.filter(|layout| layout.like.is_none()).flat_map(columns_of);
    let required = job.require.fields.iter().chain(job.require.any.iter().flatten());
    let required = required.map(|field| ("the requirement".to_owned(), ColumnRef::Field(*field)));
    let selected = job.conditions_of_people().flat_map(Selection::columns);
    let selected = selected.map(|column| (CONDITION.to_owned(), column));
    let replaced = job.replace_values.iter().map(|replacement| ("[[replace]]".to_owned(), replacement.column.clone()));
    if job.person.survivor == Survivor::Newest && newest_by(job, opened).is_none() && !filled.is_empty() {
        return Err(Error::new(
            ErrorKind::Columns,
            "survivor = \"newest\" needs a date, and no source has last_seen or signed_up",
            "say which column has the date: --field \"signed_up=…\"",
        )
        .or_in_job("say which date counts: newest_by = \"…\" in [person]"));
    }
    let has_own_keys = job.sources.iter().any(|source| source.same.is_some());
    let keyed = job.person.columns().filter(|_| !has_own_keys).map(|column| ("[person]".to_owned(), column.clone()));
    // What is remembered holds nobody by a column that is not there.
    let of_files = job.lists.iter().filter(|list| list.files().is_some());
    let compared = of_files.filter_map(|list| Some((list, list.by()?)));
    let compared = compared.flat_map(|(list, key)| {
        key.ours.iter().map(|column| (format!("by = of {}", list.name()), column.clone())).collect::<Vec<_>>()
    });
    let conditioned = job.sources.iter().filter_map(|source| Some((source, source.condition.as_ref()?)));
    let conditioned = conditioned.flat_map(|(source, condition)| {
        condition.columns().map(|column| (format!("where = of {}", source.name), column)).collect::<Vec<_>>()
    });
    let sorted = job.sort.iter().map(|sorted| ("--sort".to_owned(), sorted.column.clone()));
    let keyed = keyed.chain(compared).chain(conditioned).chain(sorted);
    for (whose, column) in wanted.chain(required).chain(selected).chain(replaced).chain(keyed) {
        if !filled.is_empty() && !filled.iter().any(|file| has_column(opened, file, &column)) {
            let error = no_such_column(&whose, &column, &filled);
            return Err(if whose == CONDITION { with_condition(error, job, &column, &filled) } else { error });
        }
    }
    Ok(())
}

fn has_column(opened: &OpenFiles, file: &OpenFile<SourceId>, column: &ColumnRef) -> bool {
    let place = file.id.0 as usize;
    let keyed = opened.row_keys[place].as_ref().map(|keys| &keys.cleaning().map);
    let mut maps = std::iter::once(&opened.cleaning[place].map).chain(keyed);
    maps.any(|map| keys::has_column(column, map))
}

/// What is to be said of layouts that were read from templates: the columns that no source has, which stay blank, and what the
/// template does not show.
pub(crate) fn findings_of_templates(job: &Job, opened: &OpenFiles) -> Vec<Finding> {
    let mut findings = Vec::new();
    for layout in job.writes.iter().filter_map(|write| write.layout.as_ref()) {
        let Some((template, doubts)) = &layout.like else { continue };
        let is_blank = |column: &&LayoutColumn| {
            let mut needed = column.content.columns().into_iter();
            needed.any(|column| !opened.sources.iter().any(|file| has_column(opened, file, column)))
        };
        let blank: Vec<&str> = layout.columns.iter().filter(is_blank).map(|column| column.name.as_str()).collect();
        if !blank.is_empty() {
            let text = format!("no source has {}, so the template's columns stay blank", named_in_error(blank));
            findings.push(Finding::new("blank-template-columns", Weight::Warning, text).in_file(template.clone()));
        }
        for doubt in doubts {
            findings.push(Finding::new("template", Weight::Note, doubt.clone()).in_file(template.clone()));
        }
    }
    findings
}

/// Every header that the job calls one about consent, or none, is that of a column of some file of its source.
fn check_consent_wishes(job: &Job, files: &[&OpenFile<SourceId>]) -> Result<()> {
    let headers = |file: &OpenFile<SourceId>| file.map().headers.to_vec();
    let has = |file: &&&OpenFile<SourceId>, wanted: &String| file.map().headers.column(&fold(wanted)).is_some();
    for (place, source) in job.sources.iter().enumerate() {
        let own: Vec<&&OpenFile<SourceId>> = files.iter().filter(|file| usize::from(file.owner.0) == place).collect();
        let wishes = &source.read.columns;
        let said = [("opt_in", &wishes.opt_in), ("opt_out", &wishes.opt_out), ("not_consent", &wishes.not_consent)];
        for (key, wanted) in said.into_iter().flat_map(|(key, all)| all.iter().map(move |header| (key, header))) {
            // What an option says holds for all files of a command.
            let is_there = own.iter().any(|file| has(file, wanted)) || files.iter().any(|file| has(&file, wanted));
            if let (false, Some(first)) = (is_there, own.first()) {
                let all: Vec<String> = own.iter().flat_map(|file| headers(file)).collect();
                let what = format!("there is no column \"{wanted}\", which {key} names");
                let advice = match closest(wanted, all.iter().map(String::as_str)) {
                    Some(near) => format!("did you mean \"{near}\"?"),
                    None => "name a header as it stands in the file".to_owned(),
                };
                return Err(Error::new(ErrorKind::Columns, what, advice)
                    .in_file(first.input.path())
                    .expected(format!("one of {}", named_in_error(all.iter().map(String::as_str)))));
            }
        }
    }
    Ok(())
}

/// Every list that is compared has the column that it is compared by.
fn check_compared_columns(job: &Job, opened: &OpenFiles, file: &OpenFile<SourceId>) -> Result<()> {
    let own = job.sources[file.owner.0 as usize].same.as_ref().unwrap_or(&job.person.same);
    let keyed = opened.row_keys[file.id.0 as usize].as_ref().map(|keys| &keys.cleaning().map);
    for column in own.iter().flat_map(|key| &key.columns) {
        let mut maps = std::iter::once(file.map()).chain(keyed);
        if !maps.any(|map| ValueSource::new(column, map, false) != ValueSource::Nothing) {
            let headers = || file.map().headers.iter().map(String::as_str);
            let near =
                closest(column.name(), headers()).map_or(String::new(), |near| format!("did you mean \"{near}\"? "));
            let advice = format!(
                "{near}--by takes a column of the first list, and after = that of the others where it is called otherwise"
            );
            let what = format!("the list has no \"{}\" to be compared by", column.name());
            return Err(Error::new(ErrorKind::Columns, what, advice)
                .in_file(file.input.path())
                .expected(format!("one of {}", named_in_error(headers()))));
        }
    }
    Ok(())
}

/// A list has the addresses, or the column that it goes by, and those of its condition and of what is taken from it.
fn check_list_columns(job: &Job, opened: &OpenFiles, file: &OpenFile<ListId>) -> Result<()> {
    let list = &job.lists[file.owner.0 as usize];
    if list.by().is_none() && file.map().column(Field::Email).is_none() {
        return Err(no_address_in_list(&file.input, file.map()));
    }
    let keyed = opened.list_keys[file.id.0 as usize].as_ref().map(|keys| &keys.cleaning().map);
    let by = list.by().into_iter().flat_map(|key| &key.theirs).map(|column| ("by =", column.clone()));
    let conditioned = list
        .files()
        .and_then(|files| files.condition.as_ref())
        .into_iter()
        .flat_map(Selection::columns)
        .map(|column| ("where =", column));
    let taken = list.take().iter().map(|taken| ("take =", taken.theirs.clone()));
    let reasons = list.reason_from().into_iter().map(|column| ("reason_from =", column.clone()));
    for (whose, column) in by.chain(conditioned).chain(taken).chain(reasons) {
        let mut maps = std::iter::once(file.map()).chain(keyed);
        if !maps.any(|map| keys::has_column(&column, map)) {
            let headers = || file.map().headers.iter().map(String::as_str);
            let advice = match closest(column.name(), headers()) {
                Some(near) => format!("did you mean \"{near}\"?"),
                None => "name one of its headers, or a field that one of them was recognised as".to_owned(),
            };
            let what = format!("the list has no \"{}\", which its {whose} needs", column.name());
            return Err(Error::new(ErrorKind::Columns, what, advice)
                .in_file(file.input.path())
                .expected(format!("one of {}", named_in_error(headers()))));
        }
    }
    Ok(())
}

fn columns_of(layout: &Layout) -> Vec<(String, ColumnRef)> {
    let name = format!("the layout {}", layout.name);
    let sorted = layout.sort.iter().map(|sorted| &sorted.column);
    layout
        .columns
        .iter()
        .flat_map(|column| column.content.columns())
        .chain(sorted)
        .map(|column| (name.clone(), column.clone()))
        .collect()
}

fn no_address_column(input: &Input, map: &ColumnMap) -> Error {
    let headers = named_in_error(map.headers.iter().map(String::as_str));
    Error::new(
        ErrorKind::Columns,
        "no column of this file was recognised as e-mail addresses",
        "say which it is: --field \"email=…\"",
    )
    .or_in_job("say which it is: columns = { email = \"…\" }")
    .in_file(input.path())
    .expected(format!("addresses in one of its columns: {headers}"))
}

/// The same of a list, which may be one of phone numbers.
fn no_address_in_list(input: &Input, map: &ColumnMap) -> Error {
    let error = no_address_column(input, map);
    if map.column(Field::Phone).is_none() {
        return error;
    }
    Error::new(
        error.kind(),
        error.what().to_owned(),
        "say which it is: --field \"email=…\"; or if it is a list of phone numbers: --by-phone (bank load), --by phone (elsewhere)",
    )
    .or_in_job("say which it is: columns = { email = \"…\" }; or if it is a list of phone numbers: by = \"phone\"")
    .in_file(input.path())
    .expected(error.expectation().unwrap_or_default().to_owned())
}

/// How a condition on people is called in errors.
const CONDITION: &str = "the condition";

/// The error with the condition as it was likely meant, where a column of the sources has nearly this name.
fn with_condition(error: Error, job: &Job, column: &ColumnRef, files: &[&OpenFile<SourceId>]) -> Error {
    let Some(near) = near_column(column.name(), files) else { return error };
    let condition = job.conditions_of_people().find(|condition| condition.columns().any(|named| named == *column));
    let Some(meant) = condition.and_then(|condition| condition.with_name(column.name(), near)) else { return error };
    Error::new(error.kind(), error.what(), format!("did you mean \"{near}\"? --where '{meant}'"))
        .or_in_job(format!("did you mean \"{near}\"? where = '{meant}'"))
        .expected(error.expectation().unwrap_or_default())
}

/// The header, or the field that some source has, whose name is closest to `name`.
fn near_column<'a>(name: &str, files: &[&'a OpenFile<SourceId>]) -> Option<&'a str> {
    let headers_of = |file: &'a OpenFile<SourceId>| file.map().headers.iter().map(String::as_str);
    let headers = files.iter().copied().flat_map(headers_of);
    let is_there = |field: &Field| files.iter().any(|file| file.map().column(*field).is_some());
    let fields = Field::ALL.into_iter().filter(is_there).map(|field| -> &'a str { field.name() });
    closest(name, headers.chain(fields))
}

fn no_such_column(whose: &str, column: &ColumnRef, files: &[&OpenFile<SourceId>]) -> Error {
    let name = column.name();
    let headers: Vec<&str> = files.iter().flat_map(|file| file.map().headers.iter().map(String::as_str)).collect();
    let mut in_job = None;
    let advice = match (column, near_column(name, files)) {
        (ColumnRef::Extra(_), Some(near)) => format!("did you mean \"{near}\"?"),
        (ColumnRef::Field(field), _) => {
            in_job = Some(format!("say which column it is: columns = {{ {field} = \"…\" }} in its [[source]]"));
            format!("say which column it is: --field \"{field}=…\"")
        }
        _ => "name a known field, or a header as it stands in a source".to_owned(),
    };
    let error = Error::new(ErrorKind::Columns, format!("no source has \"{name}\", which {whose} needs"), advice)
        .expected(format!("a known field or one of {}", named_in_error(headers)));
    match in_job {
        Some(in_job) => error.or_in_job(in_job),
        None => error,
    }
}
