//! What was put in, taken back: a whole batch, or one person who came back.

use crate::batch::{Batch, BatchId, What};
use crate::file::Bank;
use crate::load::count_again;
use crate::scope::ScopeId;
use crate::text::{Text, Value};
use pebblebank_core::{Error, ErrorKind, Result};
use rusqlite::{OptionalExtension, params};
use serde::Serialize;

/// Entries that were taken out for one person.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Removed {
    /// What they said.
    pub what: What,
    /// Their batch.
    pub batch: BatchId,
}

impl Bank {
    /// Takes a batch back whole; says what it was.
    pub fn undo(&mut self, id: BatchId) -> Result<Batch> {
        let batch = self.batch(id)?;
        if let Some(undone) = &batch.undone {
            let what = format!("batch {} was taken back already, on {}", id.0, undone.get(..10).unwrap_or(undone));
            return Err(Error::new(
                ErrorKind::Job,
                what,
                "nothing is left to be done; pebblebank bank batches shows them all",
            ));
        }
        let moment = self.moment().to_owned();
        self.change(|change| {
            change.execute(
                "update batch set undone = ?1, entries = 0, softs = 0, phones = 0, lapsing = 0 where id = ?2",
                params![moment, id.0],
            )?;
            change
                .execute("update entry set removed = ?1 where batch = ?2 and removed is null", params![moment, id.0])?;
            change.execute(
                "insert into history (moment, what, batch, count) values (?1, 'undo', ?2, ?3)",
                params![moment, id.0, batch.entries.cast_signed()],
            )
        })?;
        Ok(batch)
    }

    /// Takes out what holds a person in a scope. Who said no is taken out with a note alone: how the person came back.
    pub fn remove(&mut self, text: &Text, scope: Option<ScopeId>, note: Option<&str>) -> Result<Vec<Removed>> {
        let held = self.holding(text, scope)?;
        if held.is_empty() {
            let domain = self.find(text, &mut |_| ())?.by_domain.first().map(|entry| entry.text.clone());
            let advice = match domain {
                Some(domain) => {
                    format!("it is held by the domain {domain}; [[allow]] in a job lets one address through")
                }
                None => "pebblebank bank find shows what is known of it".to_owned(),
            };
            return Err(Error::new(ErrorKind::Job, "nothing in the bank holds this", advice));
        }
        let is_refusal = held.iter().any(|(_, removed, _)| removed.what.is_refusal());
        if is_refusal && note.is_none_or(|note| note.trim().is_empty()) {
            let what = "this person opted out or complained, and only the person takes that back";
            let advice = "say how the person came back: --note \"signed up again at the fair, 3 March\"";
            return Err(Error::new(ErrorKind::Job, what, advice));
        }
        let moment = self.moment().to_owned();
        let today = self.today().day_number();
        self.change(|change| {
            let id: i64 = change.query_row(
                "select id from text where kind = ?1 and value = ?2",
                params![text.kind, Value(text)],
                |row| row.get(0),
            )?;
            for (entry, removed, scope) in &held {
                change.execute("update entry set removed = ?1 where id = ?2", params![moment, entry])?;
                count_again(change, removed.batch)?;
                change.execute(
                    "insert into history (moment, what, batch, text, count, note) values (?1, 'remove', ?2, ?3, 1, ?4)",
                    params![moment, removed.batch.0, id, note],
                )?;
                if removed.what.is_refusal() {
                    change.execute("insert or replace into returned values (?1, ?2, ?3)", params![id, scope, today])?;
                }
            }
            Ok(())
        })?;
        Ok(held.into_iter().map(|(_, removed, _)| removed).collect())
    }

    /// The entries that hold somebody by this text, with their scopes.
    fn holding(&self, text: &Text, scope: Option<ScopeId>) -> Result<Vec<(i64, Removed, i64)>> {
        self.ask(|bank| {
            let mut query = bank.prepare(
                "select e.id, b.what, b.id, b.scope from text t join entry e on e.text = t.id join batch b on b.id = e.batch
                 where t.kind = ?1 and t.value = ?2 and e.removed is null and b.undone is null and b.what <= 3
                   and (?3 is null or b.scope = ?3) order by e.id",
            )?;
            let parameters = params![text.kind, Value(text), scope.map(|scope| scope.0)];
            let rows = query.query_map(parameters, |row| {
                let removed = Removed { what: What::of_code(row.get(1)?), batch: BatchId(row.get(2)?) };
                Ok((row.get(0)?, removed, row.get(3)?))
            })?;
            rows.collect()
        })
    }

    /// The number of a text, if the bank knows it.
    pub(crate) fn text_id(&self, text: &Text) -> Result<Option<i64>> {
        self.ask(|bank| {
            bank.query_row(
                "select id from text where kind = ?1 and value = ?2",
                params![text.kind, Value(text)],
                |row| row.get(0),
            )
            .optional()
        })
    }
}
