//! That the page of a run was written.

use super::{Screen, Tone};
use crate::documents::document;
use crate::documents::receipts::ReportDocument;
use std::path::Path;

/// Where the page is, and who may read it.
pub fn written(file: &Path, shows_addresses: bool, screen: &Screen) -> String {
    let what = format!("{} shows the run; open it in a browser, or print it", file.display());
    let addresses = if shows_addresses {
        "it has addresses of people, so only you can read the file"
    } else {
        "addresses in it are shortened; --show-addresses shows them whole"
    };
    format!("{}\n  {addresses}\n", screen.paint(Tone::Good, &what))
}

/// One line below the report of a run.
pub fn in_short(file: &Path) -> String {
    format!("  The same as a page: {}\n", file.display())
}

/// The same for programs.
pub fn json(receipt: &Path, file: &Path) -> String {
    document("pebblebank/report/1", ReportDocument { receipt, page: file })
}
