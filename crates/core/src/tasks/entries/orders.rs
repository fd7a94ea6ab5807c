//! Whether the day or the month comes first in the columns of days, decided by all of each column.

use super::plan::Plan;
use super::row::contact;
use crate::run::gather::chunks::Reading;
use crate::run::gather::date_orders::order_of;
use crate::run::open::files::OpenFiles;
use crate::tasks::found_entries::EntriesWishes;
use pebblebank_table::observe::{Finding, Observer, Stage};
use pebblebank_table::units::RowNumber;
use pebblebank_table::{Records, Result};
use pebblebank_values::date_column::OrderEvidence;

/// Decides by all of each column of days whether the day or the month comes first; reads the files once for it, where any
/// has such a column.
pub(super) fn decide_orders(
    plans: &mut [Plan],
    files: &OpenFiles,
    wishes: &EntriesWishes,
    observer: &dyn Observer,
) -> Result<Vec<Finding>> {
    let said = wishes.read.columns.date_order;
    let mut findings = Vec::new();
    if plans.iter().all(|plan| plan.dated.is_none() && plan.until.is_none()) {
        return Ok(findings);
    }
    let mut seen = vec![[OrderEvidence::default(), OrderEvidence::default()]; plans.len()];
    let mut records = Records::default();
    let mut rows_above = vec![0u64; plans.len()];
    let mut reading: Reading<_> = Reading::new(&files.lists, Stage::Reading, observer);
    while let Some(chunk) = reading.next()? {
        let index = chunk.file.0 as usize;
        let file = &files.lists[index];
        records.split(&chunk.chunk, file.dialect);
        for row in 0..records.len() {
            let Some(record) = contact(file, &chunk.chunk, &records, row) else { continue };
            let number = RowNumber(rows_above[index] + row as u64 + 1);
            for (column, seen) in [&plans[index].dated, &plans[index].until].into_iter().zip(&mut seen[index]) {
                if let Some(column) = column {
                    seen.look(&column.source.value(&record, b""), number);
                }
            }
        }
        rows_above[index] += records.len() as u64;
        chunk.give_back();
    }
    for ((plan, file), seen) in plans.iter_mut().zip(&files.lists).zip(&seen) {
        for (column, seen) in [&mut plan.dated, &mut plan.until].into_iter().zip(seen) {
            if let Some(column) = column {
                let (order, finding) = order_of(file, &column.header, seen, said, wishes.country)?;
                column.dates.order = order;
                findings.extend(finding);
            }
        }
    }
    Ok(findings)
}
