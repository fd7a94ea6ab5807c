//! One row of a list: its entries, and what stands beside them.

use super::plan::Plan;
use crate::columns::lines::Line;
use crate::columns::map::ColumnMap;
use crate::run::contact::ContactReader;
use crate::run::gather::records::line_above;
use crate::run::open::files::OpenFile;
use crate::tasks::found_entries::{EntriesWishes, FORGOTTEN, FoundText};
use pebblebank_formats::Format;
use pebblebank_table::units::{ColumnIndex, ListId, RowNumber};
use pebblebank_table::{Chunk, Record, Records, cell};
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::blank::is_blank;
use pebblebank_values::comparable::digits_of_phone;
use pebblebank_values::entry::Entry;
use pebblebank_values::place::Country;
use pebblebank_values::unread::{RowGave, UnreadCounts, UnreadText, look_at};
use pebblebank_values::{Cleaned, Field, entry, phone};

/// The record of a row that is an entry, and not a title, a header or an empty line.
pub(super) fn contact<'a>(
    file: &OpenFile<ListId>,
    chunk: &'a Chunk,
    records: &'a Records,
    row: usize,
) -> Option<Record<'a>> {
    let record = records.get(row, &chunk.bytes, file.dialect);
    let is_contact = line_above(file, chunk, row).is_none() && file.judge(&record) == Line::Contact;
    is_contact.then_some(record)
}

/// What a row holds.
pub(super) enum Texts {
    Nothing,
    These(Vec<FoundText>),
    /// What cannot be read, as it stands: it is compared with contacts whose values are no better, and may be close to others.
    Unreadable(Vec<FoundText>),
    /// What cannot be read, and cannot be compared with anybody.
    Lost,
}

#[derive(Default)]
pub(super) struct Scratch {
    pub cleaner: AddressCleaner,
    pub contacts: ContactReader,
    /// The cells of the row that were read although they stand outside of the columns of addresses.
    pub shifted: Vec<ColumnIndex>,
}

impl Scratch {
    /// The entries of a row.
    pub fn texts(&mut self, plan: &Plan, map: &ColumnMap, record: &Record, wishes: &EntriesWishes) -> Texts {
        if let Some(phone) = plan.phone {
            return phone_text(&String::from_utf8_lossy(&phone.value(record, b"")), wishes.country);
        }
        let mut texts = Vec::new();
        let mut unreadable = Vec::new();
        let first = map.column(Field::Email).map(|column| cell::text(record.raw(column.0)));
        let forgotten = first.as_deref().and_then(|text| text.trim().strip_prefix(FORGOTTEN)?.strip_prefix(':'));
        if let Some((mark, _)) = forgotten.and_then(|rest| rest.split_once(':')) {
            return Texts::These(vec![FoundText::Forgotten(mark.to_owned())]);
        }
        let mut first_gave_entry = None;
        for column in map.address_columns() {
            let value = cell::value(record.raw(column.0));
            entry::read(&value, &mut self.cleaner, &mut |entry| match entry {
                Entry::Address(identity) => {
                    texts.push(FoundText::Address(String::from_utf8_lossy(identity).into_owned()));
                }
                Entry::Domain(domain) => texts.push(FoundText::Domain(domain)),
                Entry::Digest(digest) => texts.push(FoundText::Digest(digest)),
                Entry::Unusable(text) => {
                    unreadable.push(FoundText::Address(String::from_utf8_lossy(text).into_owned()));
                }
            });
            first_gave_entry.get_or_insert(!texts.is_empty());
        }
        for column in map.shifted_addresses(record, first_gave_entry.unwrap_or(false)) {
            let value = cell::value(record.raw(column.0));
            entry::read(&value, &mut self.cleaner, &mut |entry| {
                if let Entry::Address(identity) = entry {
                    texts.push(FoundText::Address(String::from_utf8_lossy(identity).into_owned()));
                }
            });
            self.shifted.push(column);
        }
        match (texts.is_empty(), unreadable.is_empty()) {
            (true, true) => Texts::Nothing,
            (true, false) => Texts::Unreadable(unreadable),
            (false, _) => {
                // A word beside an entry is a remark.
                let may_be_meant = |text: &FoundText| matches!(text, FoundText::Address(text) if text.contains('@'));
                texts.extend(unreadable.into_iter().filter(may_be_meant));
                Texts::These(texts)
            }
        }
    }
}

fn phone_text(value: &str, country: Option<Country>) -> Texts {
    let value = value.trim();
    if is_blank(value) || phone::is_placeholder(value) {
        return Texts::Nothing;
    }
    let mut number = String::new();
    match phone::clean(value, country, &mut number) {
        Cleaned::AsItIs => Texts::These(vec![FoundText::Phone(value.to_owned())]),
        Cleaned::Repaired(_) => Texts::These(vec![FoundText::Phone(number)]),
        Cleaned::Doubtful(_) => {
            digits_of_phone(value).map_or(Texts::Lost, |digits| Texts::Unreadable(vec![FoundText::Phone(digits)]))
        }
    }
}

/// Counts what a row holds beside its entries.
pub(super) fn look_for_unread(
    file: &OpenFile<ListId>,
    record: &Record,
    row: RowNumber,
    read: &[ColumnIndex],
    gave_entry: bool,
    unread: &mut UnreadCounts,
) {
    // Who is meant by a message was found out when it was read.
    if file.format == Format::Mail {
        return;
    }
    let name = file.input.name();
    let row_gave = RowGave::new(gave_entry, file.map().is_longer(record));
    for (column, raw) in record.raw_cells().enumerate() {
        if raw.len() < 4 || read.contains(&ColumnIndex(column)) {
            continue;
        }
        look_at(&cell::text(raw), row_gave, &mut |look, text| {
            let header = file.map().headers.get(column).map_or_else(|| format!("column {}", column + 1), String::clone);
            unread.add(&name, &header, &UnreadText { sheet: None, row, column, look, text });
        });
    }
}
