//! The file: where it is, who may read it, its shape and how older shapes become this one, and what can be wrong with it.

use crate::blocks::FEWEST;
use crate::connect::{has_changes_beside, is_read_only, open_read_only, open_to_change};
use crate::seal;
use crate::trouble::{read_only, trouble, unread_side_file};
use pebblebank_table::taking_effect::taking_effect;
use pebblebank_table::{Error, ErrorKind, Result, owner_only};
use pebblebank_values::date::Date;
use pebblebank_values::digest::{Digest, DigestKind};
use rusqlite::{Connection, Transaction, TransactionBehavior};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// What tells a bank from other files of its kind.
const APPLICATION_ID: i64 = 0x5042_4C42;

/// What made each shape of the bank out of the one before.
const SHAPES: [&str; 5] = [
    include_str!("schema/1.sql"),
    include_str!("schema/2.sql"),
    include_str!("schema/3.sql"),
    include_str!("schema/4.sql"),
    include_str!("schema/5.sql"),
];

/// The number of this shape.
const SHAPE: i64 = SHAPES.len().cast_signed() as i64;

/// The first shape that has a seal.
const FIRST_SEALED: i64 = 2;

/// How long a command waits for another one that is changing the bank.
const PATIENCE: Duration = Duration::from_secs(30);

/// What a command takes for the bank unless it says how much.
const MEMORY_BYTES: u64 = 1 << 30;

/// How much of the bank stays in memory while it is asked, at most.
const ASKING_BYTES: u64 = 64 << 20;

/// How much of the bank stays in memory while a batch goes in, at most, so that few of its pages are written twice.
const WRITING_BYTES: u64 = 256 << 20;

/// What may wait in memory to be sorted, at most.
const SORTED_BYTES: u64 = 96 << 20;

/// What is to be done with the bank.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Access {
    /// It is asked, and must be there.
    Ask,
    /// It is asked what a change would do; where it is not there, as if it were empty.
    Preview,
    /// It is changed, and is made where it is not there.
    Change,
}

/// The bank, open.
#[derive(Debug)]
pub struct Bank {
    connection: Connection,
    path: PathBuf,
    moment: String,
    today: Date,
    /// What the command may take, in bytes.
    memory: u64,
    /// From how many addresses on a batch has them in blocks.
    fewest_in_blocks: u64,
}

impl Bank {
    /// Whether there is a bank at `path`. Fails where that cannot be told: what cannot be looked at may hold somebody.
    pub fn is_at(path: &Path) -> Result<bool> {
        path.try_exists().map_err(|_| {
            let what = "it cannot be told whether there is a bank here";
            let advice = "look at the permissions of the folder, or name another place with --bank";
            Error::new(ErrorKind::Input, what, advice).in_file(path)
        })
    }

    /// Opens the bank at `path`. `moment` (RFC 3339) and `today` are the time of the command.
    pub fn open(path: &Path, access: Access, moment: &str, today: Date) -> Result<Bank> {
        let is_new = !Bank::is_at(path)?;
        if is_new && access == Access::Preview {
            let connection = Connection::open_in_memory().map_err(|cause| trouble(path, &cause))?;
            let mut bank = Bank {
                connection,
                path: path.to_path_buf(),
                moment: moment.to_owned(),
                today,
                memory: MEMORY_BYTES,
                fewest_in_blocks: FEWEST,
            };
            bank.prepare_file(false)?;
            return Ok(bank);
        }
        if is_new && access == Access::Ask {
            let what = "there is no bank here yet";
            let advice = "pebblebank bank add or bank load makes one; --bank FILE names another place";
            return Err(Error::new(ErrorKind::Input, what, advice).in_file(path));
        }
        if is_new {
            make_new(path)?;
        } else {
            refuse_no_bank(path)?;
        }
        let is_read_only = access != Access::Change && is_read_only(path);
        let opened = if is_read_only { open_read_only(path) } else { open_to_change(path) };
        let opened = opened.map_err(|cause| trouble(path, &cause))?;
        let has_changes_beside = is_read_only && has_changes_beside(path);
        let mut bank = Bank {
            connection: opened,
            path: path.to_path_buf(),
            moment: moment.to_owned(),
            today,
            memory: MEMORY_BYTES,
            fewest_in_blocks: FEWEST,
        };
        bank.prepare_file(is_read_only).map_err(|error| match error.kind() {
            ErrorKind::Output if has_changes_beside => unread_side_file(path),
            _ => error,
        })?;
        Ok(bank)
    }

