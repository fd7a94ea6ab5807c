//! The words of names: titles, suffixes, particles, and what tells a company. Looked up for every name, so that most words
//! are ruled out by their first letter and their length.

use crate::fold::fold;
use crate::quick_map::{QuickMap, QuickSet};
use std::sync::LazyLock;

/// The words of `name_words.txt`.
#[derive(Default)]
pub(super) struct Words {
    /// Words in front of a name, with a dot or without.
    pub(super) titles: WordSet,
    /// Titles only with a dot: "Mag." and "Ing." are, "Mag" and "Ing" may be names.
    pub(super) dotted_titles: WordSet,
    /// Titles of two words.
    pub(super) title_pairs: QuickSet<&'static str>,
    /// What goes on with a title: "Dr. rer. nat."
    pub(super) title_tails: QuickSet<&'static str>,
    /// Titles in some languages, given names in others.
    pub(super) dons: WordSet,
    /// Suffixes and degrees, without dots and spaces, with the form in which they are written.
    pub(super) suffixes: QuickMap<&'static str, &'static str>,
    pub(super) suffix_words: WordSet,
    /// Those that could be names.
    pub(super) weak_suffixes: QuickSet<&'static str>,
    pub(super) particles: WordSet,
    /// Words that begin a family name and are written large: St. John, San Martín.
    pub(super) starts: WordSet,
    /// Words of nobility that belong to the family name where they stand behind a given name.
    pub(super) ranks: WordSet,
    /// What somebody is or where, in words that are no names: offices, floors.
    pub(super) roles: QuickSet<&'static str>,
    /// Given names that are common somewhere.
    pub(super) given: QuickSet<&'static str>,
    /// What follows "Maria del" in a given name.
    pub(super) after_maria: QuickSet<&'static str>,
    /// Words in front of a name of birth.
    pub(super) birth_name: QuickSet<&'static str>,
    /// Words for a whole family.
    pub(super) family: QuickSet<&'static str>,
    /// The same, looked up for every name.
    pub(super) family_words: WordSet,
    /// Words that, as the first of a name, ask for care: titles, particles, words for a family.
    pub(super) at_front: WordSet,
    /// Words that, as the last of a name, ask for care: suffixes, companies' words, words for a family.
    pub(super) at_end: WordSet,
    pub(super) company: WordSet,
    /// Those of several words: "s a", "e v".
    pub(super) company_forms: Vec<String>,
}

/// Folded words, with a quick test by first letter and length.
#[derive(Default)]
pub(super) struct WordSet {
    pub(super) words: QuickSet<&'static str>,
    /// For each first letter, a bit for each length.
    pub(super) lengths: [u32; 26],
}

/// The longest word of a set.
pub(super) const LONGEST_WORD: usize = 24;

impl WordSet {
    pub(super) fn add(&mut self, word: &'static str) {
        let first = word.as_bytes()[0];
        if first.is_ascii_lowercase() && word.len() < LONGEST_WORD {
            self.lengths[usize::from(first - b'a')] |= 1 << word.len();
        }
        self.words.insert(word);
    }

    /// Whether a word as it is written, dots at its end aside, is one of them.
    #[inline]
    pub(super) fn holds(&self, word: &str) -> bool {
        let mut bare = word;
        while let Some(shorter) = bare.strip_suffix(['.', ',']) {
            bare = shorter;
        }
        if bare.len() < LONGEST_WORD && bare.bytes().all(|byte| byte.is_ascii_alphanumeric()) {
            let first = bare.bytes().next().unwrap_or_default().to_ascii_lowercase();
            let is_candidate =
                first.is_ascii_lowercase() && self.lengths[usize::from(first - b'a')] >> bare.len() & 1 == 1;
            if !is_candidate {
                return false;
            }
            let mut room = [0; LONGEST_WORD];
            let lower = &mut room[..bare.len()];
            lower.copy_from_slice(bare.as_bytes());
            lower.make_ascii_lowercase();
            return self.words.contains(std::str::from_utf8(lower).unwrap_or_default());
        }
        // A word with accents keeps its number of letters when it is folded.
        let first = word.bytes().next().unwrap_or_default().to_ascii_lowercase();
        let letters = word.chars().count();
        let is_candidate = first.is_ascii_lowercase()
            && letters < LONGEST_WORD
            && (self.lengths[usize::from(first - b'a')] >> letters.saturating_sub(2)) & 0b111 != 0;
        is_candidate && self.words.contains(fold(word).as_str())
    }
}

pub(super) static WORDS: LazyLock<Words> = LazyLock::new(|| {
    let mut words = Words::default();
    for (kind, list) in include_str!("../data/name_words.txt").lines().filter_map(|line| line.split_once(": ")) {
        let list = list.split('|').map(str::trim);
        match kind {
            "title" => list.for_each(|word| words.titles.add(word)),
            "dotted title" => list.for_each(|word| words.dotted_titles.add(word)),
            "title pair" => words.title_pairs.extend(list),
            "title tail" => words.title_tails.extend(list),
            "don" => list.for_each(|word| words.dons.add(word)),
            "suffix" | "weak suffix" => {
                for (word, form) in list.filter_map(|word| word.split_once('=')) {
                    words.suffix_words.add(word);
                    words.suffixes.insert(word, form);
                    if kind == "weak suffix" {
                        words.weak_suffixes.insert(word);
                    }
                }
            }
            "particle" => list.for_each(|word| words.particles.add(word)),
            "start" => list.for_each(|word| words.starts.add(word)),
            "rank" => list.for_each(|word| words.ranks.add(word)),
            "role" => words.roles.extend(list),
            "given" => words.given.extend(list),
            "after maria" => words.after_maria.extend(list),
            "birth name" => words.birth_name.extend(list),
            "family" => list.for_each(|word| {
                words.family.insert(word);
                words.family_words.add(word);
            }),
            "company" => list.for_each(|word| {
                if word.contains(' ') { words.company_forms.push(format!(" {word}")) } else { words.company.add(word) }
            }),
            _ => {}
        }
    }
    for set in [&words.titles, &words.dons, &words.particles, &words.starts, &words.family_words] {
        set.words.iter().for_each(|word| words.at_front.add(word));
    }
    for set in [&words.company, &words.suffix_words, &words.family_words] {
        set.words.iter().for_each(|word| words.at_end.add(word));
    }
    words
});

/// The letters and digits of a word, folded: "Ph.D." is "phd", "Dipl.-Ing." is "dipling".
pub(super) fn bare(word: &str) -> String {
    if word.bytes().all(|byte| byte.is_ascii()) {
        return word.bytes().filter(u8::is_ascii_alphanumeric).map(|byte| byte.to_ascii_lowercase() as char).collect();
    }
    fold(word).replace(' ', "")
}
