//! How entries go into the tables: many by one statement, each text once, and what they come to.

use crate::batch::{BatchId, NewBatch};
use crate::blocks::BlockWriter;
use crate::entry::NewEntry;
use crate::known::Known;
use crate::seal::{ENTRY_COLUMNS, EntryRow, EntrySum};
use crate::store::{Cell, Column, ColumnKind, Store, cells};
use crate::text::Kind;
use pebblebank_table::Result;
use pebblebank_values::date::Date;

/// The columns of an entry that is written.
const WRITTEN: [Column; 5] = [
    ("text", ColumnKind::Integer),
    ("batch", ColumnKind::Integer),
    ("day", ColumnKind::Integer),
    ("soft", ColumnKind::Integer),
    ("until", ColumnKind::Integer),
];

/// A batch whose entries go in.
pub(crate) struct GoingIn<'a> {
    store: &'a dyn Store,
    known: Known<'a>,
    batch: BatchId,
    only_new: bool,
    counts: Counts,
    blocks: Option<BlockWriter<'a>>,
}

impl<'a> GoingIn<'a> {
    /// `only_new`: what the bank holds already for this reason and scope stays out. `in_blocks`: addresses that say no more than
    /// the batch are put into blocks.
    pub fn new(
        change: &'a dyn Store,
        batch: &NewBatch,
        id: BatchId,
        only_new: bool,
        in_blocks: bool,
    ) -> Result<GoingIn<'a>> {
        Ok(GoingIn {
            store: change,
            known: Known::new(change, batch)?,
            batch: id,
            only_new,
            counts: Counts::default(),
            blocks: in_blocks.then(|| BlockWriter::new(change, id.0)),
        })
    }

    /// Lets entries go in, which are in order. They are used up.
    pub fn put(&mut self, entries: &mut Vec<NewEntry>) -> Result<()> {
        // Who was forgotten is held already, and is not written down again.
        entries.retain(|entry| !entry.text.kind.is_forgotten());
        self.put_in_blocks(entries)?;
        // Of entries with one text the later ones see what became of the first.
        while !entries.is_empty() {
            let mut once: Vec<NewEntry> = Vec::with_capacity(entries.len());
            let mut again = Vec::new();
            for entry in entries.drain(..) {
                let is_again = once.last().is_some_and(|last| last.text == entry.text);
                if is_again { again.push(entry) } else { once.push(entry) }
            }
            self.put_each_once(&mut once)?;
            entries.append(&mut again);
        }
        Ok(())
    }

    /// Lets those go in that stand in blocks.
    fn put_in_blocks(&mut self, entries: &mut Vec<NewEntry>) -> Result<()> {
        let Some(blocks) = &mut self.blocks else { return Ok(()) };
        let (mut plain, others): (Vec<NewEntry>, Vec<NewEntry>) =
            entries.drain(..).partition(NewEntry::is_plain_address);
        *entries = others;
        if self.only_new {
            leave_out_held(&self.known, &mut plain)?;
        }
        for entry in &plain {
            blocks.add(&entry.text.value)?;
            self.counts.add(entry);
        }
        Ok(())
    }

    /// Lets entries go in, each of which has another text.
    fn put_each_once(&mut self, entries: &mut Vec<NewEntry>) -> Result<()> {
        if self.only_new {
            leave_out_held(&self.known, entries)?;
        }
        let mut ids = self.known.ids(entries)?;
        if ids.contains(&None) {
            self.put_new_texts(entries, &ids)?;
            ids = self.known.ids(entries)?;
        }
        let ids: Vec<i64> = ids.into_iter().flatten().collect();
        if ids.len() < entries.len() {
            return Err(self.store.damaged());
        }
        let number = |day: Option<Date>| Cell::from(day.map(Date::day_number));
        let mut cells: Vec<Cell> = Vec::with_capacity(ids.len() * WRITTEN.len());
        for (entry, id) in entries.iter().zip(ids) {
            let NewEntry { day, is_soft, until, .. } = entry;
            let (day, until) = (number(*day), number(*until));
            cells.extend([id.into(), self.batch.0.into(), day, (*is_soft).into(), until]);
            self.counts.add(entry);
        }
        self.store.put_rows("entry", &WRITTEN, &cells)
    }

    fn put_new_texts(&mut self, entries: &[NewEntry], ids: &[Option<i64>]) -> Result<()> {
        let new: Vec<&NewEntry> =
            entries.iter().zip(ids).filter(|(_, id)| id.is_none()).map(|(entry, _)| entry).collect();
        for alike in new.chunk_by(|a, b| a.text.kind == b.text.kind) {
            let values: Vec<&[u8]> = alike.iter().map(|entry| entry.text.value.as_slice()).collect();
            self.store.execute(
                "insert into text (kind, value) select cast(?1 as bigint), value from blobs(?2) given where true
                 on conflict do nothing",
                cells![alike[0].text.kind, Cell::Blobs(&values)],
            )?;
        }
        Ok(())
    }

    /// All are in: what they come to.
    pub fn finish(mut self) -> Result<Counts> {
        if let Some(blocks) = &mut self.blocks {
            blocks.finish()?;
        }
        Ok(self.counts)
    }
}

