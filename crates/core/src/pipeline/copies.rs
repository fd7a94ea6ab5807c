//! The rows of persons that have several, read again and sorted by person.

use super::Setting;
use super::chunks::Reading;
use super::first_pass::{address_value, checksum};
use super::in_order::in_order;
use super::known::Known;
use super::second_pass::changed;
use crate::clean::RowCleaner;
use crate::clean::address::{Address, AddressCleaner};
use crate::clean::replace::Replaced;
use crate::error::Result;
use crate::job::Job;
use crate::observe::{Observer, Stage};
use crate::read::{Line, Record, Records};
use crate::sorter::{Sorted, Sorter};
use crate::units::RowId;
use std::sync::Arc;

/// A row of a person that has several.
pub struct CopyRow<'a> {
    /// The row.
    pub row: RowId,
    /// The place of its file among those of the sources.
    pub file: usize,
    /// As it was read.
    pub original: &'a Record<'a>,
    /// With its values cleaned.
    pub cleaned: &'a Record<'a>,
    /// Its address.
    pub address: &'a Address<'a>,
}

/// What a thread reuses from chunk to chunk.
struct Scratch {
    records: Records,
    addresses: AddressCleaner,
    values: RowCleaner,
    replaced: Replaced,
}

/// Sorts the rows of persons with several by person, then in the survivor's ranking, the survivor first. Each record's
/// key begins with the survivor's row, high byte first; its payload is what `payload` adds.
pub fn sort_copies(
    job: &Job,
    known: &Known,
    setting: &Setting,
    memory: u64,
    observer: &dyn Observer,
    payload: impl Fn(&CopyRow, &mut Vec<u8>) + Sync,
) -> Result<Sorted> {
    let (settled, files) = (&known.settled, &known.files);
    let has_copies = settled.with_copies();
    let mut sorter = Sorter::new(memory, &known.spool_folder);
    let mut reading = Reading::again(&files.sources, &settled.chunks, Stage::Filling, observer);
    let scratch = || Scratch {
        records: Records::default(),
        addresses: AddressCleaner::with(Arc::clone(&files.addresses)),
        values: RowCleaner::default(),
        replaced: Replaced::default(),
    };
    in_order(
        setting.threads,
        || reading.next(),
        scratch,
        |chunk, Scratch { records, addresses, values, replaced }| {
            let index = chunk.file.0 as usize;
            let file = &files.sources[index];
            let place = settled.chunks.get(chunk.index).ok_or_else(|| changed(file.input.path()))?;
            records.split(&chunk.chunk, file.dialect);
            if checksum(&chunk.chunk) != place.checksum || records.len() != place.records as usize {
                return Err(changed(file.input.path()));
            }
            let mut found: Vec<(Vec<u8>, Vec<u8>)> = Vec::new();
            for record in 0..records.len() {
                let row = RowId(place.first.0 + record as u32);
                if settled.line(row) != Line::Contact || !has_copies.holds(settled.survivor_of(row)) {
                    continue;
                }
                let original = records.get(record, &chunk.chunk.bytes, file.dialect);
                let mut meant = original;
                if !file.replacements.is_empty() {
                    file.replacements.apply(&original, replaced);
                    meant = replaced.after(&original);
                }
                let typed = address_value(file.map(), &meant);
                let address = addresses.clean(&typed);
                values.clean(&files.cleaning[index], &meant, &address);
                let cleaned = values.after(&meant);
                let copy = CopyRow { row, file: index, original: &original, cleaned: &cleaned, address: &address };
                let mut bytes = Vec::new();
                payload(&copy, &mut bytes);
                found.push((settled.order_of_copy(row, job.person.survivor), bytes));
            }
            Ok((chunk, found))
        },
        |(chunk, found)| {
            chunk.give_back();
            found.iter().try_for_each(|(key, payload)| sorter.push(key, payload))
        },
    )?;
    sorter.finish()
}