    fn prepare_file(&mut self, is_read_only: bool) -> Result<()> {
        self.connection.busy_timeout(PATIENCE).map_err(|cause| trouble(&self.path, &cause))?;
        // Many rows go in by one statement.
        self.ask(rusqlite::vtab::array::load_module)?;
        // What is deleted is overwritten, also in free pages.
        self.pragma("secure_delete", &true)?;
        self.pragma("foreign_keys", &true)?;
        self.keep_pages(ASKING_BYTES)?;
        let shape = self.number("user_version")?;
        let id = self.number("application_id")?;
        let tables: i64 =
            self.ask(|bank| bank.query_row("select count(*) from sqlite_schema", [], |row| row.get(0)))?;
        // New banks are complete before they take their name: a file without tables was one that lost them, or never was one.
        let is_in_memory = self.connection.path().is_none_or(str::is_empty);
        if id != APPLICATION_ID && !(tables == 0 && is_in_memory) {
            let what = "this is a database, but not a bank";
            let advice = "name the bank with --bank, or with PEBBLEBANK_BANK in the environment";
            return Err(Error::new(ErrorKind::Input, what, advice).in_file(&self.path));
        }
        if shape > SHAPE {
            let what = "the bank was made by a newer version of pebblebank, whose entries this one may not understand";
            return Err(Error::new(ErrorKind::Input, what, "use that version, or a newer one").in_file(&self.path));
        }
        if shape < SHAPE {
            return self.bring_up_to_date(is_read_only);
        }
        seal::check(&self.connection, &self.path)
    }

    /// Makes this shape out of an older one, all steps or none.
    fn bring_up_to_date(&mut self, is_read_only: bool) -> Result<()> {
        if is_read_only {
            return Err(read_only(&self.path));
        }
        // What is damaged is refused before it gets a new seal.
        match self.number("user_version")? {
            0 => {}
            shape if shape < FIRST_SEALED => seal::check_pages(&self.connection, &self.path)?,
            _ => seal::check(&self.connection, &self.path)?,
        }
        // Readers and a writer then do not wait for each other, and what is cut off leaves nothing behind.
        self.ask(|bank| bank.query_row("pragma journal_mode = wal", [], |_| Ok(())))?;
        let key = new_key(&self.path)?;
        let path = self.path.clone();
        let fail = |cause: rusqlite::Error| trouble(&path, &cause);
        let transaction = self.connection.transaction_with_behavior(TransactionBehavior::Immediate).map_err(fail)?;
        take_steps(&transaction, &key).map_err(fail)?;
        transaction.commit().map_err(fail)
    }

    /// Keeps within `bytes` of memory, of which its caller needs half.
    pub fn within(mut self, bytes: u64) -> Result<Bank> {
        self.memory = bytes;
        self.keep_pages(ASKING_BYTES)?;
        Ok(self)
    }

    /// Keeps up to `most` bytes of the bank in memory.
    fn keep_pages(&self, most: u64) -> Result<()> {
        let kib = most.min(self.memory / 4) >> 10;
        self.pragma("cache_size", &-i64::try_from(kib).unwrap_or(i64::MAX))
    }

    /// Keeps as much of the bank in memory as a batch that goes in needs.
    pub(crate) fn keep_pages_to_write(&self) -> Result<()> {
        self.keep_pages(WRITING_BYTES)
    }

