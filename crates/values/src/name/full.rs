//! A full name → its parts. A comma in it parts a family name from given names, or a name from what somebody is; nothing is
//! turned round where that is not clear (rule 18).

use super::company::is_company;
use super::couple::{self, couple, family_as_a_whole};
use super::extras::{is_all_suffixes, is_title, take_suffixes, take_titles, unbracketed};
use super::order::Naming;
use super::part::{NameDoubt, NameParts};
use super::parts::{Read, Words, arranged, is_given, is_particle, with_given};
use super::words::{WORDS, bare};
use std::borrow::Cow;

/// Splits a full name of whose country and language nothing is known.
///
/// ```
/// use pebblebank_values::name::part;
/// let name = part("Dr. Ida B. de la Moor, PhD");
/// assert_eq!((&*name.title, &*name.first, &*name.middle), ("Dr.", "Ida", "B."));
/// assert_eq!((&*name.last, &*name.suffix), ("de la Moor", "PhD"));
/// assert_eq!((&*part("Moor, Ida Anna").first, &*part("Moor, Ida Anna").middle), ("Ida", "Anna"));
/// ```
pub fn part(full_name: &str) -> NameParts<'_> {
    part_in(full_name, Naming::default())
}

/// Splits a full name.
///
/// ```
/// use pebblebank_values::name::{Naming, part_in};
/// use pebblebank_values::place::Country;
/// let of = |name, code| part_in(name, Naming::of(Country::from_capitals(code), ""));
/// assert_eq!(&*of("Ana García López", "ES").last, "García López");
/// assert_eq!(&*of("Ana Clara Moss", "GB").middle, "Clara");
/// assert_eq!(&*of("Nagy János", "HU").last, "Nagy");
/// ```
pub fn part_in(full_name: &str, naming: Naming) -> NameParts<'_> {
    let full_name = full_name.trim();
    if full_name.is_empty() {
        return NameParts::default();
    }
    if naming.is_given_first()
        && let Some((first, last)) = plain_parts(full_name)
    {
        return NameParts { first: first.into(), last: last.into(), ..NameParts::default() };
    }
    if full_name.contains('@') || is_company(full_name) {
        return NameParts { last: full_name.into(), ..NameParts::default() };
    }
    let bare_name = unbracketed(full_name);
    let mut suffixes = bare_name.suffixes;
    let name = with_comma(&bare_name.name, naming);
    let read = read(&name, naming, &mut suffixes);
    let owned = |words: &[&str]| Cow::Owned(words.join(" "));
    NameParts {
        title: owned(&read.title),
        first: owned(&read.words.first),
        middle: owned(&read.words.middle),
        last: owned(&read.words.last),
        suffix: Cow::Owned(suffixes.join(" ")),
        doubt: read.doubt,
        is_turned: read.is_turned,
    }
}

/// A name with a comma before what somebody is, where a dash stands: "Ida Moss - Treasurer".
fn with_comma(name: &str, naming: Naming) -> Cow<'_, str> {
    // What dashes and bars begin with in UTF-8.
    if !name.bytes().any(|byte| matches!(byte, b'-' | b'|' | 0xE2)) {
        return name.into();
    }
    let parted = [" - ", " – ", " — ", " | "].into_iter().find_map(|dash| name.split_once(dash));
    match parted {
        Some((before, after)) if !matches!(kind_of(after.trim(), naming), Behind::Names) => {
            format!("{before}, {after}").into()
        }
        _ => name.into(),
    }
}

/// The words of a text, those of a name of birth left out, and what has no letter: "Ida Moss 2".
fn words_of(text: &str) -> Vec<&str> {
    let is_word = |word: &&str| word.contains(char::is_alphabetic) || couple::joins_titles(word);
    let mut words: Vec<&str> = text.split_whitespace().filter(is_word).collect();
    let is_birth_name = |word: &&str| {
        word.starts_with(char::is_lowercase)
            && (word.ends_with('.') || word.len() > 2)
            && WORDS.birth_name.contains(bare(word).as_str())
    };
    if let Some(at) = words.iter().position(is_birth_name).filter(|at| *at > 0 && at + 1 < words.len()) {
        words.truncate(at);
    }
    words
}

