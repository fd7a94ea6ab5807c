//! One chunk of a list, read into entries. [`super::lists`] puts the chunks together; near misses and values to be taken
//! read them a second time with their texts.

use super::counts::{FileCounts, Problem};
use super::list_entries::Entries;
use super::records::{line_above, not_text};
use crate::clean::double_encoded;
use crate::columns::lines::Line;
use crate::run::contact::keys::RowKeys;
use crate::run::contact::{ContactReader, ContactWishes};
use crate::run::open::files::{EntryStatus, OpenFile, OpenFiles};
use crate::suppress::alike::{Alike, name_in};
use crate::suppress::status::{self, StatusReason, StatusReasons};
use pebblebank_table::units::{ColumnIndex, ListId, RowNumber};
use pebblebank_table::{Chunk, Record, Records, cell};
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::entry;
use pebblebank_values::identity::{IdentityHash, IdentityHasher};
use pebblebank_values::unread::{self, RowGave, UnreadText};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::Arc;

/// The fewest digits of a hash.
const SHORTEST_HASH: usize = 32;

/// What a thread reuses from chunk to chunk of lists.
#[derive(Default)]
pub(crate) struct EntryScratch {
    records: Records,
    contacts: ContactReader,
    cleaner: AddressCleaner,
    /// Whether the texts of entries are wanted.
    keeps_texts: bool,
    /// Whether it is wanted which row each entry stands in.
    keeps_places: bool,
}

impl EntryScratch {
    pub fn new(files: &OpenFiles) -> EntryScratch {
        EntryScratch {
            contacts: ContactReader::new(&files.addresses),
            cleaner: AddressCleaner::with(Arc::clone(&files.addresses)),
            ..EntryScratch::default()
        }
    }

    /// One that keeps the texts of entries.
    pub fn with_texts(files: &OpenFiles) -> EntryScratch {
        EntryScratch { keeps_texts: true, ..EntryScratch::new(files) }
    }

    /// One that keeps the texts of entries, and which row each of them stands in.
    pub fn with_places(files: &OpenFiles) -> EntryScratch {
        EntryScratch { keeps_places: true, ..EntryScratch::with_texts(files) }
    }
}

/// The part of a list that one chunk holds.
#[derive(Default)]
pub(crate) struct ListChunk {
    pub records: u64,
    pub counts: FileCounts,
    /// The entries of the list itself, then of its shares by reason.
    pub shares: Vec<Entries>,
    pub left_out: u64,
    pub no_refusal: u64,
    pub soft_bounces: u64,
    pub unlisted_words: BTreeMap<String, u64>,
    /// What was not read as an entry.
    pub unread: Vec<UnreadText>,
    /// How many compared entries the list itself has after each record.
    pub entries_after_row: Vec<u32>,
    /// Which row each entry stands in, where that is wanted.
    pub places: Vec<EntryPlace>,
    pub problem: Option<Problem>,
}

/// The entries of one share that stand in one row.
pub(crate) struct EntryPlace {
    /// The row within the chunk, from 0.
    pub row: usize,
    /// The share.
    pub share: usize,
    /// Those that are compared by their hash.
    pub compared: Range<usize>,
    /// Those that are domains.
    pub domains: Range<usize>,
}

/// What is looked for in a list file's rows beside addresses.
pub(crate) struct ListPlan<'a> {
    keys: Option<&'a RowKeys>,
    /// The column whose words say of each entry what happened.
    status: Option<EntryStatus>,
    /// The columns that the list goes by, where that is not the address.
    key_columns: Vec<ColumnIndex>,
    /// Whether it matters what is not read: the list holds people back.
    pub looks_for_unread: bool,
}

impl ListPlan<'_> {
    /// Whether the list goes by other values than addresses.
    pub fn has_keys(&self) -> bool {
        self.keys.is_some_and(RowKeys::has_keys)
    }

    /// Whether a row counts.
    pub fn counts(
        &self,
        file: &OpenFile<ListId>,
        record: &Record,
        contacts: &mut ContactReader,
        hasher: &IdentityHasher,
    ) -> bool {
        self.keys.is_none_or(|keys| {
            let contact = file.contact(contacts, *record, ContactWishes::values(keys.cleaning()));
            keys.read(&contact, hasher, |_, _| ()).counts
        })
    }

    pub fn of(files: &OpenFiles, file: usize) -> ListPlan<'_> {
        let keys = files.list_keys[file].as_ref();
        ListPlan {
            keys,
            status: files.list_status[file],
            key_columns: keys.map(|keys| keys.columns().collect()).unwrap_or_default(),
            looks_for_unread: false,
        }
    }
}

