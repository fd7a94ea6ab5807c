//! Everything that is known of somebody, also by the domain, and of those who were forgotten.

use crate::bank::Bank;
use crate::batch::{BatchId, What, day_text};
use crate::blocks::batches_with;
use crate::store::{Row, Store, cells};
use crate::text::{Kind, Text};
use crate::verdicts::FoundVerdict;
use pebblebank_table::Result;
use schemars::JsonSchema;
use serde::Serialize;

/// What the bank knows of somebody.
#[derive(Debug, Clone, Default, PartialEq, Eq, JsonSchema, Serialize)]
pub struct Found {
    /// What was asked for, as the bank compares it.
    pub asked: String,
    /// What it is.
    pub kind: &'static str,
    /// Entries about exactly this.
    pub entries: Vec<KnownEntry>,
    /// Entries that hold it by its domain, or by one above.
    pub by_domain: Vec<KnownEntry>,
    /// Entries that hold it without showing it: digests of partners.
    pub by_hash: Vec<KnownEntry>,
    /// Whether it was forgotten; it stays uncontacted.
    pub is_forgotten: bool,
    /// What a check of it found last.
    pub verdict: Option<KnownVerdict>,
    /// What was done about it, the latest first.
    pub history: Vec<crate::history::Happened>,
}

/// What a check found of an address.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct KnownVerdict {
    /// The verdict.
    pub verdict: &'static str,
    /// Why.
    pub why: &'static str,
    /// The day of the check.
    pub day: String,
}

/// An entry.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct KnownEntry {
    /// Whom it is about.
    pub text: String,
    /// What that is.
    pub kind: &'static str,
    /// What it says.
    pub what: What,
    /// Whose it is.
    pub scope: String,
    /// The mailing.
    pub campaign: Option<String>,
    /// The job that prepared it.
    pub job: Option<String>,
    /// The batch.
    pub batch: BatchId,
    /// The file that it came from.
    pub file: Option<String>,
    /// When it went in.
    pub added: String,
    /// The day of what happened.
    pub day: String,
    /// The last day that it holds.
    pub until: Option<String>,
    /// Whether mail came back for a reason that may pass.
    pub is_soft: bool,
    /// The note of its batch.
    pub note: Option<String>,
    /// Why it no longer counts: taken out, or its batch taken back; none where it counts.
    pub gone: Option<String>,
}

pub(crate) const ENTRY: &str =
    "t.kind, t.value, b.what, (select name from scope where id = b.scope), b.campaign, b.job, b.id, b.file, b.added, \
     coalesce(e.day, b.day), e.until, e.soft, b.note, coalesce(b.undone, e.removed)
     from entry e join text t on t.id = e.text join batch b on b.id = e.batch";

/// An address in the blocks of a batch, in the columns of [`ENTRY`] but for the first two.
const IN_BLOCK: &str = "null, null, b.what, (select name from scope where id = b.scope), b.campaign, b.job, b.id, b.file, b.added, \
     b.day, null, 0, b.note, b.undone from batch b where b.id = ?1";

impl KnownEntry {
    pub(crate) fn of_row(row: &Row<'_>) -> Result<KnownEntry> {
        KnownEntry::about(&Text { kind: Kind::of_code(row.get(0)?), value: row.get(1)? }, row)
    }

    fn about(text: &Text, row: &Row<'_>) -> Result<KnownEntry> {
        Ok(KnownEntry {
            text: text.shown(),
            kind: text.kind.name(),
            what: What::of_code(row.get(2)?),
            scope: row.get(3)?,
            campaign: row.get(4)?,
            job: row.get(5)?,
            batch: BatchId(row.get(6)?),
            file: row.get(7)?,
            added: row.get(8)?,
            day: day_text(row.get(9)?),
            until: row.get::<Option<i64>>(10)?.map(day_text),
            is_soft: row.get(11)?,
            note: row.get(12)?,
            gone: row.get(13)?,
        })
    }

