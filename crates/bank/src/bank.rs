//! The bank, open: where it is, at which moment, and how it is asked and changed.

use crate::blocks::FEWEST;
use crate::location::Location;
use crate::postgres::shape as database;
use crate::seal;
use crate::sqlite::shape as file;
use crate::store::{Access, Made, Store};
use crate::unfinished;
use pebblebank_table::taking_effect::taking_effect;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::Date;
use pebblebank_values::digest::{Digest, DigestKind};
use std::path::{Path, PathBuf};

/// What a command takes for the bank unless it says how much.
const MEMORY_BYTES: u64 = 1 << 30;

/// How much of the bank stays in memory while it is asked, at most.
const ASKING_BYTES: u64 = 64 << 20;

/// How much of the bank stays in memory while a batch goes in, at most, so that few of its pages are written twice.
const WRITING_BYTES: u64 = 256 << 20;

/// What may wait in memory to be sorted, at most.
const SORTED_BYTES: u64 = 96 << 20;

/// The bank, open.
#[derive(Debug)]
pub struct Bank {
    store: Box<dyn Store>,
    moment: String,
    today: Date,
    /// What the command may take, in bytes.
    memory: u64,
    /// From how many addresses on a batch has them in blocks.
    fewest_in_blocks: u64,
}

impl Bank {
    /// Whether there is a bank. Fails where that cannot be told: what cannot be looked at may hold somebody.
    pub fn is_at(location: impl Into<Location>) -> Result<bool> {
        match location.into() {
            Location::File(path) => file::is_at(&path),
            Location::Database(address) => database::open_if_there(&address).map(|found| found.is_some()),
        }
    }

    /// Opens the bank to ask it; none where there is no bank.
    pub fn open_if_there(location: impl Into<Location>, moment: &str, today: Date) -> Result<Option<Bank>> {
        let store: Box<dyn Store> = match location.into() {
            Location::File(path) if !file::is_at(&path)? => return Ok(None),
            Location::File(path) => Box::new(file::open(&path, Access::Ask)?),
            Location::Database(address) => match database::open_if_there(&address)? {
                Some(database) => Box::new(database),
                None => return Ok(None),
            },
        };
        let bank = Bank::of(store, moment, today)?;
        bank.refuse_part_or_copy()?;
        Ok(Some(bank))
    }

    /// Opens the bank. `moment` (RFC 3339) and `today` are the time of the command.
    pub fn open(location: impl Into<Location>, access: Access, moment: &str, today: Date) -> Result<Bank> {
        let bank = Bank::open_any(location, access, moment, today)?;
        bank.refuse_part_or_copy()?;
        Ok(bank)
    }

    /// Opens it, also where it is a copy or not complete.
    pub(crate) fn open_any(location: impl Into<Location>, access: Access, moment: &str, today: Date) -> Result<Bank> {
        let store: Box<dyn Store> = match location.into() {
            Location::File(path) => Box::new(file::open(&path, access)?),
            Location::Database(address) => Box::new(database::open(&address)?),
        };
        Bank::of(store, moment, today)
    }

    /// Opens a bank that is empty, or that an earlier command began to copy another one into.
    ///
    /// # Errors
    ///
    /// Where it cannot be opened.
    pub fn open_to_copy_into(location: impl Into<Location>, moment: &str, today: Date) -> Result<Bank> {
        let bank = Bank::open_any(location, Access::Change, moment, today)?;
        bank.refuse_copy()?;
        Ok(bank)
    }

    /// Fails where it would hold back too few: a bank that is only partly copied, or an old copy of one.
    fn refuse_part_or_copy(&self) -> Result<()> {
        if unfinished::is_unfinished(self.store())? {
            return Err(unfinished::error(self.store()));
        }
        self.refuse_copy()
    }

    fn of(store: Box<dyn Store>, moment: &str, today: Date) -> Result<Bank> {
        let bank = Bank { store, moment: moment.to_owned(), today, memory: MEMORY_BYTES, fewest_in_blocks: FEWEST };
        bank.keep_in_memory(ASKING_BYTES)?;
        Ok(bank)
    }

    /// Keeps within `bytes` of memory, of which its caller needs half.
    pub fn within(mut self, bytes: u64) -> Result<Bank> {
        self.memory = bytes;
        self.keep_in_memory(ASKING_BYTES)?;
        Ok(self)
    }

