//! What can be typed behind `bank`.

use super::shared::{Accepting, Reading};
use clap::{Args, Subcommand};
use std::ffi::OsString;
use std::path::PathBuf;

#[derive(Args, Debug)]
#[command(args_conflicts_with_subcommands = true)]
pub struct BankCommand {
    #[command(subcommand)]
    pub action: Option<BankAction>,
}

#[derive(Subcommand, Debug)]
pub enum BankAction {
    /// Hold single addresses, domains or phone numbers
    Add(BankAdd),
    /// Take in a file: who must not be contacted, opted out, bounced, complained, or was sent a mailing
    Load(Box<BankLoad>),
    /// Take a batch back, the whole of it
    Undo(BankUndo),
    /// Let one person or domain be contacted again
    Remove(BankRemove),
    /// Everything that is known of an address, domain or phone number
    Find(BankFind),
    /// List entries, all or those of a condition
    List(BankList),
    /// List the batches, the latest first
    Batches,
    /// Say that what a run prepared was sent
    Sent(BankSent),
    /// Forget a person but for a digest, so that the person stays uncontacted
    Forget(BankForget),
    /// What was done to the bank, the latest first
    History(BankHistory),
    /// Write all entries to a CSV file
    Export(BankExport),
    /// Copy the bank into a new file
    Backup(BankBackup),
    /// Make a bank, also in a database that several machines reach
    Init(BankInit),
    /// Copy a whole bank into another one: from a file into a database, or back
    Copy(BankCopy),
    /// Write a copy that a run goes on with where the bank cannot be reached
    Snapshot(BankSnapshot),
}

/// Whose entries they are.
#[derive(Args, Debug, Clone, Default)]
pub struct Scope {
    /// The client or brand [default: everyone]
    #[arg(long, value_name = "NAME")]
    pub scope: Option<String>,
    /// The scope is a new one
    #[arg(long, requires = "scope")]
    pub new_scope: bool,
}

#[derive(Args, Debug)]
pub struct BankAdd {
    /// Addresses, domains or phone numbers; - reads them from standard input, one a line or as JSON Lines
    #[arg(required = true, value_name = "VALUE")]
    pub values: Vec<String>,
    /// Why they are held: do-not-contact, opted-out, bounced, complained
    #[arg(long = "as", value_name = "REASON", default_value = "do-not-contact")]
    pub what: String,
    #[command(flatten)]
    pub scope: Scope,
    /// The last day on which it holds: 2026-12-31
    #[arg(long, value_name = "DAY")]
    pub until: Option<String>,
    /// A note
    #[arg(long, value_name = "TEXT")]
    pub note: Option<String>,
    /// The country of phone numbers that name none: GB
    #[arg(long, value_name = "CC")]
    pub country: Option<String>,
    #[command(flatten)]
    pub accepting: Accepting,
}

#[derive(Args, Debug)]
#[allow(clippy::struct_excessive_bools)] // each is an option as it is typed
pub struct BankLoad {
    /// The files, patterns for files, mailboxes or folders of bounce messages; - is standard input
    #[arg(required = true, value_name = "FILE")]
    pub files: Vec<String>,
    /// What they hold: do-not-contact, opted-out, bounced, complained, sent; or verdicts, as a checking service sent them back
    #[arg(long = "as", value_name = "REASON", required = true)]
    pub what: String,
    #[command(flatten)]
    pub scope: Scope,
    /// The mailing that was sent
    #[arg(long, value_name = "NAME")]
    pub campaign: Option<String>,
    /// The day on which it happened [default: a date column, else today]
    #[arg(long, value_name = "DAY")]
    pub on: Option<String>,
    /// The last day on which the entries hold: 2026-12-31, or the column that says it
    #[arg(long, value_name = "DAY|COLUMN")]
    pub until: Option<String>,
    /// Compare by phone numbers instead of addresses
    #[arg(long)]
    pub by_phone: bool,
    /// The column that says what happened, such as hard or soft bounces; none for no column, so that every row counts
    #[arg(long, value_name = "COLUMN")]
    pub status: Option<String>,
    /// What a word of that column means: bounced, soft-bounce, complained, opted-out, do-not-contact, sent or nothing; of
    /// verdicts: valid, invalid, risky or unknown
    #[arg(long, value_name = "WORD=KIND")]
    pub status_means: Vec<String>,
    /// Which rows count: 'status is refused'
    #[arg(long = "where", value_name = "CONDITION")]
    pub condition: Option<String>,
    /// A note
    #[arg(long, value_name = "TEXT")]
    pub note: Option<String>,
    /// Change nothing unless there are exactly this many entries
    #[arg(long, value_name = "N")]
    pub expect: Option<u64>,
    /// Load a file that was loaded before
    #[arg(long)]
    pub again: bool,
    /// Where to write who is in files prepared or sent lately and is held now, for removal at the sending service
    #[arg(long, value_name = "FILE")]
    pub take_out: Option<PathBuf>,
    #[command(flatten)]
    pub accepting: Accepting,
    /// Show what would happen; change nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Do not ask
    #[arg(long)]
    pub yes: bool,
    #[command(flatten)]
    pub reading: Reading,
}