fn read<'a>(name: &'a str, naming: Naming, suffixes: &mut Vec<String>) -> Read<'a> {
    let parts: Vec<&str> = name.split(',').map(str::trim).filter(|part| !part.is_empty()).collect();
    let [before, behind @ ..] = parts.as_slice() else { return Read::default() };
    let mut own = words_of(before);
    let mut title = take_titles(&mut own, naming);
    let mut behind_first = Vec::new();
    take_suffixes(&mut own, &mut behind_first);
    let mut given: Option<Vec<&str>> = None;
    let mut others = false;
    for part in behind {
        match kind_of(part, naming) {
            Behind::Suffixes => behind_first.push((*part).to_owned()),
            Behind::Title => title.extend(part.split_whitespace()),
            Behind::Names if given.is_none() => given = Some(words_of(part)),
            Behind::Other | Behind::Names => others = true,
        }
    }
    suffixes.splice(0..0, behind_first);
    let Some(mut given) = given else {
        let doubt = others.then_some(NameDoubt::Comma);
        return without_comma(&own, title, doubt, naming, suffixes);
    };
    let more_titles = take_titles(&mut given, naming);
    title.extend(more_titles);
    let mut of_given = Vec::new();
    take_suffixes(&mut given, &mut of_given);
    suffixes.splice(0..0, of_given);
    if !is_one_family(&own, &given, naming) || couple(&own).is_some() {
        let doubt = Some(NameDoubt::Comma);
        return without_comma(&own, title, doubt, naming, suffixes);
    }
    // "Moor, Ida van der"
    let particles = given.iter().rev().take_while(|word| is_particle(word)).count();
    if particles < given.len() {
        let moved = given.split_off(given.len() - particles);
        own.splice(0..0, moved);
    }
    let mut doubt = None;
    if let Some((first, _)) = couple(&given) {
        given.truncate(first.len());
        doubt = Some(NameDoubt::Couple);
    }
    Read { title, words: with_given(&given, own, naming), doubt, is_turned: true }
}

fn without_comma<'a>(
    words: &[&'a str],
    mut title: Vec<&'a str>,
    doubt: Option<NameDoubt>,
    naming: Naming,
    suffixes: &mut Vec<String>,
) -> Read<'a> {
    if let Some(family) = family_as_a_whole(words) {
        title.extend(family.title);
        if let Some((left, right)) = couple(&family.last) {
            return couple::read(left, right, title, naming, suffixes);
        }
        let words = Words { last: family.last, ..Words::default() };
        return Read { title, words, doubt: Some(NameDoubt::Couple), is_turned: false };
    }
    if let Some((left, right)) = couple(words) {
        return couple::read(left, right, title, naming, suffixes);
    }
    // "Mr & Mrs Moss": the first title is off already.
    if let [joiner, second, ..] = words
        && !title.is_empty()
        && couple::joins_titles(joiner)
        && is_title(second, naming)
    {
        return couple::read(&title, &words[1..], Vec::new(), naming, suffixes);
    }
    let words = match (words, title.is_empty()) {
        // "Herr Quill"
        ([only], false) => Words { last: vec![only], ..Words::default() },
        _ => arranged(words, naming),
    };
    Read { title, words, doubt, is_turned: false }
}

/// What a text behind a comma is.
enum Behind {
    Suffixes,
    Title,
    /// An office, a floor, a number: no name.
    Other,
    Names,
}

