//! How filled the columns of the import file are.

use super::{PageTable, percent, share};
use crate::new_rows::import_file;
use crate::receipt::Receipt;
use pebblebank_table::observe::grouped;
use pebblebank_table::record::{RecordEnd, split_record};
use pebblebank_table::{cell, recognise_dialect};

/// The largest import file that is read for it.
const MOST_BYTES: u64 = 256 << 20;

/// The columns of the import file; none if it is no delimited text, or gone.
pub(super) fn of(receipt: &Receipt) -> Option<PageTable> {
    let path = import_file(receipt)?;
    if std::fs::metadata(&path).ok()?.len() > MOST_BYTES {
        return None;
    }
    let bytes = std::fs::read(&path).ok()?;
    let text = bytes.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(&bytes);
    let dialect = recognise_dialect(text);
    let (mut names, mut filled, mut rows) = (Vec::new(), Vec::new(), 0_u64);
    let (mut at, mut ends) = (0, Vec::new());
    while at < text.len() {
        ends.clear();
        let RecordEnd::At(next) = split_record(text, at, dialect, true, &mut ends) else { break };
        let mut start = at;
        for (column, end) in ends.iter().enumerate() {
            let raw = &text[start..*end as usize];
            start = *end as usize + 1;
            let value = cell::value(raw.strip_suffix(b"\r").unwrap_or(raw));
            if at == 0 {
                names.push(String::from_utf8_lossy(&value).into_owned());
                filled.push(0_u64);
            } else if let Some(count) = filled.get_mut(column) {
                *count += u64::from(!value.is_empty());
            }
        }
        rows += u64::from(at > 0);
        at = next;
    }
    let mut table = PageTable::of(&["Column of the import file", "filled", "share"], None);
    for (name, count) in names.into_iter().zip(filled) {
        table.row(name, vec![grouped(count), share(count, rows)], Some(percent(count, rows)));
    }
    Some(table)
}
