//! A shelf with a bank on it: a file in a folder of its own, or a schema of its own in the database that tests are given.

#![allow(clippy::unwrap_used, dead_code)] // not every test uses everything

use pebblebank_bank::Location;
use pebblebank_bank::batch::{BatchId, NewBatch, What};
use pebblebank_bank::entry::NewEntry;
use pebblebank_bank::memory::{Asked, Memory};
use pebblebank_bank::text::Text;
use pebblebank_bank::{Access, Bank, ScopeId};
use pebblebank_core::suppress::remembered::{Among, Remembered, RememberedEntry};
use pebblebank_values::date::Date;
use std::ffi::OsStr;
use std::path::PathBuf;
use std::sync::atomic::{AtomicU32, Ordering};

pub const MOMENT: &str = "2026-03-02T09:00:00Z";

pub fn today() -> Date {
    Date { year: 2026, month: 3, day: 2 }
}

/// What keeps the bank.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Keeper {
    File,
    /// The database that `PEBBLEBANK_TEST_DATABASE` names: see `.ci/with-database`.
    Database,
}

/// The address of the database for tests, with a schema.
pub fn address(schema: &str) -> String {
    let database = std::env::var("PEBBLEBANK_TEST_DATABASE");
    format!("{}?schema={schema}", database.expect("run it by .ci/with-database, which names a database"))
}

/// A name that no other schema has.
pub fn free_schema() -> String {
    static NEXT: AtomicU32 = AtomicU32::new(0);
    format!("shelf_{}_{}", std::process::id(), NEXT.fetch_add(1, Ordering::Relaxed))
}

pub struct Shelf {
    folder: tempfile::TempDir,
    blocks_from: Option<u64>,
    address: Option<String>,
}

impl Shelf {
    pub fn new() -> Shelf {
        Shelf { folder: tempfile::tempdir().unwrap(), blocks_from: None, address: None }
    }

    /// With a bank that is made already, where a database keeps it.
    pub fn of(keeper: Keeper) -> Shelf {
        if keeper == Keeper::File {
            return Shelf::new();
        }
        let address = address(&free_schema());
        pebblebank_bank::bank::init(Location::read(OsStr::new(&address)).unwrap()).unwrap();
        Shelf { address: Some(address), ..Shelf::new() }
    }

    pub fn location(&self) -> Location {
        match &self.address {
            Some(address) => Location::read(OsStr::new(address)).unwrap(),
            None => Location::from(&self.path()),
        }
    }

    /// Its bank has the addresses of a batch in blocks where there are at least `addresses`.
    #[must_use]
    pub fn with_blocks_from(self, addresses: u64) -> Shelf {
        Shelf { blocks_from: Some(addresses), ..self }
    }

    pub fn path(&self) -> PathBuf {
        self.folder.path().join("bank.sqlite")
    }

    pub fn bank(&self) -> Bank {
        let bank = Bank::open(self.location(), Access::Change, MOMENT, today()).unwrap();
        match self.blocks_from {
            Some(addresses) => bank.with_blocks_from(addresses),
            None => bank,
        }
    }

    pub fn memory(&self, scope: Option<&str>) -> Memory {
        self.bank().into_memory(&Asked { scope: scope.map(str::to_owned), ..Asked::default() }).unwrap()
    }
}

pub fn batch(what: What, scope: ScopeId) -> NewBatch {
    NewBatch::new(what, scope, today())
}

pub fn texts(values: &[&str]) -> Vec<Text> {
    values.iter().map(|value| Text::read(value, None).unwrap()).collect()
}

pub fn put(bank: &mut Bank, what: What, scope: ScopeId, values: &[&str]) -> BatchId {
    let mut staged = bank.stage(batch(what, scope)).unwrap();
    staged.add(texts(values).into_iter().map(NewEntry::new)).unwrap();
    staged.ready().unwrap().commit().unwrap()
}

/// What a run gets: the hold's name, and the entry.
pub fn all_of(memory: &Memory, among: Option<&Among>) -> Vec<(String, String)> {
    let mut all = Vec::new();
    memory
        .entries(among, &mut |hold, entry| {
            let text = match entry {
                RememberedEntry::Address(text) | RememberedEntry::Domain(text) | RememberedEntry::Phone(text) => {
                    text.to_owned()
                }
                RememberedEntry::Digest(digest) => digest.hex(),
                RememberedEntry::Mailed(text, mailing) => format!("{text} in mailing {mailing}"),
                RememberedEntry::MailedDigest(digest, mailing) => format!("{} in mailing {mailing}", digest.hex()),
            };
            all.push((memory.holds()[hold].name.clone(), text));
            Ok(())
        })
        .unwrap();
    all.sort();
    all
}