    /// Whether it holds a person back by itself.
    pub fn holds(&self) -> bool {
        self.gone.is_none() && !self.is_soft && self.what.reason().is_some()
    }
}

impl Bank {
    /// The entry of this text that cannot be read, if the bank keeps one as it stood in a file.
    pub fn kept_unread(&self, typed: &str) -> Result<Option<Text>> {
        for text in Text::as_it_stands(typed) {
            if self.has(&text)? {
                return Ok(Some(text));
            }
        }
        Ok(None)
    }

    /// Everything known of somebody; `each` is told of what is looked at, for those who count look-ups.
    pub fn find(&self, text: &Text, each: &mut dyn FnMut(&Text)) -> Result<Found> {
        let key = self.key()?;
        let mut found = Found { asked: text.shown(), kind: text.kind.name(), ..Found::default() };
        each(text);
        if text.kind == Kind::Address {
            let verdict = self.address_verdict(&text.shown())?;
            found.verdict = verdict.map(|FoundVerdict { why, day }| KnownVerdict {
                verdict: why.verdict().name(),
                why: why.name(),
                day: day_text(i64::from(day.day_number())),
            });
        }
        found.entries = self.entries_about(text)?;
        for domain in text.domains() {
            each(&domain);
            found
                .by_domain
                .extend(self.entries_about(&domain)?.into_iter().filter(|entry| entry.what.reason().is_some()));
        }
        if let Some(forgotten) = text.forgotten(&key) {
            let entries = self.entries_about(&forgotten)?;
            found.is_forgotten = entries.iter().any(KnownEntry::holds);
            found.by_hash.extend(entries);
            if let Some(id) = self.text_id(&forgotten)? {
                found.history = self.history_of(id)?;
            }
        }
        for digest in text.partner_digests() {
            found.by_hash.extend(self.entries_about(&digest)?);
        }
        if let Some(id) = self.text_id(text)? {
            found.history.extend(self.history_of(id)?);
        }
        Ok(found)
    }

    /// The latest first.
    fn entries_about(&self, text: &Text) -> Result<Vec<KnownEntry>> {
        let mut all: Vec<KnownEntry> = match self.text_id(text)? {
            None => Vec::new(),
            Some(id) => {
                let query = format!("select {ENTRY} where e.text = ?1 order by e.id desc");
                self.store().all(&query, cells![id], KnownEntry::of_row)?
            }
        };
        let batches = batches_with(self.store(), text)?;
        let in_blocks: Vec<KnownEntry> =
            batches.into_iter().map(|batch| in_block(self.store(), batch, text)).collect::<Result<_>>()?;
        if !in_blocks.is_empty() {
            all.extend(in_blocks);
            all.sort_by_key(|entry| std::cmp::Reverse(entry.batch));
        }
        Ok(all)
    }

    /// Whether anything is kept of a text.
    pub(crate) fn has(&self, text: &Text) -> Result<bool> {
        Ok(self.text_id(text)?.is_some() || !batches_with(self.store(), text)?.is_empty())
    }
}

/// An address that a batch has in a block.
pub(crate) fn in_block(bank: &dyn Store, batch: i64, text: &Text) -> Result<KnownEntry> {
    let found = bank.first(&format!("select {IN_BLOCK}"), cells![batch], |row| KnownEntry::about(text, row))?;
    found.ok_or_else(|| bank.damaged())
}

impl Found {
    /// Whether somebody would be held for this, by an entry that counts on the day.
    pub fn is_held(&self, today: &str) -> bool {
        !self.held_for(today).is_empty()
    }

    /// In which scopes somebody would be held for this, by entries that count on the day.
    pub fn held_for(&self, today: &str) -> Vec<&str> {
        let all = self.entries.iter().chain(&self.by_domain).chain(&self.by_hash);
        let counts = |entry: &&KnownEntry| entry.holds() && entry.until.as_deref().is_none_or(|until| until >= today);
        let mut scopes: Vec<&str> = all.filter(counts).map(|entry| entry.scope.as_str()).collect();
        scopes.sort_unstable();
        scopes.dedup();
        scopes
    }
}