    fn keep_in_memory(&self, most: u64) -> Result<()> {
        self.store.keep_in_memory(most.min(self.memory / 4))
    }

    /// Keeps as much of the bank in memory as a batch that goes in needs.
    pub(crate) fn keep_pages_to_write(&self) -> Result<()> {
        self.keep_in_memory(WRITING_BYTES)
    }

    /// What may wait in memory to be sorted.
    pub(crate) fn bytes_to_sort(&self) -> u64 {
        SORTED_BYTES.min(self.memory / 8)
    }

    /// What may be kept in memory of new entries, to look for them in the files that were prepared.
    pub(crate) fn bytes_of_new(&self) -> u64 {
        self.memory / 8
    }

    /// Where it is, as it is shown.
    pub fn place(&self) -> &Path {
        self.store.place()
    }

    /// The user by whom it is opened; none for a file.
    pub fn user(&self) -> Result<Option<String>> {
        self.store.user()
    }

    /// The moment of the command.
    pub fn moment(&self) -> &str {
        &self.moment
    }

    /// The day of the command.
    pub fn today(&self) -> Date {
        self.today
    }

    /// What keeps it.
    pub(crate) fn store(&self) -> &dyn Store {
        &*self.store
    }

    /// What keeps it, alone.
    pub(crate) fn into_store(self) -> Box<dyn Store> {
        self.store
    }

    /// Changes something, all of it or nothing. Nobody else changes the bank meanwhile, so what decides about the change is
    /// looked at in it.
    pub(crate) fn change<T>(&self, change: impl FnOnce(&dyn Store) -> Result<T>) -> Result<T> {
        let store = self.store();
        let transaction = store.change()?;
        seal::check_before_change(store)?;
        let done = change(store)?;
        seal::seal(store)?;
        let _taking_effect = taking_effect();
        transaction.commit()?;
        Ok(done)
    }

    /// The folder where what waits to go in is kept.
    pub(crate) fn folder(&self) -> PathBuf {
        self.store.folder()
    }

    /// The key of the digests of those who were forgotten.
    pub(crate) fn key(&self) -> Result<[u8; 32]> {
        let bytes: Vec<u8> = self.store().value("select value from about where key = 'forgetting'", &[])?;
        let mut key = [0; 32];
        key.copy_from_slice(Digest::new(DigestKind::Keyed, &bytes).bytes());
        Ok(key)
    }

    /// What tells the key of this bank from those of others, and does not show it.
    pub fn key_mark(&self) -> Result<String> {
        Ok(fingerprint(&self.key()?)[..16].to_owned())
    }

    /// How many addresses a batch must have for them to stand in blocks.
    pub(crate) fn fewest_in_blocks(&self) -> u64 {
        self.fewest_in_blocks
    }

    /// Keeps the addresses of batches of this size on in blocks: to see that it makes no difference.
    #[doc(hidden)]
    #[must_use]
    pub fn with_blocks_from(mut self, addresses: u64) -> Bank {
        self.fewest_in_blocks = addresses;
        self
    }

    /// Lets it grow to this many pages: as if the disk were full.
    #[doc(hidden)]
    pub fn limit_pages(&self, pages: u32) -> Result<()> {
        self.store.limit_pages(pages)
    }
}

/// Makes a bank where there is none; one in a database is brought up to date, and gets its roles.
///
/// # Errors
///
/// Where it cannot be made, and where something else is there.
pub fn init(location: impl Into<Location>) -> Result<Made> {
    match location.into() {
        Location::File(path) => {
            let is_new = !file::is_at(&path)?;
            file::open(&path, Access::Change)?;
            Ok(Made { is_new, has_roles: None })
        }
        Location::Database(address) => database::init(&address),
    }
}

/// The statements that make a bank in a database, for whoever runs the server.
///
/// # Errors
///
/// For a file, which needs none.
pub fn statements(location: &Location) -> Result<String> {
    match location {
        Location::Database(address) => Ok(database::statements(address)),
        Location::File(path) => {
            let what = "a bank in a file needs no statements";
            let advice = "name a database: postgres://user@host/database?schema=pebblebank";
            Err(Error::new(ErrorKind::Job, what, advice).in_file(path))
        }
    }
}

/// What tells a file from others: the BLAKE3 of its bytes, in hex.
pub fn fingerprint(bytes: &[u8]) -> String {
    blake3::hash(bytes).to_hex().to_string()
}
