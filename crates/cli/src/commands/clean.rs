//! `pebblebank clean FILE… -o OUT`: the same pipeline, with a job made of options.

use crate::arguments::{Clean, Shared};
use crate::commands::memory::recall;
use crate::commands::reading::{country, field, read_files};
use crate::commands::run::{DryRun, do_job};
use crate::commands::standard_output::{StandardOutput, is_meant};
use crate::commands::template::template;
use crate::file_names::beside;
use crate::finish::Said;
use crate::observe::Drawn;
use crate::render::{self, Screen};
use crate::setting::{Now, setting};
use pebblebank_core::job::file::{layout_in_job, read_layout_of};
use pebblebank_core::job::named::{accepted, file_format, same_keys, sort_columns, suggested_rule, survivor};
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::remembering::Remember;
use pebblebank_core::job::sources::{CleanWishes, ReadFiles, Source};
use pebblebank_core::job::{Guards, Job, Pick, Write};
use pebblebank_core::layout::{Layout, LayoutColumn};
use pebblebank_core::person::same::PersonWishes;
use pebblebank_core::require::Requirement;
use pebblebank_core::run;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_core::select::condition::Selection;
use pebblebank_core::tasks::duplicates::write_groups;
use pebblebank_formats::input::STDIN_NAME;
use pebblebank_table::{Error, Result};
use pebblebank_values::Rules;
use std::path::PathBuf;

/// Makes a job of the options and does it.
pub fn clean(command: &Clean, shared: &Shared) -> Result<Said, Error> {
    let now = Now::read();
    if is_meant(&command.output) && (command.only_duplicates || command.receipt.is_some()) {
        let what = "standard output takes the contacts, so there is no room for groups or beside a receipt";
        return Err(wrong_use(what, "name a file: -o contacts.csv"));
    }
    let mut job = recall(job(command, shared, &now)?, &command.remembered, command.dry_run, shared, &now)?;
    // What goes to a sending service, and as which mailing, only a job says.
    job.remember = Remember::default();
    if command.only_duplicates {
        return only_duplicates(job, command, shared, &now);
    }
    if is_meant(&command.output) && !command.dry_run {
        return to_standard_output(job, shared, &now);
    }
    let dry_run = DryRun { is_wanted: command.dry_run, preview: command.writing.previewing.preview };
    do_job(&job, dry_run, shared, &now, "the same command without --dry-run")
}

/// Writes the contacts to standard output, and what is to be said of them to standard error.
fn to_standard_output(mut job: Job, shared: &Shared, now: &Now) -> Result<Said, Error> {
    let output = StandardOutput::new(shared)?;
    for write in &mut job.writes {
        if write.form.most.is_any() {
            return Err(wrong_use(
                "standard output is one file, and the layout parts it",
                "take most_rows and most_bytes out",
            ));
        }
        write.file.clone_from(&output.file);
        write.first_file.clone_from(&output.file);
    }
    let drawn = Drawn::of(shared);
    let finished = run::run(&job, &setting(shared, false, now), &drawn);
    drawn.finish();
    let mut finished = finished?;
    finished.imports.clear();
    let screen = Screen::new(shared);
    let status = if finished.tripped.is_empty() { 0 } else { 3 };
    let remarks =
        if shared.quiet && status == 0 { String::new() } else { render::tally::to_output(&finished, &screen) };
    output.said(status, remarks)
}

/// Writes the people with several rows, and says how many there are.
fn only_duplicates(job: Job, command: &Clean, shared: &Shared, now: &Now) -> Result<Said, Error> {
    // Nothing but who is who is asked.
    let job = Job { require: Requirement { fields: Vec::new(), ..Requirement::default() }, set_aside: None, ..job };
    let drawn = Drawn::of(shared);
    let found = write_groups(&job, &setting(shared, command.dry_run, now), &drawn);
    drawn.finish();
    let found = found?;
    let screen = Screen::new(shared);
    let text = if shared.json {
        render::duplicates::json(&found)
    } else if shared.quiet {
        String::new()
    } else {
        render::duplicates::finished(&found, &screen)
    };
    Ok(Said::done(text))
}

fn job(command: &Clean, shared: &Shared, now: &Now) -> Result<Job> {
    let read = read_files(&command.reading)?;
    let layout = match (&command.layout, &command.columns, &command.like) {
        (Some(place), ..) => Some(read_layout_of(place)?),
        (None, Some(columns), _) => Some(layout_of(columns)?),
        (None, None, Some(path)) => Some(template(path, &ReadFiles::default(), shared)?.into_layout()?),
        (None, None, None) => None,
    };
    let format = command.writing.format.as_deref().map(file_format).transpose()?;
    let to_output = is_meant(&command.output);
    let shown = if to_output { StandardOutput::NAME.to_owned() } else { command.output.display().to_string() };
    let write = Write::new(command.output.clone(), shown, layout, format)?;
    let in_receipt = (command.receipt.is_some() || to_output) && command.set_aside.is_none();
    let set_aside = command.set_aside.clone().unwrap_or_else(|| beside(&command.output, "set-aside"));
    let job = Job {
        sources: sources(command, &read)?,
        country: country(&command.reading)?,
        person: people(command)?,
        clean: CleanWishes { apply: applied(&command.apply)?, ..CleanWishes::default() },
        require: requirement(command.require.as_deref())?,
        pick: pick(command),
        select: command.condition.as_deref().map(Selection::parse).transpose()?,
        writes: vec![write],
        sort: command.sort.as_deref().map_or(Ok(Vec::new()), sort_columns)?,
        receipt: command.receipt.clone(),
        set_aside: (!in_receipt).then_some(set_aside),
        guards: Guards { write_at_least: 1, accept: accepted(&command.accepting.accept)?, ..Guards::default() },
        replace: command.replace,
        read_from: read_from(command),
        ..Job::new("clean", now.day())
    };
    Ok(job.written_for_spreadsheet(command.spreadsheet.for_spreadsheet))
}

