//! Forgetting: every trace of somebody goes but a keyed digest, so that the person stays uncontacted.

use crate::bank::Bank;
use crate::batch::{BatchId, What};
use crate::blocks::let_out_of_all;
use crate::going_in::count_out;
use crate::scope::EVERYONE;
use crate::seal::{EntryRow, EntrySum};
use crate::spelt::Spelt;
use crate::store::{Leftover, Store, cells};
use crate::text::{Kind, Text};
use crate::text_ids::{id_of, id_of_new};
use pebblebank_table::{Error, ErrorKind, Result};
use std::collections::HashSet;

/// What forgetting somebody changed.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Forgot {
    /// The entries that went.
    pub entries: u64,
    /// The notes and names that spelt the address or number, and do not any more.
    pub words: u64,
    /// The new names of scopes, jobs and campaigns whose names spelt the address or number, each with what it is.
    pub renamed: Vec<String>,
    /// Where something may still stand of them.
    pub leftover: Leftover,
}

impl Bank {
    /// Everybody who was forgotten and has not come back.
    pub(crate) fn all_forgotten(&self) -> Result<HashSet<Text>> {
        let all = self.store().all(
            "select t.kind, t.value from text t where t.kind >= ?1
             and exists (select 1 from entry e where e.text = t.id and e.removed is null)",
            cells![Kind::Forgotten],
            |row| Ok(Text { kind: Kind::of_code(row.get(0)?), value: row.get(1)? }),
        )?;
        Ok(all.into_iter().collect())
    }

    /// Forgets an address or a phone. Fails where a file could still show it.
    pub fn forget(&mut self, text: &Text) -> Result<Forgot> {
        let key = self.key()?;
        let Some(digest) = text.forgotten(&key) else {
            let what = "only an address or a phone number can be forgotten";
            return Err(Error::new(ErrorKind::Job, what, "a domain is taken out with pebblebank bank remove"));
        };
        let (forgot, is_new) = self.change(|change| {
            let known = self.all_forgotten()?;
            if known.contains(&digest) && !self.has(text)? {
                // A note may have come since.
                return Ok((clear_words(change, &Spelt::of(text))?, false));
            }
            self.forget_in(change, text, &digest, &known).map(|forgot| (forgot, true))
        })?;
        // An earlier command may have been stopped before this.
        let leftover = self.store().clear_traces()?;
        if !is_new && forgot.words == 0 {
            let what = "this was forgotten before, and stays uncontacted";
            return Err(Error::new(ErrorKind::Job, what, "nothing is left to be done"));
        }
        Ok(Forgot { leftover, ..forgot })
    }

    fn forget_in(&self, change: &dyn Store, text: &Text, digest: &Text, known: &HashSet<Text>) -> Result<Forgot> {
        let (moment, today) = (self.moment(), self.today().day_number());
        let key = self.key()?;
        let own = id_of_new(change, digest)?;
        let mut gone = Gone { entries: 0, gravest: What::DoNotContact };
        // What partners hold it by shows who it is to whoever has the address.
        let address = text.shown();
        change.execute("delete from address_verdict where address = ?1", cells![&address])?;
        let_out_of_all(change, text)?;
        for trace in std::iter::once(text.clone()).chain(text.partner_digests()) {
            gone.take_out(change, &trace, own)?;
        }
        let words = clear_words(change, &Spelt::of(text))?;
        let batch = keep(change, digest, own, gone.gravest, moment, today)?;
        let untagged = text.untagged().and_then(|text| text.forgotten(&key));
        if let Some(untagged) = untagged.filter(|digest| !known.contains(digest)) {
            // The same mailbox without its tag, for jobs that ignore tags; a batch of its own, so that it stays too.
            let own = id_of_new(change, &untagged)?;
            keep(change, &untagged, own, gone.gravest, moment, today)?;
        }
        change.execute(
            "insert into history (moment, what, batch, text, count) values (?1, 'forget', ?2, ?3, ?4)",
            cells![moment, batch.0, own, gone.entries],
        )?;
        Ok(Forgot { entries: gone.entries.unsigned_abs(), ..words })
    }
}

