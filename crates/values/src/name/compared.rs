//! The words of a name that count when it is compared. The country counts for nothing here: a list may not know it, and both sides
//! must be read alike.

use super::company::is_company;
use super::couple;
use super::extras::{suffixes_at_end, titles_at_front};
use super::full::part;
use super::order::Naming;
use super::part::NameDoubt;
use super::parts::{is_east_asian, is_particle};
use super::words::WORDS;

/// The words of a whole name that count when it is compared, its title, suffixes and nickname left out.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct WithoutExtras<'a> {
    /// The given name and the words of the family name.
    pub core: Vec<&'a str>,
    /// What stands between them.
    pub middle: Vec<&'a str>,
}

/// Splits a whole name for a comparison. Of words in a row the first is the given name; the family name is the last, or begins
/// with its particle. A comma, or capitals, say which the family name is.
pub fn compared_parts(full_name: &str) -> WithoutExtras<'_> {
    let words = |text| str::split_whitespace(text).collect::<Vec<&str>>();
    let whole = full_name.trim();
    if whole.contains('@') || is_company(whole) {
        return WithoutExtras { core: words(whole), middle: Vec::new() };
    }
    let name = part(whole);
    let is_name = |word: &&str| word.contains(char::is_alphanumeric);
    // The words as they stand in the text, those of title and suffix left out, each in the part that it belongs to.
    let mut all: Vec<&str> = whole.split([',', ' ', '\t', '\u{a0}']).filter(is_name).collect();
    let front = titles_at_front(&all, Naming::default());
    all.drain(..front);
    all.truncate(all.len() - suffixes_at_end(&all));
    let of = |part: &str| part.split_whitespace().map(str::to_owned).collect::<Vec<String>>();
    let (first, middle, last) = (of(&name.first), of(&name.middle), of(&name.last));
    let known =
        |part: &[String]| all.iter().copied().filter(|word| part.iter().any(|own| own == word)).collect::<Vec<&str>>();
    let (mut core, mut between) = (known(&first), known(&middle));
    let family = known(&last);
    // Of a couple the other's name counts as a middle name does: two people are not one of them.
    if name.doubt == Some(NameDoubt::Couple) {
        let is_of_first = |word: &&str| [&first, &middle, &last].iter().any(|part| part.iter().any(|own| own == word));
        let others = all.iter().copied().filter(|word| !is_of_first(word) && !couple::joins_titles(word));
        between.extend(others.filter(|word| !WORDS.titles.holds(word) && !WORDS.family_words.holds(word)));
    }
    if family.is_empty() && core.len() > 1 && !is_east_asian(core[0]) {
        let particle = core.iter().skip(1).position(|word| is_particle(word)).map(|place| place + 1);
        let at = particle.unwrap_or(core.len() - 1);
        between.extend(core.drain(1..at));
    }
    core.extend(family);
    // Nobody is compared as nothing.
    if core.is_empty() {
        core = all.into_iter().filter(|word| !WORDS.titles.holds(word)).collect();
    }
    WithoutExtras { core, middle: between }
}
