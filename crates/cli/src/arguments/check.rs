//! What can be typed after `check`.

use super::shared::{Part, Reading, Remembered, Writing};
use clap::Args;
use pebblebank_core::job::verdict_rules;
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
    /// The file to write: every row that was checked, with its verdict, the reason, the day, and what was likely meant
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
    /// A file for the addresses that are not invalid already, once each, to hand to somebody who checks mailboxes
    #[arg(long, value_name = "FILE")]
    pub to_check: Option<PathBuf>,
    /// What one of them costs there, to say what all would cost: 0.004
    #[arg(long, value_name = "PRICE", value_parser = parse_price, requires = "to_check")]
    pub price: Option<f64>,
    /// How far the check goes: syntax asks nobody; domain asks DNS whether each domain takes mail
    #[arg(long, value_name = "LEVEL", value_parser = parse_level, default_value = "syntax")]
    pub level: Level,
    /// How many days an answer about a domain is believed before it is asked for again
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
    pub remembered: Remembered,
    #[command(flatten)]
    pub reading: Reading,
}

impl Check {
    /// How long an answer is waited for.
    pub fn patience(&self) -> Duration {
        Duration::from_secs(self.patience)
    }
}

fn parse_verdict(text: &str) -> Result<Verdict, String> {
    Verdict::from_str(text).map_err(|_| "write valid, invalid, risky or unknown".to_owned())
}

fn parse_level(text: &str) -> Result<Level, String> {
    Level::from_str(text).map_err(|_| "write syntax or domain".to_owned())
}

fn parse_price(text: &str) -> Result<f64, String> {
    let price = text.trim().replace(',', ".").parse::<f64>().ok();
    price.filter(|price| price.is_finite() && *price >= 0.0).ok_or_else(|| "write a price such as 0.004".to_owned())
}

/// `30d`, or `30`.
fn parse_days(text: &str) -> Result<u32, String> {
    verdict_rules::days(text).ok_or_else(|| "write a number of days, such as 30d; 0d asks for all anew".to_owned())
}

fn parse_server(text: &str) -> Result<SocketAddr, String> {
    /// RFC 1035, section 4.2.
    const PORT: u16 = 53;
    let alone = || text.parse::<IpAddr>().map(|address| SocketAddr::new(address, PORT));
    text.parse().or_else(|_| alone()).map_err(|_| "write an address such as 192.0.2.53 or 127.0.0.1:5300".to_owned())
}
