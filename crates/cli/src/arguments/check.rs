//! What can be typed after `check`.

use super::shared::{Part, Reading, Remembered, Writing};
use clap::Args;
use pebblebank_check::smtp::{self, Presenting, Probing};
use pebblebank_core::job::verdict_rules;
use pebblebank_core::run::setting::wrong_use;
use pebblebank_table::Error;
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::address_syntax;
use pebblebank_values::verdict::{Level, Verdict};
use std::net::{IpAddr, SocketAddr};
use std::path::PathBuf;
use std::str::FromStr;
use std::time::Duration;

#[derive(Args, Debug)]
pub struct Check {
    /// The list; - is standard input
    #[arg(value_name = "LIST")]
    pub list: String,
    /// The file to write: every row checked, with its verdict, reason, day and suggestion
    #[arg(short, long, value_name = "OUT")]
    pub output: Option<PathBuf>,
    /// Write only the rows with this verdict: valid, invalid, risky or unknown
    #[arg(long, value_name = "VERDICT", value_parser = parse_verdict, requires = "output")]
    pub only: Option<Verdict>,
    /// A file for the rows that are valid
    #[arg(long, value_name = "FILE")]
    pub good: Option<PathBuf>,
    /// A file for all other rows
    #[arg(long, value_name = "FILE")]
    pub bad: Option<PathBuf>,
    /// A file for a checking service: each address once that is not invalid or known already
    #[arg(long, value_name = "FILE")]
    pub to_check: Option<PathBuf>,
    /// What one of them costs there, to say what all would cost: 0.004
    #[arg(long, value_name = "PRICE", value_parser = parse_price, requires = "to_check")]
    pub price: Option<f64>,
    /// How far to go: syntax asks nobody, domain asks DNS, mailbox asks the mail servers too
    #[arg(long, value_name = "LEVEL", value_parser = parse_level, default_value = "syntax")]
    pub level: Level,
    /// How many days an answer is believed before it is asked for again
    #[arg(long, value_name = "DAYS", value_parser = parse_days, default_value = "30d")]
    pub max_age: u32,
    /// The DNS server to ask [default: those of the system]
    #[arg(long, value_name = "ADDRESS[:PORT]", value_parser = parse_server)]
    pub resolver: Option<SocketAddr>,
    /// How many domains are asked for at once
    #[arg(long, value_name = "N", default_value_t = 64, value_parser = clap::value_parser!(u16).range(1..=1000))]
    pub at_once: u16,
    /// How many domains are asked for in a second, at most
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..))]
    pub per_second: Option<u32>,
    /// How long an answer is waited for, in seconds; it is asked for twice
    #[arg(long, value_name = "SECONDS", default_value_t = 3, value_parser = clap::value_parser!(u64).range(1..=60))]
    pub patience: u64,
    /// From how many contacts on the sending service costs more, to say what leaving the invalid ones out would save: 1200,4800
    #[arg(long, value_name = "LIST", value_delimiter = ',', value_parser = clap::value_parser!(u64).range(1..))]
    pub steps: Vec<u64>,
    /// End with status 1 where an answer could not be had
    #[arg(long)]
    pub strict: bool,
    /// Which contacts to check: 'country is GB and tags has member'
    #[arg(long = "where", value_name = "CONDITION")]
    pub condition: Option<String>,
    /// Check this number of contacts at most, from the first
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub first: Option<u64>,
    #[command(flatten)]
    pub part: Part,
    /// The columns to write, of the list and of the check, also under other names: "email,verdict,why"
    #[arg(long, value_name = "LIST", value_delimiter = ',')]
    pub columns: Option<Vec<String>>,
    #[command(flatten)]
    pub writing: Writing,
    /// Check and count, and write nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Replace outputs that exist
    #[arg(long)]
    pub replace: bool,
    #[command(flatten)]
    pub mailboxes: Mailboxes,
    #[command(flatten)]
    pub remembered: Remembered,
    #[command(flatten)]
    pub reading: Reading,
}

