//! What stops a run: every error says what happened, where, what was expected and what to do.
//!
//! Personal data never enters an error: a place is a file, a row and a header, not a value.

use crate::units::RowNumber;
use std::fmt;
use std::path::{Path, PathBuf};

/// The result of anything that can stop a run.
pub type Result<T, E = Error> = std::result::Result<T, E>;

/// What kind of trouble it is; decides the exit status of the program.
#[derive(Debug, Clone, Copy, PartialEq, Eq, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum ErrorKind {
    /// A file to be read is missing, unreadable, or not what can be read.
    Input,
    /// A file changed between the two passes over it.
    InputChanged,
    /// The job file or the options contradict themselves or name something unknown.
    Job,
    /// The job and the columns of a file do not fit together.
    Columns,
    /// Something could be meant in two ways, and only the user can say which.
    Question,
    /// Something cannot be written.
    Output,
    /// Something that others keep cannot be reached, such as a bank in a database.
    Unreachable,
    /// The run would need more memory than it may take.
    Memory,
    /// A guard stopped the run before anything was put in place.
    Guard,
    /// The rows read and the rows accounted for differ: a defect of the program.
    Unbalanced,
    /// A part of the program gave up where it should not have: a defect of the program.
    Defect,
    /// The user stopped the run.
    Interrupted,
}

impl ErrorKind {
    /// The stable name in JSON.
    pub fn name(self) -> &'static str {
        self.into()
    }
}

/// Where it happened, as far as that is known.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Place {
    /// The file.
    pub file: Option<PathBuf>,
    /// The record in the file, as a spreadsheet counts it.
    pub row: Option<RowNumber>,
    /// The header of the column.
    pub column: Option<String>,
    /// For a job file: the line, from 1, and the line's text.
    pub line: Option<(usize, String)>,
}

/// What stopped a run.
#[derive(Debug, Clone)]
pub struct Error(Box<Parts>);

#[derive(Debug, Clone)]
struct Parts {
    kind: ErrorKind,
    what: String,
    place: Place,
    expected: Option<String>,
    advice: String,
    advice_in_job: Option<String>,
}

impl Error {
    /// What happened, in one sentence without its full stop, and what to do about it.
    pub fn new(kind: ErrorKind, what: impl Into<String>, advice: impl Into<String>) -> Error {
        Error(Box::new(Parts {
            kind,
            what: what.into(),
            place: Place::default(),
            expected: None,
            advice: advice.into(),
            advice_in_job: None,
        }))
    }

    /// Adds the file.
    #[must_use]
    pub fn in_file(mut self, file: &Path) -> Error {
        self.0.place.file = Some(file.to_path_buf());
        self
    }

    /// Adds the record.
    #[must_use]
    pub fn at_row(mut self, row: RowNumber) -> Error {
        self.0.place.row = Some(row);
        self
    }

    /// Adds the column's header.
    #[must_use]
    pub fn in_column(mut self, header: &str) -> Error {
        self.0.place.column = Some(header.to_owned());
        self
    }

    /// Adds the line of a job file.
    #[must_use]
    pub fn at_line(mut self, line: usize, text: &str) -> Error {
        self.0.place.line = Some((line, text.to_owned()));
        self
    }

    /// Adds what would have been right.
    #[must_use]
    pub fn expected(mut self, expected: impl Into<String>) -> Error {
        self.0.expected = Some(expected.into());
        self
    }

    /// Adds what to do for somebody who works with a job file: the key, where the advice names an option.
    #[must_use]
    pub fn or_in_job(mut self, advice: impl Into<String>) -> Error {
        self.0.advice_in_job = Some(advice.into());
        self
    }

    /// The error with the advice for somebody who works with a job file, in the words of `place`, where it has one.
    #[must_use]
    pub fn told_for_job(mut self, place: impl FnOnce(&Place, &str) -> String) -> Error {
        if let Some(advice) = self.0.advice_in_job.take() {
            self.0.advice = place(&self.0.place, &advice);
        }
        self
    }

    /// Its words changed: what happened, what was expected, what to do, and the header of the column.
    #[must_use]
    pub fn map_words(mut self, change: impl Fn(&str) -> String) -> Error {
        let parts = &mut *self.0;
        for words in [&mut parts.what, &mut parts.advice] {
            *words = change(words);
        }
        for words in [&mut parts.expected, &mut parts.place.column].into_iter().flatten() {
            *words = change(words);
        }
        self
    }

    /// The kind.
    pub fn kind(&self) -> ErrorKind {
        self.0.kind
    }

    /// What happened.
    pub fn what(&self) -> &str {
        &self.0.what
    }

    /// Where.
    pub fn place(&self) -> &Place {
        &self.0.place
    }

    /// What would have been right.
    pub fn expectation(&self) -> Option<&str> {
        self.0.expected.as_deref()
    }

    /// What to do.
    pub fn advice(&self) -> &str {
        &self.0.advice
    }

