//! `pebblebank bank list` and `bank export`: the entries, all or those of a condition.

use crate::arguments::{BankExport, BankList};
use crate::render::{self, Screen};
use pebblebank_bank::Bank;
use pebblebank_bank::find::KnownEntry;
use pebblebank_core::select::condition::Selection;
use pebblebank_core::select::table::TableSelection;
use pebblebank_core::tasks::found_entries::FORGOTTEN;
use pebblebank_table::csv::Defusing;
use pebblebank_table::staged::Staged;
use pebblebank_table::staged::placement::Placement;
use pebblebank_table::{CsvBuffer, Result};

/// The columns that conditions can ask for, and that are exported.
pub const COLUMNS: [&str; 12] =
    ["value", "kind", "reason", "scope", "mailing", "job", "batch", "file", "added", "day", "until", "note"];

/// An entry as a row.
fn cells(entry: &KnownEntry) -> [String; COLUMNS.len()] {
    let or_blank = |text: &Option<String>| text.clone().unwrap_or_default();
    let reason = if entry.is_soft { "bounced softly" } else { entry.what.name() };
    [
        entry.text.clone(),
        entry.kind.to_owned(),
        reason.to_owned(),
        entry.scope.clone(),
        or_blank(&entry.campaign),
        or_blank(&entry.job),
        entry.batch.0.to_string(),
        or_blank(&entry.file),
        entry.added.get(..10).unwrap_or(&entry.added).to_owned(),
        entry.day.clone(),
        or_blank(&entry.until),
        or_blank(&entry.note),
    ]
}

/// Calls `each` with the entries of a condition.
fn for_each(
    condition: Option<&str>,
    bank: &Bank,
    mut each: impl FnMut([String; COLUMNS.len()], KnownEntry) -> Result<bool>,
) -> Result<()> {
    let selection = condition.map(Selection::parse).transpose()?;
    let mut selection =
        selection.map(|selection| TableSelection::new(&selection, &COLUMNS, bank.today())).transpose()?;
    bank.for_each_entry(&mut |entry| {
        let cells = cells(&entry);
        let texts = cells.each_ref().map(String::as_str);
        let address = if entry.kind == "address" { entry.text.as_str() } else { "" };
        if selection.as_mut().is_none_or(|selection| selection.holds(&texts, address)) {
            return each(cells, entry);
        }
        Ok(true)
    })
}

/// Lists entries.
pub fn list(command: &BankList, bank: &Bank, screen: &Screen) -> Result<String> {
    let mut entries = Vec::new();
    let mut count = 0u64;
    for_each(command.condition.as_deref(), bank, |_, entry| {
        count += 1;
        if command.most == 0 || count <= command.most {
            entries.push(entry);
        }
        Ok(true)
    })?;
    Ok(render::bank_entries::listed(&entries, count, screen))
}

/// How much is written at once.
const BYTES_AT_ONCE: usize = 1 << 20;

/// Writes entries to a CSV file.
pub fn export(command: &BankExport, bank: &Bank, screen: &Screen) -> Result<String> {
    let mut staged = Staged::new(false);
    let file = staged.file(&command.file, Placement::of_file(command.replace))?;
    let mut out = CsvBuffer::new(Defusing::On);
    add_row(&mut out, COLUMNS);
    let (mut count, mut forgotten) = (0u64, 0u64);
    let mark = bank.key_mark()?;
    for_each(command.condition.as_deref(), bank, |mut cells, entry| {
        count += 1;
        if entry.kind.starts_with(FORGOTTEN) {
            forgotten += 1;
            cells[0] = format!("{FORGOTTEN}:{mark}:{}", cells[0]);
        }
        add_row(&mut out, cells.each_ref().map(String::as_str));
        if out.bytes.len() >= BYTES_AT_ONCE {
            staged.write(file, &out.bytes)?;
            out.clear();
        }
        Ok(true)
    })?;
    staged.write(file, &out.bytes)?;
    staged.place()?;
    Ok(render::bank::exported(&command.file, count, forgotten, screen))
}

fn add_row(out: &mut CsvBuffer, cells: [&str; COLUMNS.len()]) {
    for cell in cells {
        out.value(cell.as_bytes());
    }
    out.end_row();
}
