//! All that is known at the end of a run, and the documents of its receipt.

use crate::job::Job;
use crate::job::lists::EntriesToCompare;
use crate::run::account::guards_document::GuardsDocument;
use crate::run::decide::known::Known;
use crate::run::gather::counts::FileCounts;
use crate::run::open::files::OpenFile;
use crate::run::setting::Setting;
use crate::run::tally::Tally;
use crate::run::tripped_guard::TrippedGuard;
use crate::run::write::outputs::Documents;
use schemars::JsonSchema;
use serde::Serialize;
use serde_json::Value;
use std::path::Path;

/// The schema of `inputs.json`.
pub const INPUTS_SCHEMA: &str = "pebblebank/inputs/1";

/// The schema of `run.json`.
pub const RUN_SCHEMA: &str = "pebblebank/run/1";

/// `inputs.json`: the files that were read.
#[derive(Debug, JsonSchema, Serialize)]
pub struct InputsDocument {
    /// `pebblebank/inputs/1`
    schema: &'static str,
    /// Each file, those of the sources first.
    inputs: Vec<InputDocument>,
}

/// A file that was read.
#[derive(Debug, JsonSchema, Serialize)]
struct InputDocument {
    /// Its name as the job gives it.
    file: String,
    /// What it was read for: `source`, `list` or `suppress`.
    part: &'static str,
    /// The name of that source or list.
    of: String,
    /// Its size.
    bytes: u64,
    /// Its contacts or entries.
    rows: u64,
    /// All its records, with the header and other lines that are not contacts.
    records: u64,
    /// The BLAKE3 digest of its bytes, in hex.
    blake3: String,
}

/// `run.json`: what can differ between two runs of the same job on the same files.
#[derive(Debug, JsonSchema, Serialize)]
pub struct RunDocument {
    /// `pebblebank/run/1`
    schema: &'static str,
    /// `pebblebank`
    program: &'static str,
    /// The version of the program.
    version: &'static str,
    /// When the run began (RFC 3339).
    started: String,
    /// The words of the command.
    arguments: Vec<String>,
    /// Where it was typed.
    folder: String,
    /// The job file, where there is one.
    job_file: Option<String>,
    /// Where the files were, in the order of `inputs.json`.
    inputs: Vec<String>,
    /// How many threads it used.
    threads: usize,
    /// How much memory it might take.
    memory_bytes: u64,
    /// The most that it took, as Linux tells it.
    peak_memory_bytes: Option<u64>,
}

/// All that is known at the end of a run.
pub struct Reports<'a> {
    /// The job.
    pub job: &'a Job,
    /// What is known of its files.
    pub known: &'a Known,
}

impl Reports<'_> {
    /// What is in the receipt besides its tables.
    pub fn documents(&self, tally: &Tally, tripped: &[TrippedGuard], setting: &Setting) -> Documents {
        let guards = serde_json::to_value(GuardsDocument::of(tally, tripped)).expect("plain data");
        let tally = serde_json::to_value(tally).expect("a tally is plain data");
        let run = serde_json::to_value(self.run(setting)).expect("plain data");
        let inputs = serde_json::to_value(self.inputs()).expect("plain data");
        let files = [("tally.json", tally), ("guards.json", guards), ("inputs.json", inputs), ("run.json", run)];
        let readme = ("README.txt", include_bytes!("receipt_readme.txt").to_vec());
        let job = ("job.toml", self.job_text(setting));
        let files = files.into_iter().map(|(name, value)| (name, pretty(&value))).chain([readme, job]);
        let log = ("log.jsonl", (setting.log)());
        Documents { files: files.chain([log]).collect(), of_one_run: vec!["run.json", "log.jsonl"] }
    }

    fn run(&self, setting: &Setting) -> RunDocument {
        RunDocument {
            schema: RUN_SCHEMA,
            program: "pebblebank",
            version: env!("CARGO_PKG_VERSION"),
            started: setting.started.clone(),
            arguments: setting.arguments.clone(),
            folder: setting.folder.clone(),
            job_file: self.job.read_from.first().filter(|_| self.job.is_from_file).map(|file| absolute(file)),
            inputs: self.paths(),
            threads: setting.threads,
            memory_bytes: setting.memory,
            peak_memory_bytes: (setting.peak_memory)(),
        }
    }

    /// The job as it was run: the text of its file, and what the command line decided besides; or the command that had none.
    fn job_text(&self, setting: &Setting) -> Vec<u8> {
        let Some(text) = &self.job.text else {
            return b"# This work had no job file. run.json has the command that did it.\n".to_vec();
        };
        let options = deciding_options(&setting.arguments);
        let mut text = text.clone();
        if !options.is_empty() {
            let line_end = if text.ends_with('\n') { "" } else { "\n" };
            text.push_str(&format!("{line_end}\n# Said on the command line besides: {}\n", options.join(" ")));
        }
        text.into_bytes()
    }

    /// Where each input was, in the order of `inputs.json`.
    fn paths(&self) -> Vec<String> {
        let files = &self.known.files;
        let sources = files.sources.iter().map(|file| &file.input);
        let inputs = sources.chain(files.lists.iter().map(|file| &file.input));
        inputs.map(|input| absolute(input.path())).collect()
    }

    fn inputs(&self) -> InputsDocument {
        let sources = self
            .known
            .files
            .sources
            .iter()
            .zip(&self.known.source_counts)
            .map(|(file, counts)| input("source", &self.job.sources[file.owner.0 as usize].name, file, counts));
        let lists = self.known.files.lists.iter().zip(&self.known.list_files).map(|(file, counts)| {
            let list = &self.job.lists[file.owner.0 as usize];
            input(if list.is_asked() { "list" } else { "suppress" }, list.name(), file, counts)
        });
        InputsDocument { schema: INPUTS_SCHEMA, inputs: sources.chain(lists).collect() }
    }
}

fn input<Owner>(part: &'static str, of: &str, file: &OpenFile<Owner>, counts: &FileCounts) -> InputDocument {
    InputDocument {
        file: file.input.name(),
        part,
        of: of.to_owned(),
        bytes: file.input.file_bytes,
        rows: counts.contacts,
        records: counts.contacts + counts.others.iter().sum::<u64>(),
        blake3: counts.fingerprint.clone(),
    }
}

/// The options among the words of a command that decide about who is written and how, with their values; none of them names
/// a place on this machine.
fn deciding_options(arguments: &[String]) -> Vec<String> {
    const WITH_VALUE: [&str; 2] = ["--accept", "--scope"];
    const ALONE: [&str; 3] = ["--without-bank", "--new-scope", "--for-spreadsheet"];
    let mut found = Vec::new();
    let mut words = arguments.iter().map(|word| word.replace(['\n', '\r'], " "));
    while let Some(word) = words.next() {
        let name = word.split_once('=').map_or(word.as_str(), |(name, _)| name);
        if WITH_VALUE.contains(&word.as_str()) {
            found.push(format!("{word} {}", words.next().unwrap_or_default()));
        } else if WITH_VALUE.contains(&name) || ALONE.contains(&name) {
            found.push(word);
        }
    }
    found
}

fn absolute(path: &Path) -> String {
    std::path::absolute(path).unwrap_or_else(|_| path.to_path_buf()).display().to_string()
}

fn pretty(value: &Value) -> Vec<u8> {
    let mut text = serde_json::to_vec_pretty(value).expect("plain data");
    text.push(b'\n');
    text
}
