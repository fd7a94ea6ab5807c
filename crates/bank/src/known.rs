//! What the bank knows already of the entries of a batch.

use crate::batch::NewBatch;
use crate::entry::NewEntry;
use crate::scope::EVERYONE;
use crate::text::{Text, Value};
use pebblebank_values::date::Date;
use rusqlite::{Connection, OptionalExtension, Statement, params};

/// What the bank knows of the texts of a batch.
pub(crate) struct Known<'a> {
    id: Statement<'a>,
    held: Statement<'a>,
    what: i64,
    scope: i64,
    campaign: Option<String>,
    day: Date,
}

impl<'a> Known<'a> {
    pub fn new(bank: &'a Connection, batch: &NewBatch) -> rusqlite::Result<Known<'a>> {
        Ok(Known {
            id: bank.prepare("select id from text where kind = ?1 and value = ?2")?,
            // What holds until a day says less than what holds longer, and a soft bounce says of its day alone.
            held: bank.prepare(&format!(
                "select exists (select 1 from entry e join batch b on b.id = e.batch
                 where e.text = ?1 and e.removed is null and b.undone is null
                 and b.what = ?2 and b.scope in ({EVERYONE}, ?3) and b.campaign is ?4
                 and (e.soft = 0 or (?5 and coalesce(e.day, b.day) = ?6)) and (e.until is null or e.until >= ?7))",
            ))?,
            what: batch.what.code(),
            scope: batch.scope.0,
            campaign: batch.campaign.clone(),
            day: batch.day,
        })
    }

    /// The number of a text.
    pub fn id(&mut self, text: &Text) -> rusqlite::Result<Option<i64>> {
        self.id.query_row(params![text.kind, Value(text)], |row| row.get(0)).optional()
    }

    /// Whether the bank holds the text of this number as the entry says, in the same scope or in that of everyone.
    pub fn is_held(&mut self, text: i64, entry: &NewEntry) -> rusqlite::Result<bool> {
        let day = entry.day.unwrap_or(self.day).day_number();
        let until = entry.until.map(Date::day_number);
        let Known { held, what, scope, campaign, .. } = self;
        let parameters = params![text, *what, *scope, *campaign, entry.is_soft, day, until];
        held.query_row(parameters, |row| row.get(0))
    }
}
