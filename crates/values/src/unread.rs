//! What is in a suppression list and was not read as an entry: addresses and hashes in other columns, in titles and
//! headers, on other sheets; domains and phone numbers in rows that gave no entry.

use crate::digest::Digest;
use crate::entry::domain_in;
use crate::look::{self, Look};
use pebblebank_table::observe::EXAMPLE_ROWS;
use pebblebank_table::units::RowNumber;
use pebblebank_table::unseen::is_unseen;
use std::collections::BTreeMap;

/// One text that was not read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UnreadText {
    /// The sheet that it stands on, where that is another one than was read.
    pub sheet: Option<String>,
    /// Its row.
    pub row: RowNumber,
    /// Its column, from 0.
    pub column: usize,
    /// What it looks like.
    pub look: Look,
    /// The identity of an address, a domain as A-labels, a hash in small hex digits, a phone number as written.
    pub text: String,
}

impl UnreadText {
    /// The hash, where it is one of a kind that can be compared.
    pub fn digest(&self) -> Option<Digest> {
        if self.look == Look::Hash { Digest::read(&self.text) } else { None }
    }
}

/// What the columns of addresses of a row gave.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RowGave {
    /// Nothing.
    NoEntry,
    /// An entry, in a row with more cells than the others: what gave it may have been shifted there.
    PerhapsShifted,
    /// An entry.
    Entry,
}

impl RowGave {
    /// By whether there was an entry, and whether the row is longer than the others.
    pub fn new(gave_entry: bool, is_longer: bool) -> RowGave {
        match (gave_entry, is_longer) {
            (false, _) => RowGave::NoEntry,
            (true, true) => RowGave::PerhapsShifted,
            (true, false) => RowGave::Entry,
        }
    }
}

/// Hands to `each` what a cell holds beside the entries of its row.
pub fn look_at(cell: &str, row_gave: RowGave, each: &mut dyn FnMut(Look, String)) {
    let text = cell.trim_matches(is_unseen);
    if text.contains('@') {
        let addresses = look::addresses_in(text);
        let is_any = !addresses.is_empty();
        for identity in addresses {
            each(Look::Address, identity);
        }
        if is_any {
            return;
        }
    }
    for word in text.split(|c: char| !c.is_ascii_alphanumeric()).filter(|word| look::is_hash(word)) {
        each(Look::Hash, word.to_ascii_lowercase());
    }
    if row_gave == RowGave::Entry {
        return;
    }
    match Look::of(text) {
        Look::Domain => each(Look::Domain, domain_in(text).unwrap_or_default()),
        Look::Phone if row_gave == RowGave::NoEntry => each(Look::Phone, text.to_owned()),
        _ => {}
    }
}

/// What was not read of the files of one list, counted.
#[derive(Debug, Clone, Default)]
pub struct UnreadCounts {
    /// How many texts.
    pub count: u64,
    /// Of these, hashes of a kind that cannot be compared with anybody.
    pub incomparable: u64,
    /// Of these, phone numbers.
    pub phones: u64,
    /// By file and place (a header, or a sheet): how many, and the first rows.
    pub places: BTreeMap<(String, String), (u64, Vec<u64>)>,
}

/// So many different places are kept.
const PLACES_KEPT: usize = 20;

impl UnreadCounts {
    /// Counts a text of a file, whose column has this header.
    pub fn add(&mut self, file: &str, header: &str, text: &UnreadText) {
        self.count += 1;
        self.incomparable += u64::from(text.look == Look::Hash && text.digest().is_none());
        self.phones += u64::from(text.look == Look::Phone);
        let place =
            text.sheet.as_ref().map_or_else(|| format!("column \"{header}\""), |sheet| format!("sheet \"{sheet}\""));
        let key = (file.to_owned(), place);
        if self.places.len() < PLACES_KEPT || self.places.contains_key(&key) {
            let (count, rows) = self.places.entry(key).or_default();
            *count += 1;
            if rows.len() < EXAMPLE_ROWS {
                rows.push(text.row.0);
            }
        }
    }

    /// Where they stand, in words: the first places with their rows.
    pub fn in_words(&self) -> String {
        const SHOWN: usize = 3;
        let shown = |((file, place), (count, rows)): (&(String, String), &(u64, Vec<u64>))| {
            let rows: Vec<String> = rows.iter().map(u64::to_string).collect();
            let more = if *count > rows.len() as u64 { " …" } else { "" };
            format!("{file}, {place}, {} {}{more}", if *count == 1 { "row" } else { "rows" }, rows.join(", "))
        };
        let mut text: Vec<String> = self.places.iter().take(SHOWN).map(shown).collect();
        if self.places.len() > SHOWN {
            text.push(format!("and {} more places", self.places.len() - SHOWN));
        }
        text.join("; ")
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("see Bob <bob@moss.example>", RowGave::Entry, "bob@moss.example")]
    #[case("da39a3ee5e6b4b0d3255bfef95601890afd80709", RowGave::Entry, "da39a3ee5e6b4b0d3255bfef95601890afd80709")]
    #[case("hotel.example", RowGave::Entry, "")]
    #[case("hotel.example", RowGave::PerhapsShifted, "hotel.example")]
    #[case("hotel.example", RowGave::NoEntry, "hotel.example")]
    #[case("(020) 7946 0001", RowGave::NoEntry, "(020) 7946 0001")]
    #[case("(020) 7946 0001", RowGave::PerhapsShifted, "")]
    #[case("asked by phone", RowGave::NoEntry, "")]
    fn what_looks_like_an_entry_is_seen(#[case] cell: &str, #[case] row_gave: RowGave, #[case] found: &str) {
        let mut seen = Vec::new();
        look_at(cell, row_gave, &mut |_, text| seen.push(text));
        assert_eq!(seen.join(" "), found);
    }
}
