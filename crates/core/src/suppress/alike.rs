//! What makes an entry of a suppression list and a contact close, although they do not match: one typo, a `+tag`, the same
//! name at the same domain, a middle name, a country's prefix.
//!
//! Both give keys, texts that they have in common wherever they are close; who shares a key is judged.

use crate::columns::map::ColumnMap;
use crate::person::near::keys::{SHORTEST_LOCAL, are_numbered, without_one_letter};
use pebblebank_table::{Record, cell};
use pebblebank_values::comparable::FullName;
use pebblebank_values::identity::{IdentityHasher, without_tag};
use pebblebank_values::suggest::{is_mailbox_provider, is_one_typo};
use pebblebank_values::{Field, phone};
use xxhash_rust::xxh3::xxh3_64;

/// With fewer letters, one typo makes somebody else's name.
const SHORTEST_NAME: usize = 3;

/// What an entry or a contact is compared by, in its comparable form.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Alike {
    /// An address, or what was meant as one, and the name beside it.
    Address {
        /// As the job compares it.
        text: String,
        /// As it is written.
        shown: String,
        /// In its comparable form; empty where it has none.
        name: String,
    },
    /// A whole name.
    Name {
        /// As it is compared.
        name: FullName,
        /// As it is written.
        shown: String,
    },
    /// A phone number, by its digits; with a plus where its country is known.
    Phone(String),
}

impl Alike {
    /// As messages and receipts show it.
    pub fn shown(&self) -> &str {
        match self {
            Alike::Address { shown, .. } | Alike::Name { shown, .. } => shown,
            Alike::Phone(number) => number,
        }
    }

    /// Hands over the texts that it shares with whatever it is close to.
    pub fn for_each_key(&self, mut add: impl FnMut(u64)) {
        let mut bytes = Vec::with_capacity(96);
        let mut key = |kind: u8, first: &str, (begin, end): (&str, &str)| {
            bytes.clear();
            bytes.push(kind);
            bytes.extend_from_slice(first.as_bytes());
            bytes.push(0);
            bytes.extend_from_slice(begin.as_bytes());
            bytes.extend_from_slice(end.as_bytes());
            add(xxh3_64(&bytes));
        };
        match self {
            Alike::Address { text, name, .. } => {
                let Some((local, domain)) = text.rsplit_once('@') else { return };
                let untagged = without_tag(text.as_bytes());
                key(b't', "", (&String::from_utf8_lossy(&untagged), ""));
                if local.chars().count() >= SHORTEST_LOCAL {
                    without_one_letter(local, |parts| key(b'l', domain, parts));
                    without_one_letter(domain, |parts| key(b'd', local, parts));
                }
                if !name.is_empty() {
                    key(b'n', domain, (name, ""));
                }
            }
            Alike::Name { name, .. } => {
                key(b'm', "", (&name.core.join(" "), ""));
                for (place, word) in name.core.iter().enumerate() {
                    if word.chars().count() >= SHORTEST_NAME {
                        let others = without_word(&name.core, place).join(" ");
                        without_one_letter(word, |parts| key(b'w', &others, parts));
                    }
                }
            }
            Alike::Phone(number) => {
                for national in phone::national_forms(number) {
                    key(b'p', "", (&national, ""));
                    without_one_letter(&national, |parts| key(b'q', "", parts));
                }
                without_one_letter(digits_of(number), |parts| key(b'q', "", parts));
            }
        }
    }

    /// What an entry and a contact have in common, if they are close.
    pub fn why_close(entry: &Alike, contact: &Alike) -> Option<&'static str> {
        match (entry, contact) {
            (Alike::Address { text, name, .. }, Alike::Address { text: other, name: other_name, .. }) => {
                let has_name = !name.is_empty() && name == other_name;
                addresses(text, other, has_name)
            }
            (Alike::Name { name, .. }, Alike::Name { name: other, .. }) => names(name, other),
            (Alike::Phone(number), Alike::Phone(other)) => phones(number, other),
            _ => None,
        }
    }
}

fn without_word(words: &[String], place: usize) -> Vec<&str> {
    words.iter().enumerate().filter(|(other, _)| *other != place).map(|(_, word)| word.as_str()).collect()
}

fn addresses(entry: &str, contact: &str, have_same_name: bool) -> Option<&'static str> {
    if entry == contact {
        return None;
    }
    let ((local, domain), (other, other_domain)) = (entry.rsplit_once('@')?, contact.rsplit_once('@')?);
    if without_tag(entry.as_bytes()) == without_tag(contact.as_bytes()) {
        return Some("a tag or dots apart");
    }
    if domain == other_domain && is_one_typo(local, other) && !are_numbered(local, other) {
        return Some("one typo before the @");
    }
    let are_providers = is_mailbox_provider(domain) && is_mailbox_provider(other_domain);
    if local == other && is_one_typo(domain, other_domain) && !are_providers && !are_numbered(domain, other_domain) {
        return Some("one typo in the domain");
    }
    (domain == other_domain && have_same_name).then_some("same name and domain")
}

