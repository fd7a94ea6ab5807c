//! Rows of the sources, read again between or after the passes: those that are wanted, cleaned, in their order.

use super::known::Known;
use crate::clean::plan::CleaningPlan;
use crate::clean::replace::Replaced;
use crate::clean::row::RowCleaner;
use crate::columns::lines::Line;
use crate::run::gather::chunks::{Reading, changed};
use crate::run::gather::records::{address_value, checksum};
use crate::run::setting::Setting;
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::units::{ColumnIndex, RowId};
use pebblebank_table::{Record, Records, Result};
use pebblebank_values::Doubt;
use pebblebank_values::address::{Address, AddressCleaner};
use std::sync::Arc;

/// A contact that is read again.
pub struct RowAgain<'a> {
    /// Which one.
    pub row: RowId,
    /// The place of its file among those of the sources.
    pub file: usize,
    /// As it was read.
    pub original: &'a Record<'a>,
    /// As it was meant: with the job's replacements, and with its values cleaned where that is wanted.
    pub cleaned: &'a Record<'a>,
    /// What could not be cleaned in it, where values are cleaned.
    pub doubts: &'a [(ColumnIndex, Doubt)],
    /// Its address.
    pub address: &'a Address<'a>,
}

/// What is read again.
pub struct Wants<'a, F> {
    /// Which contacts.
    pub rows: F,
    /// How the values of each file are cleaned; none where addresses are all that is wanted.
    pub values: Option<&'a [CleaningPlan]>,
    /// What it is for.
    pub stage: Stage,
}

/// What a thread reuses from chunk to chunk.
struct Scratch {
    records: Records,
    addresses: AddressCleaner,
    values: RowCleaner,
    replaced: Replaced,
}

/// Reads the wanted contacts again. `each` adds what it makes of one to what the chunk gives, which `take` gets in order.
pub fn read_again<R: Send + Default>(
    known: &Known,
    setting: &Setting,
    observer: &dyn Observer,
    wants: &Wants<impl Fn(RowId) -> bool + Sync>,
    each: impl Fn(&RowAgain, &mut R) + Sync,
    mut take: impl FnMut(R) -> Result<()> + Send,
) -> Result<()> {
    let (files, settled) = (&known.files, &known.settled);
    let mut reading = Reading::again(&files.sources, &settled.chunks, wants.stage, observer);
    let scratch = || Scratch {
        records: Records::default(),
        addresses: AddressCleaner::with(Arc::clone(&files.addresses)),
        values: RowCleaner::with(Arc::clone(&files.addresses)),
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
            let mut found = R::default();
            for record in 0..records.len() {
                let row = RowId(place.first.0 + record as u32);
                if settled.line(row) != Line::Contact || !(wants.rows)(row) {
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
                let mut doubts: &[(ColumnIndex, Doubt)] = &[];
                if let Some(plans) = wants.values {
                    values.clean(&plans[index], &meant, &address);
                    meant = values.after(&meant);
                    doubts = values.doubts();
                }
                let again =
                    RowAgain { row, file: index, original: &original, cleaned: &meant, doubts, address: &address };
                each(&again, &mut found);
            }
            Ok((chunk, found))
        },
        |(chunk, found)| {
            chunk.give_back();
            take(found)
        },
    )
}
