//! What can be typed after the commands that ask receipts, and after those for the shell.

use clap::Args;
use clap_complete::Shell;
use std::path::PathBuf;

#[derive(Args, Debug)]
pub struct Review {
    /// The receipt of a run
    #[arg(value_name = "RECEIPT")]
    pub receipt: PathBuf,
    /// The file that decisions are kept in [default: the one that the job names, else decisions.csv beside the receipt]
    #[arg(long, value_name = "FILE")]
    pub decisions: Option<PathBuf>,
    /// Take one person out by hand, instead of going through the pairs: an address, or "phone = +442079460001"
    #[arg(long, value_name = "PERSON", requires = "note")]
    pub take_out: Option<String>,
    /// Undo --take-out for this person
    #[arg(long, value_name = "PERSON", conflicts_with = "take_out")]
    pub take_back: Option<String>,
    /// Why the person is taken out
    #[arg(long, value_name = "TEXT", requires = "take_out")]
    pub note: Option<String>,
}

#[derive(Args, Debug)]
pub struct Why {
    /// An address; or a phone number, a name, a contact id: any value of a row
    #[arg(value_name = "WHO")]
    pub who: String,
    /// The receipt of the run; a pattern gives the history: 'out/*.receipt' [default: those in this folder and one below]
    #[arg(long = "receipt", num_args = 1.., value_name = "DIR")]
    pub receipts: Vec<String>,
}

#[derive(Args, Debug)]
pub struct Changes {
    /// The receipt of a run
    #[arg(value_name = "RECEIPT")]
    pub receipt: PathBuf,
    /// The receipt to compare it with [default: RECEIPT.previous, which a run with --replace keeps]
    #[arg(value_name = "EARLIER")]
    pub earlier: Option<PathBuf>,
    /// A folder for new.csv, the rows to import, and gone.csv, the addresses to remove at the service
    #[arg(short, long, value_name = "FOLDER")]
    pub output: Option<PathBuf>,
    /// Replace these files if they exist
    #[arg(long, requires = "output")]
    pub replace: bool,
}

#[derive(Args, Debug)]
pub struct ReportPage {
    /// The receipt of a run
    #[arg(value_name = "RECEIPT")]
    pub receipt: PathBuf,
    /// The page to write [default: beside the receipt, with .html]
    #[arg(short, long, value_name = "PAGE")]
    pub output: Option<PathBuf>,
    /// Show addresses whole, and not as i…@post.example
    #[arg(long)]
    pub show_addresses: bool,
    /// Replace the page if it exists
    #[arg(long)]
    pub replace: bool,
}

#[derive(Args, Debug)]
pub struct Completions {
    /// The shell: bash, elvish, fish, powershell or zsh
    #[arg(value_name = "SHELL", value_enum)]
    pub shell: Shell,
}

#[derive(Args, Debug)]
pub struct Schema {
    /// job, layout, or a document such as tally; without it, their names are listed
    #[arg(value_name = "NAME")]
    pub name: Option<String>,
    /// The file to write [default: print it]
    #[arg(short, long, value_name = "FILE", requires = "name")]
    pub output: Option<PathBuf>,
    /// Replace the file if it exists
    #[arg(long, requires = "output")]
    pub replace: bool,
}

#[derive(Args, Debug)]
pub struct Man {
    /// The folder to write the pages into
    #[arg(value_name = "DIR")]
    pub folder: PathBuf,
    /// Replace pages that exist
    #[arg(long)]
    pub replace: bool,
}
