//! What stands around a name and is none of it: titles in front, suffixes and degrees behind, nicknames in brackets or quotes.

use super::order::Naming;
use super::words::{WORDS, bare};
use std::borrow::Cow;

/// How many of the words at the front are titles. A name that is nothing else keeps them.
pub(super) fn titles_at_front(words: &[&str], naming: Naming) -> usize {
    let mut count = 0;
    while count < words.len() {
        let pair = words.get(count + 1).map(|next| format!("{} {}", bare(words[count]), bare(next)));
        if pair.is_some_and(|pair| WORDS.title_pairs.contains(pair.as_str())) {
            count += 2;
        } else if is_title(words[count], naming)
            || (count > 0 && WORDS.title_tails.contains(bare(words[count]).as_str()))
        {
            count += 1;
        } else {
            break;
        }
    }
    if count >= words.len() { 0 } else { count }
}

/// Whether a word is a title wherever it stands in front of a name.
pub(super) fn is_title(word: &str, naming: Naming) -> bool {
    let has_dot = word.ends_with('.');
    let letters = word.chars().filter(|c| c.is_alphabetic()).count();
    if letters < 2 {
        // "M Moss" and mostly "M. Moss" have an initial.
        return naming.has_monsieur && word == "M.";
    }
    WORDS.titles.holds(word)
        || (naming.has_monsieur && word == "Me")
        || (naming.is_austrian && matches!(word, "DI" | "DDI" | "Mag" | "DIin" | "MMag."))
        || (has_dot && WORDS.dotted_titles.holds(word))
        || (naming.has_don && WORDS.dons.holds(word))
        || (word.contains(['.', '-', '/']) && is_title_of_parts(word))
}

/// "Dipl.-Ing.", "Prof.Dr.", "Mr/Mrs"
fn is_title_of_parts(word: &str) -> bool {
    let mut parts = word.split(['.', '-', '/']).filter(|part| !part.is_empty()).peekable();
    let is_one = |part: &str| WORDS.titles.holds(part) || WORDS.dotted_titles.holds(part);
    WORDS.titles.words.contains(bare(word).as_str()) || (parts.peek().is_some() && parts.all(is_one))
}

/// The title in front of a name, and the rest: "Prof. Dr. Ida Moss". A name that is nothing else keeps it.
pub fn without_titles(name: &str) -> (&str, &str) {
    let words: Vec<&str> = name.split_whitespace().collect();
    let count = titles_at_front(&words, Naming::default());
    let mut rest = name;
    for _ in 0..count {
        rest = rest.trim_start().split_once(char::is_whitespace).map_or("", |(_, after)| after);
    }
    let rest = rest.trim_start();
    (name[..name.len() - rest.len()].trim(), if count == 0 { name } else { rest })
}

/// Whether a word is a suffix or degree. Behind a comma or in brackets (`is_apart`) those count that could be names.
pub(super) fn is_suffix(word: &str, is_apart: bool) -> bool {
    let folded = bare(word);
    if !WORDS.suffixes.contains_key(folded.as_str()) {
        return false;
    }
    let is_written_as_one =
        word.contains('.') || (word.chars().any(char::is_uppercase) && !word.chars().any(char::is_lowercase));
    is_apart || is_written_as_one || !WORDS.weak_suffixes.contains(folded.as_str())
}

/// How many of the words at the end are suffixes and degrees; one word at least is left.
pub(super) fn suffixes_at_end(words: &[&str]) -> usize {
    let mut count = 0;
    while count + 1 < words.len() {
        let last = words.len() - count - 1;
        if is_suffix(words[last], false) {
            count += 1;
        } else if last > 1 && is_suffix_of_two(words[last - 1], words[last]) {
            count += 2;
        } else {
            break;
        }
    }
    count
}

