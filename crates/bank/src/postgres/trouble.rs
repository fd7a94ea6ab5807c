//! What can be wrong with a database, in words.

use super::address::Address;
use pebblebank_table::{Error, ErrorKind};
use postgres::error::SqlState;

/// What was being done.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Doing {
    /// Something was being read.
    Reading,
    /// Something was being changed.
    Changing,
}

/// Whether the connection is gone.
pub(super) fn is_lost(cause: &postgres::Error) -> bool {
    let is_ending = |state: &SqlState| {
        [SqlState::ADMIN_SHUTDOWN, SqlState::CRASH_SHUTDOWN, SqlState::CANNOT_CONNECT_NOW].contains(state)
            || state.code().starts_with("08")
    };
    cause.is_closed() || cause.code().map_or_else(|| has_io_cause(cause), is_ending)
}

fn has_io_cause(cause: &postgres::Error) -> bool {
    let mut next = std::error::Error::source(cause);
    while let Some(error) = next {
        if error.is::<std::io::Error>() {
            return true;
        }
        next = error.source();
    }
    false
}

/// What is wrong, in words.
pub(super) fn trouble(address: &Address, cause: &postgres::Error, doing: Doing) -> Error {
    let place = address.shown();
    let error = |kind, what: String, advice: &str| Error::new(kind, what, advice.to_owned()).in_file(place);
    if is_lost(cause) {
        let what = match doing {
            Doing::Changing => "the connection to the bank was lost, so nothing was changed in it",
            Doing::Reading => {
                "the connection to the bank was lost while it was read, so it cannot be told who must not be contacted"
            }
        };
        let advice = "look whether the server runs and can be reached, then give the same command again";
        return error(ErrorKind::Output, what.to_owned(), advice);
    }
    let said = cause.as_db_error().map_or_else(|| cause.to_string(), |error| error.message().to_owned());
    match cause.code() {
        Some(&SqlState::LOCK_NOT_AVAILABLE) => error(
            ErrorKind::Output,
            "another command has been changing the bank for half a minute, so nothing was changed".to_owned(),
            "wait until it has finished, then try again",
        ),
        Some(&SqlState::DISK_FULL) => error(
            ErrorKind::Output,
            "the disk of the database server is full, so nothing was changed in the bank".to_owned(),
            "ask whoever runs the server to make room, then give the same command again",
        ),
        Some(&SqlState::OUT_OF_MEMORY | &SqlState::TOO_MANY_CONNECTIONS) => error(
            ErrorKind::Output,
            format!("the database server is short of something, so nothing was changed in the bank: {said}"),
            "wait a moment, then give the same command again",
        ),
        Some(&SqlState::INSUFFICIENT_PRIVILEGE) => {
            let roles = super::roles::names(&address.schema);
            let what =
                format!("the database user \"{}\" may not do this, so nothing was changed: {said}", address.user);
            let advice = format!(
                "ask whoever runs the server for the role that may: {} to run jobs, {} to load and undo, {} to forget",
                roles.prepare, roles.load, roles.forget
            );
            error(ErrorKind::Output, what, &advice)
        }
        Some(&SqlState::READ_ONLY_SQL_TRANSACTION) => error(
            ErrorKind::Output,
            "this database server is a copy that cannot be written to".to_owned(),
            "name the server that it is a copy of with --bank",
        ),
        Some(&SqlState::UNDEFINED_TABLE | &SqlState::UNDEFINED_COLUMN | &SqlState::UNDEFINED_FUNCTION) => {
            damaged(address)
        }
        Some(&SqlState::PROGRAM_LIMIT_EXCEEDED) => error(
            ErrorKind::Output,
            format!("a text is too long for the database, so nothing was changed in the bank: {said}"),
            "look for a cell with a very long text in the file",
        ),
        _ => error(ErrorKind::Output, format!("the bank could not do it, so nothing was changed: {said}"), "try again"),
    }
}

/// The error for a bank that is not as it was written.
pub(super) fn damaged(address: &Address) -> Error {
    let what = "the bank is damaged, so it cannot be told who must not be contacted";
    let advice = "leave the schema as it is, and go on with the latest copy: pebblebank bank copy brings one that bank backup \
         made into a new schema";
    Error::new(ErrorKind::Input, what, advice).in_file(address.shown())
}
