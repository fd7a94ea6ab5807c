//! The key of the digests of those who were forgotten.

use pebblebank_table::{Error, ErrorKind, Result};
use std::path::Path;

/// A key from the system's source of randomness.
pub(crate) fn new_key(place: &Path) -> Result<[u8; 32]> {
    let mut key = [0; 32];
    getrandom::fill(&mut key).map_err(|cause| {
        let what = format!("the system gives no random numbers: {cause}");
        Error::new(ErrorKind::Output, what, "try again").in_file(place)
    })?;
    Ok(key)
}