    /// The program's exit status: 1 the work could not be done, 2 wrong use, 3 a guard, 70 a defect, 130 interrupted.
    pub fn exit_status(&self) -> u8 {
        match self.0.kind {
            ErrorKind::Job => 2,
            ErrorKind::Guard => 3,
            ErrorKind::Unbalanced | ErrorKind::Defect => 70,
            ErrorKind::Interrupted => 130,
            _ => 1,
        }
    }

    /// A part of the program panicked. What it said is not shown: it may hold values of rows.
    pub fn defect() -> Error {
        Error::new(
            ErrorKind::Defect,
            "a defect in Pebblebank ended the work; nothing was written and earlier files are as they were",
            "please report it, with the command and the line of the program that stands above",
        )
    }

    /// The user pressed Ctrl-C, or the system asked the program to end.
    pub fn interrupted() -> Error {
        Error::new(
            ErrorKind::Interrupted,
            "stopped before the end; nothing was written and earlier files are as they were",
            "start the same command again",
        )
    }

    /// The same, where some of the command had taken effect.
    pub fn interrupted_after_effect() -> Error {
        Error::new(
            ErrorKind::Interrupted,
            "stopped before the end; what was put in place or went into the bank before that stays",
            "look at the outputs and at pebblebank bank history before you start the same command again",
        )
    }

    /// A failed call to the system while reading `file`.
    pub fn unreadable(file: &Path, cause: &std::io::Error) -> Error {
        use std::io::ErrorKind as Io;
        let (what, advice) = match cause.kind() {
            Io::NotFound => ("there is no such file".to_owned(), "check the spelling and the folder"),
            Io::PermissionDenied => (
                "the file may not be read".to_owned(),
                "ask its owner for the right to read it, or copy it where you may",
            ),
            Io::IsADirectory => (
                "this is a folder, not a file".to_owned(),
                "name the files in it, for example with a pattern: \"folder/*.csv\"",
            ),
            _ if is_too_many_open(cause) => (
                "the system lets this program open no more files at once".to_owned(),
                "allow it more (ulimit -n 4096), or save workbooks and archives as CSV, which need not stay open",
            ),
            _ => (format!("the file cannot be read: {cause}"), "check that the file and its disk are in order"),
        };
        Error::new(ErrorKind::Input, what, advice).in_file(file)
    }

    /// A failed call to the system while writing `file`.
    pub fn unwritable(file: &Path, cause: &std::io::Error) -> Error {
        use std::io::ErrorKind as Io;
        let (what, advice) = match cause.kind() {
            Io::NotFound | Io::NotADirectory => {
                ("the folder to write into does not exist".to_owned(), "make the folder first, or name another one")
            }
            Io::PermissionDenied | Io::ReadOnlyFilesystem => (
                "the folder may not be written to".to_owned(),
                "choose another folder, or ask for the right to write there",
            ),
            Io::StorageFull | Io::QuotaExceeded => {
                ("the disk is full".to_owned(), "free some space, or write to another disk; nothing was put in place")
            }
            Io::FileTooLarge => (
                "the file would be larger than this place allows".to_owned(),
                "write to another disk, or raise the limit on the size of files",
            ),
            Io::AlreadyExists => {
                ("the file exists already".to_owned(), "add --replace to put the new one in its place, or name another")
            }
            _ if is_too_many_open(cause) => (
                "the system lets this program open no more files at once".to_owned(),
                "allow it more (ulimit -n 4096); nothing was put in place",
            ),
            _ => (format!("the file cannot be written: {cause}"), "check that the folder and its disk are in order"),
        };
        Error::new(ErrorKind::Output, what, advice).in_file(file)
    }
}

impl fmt::Display for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let place = &self.0.place;
        if let Some(file) = &place.file {
            write!(f, "{}", file.display())?;
            if let Some(row) = place.row {
                write!(f, ", row {row}")?;
            }
            if let Some(column) = &place.column {
                write!(f, ", column \"{column}\"")?;
            }
            if let Some((line, _)) = &place.line {
                write!(f, ", line {line}")?;
            }
            f.write_str(": ")?;
        }
        f.write_str(&self.0.what)?;
        if let Some(expected) = &self.0.expected {
            write!(f, "; expected {expected}")?;
        }
        Ok(())
    }
}

impl std::error::Error for Error {}

/// The name closest to the given one, the first of several; none where none is close, and never the very name.
///
/// Close means a Jaro-Winkler similarity of at least 0.8, a usual bound for typing typos.
pub fn closest<'a>(given: &str, names: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let name = given.to_lowercase();
    names
        .into_iter()
        .filter(|candidate| *candidate != given)
        .map(|candidate| (strsim::jaro_winkler(&name, &candidate.to_lowercase()), candidate))
        .filter(|(likeness, _)| *likeness >= 0.8)
        .max_by(|a, b| a.0.total_cmp(&b.0))
        .map(|(_, candidate)| candidate)
}

/// Whether the program may open no more files (EMFILE), or nobody may (ENFILE); the numbers are those of Linux and the BSDs.
fn is_too_many_open(cause: &std::io::Error) -> bool {
    cfg!(unix) && matches!(cause.raw_os_error(), Some(23 | 24))
}
