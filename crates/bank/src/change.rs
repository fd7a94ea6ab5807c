//! What was put in, taken back: a whole batch, or one person who came back.

use crate::bank::Bank;
use crate::batch::{Batch, BatchId, What};
use crate::blocks::{batches_with, let_out};
use crate::going_in::count_out;
use crate::scope::ScopeId;
use crate::seal::EntrySum;
use crate::store::{Row, Store, cells};
use crate::text::Text;
use crate::text_ids::{id_of, id_of_new};
use pebblebank_table::{Error, ErrorKind, Result};
use schemars::JsonSchema;
use serde::Serialize;

/// Entries that were taken out for one person.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct Removed {
    /// What they said.
    pub what: What,
    /// Their batch.
    pub batch: BatchId,
}

/// An entry that holds somebody.
struct Holding {
    /// Its own entry; none where it stands in a block.
    entry: Option<i64>,
    removed: Removed,
    scope: i64,
}

impl Bank {
    /// Takes a batch back whole; says what it was.
    pub fn undo(&mut self, id: BatchId) -> Result<Batch> {
        let moment = self.moment();
        self.change(|change| {
            let batch = self.batch(id)?;
            refuse_undo(&batch)?;
            change.execute(
                "update batch set undone = ?1, entries = 0, softs = 0, phones = 0, lapsing = 0, digest = ?2 where id = ?3",
                cells![moment, &EntrySum::default().bytes(), id.0],
            )?;
            change.execute(
                "update entry set removed = ?1 where batch = ?2 and removed is null",
                cells![moment, id.0],
            )?;
            change.execute(
                "insert into history (moment, what, batch, count) values (?1, 'undo', ?2, ?3)",
                cells![moment, id.0, batch.entries.cast_signed()],
            )?;
            Ok(batch)
        })
    }

    /// Takes out what holds a person in a scope. Who said no or was forgotten is taken out with a note alone: how the
    /// person came back.
    pub fn remove(&mut self, text: &Text, scope: Option<ScopeId>, note: Option<&str>) -> Result<Vec<Removed>> {
        let key = self.key()?;
        let (moment, today) = (self.moment(), self.today().day_number());
        self.change(|change| {
            let digest = text.forgotten(&key);
            let mut forgotten = match &digest {
                Some(digest) => self.holding(digest, scope)?,
                None => Vec::new(),
            };
            if let (false, Some(untagged)) = (forgotten.is_empty(), text.untagged()) {
                // What was forgotten with a tag is held without it too.
                let digest = untagged.forgotten(&key);
                forgotten.extend(digest.map_or(Ok(Vec::new()), |digest| self.holding(&digest, scope))?);
            }
            let held = self.holding(text, scope)?;
            if held.is_empty() && forgotten.is_empty() {
                return Err(self.held_by_nothing(text)?);
            }
            refuse_without_note(&held, &forgotten, note)?;
            for (held, text) in [(&held, Some(text)), (&forgotten, digest.as_ref())] {
                let Some(text) = text.filter(|_| !held.is_empty()) else { continue };
                let id = id_of_new(change, text)?;
                for held in held {
                    let entry =
                        held.entry.map_or_else(|| let_out(change, held.removed.batch.0, text), |own| Ok(Some(own)))?;
                    if let Some(entry) = entry {
                        take_out(change, entry, held.removed.batch, id, note, moment)?;
                    }
                }
            }
            let came_back = held.iter().filter(|held| held.removed.what.is_refusal()).chain(&forgotten);
            for held in came_back {
                let id = id_of_new(change, text)?;
                change.execute(
                    "insert into returned (text, scope, day) values (?1, ?2, ?3)
                     on conflict (text, scope) do update set day = excluded.day",
                    cells![id, held.scope, today],
                )?;
            }
            Ok(held.into_iter().chain(forgotten).map(|held| held.removed).collect())
        })
    }

