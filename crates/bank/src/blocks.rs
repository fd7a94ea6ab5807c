//! The addresses of a batch that say no more than the batch does: in blocks, in order, each as what it has more than the one
//! before it. A hundredth of the rows that entries of their own would take, and a sixth of the bytes.
//!
//! As soon as something is to be said of one of them, it is let out of its block and becomes an entry of its own.

use crate::store::{BLOCK_COLUMNS, Cell, Column, ColumnKind, Row, Store, cells};
use crate::text::{Kind, Text};
use crate::text_ids::id_of_new;
use pebblebank_table::Result;
use std::ops::ControlFlow;

/// A batch of at least this many addresses has them in blocks; fewer are found sooner as entries of their own.
pub(crate) const FEWEST: u64 = 64;

/// A block has at most this many bytes, so that it fits into one page (of 4096 bytes) with its numbers.
const BLOCK_BYTES: usize = 3_980;

/// The blocks of one batch, the parameter, in the order of their addresses.
pub(crate) fn of_batch() -> String {
    format!("select {BLOCK_COLUMNS} from block where batch = ?1 order by first")
}

/// The blocks of one batch behind one that begins with an address, the second parameter; in order.
pub(crate) fn of_batch_after() -> String {
    format!("select {BLOCK_COLUMNS} from block where batch = ?1 and first > ?2 order by first")
}

/// The blocks of batches that were not taken back, in the order in which they went in.
pub(crate) fn that_count() -> String {
    format!(
        "select {BLOCK_COLUMNS} from block where batch in (select id from batch where undone is null) order by block.id"
    )
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
}

/// The columns of a block that is written.
const WRITTEN: [Column; 4] = [
    ("batch", ColumnKind::Integer),
    ("first", ColumnKind::Bytes),
    ("count", ColumnKind::Integer),
    ("packed", ColumnKind::Bytes),
];

/// How many blocks are written at once.
const BLOCKS_AT_ONCE: usize = 256;

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
struct Members<'a> {
    packed: &'a [u8],
    /// What the first one must be; none once it was handed over.
    first: Option<&'a [u8]>,
    left: i64,
    address: Vec<u8>,
}

/// Bytes that are no block.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct NoBlock;

/// Calls `each` with the addresses of a block, whose row has [`BLOCK_COLUMNS`], as long as it wants more. Fails where the block is
/// not as it was written.
pub(crate) fn each_member(row: &Row<'_>, mut each: impl FnMut(&[u8]) -> Result<ControlFlow<()>>) -> Result<()> {
    let mut members = Members { left: row.get(1)?, packed: row.get(2)?, first: Some(row.get(3)?), address: Vec::new() };
    while let Some(address) = members.next().map_err(|NoBlock| row.damaged())? {
        if each(address)?.is_break() {
            break;
        }
    }
    Ok(())
}

impl<'a> Members<'a> {
    /// The next one. Fails where the block is not as it was written.
    fn next(&mut self) -> std::result::Result<Option<&[u8]>, NoBlock> {
        if self.left <= 0 {
            return if self.left == 0 && self.packed.is_empty() { Ok(None) } else { Err(NoBlock) };
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
            _ => Err(NoBlock),
        }
    }
}

/// Writes the blocks of a batch.
pub(crate) struct BlockWriter<'a> {
    store: &'a dyn Store,
    batch: i64,
    block: Packed,
    /// Blocks that wait to be written.
    full: Vec<Packed>,
}

