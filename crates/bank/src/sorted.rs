//! Entries that wait to go in: sorted and each kept once, in a temporary file beside the bank.

use crate::entry::NewEntry;
use crate::text::{Kind, Text};
use pebblebank_table::sorter::Sorter;
use pebblebank_table::spill::{Spill, SpillWriter};
use pebblebank_table::{Error, Result};
use pebblebank_values::date::Date;
use std::path::Path;

/// Adds an entry to what is sorted.
pub(crate) fn push(sorter: &mut Sorter, order: &mut Vec<u8>, entry: &NewEntry) -> Result<()> {
    let NewEntry { text, day, is_soft, until, .. } = entry;
    let number = |date: &Option<Date>| date.map_or(i32::MIN, Date::day_number).to_le_bytes();
    order.clear();
    order.push(text.kind as u8);
    order.extend_from_slice(&text.value);
    let mut payload = [u8::from(*is_soft); 9];
    payload[1..5].copy_from_slice(&number(day));
    payload[5..].copy_from_slice(&number(until));
    sorter.push(order, &payload)
}

/// Entries, each once, in the order of the bank's index; in a temporary file.
pub(crate) struct SortedEntries {
    spill: Spill,
    seen: Seen,
}

/// What there is among them.
#[derive(Default)]
struct Seen {
    /// Addresses that say no more than their batch does.
    plain: u64,
    softs: u64,
}

impl SortedEntries {
    /// Of several entries with the same text one is kept, with the latest days; of soft bounces one for each day. An entry of
    /// `day`, that of the batch, has none of its own.
    pub fn of(sorter: Sorter, day: Date, folder: &Path) -> Result<SortedEntries> {
        let mut out = SpillWriter::new(folder)?;
        let mut seen = Seen::default();
        let mut all = sorter.finish()?;
        let mut same: Vec<(bool, i32, i32)> = Vec::new();
        let mut text: Vec<u8> = Vec::new();
        loop {
            let next = all.next()?;
            let is_same = next.is_some_and(|(order, _)| order == text.as_slice());
            if !is_same {
                put_same(&mut out, &text, &mut same, day.day_number(), &mut seen)?;
                let Some((order, _)) = next else { break };
                text.clear();
                text.extend_from_slice(order);
            }
            if let Some((_, payload)) = next {
                let number = |at: usize| payload[at..at + 4].try_into().map_or(i32::MIN, i32::from_le_bytes);
                same.push((payload[0] == 1, number(1), number(5)));
            }
        }
        Ok(SortedEntries { spill: out.finish()?, seen })
    }

    /// Whether at least `fewest` addresses can stand in blocks. Soft bounces are looked at beside the other entries of their text.
    pub fn may_be_in_blocks(&self, fewest: u64) -> bool {
        self.seen.plain >= fewest && self.seen.softs == 0
    }

    /// Calls `each` with all of them, `at_once` at a time.
    pub fn for_some(&mut self, at_once: usize, mut each: impl FnMut(&mut Vec<NewEntry>) -> Result<()>) -> Result<()> {
        let date = |bytes: &[u8]| {
            let number = bytes.try_into().map_or(i32::MIN, i32::from_le_bytes);
            (number != i32::MIN).then(|| Date::from_day_number(number))
        };
        let mut reader = self.spill.reader()?;
        let mut some = Vec::with_capacity(at_once);
        while let Some(frame) = reader.next()? {
            let (head, value) = frame.split_first_chunk::<10>().ok_or_else(Error::defect)?;
            some.push(NewEntry {
                text: Text { kind: Kind::of_code(i64::from(head[0])), value: value.to_vec() },
                is_soft: head[1] == 1,
                day: date(&head[2..6]),
                until: date(&head[6..10]),
                file_day: None,
            });
            if some.len() == at_once {
                each(&mut some)?;
                some.clear();
            }
        }
        if some.is_empty() { Ok(()) } else { each(&mut some) }
    }
}

fn put_same(
    out: &mut SpillWriter,
    text: &[u8],
    same: &mut Vec<(bool, i32, i32)>,
    day_of_batch: i32,
    seen: &mut Seen,
) -> Result<()> {
    let mut put = |(is_soft, day, until): (bool, i32, i32)| {
        let head = [text[0], u8::from(is_soft)];
        out.frame(&[&head, &day.to_le_bytes(), &until.to_le_bytes(), &text[1..]]).map(drop)
    };
    same.sort_unstable();
    let hard = same.iter().filter(|entry| !entry.0);
    if let Some(day) = hard.clone().map(|entry| entry.1).max() {
        let until = hard.clone().map(|entry| entry.2);
        // What holds for good holds longer than any day.
        let for_good = until.clone().any(|until| until == i32::MIN);
        let day = if day == day_of_batch { i32::MIN } else { day };
        let until = if for_good { i32::MIN } else { until.max().unwrap_or(i32::MIN) };
        seen.plain += u64::from(text[0] == Kind::Address as u8 && day == i32::MIN && until == i32::MIN);
        put((false, day, until))?;
    }
    let mut soft: Vec<(bool, i32, i32)> = same.drain(..).filter(|entry| entry.0).collect();
    soft.dedup_by_key(|entry| entry.1);
    seen.softs += soft.len() as u64;
    soft.into_iter().try_for_each(put)
}
