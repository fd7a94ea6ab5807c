//! The entries that are remembered from earlier work, brought into a run: by one scan, or by look-ups where few people
//! are to be compared with many entries.

use super::chunks::Reading;
use super::counts::ListCounts;
use super::kept::People;
use super::list_entries::Entries;
use super::records::line_above;
use crate::job::Job;
use crate::job::remembering::Remembering;
use crate::run::contact::keys::{keyed_phone_hash, phone_hash};
use crate::run::contact::{ContactReader, ContactWishes};
use crate::run::open::files::OpenFiles;
use crate::suppress::remembered::{Among, HeldBy, RememberedEntry};
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::units::ListId;
use pebblebank_table::{Records, Result, cell};
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::digest::DigestKind;
use pebblebank_values::identity::{Identity, IdentityHasher};
use pebblebank_values::look;
use std::borrow::Cow;
use std::sync::Arc;

/// With fewer entries a scan takes no time that anybody would notice.
const WORTH_LOOK_UPS: u64 = 100_000;

/// A look-up takes as long as scanning about this many entries.
const ENTRIES_PER_LOOK_UP: u64 = 20;

/// Adds the entries of everything that is remembered; says whether they were looked up, so that most are not there.
pub fn add_entries(
    job: &Job,
    files: &OpenFiles,
    people: &mut People,
    lists: &mut [ListCounts],
    observer: &dyn Observer,
) -> Result<bool> {
    let Remembering::From(memory) = &job.remembered else { return Ok(false) };
    let list_of = |hold: usize| {
        let place = job.lists.iter().position(|list| list.place_in_bank() == Some(hold))?;
        Some(ListId(place as u16))
    };
    // A job that asks who is the same person alone has no lists of them.
    let Some(of_hold) = (0..memory.holds().len()).map(list_of).collect::<Option<Vec<ListId>>>() else {
        return Ok(false);
    };
    let looks_up = is_worth_looking_up(memory.holds().iter().map(|hold| hold.entries).sum(), files, job);
    let among = if looks_up { Some(among(files, observer)?) } else { None };
    let key = memory.key();
    people.checks.digests.set_key(key);
    if key.is_some() {
        people.checks.digests.add(DigestKind::Keyed);
    }
    let mut waiting: (usize, Entries) = (0, Entries::default());
    let put = |people: &mut People, lists: &mut [ListCounts], (hold, entries): (usize, Entries)| {
        let Some(list) = of_hold.get(hold) else { return Ok(()) };
        people.add_list_entries(entries, *list, &mut lists[list.0 as usize])
    };
    memory.entries(among.as_ref(), &mut |hold, entry| {
        if waiting.0 != hold || waiting.1.compared.len() >= ENTRIES_AT_ONCE {
            put(people, lists, std::mem::take(&mut waiting))?;
            waiting.0 = hold;
        }
        waiting.1.add_remembered(entry, memory.holds()[hold].by, of_hold[hold], &people.hasher);
        Ok(())
    })?;
    put(people, lists, waiting)?;
    for (hold, list) in memory.holds().iter().zip(&of_hold) {
        // Look-ups leave out what is of nobody here.
        let counts = &mut lists[list.0 as usize];
        let met = counts.addresses + counts.domains;
        counts.addresses += hold.entries.saturating_sub(met);
        // What somebody put into the bank was looked at then.
        counts.providers.clear();
    }
    Ok(looks_up)
}

/// Whether few rows are asked about this many entries that each is looked up, and identities are what the bank knows.
fn is_worth_looking_up(entries: u64, files: &OpenFiles, job: &Job) -> bool {
    let rows: u64 = files.sources.iter().map(|file| file.records_estimated).sum();
    entries >= WORTH_LOOK_UPS
        && rows * ENTRIES_PER_LOOK_UP < entries
        && job.clean.identity == Identity::IgnoreCase
        && files.sources.iter().all(|file| file.replacements.is_empty())
}

impl Entries {
    /// Adds an entry of the bank. Phone numbers are compared within their `list`.
    fn add_remembered(&mut self, entry: RememberedEntry, by: HeldBy, list: ListId, hasher: &IdentityHasher) {
        match entry {
            RememberedEntry::Address(identity) => self.compared.push(hasher.hash_address(identity.as_bytes())),
            RememberedEntry::Domain(domain) => self.domains.push(domain.to_owned()),
            RememberedEntry::Phone(phone) => self.compared.push(phone_hash(list, phone, hasher)),
            RememberedEntry::Digest(digest) if by == HeldBy::Phone => {
                self.compared.push(keyed_phone_hash(list, &digest, hasher));
            }
            RememberedEntry::Digest(digest) => self.digest(digest, hasher),
            RememberedEntry::Mailed(identity, mailing) => {
                self.compared.push(hasher.hash_address(identity.as_bytes()));
                self.mailings.push(mailing);
            }
            RememberedEntry::MailedDigest(digest, mailing) => {
                self.digest(digest, hasher);
                self.mailings.push(mailing);
            }
        }
    }
}

/// How many entries are handed over at once.
const ENTRIES_AT_ONCE: usize = 4096;

/// Everybody in the sources, by identity.
fn among(files: &OpenFiles, observer: &dyn Observer) -> Result<Among> {
    let mut among = Among::default();
    let mut records = Records::default();
    let mut contacts = ContactReader::new(&files.addresses);
    let mut cleaner = AddressCleaner::with(Arc::clone(&files.addresses));
    let mut reading = Reading::new(&files.sources, Stage::Reading, observer);
    while let Some(chunk) = reading.next()? {
        let file = &files.sources[chunk.file.0 as usize];
        records.split(&chunk.chunk, file.dialect);
        for index in 0..records.len() {
            if line_above(file, &chunk.chunk, index).is_some() {
                continue;
            }
            let record = records.get(index, &chunk.chunk.bytes, file.dialect);
            // Whatever else looks like an address is compared too: one too many takes no time.
            let others = record.raw_cells().filter(|raw| memchr::memchr(b'@', raw).is_some()).map(cell::value);
            let contact = file.contact(&mut contacts, record, ContactWishes::ADDRESS);
            for value in std::iter::once(Cow::Borrowed(contact.typed)).chain(others) {
                let address = cleaner.clean(&value);
                // An unusable one is compared by its text and its domain.
                among.add(&String::from_utf8_lossy(address.identity));
                address.further.iter().for_each(|further| among.add(&further.identity));
                address.held_by.iter().for_each(|text| among.add(text));
                for identity in look::addresses_in(&String::from_utf8_lossy(&value)) {
                    among.add(&identity);
                }
            }
        }
        chunk.give_back();
    }
    Ok(among)
}
