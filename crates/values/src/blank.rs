//! What counts as nothing: blanks of every kind, invisible characters, words that stand for nothing (`blank_words.txt`,
//! and a job's own).

use crate::quick_map::QuickMap;
use pebblebank_table::unseen::is_unseen;
use std::sync::LazyLock;

/// In which fields a word counts as blank.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum BlankIn {
    /// Names and companies: a person may be called Null.
    Names,
    /// Countries and regions: NA is a code.
    Places,
    /// Dates.
    Dates,
    /// All others.
    Others,
    /// Columns whose meaning is not known: nothing but blanks and invisible characters.
    Nothing,
}

/// Where a word of the list holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Holds {
    Everywhere,
    NotInNames,
    NotInNamesAndPlaces,
    InDates,
}

/// Words that stand for nothing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BlankWords {
    words: QuickMap<String, Holds>,
    /// For each byte that a word may begin with, a bit for each length; all for blanks, quotes and invisible characters.
    lengths: Box<[u32; 256]>,
    /// The same for the words that count in names.
    lengths_in_names: Box<[u32; 256]>,
}

/// The bit of a length; long ones share one.
#[inline]
fn length_bit(length: usize) -> u32 {
    1 << length.min(31)
}

static STANDARD: LazyLock<BlankWords> = LazyLock::new(|| {
    let mut words = QuickMap::default();
    for (where_to, list) in include_str!("data/blank_words.txt").lines().filter_map(|line| line.split_once(": ")) {
        let holds = match where_to {
            "names" => Holds::Everywhere,
            "everywhere" => Holds::NotInNames,
            "not places" => Holds::NotInNamesAndPlaces,
            "dates" => Holds::InDates,
            _ => continue,
        };
        words.extend(list.split('|').map(|word| (word.trim().to_owned(), holds)));
    }
    BlankWords::of(words)
});

impl Default for BlankWords {
    fn default() -> BlankWords {
        STANDARD.clone()
    }
}

impl BlankWords {
    fn of(words: QuickMap<String, Holds>) -> BlankWords {
        let mut lengths = Box::new([0u32; 256]);
        let unseen = [b'"', 0x7F, 0xC2, 0xCD, 0xD8, 0xEF, 0xF3];
        let unseen = (0..=b' ').chain(unseen).chain(0xE1..=0xE3);
        unseen.for_each(|byte| lengths[usize::from(byte)] = u32::MAX);
        let mut lengths_in_names = lengths.clone();
        for (word, holds) in &words {
            let Some(first) = word.chars().next() else { continue };
            for first in first.to_lowercase().chain(first.to_uppercase()) {
                let byte = usize::from(first.encode_utf8(&mut [0; 4]).as_bytes()[0]);
                lengths[byte] |= length_bit(word.len());
                if *holds == Holds::Everywhere {
                    lengths_in_names[byte] |= length_bit(word.len());
                }
            }
        }
        BlankWords { words, lengths, lengths_in_names }
    }

    /// The standard words, and those that a job adds (everywhere, names too) or takes out.
    pub fn changed(add: &[String], drop: &[String]) -> BlankWords {
        let mut words = STANDARD.words.clone();
        let lower = |word: &String| word.trim_matches(is_unseen).to_lowercase();
        words.extend(add.iter().map(|word| (lower(word), Holds::Everywhere)));
        for word in drop {
            words.remove(&lower(word));
        }
        BlankWords::of(words)
    }

    /// Whether a cell as it is in the file surely is no blank word, where it has no blanks at its ends.
    #[inline]
    pub fn is_surely_none(&self, raw: &[u8], field: BlankIn) -> bool {
        let lengths = if field == BlankIn::Names { &self.lengths_in_names } else { &self.lengths };
        raw.first().is_some_and(|first| lengths[usize::from(*first)] & length_bit(raw.len()) == 0)
    }

    /// Whether a value that is not empty stands for nothing in a field of this kind.
    pub fn holds(&self, value: &str, field: BlankIn) -> bool {
        let shown = trimmed(value);
        if shown.is_empty() {
            return true;
        }
        if field == BlankIn::Nothing || self.is_surely_none(shown.as_bytes(), field) {
            return false;
        }
        let mut room = [0u8; 32];
        let holds = match room.get_mut(..shown.len()) {
            Some(lower) if shown.is_ascii() => {
                lower.copy_from_slice(shown.as_bytes());
                lower.make_ascii_lowercase();
                self.words.get(std::str::from_utf8(lower).unwrap_or_default())
            }
            _ => self.words.get(&shown.to_lowercase()),
        };
        match holds {
            Some(Holds::Everywhere) => true,
            Some(Holds::NotInNames) => field != BlankIn::Names,
            Some(Holds::NotInNamesAndPlaces) => !matches!(field, BlankIn::Names | BlankIn::Places),
            Some(Holds::InDates) => field == BlankIn::Dates,
            None => false,
        }
    }
}

/// The value without blanks and invisible characters at its ends.
#[inline]
pub fn trimmed(value: &str) -> &str {
    let is_plain = |byte: &u8| matches!(byte, b'!'..=b'~');
    match value.as_bytes() {
        [first, .., last] if is_plain(first) && is_plain(last) => value,
        _ => value.trim_matches(is_unseen),
    }
}

/// Whether the value is blank: unseen, or a standard word that stands for nothing.
///
/// ```
/// use pebblebank_values::blank::is_blank;
/// assert!(is_blank(" N/A ") && is_blank("keine Angabe"));
/// assert!(!is_blank("Anna"));
/// ```
pub fn is_blank(value: &str) -> bool {
    STANDARD.holds(value, BlankIn::Others)
}

/// Whether a name, a company, or a value whose kind is not known is blank: a person may be called Null.
pub fn is_blank_name(value: &str) -> bool {
    STANDARD.holds(value, BlankIn::Names)
}
