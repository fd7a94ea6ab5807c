//! Names of two people, or of a family, in one cell: the first given name and the shared family name are taken, and doubted.

use super::extras::{is_title, take_suffixes, take_titles, titles_at_front};
use super::order::Naming;
use super::part::NameDoubt;
use super::parts::{Read, Words, arranged, is_given, is_particle};
use super::words::{WORDS, bare};

/// The words before and behind what joins two people; none where they are one person's.
pub(super) fn couple<'a, 'b>(words: &'b [&'a str]) -> Option<(&'b [&'a str], &'b [&'a str])> {
    let is_sign = |word: &str| matches!(word, "&" | "+" | "/");
    let is_word = |word: &str| matches!(bare(word).as_str(), "and" | "und" | "et" | "en" | "och" | "og");
    let is_short_word = |word: &str| matches!(word, "y" | "e" | "i" | "a");
    let joins = |at: &usize| {
        let (word, left, right) = (words[*at], &words[..*at], &words[at + 1..]);
        if left.is_empty() || right.is_empty() {
            return false;
        }
        let both_are_titles = left.iter().all(|word| is_title(word, Naming::default()))
            && right.first().is_some_and(|word| is_title(word, Naming::default()));
        // "von und zu"; "Costa e Silva".
        is_sign(word)
            || (is_word(word) && !left.last().is_some_and(|word| is_particle(word)))
            || (is_short_word(word) && both_are_titles)
    };
    let at = (1..words.len()).find(joins)?;
    Some((&words[..at], &words[at + 1..]))
}

/// Whether a word between two titles joins them.
pub(super) fn joins_titles(word: &str) -> bool {
    matches!(word, "&" | "+" | "/")
        || matches!(bare(word).as_str(), "and" | "und" | "et" | "en" | "och" | "og" | "y" | "e" | "i" | "a")
}

/// The parts of a couple's name: the first person's given name, and the family name that they share.
pub(super) fn read<'a>(
    left: &[&'a str],
    right: &[&'a str],
    mut title: Vec<&'a str>,
    naming: Naming,
    suffixes: &mut Vec<String>,
) -> Read<'a> {
    let doubt = Some(NameDoubt::Couple);
    let mut right = right.to_vec();
    if right.iter().all(|word| WORDS.family.contains(bare(word).as_str())) {
        return Read { title, words: arranged(left, naming), doubt, is_turned: false };
    }
    let count = titles_at_front(&right, naming);
    let right_title: Vec<&str> = right.drain(..count).collect();
    take_suffixes(&mut right, suffixes);
    let second = match right.as_slice() {
        [only] if count > 0 => Words { last: vec![only], ..Words::default() },
        _ => arranged(&right, naming),
    };
    if left.iter().all(|word| is_title(word, naming)) {
        // "Mr & Mrs Moss": the titles are written as they stand.
        title.extend(left);
        title.push("&");
        title.extend(right_title);
        return Read { title, words: second, doubt, is_turned: false };
    }
    let mut left = left.to_vec();
    title.extend(take_titles(&mut left, naming));
    let shares = left.len() == 1 || left.last().is_some_and(|word| is_given(word) && right.len() > 1);
    let words = if shares {
        let middle = left.split_off(1);
        let last = if second.last.is_empty() && right.len() > 1 { right } else { second.last };
        Words { first: left, middle, last }
    } else {
        arranged(&left, naming)
    };
    Read { title, words, doubt, is_turned: false }
}

/// A family that is named as a whole: "Familie Quill", "The Moss Family".
pub(super) struct Family<'a> {
    pub(super) title: Vec<&'a str>,
    pub(super) last: Vec<&'a str>,
}

pub(super) fn family_as_a_whole<'a>(words: &[&'a str]) -> Option<Family<'a>> {
    let is_family = |word: &str| WORDS.family.contains(bare(word).as_str());
    match words {
        [first, rest @ ..] if is_family(first) && !rest.is_empty() => {
            Some(Family { title: vec![first], last: rest.to_vec() })
        }
        // "Ida and family"
        [.., before, last] if is_family(last) && joins_titles(before) => None,
        [rest @ .., last] if is_family(last) && !rest.is_empty() => {
            let has_article = bare(rest[0]) == "the" && rest.len() > 1;
            Some(Family { title: vec![last], last: rest[usize::from(has_article)..].to_vec() })
        }
        _ => None,
    }
}
