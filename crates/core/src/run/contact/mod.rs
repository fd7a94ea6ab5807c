//! The one way from a raw record to a contact: as it was read, as the job means it, its address, its cleaned values.
//!
//! Every reading goes through [`ContactReader::read`]: the first and the second pass, what is read again in between, lists,
//! entries for the bank, surveys. So what is compared is what is written. [`keys`] finds what a contact is compared by.

mod key_hashes;
pub mod keys;
mod name_columns;
pub mod rank;

use crate::clean::plan::CleaningPlan;
use crate::clean::replace::{Change, Replaced, ReplacementPlan};
use crate::clean::row::RowCleaner;
use crate::columns::map::ColumnMap;
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Record, cell};
use pebblebank_values::address::{Address, AddressCleaner, AddressWishes};
use pebblebank_values::{Doubt, Field};
use std::borrow::Cow;
use std::sync::Arc;

/// What is asked of a record.
#[derive(Debug, Clone, Copy, Default)]
pub struct ContactWishes<'p> {
    /// How its values are cleaned; none where its address is all that is wanted.
    pub values: Option<&'p CleaningPlan>,
    /// Whether an earlier reading found its address clean as it is.
    pub is_clean: bool,
}

impl<'p> ContactWishes<'p> {
    /// Nothing but the address.
    pub const ADDRESS: ContactWishes<'static> = ContactWishes { values: None, is_clean: false };

    /// The address, and the values cleaned as `plan` says.
    pub fn values(plan: &'p CleaningPlan) -> ContactWishes<'p> {
        ContactWishes { values: Some(plan), is_clean: false }
    }
}

/// One person or mailbox, as one record describes it.
pub struct Contact<'a> {
    /// The record as it is in its file.
    pub as_read: Record<'a>,
    /// The record with the replacements of the job.
    pub as_meant: Record<'a>,
    /// The record as it is meant, with its values cleaned where that was wanted.
    pub cleaned: Record<'a>,
    /// What is in the column of addresses, with the replacements of the job.
    pub typed: &'a [u8],
    /// Its address.
    pub address: Address<'a>,
    /// What the job replaced in it.
    pub replaced: &'a [Change],
    /// What was cleaned in it, where that was wanted.
    pub values: Option<&'a RowCleaner>,
}

impl<'a> Contact<'a> {
    /// The address; empty where it cannot be used.
    #[inline]
    pub fn usable_address(&self) -> &'a [u8] {
        if self.address.is_usable() { self.address.text } else { b"" }
    }

    /// What could not be cleaned in it, or looks like something else.
    #[inline]
    pub fn doubts(&self) -> &'a [(ColumnIndex, Doubt)] {
        self.values.map_or(&[], RowCleaner::doubts)
    }
}

/// Turns records into contacts. A thread keeps one from record to record.
#[derive(Default)]
pub struct ContactReader {
    addresses: AddressCleaner,
    replaced: Replaced,
    values: RowCleaner,
    typed: Vec<u8>,
}

impl ContactReader {
    /// A reader that cleans addresses as the job wants it.
    pub fn new(addresses: &Arc<AddressWishes>) -> ContactReader {
        ContactReader {
            addresses: AddressCleaner::with(Arc::clone(addresses)),
            values: RowCleaner::with(Arc::clone(addresses)),
            ..ContactReader::default()
        }
    }

    /// The contact that a record of a file with these columns describes.
    #[inline]
    pub fn read<'a>(
        &'a mut self,
        map: &ColumnMap,
        replacements: &ReplacementPlan,
        record: Record<'a>,
        wishes: ContactWishes,
    ) -> Contact<'a> {
        let ContactReader { addresses, replaced, values, typed } = self;
        let as_meant = if replacements.is_empty() {
            replaced.changes.clear();
            record
        } else {
            replacements.apply(&record, replaced);
            replaced.after(&record)
        };
        let typed: &[u8] = match address_value(map, &as_meant) {
            Cow::Borrowed(value) => value,
            Cow::Owned(value) => {
                *typed = value;
                typed
            }
        };
        let address = if wishes.is_clean { Address::clean_already(typed) } else { addresses.clean(typed) };
        let mut contact = Contact {
            as_read: record,
            as_meant,
            cleaned: as_meant,
            typed,
            address,
            replaced: &replaced.changes,
            values: None,
        };
        if let Some(plan) = wishes.values {
            values.clean(plan, &as_meant, &contact.address);
            contact.cleaned = values.after(&as_meant);
            contact.values = Some(values);
        }
        contact
    }
}

/// The value of the address column; empty where there is none.
#[inline]
fn address_value<'a>(map: &ColumnMap, record: &Record<'a>) -> Cow<'a, [u8]> {
    map.column(Field::Email).map_or(Cow::default(), |column| cell::value(record.raw(column.0)))
}
