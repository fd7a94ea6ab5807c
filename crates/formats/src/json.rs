//! JSON (RFC 8259): one object after the other (JSON Lines), or an array of objects → rows.
//!
//! A key is a column, in the order in which keys are met; an object inside an object gives columns like
//! `address.city`, a list of plain values one cell with semicolons between. The row number is the object's place.

use crate::Input;
use pebblebank_table::encoding::unreadable;
use pebblebank_table::observe::Observer;
use pebblebank_table::record::MAX_RECORD_BYTES;
use pebblebank_table::spool::{Extracted, RowSpool};
use pebblebank_table::units::{MAX_COLUMNS, RowNumber};
use pebblebank_table::{Error, ErrorKind, Result};
use serde::de::{DeserializeSeed, Deserializer as _, MapAccess, SeqAccess, Visitor};
use serde_json::{Map, Value};
use std::cell::Cell;
use std::collections::HashMap;
use std::fmt;
use std::io::{BufReader, Read};
use std::path::Path;
use std::rc::Rc;

/// Takes the objects out of a text in UTF-8; `is_array` where they stand in one array.
pub(super) fn extract(
    text: impl Read,
    is_array: bool,
    input: &Input,
    folder: &Path,
    observer: &dyn Observer,
) -> Result<Extracted> {
    let since_row = Rc::new(Cell::new(0));
    let reader = BufReader::with_capacity(64 << 10, RowLimited { input: text, since_row: Rc::clone(&since_row) });
    let mut rows = Rows {
        spool: RowSpool::new(folder, input.path(), input.bytes)?,
        columns: HashMap::new(),
        names: Vec::new(),
        cells: Vec::new(),
        since_row,
        observer,
        failure: None,
    };
    let mut parser = serde_json::Deserializer::from_reader(reader);
    let parsed = if is_array {
        parser.deserialize_seq(Objects(&mut rows)).and_then(|()| parser.end())
    } else {
        let mut objects = parser.into_iter::<Map<String, Value>>();
        objects.try_for_each(|object| {
            rows.add(&object?);
            if rows.failure.is_some() { Err(serde::de::Error::custom("stopped")) } else { Ok(()) }
        })
    };
    if let Some(failure) = rows.failure {
        return Err(failure);
    }
    parsed.map_err(|cause| wrong(&cause, rows.spool.rows(), input.path()))?;
    rows.spool.finish(Some(rows.names), Vec::new())
}

fn wrong(cause: &serde_json::Error, rows: u64, path: &Path) -> Error {
    if cause.classify() == serde_json::error::Category::Io {
        let text = cause.to_string();
        if text.contains(TOO_LONG) {
            return Error::new(
                ErrorKind::Input,
                format!("an object is longer than {} MiB", MAX_RECORD_BYTES >> 20),
                "check that this is the export of contacts",
            )
            .in_file(path)
            .at_row(RowNumber(rows + 1));
        }
        return unreadable(path, &std::io::Error::other(text));
    }
    let place = format!("line {}, column {}", cause.line(), cause.column());
    let what = match cause.classify() {
        serde_json::error::Category::Eof => format!("the JSON ends before it is complete ({place})"),
        _ => format!("this is not an object of contacts' data, or not JSON ({place})"),
    };
    Error::new(ErrorKind::Input, what, "export it again, as CSV if that is offered")
        .in_file(path)
        .at_row(RowNumber(rows + 1))
        .expected("one JSON object for each contact, line by line or in one array")
}

const TOO_LONG: &str = "an object is too long";

/// Reads no further where an object has more bytes than a row may have.
struct RowLimited<R> {
    input: R,
    since_row: Rc<Cell<usize>>,
}

impl<R: Read> Read for RowLimited<R> {
    fn read(&mut self, out: &mut [u8]) -> std::io::Result<usize> {
        let count = self.input.read(out)?;
        self.since_row.set(self.since_row.get() + count);
        if self.since_row.get() > MAX_RECORD_BYTES + out.len() {
            Err(std::io::Error::other(TOO_LONG))
        } else {
            Ok(count)
        }
    }
}

/// Objects as rows.
struct Rows<'a> {
    spool: RowSpool,
    columns: HashMap<String, usize>,
    names: Vec<String>,
    /// The cells of the row, by column, with the row that they belong to.
    cells: Vec<(u64, String)>,
    since_row: Rc<Cell<usize>>,
    observer: &'a dyn Observer,
    /// What stopped the reading, since the parser's own errors cannot hold it.
    failure: Option<Error>,
}