/// How mail servers are asked, with --level mailbox.
#[derive(Args, Debug)]
#[command(next_help_heading = "Mailboxes")]
pub struct Mailboxes {
    /// The name to greet mail servers with: one that DNS gives for this machine
    #[arg(long, value_name = "NAME", value_parser = parse_hello)]
    pub hello: Option<String>,
    /// The sender to name [default: none, as bounce reports have it]
    #[arg(long, value_name = "ADDRESS", value_parser = parse_sender)]
    pub sender: Option<String>,
    /// How many connections to one mail server begin in a minute, at most
    #[arg(long, value_name = "N", default_value_t = 6, value_parser = clap::value_parser!(u32).range(1..=6000))]
    pub per_minute: u32,
    /// How long a mail server may take to greet, and then for each address, in seconds
    #[arg(long, value_name = "SECONDS", default_value_t = 30, value_parser = clap::value_parser!(u64).range(1..=300))]
    pub mail_patience: u64,
    /// How often to ask again for addresses that a mail server puts off
    #[arg(long, value_name = "N", default_value_t = 2, value_parser = clap::value_parser!(u32).range(0..=10))]
    pub asks_again: u32,
    /// After how many seconds
    #[arg(long, value_name = "SECONDS", default_value_t = 300, value_parser = clap::value_parser!(u64).range(1..=3600))]
    pub asks_again_after: u64,
    /// The port of the mail servers
    #[arg(long, value_name = "PORT", default_value_t = smtp::PORT)]
    pub mail_port: u16,
}

impl Check {
    /// How mail servers are asked; an error where the name to greet with is missing.
    pub fn probing(&self) -> Result<Option<Probing>, Error> {
        if self.level < Level::Mailbox {
            return Ok(None);
        }
        let Mailboxes { hello, sender, per_minute, mail_patience, asks_again, asks_again_after, mail_port } =
            &self.mailboxes;
        let Some(hello) = hello.clone() else {
            let what = "--level mailbox talks to the mail servers of others, and needs a name to greet them with";
            let advice = "add --hello NAME: the name that DNS gives for this machine, such as desk.larkfold.example. docs/check.md                  says when asking is appropriate";
            return Err(wrong_use(what, advice));
        };
        Ok(Some(Probing {
            presenting: Presenting { hello, sender: sender.clone().unwrap_or_default() },
            port: *mail_port,
            at_once: usize::from(self.at_once),
            per_minute: *per_minute,
            patience: Duration::from_secs(*mail_patience),
            tries: *asks_again,
            wait: Duration::from_secs(*asks_again_after),
        }))
    }

    /// How long an answer is waited for.
    pub fn patience(&self) -> Duration {
        Duration::from_secs(self.patience)
    }
}

fn parse_verdict(text: &str) -> Result<Verdict, String> {
    Verdict::from_str(text).map_err(|_| "write valid, invalid, risky or unknown".to_owned())
}

fn parse_level(text: &str) -> Result<Level, String> {
    Level::from_str(text).map_err(|_| "write syntax, domain or mailbox".to_owned())
}

fn parse_price(text: &str) -> Result<f64, String> {
    let price = text.trim().replace(',', ".").parse::<f64>().ok();
    price.filter(|price| price.is_finite() && *price >= 0.0).ok_or_else(|| "write a price such as 0.004".to_owned())
}

/// `30d`, or `30`.
fn parse_days(text: &str) -> Result<u32, String> {
    verdict_rules::days(text).ok_or_else(|| "write a number of days, such as 30d; 0d asks for all anew".to_owned())
}

/// A name that DNS could have (RFC 5321, section 4.1.1.1).
fn parse_hello(text: &str) -> Result<String, String> {
    let name = address_syntax::domain(text.trim()).filter(|name| name.contains('.'));
    name.ok_or_else(|| "write a name such as desk.larkfold.example".to_owned())
}

fn parse_sender(text: &str) -> Result<String, String> {
    let mut cleaner = AddressCleaner::default();
    let address = cleaner.clean(text.as_bytes());
    let is_one = address.is_usable() && address.further.is_empty() && address.identity.is_ascii();
    let identity = is_one.then(|| String::from_utf8_lossy(address.identity).into_owned());
    identity.ok_or_else(|| "write one address, such as desk@larkfold.example".to_owned())
}

fn parse_server(text: &str) -> Result<SocketAddr, String> {
    /// RFC 1035, section 4.2.
    const PORT: u16 = 53;
    let alone = || text.parse::<IpAddr>().map(|address| SocketAddr::new(address, PORT));
    text.parse().or_else(|_| alone()).map_err(|_| "write an address such as 192.0.2.53 or 127.0.0.1:5300".to_owned())
}
