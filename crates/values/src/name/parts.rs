//! Which words of a name are given, middle and family name, once titles and suffixes are off. Nothing but the words and how
//! names are built in their country decides (RULES 19).

use super::order::{Naming, Order};
use super::part::NameDoubt;
use super::words::{WORDS, bare};

/// The words of a name by what they are.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Words<'a> {
    pub(super) first: Vec<&'a str>,
    pub(super) middle: Vec<&'a str>,
    pub(super) last: Vec<&'a str>,
}

/// A name that was read; its suffixes are elsewhere.
#[derive(Default)]
pub(super) struct Read<'a> {
    pub(super) title: Vec<&'a str>,
    pub(super) words: Words<'a>,
    pub(super) doubt: Option<NameDoubt>,
    pub(super) is_turned: bool,
}

/// The words of a name without a comma.
pub(super) fn arranged<'a>(words: &[&'a str], naming: Naming) -> Words<'a> {
    match words {
        [] => return Words::default(),
        [only] => return one_word(only, naming),
        _ => {}
    }
    // "Petrov Ivan Ivanovich"
    if let [family, given, patronymic] = words
        && is_patronymic(patronymic)
        && !is_patronymic(given)
        && (is_cyrillic(patronymic) || (is_given(given) && !is_given(family)))
    {
        return Words { first: vec![given], middle: vec![patronymic], last: vec![family] };
    }
    if let Some((given, family)) = family_in_capitals(words) {
        return with_given(&given, family, naming);
    }
    if begins_with_particle(words) {
        // "De la Cruz Maria"
        let given = words.len() - usize::from(words.len() > 2 && is_given(words[words.len() - 1]));
        return Words { last: words[..given].to_vec(), first: words[given..].to_vec(), middle: Vec::new() };
    }
    let is_western = is_given(words[0]) && !words.last().is_some_and(|last| is_given(last));
    match naming.order {
        Order::GivenFirst => given_first(words, naming),
        Order::TwoFamilyNames => two_family_names(words, naming),
        _ if is_east_asian(words[0]) => Words { first: words[1..].to_vec(), last: vec![words[0]], middle: Vec::new() },
        _ if is_western => given_first(words, naming),
        _ => with_given(&words[1..], vec![words[0]], naming),
    }
}

/// One word: a given name, unless its script has both names in it.
fn one_word(word: &str, naming: Naming) -> Words<'_> {
    /// Family names of two signs.
    const OF_TWO: [&str; 26] = [
        "欧阳", "歐陽", "司马", "司馬", "上官", "诸葛", "諸葛", "夏侯", "皇甫", "尉迟", "尉遲", "公孙", "公孫", "慕容",
        "令狐", "宇文", "司徒", "东方", "東方", "남궁", "황보", "제갈", "선우", "독고", "사공", "서문",
    ];
    let is_hangul = word.chars().all(|c| matches!(c, '\u{AC00}'..='\u{D7A3}'));
    let is_han = word.chars().all(|c| matches!(c, '\u{3400}'..='\u{9FFF}' | '\u{F900}'..='\u{FAFF}'));
    let signs = word.chars().count();
    let has_both = (2..=4).contains(&signs) && (is_hangul || (is_han && naming.order == Order::FamilyThenGiven));
    if !has_both {
        return Words { first: vec![word], ..Words::default() };
    }
    let family = if signs > 2 && OF_TWO.iter().any(|two| word.starts_with(two)) { 2 } else { 1 };
    let at = word.char_indices().nth(family).map_or(word.len(), |(at, _)| at);
    Words { first: vec![&word[at..]], last: vec![&word[..at]], middle: Vec::new() }
}

/// Whether a word says whose son or daughter somebody is, as in Russia.
fn is_patronymic(word: &str) -> bool {
    let word = word.to_lowercase();
    let ends = ["ович", "евич", "ьич", "овна", "евна", "ична", "ovich", "evich", "ovna", "evna", "ichna"];
    ends.iter().any(|end| word.len() > end.len() + 1 && word.ends_with(end))
}

fn is_cyrillic(word: &str) -> bool {
    word.chars().any(|c| matches!(c, '\u{400}'..='\u{4FF}'))
}