/// Leaves out what the bank holds already.
fn leave_out_held(known: &Known<'_>, entries: &mut Vec<NewEntry>) -> Result<()> {
    let mut held = known.held(entries)?.into_iter();
    entries.retain(|_| !held.next().unwrap_or_default());
    Ok(())
}

/// What counts of a batch.
#[derive(Debug, Default)]
pub(crate) struct Counts {
    pub entries: i64,
    pub softs: i64,
    phones: i64,
    lapsing: i64,
    sum: EntrySum,
}

impl Counts {
    fn add(&mut self, entry: &NewEntry) {
        self.softs += i64::from(entry.is_soft);
        self.entries += i64::from(!entry.is_soft);
        self.phones += i64::from(!entry.is_soft && entry.text.kind.is_of_phone());
        self.lapsing += i64::from(entry.until.is_some());
        let number = |day: Option<Date>| day.map(|day| i64::from(day.day_number()));
        self.sum.add(&EntryRow {
            kind: entry.text.kind.code(),
            value: &entry.text.value,
            day: number(entry.day),
            is_soft: entry.is_soft,
            until: number(entry.until),
        });
    }

    pub fn write(&self, change: &dyn Store, batch: BatchId, how: &str, moment: &str) -> Result<()> {
        let Counts { entries, softs, phones, lapsing, sum } = self;
        change.execute(
            "update batch set entries = ?1, softs = ?2, phones = ?3, lapsing = ?4, digest = ?5 where id = ?6",
            cells![*entries, *softs, *phones, *lapsing, &sum.bytes(), batch.0],
        )?;
        change.execute(
            "insert into history (moment, what, batch, count) values (?1, ?2, ?3, ?4)",
            cells![moment, how, batch.0, entries + softs],
        )?;
        Ok(())
    }
}

/// Takes an entry that is about to go out of what its batch counts and out of its sum; not by counting anew, since batches
/// may be large.
pub(crate) fn count_out(change: &dyn Store, entry: i64) -> Result<()> {
    let query = format!(
        "select {ENTRY_COLUMNS}, b.digest from entry e join text t on t.id = e.text join batch b on b.id = e.batch
         where e.id = ?1 and e.removed is null and b.undone is null"
    );
    let found = change.first(&query, cells![entry], |row| {
        let taken = EntryRow::of(row)?;
        let mut sum = EntrySum::read(row.get(6)?).unwrap_or_default();
        sum.take_out(&taken);
        let is_of_phone = Kind::of_code(taken.kind).is_of_phone();
        Ok((row.get::<i64>(0)?, sum, taken.is_soft, is_of_phone, taken.until.is_some()))
    })?;
    let Some((batch, sum, is_soft, is_of_phone, is_lapsing)) = found else { return Ok(()) };
    change.execute(
        "update batch set entries = entries - ?1, softs = softs - ?2, phones = phones - ?3, lapsing = lapsing - ?4,
           digest = ?5 where id = ?6",
        cells![!is_soft, is_soft, !is_soft && is_of_phone, is_lapsing, &sum.bytes(), batch],
    )?;
    Ok(())
}
