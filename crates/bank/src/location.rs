//! Where a bank is.

use crate::postgres::address::Address;
use pebblebank_table::{Error, ErrorKind, Result};
use std::ffi::OsStr;
use std::path::{Path, PathBuf};

/// Where a bank is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Location {
    /// In a file.
    File(PathBuf),
    /// In a database.
    Database(Box<Address>),
}

impl Location {
    /// Reads what a user wrote: the address of a database, else the path of a file.
    ///
    /// # Errors
    ///
    /// Where an address is none.
    pub fn read(text: &OsStr) -> Result<Location> {
        if Address::is_meant(text) {
            return Address::read(&text.to_string_lossy()).map(Box::new).map(Location::Database);
        }
        if let Some(scheme) = scheme(&text.to_string_lossy()) {
            // Taken for a file, it would become a new bank that holds nobody. The rest may have a password in it.
            let what = format!("what begins with {scheme}: is neither a file nor the address of a database");
            let advice = "write postgres://user@host/database?schema=pebblebank, or the path of a file";
            return Err(Error::new(ErrorKind::Job, what, advice));
        }
        Ok(Location::File(PathBuf::from(text)))
    }

    /// As it is shown; never with a password.
    pub fn shown(&self) -> &Path {
        match self {
            Location::File(path) => path,
            Location::Database(address) => address.shown(),
        }
    }

    /// Whether a place that was shown is this one: whoever asks, and whatever protects the way there.
    pub fn is_that_of(&self, shown: &str) -> bool {
        let nobody = |shown: &str| {
            shown
                .split_once("://")
                .map_or(shown.to_owned(), |(_, rest)| rest.split_once('@').map_or(rest, |(_, place)| place).to_owned())
        };
        match self {
            Location::File(path) => path.display().to_string() == shown,
            Location::Database(address) => nobody(&address.shown().display().to_string()) == nobody(shown),
        }
    }

    /// The file, where it is one.
    pub fn file(&self) -> Option<&Path> {
        match self {
            Location::File(path) => Some(path),
            Location::Database(_) => None,
        }
    }
}

/// What stands before the colon and the slash with which addresses begin (RFC 3986, section 3.1); one letter is a drive.
fn scheme(text: &str) -> Option<&str> {
    let (scheme, rest) = text.split_once(':')?;
    let is_of_scheme = |sign: char| sign.is_ascii_alphanumeric() || "+-.".contains(sign);
    let is_address = scheme.len() > 1 && scheme.chars().all(is_of_scheme) && rest.starts_with(['/', '\\']);
    is_address.then_some(scheme)
}

impl From<&Path> for Location {
    fn from(path: &Path) -> Location {
        Location::File(path.to_path_buf())
    }
}

impl From<&PathBuf> for Location {
    fn from(path: &PathBuf) -> Location {
        Location::File(path.clone())
    }
}

impl From<&Location> for Location {
    fn from(location: &Location) -> Location {
        location.clone()
    }
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)] // a failure is a failed test

    use super::Location;
    use rstest::rstest;
    use std::ffi::OsStr;

    #[rstest]
    #[case::a_name("bank.sqlite")]
    #[case::a_folder("/home/ida/bank.sqlite")]
    #[case::a_drive("C:/bank.sqlite")]
    #[case::a_name_with_a_colon("bank:2026.sqlite")]
    fn a_path_is_a_file(#[case] text: &str) {
        assert_eq!(Location::read(OsStr::new(text)).unwrap().file(), Some(text.as_ref()));
    }

    #[rstest]
    #[case::another_database("mysql://ida@localhost/lists")]
    #[case::a_slip("postgress://ida@localhost/lists")]
    #[case::a_slash_too_few("postgres:/ida@localhost/lists")]
    fn what_is_written_like_an_address_and_is_none_never_becomes_a_file(#[case] text: &str) {
        let error = Location::read(OsStr::new(text)).unwrap_err();
        assert!(error.what().contains("neither a file") && !error.what().contains("localhost"), "{error}");
    }

    #[test]
    fn the_case_of_letters_does_not_matter() {
        let location = Location::read(OsStr::new("Postgres://ida@localhost/lists")).unwrap();
        assert_eq!(location.shown().to_str(), Some("postgres://ida@localhost/lists"));
    }
}
