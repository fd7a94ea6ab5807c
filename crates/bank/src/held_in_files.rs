//! Who in the files that were prepared, or sent lately, must not be contacted any more because of new entries.
//!
//! New entries are kept in memory up to a limit; whenever it is reached, the files are read and the entries make room. So a
//! load of any size finds them all.

use crate::batch::{Batch, BatchId, What, columns};
use crate::file::Bank;
use crate::scope::{EVERYONE, ScopeId};
use crate::text::{Kind, Text};
use pebblebank_table::Result;
use rusqlite::params;
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::HashSet;

/// A file is looked at for 60 days after it was sent; later the mailing is over.
const LATELY_DAYS: i32 = 60;

/// What a text takes in a set, beside its bytes.
const BYTES_PER_TEXT: usize = 2 * size_of::<Text>();

/// People in a file for the sending service who must not be contacted.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct HeldPrepared {
    /// The batch.
    pub batch: BatchId,
    /// Whose file it is.
    pub scope: String,
    /// The job that wrote it.
    pub job: String,
    /// The day.
    pub day: String,
    /// Whether it was sent since.
    pub is_sent: bool,
    /// How many are in it.
    pub contacts: u64,
    /// How many of these.
    pub held: u64,
}

impl HeldPrepared {
    /// How many of a file are held.
    pub(crate) fn of(batch: &Batch, held: usize) -> HeldPrepared {
        HeldPrepared {
            batch: batch.id,
            scope: batch.scope.clone(),
            job: batch.campaign.clone().or(batch.job.clone()).unwrap_or_default(),
            day: batch.day.clone(),
            is_sent: batch.what == What::Sent,
            contacts: batch.entries,
            held: held as u64,
        }
    }
}

/// The files, and who in them new entries hold.
pub(crate) struct FilesHeldIn<'a> {
    bank: &'a Bank,
    /// Each with the numbers of the addresses that are held, which may come again.
    files: Vec<(Batch, Vec<i64>)>,
    newly: Newly,
    most_bytes: usize,
}

impl FilesHeldIn<'_> {
    /// Adds an entry, with the number of its text if the bank has it.
    pub fn add(&mut self, id: Option<i64>, text: Text) -> Result<()> {
        if self.files.is_empty() {
            return Ok(());
        }
        self.newly.add(id, text);
        if self.newly.bytes > self.most_bytes { self.look() } else { Ok(()) }
    }

    /// Looks for those that were added in each file, and makes room.
    fn look(&mut self) -> Result<()> {
        self.newly.texts.sort_unstable();
        for (batch, held) in &mut self.files {
            self.bank.newly_held(batch.id, &self.newly, held)?;
        }
        self.newly = Newly::default();
        Ok(())
    }

    /// The files in which somebody is held, each with the numbers of the addresses, each once.
    pub fn finish(mut self) -> Result<Vec<(Batch, Vec<i64>)>> {
        if self.newly.bytes > 0 {
            self.look()?;
        }
        for (_, held) in &mut self.files {
            held.sort_unstable();
            held.dedup();
        }
        self.files.retain(|(_, held)| !held.is_empty());
        Ok(self.files)
    }
}

/// Whom new entries hold, as far as the bank knows them.
#[derive(Default)]
struct Newly {
    /// The numbers of texts.
    texts: Vec<i64>,
    domains: HashSet<Text>,
    digests: HashSet<Text>,
    bytes: usize,
}

impl Newly {
    fn add(&mut self, id: Option<i64>, text: Text) {
        self.bytes += size_of::<i64>();
        self.texts.extend(id);
        let of_text = BYTES_PER_TEXT + text.value.len();
        let is_new = match text.kind {
            Kind::Domain => self.domains.insert(text),
            Kind::Sha256 | Kind::Md5 => self.digests.insert(text),
            _ => false,
        };
        self.bytes += if is_new { of_text } else { 0 };
    }

