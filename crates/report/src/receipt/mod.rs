//! The receipt of a run, opened to be read.

mod document;
pub mod people;
mod seals;
pub mod table;
pub mod written;

use document::{document, known_version};
use pebblebank_core::run::write::outputs::SEALS_FILE;
use pebblebank_table::{Error, ErrorKind, Result};
use serde_json::Value;
use std::ffi::OsString;
use std::path::{Path, PathBuf};

/// A receipt.
#[derive(Debug)]
pub struct Receipt {
    /// Its folder.
    pub folder: PathBuf,
    /// `tally.json`.
    pub tally: Value,
    /// The files that the run read, sources first.
    pub inputs: Vec<Input>,
    /// When the run began (RFC 3339); none if `run.json` is gone.
    pub started: Option<String>,
    /// The job file (its path as the run opened it); none for work without one.
    pub job_file: Option<PathBuf>,
    /// The folder in which the command was typed.
    pub folder_of_command: Option<PathBuf>,
    /// The files that were edited after the run, by name.
    pub edited: Vec<String>,
    /// Whether the receipt has no seals: an earlier version wrote it, or the file was deleted.
    pub is_unsealed: bool,
}

/// A file that a run read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Input {
    /// Its name, as receipts have it.
    pub file: String,
    /// `source`, `list` or `suppress`.
    pub part: String,
    /// The name of the source or list.
    pub of: String,
    /// How many records it had, the header and other lines included.
    pub records: u64,
    /// Its size in bytes.
    pub bytes: u64,
    /// Its BLAKE3, in hexadecimal digits.
    pub blake3: String,
    /// Where it was when the run read it.
    pub path: Option<PathBuf>,
}

/// Where a row was read.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Place {
    /// The place of the file among the inputs of the receipt.
    pub input: usize,
    /// The row, from 1, as a spreadsheet shows it.
    pub row: u64,
}

impl Receipt {
    /// Opens the receipt in a folder.
    ///
    /// # Errors
    ///
    /// If the folder is no receipt, if a newer version of the program wrote it, or if a part of it is gone.
    pub fn open(folder: &Path) -> Result<Receipt> {
        let tally = document(folder, "tally.json").map_err(|error| no_receipt(folder, &error))?;
        known_version(folder, "tally.json", &tally, "pebblebank/tally/")?;
        let inputs = document(folder, "inputs.json")?;
        known_version(folder, "inputs.json", &inputs, "pebblebank/inputs/")?;
        // Without it only times and places are unknown.
        let run = document(folder, "run.json").unwrap_or_default();
        let text = |key: &str| run[key].as_str().filter(|text| !text.is_empty()).map(str::to_owned);
        let (edited, is_unsealed) = seals::edited(folder, text("started").as_deref())?;
        Ok(Receipt {
            folder: folder.to_path_buf(),
            inputs: inputs_of(&inputs, &run["inputs"]),
            tally,
            started: text("started"),
            job_file: text("job_file").map(PathBuf::from),
            folder_of_command: text("folder").map(PathBuf::from),
            edited,
            is_unsealed,
        })
    }

    /// The bank that the run asked, if there was one: the address of a database, or a path.
    pub fn bank(&self) -> Option<OsString> {
        let bank = &self.tally["bank"];
        // Where a copy stood for the bank, the bank itself is meant.
        let named = bank["copy"]["of"].as_str().or_else(|| bank["file"].as_str())?;
        let folder = self.folder_of_command.as_deref().filter(|_| !named.contains("://"));
        Some(folder.map_or_else(|| OsString::from(named), |folder| folder.join(named).into_os_string()))
    }

    /// The name of the job.
    pub fn job(&self) -> &str {
        self.tally["job"].as_str().unwrap_or_default()
    }

    /// Where the row is that has this number among all rows of all sources, from 0.
    pub fn place(&self, mut number: u64) -> Option<Place> {
        for (input, file) in self.inputs.iter().enumerate().filter(|(_, file)| file.part == "source") {
            if number < file.records {
                return Some(Place { input, row: number + 1 });
            }
            number -= file.records;
        }
        None
    }

    /// The number of a row among all rows of all sources, from 0.
    pub fn number(&self, place: &Place) -> Option<u64> {
        let before = self.inputs.get(..place.input)?.iter().filter(|file| file.part == "source");
        Some(before.map(|file| file.records).sum::<u64>() + place.row.checked_sub(1)?)
    }

    /// Whether the run wrote its import files.
    pub fn has_written(&self) -> bool {
        self.tally["outcome"] == "written"
    }

    /// Whether a file was last changed while the run was still at work: a later run may have written another one in its place.
    pub fn is_of_this_run(&self, file: &Path) -> bool {
        let sealed_at = seals::modified(&self.path(SEALS_FILE));
        seals::modified(file).zip(sealed_at).is_some_and(|(file, sealed)| file <= sealed + seals::SAME_RUN)
    }

    /// A file of the receipt.
    pub fn path(&self, name: &str) -> PathBuf {
        self.folder.join(name)
    }
}

fn no_receipt(folder: &Path, error: &Error) -> Error {
    if folder.join("tally.json").exists() {
        return error.clone();
    }
    let what = if folder.exists() { "this is not a receipt" } else { "there is no such receipt" };
    Error::new(ErrorKind::Input, what, "name the folder that a run left, whose name ends with .receipt").in_file(folder)
}

fn inputs_of(inputs: &Value, paths: &Value) -> Vec<Input> {
    let all = inputs["inputs"].as_array().map(Vec::as_slice).unwrap_or_default();
    let input = |(place, input): (usize, &Value)| {
        let text = |key: &str| input[key].as_str().unwrap_or_default().to_owned();
        let number = |key: &str| input[key].as_u64().unwrap_or_default();
        Input {
            file: text("file"),
            part: text("part"),
            of: text("of"),
            records: number("records"),
            bytes: number("bytes"),
            blake3: text("blake3"),
            path: paths[place].as_str().map(PathBuf::from),
        }
    };
    all.iter().enumerate().map(input).collect()
}
