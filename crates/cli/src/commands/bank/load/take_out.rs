//! The file that names who is to be taken out at the sending service.

use pebblebank_bank::held_in_files::HeldPrepared;
use pebblebank_table::csv::Defusing;
use pebblebank_table::staged::write_alone;
use pebblebank_table::{CsvBuffer, Result};
use std::path::Path;

/// Writes who is to be taken out at the sending service, and says how many addresses that are.
pub(super) fn write_take_out(file: &Path, affected: &[(HeldPrepared, Vec<String>)]) -> Result<u64> {
    let mut out = CsvBuffer::new(Defusing::On);
    for name in ["email", "scope", "mailing", "day", "was it sent"] {
        out.value(name.as_bytes());
    }
    out.end_row();
    for (prepared, addresses) in affected {
        for address in addresses {
            let is_sent = if prepared.is_sent { "yes" } else { "no" };
            for cell in [address, &prepared.scope, &prepared.job, &prepared.day, is_sent] {
                out.value(cell.as_bytes());
            }
            out.end_row();
        }
    }
    write_alone(file, &out.bytes, false)?;
    Ok(affected.iter().map(|(_, addresses)| addresses.len() as u64).sum())
}
