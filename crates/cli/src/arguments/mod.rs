//! What can be typed. Only records it; the commands make a job of it.

mod bank;
mod check;
pub(crate) mod help;
mod receipts;
pub(crate) mod shared;

pub use bank::{
    BankAction, BankAdd, BankCommand, BankCopy, BankExport, BankFind, BankForget, BankInit, BankList, BankLoad,
    BankRemove, BankSent, BankSnapshot, BankUndo, Named, Scope,
};

pub use check::Check;
pub use receipts::{Changes, Completions, Man, ReportPage, Review, Schema, Why};

use clap::{Args, Parser, Subcommand, ValueEnum};
pub use shared::Remembered;
use shared::{Accepting, ForSpreadsheet, Part, Previewing, Reading, Writing};
use std::ffi::OsString;
use std::path::PathBuf;

/// Makes one import file out of a pile of exported subscriber files, and accounts for every row.
#[derive(Parser, Debug)]
#[command(version, disable_help_subcommand = true, max_term_width = 100)]
pub struct Arguments {
    #[command(subcommand)]
    pub command: Option<Command>,
    #[command(flatten)]
    pub shared: Shared,
}

#[derive(Subcommand, Debug)]
pub enum Command {
    /// Show what is in files: format, columns, what looks wrong
    Survey(Survey),
    /// Propose a job file from what is in files
    Propose(Propose),
    /// Do the whole job that a job file describes
    Run(Run),
    /// Merge files, clean values, drop blanks and duplicates, without a job file
    Clean(Clean),
    /// Compare lists: who is in both, who is new
    Compare(Compare),
    /// Add the people that a master list lacks
    TopUp(TopUp),
    /// Take people out of a list: those on other lists, and those in the bank
    Suppress(Suppress),
    /// Split a list by value, by number of rows, or at random
    Split(Split),
    /// Say whether a file is fit to be imported now: columns, addresses, duplicates, and people who must not be contacted
    Preflight(Preflight),
    /// Find the addresses that mail will not reach: by their form, by DNS, or by asking mail servers
    Check(Check),
    /// Decide on likely duplicates one by one: the same person or two people
    Review(Review),
    /// Tell what became of a person in a run: every row, why, and what was written
    Why(Why),
    /// Show what changed since the run before: who is new, who is gone and why
    Changes(Changes),
    /// Write a run as one HTML page, for a colleague
    Report(ReportPage),
    /// Remember who must not be contacted and who was written to
    Bank(BankCommand),
    /// Write the demo data and run the full example on it
    Demo(Demo),
    /// Print the script by which a shell completes commands and options
    Completions(Completions),
    /// Print the JSON Schema of job files or of a JSON document
    Schema(Schema),
    /// Write the manual as man pages
    Man(Man),
}

/// Options of every command.
#[derive(Args, Debug, Clone)]
#[command(next_help_heading = "Options of every command")]
pub struct Shared {
    /// Print one JSON document instead of text
    #[arg(long, global = true)]
    pub json: bool,
    /// Print nothing but errors
    #[arg(long, short, global = true)]
    pub quiet: bool,
    /// Show everything, and log each stage on stderr
    #[arg(long, global = true)]
    pub verbose: bool,
    /// When to use colour
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub color: Color,
    /// The most memory to use, such as 800MiB or 2GiB
    #[arg(long, global = true, value_name = "SIZE", default_value = "1GiB", value_parser = parse_memory)]
    pub memory: u64,
    /// The bank: a file, or `postgres://user@host/database` [default: `PEBBLEBANK_BANK` in the environment, else in the user's
    /// data folder]
    #[arg(long, global = true, value_name = "BANK")]
    pub bank: Option<OsString>,
    /// The number of threads; the result is the same for any number
    #[arg(long, global = true, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=256))]
    pub threads: Option<u16>,
}

