//! Connections to the file of a bank: to change it, to read it where it cannot be changed, to look at a copy.

use rusqlite::{Connection, OpenFlags};
use std::io::ErrorKind::{PermissionDenied, ReadOnlyFilesystem};
use std::path::Path;

/// Whether changes are in the side file that are not in the bank's own file yet.
pub(crate) fn has_changes_beside(path: &Path) -> bool {
    let mut side_file = path.as_os_str().to_owned();
    side_file.push("-wal");
    std::fs::metadata(side_file).is_ok_and(|about| about.len() > 0)
}

/// Whether the file, or the folder in which its side files would stand, cannot be written to.
pub(crate) fn is_read_only(path: &Path) -> bool {
    let folder = path.parent().filter(|folder| *folder != Path::new("")).unwrap_or(Path::new("."));
    let is_refused = |cause: std::io::Error| matches!(cause.kind(), PermissionDenied | ReadOnlyFilesystem);
    std::fs::OpenOptions::new().append(true).open(path).is_err_and(is_refused)
        || tempfile::tempfile_in(folder).is_err_and(is_refused)
}

/// Opens a bank to change it.
pub(crate) fn open_to_change(path: &Path) -> rusqlite::Result<Connection> {
    Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_NO_MUTEX)
}

/// Opens a bank that cannot be changed from here. Where it has a side file with content, that must be read too; where another
/// program has it open, which its index in shared memory shows, the two must know of each other.
pub(crate) fn open_read_only(path: &Path) -> rusqlite::Result<Connection> {
    let mut index = path.as_os_str().to_owned();
    index.push("-shm");
    if has_changes_beside(path) || Path::new(&index).exists() {
        return Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX);
    }
    open_unchanging(path)
}

/// Opens a database that nothing changes meanwhile, without any file beside it.
pub(crate) fn open_unchanging(path: &Path) -> rusqlite::Result<Connection> {
    let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX | OpenFlags::SQLITE_OPEN_URI;
    Connection::open_with_flags(address_of_unchanging(path), flags)
}

/// The address of such a database, as `SQLite` reads it: RFC 3986, with the bytes that mean something in it escaped.
fn address_of_unchanging(path: &Path) -> String {
    let absolute = std::path::absolute(path).unwrap_or_else(|_| path.to_path_buf());
    let mut address = "file:".to_owned();
    for byte in absolute.as_os_str().as_encoded_bytes() {
        match byte {
            b'/' | b'.' | b'-' | b'_' | b'0'..=b'9' | b'a'..=b'z' | b'A'..=b'Z' => address.push(char::from(*byte)),
            _ => address.push_str(&format!("%{byte:02X}")),
        }
    }
    address + "?immutable=1"
}