impl<'a> BlockWriter<'a> {
    pub fn new(store: &'a dyn Store, batch: i64) -> BlockWriter<'a> {
        BlockWriter { store, batch, block: Packed::default(), full: Vec::new() }
    }

    /// Adds an address, which is behind all that were added before.
    pub fn add(&mut self, address: &[u8]) -> Result<()> {
        let Packed { bytes, first, .. } = &self.block;
        // As much as it can come to, with two lengths in front.
        if bytes.len() + first.len() + address.len() + 4 > BLOCK_BYTES {
            self.put_by();
            if self.full.len() == BLOCKS_AT_ONCE {
                self.write()?;
            }
        }
        self.block.add(address);
        Ok(())
    }

    fn put_by(&mut self) {
        if self.block.count > 0 {
            self.full.push(std::mem::take(&mut self.block));
        }
    }

    fn write(&mut self) -> Result<()> {
        let mut cells: Vec<Cell> = Vec::with_capacity(self.full.len() * WRITTEN.len());
        for Packed { bytes, first, count, .. } in &self.full {
            cells.extend([Cell::from(self.batch), first.into(), (*count).into(), bytes.into()]);
        }
        self.store.put_rows("block", &WRITTEN, &cells)?;
        self.full.clear();
        Ok(())
    }

    /// Writes what is left.
    pub fn finish(&mut self) -> Result<()> {
        self.put_by();
        self.write()
    }
}

/// Marks which of the addresses, in order, a batch has in its blocks. Each of these is looked at once at most.
pub(crate) fn mark(store: &dyn Store, batch: i64, addresses: &[&[u8]], has: &mut [bool]) -> Result<()> {
    let mut at = 0;
    store.blocks_that_may_have(batch, addresses, &mut |row| {
        each_member(row, |member| {
            at += addresses[at..].partition_point(|address| *address < member);
            while addresses.get(at).is_some_and(|address| *address == member) {
                has[at] = true;
                at += 1;
            }
            Ok(ControlFlow::Continue(()))
        })?;
        Ok(ControlFlow::Continue(()))
    })
}

/// The batches that have an address in a block, in order.
pub(crate) fn batches_with(store: &dyn Store, text: &Text) -> Result<Vec<i64>> {
    if text.kind != Kind::Address {
        return Ok(Vec::new());
    }
    let mut found = Vec::new();
    // The one block of each batch in which it would stand.
    let query = format!(
        "select {BLOCK_COLUMNS} from block where id in (
           select (select here.id from block here where here.batch = batch.id and here.first <= ?1
             order by here.first desc limit 1) from batch) order by batch"
    );
    store.each(&query, cells![text], |row| {
        let mut has = false;
        each_member(row, |member| {
            has |= member == text.value;
            Ok(ControlFlow::Continue(()))
        })?;
        if has {
            found.push(row.get(0)?);
        }
        Ok(())
    })?;
    Ok(found)
}

/// Lets an address out of the blocks of a batch: it is an entry of its own from now on, whose number is given back. What the
/// batch counts stays.
pub(crate) fn let_out(change: &dyn Store, batch: i64, text: &Text) -> Result<Option<i64>> {
    let query =
        format!("select {BLOCK_COLUMNS}, id from block where batch = ?1 and first <= ?2 order by first desc limit 1");
    let found = change.first(&query, cells![batch, text], |row| {
        let (id, mut rest, mut has) = (row.get::<i64>(4)?, Packed::default(), false);
        each_member(row, |member| {
            if member == text.value {
                has = true;
            } else {
                rest.add(member);
            }
            Ok(ControlFlow::Continue(()))
        })?;
        Ok(has.then_some((id, rest)))
    })?;
    let Some((id, rest)) = found.flatten() else { return Ok(None) };
    if rest.count == 0 {
        change.execute("delete from block where id = ?1", cells![id])?;
    } else {
        change.execute(
            "update block set first = ?1, count = ?2, packed = ?3 where id = ?4",
            cells![&rest.first, rest.count, &rest.bytes, id],
        )?;
    }
    let own = id_of_new(change, text)?;
    change.value("insert into entry (text, batch) values (?1, ?2) returning id", cells![own, batch]).map(Some)
}

/// Lets an address out of all blocks.
pub(crate) fn let_out_of_all(change: &dyn Store, text: &Text) -> Result<()> {
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

    fn members(count: i64, packed: &[u8]) -> std::result::Result<Vec<Vec<u8>>, NoBlock> {
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