/// A batch of its own for the digest of somebody who was forgotten.
fn keep(change: &dyn Store, digest: &Text, text: i64, what: What, moment: &str, today: i32) -> Result<BatchId> {
    let mut sum = EntrySum::default();
    let day = Some(i64::from(today));
    sum.add(&EntryRow { kind: digest.kind.code(), value: &digest.value, day, is_soft: false, until: None });
    let batch = BatchId(change.value(
        "insert into batch (what, scope, added, day, entries, phones, digest) values (?1, ?2, ?3, ?4, 1, ?5, ?6)
         returning id",
        cells![what.code(), EVERYONE.0, moment, today, digest.kind.is_of_phone(), &sum.bytes()],
    )?);
    change.execute("insert into entry (text, batch, day) values (?1, ?2, ?3)", cells![text, batch.0, today])?;
    Ok(batch)
}

/// What went.
struct Gone {
    entries: i64,
    /// What held the person most gravely.
    gravest: What,
}

impl Gone {
    /// Takes out one trace; what was done about it is said of the digest from now on.
    fn take_out(&mut self, change: &dyn Store, trace: &Text, digest: i64) -> Result<()> {
        let Some(id) = id_of(change, trace)? else { return Ok(()) };
        let entries: Vec<(i64, i64, i64, bool)> = change.all(
            "select e.id, b.id, b.what, e.removed is null and b.undone is null
             from entry e join batch b on b.id = e.batch where e.text = ?1",
            cells![id],
            |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?)),
        )?;
        for (entry, batch, what, counts) in entries {
            let what = What::of_code(what);
            if counts && what.reason().is_some() {
                self.gravest = self.gravest.min(what);
            }
            count_out(change, entry)?;
            change.execute("delete from entry where id = ?1", cells![entry])?;
            self.entries += 1;
            // A note on one person alone may name the person.
            change.execute(
                "update batch set note = null where id = ?1 and not exists (select 1 from entry where batch = ?1)
                   and not exists (select 1 from block where batch = ?1)",
                cells![batch],
            )?;
        }
        change.execute("update history set text = ?1, note = null where text = ?2", cells![digest, id])?;
        change.execute("delete from returned where text = ?1", cells![id])?;
        change.execute("delete from text where id = ?1", cells![id])?;
        Ok(())
    }
}

/// Clears notes and names of files that spell the address or number, and gives jobs, campaigns and scopes that do another name.
/// Says which names these are now.
fn clear_words(change: &dyn Store, spelt: &Spelt) -> Result<Forgot> {
    let mut forgot = Forgot::default();
    for (table, column) in [("batch", "note"), ("batch", "file"), ("history", "note")] {
        let clear = format!("update {table} set {column} = null where id = ?1");
        for (id, _) in spelling(change, spelt, table, column)? {
            change.execute(&clear, cells![id])?;
            forgot.words += 1;
        }
    }
    for (table, column) in [("scope", "name"), ("batch", "job"), ("batch", "campaign")] {
        let rename = format!("update {table} set {column} = ?1 where {column} = ?2");
        let mut found: Vec<String> =
            spelling(change, spelt, table, column)?.into_iter().map(|(_, name)| name).collect();
        found.sort_unstable();
        found.dedup();
        for name in found {
            let new = free_name(change, table, column)?;
            change.execute(&rename, cells![&new, &name])?;
            forgot.words += 1;
            forgot.renamed.push(format!("{} \"{new}\"", if table == "scope" { "scope" } else { column }));
        }
    }
    Ok(forgot)
}

/// The rows whose text in a column spells it.
fn spelling(change: &dyn Store, spelt: &Spelt, table: &str, column: &str) -> Result<Vec<(i64, String)>> {
    let query = format!("select id, {column} from {table} where {column} is not null");
    let written: Vec<(i64, String)> = change.all(&query, &[], |row| Ok((row.get(0)?, row.get(1)?)))?;
    Ok(written.into_iter().filter(|(_, text)| spelt.is_in(text)).collect())
}

/// A name that says nothing, and that nothing bears yet: jobs and campaigns that were told apart still are.
fn free_name(change: &dyn Store, table: &str, column: &str) -> Result<String> {
    let is_taken = format!("select exists (select 1 from {table} where lower({column}) = ?1)");
    for number in 1.. {
        let name = format!("renamed {number}");
        if !change.value::<bool>(&is_taken, cells![&name])? {
            return Ok(name);
        }
    }
    Ok(String::new())
}
