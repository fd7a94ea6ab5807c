//! The values of people who may be one, kept while pairs are judged: in memory as far as there is room, then on disk.

use super::supply::take_text;
use crate::person::decisions::Named;
use crate::person::near::NearPerson;
use pebblebank_table::Result;
use pebblebank_table::spill::{FramePlace, Spill, SpillWriter};
use pebblebank_table::units::RowId;
use pebblebank_values::Field;
use std::borrow::Cow;
use std::collections::HashMap;
use std::path::{Path, PathBuf};

/// The fields that people are compared by, the address aside.
pub(super) const COMPARED: [Field; 5] =
    [Field::FirstName, Field::LastName, Field::PostalCode, Field::Phone, Field::Birthday];

/// The values of people, as bytes: in memory, and on disk from where they are too many.
pub(super) struct Values {
    pub(super) bytes: Vec<u8>,
    pub(super) places: HashMap<u32, ValuesPlace>,
    pub(super) most_bytes: u64,
    pub(super) folder: PathBuf,
    pub(super) spill: Option<SpillWriter>,
    pub(super) on_disk: Option<Spill>,
}

/// Where the values of somebody are.
#[derive(Clone, Copy)]
pub(super) enum ValuesPlace {
    /// From this byte on, so many.
    InMemory(usize, usize),
    OnDisk(FramePlace),
}

impl Values {
    pub(super) fn new(most_bytes: u64, folder: &Path) -> Values {
        let folder = folder.to_path_buf();
        Values { bytes: Vec::new(), places: HashMap::new(), most_bytes, folder, spill: None, on_disk: None }
    }

    pub(super) fn add(&mut self, row: RowId, bytes: &[u8]) -> Result<()> {
        let place = if (self.bytes.len() + bytes.len()) as u64 <= self.most_bytes && self.spill.is_none() {
            let place = ValuesPlace::InMemory(self.bytes.len(), bytes.len());
            self.bytes.extend_from_slice(bytes);
            place
        } else {
            let spill = match &mut self.spill {
                Some(spill) => spill,
                none => none.insert(SpillWriter::new(&self.folder)?),
            };
            ValuesPlace::OnDisk(spill.frame(&[bytes])?)
        };
        self.places.insert(row.0, place);
        Ok(())
    }

    /// All are there.
    pub(super) fn finish(&mut self) -> Result<()> {
        self.on_disk = self.spill.take().map(SpillWriter::finish).transpose()?;
        Ok(())
    }

    pub(super) fn of(&self, row: u32) -> Result<Cow<'_, [u8]>> {
        match (self.places.get(&row), &self.on_disk) {
            (Some(ValuesPlace::InMemory(at, length)), _) => Ok(self.bytes[*at..][..*length].into()),
            (Some(ValuesPlace::OnDisk(place)), Some(spill)) => Ok(spill.at(*place)?.into()),
            _ => Ok(Cow::default()),
        }
    }
}

/// The values of one person.
pub(super) struct PersonValues {
    /// The text that the row's address is compared by, usable or not.
    pub(super) named: String,
    /// The identity of a usable address.
    pub(super) address: String,
    pub(super) fields: Vec<String>,
    pub(super) shown: Vec<u8>,
}

impl PersonValues {
    pub(super) fn read(bytes: &[u8]) -> PersonValues {
        let mut rest = bytes;
        let mut take = || {
            let (text, after) = take_text(rest)?;
            rest = after;
            Some(String::from_utf8_lossy(text).into_owned())
        };
        let (named, address) = (take().unwrap_or_default(), take().unwrap_or_default());
        let fields = COMPARED.iter().map(|_| take().unwrap_or_default()).collect();
        PersonValues { named, address, fields, shown: rest.to_vec() }
    }

    /// The values of all columns.
    pub(super) fn shown(&self) -> Vec<&[u8]> {
        let mut rest = &self.shown[..];
        std::iter::from_fn(|| {
            let (text, after) = take_text(rest)?;
            rest = after;
            Some(text)
        })
        .collect()
    }

    pub(super) fn person(&self) -> NearPerson {
        let [first, last, postal_code, phone, birthday] = self.fields.as_slice() else { return NearPerson::default() };
        NearPerson::new(&self.address, first, last, postal_code, phone, birthday)
    }

    /// How a decision names the person: by the address, else by the phone.
    pub(super) fn named(&self) -> Option<Named> {
        if !self.named.is_empty() {
            return Some(Named::Address(self.named.clone()));
        }
        let phone = self.fields.get(3).filter(|phone| !phone.is_empty())?;
        Some(Named::By(Field::Phone, phone.clone()))
    }
}
