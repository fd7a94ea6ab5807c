//! `pebblebank report RECEIPT`: a run as one HTML page.

use crate::arguments::{ReportPage, Shared};
use crate::finish::Said;
use crate::render::tally::meaning;
use crate::render::{self, Screen};
use crate::setting::{Now, setting};
use pebblebank_report::changes::{Changes, compare};
use pebblebank_report::page::{PageWishes, page};
use pebblebank_report::receipt::Receipt;
use pebblebank_table::Result;
use pebblebank_table::staged::placement::with_ending;
use pebblebank_table::staged::write_alone;
use std::path::{Path, PathBuf};

/// Writes the page of a receipt.
pub fn report(command: &ReportPage, shared: &Shared) -> Result<Said> {
    let threads = setting(shared, true, &Now::read()).threads;
    let file = command.output.clone().unwrap_or_else(|| page_beside(&command.receipt));
    write_page(&command.receipt, &file, command.show_addresses, command.replace, threads)?;
    let screen = Screen::new(shared);
    let text = if shared.json {
        render::report::json(&command.receipt, &file)
    } else if shared.quiet {
        String::new()
    } else {
        render::report::written(&file, command.show_addresses, &screen)
    };
    Ok(Said::done(text))
}

/// Writes the page of a receipt into a file.
pub fn write_page(receipt: &Path, file: &Path, shows_addresses: bool, replace: bool, threads: usize) -> Result<()> {
    let opened = Receipt::open(receipt)?;
    let changes = since_before(&opened, threads);
    let wishes = PageWishes { shows_addresses, meaning: &meaning, changes: changes.as_ref(), threads };
    write_alone(file, page(&opened, &wishes)?.as_bytes(), replace)
}

/// What changed since the run whose receipt lies beside this one as `.previous`.
fn since_before(receipt: &Receipt, threads: usize) -> Option<Changes> {
    let before = Receipt::open(&with_ending(&receipt.folder, ".previous")).ok()?;
    compare(receipt, &before, threads).ok()
}

/// `out/spring-fair.receipt` → `out/spring-fair.html`.
pub fn page_beside(receipt: &Path) -> PathBuf {
    let name = receipt.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    receipt.with_file_name(format!("{}.html", name.trim_end_matches(".receipt")))
}