    fn held_by_nothing(&self, text: &Text) -> Result<Error> {
        let domain = self.find(text, &mut |_| ())?.by_domain.first().map(|entry| entry.text.clone());
        let advice = match domain {
            Some(domain) => format!("the domain {domain} suppresses it; [[allow]] in a job lets one address through"),
            None => "pebblebank bank find shows what is known of it".to_owned(),
        };
        Ok(Error::new(ErrorKind::Job, "the bank has no entry for this", advice))
    }

    /// The entries that hold somebody by this text.
    fn holding(&self, text: &Text, scope: Option<ScopeId>) -> Result<Vec<Holding>> {
        let bank = self.store();
        let holding = |row: &Row<'_>| {
            let removed = Removed { what: What::of_code(row.get(1)?), batch: BatchId(row.get(2)?) };
            Ok(Holding { entry: row.get(0)?, removed, scope: row.get(3)? })
        };
        let codes = What::codes_of(&What::HOLDING);
        let mut all: Vec<Holding> = bank.all(
            &format!(
                "select e.id, b.what, b.id, b.scope from text t join entry e on e.text = t.id join batch b on b.id = e.batch
                 where t.kind = ?1 and t.value = ?2 and e.removed is null and b.undone is null and b.what in ({codes})
                   and (cast(?3 as bigint) is null or b.scope = ?3) order by e.id"
            ),
            cells![text.kind, text, scope.map(|scope| scope.0)],
            holding,
        )?;
        let of_batch = format!(
            "select cast(null as bigint), what, id, scope from batch where id = ?1 and undone is null and what in ({codes})
               and (cast(?2 as bigint) is null or scope = ?2)"
        );
        for batch in batches_with(bank, text)? {
            all.extend(bank.first(&of_batch, cells![batch, scope.map(|scope| scope.0)], holding)?);
        }
        all.sort_by_key(|held| held.removed.batch);
        Ok(all)
    }

    /// The number of a text, if the bank knows it.
    pub(crate) fn text_id(&self, text: &Text) -> Result<Option<i64>> {
        id_of(self.store(), text)
    }
}

/// Fails where a batch cannot be taken back.
fn refuse_undo(batch: &Batch) -> Result<()> {
    let id = batch.id.0;
    let advice = "nothing is left to be done; pebblebank bank batches shows them all";
    if let Some(undone) = &batch.undone {
        let day = undone.get(..10).unwrap_or(undone);
        let what = match batch.what {
            What::Prepared => format!("batch {id} is no longer there: the same job ran again on {day}"),
            _ => format!("batch {id} was taken back already, on {day}"),
        };
        return Err(Error::new(ErrorKind::Job, what, advice));
    }
    if batch.keeps_forgotten {
        let what = format!("batch {id} keeps somebody uncontacted who was forgotten, and stays");
        let advice = "if the person came back: pebblebank bank remove ADDRESS --note, with how";
        return Err(Error::new(ErrorKind::Job, what, advice));
    }
    Ok(())
}

/// Fails where only the person takes back what is to be taken out, and nothing says how the person did.
fn refuse_without_note(held: &[Holding], forgotten: &[Holding], note: Option<&str>) -> Result<()> {
    let needs_note = held.iter().any(|held| held.removed.what.is_refusal()) || !forgotten.is_empty();
    if !needs_note || note.is_some_and(|note| !note.trim().is_empty()) {
        return Ok(());
    }
    let what = if forgotten.is_empty() {
        "this person opted out or complained, and only the person takes that back"
    } else {
        "this person asked to be forgotten, and only the person takes that back"
    };
    let advice = "say how the person came back: --note \"signed up again at the fair, 3 March\"";
    Err(Error::new(ErrorKind::Job, what, advice))
}

/// Takes out one entry of the text of this number.
fn take_out(change: &dyn Store, entry: i64, batch: BatchId, text: i64, note: Option<&str>, moment: &str) -> Result<()> {
    count_out(change, entry)?;
    change.execute("update entry set removed = ?1 where id = ?2", cells![moment, entry])?;
    change.execute(
        "insert into history (moment, what, batch, text, count, note) values (?1, 'remove', ?2, ?3, 1, ?4)",
        cells![moment, batch.0, text, note],
    )?;
    Ok(())
}
