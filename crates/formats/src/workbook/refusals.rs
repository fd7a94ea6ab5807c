//! Why a workbook cannot be read.

use pebblebank_table::{Error, ErrorKind};
use std::path::Path;

/// The container of an encrypted workbook names its one part in UTF-16 (MS-OFFCRYPTO, section 2.1).
pub(super) fn holds_encrypted_package(bytes: &[u8]) -> bool {
    let name: Vec<u8> = "EncryptedPackage".encode_utf16().flat_map(u16::to_le_bytes).collect();
    memchr::memmem::find(bytes, &name).is_some()
}

pub(super) fn broken(path: &Path, cause: &str) -> Error {
    let cause = if cause.is_empty() { String::new() } else { format!(" ({cause})") };
    Error::new(
        ErrorKind::Input,
        format!("the workbook is damaged or cut short{cause}"),
        "open it with the program that made it and save it anew, or as CSV",
    )
    .in_file(path)
}

pub(super) fn protected(path: &Path) -> Error {
    Error::new(
        ErrorKind::Input,
        "the workbook is protected by a password",
        "open it with the password, save it without one (or as CSV), and hand that over",
    )
    .in_file(path)
}
