//! Rows of the sources, read again between or after the passes: those that are wanted, cleaned, in their order.

use super::known::Known;
use crate::clean::plan::CleaningPlan;
use crate::columns::lines::Line;
use crate::run::contact::{Contact, ContactReader, ContactWishes};
use crate::run::gather::chunks::{Reading, changed};
use crate::run::gather::records::checksum;
use crate::run::setting::Setting;
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::units::RowId;
use pebblebank_table::{Records, Result};

/// A contact that is read again.
pub struct RowAgain<'a> {
    /// Which one.
    pub row: RowId,
    /// The place of its file among those of the sources.
    pub file: usize,
    /// The contact, with its values cleaned where that is wanted.
    pub contact: Contact<'a>,
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

/// Reads the wanted contacts again. `each` adds what it makes of one to what the chunk gives, which `take` gets in order.
pub fn read_again<R: Send + Default>(
    known: &Known,
    setting: &Setting,
    observer: &dyn Observer,
    wants: &Wants<impl Fn(RowId) -> bool + Sync>,
    each: impl Fn(&RowAgain, &mut R) + Sync,
    take: impl FnMut(R) -> Result<()> + Send,
) -> Result<()> {
    read_again_sieved(known, setting, observer, wants, each, |_| (), take)
}

/// The same; `sieve` leaves out of what a chunk gives what is not needed, before it waits for its turn.
pub fn read_again_sieved<R: Send + Default>(
    known: &Known,
    setting: &Setting,
    observer: &dyn Observer,
    wants: &Wants<impl Fn(RowId) -> bool + Sync>,
    each: impl Fn(&RowAgain, &mut R) + Sync,
    sieve: impl Fn(&mut R) + Sync,
    mut take: impl FnMut(R) -> Result<()> + Send,
) -> Result<()> {
    let (files, settled) = (&known.files, &known.settled);
    let mut reading = Reading::again(&files.sources, &settled.chunks, wants.stage, observer);
    let scratch = || (Records::default(), ContactReader::new(&files.addresses));
    in_order(
        setting.threads,
        || reading.next(),
        scratch,
        |chunk, (records, contacts)| {
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
                let values = wants.values.map(|plans| &plans[index]);
                let wishes = ContactWishes { values, is_clean: settled.is_clean(row) };
                let again = RowAgain { row, file: index, contact: file.contact(contacts, original, wishes) };
                each(&again, &mut found);
            }
            sieve(&mut found);
            Ok((chunk, found))
        },
        |(chunk, found)| {
            chunk.give_back();
            take(found)
        },
    )
}