/// A name whose family name is known: how the given names stand beside each other.
pub(super) fn with_given<'a>(given: &[&'a str], family: Vec<&'a str>, naming: Naming) -> Words<'a> {
    let given = given.to_vec();
    match (naming.order, given.split_last()) {
        (Order::TwoFamilyNames | Order::FamilyThenGiven, _) | (_, None) => {
            Words { first: given, middle: Vec::new(), last: family }
        }
        (Order::GivenLast, Some((first, middle))) => {
            Words { first: vec![first], middle: middle.to_vec(), last: family }
        }
        _ => {
            let count = compound_given(&given).min(given.len());
            Words { first: given[..count].to_vec(), middle: given[count..].to_vec(), last: family }
        }
    }
}

fn given_first<'a>(words: &[&'a str], naming: Naming) -> Words<'a> {
    if is_east_asian(words[0]) {
        return Words { first: words[1..].to_vec(), last: vec![words[0]], middle: Vec::new() };
    }
    let count = Some(compound_given(words)).filter(|count| *count < words.len()).unwrap_or(1);
    let family = family_start(words, count).unwrap_or(words.len() - 1);
    with_given(&words[..family], words[family..].to_vec(), naming)
}

/// Second given names in Spain, Portugal and the Americas that are hardly ever family names.
const HARDLY_FAMILY: [&str; 48] = [
    "alberto",
    "alejandra",
    "alejandro",
    "andres",
    "angel",
    "angeles",
    "antonio",
    "beatriz",
    "carlos",
    "carmen",
    "carolina",
    "cecilia",
    "clara",
    "cristina",
    "eduardo",
    "elena",
    "enrique",
    "eugenia",
    "felipe",
    "fernanda",
    "fernando",
    "francisco",
    "gabriela",
    "guadalupe",
    "ignacio",
    "isabel",
    "javier",
    "jesus",
    "joao",
    "jose",
    "laura",
    "leonor",
    "lucia",
    "luis",
    "luisa",
    "luiza",
    "manuel",
    "margarita",
    "maria",
    "miguel",
    "pablo",
    "paula",
    "pedro",
    "rafael",
    "sofia",
    "teresa",
    "victoria",
    "vitoria",
];

/// Of three names the last two are family names, of four or more all but the last two are given names. A name is a word with the
/// particles in front of it.
fn two_family_names<'a>(words: &[&'a str], naming: Naming) -> Words<'a> {
    let count = Some(compound_given(words)).filter(|count| *count < words.len()).unwrap_or(1);
    // "Ana M.ª Ruiz"
    let count = count + usize::from(count + 1 < words.len() && is_short_maria(words[count]));
    let mut starts = vec![0];
    let mut joined = None;
    let mut at = count;
    while at < words.len() {
        let start = at;
        if is_joiner(words[at]) && starts.len() > 1 && at + 1 < words.len() {
            joined = starts.last().copied();
            at += 1;
        } else {
            starts.push(start);
        }
        while at + 1 < words.len() && is_particle(words[at]) {
            at += 1;
        }
        at += 1;
    }
    let family = match (starts.len(), joined) {
        (_, Some(joined)) => joined,
        (..=2, _) => starts.last().copied().unwrap_or_default(),
        // "José María Aznar"
        (3, _) if is_given(words[0]) && HARDLY_FAMILY.contains(&bare(words[starts[1]]).as_str()) => starts[2],
        // "João Pedro da Silva"
        (3, _) if is_particle(words[starts[2]]) && is_given(words[starts[1]]) => starts[2],
        (3, _) => starts[1],
        (names, _) => starts[names - 2],
    };
    with_given(&words[..family], words[family..].to_vec(), naming)
}

/// How many words of the front are one given name: "Maria del Mar", "Abdul Rahman", else one.
fn compound_given(words: &[&str]) -> usize {
    let is_small_particle = |word: &str| {
        ["de", "del", "la", "las", "los", "da", "do", "das", "dos"].contains(&word.to_lowercase().as_str())
    };
    let mut first = words.first().map(|word| bare(word)).unwrap_or_default();
    if words.first().is_some_and(|word| is_short_maria(word)) {
        if words.len() > 2 && !is_particle(words[1]) {
            return 2;
        }
        "maria".clone_into(&mut first);
    }
    if ["maria", "ana", "juan", "rosa", "jose", "angel"].contains(&first.as_str()) {
        let particles = words[1..].iter().take_while(|word| is_small_particle(word)).count();
        let is_named = words.get(1 + particles).is_some_and(|word| WORDS.after_maria.contains(bare(word).as_str()));
        if particles > 0 && is_named {
            return 2 + particles;
        }
    }
    if ["abdul", "abdel", "abd", "abu", "nur", "nour"].contains(&first.as_str()) && words.len() > 1 {
        let articles = words[1..].iter().take_while(|word| ["al", "el", "ul"].contains(&bare(word).as_str())).count();
        return 2 + articles;
    }
    1
}

