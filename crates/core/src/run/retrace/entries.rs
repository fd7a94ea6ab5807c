//! Entries of a list, read again: those that a row has, and those that came close to one.

use super::file::{FileOfRun, NotReadYet, check_unchanged, part_of};
use super::rows::{RetracedRow, cells};
use crate::job::Job;
use crate::job::lists::EntriesToCompare;
use crate::run::gather::chunks::Reading;
use crate::run::gather::counts::Problem;
use crate::run::gather::list_chunk::{EntryPlace, EntryScratch, ListChunk, ListPlan, read_list_chunk};
use crate::run::open::files::OpenFiles;
use crate::suppress::alike::Alike;
use pebblebank_table::Records;
use pebblebank_table::observe::{Silent, Stage};
use pebblebank_table::units::ListId;
use pebblebank_values::identity::{IdentityHash, IdentityHasher};
use std::collections::HashMap;

/// The most entries that are handed over for one file.
const MOST_ENTRIES: usize = 100;

/// By what an entry matches.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum MatchedBy {
    /// It is this address.
    Address(String),
    /// It is this domain, of an address or above one.
    Domain(String),
    /// It is a hash of an address.
    Hash,
    /// It has the value that the list goes by, such as a name or a phone number; as it is compared, where it is text.
    Value(String),
    /// It did not match: it is close to a contact.
    Near(String),
}

/// An entry that came close to a contact, and did not match.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NearEntry {
    /// The list.
    pub list: String,
    /// The entry, as receipts show it.
    pub shown: String,
}

/// An entry of a list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RetracedEntry {
    /// The list, or its part for one reason.
    pub list: String,
    /// Its row in the file, from 1, as a spreadsheet shows it.
    pub row: u64,
    /// By what it matches.
    pub by: MatchedBy,
    /// The filled cells of its row, with their headers.
    pub cells: Vec<(String, String)>,
}

/// What is looked for in lists.
pub(super) struct Asked<'a> {
    /// What the rows are compared by, with the address where it is one.
    keys: HashMap<IdentityHash, Option<&'a str>>,
    /// Their addresses.
    addresses: Vec<&'a str>,
    near: &'a [NearEntry],
}

impl<'a> Asked<'a> {
    pub fn new(rows: &[&'a RetracedRow], near: &'a [NearEntry], hasher: &IdentityHasher) -> Asked<'a> {
        let addresses: Vec<&str> = rows.iter().flat_map(|row| &row.addresses).map(String::as_str).collect();
        let mut keys: HashMap<IdentityHash, Option<&str>> =
            rows.iter().flat_map(|row| &row.keys).map(|key| (*key, None)).collect();
        keys.extend(addresses.iter().map(|address| (hasher.hash_address(address.as_bytes()), Some(*address))));
        Asked { keys, addresses, near }
    }

    fn is_at(&self, domain: &str) -> bool {
        let of = |address: &&str| address.rsplit_once('@').map_or("", |(_, domain)| domain).to_owned();
        self.addresses
            .iter()
            .map(of)
            .any(|own| own.strip_suffix(domain).is_some_and(|before| before.is_empty() || before.ends_with('.')))
    }
}

/// Reads the entries of a file that are asked for.
pub(super) fn read(
    files: &OpenFiles,
    job: &Job,
    of: &FileOfRun,
    asked: &Asked,
    hasher: &IdentityHasher,
) -> Result<Vec<RetracedEntry>, NotReadYet> {
    let (index, file) = part_of(&files.lists, of).map_err(NotReadYet::For)?;
    let plan = ListPlan::of(files, index);
    let goes_by_values = plan.has_keys();
    let mut scratch = EntryScratch::with_places(files);
    let mut records = Records::default();
    let mut reading = Reading::new(std::slice::from_ref(file), Stage::Reading, &Silent);
    let (mut found, mut above) = (Vec::new(), 0);
    while let Some(chunk) = reading.next()? {
        let read = read_list_chunk(file, &plan, &chunk.chunk, hasher, &mut scratch);
        if read.problem.as_ref().is_some_and(Problem::is_not_text) {
            return Err(NotReadYet::NotText(index));
        }
        records.split(&chunk.chunk, file.dialect);
        for place in &read.places {
            let list = ListId(file.owner.0 + place.share as u16);
            let Some(list) = job.lists.get(list.0 as usize) else { continue };
            let name = list.hold().map_or(list.name(), |hold| &hold.name);
            let Some(by) = matched_by(&read, place, name, asked, goes_by_values) else { continue };
            if found.len() < MOST_ENTRIES {
                let record = records.get(place.row, &chunk.chunk.bytes, file.dialect);
                let row = above + place.row as u64 + 1;
                found.push(RetracedEntry { list: name.to_owned(), row, by, cells: cells(file, &record) });
            }
        }
        above += read.records;
        chunk.give_back();
    }
    check_unchanged(reading, of).map_err(NotReadYet::For)?;
    Ok(found)
}

/// By what the entries of one row match what is asked for.
fn matched_by(
    read: &ListChunk,
    place: &EntryPlace,
    list: &str,
    asked: &Asked,
    goes_by_values: bool,
) -> Option<MatchedBy> {
    let entries = &read.shares[place.share];
    let text = |entry: usize| entries.texts.get(entry)?.as_ref().map(Alike::shown);
    for entry in place.compared.clone() {
        // They stand in the order of the entries.
        let further = &entries.also[entries.also.partition_point(|(of, _)| (*of as usize) < entry)..];
        let further = further.iter().take_while(|(of, _)| *of as usize == entry).map(|(_, hash)| hash);
        let mut hashes = std::iter::once(&entries.compared[entry]).chain(further);
        if let Some(known) = hashes.find_map(|hash| asked.keys.get(hash)) {
            return Some(match known {
                Some(address) if !goes_by_values => MatchedBy::Address((*address).to_owned()),
                _ if goes_by_values => MatchedBy::Value(text(entry).unwrap_or_default().to_owned()),
                _ => MatchedBy::Hash,
            });
        }
    }
    let domain = entries.domains[place.domains.clone()].iter().find(|domain| asked.is_at(domain));
    if let Some(domain) = domain {
        return Some(MatchedBy::Domain(domain.clone()));
    }
    let is_near = |shown: &&str| asked.near.iter().any(|near| near.list == list && near.shown == **shown);
    let near = place.compared.clone().find_map(|entry| text(entry).filter(is_near));
    near.map(|shown| MatchedBy::Near(shown.to_owned()))
}