    fn holds(&self, id: i64, address: &Text) -> bool {
        self.texts.binary_search(&id).is_ok()
            || !self.domains.is_empty() && address.domains().iter().any(|domain| self.domains.contains(domain))
            || !self.digests.is_empty() && address.partner_digests().iter().any(|digest| self.digests.contains(digest))
    }
}

impl Bank {
    /// The files that new entries of this kind may hold somebody in; none where they hold nobody.
    pub(crate) fn files_held_in(&self, what: What, scope: ScopeId) -> Result<FilesHeldIn<'_>> {
        let files = if what.reason().is_some() { self.files(scope)? } else { Vec::new() };
        let files = files.into_iter().map(|file| (file, Vec::new())).collect();
        let most_bytes = usize::try_from(self.bytes_of_new()).unwrap_or(usize::MAX);
        Ok(FilesHeldIn { bank: self, files, newly: Newly::default(), most_bytes })
    }

    /// The files prepared last and sent lately.
    fn files(&self, scope: ScopeId) -> Result<Vec<Batch>> {
        let since = self.today().day_number() - LATELY_DAYS;
        let columns = columns();
        let query = format!(
            "select {columns} from batch where undone is null and (what = ?1 or what = ?2 and day >= ?3)
             and (?4 = ?5 or scope = ?4) order by id desc"
        );
        let codes = params![What::Prepared.code(), What::Sent.code(), since, scope.0, EVERYONE.0];
        self.ask(|bank| bank.prepare(&query)?.query_map(codes, Batch::of_row)?.collect())
    }

    /// Adds the numbers of those in a file whom new entries hold, by address, domain or digest.
    fn newly_held(&self, batch: BatchId, newly: &Newly, held: &mut Vec<i64>) -> Result<()> {
        self.ask(|bank| {
            let mut all = bank.prepare(
                "select t.id, t.value from entry e join text t on t.id = e.text where e.batch = ?1 and e.removed is null",
            )?;
            let mut rows = all.query([batch.0])?;
            while let Some(row) = rows.next()? {
                let (id, address) = (row.get(0)?, Text { kind: Kind::Address, value: row.get(1)? });
                if newly.holds(id, &address) {
                    held.push(id);
                }
            }
            Ok(())
        })
    }

    /// The addresses in files prepared or sent lately that a batch holds.
    pub fn affected_by(&self, batch: BatchId) -> Result<Vec<(HeldPrepared, Vec<String>)>> {
        let about = self.batch(batch)?;
        let scope =
            self.ask(|bank| bank.query_row("select scope from batch where id = ?1", [batch.0], |row| row.get(0)))?;
        let mut files = self.files_held_in(about.what, ScopeId(scope))?;
        if files.files.is_empty() {
            return Ok(Vec::new());
        }
        // What goes wrong beyond the bank itself.
        let mut failed = Ok(());
        self.ask(|bank| {
            let mut held = bank.prepare(
                "select t.id, t.kind, t.value from entry e join text t on t.id = e.text
                 where e.batch = ?1 and e.removed is null and e.soft = 0",
            )?;
            let mut rows = held.query([batch.0])?;
            while let Some(row) = rows.next()? {
                let text = Text { kind: Kind::of_code(row.get(1)?), value: row.get(2)? };
                failed = files.add(Some(row.get(0)?), text);
                if failed.is_err() {
                    break;
                }
            }
            Ok(())
        })?;
        failed?;
        let named = |(file, held): (Batch, Vec<i64>)| {
            let addresses = self.addresses(&held)?;
            Ok((HeldPrepared::of(&file, held.len()), addresses))
        };
        files.finish()?.into_iter().map(named).collect()
    }

    /// The addresses with these numbers, in order.
    fn addresses(&self, numbers: &[i64]) -> Result<Vec<String>> {
        let mut addresses: Vec<String> = self.ask(|bank| {
            let mut text = bank.prepare("select value from text where id = ?1")?;
            let shown = |row: &rusqlite::Row| Ok(Text { kind: Kind::Address, value: row.get(0)? }.shown());
            numbers.iter().map(|number| text.query_row([number], shown)).collect()
        })?;
        addresses.sort_unstable();
        Ok(addresses)
    }
}