/// Whether all of a text is suffixes and degrees: "Ph. D.", "MBA, LLM".
pub(super) fn is_all_suffixes(text: &str) -> bool {
    let words: Vec<&str> = text.split_whitespace().collect();
    let mut at = 0;
    while at < words.len() {
        if is_suffix(words[at], true) {
            at += 1;
        } else if words.get(at + 1).is_some_and(|next| is_suffix_of_two(words[at], next)) {
            at += 2;
        } else {
            return false;
        }
    }
    at > 0
}

/// "Ph. D.", "M. Sc."
fn is_suffix_of_two(first: &str, second: &str) -> bool {
    first.ends_with('.') && second.ends_with('.') && WORDS.suffixes.contains_key((bare(first) + &bare(second)).as_str())
}

/// Takes the titles off the front.
pub(super) fn take_titles<'a>(words: &mut Vec<&'a str>, naming: Naming) -> Vec<&'a str> {
    let count = titles_at_front(words, naming);
    words.drain(..count).collect()
}

/// Takes the suffixes off the end.
pub(super) fn take_suffixes(words: &mut Vec<&str>, suffixes: &mut Vec<String>) {
    let taken = words.split_off(words.len() - suffixes_at_end(words));
    suffixes.splice(0..0, taken.into_iter().map(str::to_owned));
}

/// A name without the suffixes at its end, and these: "Moss, Jr.", "Moss `PhD`".
pub fn without_trailing_suffixes(name: &str) -> (&str, Vec<&str>) {
    let mut rest = name.trim_end();
    let mut suffixes = Vec::new();
    while let Some(at) = rest.rfind([' ', ',']) {
        let word = rest[at + 1..].trim();
        let before = rest[..at].trim_end();
        let is_apart = rest[..=at].trim_end().ends_with(',');
        let before = before.trim_end_matches(',').trim_end();
        if before.is_empty() || !is_suffix(word, is_apart) {
            break;
        }
        suffixes.insert(0, word);
        rest = before;
    }
    (rest, suffixes)
}

/// A name without what stands in brackets or quotes, and the suffixes that stood there.
pub(super) struct Unbracketed<'a> {
    pub(super) name: Cow<'a, str>,
    pub(super) suffixes: Vec<String>,
}

/// Takes brackets and quotes out of a name: nicknames, remarks, degrees. A name that is nothing else keeps them.
pub(super) fn unbracketed(full_name: &str) -> Unbracketed<'_> {
    const PAIRS: [(&str, &str); 10] = [
        ("(", ")"),
        ("[", "]"),
        ("\"", "\""),
        ("“", "”"),
        ("„", "“"),
        ("«", "»"),
        ("‘", "’"),
        ("»", "«"),
        (" '", "' "),
        (" `", "` "),
    ];
    let mut found = Unbracketed { name: full_name.into(), suffixes: Vec::new() };
    if !full_name.contains(['(', '[', '"', '“', '„', '«', '»', '‘', '\'', '`']) {
        return found;
    }
    let padded = format!("{full_name} ");
    let mut name = padded.clone();
    for (open, close) in PAIRS {
        while let Some(start) = name.find(open)
            && let Some(length) = name[start + open.len()..].find(close)
        {
            let inside = &name[start + open.len()..start + open.len() + length];
            let without = format!("{} {}", &name[..start], &name[start + open.len() + length + close.len()..]);
            if !without.contains(char::is_alphabetic) || inside.trim().is_empty() {
                break;
            }
            // A name in quotes before one word is no nickname: "\"Ida\" Moss".
            if open != "(" && open != "[" && name[..start].trim().is_empty() && without.split_whitespace().count() == 1
            {
                name = format!("{inside} {}", without.trim());
                continue;
            }
            if is_all_suffixes(&inside.replace(',', " ")) {
                found.suffixes.push(inside.trim().to_owned());
            }
            name = without;
        }
    }
    if name != padded {
        found.name = name.split_whitespace().collect::<Vec<_>>().join(" ").replace(" ,", ",").into();
    }
    found
}

/// A whole name without what stands in brackets or quotes. One that is nothing else keeps it.
pub fn without_nickname(full_name: &str) -> Cow<'_, str> {
    unbracketed(full_name).name
}
