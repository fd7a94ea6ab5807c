//! The addresses of a batch that say no more than the batch does: in blocks, in order, each as what it has more than the one
//! before it. A hundredth of the rows that entries of their own would take, and a sixth of the bytes.
//!
//! As soon as something is to be said of one of them, it is let out of its block and becomes an entry of its own.

use crate::text::{Kind, Text, id_of_new};
use rusqlite::{Connection, OptionalExtension, Row, Statement, Transaction, ffi, params};

/// A batch of at least this many addresses has them in blocks; fewer are found sooner as entries of their own.
pub(crate) const FEWEST: u64 = 64;

/// A block has at most this many bytes, so that it fits into one page (of 4096 bytes) with its numbers.
const BLOCK_BYTES: usize = 3_980;

/// The columns of a block, as [`Members::of`] reads them, with the batch in front.
const COLUMNS: &str = "batch, count, packed, first";

/// The blocks of one batch, the parameter, in the order of their addresses.
pub(crate) fn of_batch() -> String {
    format!("select {COLUMNS} from block where batch = ?1 order by first")
}

/// The blocks of batches that were not taken back, in the order in which they went in.
pub(crate) fn that_count() -> String {
    format!("select {COLUMNS} from block where batch in (select id from batch where undone is null) order by block.id")
}

/// Addresses in order, as they stand in a block.
#[derive(Debug, Default)]
struct Packed {
    bytes: Vec<u8>,
    first: Vec<u8>,
    last: Vec<u8>,
    count: i64,
}

impl Packed {
    fn add(&mut self, address: &[u8]) {
        if self.count == 0 {
            self.first.extend_from_slice(address);
        }
        let shared = self.last.iter().zip(address).take_while(|(a, b)| a == b).count();
        put_number(&mut self.bytes, shared);
        put_number(&mut self.bytes, address.len() - shared);
        self.bytes.extend_from_slice(&address[shared..]);
        self.last.truncate(shared);
        self.last.extend_from_slice(&address[shared..]);
        self.count += 1;
    }

    fn clear(&mut self) {
        self.bytes.clear();
        self.first.clear();
        self.last.clear();
        self.count = 0;
    }
}

/// A number in bytes of seven bits, the lowest first, each but the last with its high bit set.
fn put_number(bytes: &mut Vec<u8>, mut number: usize) {
    while number >= 0x80 {
        bytes.push(number as u8 | 0x80);
        number >>= 7;
    }
    bytes.push(number as u8);
}

fn take_number(bytes: &mut &[u8]) -> Option<usize> {
    let mut number = 0;
    for shift in (0..28).step_by(7) {
        let (byte, rest) = bytes.split_first()?;
        *bytes = rest;
        number |= usize::from(byte & 0x7F) << shift;
        if byte & 0x80 == 0 {
            return Some(number);
        }
    }
    None
}

/// The addresses of a block, one after the other.
pub(crate) struct Members<'a> {
    packed: &'a [u8],
    /// What the first one must be; none once it was handed over.
    first: Option<&'a [u8]>,
    left: i64,
    address: Vec<u8>,
}

impl<'a> Members<'a> {
    /// Reads [`COLUMNS`].
    pub fn of(row: &'a Row) -> rusqlite::Result<Members<'a>> {
        Ok(Members {
            left: row.get(1)?,
            packed: row.get_ref(2)?.as_blob()?,
            first: Some(row.get_ref(3)?.as_blob()?),
            address: Vec::new(),
        })
    }

    /// The next one. Fails where the block is not as it was written.
    pub fn next(&mut self) -> rusqlite::Result<Option<&[u8]>> {
        if self.left <= 0 {
            return if self.left == 0 && self.packed.is_empty() { Ok(None) } else { Err(no_block()) };
        }
        let next = |packed: &mut &'a [u8], address: &mut Vec<u8>| {
            let (shared, own) = (take_number(packed)?, take_number(packed)?);
            let (own, rest) = packed.split_at_checked(own)?;
            *packed = rest;
            if shared > address.len() {
                return None;
            }
            address.truncate(shared);
            address.extend_from_slice(own);
            Some(())
        };
        self.left -= 1;
        match next(&mut self.packed, &mut self.address) {
            Some(()) if self.first.take().is_none_or(|first| first == self.address) => Ok(Some(&self.address)),
            _ => Err(no_block()),
        }
    }
}

fn no_block() -> rusqlite::Error {
    rusqlite::Error::SqliteFailure(ffi::Error::new(ffi::SQLITE_CORRUPT), None)
}

/// Writes the blocks of a batch.
pub(crate) struct BlockWriter<'a> {
    insert: Statement<'a>,
    batch: i64,
    block: Packed,
}

impl<'a> BlockWriter<'a> {
    pub fn new(change: &'a Transaction, batch: i64) -> rusqlite::Result<BlockWriter<'a>> {
        let insert = change.prepare("insert into block (batch, first, count, packed) values (?1, ?2, ?3, ?4)")?;
        Ok(BlockWriter { insert, batch, block: Packed::default() })
    }

    /// Adds an address, which is behind all that were added before.
    pub fn add(&mut self, address: &[u8]) -> rusqlite::Result<()> {
        let Packed { bytes, first, .. } = &self.block;
        // As much as it can come to, with two lengths in front.
        if bytes.len() + first.len() + address.len() + 4 > BLOCK_BYTES {
            self.finish()?;
        }
        self.block.add(address);
        Ok(())
    }

    /// Writes what is left.
    pub fn finish(&mut self) -> rusqlite::Result<()> {
        let Packed { bytes, first, count, .. } = &self.block;
        if *count > 0 {
            self.insert.execute(params![self.batch, first, count, bytes])?;
            self.block.clear();
        }
        Ok(())
    }
}

/// Looks for addresses in the blocks of one batch after the other.
pub(crate) struct BlockSearch<'a> {
    first: Statement<'a>,
    at: Statement<'a>,
}

