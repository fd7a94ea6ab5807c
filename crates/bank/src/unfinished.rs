//! Banks that are only partly copied.

use crate::store::{Store, cells};
use pebblebank_table::{Error, ErrorKind, Result};
use std::ops::ControlFlow;

/// The key in `about` under which an unfinished copy says of what it is one.
pub(crate) const UNFINISHED: &str = "copying";

/// Whether the bank is only a part of one.
pub(crate) fn is_unfinished(store: &dyn Store) -> Result<bool> {
    let mut is_there = false;
    store.for_each_row("select 1 from about where key = ?1", cells![UNFINISHED], &mut |_| {
        is_there = true;
        Ok(ControlFlow::Break(()))
    })?;
    Ok(is_there)
}

/// The error for a bank that is only a part of one.
pub(crate) fn error(store: &dyn Store) -> Error {
    let what = "this bank is only partly copied, so that it would hold back too few";
    let advice = "give the same pebblebank bank copy once more: it goes on where it was";
    Error::new(ErrorKind::Input, what, advice).in_file(store.place())
}