fn kind_of(part: &str, naming: Naming) -> Behind {
    if is_all_suffixes(part) {
        return Behind::Suffixes;
    }
    let is_role = |word: &str| WORDS.roles.contains(bare(word).as_str());
    let mut words = part.split_whitespace();
    if words.clone().all(|word| is_title(word, naming)) {
        return Behind::Title;
    }
    if part.contains(|c: char| c.is_ascii_digit() || matches!(c, '/' | '#' | ':' | '@')) || words.any(is_role) {
        return Behind::Other;
    }
    Behind::Names
}

/// Whether what stands before a comma is one family name, and what stands behind it are given names.
fn is_one_family(family: &[&str], given: &[&str], naming: Naming) -> bool {
    let has_names = !given.is_empty() && given.iter().any(|word| word.contains(char::is_alphabetic));
    let names = family.iter().filter(|word| !is_particle(word)).count();
    let begins_with_given = family.first().is_some_and(|word| is_given(word));
    let second_is_given = family.get(1).is_some_and(|word| is_given(word));
    let behind_is_given = given.first().is_some_and(|word| is_given(word));
    let is_family = match names {
        1 => family.len() == 1 || is_particle(family[0]),
        // "García López, Ana"; but "Ida Moss, Gardener".
        2 => behind_is_given || !begins_with_given || second_is_given || !naming.is_given_first(),
        _ => false,
    };
    has_names && is_family
}

/// The first word and the rest of a name of Latin letters without signs in which nothing asks for more care: two words, no title,
/// suffix, initial or company's word, and no word in capitals.
fn plain_parts(full_name: &str) -> Option<(&str, &str)> {
    let bytes = full_name.as_bytes();
    // In UTF-8, composed Latin letters begin with 0xC3 to 0xCB.
    let is_plain = |byte: &u8| matches!(byte, b'A'..=b'Z' | b'a'..=b'z' | b' ' | b'-' | 0x80..=0xBF | 0xC3..=0xCB);
    if !bytes.iter().all(is_plain) {
        return None;
    }
    let space = memchr::memchr(b' ', bytes)?;
    let (first, last) = (&full_name[..space], &full_name[space + 1..]);
    let words = &*WORDS;
    let has_small = |word: &str| word.bytes().any(|byte| byte.is_ascii_lowercase());
    if words.at_front.holds(first) || first.len() < 2 || !has_small(first) || last.is_empty() {
        return None;
    }
    let is_usual = last.len() > 1 && has_small(last) && !last.contains(' ') && !words.at_end.holds(last);
    is_usual.then_some((first, last))
}

/// "Given Family" of "Family, Given", with title and suffix where they belong; none where nothing is turned round.
pub fn given_first(full_name: &str) -> Option<String> {
    let full_name = full_name.trim();
    if !full_name.contains(',') || full_name.contains('@') || is_company(full_name) {
        return None;
    }
    let name = part(full_name);
    // What stands in brackets, or behind a second comma and is no suffix, would be lost.
    let is_whole = || {
        let letters = |text: &str| text.chars().filter(|c| c.is_alphanumeric()).count();
        let parts = [&name.title, &name.first, &name.middle, &name.last, &name.suffix];
        parts.iter().map(|part| letters(part)).sum::<usize>() == letters(full_name)
    };
    if !name.is_turned || name.doubt.is_some() || !is_whole() {
        return None;
    }
    let suffix = if name.suffix.is_empty() { String::new() } else { format!(", {}", name.suffix) };
    let words = [&*name.title, &*name.first, &*name.middle, &*name.last];
    let turned = words.iter().filter(|word| !word.is_empty()).copied().collect::<Vec<_>>().join(" ");
    Some(turned + &suffix)
}

/// What is not certain about a full name.
pub fn doubt(full_name: &str) -> Option<NameDoubt> {
    let is_sign = |c| matches!(c, ',' | '&' | '+' | '/');
    let may_join = |word: &str| couple::joins_titles(word) || WORDS.family_words.holds(word);
    let is_doubtful = full_name.contains(is_sign) || full_name.split(' ').any(may_join);
    is_doubtful.then(|| part(full_name).doubt).flatten()
}
