//! What tells a whole bank from a damaged one: a sum over the entries of each batch, and a seal over everything that says
//! what they mean. Whoever is missing from a damaged bank would be written to, so nothing is read from one.
//!
//! Sums are kept up to date as entries come and go; the seal is made anew at the end of every change. A run adds the entries
//! up again while it reads them. Against damage alone: whoever changes the file on purpose can change the seal too.

use crate::blocks::{self, Members};
use crate::text::Kind;
use crate::trouble::{damaged, trouble};
use pebblebank_table::Result;
use rusqlite::types::ValueRef;
use rusqlite::{Connection, OptionalExtension, Row, Statement};
use std::collections::HashMap;
use std::path::Path;
use std::sync::LazyLock;
use xxhash_rust::xxh3::{xxh3_64, xxh3_128_with_seed};

/// The key in `about` under which the seal stands.
const SEAL: &str = "seal";

/// A bank up to this size is looked through from end to end whenever it is opened; that takes a tenth of a second.
const CHEAP_BYTES: u64 = 16 << 20;

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
    pub fn of(row: &'a Row) -> rusqlite::Result<EntryRow<'a>> {
        Ok(EntryRow {
            kind: row.get(1)?,
            value: row.get_ref(2)?.as_bytes()?,
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
    pub fn are_those_of(mut self, bank: &Connection) -> rusqlite::Result<bool> {
        self.put_by();
        let mut query = bank.prepare("select id, digest from batch")?;
        let mut rows = query.query([])?;
        while let Some(row) = rows.next()? {
            let added_up = self.of_batch.remove(&row.get(0)?).unwrap_or_default();
            if EntrySum::read(row.get_ref(1)?.as_bytes()?) != Some(added_up) {
                return Ok(false);
            }
        }
        Ok(self.of_batch.is_empty())
    }
}

/// Adds up all entries and writes the sum of each batch: once, for a bank that had none.
pub(crate) fn add_up_all(change: &Connection) -> rusqlite::Result<()> {
    let mut sums = all_sums(change)?;
    sums.put_by();
    let mut write = change.prepare("update batch set digest = ?1 where id = ?2")?;
    for (batch, sum) in &sums.of_batch {
        write.execute(rusqlite::params![sum.bytes(), batch])?;
    }
    Ok(())
}

fn all_sums(bank: &Connection) -> rusqlite::Result<Sums> {
    let query = format!("select {ENTRY_COLUMNS} from entry e join text t on t.id = e.text where e.removed is null");
    let mut query = bank.prepare(&query)?;
    let mut rows = query.query([])?;
    let mut sums = Sums::default();
    while let Some(row) = rows.next()? {
        sums.add(row.get(0)?, &EntryRow::of(row)?);
    }
    if has_blocks(bank)? {
        let mut query = bank.prepare(&blocks::that_count())?;
        let mut rows = query.query([])?;
        while let Some(row) = rows.next()? {
            let batch = row.get(0)?;
            let mut members = Members::of(row)?;
            while let Some(address) = members.next()? {
                sums.add(batch, &EntryRow::plain(address));
            }
        }
    }
    Ok(sums)
}

/// Whether the bank is of a shape that has blocks.
fn has_blocks(bank: &Connection) -> rusqlite::Result<bool> {
    bank.query_row("select exists (select 1 from sqlite_schema where name = 'block')", [], |row| row.get(0))
}

/// Makes the seal anew; the last thing in every change.
pub(crate) fn seal(change: &Connection) -> rusqlite::Result<()> {
    let seal = seal_of(change)?;
    change.execute("insert or replace into about (key, value) values (?1, ?2)", (SEAL, &seal[..]))?;
    Ok(())
}

/// Whether the seal fits what is there.
fn is_sealed(bank: &Connection) -> rusqlite::Result<bool> {
    let query = "select value from about where key = ?1";
    let found: Option<Vec<u8>> = bank.query_row(query, [SEAL], |row| row.get(0)).optional()?;
    Ok(found.is_some_and(|found| seal_of(bank).is_ok_and(|seal| found == seal)))
}

/// A digest of the schema, of who shares the bank, of the batches with their sums, and of those who came back.
fn seal_of(bank: &Connection) -> rusqlite::Result<[u8; 32]> {
    const SEALED: [&str; 5] = [
        "select type, name, tbl_name, sql from sqlite_schema order by name",
        "select key, value from about where key <> 'seal' order by key",
        "select id, name from scope order by id",
        "select * from batch order by id",
        "select t.kind, t.value, r.scope, r.day from returned r left join text t on t.id = r.text order by r.text, r.scope",
    ];
    let mut hasher = blake3::Hasher::new();
    for query in SEALED {
        hash_rows(&mut bank.prepare(query)?, &mut hasher)?;
    }
    Ok(*hasher.finalize().as_bytes())
}

/// Adds every cell with its kind and its length, so that nothing can move from one into the next.
fn hash_rows(query: &mut Statement, hasher: &mut blake3::Hasher) -> rusqlite::Result<()> {
    let columns = query.column_count();
    hasher.update(&columns.to_le_bytes());
    let mut rows = query.query([])?;
    while let Some(row) = rows.next()? {
        for column in 0..columns {
            let number;
            let (kind, bytes): (u8, &[u8]) = match row.get_ref(column)? {
                ValueRef::Null => (0, &[]),
                ValueRef::Integer(value) => {
                    number = value.to_le_bytes();
                    (1, &number)
                }
                ValueRef::Real(value) => {
                    number = value.to_le_bytes();
                    (2, &number)
                }
                ValueRef::Text(text) => (3, text),
                ValueRef::Blob(bytes) => (4, bytes),
            };
            hasher.update(&[kind]).update(&bytes.len().to_le_bytes()).update(bytes);
        }
    }
    Ok(())
}

/// Fails unless the seal fits; of a small bank also unless every page and every entry is as it was written.
pub(crate) fn check(bank: &Connection, path: &Path) -> Result<()> {
    let fail = |cause: rusqlite::Error| trouble(path, &cause);
    // All of it is read as it is at one moment: another command may change the bank meanwhile.
    let bank = bank.unchecked_transaction().map_err(fail)?;
    if !is_sealed(&bank).map_err(fail)? {
        return Err(damaged(path));
    }
    if bytes_of(&bank).map_err(fail)? <= CHEAP_BYTES {
        check_pages(&bank, path)?;
        if !all_sums(&bank).and_then(|sums| sums.are_those_of(&bank)).map_err(fail)? {
            return Err(damaged(path));
        }
    }
    Ok(())
}

/// How many bytes the bank takes.
pub(crate) fn bytes_of(bank: &Connection) -> rusqlite::Result<u64> {
    let number = |name: &str| bank.query_row(&format!("pragma {name}"), [], |row| row.get::<_, i64>(0));
    Ok((number("page_count")? * number("page_size")?).unsigned_abs())
}

/// Fails where pages of a bank that has no seal yet do not fit together.
pub(crate) fn check_pages(bank: &Connection, path: &Path) -> Result<()> {
    let verdict = bank.query_row("pragma integrity_check(1)", [], |row| row.get::<_, String>(0));
    if verdict.map_err(|cause| trouble(path, &cause))? == "ok" { Ok(()) } else { Err(damaged(path)) }
}

/// Fails where the seal does not fit, before a change makes a new one.
pub(crate) fn check_before_change(bank: &Connection, path: &Path) -> Result<()> {
    let is_sealed = is_sealed(bank).map_err(|cause| trouble(path, &cause))?;
    if is_sealed { Ok(()) } else { Err(damaged(path)) }
}
