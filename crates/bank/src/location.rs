//! Where a bank is.

use crate::postgres::address::Address;
use pebblebank_table::Result;
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
    pub(crate) fn is_that_of(&self, shown: &str) -> bool {
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
