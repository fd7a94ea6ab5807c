//! The numbers under which a bank keeps texts.

use crate::store::{Store, cells};
use crate::text::Text;
use pebblebank_table::Result;

/// The number of a text, which is added if need be.
pub(crate) fn id_of_new(change: &dyn Store, text: &Text) -> Result<i64> {
    let insert = "insert into text (kind, value) values (?1, ?2) on conflict do nothing";
    change.execute(insert, cells![text.kind, text])?;
    id_of(change, text)?.ok_or_else(|| change.damaged())
}

/// The number of a text, if the bank has it.
pub(crate) fn id_of(bank: &dyn Store, text: &Text) -> Result<Option<i64>> {
    bank.first("select id from text where kind = ?1 and value = ?2", cells![text.kind, text], |row| row.get(0))
}