/// "M.ª", "Mª" and "Ma." are María.
fn is_short_maria(word: &str) -> bool {
    matches!(word, "M.ª" | "Mª" | "M.ª." | "Mª." | "Ma." | "M.a")
}

/// Where the family name begins behind the given name: at its first particle or rank; before "y" at the name that it joins.
fn family_start(words: &[&str], after: usize) -> Option<usize> {
    let last = words.len() - 1;
    (after..last).find_map(|at| {
        if is_joiner(words[at]) {
            return Some(at.saturating_sub(1).max(after));
        }
        (is_particle(words[at]) || WORDS.ranks.holds(words[at])).then_some(at)
    })
}

/// "y" and "e" between two family names: "Ortega y Gasset".
fn is_joiner(word: &str) -> bool {
    matches!(word, "y" | "e" | "i")
}

/// Whether a word is part of a family name that begins with it; a capital alone is an initial.
pub(super) fn is_particle(word: &str) -> bool {
    if is_initial(word) {
        return false;
    }
    let bare_word = word.trim_start_matches(['\'', '’']);
    WORDS.particles.holds(bare_word)
        || WORDS.starts.holds(bare_word)
        || matches!(word, "Ó" | "ó" | "ben" | "ibn" | "s/o" | "d/o" | "a/l" | "a/p")
}

/// Whether all of a name is a family name: it begins with a small particle, or with two.
fn begins_with_particle(words: &[&str]) -> bool {
    let is_small = |word: &str| word.chars().find(|c| c.is_alphabetic()).is_some_and(char::is_lowercase);
    let has_second = words.len() > 2 && is_particle(words[1]);
    is_particle(words[0]) && (is_small(words[0]) || has_second) && !(has_second && is_initial(words[1]))
}

pub(super) fn is_initial(word: &str) -> bool {
    let letters = word.trim_end_matches('.');
    letters.chars().count() == 1 && letters.chars().all(char::is_uppercase) && letters != "Ó"
}

/// Whether a word is a given name that is common somewhere.
pub(super) fn is_given(word: &str) -> bool {
    word.split('-').all(|part| WORDS.given.contains(bare(part).as_str()))
}

/// Whether a word is in Chinese characters, kana or Hangul, whose names begin with the family name.
pub(super) fn is_east_asian(word: &str) -> bool {
    word.chars().next().is_some_and(|c| matches!(c, '\u{3040}'..='\u{30FF}' | '\u{3400}'..='\u{9FFF}' | '\u{AC00}'..='\u{D7A3}' | '\u{F900}'..='\u{FAFF}'))
}

/// "MOSS Ida" and "Ida van der MOOR": where one group of words stands in capitals and the others do not, it is the family, its
/// particles included.
fn family_in_capitals<'a>(words: &[&'a str]) -> Option<(Vec<&'a str>, Vec<&'a str>)> {
    let is_plain = |word: &&str| word.chars().any(char::is_lowercase) && !is_particle(word);
    if !words.iter().any(|word| is_in_capitals(word)) || !words.iter().any(is_plain) {
        return None;
    }
    let is_part = |word: &str| is_in_capitals(word) || (is_particle(word) && word.chars().count() > 1);
    let mut start = words.iter().position(|word| is_in_capitals(word))?;
    let end = start + words[start..].iter().take_while(|word| is_part(word)).count();
    while start > 0 && is_particle(words[start - 1]) {
        start -= 1;
    }
    let others = [&words[..start], &words[end..]];
    let is_alone = others.iter().all(|part| part.iter().all(|word| !is_in_capitals(word)));
    let is_at_an_end = start == 0 || end == words.len();
    (is_alone && is_at_an_end).then(|| (others.concat(), words[start..end].to_vec()))
}

/// Four letters or more in capitals, three with a vowel, or two of which the second is one: "LI", and not "JRR" and "AJ".
fn is_in_capitals(word: &str) -> bool {
    const VOWELS: [char; 6] = ['a', 'e', 'i', 'o', 'u', 'y'];
    let letters = || word.chars().filter(|c| c.is_alphabetic());
    let is_upper = letters().all(char::is_uppercase);
    let is_name = || match letters().count() {
        0 | 1 => false,
        2 => bare(word).ends_with(VOWELS) && !bare(word).starts_with(VOWELS),
        3 => !word.is_ascii() || bare(word).contains(VOWELS),
        _ => true,
    };
    // "J.R." are initials.
    is_upper && !word.contains('.') && is_name()
}
