//! The file: where it is, who may read it, its shape and how older shapes become this one, and what can be wrong with it.

use super::connect::{has_changes_beside, is_read_only, open_read_only, open_to_change};
use super::file::File;
use super::trouble::{read_only, trouble, unread_side_file};
use crate::key::new_key;
use crate::seal;
use crate::store::{Access, Store, cells};
use pebblebank_table::{Error, ErrorKind, Result, owner_only};
use rusqlite::Connection;
use std::path::Path;
use std::time::Duration;

/// What tells a bank from other files of its kind.
const APPLICATION_ID: i64 = 0x5042_4C42;

/// What made each shape of the bank out of the one before.
const SHAPES: [&str; 6] = [
    include_str!("schema/1.sql"),
    include_str!("schema/2.sql"),
    include_str!("schema/3.sql"),
    include_str!("schema/4.sql"),
    include_str!("schema/5.sql"),
    include_str!("schema/6.sql"),
];

/// The number of this shape.
const SHAPE: i64 = SHAPES.len().cast_signed() as i64;

/// The first shape that has a seal.
const FIRST_SEALED: i64 = 2;

/// How many statements stay prepared.
const PREPARED: usize = 96;

/// How long a command waits for another one that is changing the bank.
const PATIENCE: Duration = Duration::from_secs(30);

/// Whether there is a bank at `path`. Fails where that cannot be told: what cannot be looked at may hold somebody.
pub(crate) fn is_at(path: &Path) -> Result<bool> {
    path.try_exists().map_err(|_| {
        let what = "it cannot be told whether there is a bank here";
        let advice = "look at the permissions of the folder, or name another place with --bank";
        Error::new(ErrorKind::Input, what, advice).in_file(path)
    })
}

/// An empty bank that is kept nowhere.
fn open_in_memory(path: &Path) -> Result<File> {
    let connection = Connection::open_in_memory().map_err(|cause| trouble(path, &cause))?;
    let file = File { connection, path: path.to_path_buf() };
    file.prepare(false)?;
    Ok(file)
}

/// Opens the file; it is made where it is not there and is to be changed.
pub(crate) fn open(path: &Path, access: Access) -> Result<File> {
    match (is_at(path)?, access) {
        (false, Access::Preview) => return open_in_memory(path),
        (false, Access::Ask) => {
            let what = "there is no bank here yet";
            let advice = "pebblebank bank add or bank load makes one; --bank FILE names another place";
            return Err(Error::new(ErrorKind::Input, what, advice).in_file(path));
        }
        (false, Access::Change) => make_new(path)?,
        (true, _) => refuse_no_bank(path)?,
    }
    let is_read_only = access != Access::Change && is_read_only(path);
    let opened = if is_read_only { open_read_only(path) } else { open_to_change(path) };
    let connection = opened.map_err(|cause| trouble(path, &cause))?;
    let has_changes_beside = is_read_only && has_changes_beside(path);
    let file = File { connection, path: path.to_path_buf() };
    file.prepare(is_read_only).map_err(|error| match error.kind() {
        ErrorKind::Output if has_changes_beside => unread_side_file(path),
        _ => error,
    })?;
    Ok(file)
}

impl File {
    fn prepare(&self, is_read_only: bool) -> Result<()> {
        let fail = |cause: rusqlite::Error| trouble(&self.path, &cause);
        self.connection.busy_timeout(PATIENCE).map_err(fail)?;
        self.connection.set_prepared_statement_cache_capacity(PREPARED);
        // Many rows go in by one statement.
        rusqlite::vtab::array::load_module(&self.connection).map_err(fail)?;
        // What is deleted is overwritten, also in free pages.
        self.connection.pragma_update(None, "secure_delete", true).map_err(fail)?;
        self.connection.pragma_update(None, "foreign_keys", true).map_err(fail)?;
        let shape = self.number("user_version")?;
        let id = self.number("application_id")?;
        let tables: i64 = self.as_store().value("select count(*) from sqlite_schema", &[])?;
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
        seal::check(self)
    }

    /// Makes this shape out of an older one, all steps or none.
    fn bring_up_to_date(&self, is_read_only: bool) -> Result<()> {
        if is_read_only {
            return Err(read_only(&self.path));
        }
        // What is damaged is refused before it gets a new seal.
        match self.number("user_version")? {
            0 => {}
            shape if shape < FIRST_SEALED => self.check_pages()?,
            _ => seal::check(self)?,
        }
        // Readers and a writer then do not wait for each other, and what is cut off leaves nothing behind.
        self.connection
            .query_row("pragma journal_mode = wal", [], |_| Ok(()))
            .map_err(|cause| trouble(&self.path, &cause))?;
        let key = new_key(&self.path)?;
        let change = self.as_store().change()?;
        self.take_steps(&key)?;
        change.commit()
    }

    /// Carries out the steps to this shape that are still to be taken.
    fn take_steps(&self, key: &[u8; 32]) -> Result<()> {
        let fail = |cause: rusqlite::Error| trouble(&self.path, &cause);
        let shape = self.number("user_version")?;
        for step in SHAPES.iter().skip(usize::try_from(shape).unwrap_or_default()) {
            self.connection.execute_batch(step).map_err(fail)?;
        }
        let insert = "insert into about (key, value) values ('forgetting', ?1) on conflict do nothing";
        self.execute(insert, cells![key])?;
        self.connection.pragma_update(None, "application_id", APPLICATION_ID).map_err(fail)?;
        self.connection.pragma_update(None, "user_version", SHAPE).map_err(fail)?;
        seal::add_up_all(self)?;
        seal::seal(self)
    }
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
    let connection = Connection::open(made.path()).map_err(fail)?;
    connection.query_row("pragma journal_mode = wal", [], |_| Ok(())).map_err(fail)?;
    let file = File { connection, path: path.to_path_buf() };
    let change = file.as_store().change()?;
    file.take_steps(&new_key(path)?)?;
    change.commit()?;
    file.connection.close().map_err(|(_, cause)| fail(cause))?;
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