#[derive(Args, Debug)]
pub struct BankUndo {
    /// The number of the batch, as pebblebank bank batches shows it
    #[arg(value_name = "BATCH")]
    pub batch: i64,
}

/// Whom a command is about.
#[derive(Args, Debug)]
pub struct Named {
    /// The address, domain or phone number
    #[arg(value_name = "VALUE")]
    pub value: String,
    /// The country of phone numbers that name none: GB
    #[arg(long, value_name = "CC")]
    pub country: Option<String>,
}

#[derive(Args, Debug)]
pub struct BankRemove {
    #[command(flatten)]
    pub named: Named,
    /// In this scope alone [default: in all]
    #[arg(long, value_name = "NAME")]
    pub scope: Option<String>,
    /// How the person came back; needed for who opted out or complained
    #[arg(long, value_name = "TEXT")]
    pub note: Option<String>,
}

#[derive(Args, Debug)]
pub struct BankFind {
    #[command(flatten)]
    pub named: Named,
}

#[derive(Args, Debug)]
pub struct BankList {
    /// Which entries: 'reason is opted-out and scope is larkfold and added since 2026-01-01'
    #[arg(long = "where", value_name = "CONDITION")]
    pub condition: Option<String>,
    /// The most to show; 0 for all
    #[arg(long, value_name = "N", default_value_t = 40)]
    pub most: u64,
}

#[derive(Args, Debug)]
pub struct BankSent {
    /// The receipt of the run whose file was sent
    #[arg(value_name = "RECEIPT")]
    pub receipt: PathBuf,
    /// The day on which it was sent [default: today]
    #[arg(long, value_name = "DAY")]
    pub on: Option<String>,
    /// The mailing [default: the campaign of the job, else its name]
    #[arg(long, value_name = "NAME")]
    pub campaign: Option<String>,
}

#[derive(Args, Debug)]
pub struct BankForget {
    #[command(flatten)]
    pub named: Named,
    /// Do not ask
    #[arg(long)]
    pub yes: bool,
}

#[derive(Args, Debug)]
pub struct BankHistory {
    /// The most to show; 0 for all
    #[arg(long, value_name = "N", default_value_t = 40)]
    pub most: u64,
    /// Only what this user of the database did; without a name, yourself
    #[arg(long, value_name = "USER", num_args = 0..=1, default_missing_value = "")]
    pub by: Option<String>,
}

#[derive(Args, Debug)]
pub struct BankInit {
    /// The bank [default: as --bank says]
    #[arg(value_name = "BANK")]
    pub named: Option<OsString>,
    /// Print the statements that make it in a database, for whoever runs the server; do nothing
    #[arg(long)]
    pub print_sql: bool,
}

#[derive(Args, Debug)]
pub struct BankCopy {
    /// The bank that is copied: a file, or `postgres://user@host/database`
    #[arg(value_name = "FROM")]
    pub from: OsString,
    /// The bank that it is copied into, which is empty or not there yet
    #[arg(value_name = "TO")]
    pub to: OsString,
    /// Do not ask
    #[arg(long)]
    pub yes: bool,
}

#[derive(Args, Debug)]
pub struct BankSnapshot {
    /// The file
    #[arg(value_name = "FILE")]
    pub file: PathBuf,
    /// Replace an earlier copy
    #[arg(long)]
    pub replace: bool,
}

#[derive(Args, Debug)]
pub struct BankExport {
    /// The file to write
    #[arg(value_name = "FILE")]
    pub file: PathBuf,
    /// Which entries: 'scope is larkfold'
    #[arg(long = "where", value_name = "CONDITION")]
    pub condition: Option<String>,
    /// Replace a file that exists
    #[arg(long)]
    pub replace: bool,
}

#[derive(Args, Debug)]
pub struct BankBackup {
    /// The new file
    #[arg(value_name = "FILE")]
    pub file: PathBuf,
}