impl Rows<'_> {
    fn add(&mut self, object: &Map<String, Value>) {
        self.since_row.set(0);
        let row = self.spool.rows() + 1;
        self.flatten("", object, row);
        if self.names.len() > MAX_COLUMNS {
            let what = format!("the objects have more than {MAX_COLUMNS} different keys");
            self.failure = Some(
                Error::new(ErrorKind::Input, what, "check that this is the export of contacts").at_row(RowNumber(row)),
            );
            return;
        }
        let last = self.cells.iter().rposition(|(of_row, text)| *of_row == row && !text.is_empty());
        for (of_row, text) in &self.cells[..last.map_or(0, |last| last + 1)] {
            self.spool.cell(if *of_row == row { text.as_bytes() } else { b"" });
        }
        if let Err(error) = self.spool.end_row() {
            self.failure = Some(error);
        } else if row.is_multiple_of(1_024) && self.observer.wants_stop() {
            self.failure = Some(Error::interrupted());
        }
    }

    fn flatten(&mut self, prefix: &str, object: &Map<String, Value>, row: u64) {
        for (key, value) in object {
            let name = if prefix.is_empty() { key.clone() } else { format!("{prefix}.{key}") };
            match value {
                Value::Object(inner) if !inner.is_empty() => self.flatten(&name, inner, row),
                value => self.set(name, text_of(value), row),
            }
        }
    }

    fn set(&mut self, name: String, text: String, row: u64) {
        let column = match self.columns.get(&name) {
            Some(column) => *column,
            None if self.names.len() > MAX_COLUMNS => return,
            None => {
                self.names.push(name.clone());
                self.cells.push((0, String::new()));
                self.columns.insert(name, self.names.len() - 1);
                self.names.len() - 1
            }
        };
        self.cells[column] = (row, text);
    }
}

fn text_of(value: &Value) -> String {
    match value {
        Value::Null => String::new(),
        Value::String(text) => text.clone(),
        // Without an exponent, as a phone number or a member number is meant.
        Value::Number(number) => match number.as_f64() {
            Some(float) if number.is_f64() => format!("{float}"),
            _ => number.to_string(),
        },
        Value::Bool(bool) => bool.to_string(),
        Value::Array(values) if values.iter().all(|value| !value.is_object() && !value.is_array()) => {
            values.iter().map(text_of).filter(|text| !text.is_empty()).collect::<Vec<_>>().join("; ")
        }
        Value::Object(object) if object.is_empty() => String::new(),
        nested => nested.to_string(),
    }
}

/// Goes through an array, object by object, without holding it.
struct Objects<'a, 'b>(&'a mut Rows<'b>);

impl<'de> Visitor<'de> for Objects<'_, '_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an array of objects")
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<(), A::Error> {
        while seq.next_element_seed(OneObject(self.0))?.is_some() {
            if self.0.failure.is_some() {
                return Err(serde::de::Error::custom("stopped"));
            }
        }
        Ok(())
    }
}

struct OneObject<'a, 'b>(&'a mut Rows<'b>);

impl<'de> DeserializeSeed<'de> for OneObject<'_, '_> {
    type Value = ();

    fn deserialize<D: serde::Deserializer<'de>>(self, deserializer: D) -> Result<(), D::Error> {
        deserializer.deserialize_map(self)
    }
}

impl<'de> Visitor<'de> for OneObject<'_, '_> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("an object")
    }

    fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<(), A::Error> {
        let mut object = Map::new();
        while let Some((key, value)) = map.next_entry::<String, Value>()? {
            object.insert(key, value);
        }
        self.0.add(&object);
        Ok(())
    }
}

/// Whether text that begins like this is JSON; `Some(true)` for an array.
pub(super) fn looks_like_json(text: &[u8]) -> Option<bool> {
    let text = text.trim_ascii_start();
    let after = |rest: &[u8]| rest.trim_ascii_start().first().copied();
    match text {
        [b'{', rest @ ..] if matches!(after(rest), Some(b'"' | b'}')) => Some(false),
        [b'[', rest @ ..] if matches!(after(rest), Some(b'{' | b']')) => Some(true),
        _ => None,
    }
}
