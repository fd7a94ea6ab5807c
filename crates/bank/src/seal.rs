//! What tells a whole bank from a damaged one: a sum over the entries of each batch, and a seal over everything that says
//! what they mean. Whoever is missing from a damaged bank would be written to, so nothing is read from one.
//!
//! Sums are kept up to date as entries come and go; the seal is made anew at the end of every change. A run adds the entries
//! up again while it reads them. Against damage alone: whoever changes the file on purpose can change the seal too.

use crate::blocks;
use crate::store::{Cell, Row, Store, cells};
use crate::text::Kind;
use crate::unfinished;
use pebblebank_table::Result;
use std::collections::HashMap;
use std::ops::ControlFlow;
use std::sync::LazyLock;
use xxhash_rust::xxh3::{xxh3_64, xxh3_128_with_seed};

/// The key in `about` under which the seal stands.
const SEAL: &str = "seal";

/// The columns of an entry that its sum is made of, with the batch in front, as [`EntryRow::of`] reads them.
pub(crate) const ENTRY_COLUMNS: &str = "e.batch, t.kind, t.value, e.day, e.soft, e.until";

/// What its sum is made of, of one entry.
#[derive(Debug, Clone, Copy)]
pub(crate) struct EntryRow<'a> {
    pub kind: i64,
    pub value: &'a [u8],
    pub day: Option<i64>,
    pub is_soft: bool,
    pub until: Option<i64>,
}