/// Reads the rows of one chunk of a list.
pub(crate) fn read_list_chunk(
    file: &OpenFile<ListId>,
    plan: &ListPlan,
    chunk: &Chunk,
    hasher: &IdentityHasher,
    scratch: &mut EntryScratch,
) -> ListChunk {
    let mut read = ListChunk::default();
    let gives_reasons = plan.status.is_some_and(|status| status.gives_reasons);
    let shares = if gives_reasons { 1 + StatusReasons::REASONS.len() } else { 1 };
    read.shares.resize_with(shares, Entries::default);
    let EntryScratch { records, contacts, cleaner, keeps_texts, keeps_places } = scratch;
    records.split(chunk, file.dialect);
    read.records = records.len() as u64;
    read.problem = not_text(file, chunk, records);
    if read.problem.is_some() {
        return read;
    }
    let columns: Vec<ColumnIndex> = file.map().address_columns().collect();
    let mut rows = RowReader { file, plan, hasher, columns: &columns, contacts, cleaner, keeps_texts: *keeps_texts };
    for index in 0..records.len() {
        // The entries of the records before.
        read.entries_after_row.extend((index > 0).then_some(read.shares[0].compared.len() as u32));
        let record = records.get(index, &chunk.bytes, file.dialect);
        let row = RowNumber(index as u64 + 1);
        let line = line_above(file, chunk, index).unwrap_or_else(|| rows.judge(&record));
        read.counts.count(line);
        if line == Line::RepeatedHeader && file.begins_another_table(&record) {
            read.counts.other_tables.at(row);
        }
        let before = keeps_places.then(|| read.entries_so_far());
        match line {
            Line::Contact => rows.read(&record, row, &mut read),
            _ => read.look_for_unread(&record, row, plan, &[], RowGave::NoEntry),
        }
        if let Some(before) = before {
            read.keep_places(index, &before);
        }
    }
    read.entries_after_row.push(read.shares[0].compared.len() as u32);
    read
}

/// Reads the rows of one chunk into entries.
struct RowReader<'a> {
    file: &'a OpenFile<ListId>,
    plan: &'a ListPlan<'a>,
    hasher: &'a IdentityHasher,
    /// The columns of addresses.
    columns: &'a [ColumnIndex],
    contacts: &'a mut ContactReader,
    cleaner: &'a mut AddressCleaner,
    keeps_texts: bool,
}

/// What a row says of the entries in it.
#[derive(Default)]
struct RowSays {
    /// The share that they go into.
    share: usize,
    /// The values that the list goes by, where that is not the address.
    keys: Vec<IdentityHash>,
    alike: Option<Alike>,
}

impl<'a> RowReader<'a> {
    /// What the row is; what has an `@` in its column of addresses is an entry whatever else it looks like.
    fn judge(&self, record: &Record) -> Line {
        let first = self.columns.first().map_or(&[][..], |column| record.raw(column.0));
        if memchr::memchr(b'@', first).is_some() { Line::Contact } else { self.file.judge(record) }
    }

    /// Takes the entries out of a row, and keeps what it holds beside them.
    fn read(&mut self, record: &Record, row: RowNumber, read: &mut ListChunk) {
        let Some(says) = self.says(record, read) else { return };
        let share = says.share;
        let before = read.shares[share].compared.len();
        let (gave_entry, columns) = if self.plan.has_keys() {
            (read.shares[share].add_keys(&says.keys, says.alike), Cow::Borrowed(&self.plan.key_columns[..]))
        } else {
            self.addresses(record, row, share, read)
        };
        let entries = &mut read.shares[share];
        entries.blank += u64::from(!gave_entry && entries.compared.len() == before);
        let row_gave = RowGave::new(gave_entry, self.file.map().is_longer(record));
        read.look_for_unread(record, row, self.plan, &columns, row_gave);
    }

    /// What the row says of its entries; none where they do not count.
    fn says(&mut self, record: &Record, read: &mut ListChunk) -> Option<RowSays> {
        let plan = self.plan;
        let mut says = RowSays::default();
        if plan.keys.is_none() && plan.status.is_none() {
            return Some(says);
        }
        let wishes = ContactWishes { values: plan.keys.map(RowKeys::cleaning), is_clean: false };
        let contact = self.file.contact(self.contacts, *record, wishes);
        if let Some(keys) = plan.keys {
            let seen = keys.read(&contact, self.hasher, |_, hash| says.keys.push(hash));
            if self.keeps_texts && keys.has_keys() {
                says.alike = keys.alike(self.file.owner, &contact);
            }
            if !seen.counts {
                read.left_out += 1;
                return None;
            }
        }
        if let Some(status) = &plan.status {
            says.share = read.share(&status.source.value(record, contact.address.text))?;
        }
        Some(says)
    }