/// The files that say what is to be done.
fn read_from(command: &Clean) -> Vec<PathBuf> {
    let layout = command.layout.iter().map(|place| file_of_layout(place));
    layout.chain(command.like.clone()).chain(command.decisions.clone()).collect()
}

/// The file that a layout stands in.
pub fn file_of_layout(place: &str) -> PathBuf {
    layout_in_job(place).map_or_else(|| PathBuf::from(place), |(job, _)| job.to_path_buf())
}

/// Each file is a source, named by its stem; where stems are the same, by its place among the files too.
fn sources(command: &Clean, read: &ReadFiles) -> Result<Vec<Source>> {
    if let (Some(range), 2..) = (command.part.rows, command.files.len()) {
        let what = format!("{range} would be taken of {} files", command.files.len());
        return Err(wrong_use(what, "name one file, or take out --rows"));
    }
    let files: Vec<FilePattern> = command.files.iter().map(|file| FilePattern::literal(file.clone())).collect();
    let source = |(name, file): (String, &FilePattern)| {
        Source::new(name, ReadFiles { files: vec![file.clone()], ..read.clone() }).only_rows(command.part.rows)
    };
    Ok(named_by_stem(&files).zip(&files).map(source).collect())
}

/// What files are called: by their stems; where those are the same, by their place among the files too.
pub fn named_by_stem(files: &[FilePattern]) -> impl Iterator<Item = String> + use<> {
    let stems: Vec<String> = files.iter().map(stem).collect();
    let name = |(place, stem): (usize, &String)| {
        let is_only = stems.iter().filter(|other| other.to_lowercase() == stem.to_lowercase()).count() == 1;
        if is_only { stem.clone() } else { format!("{stem} (file {})", place + 1) }
    };
    stems.iter().enumerate().map(name).collect::<Vec<_>>().into_iter()
}

fn stem(file: &FilePattern) -> String {
    let path = file.path();
    match path.file_stem() {
        Some(stem) if path.as_os_str() != STDIN_NAME => stem.to_string_lossy().into_owned(),
        _ => "standard input".to_owned(),
    }
}

fn people(command: &Clean) -> Result<PersonWishes> {
    let people = person_wishes(command.same.as_deref(), command.survivor.as_deref())?;
    // A file that is named and not there would let those be written who were taken out by hand.
    if let Some(file) = command.decisions.as_ref().filter(|file| !file.exists()) {
        let what = "there is no such file of decisions";
        return Err(wrong_use(what, "check the spelling, or take out --decisions").in_file(file));
    }
    Ok(PersonWishes { fill: command.fill, decisions: command.decisions.clone(), ..people })
}

/// Who is the same person, and who survives, as `--same` and `--survivor` say it.
pub fn person_wishes(same: Option<&[String]>, rule: Option<&str>) -> Result<PersonWishes> {
    let mut people = PersonWishes::default();
    if let Some(same) = same {
        people.same = same_keys(same)?;
    }
    if let Some(name) = rule {
        people.survivor = survivor(name)?;
    }
    Ok(people)
}

fn pick(command: &Clean) -> Option<Pick> {
    let sample = command.sample.map(|count| Pick::Sample { count, seed: command.seed });
    command.first.map(Pick::First).or(sample)
}

fn applied(names: &[String]) -> Result<Rules> {
    let mut rules = Rules::NONE;
    for name in names {
        rules.add(suggested_rule(name)?);
    }
    Ok(rules)
}

/// What a contact must have, as `--require` says it.
pub fn requirement(names: Option<&[String]>) -> Result<Requirement> {
    let mut requirement = Requirement::default();
    if let Some(names) = names {
        let filled = names.iter().filter(|name| !name.trim().is_empty());
        requirement.fields = filled.map(|name| field(name, "--require")).collect::<Result<_>>()?;
    }
    Ok(requirement)
}

/// The layout that `--columns` asks for: fields, headers, `in walkers`, each perhaps under another name.
pub fn layout_of(columns: &[String]) -> Result<Layout> {
    Ok(Layout::new("--columns", columns_of(columns)?))
}

/// The columns that `--columns` asks for.
pub fn columns_of(columns: &[String]) -> Result<Vec<LayoutColumn>> {
    if let Some(text) = columns.iter().find(|text| text.contains(';') && text.matches('=').count() > 1) {
        let what = format!("\"{text}\" is several columns in one");
        return Err(wrong_use(what, format!("part columns by commas: --columns '{}'", text.replace(';', ","))));
    }
    let columns: Vec<LayoutColumn> = columns.iter().map(|text| LayoutColumn::parse(text)).collect::<Result<_>>()?;
    for (place, column) in columns.iter().enumerate() {
        if columns[..place].iter().any(|other| other.name == column.name) {
            let what = format!("--columns has two columns \"{}\"", column.name);
            return Err(wrong_use(what, "give one another name: \"Second=city\""));
        }
    }
    Ok(columns)
}
