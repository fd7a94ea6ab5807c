//! Statements and their values as `SQLite` understands them.

use crate::store::{Cell, Cells};
use rusqlite::ToSql;
use rusqlite::types::{ToSqlOutput, Value, ValueRef};
use std::borrow::Cow;
use std::rc::Rc;

/// A statement as `SQLite` understands it.
pub(super) fn as_understood(statement: &str) -> Cow<'_, str> {
    let is_own = ["integers(", "blobs(", "texts(", "join_in_order"].iter().any(|word| statement.contains(word));
    if !is_own {
        return Cow::Borrowed(statement);
    }
    let tables = ["integers(", "blobs(", "texts("];
    let statement = tables.iter().fold(statement.to_owned(), |text, word| text.replace(word, "rarray("));
    Cow::Owned(statement.replace("join_in_order", "cross join"))
}

impl ToSql for Cell<'_> {
    fn to_sql(&self) -> rusqlite::Result<ToSqlOutput<'_>> {
        let many = |values: Vec<Value>| ToSqlOutput::from_rc(Rc::new(values), c"rarray");
        Ok(match self {
            Cell::Null => ToSqlOutput::Borrowed(ValueRef::Null),
            Cell::Integer(value) => ToSqlOutput::Borrowed(ValueRef::Integer(*value)),
            Cell::Text(value) => ToSqlOutput::Borrowed(ValueRef::Text(value.as_bytes())),
            Cell::Bytes(value) => ToSqlOutput::Borrowed(ValueRef::Blob(value)),
            Cell::Integers(values) => many(values.iter().map(|value| Value::Integer(*value)).collect()),
            Cell::Blobs(values) => many(values.iter().map(|value| Value::Blob(value.to_vec())).collect()),
            Cell::Texts(values) => many(values.iter().map(|value| Value::Text((*value).to_owned())).collect()),
        })
    }
}

impl Cells for rusqlite::Row<'_> {
    fn cell(&self, at: usize) -> Option<Cell<'_>> {
        Some(match self.get_ref(at).ok()? {
            ValueRef::Null => Cell::Null,
            ValueRef::Integer(value) => Cell::Integer(value),
            ValueRef::Text(text) => Cell::Text(std::str::from_utf8(text).ok()?),
            ValueRef::Blob(bytes) => Cell::Bytes(bytes),
            ValueRef::Real(_) => return None,
        })
    }
}
