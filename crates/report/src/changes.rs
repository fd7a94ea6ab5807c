//! What differs between two runs of the same job: who is new, who is gone and why, and how the counts moved.
//!
//! People are compared by the digests of their identities in `people.idx`. A person whom both runs wrote, under whichever
//! address, is neither new nor gone.

use crate::receipt::people::{Fate, Person};
use crate::receipt::{Receipt, written};
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::Result;
use pebblebank_values::identity::stable_digest;
use schemars::JsonSchema;
use serde::Serialize;
use serde_json::Value;
use std::collections::{BTreeMap, HashMap, HashSet};

/// The digest of an identity.
pub type Identity = [u8; 12];

/// Why somebody who was written is no longer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Gone {
    /// The person is set aside now, for this reason.
    SetAside(Reason),
    /// The person is written at another address.
    AnotherAddress,
    /// No source has the person any more.
    InNoSource,
}

impl Gone {
    /// The stable name: that of the reason, `another-address` or `in-no-source`.
    pub fn name(self) -> &'static str {
        match self {
            Gone::SetAside(reason) => reason.name(),
            Gone::AnotherAddress => "another-address",
            Gone::InNoSource => "in-no-source",
        }
    }
}

/// What differs between two runs.
#[derive(Debug, Clone, Default)]
pub struct Changes {
    /// How many contacts the earlier run wrote.
    pub written_before: u64,
    /// How many contacts this run wrote.
    pub written_now: u64,
    /// How many contacts of both runs have no address, so that they were not compared.
    pub not_compared: u64,
    /// For each address that was not written before, its identity; of receipts that list no addresses, all identities of each
    /// person who was not written before.
    pub new: Vec<Vec<Identity>>,
    /// For each address that is no longer written, its identity, those that the person had besides, and why.
    pub gone: Vec<(Vec<Identity>, Gone)>,
    /// How many of the new addresses are of people who were written at another address before.
    pub moved: u64,
    /// For each reason: how many rows were set aside for it before, and now.
    pub reasons: BTreeMap<String, (u64, u64)>,
    /// For each suppression list: its entries and matches before, and now; none where one of the runs had no such list.
    pub lists: BTreeMap<String, (Option<ListCounts>, Option<ListCounts>)>,
    /// For each file that was read: how it compares.
    pub files: Vec<(String, FileChange)>,
}

impl Changes {
    /// How many people were not written before.
    pub fn new_people(&self) -> u64 {
        (self.new.len() as u64).saturating_sub(self.moved)
    }

    /// How many people are no longer written.
    pub fn gone_people(&self) -> u64 {
        self.gone.iter().filter(|(_, why)| *why != Gone::AnotherAddress).count() as u64
    }
}

/// The counts of a suppression list.
#[derive(Debug, Clone, Copy, PartialEq, Eq, JsonSchema, Serialize)]
pub struct ListCounts {
    /// Its entries.
    pub entries: u64,
    /// Those that a contact has.
    pub matched: u64,
}

/// How a file compares with the one of the same name before.
#[derive(Debug, Clone, Copy, PartialEq, Eq, JsonSchema, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum FileChange {
    /// The very same bytes.
    Same,
    /// Other bytes.
    Changed,
    /// Not read before.
    New,
    /// Read before only.
    Gone,
}

/// Compares a run with an earlier one.
pub fn compare(now: &Receipt, before: &Receipt, threads: usize) -> Result<Changes> {
    let people_now = People::of(now, threads)?;
    let people_before = People::of(before, threads)?;
    let Moved { new, gone, moved } = match (written::digests(now)?, written::digests(before)?) {
        (Some(now), Some(before)) => by_address((&now, &people_now), (&before, &people_before)),
        _ => by_person(&people_now, &people_before),
    };
    let written = |receipt: &Receipt| receipt.tally["all"]["written"].as_u64().unwrap_or_default();
    Ok(Changes {
        written_before: written(before),
        written_now: written(now),
        not_compared: (written(before) + written(now))
            .saturating_sub(people_before.written_count() + people_now.written_count()),
        new,
        gone,
        moved,
        reasons: pairs(&reasons(&before.tally), &reasons(&now.tally)),
        lists: lists(&before.tally, &now.tally),
        files: files(before, now),
    })
}

/// Who is new, who is gone and why, and how many of the new ones only have another address.
struct Moved {
    new: Vec<Vec<Identity>>,
    gone: Vec<(Vec<Identity>, Gone)>,
    moved: u64,
}

