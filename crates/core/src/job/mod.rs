//! What is wanted: the job, its parts and their defaults.
//!
//! A [`Job`] is complete and consistent in itself before any file is opened; [`file`] makes one from TOML.

pub mod file;
pub mod layout;
pub mod memory;
mod parts;
pub mod pattern;

pub use layout::{Content, Layout, LayoutColumn, OnViolation, Template};
pub use pattern::FilePattern;

use crate::clean::Rules;
use crate::clean::audience::DisposableDomains;
use crate::clean::blank::BlankWords;
use crate::clean::date::{Date, DateOrder};
use crate::clean::place::Country;
use crate::clean::replace::Replacement;
use crate::columns::Field;
use crate::columns::mapping::ColumnWishes;
use crate::error::{Error, ErrorKind, Result};
use crate::person::{Identity, PersonWishes};
use crate::read::ReadWishes;
use crate::select::Selection;
use crate::suppress::Reason;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A repeatable piece of work.
#[derive(Debug, Clone)]
pub struct Job {
    /// What it is called.
    pub name: String,
    /// The day of the run.
    pub today: Date,
    /// The country of contacts that name none.
    pub country: Option<Country>,
    /// Where contacts come from, in order of trust.
    pub sources: Vec<Source>,
    /// What is replaced in the values of sources, before anything else.
    pub replace_values: Vec<Replacement>,
    /// How values are cleaned, and which contacts are left out for their address.
    pub clean: CleanWishes,
    /// Who is the same person, and which row of a person survives.
    pub person: PersonWishes,
    /// Who must not be contacted.
    pub suppress: Vec<SuppressionFiles>,
    /// What a usable contact must have.
    pub require: Requirement,
    /// Who is picked of those; none for all.
    pub select: Option<Selection>,
    /// What is written.
    pub writes: Vec<Write>,
    /// Limits that stop the run.
    pub guards: Guards,
    /// The folder that the run leaves; none for none.
    pub receipt: Option<PathBuf>,
    /// A file for the rows set aside, outside any receipt.
    pub set_aside: Option<PathBuf>,
    /// Whether existing outputs are replaced.
    pub replace: bool,
    /// The files that the job itself was read from, which no output may be.
    pub read_from: Vec<PathBuf>,
}

/// One or more files of the same shape that contacts come from.
#[derive(Debug, Clone)]
pub struct Source {
    /// What it is called in tables and receipts.
    pub name: String,
    /// Its files.
    pub read: ReadFiles,
}

/// How values are cleaned, and which contacts are left out for their address.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct CleanWishes {
    /// The suggested rules that are applied.
    pub apply: Rules,
    /// Whether the day or the month comes first, in columns that may be read in both ways.
    pub date_order: Option<DateOrder>,
    /// Words that stand for nothing.
    pub blank_words: Arc<BlankWords>,
    /// What addresses are compared by.
    pub identity: Identity,
    /// What becomes of role addresses, such as `info@`.
    pub role: Passing,
    /// What becomes of addresses at disposable domains.
    pub disposable: Passing,
    /// Which domains those are, beside the known ones.
    pub disposable_domains: DisposableDomains,
}

/// Whether contacts of a kind are written.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Passing {
    /// They are.
    #[default]
    Pass,
    /// They are, with a tag.
    Tag,
    /// They are set aside.
    SetAside,
}

/// Files to read, and how.
#[derive(Debug, Clone, Default)]
pub struct ReadFiles {
    /// The files, or patterns for them.
    pub files: Vec<FilePattern>,
    /// The columns that are not recognised by themselves.
    pub columns: ColumnWishes,
    /// Where recognition is overruled.
    pub wishes: ReadWishes,
}

/// A suppression list.
#[derive(Debug, Clone)]
pub struct SuppressionFiles {
    /// What it is called in tables and receipts.
    pub name: String,
    /// Its files.
    pub read: ReadFiles,
    /// Why its people must not be contacted.
    pub reason: Reason,
}

/// What a contact must have to be written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Requirement {
    /// All of these fields must be filled; `email` must also be valid.
    pub fields: Vec<Field>,
    /// At least one of these groups must be filled wholly; empty asks for nothing.
    pub any: Vec<Vec<Field>>,
    /// At least one copy of the person must say that it opted in.
    pub opted_in: bool,
}

impl Default for Requirement {
    fn default() -> Self {
        Requirement { fields: vec![Field::Email], any: Vec::new(), opted_in: false }
    }
}

impl Requirement {
    /// Whether a usable address is needed.
    pub fn needs_address(&self) -> bool {
        self.fields.contains(&Field::Email)
    }
}

/// A file to write and its shape.
#[derive(Debug, Clone)]
pub struct Write {
    /// Where to.
    pub file: PathBuf,
    /// As receipts name it.
    pub shown: String,
    /// The shape; none for the known fields that any source has, then the extra columns.
    pub layout: Option<Layout>,
}

/// Limits that stop a run before anything is put in place.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Guards {
    /// The largest share of the contacts read that may be set aside, from 0 to 1.
    pub set_aside_at_most: Option<f64>,
}

impl Job {
    /// Checks what no single part can: names used twice, outputs that are one file.
    pub fn check(&self) -> Result<()> {
        let no = |what: &str, advice: &str| Err(Error::new(ErrorKind::Job, what.to_owned(), advice));
        if self.sources.is_empty() {
            return no("the job has no source", "add a [[source]] with a name and files");
        }
        if self.writes.is_empty() {
            return no("the job writes nothing", "add a [[write]] with a file");
        }
        let names = self.sources.iter().map(|source| &source.name).chain(self.suppress.iter().map(|list| &list.name));
        let mut seen = std::collections::HashSet::new();
        for name in names {
            if !seen.insert(name.to_lowercase()) {
                let what = format!("the name \"{name}\" is used twice among sources and suppression lists");
                return no(&what, "give each its own name, since tables and receipts go by it");
            }
        }
        let mut seen = std::collections::HashSet::new();
        for output in self.outputs() {
            let place = place_of(output);
            if self.receipt.as_ref().is_some_and(|receipt| receipt != output && place.starts_with(place_of(receipt))) {
                let what = format!("{} would lie in the receipt, which is replaced as a whole", output.display());
                return no(&what, "write it beside the receipt, not into it");
            }
            if !seen.insert(place) {
                let what = format!("{} would be written twice", output.display());
                return no(&what, "give each output its own name");
            }
        }
        Ok(())
    }

    /// All that the job writes, the receipt last.
    pub fn outputs(&self) -> impl Iterator<Item = &PathBuf> {
        self.writes.iter().map(|write| &write.file).chain(&self.set_aside).chain(&self.receipt)
    }
}

/// A path in one spelling, whether or not there is something at it yet.
fn place_of(path: &Path) -> PathBuf {
    let folder = match path.parent() {
        Some(folder) if folder != Path::new("") => folder,
        Some(_) => Path::new("."),
        None => return path.to_path_buf(),
    };
    let folder = std::fs::canonicalize(folder).unwrap_or_else(|_| place_of(folder));
    path.file_name().map_or(folder.clone(), |name| folder.join(name))
}