impl<'a> BlockSearch<'a> {
    pub fn new(bank: &'a Connection) -> rusqlite::Result<BlockSearch<'a>> {
        let next = "select min(next.first) from block next where next.batch = ?1 and next.first > here.first";
        Ok(BlockSearch {
            first: bank.prepare("select min(first) from block where batch = ?1")?,
            at: bank.prepare(&format!(
                "select {COLUMNS}, ({next}) from block here where batch = ?1 and first <= ?2 order by first desc limit 1"
            ))?,
        })
    }

    /// Marks which of the addresses, in order, the batch has. Each of its blocks is looked at once at most.
    pub fn mark(&mut self, batch: i64, addresses: &[&[u8]], has: &mut [bool]) -> rusqlite::Result<()> {
        let mut next: Option<Vec<u8>> = self.first.query_row([batch], |row| row.get(0))?;
        let mut at = 0;
        while let Some(first) = next {
            at += addresses[at..].partition_point(|address| *address < first.as_slice());
            let Some(address) = addresses.get(at) else { break };
            let mut rows = self.at.query(params![batch, address])?;
            let Some(row) = rows.next()? else { break };
            next = row.get(4)?;
            let mut members = Members::of(row)?;
            while let Some(member) = members.next()? {
                at += addresses[at..].partition_point(|address| *address < member);
                while addresses.get(at).is_some_and(|address| *address == member) {
                    has[at] = true;
                    at += 1;
                }
            }
        }
        Ok(())
    }
}

/// The batches that have an address in a block, in order.
pub(crate) fn batches_with(bank: &Connection, text: &Text) -> rusqlite::Result<Vec<i64>> {
    if text.kind != Kind::Address {
        return Ok(Vec::new());
    }
    let with_blocks: Vec<i64> = bank
        .prepare("select id from batch where exists (select 1 from block where block.batch = batch.id) order by id")?
        .query_map([], |row| row.get(0))?
        .collect::<rusqlite::Result<_>>()?;
    let mut search = BlockSearch::new(bank)?;
    let mut found = Vec::new();
    for batch in with_blocks {
        let mut has = [false];
        search.mark(batch, &[&text.value], &mut has)?;
        if has[0] {
            found.push(batch);
        }
    }
    Ok(found)
}

/// Lets an address out of the blocks of a batch: it is an entry of its own from now on, whose number is given back. What the
/// batch counts stays.
pub(crate) fn let_out(change: &Transaction, batch: i64, text: &Text) -> rusqlite::Result<Option<i64>> {
    let query = format!("select {COLUMNS}, id from block where batch = ?1 and first <= ?2 order by first desc limit 1");
    let found = change.query_row(&query, params![batch, text.value], |row| {
        let (id, mut rest, mut has) = (row.get::<_, i64>(4)?, Packed::default(), false);
        let mut members = Members::of(row)?;
        while let Some(member) = members.next()? {
            if member == text.value {
                has = true;
            } else {
                rest.add(member);
            }
        }
        Ok(has.then_some((id, rest)))
    });
    let Some((id, rest)) = found.optional()?.flatten() else { return Ok(None) };
    if rest.count == 0 {
        change.execute("delete from block where id = ?1", [id])?;
    } else {
        change.execute(
            "update block set first = ?1, count = ?2, packed = ?3 where id = ?4",
            params![rest.first, rest.count, rest.bytes, id],
        )?;
    }
    let own = id_of_new(change, text)?;
    change.execute("insert into entry (text, batch) values (?1, ?2)", params![own, batch])?;
    Ok(Some(change.last_insert_rowid()))
}

/// Lets an address out of all blocks.
pub(crate) fn let_out_of_all(change: &Transaction, text: &Text) -> rusqlite::Result<()> {
    for batch in batches_with(change, text)? {
        let_out(change, batch, text)?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)] // a failure is a failed test

    use super::*;
    use proptest::prelude::*;

    fn members(count: i64, packed: &[u8]) -> rusqlite::Result<Vec<Vec<u8>>> {
        let mut members = Members { left: count, packed, first: None, address: Vec::new() };
        let mut all = Vec::new();
        while let Some(member) = members.next()? {
            all.push(member.to_vec());
        }
        Ok(all)
    }

    proptest! {
        #[test]
        fn what_was_packed_is_what_comes_out(addresses in prop::collection::btree_set(prop::collection::vec(97..100u8, 0..300), 0..40)) {
            let mut packed = Packed::default();
            for address in &addresses {
                packed.add(address);
            }
            prop_assert_eq!(members(packed.count, &packed.bytes).unwrap(), addresses.into_iter().collect::<Vec<_>>());
        }

        #[test]
        fn bytes_that_are_no_block_are_refused_and_never_more_than_they_say(bytes in prop::collection::vec(any::<u8>(), 0..60), count in -2..20i64) {
            if let Ok(all) = members(count, &bytes) {
                prop_assert_eq!(i64::try_from(all.len()).unwrap(), count);
            }
        }
    }
}
