//! One row of a source, as it is read for the first time: the identities by which it is compared, and what it says of consent.
//! No value is kept.

use super::counts::{Problem, SourceChunk};
use super::statements::Statements;
use crate::person::keys::Role;
use crate::run::contact::Contact;
use crate::run::contact::keys::RowKeys;
use crate::run::open::files::OpenFile;
use crate::run::row_bits::{HAS_OTHER_KEY, LEFT_OUT};
use crate::suppress::RowChecks;
use crate::suppress::marks::Mark;
use pebblebank_formats::Format;
use pebblebank_table::units::{ColumnIndex, RowNumber, SourceId};
use pebblebank_table::{Record, cell};
use pebblebank_values::address::{Address, AddressCleaner, FurtherAddress, State};
use pebblebank_values::consent::{Consent, Statement};
use pebblebank_values::identity::IdentityHasher;
use pebblebank_values::{Field, look};

/// One row of a source, being read.
pub(super) struct RowRead<'a> {
    pub row: u32,
    pub file: &'a OpenFile<SourceId>,
    pub read: &'a mut SourceChunk,
    pub hasher: &'a IdentityHasher,
    pub checks: &'a RowChecks,
}

impl RowRead<'_> {
    /// Every address by which the person may be known.
    pub fn identities(&mut self, contact: &Contact, further: &mut AddressCleaner) {
        self.first_address(&contact.address, contact.typed);
        self.beside(&contact.address);
        self.further_addresses(&contact.as_meant, further);
        self.compared_addresses(&contact.as_meant, further);
        if !self.file.replacements.is_empty() {
            self.replaced_addresses(&contact.as_read, &contact.as_meant, further);
        }
    }

    fn first_address(&mut self, address: &Address, typed: &[u8]) {
        match address.state {
            State::Usable => self.identity(address.identity, address.domain(), Role::First),
            // Only what looks like an address says anything of other rows.
            State::Invalid(_) if address.identity.contains(&b'@') => {
                self.identity(address.identity, address.domain(), Role::CompareOnly);
            }
            State::Invalid(_) => self.identity(address.identity, b"", Role::Compared),
            State::Blank | State::Placeholder => {}
        }
        if !self.checks.digests.is_empty() && !address.identity.is_empty() && address.state != State::Placeholder {
            let role = if address.is_usable() { Role::FirstHash } else { Role::Compared };
            self.hashes(typed, address, role);
        }
    }

    fn further_addresses(&mut self, record: &Record, further: &mut AddressCleaner) {
        let file = self.file;
        for column in &file.map().further_addresses {
            let value = cell::value(record.raw(column.0));
            let address = further.clean(&value);
            if address.is_usable() {
                self.identity(address.identity, address.domain(), Role::Further);
                if !self.checks.digests.is_empty() {
                    self.hashes(&value, &address, Role::Compared);
                }
            } else if let State::Invalid(_) = address.state {
                let role = if address.identity.contains(&b'@') { Role::CompareOnly } else { Role::Compared };
                self.identity(address.identity, address.domain(), role);
            }
            self.beside(&address);
        }
    }

    /// What a cell holds beside its first address: further ones, and texts that only lists are asked about.
    fn beside(&mut self, address: &Address) {
        for FurtherAddress { text, identity, typed } in address.further {
            let domain = identity.rsplit_once('@').map_or("", |(_, domain)| domain);
            self.identity(identity.as_bytes(), domain.as_bytes(), Role::Further);
            if !self.checks.digests.is_empty() {
                self.hash_forms(typed.as_bytes(), text.as_bytes(), identity.as_bytes(), Role::Compared);
            }
        }
        for text in address.held_by {
            let (role, domain) = match text.rsplit_once('@') {
                Some((_, domain)) => (Role::CompareOnly, domain),
                None => (Role::Compared, ""),
            };
            self.identity(text.as_bytes(), domain.as_bytes(), role);
            if !self.checks.digests.is_empty() {
                self.hash_forms(text.as_bytes(), text.as_bytes(), text.as_bytes(), Role::Compared);
            }
        }
    }

    /// Addresses as they were read, where the job replaced them: who is on a list under the old one is on it all the same.
    fn replaced_addresses(&mut self, as_read: &Record, record: &Record, cleaner: &mut AddressCleaner) {
        for column in self.file.map().address_columns() {
            let value = cell::value(as_read.raw(column.0));
            if value == cell::value(record.raw(column.0)) {
                continue;
            }
            let address = cleaner.clean(&value);
            if address.is_usable() {
                self.identity(address.identity, address.domain(), Role::CompareOnly);
                if !self.checks.digests.is_empty() {
                    self.hashes(&value, &address, Role::Compared);
                }
            }
        }
    }

    /// Addresses of which it is not clear whose they are.
    fn compared_addresses(&mut self, record: &Record, cleaner: &mut AddressCleaner) {
        let file = self.file;
        for column in &file.map().compared_addresses {
            let value = cell::value(record.raw(column.0));
            let address = cleaner.clean(&value);
            if address.is_usable() {
                self.identity(address.identity, address.domain(), Role::CompareOnly);
            }
        }
    }

    /// Addresses outside the columns of addresses, of a row that has none in them: shifted cells, remarks. What the row
    /// says counts for them, and what others say of them for the row; it joins nobody.
    #[cold]
    pub fn stray_addresses(&mut self, record: &Record, is_remark: bool) {
        let map = self.file.map();
        let is_read = |column: usize| {
            let column = ColumnIndex(column);
            map.column(Field::Email) == Some(column) || map.further_addresses.contains(&column)
        };
        for (column, raw) in record.raw_cells().enumerate() {
            if is_read(column) || memchr::memchr(b'@', raw).is_none() {
                continue;
            }
            let text = cell::text(raw);
            for identity in look::addresses_in(&text) {
                // A note may name somebody else; a whole cell is the contact's own.
                if is_remark || text.split_whitespace().count() == 1 {
                    let at = identity.rfind('@').map_or(0, |at| at + 1);
                    self.identity(identity.as_bytes(), &identity.as_bytes()[at..], Role::CompareOnly);
                }
            }
        }
        if is_remark {
            self.read.marks.push((self.row, Mark::UnreadableRow));
        }
    }

    /// The hashes under which a list may hold an address.
    fn hashes(&mut self, typed: &[u8], address: &Address, role: Role) {
        self.hash_forms(typed, address.text, address.identity, role);
    }

    fn hash_forms(&mut self, typed: &[u8], text: &[u8], identity: &[u8], role: Role) {
        let (row, hasher, keys) = (self.row, self.hasher, &mut self.read.keys);
        self.checks.digests.for_each(typed, text, identity, hasher, |hash| keys.push((row, role, hash)));
    }

    #[inline]
    fn identity(&mut self, identity: &[u8], domain: &[u8], role: Role) {
        let hash = self.hasher.hash_address(identity);
        self.read.keys.push((self.row, role, hash));
        if let Some(identities) = &mut self.read.identities {
            identities.push((self.row, String::from_utf8_lossy(identity).into_owned()));
        }
        let RowChecks { domains, allowed, lists_of_addresses, .. } = self.checks;
        if !domains.is_empty() {
            let (row, marks) = (self.row, &mut self.read.marks);
            domains.for_each_match(domain, self.hasher, |list| {
                marks.push((row, if allowed.lifts(hash, list) { Mark::Lifted(list) } else { Mark::On(list) }));
                if role == Role::First && lists_of_addresses[list.0 as usize] {
                    marks.push((row, Mark::FirstOn(list)));
                }
            });
        }
    }

    /// What the row says of consent. A yes or no whose direction is not known `stops` the work, or says nothing.
    pub fn consent(&mut self, contact: &Contact, stops: bool, statements: &mut Statements) {
        let (file, record, address) = (self.file, &contact.as_meant, &contact.address);
        for column in &file.map().consents {
            let raw = record.raw(column.column.0);
            match statements.read(raw, column) {
                Statement::Nothing => self.read.counts.unticked += u64::from(column.is_ticks),
                Statement::YesOrNo if !stops => {}
                Statement::YesOrNo => {
                    let header = file.map().header(column.column).to_owned();
                    let row = self.row;
                    self.read.problem.get_or_insert(Problem::Direction { row, header });
                }
                Statement::Says(Consent::OptedOut | Consent::Complained) if self.came_back(address) => {
                    self.read.counts.void_refusals.at(RowNumber(u64::from(self.row) + 1));
                }
                Statement::Says(consent) => {
                    if consent == Consent::Unlisted {
                        let word = cell::text(raw).trim().chars().take(40).collect();
                        *self.read.counts.unlisted_words.entry(word).or_default() += 1;
                    }
                    self.read.marks.push((self.row, Mark::Said(consent, file.owner)));
                    if consent == Consent::Bounced && address.is_usable() {
                        self.read.marks.push((self.row, Mark::FirstBounced(file.owner)));
                    }
                }
            }
        }
        for (column, seen) in file.map().watched.iter().zip(&mut self.read.counts.watched) {
            let raw = record.raw(column.0);
            if !cell::is_empty(raw) {
                let (is_word, is_refusal) = statements.watched(raw);
                seen.filled += 1;
                seen.words += u64::from(is_word);
                seen.refusals += u64::from(is_refusal);
            }
        }
    }

    /// Whether the person came back after the file was last changed.
    fn came_back(&self, address: &Address) -> bool {
        let returned = &self.checks.returned;
        !returned.is_empty()
            && address.is_usable()
            && returned.voids(self.hasher.hash_address(address.identity), self.file.changed_on)
    }

    /// The keys by which rows are joined and ranked beside the address.
    pub fn other_keys(&mut self, keys: &RowKeys, contact: &Contact) {
        let (row, read) = (self.row, &mut *self.read);
        let mut bits = 0;
        let seen = keys.read(contact, self.hasher, |role, hash| {
            bits |= if matches!(role, Role::Other(_)) { HAS_OTHER_KEY } else { 0 };
            read.keys.push((row, role, hash));
        });
        read.ranks.push((row, seen.rank));
        read.add_bits(bits | if seen.counts { 0 } else { LEFT_OUT });
    }

    /// Counts rows that are shorter or longer than the header.
    pub fn width(&mut self, record: &Record) {
        let row = RowNumber(u64::from(self.row) + 1);
        match record.cells().cmp(&self.file.map().width()) {
            // Other formats leave out the empty cells at a row's end.
            std::cmp::Ordering::Less if self.file.format != Format::Delimited => {}
            std::cmp::Ordering::Less => self.read.counts.short_rows.at(row),
            std::cmp::Ordering::Greater => self.read.counts.long_rows.at(row),
            std::cmp::Ordering::Equal => {}
        }
    }
}