fn names(entry: &FullName, contact: &FullName) -> Option<&'static str> {
    if entry.core == contact.core {
        return (entry.middle != contact.middle).then_some("same name but for the middle name");
    }
    let is_typo = |(place, word): (usize, &String)| {
        let others = without_word(&entry.core, place);
        let is_other = |(at, other): (usize, &String)| {
            word.chars().count() >= SHORTEST_NAME
                && is_one_typo(word, other)
                && without_word(&contact.core, at) == others
        };
        contact.core.iter().enumerate().any(is_other)
    };
    entry.core.iter().enumerate().any(is_typo).then_some("one typo in the name")
}

fn digits_of(number: &str) -> &str {
    number.trim_start_matches('+')
}

fn phones(entry: &str, contact: &str) -> Option<&'static str> {
    if entry == contact {
        return None;
    }
    let of_contact = phone::national_forms(contact);
    let of_entry = phone::national_forms(entry);
    if of_entry.iter().any(|national| of_contact.contains(national)) {
        return Some("same number but for its prefix");
    }
    let is_one_more =
        |entry: &str, contact: &str| entry.len().abs_diff(contact.len()) == 1 && is_one_typo(entry, contact);
    let is_close = is_one_more(digits_of(entry), digits_of(contact))
        || of_entry.iter().any(|entry| of_contact.iter().any(|contact| is_one_more(entry, contact)));
    is_close.then_some("one digit more or less")
}

/// An address as the job compares it, with the name beside it.
pub(crate) fn address_alike(address: &str, name: String, hasher: &IdentityHasher) -> Alike {
    let text = String::from_utf8_lossy(&hasher.compared(address.as_bytes())).into_owned();
    Alike::Address { text, shown: address.to_owned(), name }
}

/// The full name in a row, as names are compared; empty where there is none.
pub(crate) fn name_in(map: &ColumnMap, record: &Record) -> String {
    let value = |field| map.column(field).map_or(String::new(), |column| cell::text(record.raw(column.0)).into_owned());
    let full = value(Field::FullName);
    let name = if full.trim().is_empty() {
        let (first, last) = (value(Field::FirstName), value(Field::LastName));
        if first.trim().is_empty() || last.trim().is_empty() { String::new() } else { format!("{first} {last}") }
    } else {
        full
    };
    if name.is_empty() {
        return name;
    }
    let name = FullName::of(&name).core.join(" ");
    // One word alone is no full name.
    if name.contains(' ') { name } else { String::new() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn close(entry: &Alike, contact: &Alike) -> bool {
        let mut keys = Vec::new();
        entry.for_each_key(|key| keys.push(key));
        let mut shares = false;
        contact.for_each_key(|key| shares |= keys.contains(&key));
        let is_close = Alike::why_close(entry, contact).is_some();
        assert!(shares || !is_close, "whatever is close must share a key: {entry:?} {contact:?}");
        is_close
    }

    fn name(text: &str) -> Alike {
        Alike::Name { name: FullName::of(text), shown: text.to_owned() }
    }

    #[rstest]
    #[case("Anna Rossi", "Ana Rossi", true)]
    #[case("Anna Rossi", "Rosi, Anna", true)]
    #[case("Anna Rossi", "Bnna Rossi", true)]
    #[case("René Moss", "Rene Moss", true)]
    #[case("Anna B. Rossi", "Anna C. Rossi", true)]
    #[case("Anna Rossi", "Mrs Anna Rossi", false)]
    #[case("Anna Rossi", "Bo Rossi", false)]
    #[case("Al Moss", "Bo Moss", false)]
    fn names_are_close_but_for_one_typo_or_the_middle_name(#[case] a: &str, #[case] b: &str, #[case] is_close: bool) {
        assert_eq!(close(&name(a), &name(b)), is_close);
    }

    #[rstest]
    #[case("+442079460001", "02079460001", true)]
    #[case("+442079460001", "2079460001", true)]
    #[case("+442079460001", "00442079460001", true)]
    #[case("+442079460001", "+44207946001", true)]
    #[case("0171392001", "+491713920012", true)]
    #[case("0171392001", "+491713930012", false)]
    #[case("+442079460001", "+442079460002", false)]
    #[case("+442079460001", "+332079460001", true)]
    fn phones_are_close_but_for_a_digit_or_a_prefix(#[case] a: &str, #[case] b: &str, #[case] is_close: bool) {
        assert_eq!(close(&Alike::Phone(a.to_owned()), &Alike::Phone(b.to_owned())), is_close);
    }
}
