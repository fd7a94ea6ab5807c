//! What was done to the bank. Nothing rewrites it; of somebody who was forgotten it shows a digest.

use crate::bank::Bank;
use crate::store::{Row, cells};
use crate::text::{Kind, Text};
use pebblebank_table::Result;
use schemars::JsonSchema;
use serde::Serialize;

/// Something that was done.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct Happened {
    /// When (RFC 3339).
    pub moment: String,
    /// What: `add`, `load`, `undo`, `remove`, `forget`, `sent`, `new scope`.
    pub what: String,
    /// The batch.
    pub batch: Option<i64>,
    /// Whom it was about, where it was about one.
    pub text: Option<String>,
    /// The scope, of a new one.
    pub scope: Option<String>,
    /// How many entries.
    pub count: Option<i64>,
    /// A note.
    pub note: Option<String>,
    /// Who did it: the user of the database; none where the bank is a file.
    pub who: Option<String>,
}

const COLUMNS: &str = "h.moment, h.what, h.batch, t.kind, t.value, s.name, h.count, h.note, h.who from history h \
     left join text t on t.id = h.text left join scope s on s.id = h.scope";

impl Happened {
    fn of_row(row: &Row<'_>) -> Result<Happened> {
        let kind: Option<i64> = row.get(3)?;
        let value: Option<Vec<u8>> = row.get(4)?;
        let text = kind.zip(value).map(|(kind, value)| Text { kind: Kind::of_code(kind), value }.shown());
        Ok(Happened {
            moment: row.get(0)?,
            what: row.get(1)?,
            batch: row.get(2)?,
            text,
            scope: row.get(5)?,
            count: row.get(6)?,
            note: row.get(7)?,
            who: row.get(8)?,
        })
    }
}

impl Bank {
    /// All that was done, or that one user did, the latest first; at most this many.
    pub fn history(&self, most: u64, by: Option<&str>) -> Result<Vec<Happened>> {
        let condition = "cast(?2 as text) is null or h.who = ?2";
        let query = format!("select {COLUMNS} where {condition} order by h.id desc limit ?1");
        self.store().all(&query, cells![most.cast_signed(), by], Happened::of_row)
    }

    pub(crate) fn history_of(&self, text: i64) -> Result<Vec<Happened>> {
        let query = format!("select {COLUMNS} where h.text = ?1 order by h.id desc");
        self.store().all(&query, cells![text], Happened::of_row)
    }
}
