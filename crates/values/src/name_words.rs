//! The words of names: titles, suffixes, particles, and what tells a company. Looked up for every name, so that most words
//! are ruled out by their first letter and their length.

use crate::fold::fold;
use std::collections::{HashMap, HashSet};
use std::sync::LazyLock;

/// The words of `name_words.txt`.
pub(super) struct Words {
    pub(super) titles: WordSet,
    pub(super) suffixes: HashMap<&'static str, &'static str>,
    pub(super) suffix_words: WordSet,
    pub(super) particles: WordSet,
    pub(super) company: WordSet,
    /// Those of several words: "s a", "e v".
    pub(super) company_forms: Vec<String>,
}

/// Folded words, with a quick test by first letter and length.
#[derive(Default)]
pub(super) struct WordSet {
    pub(super) words: HashSet<&'static str>,
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
    let mut words = Words {
        titles: WordSet::default(),
        suffixes: HashMap::new(),
        suffix_words: WordSet::default(),
        particles: WordSet::default(),
        company: WordSet::default(),
        company_forms: Vec::new(),
    };
    for (kind, list) in include_str!("data/name_words.txt").lines().filter_map(|line| line.split_once(": ")) {
        let list = list.split('|').map(str::trim);
        match kind {
            "title" => list.for_each(|word| words.titles.add(word)),
            "suffix" => list.filter_map(|word| word.split_once('=')).for_each(|(word, form)| {
                words.suffix_words.add(word);
                words.suffixes.insert(word, form);
            }),
            "particle" => list.for_each(|word| words.particles.add(word)),
            "company" => list.for_each(|word| {
                if word.contains(' ') { words.company_forms.push(format!(" {word}")) } else { words.company.add(word) }
            }),
            _ => {}
        }
    }
    words
});
