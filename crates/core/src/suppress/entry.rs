//! What one cell of a suppression list stands for.

use super::Digest;
use crate::clean::address::{self, AddressCleaner, State};

/// What one cell of a suppression list stands for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Entry<'a> {
    /// Nothing: an empty cell, a blank word, a placeholder.
    Nothing,
    /// An address, by its identity.
    Address(&'a [u8]),
    /// A domain and all below it, as A-labels.
    Domain(String),
    /// An address that is not shown.
    Digest(Digest),
    /// Neither; compared by its cleaned text with addresses that are no better.
    Unusable(&'a [u8]),
}

/// Reads an entry: an address, a digest of one in hex, `@hotel.example` or `hotel.example`. A cell with several addresses gives the others too.
pub fn read<'a>(value: &'a [u8], cleaner: &'a mut AddressCleaner) -> (Entry<'a>, &'a [String]) {
    if let (32.., Ok(text)) = (value.len(), std::str::from_utf8(value))
        && let Some(digest) = Digest::read(text.trim_matches(crate::clean::blank::is_unseen))
    {
        return (Entry::Digest(digest), &[]);
    }
    if !value.contains(&b'@') || value.trim_ascii_start().starts_with(b"@") {
        let text = String::from_utf8_lossy(value);
        let name = text.trim_start_matches(crate::clean::blank::is_unseen);
        if let Some(domain) = address::domain(name.strip_prefix('@').unwrap_or(name)) {
            return (Entry::Domain(domain), &[]);
        }
    }
    let address = cleaner.clean(value);
    let entry = match address.state {
        State::Usable => Entry::Address(address.identity),
        State::Blank | State::Placeholder => Entry::Nothing,
        State::Invalid(_) => Entry::Unusable(address.identity),
    };
    (entry, address.further)
}