/// Compares the addresses that were written. An address may be gone although its person is still written: what must be removed
/// at the service is an address.
fn by_address(now: (&[Identity], &People), before: (&[Identity], &People)) -> Moved {
    let is_in = |sorted: &[Identity], address: &Identity| sorted.binary_search(address).is_ok();
    let sorted = |addresses: &[Identity]| {
        let mut sorted = addresses.to_vec();
        sorted.sort_unstable();
        sorted
    };
    let (sorted_now, sorted_before) = (sorted(now.0), sorted(before.0));
    let missing = |addresses: &[Identity], of: &[Identity]| -> Vec<Identity> {
        addresses.iter().filter(|address| !is_in(of, address)).copied().collect()
    };
    let (new, gone) = (missing(now.0, &sorted_before), missing(before.0, &sorted_now));
    let written_before = before.1.written_identities();
    let is_known = |person: &Vec<Identity>| person.iter().any(|identity| is_in(&written_before, identity));
    let moved = now.1.with_their_other_identities(&new).iter().filter(|person| is_known(person)).count() as u64;
    let gone = before.1.with_their_other_identities(&gone).into_iter().map(|person| {
        let why = now.1.why_not(&person[..1]).or_else(|| now.1.why_not(&person)).unwrap_or(Gone::InNoSource);
        (person, why)
    });
    Moved { gone: gone.collect(), moved, new: new.into_iter().map(|address| vec![address]).collect() }
}

/// Compares people by all of their identities, where a receipt does not list addresses.
fn by_person(now: &People, before: &People) -> Moved {
    let why_not = |person: Vec<Identity>| {
        let why = now.why_not(&person).unwrap_or(Gone::InNoSource);
        (person, why)
    };
    let gone = before.written_people(&now.written_identities()).into_iter().map(why_not).collect();
    Moved { new: now.written_people(&before.written_identities()), gone, moved: 0 }
}

/// The addresses that have these digests, by digest; those that a run wrote.
pub fn addresses(receipt: &Receipt, wanted: &[Identity]) -> Result<HashMap<Identity, String>> {
    let wanted: HashSet<&Identity> = wanted.iter().collect();
    let mut found = HashMap::new();
    written::each_address(receipt, &mut |address| {
        let digest = stable_digest(address);
        if wanted.contains(&digest) {
            found.insert(digest, String::from_utf8_lossy(address).into_owned());
        }
    })?;
    Ok(found)
}

/// The people of a run: the identities of each, and what became of it.
struct People {
    /// Identity and survivor, sorted by identity.
    identities: Vec<(Identity, u32)>,
    /// What became of each survivor, by its row.
    fates: Vec<Option<Fate>>,
}

/// What one thread finds in its part of an index.
type Found = (Vec<(Identity, u32)>, Vec<(u32, Fate)>);

impl People {
    fn of(receipt: &Receipt, threads: usize) -> Result<People> {
        let each = |person: Person, (identities, fates): &mut Found| {
            identities.push((person.identity, person.survivor));
            if person.row == person.survivor {
                fates.push((person.survivor, person.fate));
            }
        };
        let sources = receipt.inputs.iter().filter(|input| input.part == "source");
        let rows: u64 = sources.map(|input| input.records).sum();
        let (mut identities, mut fates): (_, Vec<Option<Fate>>) = (Vec::new(), Vec::new());
        for (part, ends) in receipt.scan(threads, &each)? {
            identities.extend(part);
            // A row that no source has is damage, and takes no memory.
            for (row, fate) in ends.into_iter().filter(|(row, _)| u64::from(*row) < rows) {
                let row = row as usize;
                if row >= fates.len() {
                    fates.resize(row + 1, None);
                }
                // A row of several identities has a record for each.
                fates[row].get_or_insert(fate);
            }
        }
        identities.sort_unstable();
        identities.dedup();
        Ok(People { identities, fates })
    }

    fn written_count(&self) -> u64 {
        self.fates.iter().filter(|fate| **fate == Some(Fate::Written)).count() as u64
    }

    fn fate(&self, survivor: u32) -> Option<Fate> {
        self.fates.get(survivor as usize).copied().flatten()
    }

    fn survivors_of(&self, identity: &Identity) -> impl Iterator<Item = u32> {
        let first = self.identities.partition_point(|(known, _)| known < identity);
        self.identities[first..].iter().take_while(move |(known, _)| known == identity).map(|(_, survivor)| *survivor)
    }

    /// The sorted identities of everybody who was written.
    fn written_identities(&self) -> Vec<Identity> {
        let written = self.identities.iter().filter(|(_, survivor)| self.fate(*survivor) == Some(Fate::Written));
        written.map(|(identity, _)| *identity).collect()
    }