    /// What may wait in memory to be sorted.
    pub(crate) fn bytes_to_sort(&self) -> u64 {
        SORTED_BYTES.min(self.memory / 8)
    }

    /// What may be kept in memory of new entries, to look for them in the files that were prepared.
    pub(crate) fn bytes_of_new(&self) -> u64 {
        self.memory / 8
    }

    fn pragma(&self, name: &str, value: &dyn rusqlite::ToSql) -> Result<()> {
        self.ask(|bank| bank.pragma_update(None, name, value))
    }

    fn number(&self, pragma: &str) -> Result<i64> {
        self.ask(|bank| bank.query_row(&format!("pragma {pragma}"), [], |row| row.get(0)))
    }

    /// How many bytes it takes.
    pub(crate) fn bytes(&self) -> Result<u64> {
        self.ask(seal::bytes_of)
    }

    /// Where it lies.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// The moment of the command.
    pub fn moment(&self) -> &str {
        &self.moment
    }

    /// The day of the command.
    pub fn today(&self) -> Date {
        self.today
    }

    /// The connection alone.
    pub(crate) fn into_connection(self) -> Connection {
        self.connection
    }

    pub(crate) fn connection(&self) -> &Connection {
        &self.connection
    }

    /// Asks something.
    pub(crate) fn ask<T>(&self, ask: impl FnOnce(&Connection) -> rusqlite::Result<T>) -> Result<T> {
        ask(&self.connection).map_err(|cause| trouble(&self.path, &cause))
    }

    /// Changes something, all of it or nothing.
    pub(crate) fn change<T>(&mut self, change: impl FnOnce(&Transaction) -> rusqlite::Result<T>) -> Result<T> {
        let path = self.path.clone();
        let fail = |cause: rusqlite::Error| trouble(&path, &cause);
        self.change_with(|transaction| change(transaction).map_err(fail))
    }

    /// Carries out a change in one transaction, where other things than the bank can fail too.
    pub(crate) fn change_with<T>(&mut self, change: impl FnOnce(&Transaction) -> Result<T>) -> Result<T> {
        let path = self.path.clone();
        let fail = |cause: rusqlite::Error| trouble(&path, &cause);
        let transaction = self.connection.transaction_with_behavior(TransactionBehavior::Immediate).map_err(fail)?;
        seal::check_before_change(&transaction, &path)?;
        let done = change(&transaction)?;
        seal::seal(&transaction).map_err(fail)?;
        let _taking_effect = taking_effect();
        transaction.commit().map_err(fail)?;
        Ok(done)
    }

    /// The folder that it lies in, where what waits to go in is kept.
    pub(crate) fn folder(&self) -> PathBuf {
        match self.path.parent() {
            Some(folder) if folder == Path::new("") => PathBuf::from("."),
            Some(folder) if folder.is_dir() => folder.to_path_buf(),
            _ => std::env::temp_dir(),
        }
    }

    /// The key of the digests of those who were forgotten.
    pub(crate) fn key(&self) -> Result<[u8; 32]> {
        let bytes: Vec<u8> =
            self.ask(|bank| bank.query_row("select value from about where key = 'forgetting'", [], |row| row.get(0)))?;
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
        self.ask(|bank| bank.query_row(&format!("pragma max_page_count = {pages}"), [], |_| Ok(())))
    }

    /// Writes everything from the side file into the bank itself and leaves nothing in it.
    pub(crate) fn clear_side_file(&self) -> Result<()> {
        let busy: i64 = self.ask(|bank| bank.query_row("pragma wal_checkpoint(truncate)", [], |row| row.get(0)))?;
        if busy != 0 {
            let what =
                "another program is reading the bank, so that what was forgotten may still stand in its side file";
            let advice = "wait until it has finished, then give the same command again";
            return Err(Error::new(ErrorKind::Output, what, advice).in_file(&self.path));
        }
        Ok(())
    }
}

