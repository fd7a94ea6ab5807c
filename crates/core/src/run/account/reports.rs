//! All that is known at the end of a run, and the documents of its receipt.

use crate::job::Job;
use crate::job::lists::EntriesToCompare;
use crate::run::decide::known::Known;
use crate::run::gather::counts::FileCounts;
use crate::run::open::files::OpenFile;
use crate::run::setting::Setting;
use crate::run::tally::Tally;
use crate::run::write::outputs::Documents;
use serde_json::{Value, json};
use std::path::Path;

/// The schema of `inputs.json`.
pub const INPUTS_SCHEMA: &str = "pebblebank/inputs/1";

/// The schema of `run.json`.
pub const RUN_SCHEMA: &str = "pebblebank/run/1";

/// All that is known at the end of a run.
pub struct Reports<'a> {
    /// The job.
    pub job: &'a Job,
    /// What is known of its files.
    pub known: &'a Known,
}

impl Reports<'_> {
    /// What is in the receipt besides its tables.
    pub fn documents(&self, tally: &Tally, setting: &Setting) -> Documents {
        let tally = serde_json::to_value(tally).expect("a tally is plain data");
        let run = json!({
            "schema": RUN_SCHEMA,
            "program": "pebblebank",
            "version": env!("CARGO_PKG_VERSION"),
            "started": setting.started,
            "arguments": setting.arguments,
            "folder": setting.folder,
            "job_file": self.job.read_from.first().filter(|_| self.job.is_from_file).map(|file| absolute(file)),
            "inputs": self.paths(),
            "threads": setting.threads,
            "memory_bytes": setting.memory,
            "peak_memory_bytes": (setting.peak_memory)(),
        });
        let files = [("tally.json", tally), ("inputs.json", self.inputs()), ("run.json", run)];
        let readme = ("README.txt", include_bytes!("receipt_readme.txt").to_vec());
        let job = ("job.toml", self.job_text());
        let files = files.into_iter().map(|(name, value)| (name, pretty(&value))).chain([readme, job]).collect();
        Documents { files, of_one_run: vec!["run.json"] }
    }

    /// The job as it was run: the text of its file, or the command that had none.
    fn job_text(&self) -> Vec<u8> {
        match &self.job.text {
            Some(text) => text.clone().into_bytes(),
            None => b"# This work had no job file. run.json has the command that did it.\n".to_vec(),
        }
    }

    /// Where each input was, in the order of `inputs.json`.
    fn paths(&self) -> Vec<String> {
        let files = &self.known.files;
        let sources = files.sources.iter().map(|file| &file.input);
        let inputs = sources.chain(files.lists.iter().map(|file| &file.input));
        inputs.map(|input| absolute(input.path())).collect()
    }

    fn inputs(&self) -> Value {
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
        json!({ "schema": INPUTS_SCHEMA, "inputs": sources.chain(lists).collect::<Vec<_>>() })
    }
}

fn input<Owner>(part: &str, of: &str, file: &OpenFile<Owner>, counts: &FileCounts) -> Value {
    json!({
        "file": file.input.name(),
        "part": part,
        "of": of,
        "bytes": file.input.file_bytes,
        "rows": counts.contacts,
        "records": counts.contacts + counts.others.iter().sum::<u64>(),
        "blake3": counts.fingerprint,
    })
}

fn absolute(path: &Path) -> String {
    std::path::absolute(path).unwrap_or_else(|_| path.to_path_buf()).display().to_string()
}

fn pretty(value: &Value) -> Vec<u8> {
    let mut text = serde_json::to_vec_pretty(value).expect("plain data");
    text.push(b'\n');
    text
}