#[derive(ValueEnum, Debug, Clone, Copy, PartialEq, Eq)]
pub enum Color {
    /// Where the terminal has it and `NO_COLOR` is not set
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

#[derive(Args, Debug)]
pub struct Survey {
    /// The files, patterns for files, or members of an archive (exports.zip/shop*.csv); - is standard input
    #[arg(required = true, value_name = "FILE")]
    pub files: Vec<String>,
    /// Count the domains of the addresses
    #[arg(long)]
    pub domains: bool,
    /// Count the values of this field or column
    #[arg(long, value_name = "FIELD")]
    pub values: Option<String>,
    #[command(flatten)]
    pub reading: Reading,
}

#[derive(Args, Debug)]
pub struct Propose {
    /// The files, patterns for files, or members of an archive (exports.zip/shop*.csv)
    #[arg(required_unless_present = "layout", value_name = "FILE")]
    pub files: Vec<String>,
    /// A template, or the last import file that was accepted: its columns and forms become the layout; without FILE that alone
    /// is proposed
    #[arg(long, value_name = "TEMPLATE")]
    pub layout: Option<PathBuf>,
    /// The job file to write [default: show it]
    #[arg(short, long, value_name = "JOB.toml")]
    pub output: Option<PathBuf>,
    /// What the job is called [default: after the job file]
    #[arg(long, value_name = "NAME")]
    pub name: Option<String>,
    /// Replace a job file that exists
    #[arg(long)]
    pub replace: bool,
    #[command(flatten)]
    pub reading: Reading,
}

#[derive(Args, Debug)]
pub struct Run {
    /// The job file (TOML)
    pub job: PathBuf,
    /// Show what would happen and the first rows; write nothing
    #[arg(long)]
    pub dry_run: bool,
    #[command(flatten)]
    pub previewing: Previewing,
    /// Replace outputs that exist; the earlier receipt is kept as .previous
    #[arg(long)]
    pub replace: bool,
    /// The folder for the receipt, instead of what the job says
    #[arg(long, value_name = "DIR")]
    pub receipt: Option<PathBuf>,
    /// Also write the run as an HTML page beside the receipt
    #[arg(long)]
    pub report: bool,
    #[command(flatten)]
    pub spreadsheet: ForSpreadsheet,
    #[command(flatten)]
    pub accepting: Accepting,
    #[command(flatten)]
    pub remembered: Remembered,
}

#[derive(Args, Debug)]
#[allow(clippy::struct_excessive_bools)] // each is an option as it is typed
pub struct Clean {
    /// The exported files; - is standard input
    #[arg(required = true, value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// The import file to write
    #[arg(short, long, value_name = "OUT")]
    pub output: PathBuf,
    /// The fields that a contact must have [default: email]
    #[arg(long, value_name = "FIELDS", value_delimiter = ',')]
    pub require: Option<Vec<String>>,
    /// Which values make two rows the same person: any of these keys [default: email]
    #[arg(long, value_name = "KEYS", value_delimiter = ',')]
    pub same: Option<Vec<String>>,
    /// Which row of a person survives: first-read, last-read, newest or fullest [default: first-read]
    #[arg(long, value_name = "RULE")]
    pub survivor: Option<String>,
    /// Fill the survivor's blank fields from the other rows of the person
    #[arg(long)]
    pub fill: bool,
    /// Write only the people with several rows, with all their rows, to look at before anything is merged
    #[arg(long, conflicts_with_all = ["fill", "require", "condition", "rows", "first", "sample", "sort", "layout", "columns", "like", "set_aside", "receipt"])]
    pub only_duplicates: bool,
    /// Suggested repairs of addresses to make after all, such as domain-typo
    #[arg(long, value_name = "RULES", value_delimiter = ',')]
    pub apply: Vec<String>,
    /// Which contacts to write: 'country is GB and tags has member'
    #[arg(long = "where", value_name = "CONDITION")]
    pub condition: Option<String>,
    #[command(flatten)]
    pub part: Part,
    /// Write the first N contacts that lack nothing, in the order in which they were read
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..), conflicts_with = "sample")]
    pub first: Option<u64>,
    /// Write N contacts picked at random
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub sample: Option<u64>,
    /// The same seed picks the same people
    #[arg(long, value_name = "SEED", default_value_t = 1, requires = "sample")]
    pub seed: u64,
    #[arg(help = "What to sort by: 'last_name, signed_up descending' [default: as read]")]
    #[arg(long, value_name = "FIELDS")]
    pub sort: Option<String>,
    /// The columns to write: a .toml file, or JOB.toml:NAME for a layout of a job
    #[arg(long, value_name = "LAYOUT", conflicts_with = "columns")]
    pub layout: Option<String>,
    /// The fields and columns to write, in order, also under other names: "Email Address=email,city"
    #[arg(long, value_name = "LIST", value_delimiter = ',')]
    pub columns: Option<Vec<String>>,
    /// Write the columns and forms of this template, or of an import file that was accepted
    #[arg(long, value_name = "TEMPLATE", conflicts_with_all = ["layout", "columns"])]
    pub like: Option<PathBuf>,
    /// Where to write the rows set aside [default: OUT.set-aside.csv]
    #[arg(long, value_name = "FILE")]
    pub set_aside: Option<PathBuf>,
    /// A folder for the whole receipt: tally, set-aside and merged rows, repairs
    #[arg(long, value_name = "DIR")]
    pub receipt: Option<PathBuf>,
    /// Follow the decisions about people that pebblebank review wrote
    #[arg(long, value_name = "FILE")]
    pub decisions: Option<PathBuf>,
    #[command(flatten)]
    pub accepting: Accepting,
    #[command(flatten)]
    pub writing: Writing,
    #[command(flatten)]
    pub spreadsheet: ForSpreadsheet,
    /// Show what would happen and the first rows; write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Replace outputs that exist
    #[arg(long)]
    pub replace: bool,
    #[command(flatten)]
    pub remembered: Remembered,
    #[command(flatten)]
    pub reading: Reading,
}

