//! By what rows were merged: the keys, as the table of merged rows has them.

use super::parts::{PageTable, percent};
use crate::receipt::Receipt;
use pebblebank_table::observe::grouped;
use pebblebank_table::saved_table::rows_in;
use pebblebank_table::{Error, Result, recognise_dialect};
use std::collections::BTreeMap;

/// The largest table that is read for it.
const MOST_BYTES: u64 = 64 << 20;

/// Rows by the key that they share with their survivor; empty if nothing was merged, or if too much was to be counted here.
pub(super) fn of(receipt: &Receipt) -> Result<PageTable> {
    let mut table = PageTable::of(&["They share", "rows"], Some("merged.csv"));
    let path = receipt.path("merged.csv");
    if !std::fs::metadata(&path).is_ok_and(|about| about.len() <= MOST_BYTES) {
        return Ok(table);
    }
    let bytes = std::fs::read(&path).map_err(|cause| Error::unreadable(&path, &cause))?;
    let text = bytes.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(&bytes);
    let mut rows = rows_in(text, recognise_dialect(text)).into_iter().map(|(_, cells)| cells);
    let header = rows.next().unwrap_or_default();
    let Some(key) = header.iter().position(|name| name == "pebblebank_key") else { return Ok(table) };
    let mut counts: BTreeMap<String, u64> = BTreeMap::new();
    for cells in rows {
        *counts.entry(cells.get(key).cloned().unwrap_or_default()).or_default() += 1;
    }
    let mut counts: Vec<(String, u64)> = counts.into_iter().collect();
    counts.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
    let most = counts.first().map_or(0, |(_, count)| *count);
    for (key, count) in counts {
        let name = match key.as_str() {
            "decision" => "nothing: somebody decided it",
            key => key,
        };
        table.row(name, vec![grouped(count)], Some(percent(count, most)));
    }
    Ok(table)
}
