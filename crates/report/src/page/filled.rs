//! How filled the fields are as they were read, and how filled the columns of the import file are.

use super::parts::{PageTable, TALLY, percent, share};
use crate::new_rows::import_file;
use crate::receipt::Receipt;
use pebblebank_table::observe::grouped;
use pebblebank_table::record::{RecordEnd, split_record};
use pebblebank_table::{cell, recognise_dialect};
use pebblebank_values::Field;
use pebblebank_values::headers::{Meaning, recognise};

/// The largest import file that is read for it.
const MOST_BYTES: u64 = 256 << 20;

/// The fields of the sources, and the columns of the import file; those of the same meaning in one row.
pub(super) fn of(receipt: &Receipt) -> PageTable {
    let (read, before) = in_sources(receipt);
    let after = in_import_file(receipt);
    let mut table = PageTable::of(&["Field", "filled when read", "share", "in the import file", "share"], Some(TALLY));
    let cells = |of: Option<(u64, u64)>| match of {
        Some((count, rows)) => [grouped(count), share(count, rows)],
        None => [String::from("–"), String::new()],
    };
    let mut is_told = vec![false; before.len()];
    let (columns, rows) = after.unwrap_or_default();
    for (name, count) in columns {
        let field = recognise(&name).and_then(field_of).map(Field::name);
        let same = before.iter().position(|(own, _)| field == Some(own.as_str()) || *own == name);
        let own = same.filter(|place| !std::mem::replace(&mut is_told[*place], true));
        let both = [cells(own.map(|place| (before[place].1, read))), cells(Some((count, rows)))];
        table.row(name, both.concat(), Some(percent(count, rows)));
    }
    for ((name, count), _) in before.into_iter().zip(is_told).filter(|(_, is_told)| !is_told) {
        table.row(name, [cells(Some((count, read))), cells(None)].concat(), Some(percent(count, read)));
    }
    table
}

/// The field that a header means, for certain.
fn field_of(meaning: Meaning) -> Option<Field> {
    match meaning {
        Meaning::Field(field) => Some(field),
        Meaning::Consent(_) => Some(Field::Consent),
        Meaning::MaybeConsent => None,
    }
}

/// How many contacts were read, and how many of them have each field filled, as the tally counted them.
fn in_sources(receipt: &Receipt) -> (u64, Vec<(String, u64)>) {
    let mut filled: Vec<(String, u64)> = Vec::new();
    let sources = receipt.tally["sources"].as_array().into_iter().flatten();
    for file in sources.flat_map(|source| source["files"].as_array().into_iter().flatten()) {
        for (field, count) in file["filled"].as_object().into_iter().flatten() {
            let count = count.as_u64().unwrap_or_default();
            match filled.iter_mut().find(|(known, _)| known == field) {
                Some((_, sum)) => *sum += count,
                None => filled.push((field.clone(), count)),
            }
        }
    }
    (receipt.tally["all"]["read"].as_u64().unwrap_or_default(), filled)
}

/// The columns of the import file with how many rows fill them, and its rows; none if it is no delimited text, or gone.
fn in_import_file(receipt: &Receipt) -> Option<(Vec<(String, u64)>, u64)> {
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
    Some((names.into_iter().zip(filled).collect(), rows))
}