#[derive(Args, Debug)]
pub struct Compare {
    /// The lists. Each is named after its file, or as you say: walkers=guided-walks.csv
    #[arg(required = true, num_args = 2.., value_name = "LIST")]
    pub lists: Vec<String>,
    /// The field that people are compared by [default: email]; FIELD=COLUMN where the other lists call it differently
    #[arg(long, value_name = "FIELD[=COLUMN]")]
    pub by: Option<String>,
    /// Which people to write: 'in walkers and not in shop'
    #[arg(long = "where", value_name = "CONDITION")]
    pub condition: Option<String>,
    #[command(flatten)]
    pub part: Part,
    /// Write these people, a row each, with yes or no for each list
    #[arg(short, long, value_name = "OUT")]
    pub output: Option<PathBuf>,
    /// Write the first list's own rows, in their order, with those columns added
    #[arg(long, requires = "output")]
    pub mark: bool,
    /// The columns to write: a .toml file, or JOB.toml:NAME for a layout of a job
    #[arg(long, value_name = "LAYOUT", conflicts_with_all = ["columns", "mark"])]
    pub layout: Option<String>,
    /// The fields and columns to write, in order, also under other names: "Email Address=email"; 'in walkers' is a list's column
    #[arg(long, value_name = "LIST", value_delimiter = ',', conflicts_with = "mark")]
    pub columns: Option<Vec<String>>,
    #[arg(help = "What to sort by: 'last_name, signed_up descending' [default: as read]")]
    #[arg(long, value_name = "FIELDS", conflicts_with = "mark")]
    pub sort: Option<String>,
    /// Where to write the rows that were not picked, or that have nothing to compare
    #[arg(long, value_name = "FILE", conflicts_with = "mark", requires = "output")]
    pub set_aside: Option<PathBuf>,
    #[command(flatten)]
    pub writing: Writing,
    /// Count, and write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Replace outputs that exist
    #[arg(long)]
    pub replace: bool,
    #[command(flatten)]
    pub remembered: Remembered,
    #[command(flatten)]
    pub reading: Reading,
}