    /// The identities of each written person none of whose identities is `known` (sorted), in reading order.
    fn written_people(&self, known: &[Identity]) -> Vec<Vec<Identity>> {
        let mut others: Vec<(u32, Identity)> = Vec::new();
        let mut is_known = vec![false; self.fates.len()];
        let mut known = known.iter().peekable();
        for (identity, survivor) in &self.identities {
            while known.next_if(|next| *next < identity).is_some() {}
            if self.fate(*survivor) != Some(Fate::Written) {
                continue;
            }
            if known.peek() == Some(&identity) {
                is_known[*survivor as usize] = true;
            } else {
                others.push((*survivor, *identity));
            }
        }
        others.retain(|(survivor, _)| !is_known[*survivor as usize]);
        others.sort_unstable();
        others
            .chunk_by(|a, b| a.0 == b.0)
            .map(|person| person.iter().map(|(_, identity)| *identity).collect())
            .collect()
    }

    /// Each of these addresses, which were written, and behind it the other identities of its person.
    fn with_their_other_identities(&self, addresses: &[Identity]) -> Vec<Vec<Identity>> {
        let survivor =
            |address: &Identity| self.survivors_of(address).find(|row| self.fate(*row) == Some(Fate::Written));
        let survivors: Vec<Option<u32>> = addresses.iter().map(survivor).collect();
        let mut of_person: HashMap<u32, Vec<Identity>> =
            survivors.iter().flatten().map(|survivor| (*survivor, Vec::new())).collect();
        for (identity, survivor) in &self.identities {
            if let Some(known) = of_person.get_mut(survivor) {
                known.push(*identity);
            }
        }
        let with_others = |(address, survivor): (&Identity, Option<u32>)| {
            let others = survivor.and_then(|survivor| of_person.get(&survivor)).into_iter().flatten();
            std::iter::once(*address).chain(others.copied().filter(|other| other != address)).collect()
        };
        addresses.iter().zip(survivors).map(with_others).collect()
    }

    /// Why nobody with these identities is written at the first of them; none if no source has them.
    fn why_not(&self, identities: &[Identity]) -> Option<Gone> {
        let survivors = identities.iter().flat_map(|identity| self.survivors_of(identity));
        let why = survivors.filter_map(|survivor| match self.fate(survivor) {
            Some(Fate::SetAside(reason)) => Some(Gone::SetAside(reason)),
            Some(Fate::Written) => Some(Gone::AnotherAddress),
            _ => None,
        });
        why.min()
    }
}

fn reasons(tally: &Value) -> BTreeMap<String, u64> {
    let counts = tally["all"]["set_aside_by_reason"].as_object().into_iter().flatten();
    counts.map(|(reason, count)| (reason.clone(), count.as_u64().unwrap_or_default())).collect()
}

fn pairs(before: &BTreeMap<String, u64>, now: &BTreeMap<String, u64>) -> BTreeMap<String, (u64, u64)> {
    let count = |counts: &BTreeMap<String, u64>, name: &String| counts.get(name).copied().unwrap_or_default();
    before.keys().chain(now.keys()).map(|name| (name.clone(), (count(before, name), count(now, name)))).collect()
}

fn lists(before: &Value, now: &Value) -> BTreeMap<String, (Option<ListCounts>, Option<ListCounts>)> {
    let of = |tally: &Value| -> BTreeMap<String, ListCounts> {
        let all = tally["suppression"].as_array().map(Vec::as_slice).unwrap_or_default();
        let counts = |list: &Value| {
            let number = |key: &str| list[key].as_u64().unwrap_or_default();
            let counts = ListCounts { entries: number("entries"), matched: number("matched") };
            (list["name"].as_str().unwrap_or_default().to_owned(), counts)
        };
        all.iter().map(counts).collect()
    };
    let (before, now) = (of(before), of(now));
    let names = before.keys().chain(now.keys());
    names.map(|name| (name.clone(), (before.get(name).copied(), now.get(name).copied()))).collect()
}

fn files(before: &Receipt, now: &Receipt) -> Vec<(String, FileChange)> {
    let earlier = |file: &str| before.inputs.iter().find(|input| input.file == file);
    let of_now = now.inputs.iter().map(|input| {
        let change = match earlier(&input.file) {
            None => FileChange::New,
            Some(known) if known.blake3 == input.blake3 => FileChange::Same,
            Some(_) => FileChange::Changed,
        };
        (input.file.clone(), change)
    });
    let is_gone = |input: &&crate::receipt::Input| !now.inputs.iter().any(|known| known.file == input.file);
    let gone = before.inputs.iter().filter(is_gone).map(|input| (input.file.clone(), FileChange::Gone));
    let mut files: Vec<(String, FileChange)> = of_now.chain(gone).collect();
    files.dedup_by(|a, b| a.0 == b.0);
    files
}
