//! Who in the files that were prepared, or sent lately, must not be contacted any more because of new entries.
//!
//! New entries are kept in memory up to a limit; whenever it is reached, the files are read and the entries make room. So a
//! load of any size finds them all.

use crate::bank::Bank;
use crate::batch::{Batch, BatchId, What, columns};
use crate::blocks;
use crate::scope::{EVERYONE, ScopeId};
use crate::store::{Store, cells};
use crate::text::{Kind, Text};
use pebblebank_table::Result;
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::HashSet;
use std::ops::ControlFlow;

/// A file is looked at for 60 days after it was sent; later the mailing is over.
const LATELY_DAYS: i32 = 60;

/// How many entries of a batch are read at once,
const ENTRIES_OF_PAGE: usize = 20_000;

/// and how many of its blocks.
const BLOCKS_OF_PAGE: usize = 128;

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
    /// Each with the places in it of the addresses that are held, which may come again.
    files: Vec<(Batch, Vec<u64>)>,
    newly: Newly,
    most_bytes: usize,
}

impl FilesHeldIn<'_> {
    /// Adds an entry.
    pub fn add(&mut self, text: Text) -> Result<()> {
        if self.files.is_empty() {
            return Ok(());
        }
        self.newly.add(text);
        if self.newly.bytes > self.most_bytes { self.look() } else { Ok(()) }
    }

    /// Looks for those that were added in each file, and makes room.
    fn look(&mut self) -> Result<()> {
        self.newly.addresses.sort_unstable();
        for (batch, held) in &mut self.files {
            self.bank.newly_held(batch.id, &self.newly, held)?;
        }
        self.newly = Newly::default();
        Ok(())
    }

    /// The files in which somebody is held, each with the places of the addresses, each once.
    pub fn finish(mut self) -> Result<Vec<(Batch, Vec<u64>)>> {
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

/// Whom new entries hold.
#[derive(Default)]
struct Newly {
    /// In order once they are looked for.
    addresses: Vec<Vec<u8>>,
    domains: HashSet<Text>,
    digests: HashSet<Text>,
    bytes: usize,
}

impl Newly {
    fn add(&mut self, text: Text) {
        let of_text = BYTES_PER_TEXT + text.value.len();
        let is_new = match text.kind {
            Kind::Address => {
                self.addresses.push(text.value);
                true
            }
            Kind::Domain => self.domains.insert(text),
            Kind::Sha256 | Kind::Md5 => self.digests.insert(text),
            Kind::Phone | Kind::Forgotten | Kind::ForgottenPhone => false,
        };
        self.bytes += if is_new { of_text } else { 0 };
    }

    fn holds(&self, address: &[u8]) -> bool {
        if self.addresses.binary_search_by(|held| held.as_slice().cmp(address)).is_ok() {
            return true;
        }
        if self.domains.is_empty() && self.digests.is_empty() {
            return false;
        }
        let address = Text { kind: Kind::Address, value: address.to_vec() };
        !self.domains.is_empty() && address.domains().iter().any(|domain| self.domains.contains(domain))
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
             and (cast(?4 as bigint) = ?5 or scope = ?4) order by id desc"
        );
        let codes = cells![What::Prepared.code(), What::Sent.code(), since, scope.0, EVERYONE.0];
        self.store().all(&query, codes, Batch::of_row)
    }

    /// Adds the places of those in a file whom new entries hold, by address, domain or digest.
    fn newly_held(&self, batch: BatchId, newly: &Newly, held: &mut Vec<u64>) -> Result<()> {
        let mut place = 0;
        for_each_address(self.store(), batch, &mut |address| {
            if newly.holds(address) {
                held.push(place);
            }
            place += 1;
            Ok(())
        })
    }

    /// The addresses in files prepared or sent lately that a batch holds.
    pub fn affected_by(&self, batch: BatchId) -> Result<Vec<(HeldPrepared, Vec<String>)>> {
        // Places in files say whom they mean as long as the files stay as they are.
        let _as_it_is = self.store().view()?;
        let about = self.batch(batch)?;
        let scope = self.store().value("select scope from batch where id = ?1", cells![batch.0])?;
        let mut files = self.files_held_in(about.what, ScopeId(scope))?;
        if files.files.is_empty() {
            return Ok(Vec::new());
        }
        each_that_holds(self.store(), batch, &mut |text| files.add(text))?;
        let named = |(file, held): (Batch, Vec<u64>)| {
            let addresses = self.addresses(file.id, &held)?;
            Ok((HeldPrepared::of(&file, held.len()), addresses))
        };
        files.finish()?.into_iter().map(named).collect()
    }

    /// The addresses at these places of a file, which are in order; in their own order.
    fn addresses(&self, file: BatchId, places: &[u64]) -> Result<Vec<String>> {
        let mut addresses: Vec<String> = Vec::with_capacity(places.len());
        let mut place = 0;
        for_each_address(self.store(), file, &mut |address| {
            if places.get(addresses.len()) == Some(&place) {
                addresses.push(String::from_utf8_lossy(address).into_owned());
            }
            place += 1;
            Ok(())
        })?;
        addresses.sort_unstable();
        Ok(addresses)
    }
}

/// Hands over whom a batch holds, a page after the other, so that the bank can be asked meanwhile.
fn each_that_holds(bank: &dyn Store, batch: BatchId, each: &mut dyn FnMut(Text) -> Result<()>) -> Result<()> {
    let own = format!(
        "select e.id, t.kind, t.value from entry e join text t on t.id = e.text
         where e.batch = ?1 and e.removed is null and e.soft = 0 and e.id > ?2 order by e.id limit {ENTRIES_OF_PAGE}"
    );
    let mut last = i64::MIN;
    loop {
        let page = bank.all(&own, cells![batch.0, last], |row| {
            Ok((row.get(0)?, Text { kind: Kind::of_code(row.get(1)?), value: row.get(2)? }))
        })?;
        let Some((id, _)) = page.last() else { break };
        last = *id;
        page.into_iter().try_for_each(|(_, text)| each(text))?;
    }
    let blocks = format!("{} limit {BLOCKS_OF_PAGE}", blocks::of_batch_after());
    let mut after: Vec<u8> = Vec::new();
    loop {
        let mut page: Vec<Text> = Vec::new();
        let first = std::mem::take(&mut after);
        bank.each(&blocks, cells![batch.0, &first], |row| {
            after = row.get(3)?;
            blocks::each_member(row, |address| {
                page.push(Text { kind: Kind::Address, value: address.to_vec() });
                Ok(ControlFlow::Continue(()))
            })
        })?;
        if page.is_empty() {
            return Ok(());
        }
        page.into_iter().try_for_each(&mut *each)?;
    }
}

/// Hands over the addresses of a batch that count, in the same order each time.
fn for_each_address(bank: &dyn Store, batch: BatchId, each: &mut dyn FnMut(&[u8]) -> Result<()>) -> Result<()> {
    bank.each(
        "select t.value from entry e join text t on t.id = e.text where e.batch = ?1 and e.removed is null order by e.id",
        cells![batch.0],
        |row| each(row.get(0)?),
    )?;
    for_each_in_blocks(bank, batch, each)
}

fn for_each_in_blocks(bank: &dyn Store, batch: BatchId, each: &mut dyn FnMut(&[u8]) -> Result<()>) -> Result<()> {
    bank.each(&blocks::of_batch(), cells![batch.0], |row| {
        blocks::each_member(row, |address| each(address).map(|()| ControlFlow::Continue(())))
    })
}