/// Carries out the steps to this shape that are still to be taken.
fn take_steps(change: &Transaction, key: &[u8; 32]) -> rusqlite::Result<()> {
    let shape: i64 = change.query_row("pragma user_version", [], |row| row.get(0))?;
    for step in SHAPES.iter().skip(usize::try_from(shape).unwrap_or_default()) {
        change.execute_batch(step)?;
    }
    change.execute("insert or ignore into about (key, value) values ('forgetting', ?1)", [&key[..]])?;
    change.pragma_update(None, "application_id", APPLICATION_ID)?;
    change.pragma_update(None, "user_version", SHAPE)?;
    seal::add_up_all(change)?;
    seal::seal(change)
}

/// Makes an empty bank that its owner alone can read, in a folder that is made if need be. It is complete before it takes its
/// name, so that a file of that name which is no whole bank is never taken for a new one.
fn make_new(path: &Path) -> Result<()> {
    let unwritable = |cause: std::io::Error| Error::unwritable(path, &cause);
    let folder = path.parent().filter(|folder| *folder != Path::new("")).unwrap_or(Path::new("."));
    owner_only::create_folders(folder).map_err(unwritable)?;
    // Readable by its owner alone from the start.
    let made = tempfile::Builder::new().prefix(".bank-").tempfile_in(folder).map_err(unwritable)?;
    owner_only::restrict(made.as_file()).map_err(unwritable)?;
    let fail = |cause: rusqlite::Error| trouble(path, &cause);
    let mut connection = Connection::open(made.path()).map_err(fail)?;
    connection.query_row("pragma journal_mode = wal", [], |_| Ok(())).map_err(fail)?;
    let key = new_key(path)?;
    let transaction = connection.transaction().map_err(fail)?;
    take_steps(&transaction, &key).map_err(fail)?;
    transaction.commit().map_err(fail)?;
    connection.close().map_err(|(_, cause)| fail(cause))?;
    match made.persist_noclobber(path) {
        // Another command was quicker.
        Err(refused) if refused.error.kind() == std::io::ErrorKind::AlreadyExists => Ok(()),
        Err(refused) => Err(unwritable(refused.error)),
        Ok(_) => Ok(()),
    }
}

/// Fails where the path cannot be a bank. Opening a pipe would wait for ever. A file that was cut to nothing is not a new bank,
/// since it may have held somebody; if its side file has content, `SQLite` can still restore it.
fn refuse_no_bank(path: &Path) -> Result<()> {
    /// No database is shorter than its header.
    const HEADER_BYTES: u64 = 100;
    let bytes = |path: &Path| std::fs::metadata(path).map_or(0, |about| about.len());
    if !path.is_file() {
        let what = "a bank is a file, and this is a folder, a pipe or a device";
        return Err(Error::new(ErrorKind::Input, what, "name another place with --bank").in_file(path));
    }
    if bytes(path) < HEADER_BYTES && !has_changes_beside(path) {
        let what = "this file is empty or cut off, and no bank; what it had is not known";
        let advice = "go on with the latest copy that pebblebank bank backup made; if there never was a bank here, \
             delete the file";
        return Err(Error::new(ErrorKind::Input, what, advice).in_file(path));
    }
    Ok(())
}

/// A key from the system's source of randomness.
fn new_key(path: &Path) -> Result<[u8; 32]> {
    let mut key = [0; 32];
    getrandom::fill(&mut key).map_err(|cause| {
        let what = format!("the system gives no random numbers: {cause}");
        Error::new(ErrorKind::Output, what, "try again").in_file(path)
    })?;
    Ok(key)
}

/// What tells a file from others: the BLAKE3 of its bytes, in hex.
pub fn fingerprint(bytes: &[u8]) -> String {
    blake3::hash(bytes).to_hex().to_string()
}