impl<'a> EntryRow<'a> {
    /// Reads [`ENTRY_COLUMNS`].
    pub fn of(row: &Row<'a>) -> Result<EntryRow<'a>> {
        Ok(EntryRow {
            kind: row.get(1)?,
            value: row.get(2)?,
            day: row.get(3)?,
            is_soft: row.get(4)?,
            until: row.get(5)?,
        })
    }

    /// An address that says no more than its batch.
    pub fn plain(address: &'a [u8]) -> EntryRow<'a> {
        EntryRow { kind: Kind::Address.code(), value: address, day: None, is_soft: false, until: None }
    }

    fn hash(&self) -> u128 {
        /// That of an address that says no more than its batch: most are.
        static OF_PLAIN: LazyLock<u64> = LazyLock::new(|| EntryRow::plain(b"").seed());
        let is_plain = self.kind == Kind::Address.code() && self.day.is_none() && !self.is_soft && self.until.is_none();
        xxh3_128_with_seed(self.value, if is_plain { *OF_PLAIN } else { self.seed() })
    }

    /// What it is made of beside its value.
    fn seed(&self) -> u64 {
        let mut fixed = [0; 26];
        fixed[..8].copy_from_slice(&self.kind.to_le_bytes());
        fixed[8] = u8::from(self.is_soft) | u8::from(self.day.is_some()) << 1 | u8::from(self.until.is_some()) << 2;
        fixed[9..17].copy_from_slice(&self.day.unwrap_or_default().to_le_bytes());
        fixed[17..25].copy_from_slice(&self.until.unwrap_or_default().to_le_bytes());
        xxh3_64(&fixed)
    }
}

/// The sum over entries, in whatever order they come.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(crate) struct EntrySum(u128);

impl EntrySum {
    pub fn add(&mut self, entry: &EntryRow) {
        self.0 = self.0.wrapping_add(entry.hash());
    }

    pub fn take_out(&mut self, entry: &EntryRow) {
        self.0 = self.0.wrapping_sub(entry.hash());
    }

    /// As it is in the file.
    pub fn bytes(self) -> [u8; 16] {
        self.0.to_le_bytes()
    }

    /// Reads it from the file; none where it is no sum.
    pub fn read(bytes: &[u8]) -> Option<EntrySum> {
        bytes.try_into().ok().map(|bytes| EntrySum(u128::from_le_bytes(bytes)))
    }
}

/// The sums of batches while their entries are read.
#[derive(Debug, Default)]
pub(crate) struct Sums {
    of_batch: HashMap<i64, EntrySum>,
    /// The batch that is being read: its entries mostly follow each other.
    current: (i64, EntrySum),
}

impl Sums {
    pub fn add(&mut self, batch: i64, entry: &EntryRow) {
        if self.current.0 != batch {
            self.put_by();
            self.current = (batch, self.of_batch.remove(&batch).unwrap_or_default());
        }
        self.current.1.add(entry);
    }

    fn put_by(&mut self) {
        let (batch, sum) = std::mem::take(&mut self.current);
        if sum != EntrySum::default() {
            self.of_batch.insert(batch, sum);
        }
    }

    /// Whether these are the sums that the batches have, and no entry is of a batch that is not there.
    pub fn are_those_of(mut self, bank: &dyn Store) -> Result<bool> {
        self.put_by();
        let mut are_all = true;
        bank.each("select id, digest from batch", &[], |row| {
            let added_up = self.of_batch.remove(&row.get(0)?).unwrap_or_default();
            are_all &= EntrySum::read(row.get(1)?) == Some(added_up);
            Ok(())
        })?;
        Ok(are_all && self.of_batch.is_empty())
    }
}

/// Adds up all entries and writes the sum of each batch: once, for a bank that had none.
pub(crate) fn add_up_all(change: &dyn Store) -> Result<()> {
    let mut sums = all_sums(change)?;
    sums.put_by();
    for (batch, sum) in &sums.of_batch {
        change.execute("update batch set digest = ?1 where id = ?2", cells![&sum.bytes(), *batch])?;
    }
    Ok(())
}

fn all_sums(bank: &dyn Store) -> Result<Sums> {
    let query = format!("select {ENTRY_COLUMNS} from entry e join text t on t.id = e.text where e.removed is null");
    let mut sums = Sums::default();
    bank.each(&query, &[], |row| {
        sums.add(row.get(0)?, &EntryRow::of(row)?);
        Ok(())
    })?;
    // Shapes before the fifth have no blocks.
    if bank.has_table("block")? {
        bank.each(&blocks::that_count(), &[], |row| {
            let batch = row.get(0)?;
            blocks::each_member(row, |address| {
                sums.add(batch, &EntryRow::plain(address));
                Ok(ControlFlow::Continue(()))
            })
        })?;
    }
    Ok(sums)
}

/// Makes the seal anew; the last thing in every change.
pub(crate) fn seal(change: &dyn Store) -> Result<()> {
    let seal = seal_of(change)?;
    change.execute(
        "insert into about (key, value) values (?1, ?2) on conflict (key) do update set value = excluded.value",
        cells![SEAL, &seal],
    )?;
    Ok(())
}

/// Whether the seal fits what is there.
fn is_sealed(bank: &dyn Store) -> Result<bool> {
    let found: Option<Vec<u8>> =
        bank.first("select value from about where key = ?1", cells![SEAL], |row| row.get(0))?;
    Ok(match found {
        Some(found) => seal_of(bank)? == found.as_slice(),
        None => false,
    })
}

/// A digest of the schema, of who shares the bank, of the batches with their sums, and of those who came back.
fn seal_of(bank: &dyn Store) -> Result<[u8; 32]> {
    let sealed = [
        bank.shape_query(),
        ("select key, value from about where key not in ('seal', 'snapshot-mark') order by key", 2),
        ("select id, name from scope order by id", 2),
        ("select * from batch order by id", 16),
        (
            "select t.kind, t.value, r.scope, r.day from returned r left join text t on t.id = r.text
             order by r.text, r.scope",
            4,
        ),
    ];
    let mut hasher = blake3::Hasher::new();
    for (query, columns) in sealed {
        hash_rows(bank, query, columns, &mut hasher)?;
    }
    Ok(*hasher.finalize().as_bytes())
}

/// Adds every cell with its kind and its length, so that nothing can move from one into the next.
pub(crate) fn hash_rows(bank: &dyn Store, query: &str, columns: usize, hasher: &mut blake3::Hasher) -> Result<()> {
    hasher.update(&columns.to_le_bytes());
    bank.each(query, &[], |row| {
        for column in 0..columns {
            let number;
            let (kind, bytes): (u8, &[u8]) = match row.cell(column)? {
                Cell::Integer(value) => {
                    number = value.to_le_bytes();
                    (1, &number)
                }
                Cell::Text(text) => (3, text.as_bytes()),
                Cell::Bytes(bytes) => (4, bytes),
                _ => (0, &[]),
            };
            hasher.update(&[kind]).update(&bytes.len().to_le_bytes()).update(bytes);
        }
        Ok(())
    })
}

/// Fails unless the seal fits; of a small bank also unless every page and every entry is as it was written.
pub(crate) fn check(bank: &dyn Store) -> Result<()> {
    // All of it is read as it is at one moment: another command may change the bank meanwhile.
    let _view = bank.view()?;
    check_before_change(bank)?;
    // Of a bank that is only partly copied the entries are not all there yet.
    if !unfinished::is_unfinished(bank)? && bank.bytes()? <= bank.cheap_bytes() {
        bank.check_pages()?;
        if !all_sums(bank)?.are_those_of(bank)? {
            return Err(bank.damaged());
        }
    }
    Ok(())
}

/// Fails where the seal does not fit, before a change makes a new one.
pub(crate) fn check_before_change(bank: &dyn Store) -> Result<()> {
    if is_sealed(bank)? { Ok(()) } else { Err(bank.damaged()) }
}