#[derive(Args, Debug)]
pub struct TopUp {
    /// The master list: its rows stay byte for byte and in order
    #[arg(value_name = "MASTER")]
    pub master: String,
    /// The files with new people, the most trusted first
    #[arg(long, required = true, num_args = 1.., value_name = "NEW")]
    pub from: Vec<String>,
    /// The file to write
    #[arg(short, long, value_name = "OUT")]
    pub output: PathBuf,
    /// Lists of people who must not be added
    #[arg(long, num_args = 1.., value_name = "FILE")]
    pub against: Vec<String>,
    #[command(flatten)]
    pub accepting: Accepting,
    /// Fill the master's blank cells from the new rows, and list them
    #[arg(long)]
    pub update: bool,
    /// Which values make two rows the same person: any of these keys [default: email]
    #[arg(long, value_name = "KEYS", value_delimiter = ',')]
    pub same: Option<Vec<String>>,
    /// Which of several new rows of a person is added: first-read, last-read, newest or fullest [default: first-read]
    #[arg(long, value_name = "RULE")]
    pub survivor: Option<String>,
    /// The fields that a new contact must have [default: email]
    #[arg(long, value_name = "FIELDS", value_delimiter = ',')]
    pub require: Option<Vec<String>>,
    #[command(flatten)]
    pub previewing: Previewing,
    /// Where to write the new rows that were not added for a reason [default: OUT.set-aside.csv]
    #[arg(long, value_name = "FILE")]
    pub set_aside: Option<PathBuf>,
    /// Show what would happen; write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Replace outputs that exist
    #[arg(long)]
    pub replace: bool,
    #[command(flatten)]
    pub remembered: Remembered,
    /// How the new files and the lists are read; the master is recognised by itself
    #[command(flatten)]
    pub reading: Reading,
}

#[derive(Args, Debug)]
#[allow(clippy::struct_excessive_bools)] // each is an option
pub struct Suppress {
    /// The list; - is standard input
    #[arg(value_name = "LIST")]
    pub list: String,
    /// The lists of people to take out: addresses, domains, hashes; none to take out those whom the bank holds
    #[arg(long, num_args = 1.., value_name = "FILE")]
    pub against: Vec<String>,
    /// The file to write
    #[arg(short, long, value_name = "OUT")]
    pub output: PathBuf,
    /// Why they are taken out [default: do-not-contact]
    #[arg(long, value_name = "REASON", requires = "against")]
    pub reason: Option<String>,
    /// The column that says the reason of each entry, as in one export of sent, bounced and unsubscribed
    #[arg(long, value_name = "COLUMN", requires = "against", conflicts_with = "by")]
    pub reason_from: Option<String>,
    /// The field that people are compared by [default: email]; FIELD=COLUMN where the other lists call it differently
    #[arg(long, value_name = "FIELD[=COLUMN]", requires = "against")]
    pub by: Option<String>,
    /// Which rows of the lists count: 'status is refused'
    #[arg(long = "where", value_name = "CONDITION", requires = "against")]
    pub condition: Option<String>,
    /// The columns to write, in order, also under other names: "Email Address=email,city" [default: all]
    #[arg(long, value_name = "LIST", value_delimiter = ',')]
    pub columns: Option<Vec<String>>,
    #[command(flatten)]
    pub part: Part,
    #[command(flatten)]
    pub writing: Writing,
    /// Keep all rows, and add columns with the reason and the list
    #[arg(long)]
    pub mark: bool,
    /// What happens to contacts that are one typo from an entry
    #[arg(long, value_name = "WHAT", default_value = "report")]
    pub near_miss: NearMiss,
    #[command(flatten)]
    pub accepting: Accepting,
    /// Where to write the rows taken out [default: OUT.set-aside.csv]
    #[arg(long, value_name = "FILE", conflicts_with = "mark")]
    pub set_aside: Option<PathBuf>,
    /// Put an apostrophe before cells that a spreadsheet would run as formulas
    #[arg(long)]
    pub defuse: bool,
    /// Show what would happen; write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Replace outputs that exist
    #[arg(long)]
    pub replace: bool,
    #[command(flatten)]
    pub remembered: Remembered,
    #[command(flatten)]
    pub reading: Reading,
}

