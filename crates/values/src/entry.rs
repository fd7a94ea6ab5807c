//! What the cells of a suppression list stand for. Everything in them that looks like an address, a domain or a hash is an
//! entry: one too many costs a contact, one too few writes to somebody who refused.

use crate::address::{Address, AddressCleaner, State};
use crate::blank::is_blank;
use crate::digest::Digest;
use crate::{Rule, address_syntax, look};
use pebblebank_table::unseen::is_unseen;

/// What one part of a cell stands for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Entry<'a> {
    /// An address, by its identity.
    Address(&'a [u8]),
    /// A domain and all below it, as A-labels.
    Domain(String),
    /// An address that is not shown.
    Digest(Digest),
    /// None of these; compared by its cleaned text with addresses that are no better.
    Unusable(&'a [u8]),
}

/// Hands every entry of a cell to `each`: addresses, hashes of them, domains in any usual spelling (`hotel.example`,
/// `@hotel.example`, `*.hotel.example`, `https://www.hotel.example/rooms`). An empty cell, a blank word and a placeholder
/// give none.
pub fn read(value: &[u8], cleaner: &mut AddressCleaner, each: &mut dyn FnMut(Entry)) {
    if value.is_empty() {
        return;
    }
    // Most cells are an address and nothing else.
    if memchr::memchr(b'@', value).is_some()
        && !matches!(value[0], b'*' | b'@')
        && memchr::memchr(b'|', value).is_none()
    {
        let address = cleaner.clean(value);
        if address.is_usable() && is_whole(&address) {
            each(Entry::Address(address.identity));
            return;
        }
    }
    read_carefully(&String::from_utf8_lossy(value), cleaner, each);
}

/// Whether nothing beside the address was dropped from the cell.
fn is_whole(address: &Address) -> bool {
    let is_of_form = |rule: Rule| matches!(rule, Rule::LetterCase | Rule::OuterSpaces | Rule::InvisibleCharacters);
    address.further.is_empty() && address.rules.iter().all(is_of_form)
}

#[cold]
fn read_carefully(text: &str, cleaner: &mut AddressCleaner, each: &mut dyn FnMut(Entry)) {
    let text = text.trim_matches(|sign: char| is_unseen(sign) || sign == '|');
    if text.is_empty() || is_blank(text) {
        return;
    }
    let address = cleaner.clean(text.as_bytes());
    if address.is_usable() && !text.starts_with('*') {
        each(Entry::Address(address.identity));
        address.further.iter().for_each(|further| each(Entry::Address(further.identity.as_bytes())));
    }
    let mut is_anything = false;
    let mut unread: Vec<&str> = Vec::new();
    for part in text.split([';', ',', '\n', '\r', '\t', '|', ' ']).map(|part| part.trim_matches(is_unseen)) {
        if part.is_empty() {
            continue;
        }
        match part_of_cell(part) {
            Some(PartOfCell::Domain(domain)) => each(Entry::Domain(domain)),
            Some(PartOfCell::Digest(digest)) => each(Entry::Digest(digest)),
            Some(PartOfCell::Address) => unread.push(part),
            None => continue,
        }
        is_anything = true;
    }
    // Addresses among other words: "ida@post.example (Ida)".
    let first = cleaner.clean(text.as_bytes());
    let is_placeholder = first.state == State::Placeholder;
    let mut known: Vec<String> = Vec::new();
    if first.is_usable() && !text.starts_with('*') {
        known.push(String::from_utf8_lossy(first.identity).into_owned());
        known.extend(first.further.iter().map(|further| further.identity.clone()));
    }
    let more = if unread.is_empty() { Vec::new() } else { look::addresses_in(text) };
    for identity in more.iter().filter(|identity| !identity.starts_with('*') && !known.contains(identity)) {
        each(Entry::Address(identity.as_bytes()));
    }
    // Parts that cannot be used, beside one that can.
    let beside: Vec<String> = match cleaner.clean(text.as_bytes()) {
        address if address.is_usable() => address.held_by.to_vec(),
        _ => Vec::new(),
    };
    for part in beside.iter().filter(|part| part.contains('@') && !known.contains(part) && !more.contains(part)) {
        each(Entry::Unusable(part.as_bytes()));
    }
    if !is_anything && known.is_empty()
        || (known.is_empty() && more.is_empty() && !unread.is_empty() && !is_placeholder)
    {
        let address = cleaner.clean(text.as_bytes());
        if let State::Invalid(_) = address.state {
            each(Entry::Unusable(address.identity));
        }
    }
}

/// The domain that a text means, in any usual spelling.
pub fn domain_in(text: &str) -> Option<String> {
    match part_of_cell(text.trim_matches(is_unseen)) {
        Some(PartOfCell::Domain(domain)) => Some(domain),
        _ => None,
    }
}

enum PartOfCell {
    Domain(String),
    Digest(Digest),
    /// It holds an `@` with something before it.
    Address,
}

/// What a word of a cell is; none for one that is neither.
fn part_of_cell(word: &str) -> Option<PartOfCell> {
    if let Some(digest) = Digest::read(word.trim_matches(|c: char| !c.is_ascii_hexdigit())) {
        return Some(PartOfCell::Digest(digest));
    }
    let word = word.trim_matches(['<', '>', '(', ')', '[', ']', '"', '\'', ':']);
    let scheme = word.get(..8).filter(|begin| begin.eq_ignore_ascii_case("https://")).map(str::len);
    let scheme = scheme.or_else(|| word.get(..7).filter(|begin| begin.eq_ignore_ascii_case("http://")).map(str::len));
    let host = &word[scheme.unwrap_or(0)..];
    let host = host.split(['/', '?', '#']).next().unwrap_or_default();
    let host = host.trim_start_matches(['*', '.']);
    match host.strip_prefix('@') {
        Some(rest) => domain_of(rest, true),
        None if host.contains('@') => Some(PartOfCell::Address),
        None => domain_of(host, scheme.is_some()),
    }
}

/// A domain, without the `www.` of its web site. Unless it is marked as one, its last label must look like one.
fn domain_of(host: &str, is_marked: bool) -> Option<PartOfCell> {
    let host = host.trim_start_matches(['*', '.', '@']);
    let without_www = host.get(..4).filter(|begin| begin.eq_ignore_ascii_case("www.")).map(|_| &host[4..]);
    let host = without_www.filter(|rest| rest.contains('.')).unwrap_or(host);
    let host = host.split(':').next().unwrap_or(host);
    let is_one = is_marked || host.len() > 3;
    address_syntax::domain(host).filter(|_| is_one).map(PartOfCell::Domain)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("ida@post.example", "a:ida@post.example")]
    #[case(" Ida@Post.example ", "a:ida@post.example")]
    #[case("*@hotel.example", "d:hotel.example")]
    #[case("@hotel.example", "d:hotel.example")]
    #[case("www.hotel.example", "d:hotel.example")]
    #[case("http://hotel.example/rooms?x=1", "d:hotel.example")]
    #[case("https://www.hotel.example", "d:hotel.example")]
    #[case("*.hotel.example", "d:hotel.example")]
    #[case("hotel.example; hotel2.example", "d:hotel.example d:hotel2.example")]
    #[case("hotel.example, hotel2.example", "d:hotel.example d:hotel2.example")]
    #[case("ida@post.example (Ida)", "a:ida@post.example")]
    #[case("Ida Moss ida@post.example", "a:ida@post.example")]
    #[case("Ida Moss <ida@post.example>; hotel.example", "d:hotel.example a:ida@post.example")]
    #[case("ida@post.example; hotel.example", "a:ida@post.example d:hotel.example")]
    #[case("ida@post.example; bob@moss.example", "a:ida@post.example a:bob@moss.example")]
    #[case("ida@post.example or bob@moss.example", "a:ida@post.example a:bob@moss.example")]
    #[case("ida@@post.example", "u:ida@@post.example")]
    #[case("|ida@post.example", "a:ida@post.example")]
    #[case("n/a", "")]
    #[case("no address", "u:no_address")]
    #[case("Ida", "u:ida")]
    #[case("0BC83CB571CD1C50BA6F3E8A78EF1346", "h")]
    #[case("sha256: 0BC83CB571CD1C50BA6F3E8A78EF1346 ", "h")]
    fn a_cell_gives_every_entry_in_it(#[case] cell: &str, #[case] entries: &str) {
        let mut found = Vec::new();
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        read(cell.as_bytes(), &mut AddressCleaner::default(), &mut |entry| {
            found.push(match entry {
                Entry::Address(identity) => format!("a:{}", text(identity)),
                Entry::Domain(domain) => format!("d:{domain}"),
                Entry::Digest(_) => "h".to_owned(),
                Entry::Unusable(identity) => format!("u:{}", text(identity).replace(' ', "_")),
            });
        });
        let mut wanted: Vec<&str> = entries.split(' ').filter(|entry| !entry.is_empty()).collect();
        wanted.sort_unstable();
        found.sort();
        assert_eq!(found, wanted, "{cell}");
    }
}
