//! Forgetting: every trace of somebody goes but a keyed digest, so that the person stays uncontacted.

use crate::batch::{BatchId, What};
use crate::file::Bank;
use crate::load::count_again;
use crate::scope::EVERYONE;
use crate::text::{Kind, Text, Value};
use pebblebank_core::{Error, ErrorKind, Result};
use rusqlite::params;

impl Bank {
    /// Whether anybody was ever forgotten.
    pub(crate) fn has_forgotten(&self) -> Result<bool> {
        self.ask(|bank| {
            bank.query_row("select exists (select 1 from text where kind = ?1)", [Kind::Forgotten], |row| row.get(0))
        })
    }

    /// Forgets an address or a phone; says how many entries went. Fails where a file could still show it.
    pub fn forget(&mut self, text: &Text) -> Result<u64> {
        if !matches!(text.kind, Kind::Address | Kind::Phone) {
            let what = "only an address or a phone number can be forgotten";
            return Err(Error::new(ErrorKind::Job, what, "a domain is taken out with pebblebank bank remove"));
        }
        let forgotten = text.forgotten(&self.key()?);
        let known = self.text_id(text)?;
        if known.is_none() && self.text_id(&forgotten)?.is_some() {
            // An earlier command may have been stopped before the side file was cleared.
            self.clear_side_file()?;
            let what = "this was forgotten before, and stays uncontacted";
            return Err(Error::new(ErrorKind::Job, what, "nothing is left to be done"));
        }
        let (moment, today) = (self.moment().to_owned(), self.today().day_number());
        let gone = self.change(|change| {
            let mut gone: i64 = 0;
            let mut gravest = What::DoNotContact;
            change.execute("insert or ignore into text (kind, value) values (?1, ?2)", params![Kind::Forgotten, Value(&forgotten)])?;
            let digest: i64 = change.query_row(
                "select id from text where kind = ?1 and value = ?2",
                params![Kind::Forgotten, Value(&forgotten)],
                |row| row.get(0),
            )?;
            if let Some(id) = known {
                let entries: Vec<(i64, i64, i64, bool)> = change
                    .prepare("select e.id, b.id, b.what, e.removed is null and b.undone is null from entry e join batch b on b.id = e.batch where e.text = ?1")?
                    .query_map([id], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?)))?
                    .collect::<rusqlite::Result<_>>()?;
                for (entry, batch, what, counts) in entries {
                    let what = What::of_code(what);
                    if counts && what.reason().is_some() {
                        gravest = gravest.min(what);
                    }
                    change.execute("delete from entry where id = ?1", [entry])?;
                    gone += 1;
                    let left: i64 = change.query_row("select count(*) from entry where batch = ?1", [batch], |row| row.get(0))?;
                    if left == 0 {
                        // A note on one person alone may name the person.
                        change.execute("update batch set note = null where id = ?1", [batch])?;
                    }
                    count_again(change, BatchId(batch))?;
                }
                change.execute("update history set text = ?1, note = null where text = ?2", [digest, id])?;
                change.execute("delete from returned where text = ?1", [id])?;
                change.execute("delete from text where id = ?1", [id])?;
            }
            change.execute(
                "insert into batch (what, scope, added, day) values (?1, ?2, ?3, ?4)",
                params![gravest.code(), EVERYONE.0, moment, today],
            )?;
            let batch = BatchId(change.last_insert_rowid());
            change.execute("insert into entry (text, batch, day) values (?1, ?2, ?3)", params![digest, batch.0, today])?;
            count_again(change, batch)?;
            change.execute(
                "insert into history (moment, what, batch, text, count) values (?1, 'forget', ?2, ?3, ?4)",
                params![moment, batch.0, digest, gone],
            )?;
            Ok(gone)
        })?;
        self.clear_side_file()?;
        Ok(gone.unsigned_abs())
    }
}