#[derive(ValueEnum, Debug, Clone, Copy, PartialEq, Eq)]
pub enum NearMiss {
    /// They are reported
    Report,
    /// They are taken out too
    SetAside,
    /// They are not looked for
    Ignore,
}

#[derive(Args, Debug)]
#[command(group = clap::ArgGroup::new("how").required(true).args(["by", "rows_per_file", "parts"]))]
pub struct Split {
    /// The list; - is standard input
    #[arg(value_name = "LIST")]
    pub list: String,
    /// One file for each value of this field or column; domain is that of the address
    #[arg(long, value_name = "FIELD")]
    pub by: Option<String>,
    /// Of a date: one file for each year, month or day
    #[arg(long, value_name = "PERIOD", requires = "by")]
    pub every: Option<Period>,
    /// This number of rows to a file, in their order
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub rows_per_file: Option<u64>,
    /// Split at random into N files of the same size
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..=400))]
    pub parts: Option<u64>,
    /// The same seed gives the same parts
    #[arg(long, value_name = "SEED", default_value_t = 1, requires = "parts")]
    pub seed: u64,
    /// Put values with fewer than N rows into one file
    #[arg(long, value_name = "N", default_value_t = 1, requires = "by")]
    pub at_least: u64,
    #[command(flatten)]
    pub part: Part,
    /// The columns to write, in order, also under other names: "Email Address=email,city" [default: all]
    #[arg(long, value_name = "LIST", value_delimiter = ',')]
    pub columns: Option<Vec<String>>,
    #[command(flatten)]
    pub writing: Writing,
    /// The folder to write into [default: that of the list]
    #[arg(short, long, value_name = "DIR")]
    pub output: Option<PathBuf>,
    /// Put an apostrophe before cells that a spreadsheet would run as formulas
    #[arg(long)]
    pub defuse: bool,
    /// Show which files there would be; write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Replace files that exist
    #[arg(long)]
    pub replace: bool,
    #[command(flatten)]
    pub remembered: Remembered,
    #[command(flatten)]
    pub reading: Reading,
}

#[derive(Args, Debug)]
pub struct Preflight {
    /// The file that is about to be imported, whatever program made it
    #[arg(value_name = "FILE")]
    pub file: String,
    /// The layout that the file must have: a .toml file, or JOB.toml:NAME for a layout in a job
    #[arg(long, value_name = "LAYOUT")]
    pub layout: Option<String>,
    /// A template, or an import file that was accepted, whose columns and forms the file must have
    #[arg(long, value_name = "TEMPLATE", conflicts_with = "layout")]
    pub like: Option<PathBuf>,
    /// Lists of people who must not be in it, besides those in the bank
    #[arg(long, num_args = 1.., value_name = "FILE")]
    pub against: Vec<String>,
    /// The receipt of the run that wrote the file, to say what changed since
    #[arg(long, value_name = "DIR")]
    pub receipt: Option<PathBuf>,
    #[command(flatten)]
    pub accepting: Accepting,
    #[command(flatten)]
    pub remembered: Remembered,
    #[command(flatten)]
    pub reading: Reading,
}

/// How much of a date makes a part.
#[derive(ValueEnum, Debug, Clone, Copy, PartialEq, Eq)]
pub enum Period {
    /// 2026
    Year,
    /// 2026-03
    Month,
    /// 2026-03-05
    Day,
}

#[derive(Args, Debug)]
pub struct Demo {
    /// The folder to write the demo into
    #[arg(default_value = "pebblebank-demo", value_name = "DIR")]
    pub folder: PathBuf,
}

fn parse_memory(text: &str) -> Result<u64, String> {
    let smallest = 64 << 20;
    match pebblebank_core::job::memory::parse(text) {
        Some(bytes) if bytes >= smallest => Ok(bytes),
        Some(_) => Err("at least 64MiB are needed".to_owned()),
        None => Err("write a size such as 800MiB or 2GiB".to_owned()),
    }
}
