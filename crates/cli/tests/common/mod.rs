//! A desk to try the built program on: files in a temporary folder, commands, what they leave.

#![allow(clippy::unwrap_used)] // a failure here is a failed test
#![allow(dead_code)] // not every test file needs every part of the desk

pub mod json_schema;
pub mod mutation;
pub mod shop;

use serde_json::Value;
use std::fs;
use std::io::Write;
use std::path::PathBuf;
use std::process::{Command, Output, Stdio};

/// A temporary folder that commands run in.
pub struct Desk {
    folder: tempfile::TempDir,
}

/// What a command left.
pub struct Ran {
    pub status: i32,
    pub stdout: String,
    pub stderr: String,
}

/// A file read by an independent reader: header and rows.
pub struct Sheet {
    pub header: Vec<String>,
    pub rows: Vec<Vec<String>>,
}

impl Desk {
    pub fn new() -> Desk {
        Desk { folder: tempfile::tempdir().unwrap() }
    }

    /// A desk with these files on it.
    pub fn with(files: &[(&str, &str)]) -> Desk {
        let desk = Desk::new();
        for (name, text) in files {
            desk.file(name, text);
        }
        desk
    }

    pub fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    pub fn file(&self, name: &str, bytes: impl AsRef<[u8]>) {
        let path = self.path(name);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, bytes).unwrap();
    }

    pub fn bytes(&self, name: &str) -> Vec<u8> {
        fs::read(self.path(name)).unwrap_or_else(|cause| panic!("{name}: {cause}"))
    }

    pub fn text(&self, name: &str) -> String {
        String::from_utf8(self.bytes(name)).unwrap()
    }

    pub fn has(&self, name: &str) -> bool {
        self.path(name).symlink_metadata().is_ok()
    }

    /// The names in the folder, sorted; hidden leftovers included.
    pub fn names(&self) -> Vec<String> {
        let mut names: Vec<String> = fs::read_dir(self.folder.path())
            .unwrap()
            .map(|entry| entry.unwrap().file_name().into_string().unwrap())
            .collect();
        names.sort();
        names
    }

    /// The command line, ready to be run in the folder.
    pub fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_pebblebank"));
        command.args(arguments).current_dir(self.folder.path()).env_clear().stdin(Stdio::null());
        // Nobody's own bank: that of the folder, once there is one.
        let is_kept = self.has("data/pebblebank/bank.sqlite");
        if !is_kept && (self.has("bank.sqlite") || arguments.first() == Some(&"bank")) {
            command.env("PEBBLEBANK_BANK", "bank.sqlite");
        }
        command.env("XDG_DATA_HOME", self.path("data"));
        command
    }

    pub fn run(&self, arguments: &[&str]) -> Ran {
        Ran::of(&self.command(arguments).output().unwrap())
    }

    /// Runs with `input` on standard input.
    pub fn run_with_input(&self, arguments: &[&str], input: &[u8]) -> Ran {
        let mut command = self.command(arguments);
        let mut child = command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
        child.stdin.take().unwrap().write_all(input).unwrap();
        Ran::of(&child.wait_with_output().unwrap())
    }

    /// Runs and expects success.
    pub fn done(&self, arguments: &[&str]) -> Ran {
        let ran = self.run(arguments);
        assert_eq!(ran.status, 0, "{arguments:?}\n{}{}", ran.stdout, ran.stderr);
        ran
    }

    /// The document that a command prints with `--json`, which must be as its schema says.
    pub fn json(&self, arguments: &[&str]) -> Value {
        let document = serde_json::from_str(&self.done(&[arguments, &["--json"]].concat()).stdout).unwrap();
        json_schema::check(&document);
        document
    }

    /// The same, whatever the exit status.
    pub fn json_of(&self, arguments: &[&str]) -> Value {
        let ran = self.run(&[arguments, &["--json"]].concat());
        let document = serde_json::from_str(&ran.stdout).unwrap_or_else(|_| panic!("{}{}", ran.stdout, ran.stderr));
        json_schema::check(&document);
        document
    }

    pub fn sheet(&self, name: &str) -> Sheet {
        let bytes = self.bytes(name);
        let mut reader = csv::ReaderBuilder::new().from_reader(&bytes[..]);
        let text = |record: &csv::StringRecord| record.iter().map(str::to_owned).collect();
        let header = text(reader.headers().unwrap());
        Sheet { header, rows: reader.records().map(|record| text(&record.unwrap())).collect() }
    }
}

impl Ran {
    /// What a command left that has ended.
    pub fn of(output: &Output) -> Ran {
        let text = |bytes: &[u8]| String::from_utf8(bytes.to_vec()).unwrap();
        Ran { status: output.status.code().unwrap_or(-1), stdout: text(&output.stdout), stderr: text(&output.stderr) }
    }
}

impl Sheet {
    /// The cells of one column.
    pub fn column(&self, name: &str) -> Vec<&str> {
        let place = self.header.iter().position(|header| header == name);
        let place = place.unwrap_or_else(|| panic!("no column {name} in {:?}", self.header));
        self.rows.iter().map(|row| row[place].as_str()).collect()
    }

    /// The cells of some columns, row by row.
    pub fn columns<const N: usize>(&self, names: [&str; N]) -> Vec<[&str; N]> {
        let columns = names.map(|name| self.column(name));
        (0..self.rows.len()).map(|row| std::array::from_fn(|index| columns[index][row])).collect()
    }
}

/// A job with one source and what else is wanted.
pub fn job_with(more: &str) -> String {
    // Where a rule is looked at, writing nobody is an answer.
    let guard = if more.contains("[guard]") { "" } else { "[guard]\nwrite_at_least = 0\n" };
    format!(
        "[job]\nname = \"fair\"\n\n[[source]]\nname = \"shop\"\nfiles = [\"shop.csv\"]\n\n[[write]]\nfile = \"out.csv\"\n\n{more}\n{guard}"
    )
}

/// The domain of a public mailbox provider.
pub fn provider() -> String {
    let data = include_str!("../../../values/src/data/mailbox_providers.txt");
    let mut lines = data.lines().filter(|line| !line.starts_with('#'));
    lines.next().unwrap().split_whitespace().next().unwrap().to_owned()
}
