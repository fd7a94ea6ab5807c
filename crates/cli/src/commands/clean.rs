//! `pebblebank clean FILE… -o OUT`: the same pipeline, with a job made of options.

use crate::arguments::{Clean, Shared, YesMeans};
use crate::commands::run::do_job;
use crate::finish::Said;
use crate::setting::Now;
use pebblebank_core::clean::consent;
use pebblebank_core::columns::Field;
use pebblebank_core::columns::mapping::ColumnWishes;
use pebblebank_core::job::file::{read_layout, unknown_field_advice};
use pebblebank_core::job::{
    Content, FilePattern, Guards, Job, Layout, LayoutColumn, OnViolation, ReadFiles, Requirement, Source, Write,
};
use pebblebank_core::pipeline::wrong_use;
use pebblebank_core::read::input::STDIN_NAME;
use pebblebank_core::{Error, Result};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// Makes a job of the options and does it.
pub fn clean(command: &Clean, shared: &Shared) -> Result<Said, Error> {
    let now = Now::read();
    let job = job(command)?;
    do_job(&job, command.dry_run, shared, &now, "the same command without --dry-run")
}

fn job(command: &Clean) -> Result<Job> {
    if command.output.as_os_str() == STDIN_NAME {
        return Err(wrong_use("clean cannot write to standard output", "name a file: -o contacts.csv"));
    }
    let columns = wishes(command)?;
    let layout = match (&command.layout, &command.columns) {
        (Some(file), _) => Some(read_layout(file)?),
        (None, Some(columns)) => Some(layout_of(columns)),
        (None, None) => None,
    };
    let in_receipt = command.receipt.is_some() && command.set_aside.is_none();
    let set_aside = command.set_aside.clone().unwrap_or_else(|| beside(&command.output));
    Ok(Job {
        name: "clean".to_owned(),
        sources: sources(&command.files, &columns),
        suppress: Vec::new(),
        require: requirement(command)?,
        select: None,
        writes: vec![Write { file: command.output.clone(), shown: command.output.display().to_string(), layout }],
        guards: Guards::default(),
        receipt: command.receipt.clone(),
        set_aside: (!in_receipt).then_some(set_aside),
        replace: command.replace,
        read_from: command.layout.iter().cloned().collect(),
    })
}

/// Each file is a source, named by its stem; where stems are the same, by its place among the files too.
fn sources(files: &[PathBuf], columns: &ColumnWishes) -> Vec<Source> {
    let stem = |file: &Path| match file.file_stem() {
        Some(stem) if file.as_os_str() != STDIN_NAME => stem.to_string_lossy().into_owned(),
        _ => "standard input".to_owned(),
    };
    let is_only =
        |name: &str| files.iter().filter(|file| stem(file).to_lowercase() == name.to_lowercase()).count() == 1;
    let source = |(place, file): (usize, &PathBuf)| {
        let name = stem(file);
        Source {
            name: if is_only(&name) { name } else { format!("{name} (file {})", place + 1) },
            read: ReadFiles {
                files: vec![FilePattern::literal(file.clone())],
                columns: columns.clone(),
                ..ReadFiles::default()
            },
        }
    };
    files.iter().enumerate().map(source).collect()
}

fn field(name: &str, option: &str) -> Result<Field> {
    let name = name.trim();
    Field::from_name(name).ok_or_else(|| {
        let known = Field::ALL.map(Field::name).join(", ");
        wrong_use(format!("{option}: unknown field {name}"), unknown_field_advice(name))
            .expected(format!("one of {known}"))
    })
}

fn wishes(command: &Clean) -> Result<ColumnWishes> {
    let mut headers = BTreeMap::new();
    for text in &command.fields {
        let (name, header) = text
            .split_once('=')
            .ok_or_else(|| wrong_use(format!("--field: {text} has no ="), "write --field \"email=Contact\""))?;
        headers.insert(field(name, "--field")?, header.to_owned());
    }
    let yes_means = command.yes_means.map(|meaning| match meaning {
        YesMeans::OptedIn => consent::YesMeans::OptedIn,
        YesMeans::OptedOut => consent::YesMeans::OptedOut,
    });
    Ok(ColumnWishes { headers, yes_means })
}

fn requirement(command: &Clean) -> Result<Requirement> {
    let mut requirement = Requirement::default();
    if let Some(names) = &command.require {
        let named = names.iter().filter(|name| !name.trim().is_empty());
        requirement.fields = named.map(|name| field(name, "--require")).collect::<Result<_>>()?;
    }
    Ok(requirement)
}

fn layout_of(columns: &[String]) -> Layout {
    let column = |name: &String| LayoutColumn {
        name: name.trim().to_owned(),
        content: Content::Column(pebblebank_core::job::layout::ColumnRef::new(name)),
        otherwise: None,
        required: false,
    };
    Layout {
        name: "--columns".to_owned(),
        columns: columns.iter().map(column).collect(),
        defuse: true,
        on_violation: OnViolation::SetAside,
    }
}

/// `spring.csv` → `spring.set-aside.csv`.
fn beside(output: &Path) -> PathBuf {
    let stem = output.file_stem().unwrap_or_default().to_string_lossy();
    let ending = output.extension().map_or("csv".into(), |ending| ending.to_string_lossy());
    output.with_file_name(format!("{stem}.set-aside.{ending}"))
}