    /// Takes entries out of the columns of addresses, and of the cells beside them where the row has shifted. Says whether
    /// there was one, and which columns were read.
    fn addresses(
        &mut self,
        record: &Record,
        row: RowNumber,
        share: usize,
        read: &mut ListChunk,
    ) -> (bool, Cow<'a, [ColumnIndex]>) {
        let RowReader { file, hasher, columns, cleaner, keeps_texts, .. } = self;
        let columns = *columns;
        let entries = &mut read.shares[share];
        let usable_before = entries.usable();
        let mut first_gave_entry = true;
        let name = keeps_texts.then(|| name_in(file.map(), record));
        for (place, column) in columns.iter().enumerate() {
            if place == 1 {
                first_gave_entry = entries.usable() > usable_before;
            }
            let value = cell::value(record.raw(column.0));
            entry::read(&value, cleaner, &mut |entry| match &name {
                Some(name) => entries.add_alike(entry, name, hasher),
                None => entries.add(entry, hasher),
            });
        }
        let gave_entry = entries.usable() > usable_before;
        first_gave_entry &= gave_entry;
        if first_gave_entry && record.cells() <= file.map().width() {
            return (gave_entry, Cow::Borrowed(columns));
        }
        let mut read_columns: Vec<ColumnIndex> = Vec::new();
        for column in file.map().shifted_addresses(record, first_gave_entry) {
            let value = cell::value(record.raw(column.0));
            entry::read(&value, cleaner, &mut |entry| entries.add(entry, hasher));
            read_columns.push(column);
        }
        let has_shifted = !read_columns.is_empty();
        if has_shifted {
            read.counts.shifted_entries.at(row);
        }
        read_columns.extend_from_slice(columns);
        (gave_entry || has_shifted, Cow::Owned(read_columns))
    }
}

impl ListChunk {
    /// How many entries each share has so far: those that are compared, and domains.
    fn entries_so_far(&self) -> Vec<(usize, usize)> {
        self.shares.iter().map(|entries| (entries.compared.len(), entries.domains.len())).collect()
    }

    /// Keeps that the entries since `before` stand in this row.
    fn keep_places(&mut self, row: usize, before: &[(usize, usize)]) {
        for (share, (entries, (compared, domains))) in self.shares.iter().zip(before).enumerate() {
            let place = EntryPlace {
                row,
                share,
                compared: *compared..entries.compared.len(),
                domains: *domains..entries.domains.len(),
            };
            self.places.extend((!place.compared.is_empty() || !place.domains.is_empty()).then_some(place));
        }
    }

    /// Keeps what a row holds beside its entries.
    #[inline]
    fn look_for_unread(
        &mut self,
        record: &Record,
        row: RowNumber,
        plan: &ListPlan,
        read: &[ColumnIndex],
        row_gave: RowGave,
    ) {
        if !plan.looks_for_unread || (row_gave != RowGave::NoEntry && record.cells() == read.len()) {
            return;
        }
        for (column, raw) in record.raw_cells().enumerate() {
            // With an entry in an ordinary row only addresses and hashes count.
            let is_possible =
                raw.len() >= SHORTEST_HASH || row_gave != RowGave::Entry || memchr::memchr(b'@', raw).is_some();
            if raw.len() < 4 || !is_possible || read.contains(&ColumnIndex(column)) {
                continue;
            }
            unread::look_at(&cell::text(raw), row_gave, &mut |look, text| {
                self.unread.push(UnreadText { sheet: None, row, column, look, text });
            });
        }
    }

    /// The share that a status puts a row into; none where it is no refusal.
    fn share(&mut self, value: &[u8]) -> Option<usize> {
        let text = String::from_utf8_lossy(value);
        let text = double_encoded::repaired(&text).map_or(text, Cow::Owned);
        match status::read(&text) {
            StatusReason::Is(reason) => {
                let place = StatusReasons::REASONS.into_iter().position(|other| other == reason);
                // Some reasons only a list as a whole can have.
                return Some(place.map(|place| place + 1).filter(|place| *place < self.shares.len()).unwrap_or(0));
            }
            StatusReason::Unlisted | StatusReason::Verdict => {
                *self.unlisted_words.entry(text.trim().chars().take(40).collect()).or_default() += 1;
                return Some(0);
            }
            StatusReason::Blank => return Some(0),
            StatusReason::SoftBounce => self.soft_bounces += 1,
            StatusReason::None => {}
        }
        self.no_refusal += 1;
        None
    }
}
