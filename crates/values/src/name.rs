//! Names: a full name and its parts, letter case, titles and suffixes, and what is no person's name.
//!
//! What cannot be told from the written form alone is left alone: which of several last names is a middle one, how a
//! name in mixed case is meant, or how one in a script without blanks is split.

use crate::fold::fold;
use crate::name_words::WORDS;
use std::borrow::Cow;

/// Which part of a name a column holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum NamePart {
    /// What stands before the name: Dr, Mrs.
    Title,
    /// The given name.
    First,
    /// Further given names.
    Middle,
    /// The family name.
    Last,
    /// What stands after the name: Jr., `PhD`.
    Suffix,
    /// All of it.
    Full,
}

/// The parts of a full name; empty where it has none.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct NameParts<'a> {
    /// Dr, Mrs.
    pub title: Cow<'a, str>,
    /// The given name, or several joined by hyphens.
    pub first: &'a str,
    /// Initials between.
    pub middle: Cow<'a, str>,
    /// The family name with its particles.
    pub last: Cow<'a, str>,
    /// Jr., `PhD`.
    pub suffix: Cow<'a, str>,
}

impl NameParts<'_> {
    /// One of the parts.
    pub fn part(&self, part: NamePart) -> &str {
        match part {
            NamePart::Title => &self.title,
            NamePart::First => self.first,
            NamePart::Middle => &self.middle,
            NamePart::Last => &self.last,
            NamePart::Suffix => &self.suffix,
            NamePart::Full => "",
        }
    }
}

/// Splits a full name.
///
/// "Family, Given" is split at its comma; else the first word is the given name and the rest the family name, so
/// that no word gets lost between the two. A name of one word is a given name. What is a company or an address, or is
/// written in a script without given and family name apart, stays whole.
///
/// ```
/// use pebblebank_values::name::part;
/// let name = part("Dr. Ida B. de la Moor, PhD");
/// assert_eq!((&*name.title, name.first, &*name.middle), ("Dr.", "Ida", "B."));
/// assert_eq!((&*name.last, &*name.suffix), ("de la Moor", "PhD"));
/// assert_eq!((part("Moor, Ida").first, &*part("Moor, Ida").last), ("Ida", "Moor"));
/// ```
pub fn part(full_name: &str) -> NameParts<'_> {
    let full_name = full_name.trim();
    if let Some((first, last)) = plain_parts(full_name) {
        return NameParts { first, last: last.into(), ..NameParts::default() };
    }
    if full_name.contains('@') || is_company(full_name) {
        return NameParts { last: full_name.into(), ..NameParts::default() };
    }
    if !is_latin(full_name) {
        return NameParts { first: full_name, ..NameParts::default() };
    }
    let (before_suffix, mut suffixes) = without_trailing_suffixes(full_name);
    let (given, family) = match before_suffix.split_once(',') {
        Some((family, given)) => (given.trim(), Some(family.trim())),
        None => (before_suffix, None),
    };
    let (title, given) = without_titles(given);
    let (given, more) = if family.is_some() { without_trailing_suffixes(given) } else { (given, Vec::new()) };
    suffixes.extend(more);
    let (family_title, family) = family.map_or(("", None), |family| {
        let (title, family) = without_titles(family);
        let (family, more) = without_trailing_suffixes(family);
        suffixes.extend(more);
        (title, Some(family))
    });
    let title = joined(&[family_title, title]);
    let suffix = joined(&suffixes);
    let mut words = given.split_whitespace();
    if let (None, Some((first, last))) = (family, family_in_capitals(given)) {
        return NameParts { title, first, middle: "".into(), last: last.into(), suffix };
    }
    let first = match family {
        // All the words of "Family, Given Given" but initials are given names.
        Some(_) => without_last_initials(given),
        None => words.next().unwrap_or_default(),
    };
    if first.is_empty() {
        return NameParts { title, last: family.unwrap_or_default().into(), suffix, ..NameParts::default() };
    }
    // The first word, or words, begin what is left.
    let rest = given.trim_start()[first.len()..].trim_start();
    let (middle, rest) = without_initials(rest);
    match family {
        Some(family) => NameParts { title, first, middle: middle.into(), last: family.into(), suffix },
        // Initials alone would be the family name.
        None if rest.is_empty() => NameParts { title, first, middle: "".into(), last: middle.into(), suffix },
        None => NameParts { title, first, middle: middle.into(), last: rest.into(), suffix },
    }
}

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
    if whole.contains('@') || is_company(whole) || !is_latin(whole) {
        return WithoutExtras { core: words(whole), middle: Vec::new() };
    }
    let (before_suffix, _) = without_trailing_suffixes(whole);
    if let Some((family, given)) = before_suffix.split_once(',') {
        let plain = |text| without_trailing_suffixes(without_titles(str::trim(text)).1).0;
        let (family, given) = (words(plain(family)), words(plain(given)));
        if !given.is_empty() && !family.is_empty() {
            return compared_words(given, family);
        }
    }
    let (_, rest) = without_titles(before_suffix);
    match family_in_capitals(rest) {
        Some((given, family)) => compared_words(words(given), words(family)),
        None => compared_words(words(rest.trim_end_matches(',')), Vec::new()),
    }
}

/// The given name first, what else is no family name between; where the family name is not known, it is found.
fn compared_words<'a>(mut given: Vec<&'a str>, mut family: Vec<&'a str>) -> WithoutExtras<'a> {
    if family.is_empty() && given.len() > 1 {
        let particle = given.iter().skip(1).position(|word| WORDS.particles.holds(word)).map(|place| place + 1);
        let last = given.len() - 1;
        family = given.split_off(particle.unwrap_or(last).min(last));
    }
    let middle = if given.len() > 1 { given.split_off(1) } else { Vec::new() };
    given.append(&mut family);
    WithoutExtras { core: given, middle }
}

/// A whole name without what stands in brackets or quotes: a nickname, a remark. One that is nothing else keeps it.
pub fn without_nickname(full_name: &str) -> Cow<'_, str> {
    const PAIRS: [(char, char); 7] =
        [('(', ')'), ('[', ']'), ('"', '"'), ('“', '”'), ('„', '“'), ('«', '»'), ('‘', '’')];
    let mut bare: Cow<str> = full_name.into();
    for (open, close) in PAIRS {
        while let Some(start) = bare.find(open)
            && let Some(length) = bare[start + open.len_utf8()..].find(close)
        {
            let end = start + open.len_utf8() + length + close.len_utf8();
            let without = format!("{} {}", &bare[..start], &bare[end..]);
            if !without.contains(char::is_alphabetic) {
                return bare;
            }
            bare = without.into();
        }
    }
    bare
}

/// The first word and the rest of a name of Latin letters without signs in which nothing asks for more care: no title,
/// suffix, initial or company's word, and no word in capitals.
fn plain_parts(full_name: &str) -> Option<(&str, &str)> {
    let bytes = full_name.as_bytes();
    // In UTF-8, composed Latin letters begin with 0xC3 to 0xCB.
    let is_plain =
        |byte: &u8| matches!(byte, b'A'..=b'Z' | b'a'..=b'z' | b' ' | b'-' | b'\'' | 0x80..=0xBF | 0xC3..=0xCB);
    if !bytes.iter().all(is_plain) {
        return None;
    }
    let space = memchr::memchr(b' ', bytes)?;
    let (first, last) = (&full_name[..space], &full_name[space + 1..]);
    let words = &*WORDS;
    let has_small = |word: &str| word.bytes().any(|byte| byte.is_ascii_lowercase());
    if words.titles.holds(first) || first.len() < 2 || !has_small(first) || last.starts_with(' ') {
        return None;
    }
    let is_usual =
        |word: &str| word.len() > 1 && has_small(word) && !words.company.holds(word) && !words.suffix_words.holds(word);
    last.split(' ').all(is_usual).then_some((first, last))
}

/// "Given Family" of "Family, Given", with title and suffix where they belong; none where nothing is turned round.
pub fn given_first(full_name: &str) -> Option<String> {
    let (before_suffix, _) = without_trailing_suffixes(full_name.trim());
    if !before_suffix.contains(',') || full_name.contains('@') || is_company(full_name) {
        return None;
    }
    let name = part(full_name);
    let suffix = if name.suffix.is_empty() { String::new() } else { format!(", {}", name.suffix) };
    let words = [&*name.title, name.first, &*name.middle, &*name.last];
    let turned = words.iter().filter(|word| !word.is_empty()).copied().collect::<Vec<_>>().join(" ");
    let is_name = |part: &str| part.contains(char::is_alphabetic) && !part.contains(',');
    (is_name(name.first) && is_name(&name.last)).then(|| turned + &suffix)
}

fn joined<'a>(parts: &[&'a str]) -> Cow<'a, str> {
    let filled: Vec<&str> = parts.iter().copied().filter(|part| !part.is_empty()).collect();
    match filled.as_slice() {
        [] => "".into(),
        [only] => (*only).into(),
        several => several.join(" ").into(),
    }
}

/// Takes titles off the front: "Prof. Dr. Ida Moss". A name that is nothing else keeps them.
pub fn without_titles(name: &str) -> (&str, &str) {
    let mut rest = name;
    while let Some((word, after)) = rest.split_once(char::is_whitespace) {
        let after = after.trim_start();
        // "Dr" and "Dr." are titles; "M Moss" has an initial and "Fr" alone may be a name.
        let is_short = word.chars().filter(|c| c.is_alphabetic()).count() < 2 && !word.ends_with('.');
        // "M. Moss" is as likely an initial.
        if is_short || after.is_empty() || !WORDS.titles.holds(word) || word.trim_end_matches('.').len() < 2 {
            break;
        }
        rest = after;
    }
    let title = name[..name.len() - rest.len()].trim_end();
    (title, rest)
}

/// Takes suffixes off the end: "Moss, Jr.", "Moss `PhD`". Those that could be a name need a comma or a dot.
pub fn without_trailing_suffixes(name: &str) -> (&str, Vec<&str>) {
    let mut rest = name.trim_end();
    let mut suffixes = Vec::new();
    while let Some(at) = rest.rfind([' ', ',']) {
        let word = rest[at + 1..].trim();
        if !WORDS.suffix_words.holds(word) {
            break;
        }
        let folded = fold(word);
        let before = rest[..at].trim_end().trim_end_matches(',').trim_end();
        let has_comma = rest[..=at].trim_end().ends_with(',');
        let could_be_a_name = matches!(folded.as_str(), "ma" | "ba" | "sr" | "mp" | "rn" | "kc" | "qc");
        let is_suffix = WORDS.suffixes.contains_key(folded.as_str())
            && (!could_be_a_name || has_comma || word.ends_with('.') || word.chars().all(char::is_uppercase));
        if !is_suffix || before.is_empty() {
            break;
        }
        suffixes.insert(0, word);
        rest = before;
    }
    (rest, suffixes)
}

/// "B. C. Moss" → ("B. C.", "Moss"): words of one letter, with or without a dot.
fn without_initials(rest: &str) -> (&str, &str) {
    let mut after = rest;
    while let Some(word) = after.split_whitespace().next() {
        if !is_initial(word) {
            break;
        }
        after = after[word.len()..].trim_start();
    }
    (rest[..rest.len() - after.len()].trim_end(), after)
}

/// "Ida B." → "Ida"
fn without_last_initials(given: &str) -> &str {
    let mut rest = given;
    while let Some((before, word)) = rest.rsplit_once(' ') {
        if !is_initial(word) {
            break;
        }
        rest = before.trim_end();
    }
    rest
}

fn is_initial(word: &str) -> bool {
    let letters = word.trim_end_matches('.');
    letters.chars().count() == 1 && letters.chars().all(char::is_uppercase)
}

/// "MOSS Ida" and "Ida MOSS": where one word group stands in capitals and the others do not, it is the family.
fn family_in_capitals(name: &str) -> Option<(&str, &str)> {
    const LETTERS: usize = 3;
    let in_capitals = |word: &str| {
        word.chars().filter(|c| c.is_alphabetic()).count() >= LETTERS && !word.chars().any(char::is_lowercase)
    };
    let at = name.find(' ')?;
    let (head, tail) = (&name[..at], name[at..].trim_start());
    match (in_capitals(head), tail.split(' ').all(in_capitals)) {
        (true, false) if !tail.split(' ').any(in_capitals) => Some((tail, head)),
        (false, true) => Some((head, tail)),
        _ => None,
    }
}

/// Whether most letters are Latin, so that blanks part given and family name.
fn is_latin(name: &str) -> bool {
    name.is_ascii() || name.chars().filter(|c| c.is_alphabetic()).all(|c| c < '\u{250}' || matches!(c, 'Ḁ'..='ỿ'))
}

/// Whether a value in a column of names is a company's: one of its words says so. "Ida & Bo Moss" are
/// two people.
///
/// ```
/// use pebblebank_values::name::is_company;
/// assert!(is_company("Thornwick Nurseries, Ltd") && is_company("Quillmere Theater GmbH & Co. KG"));
/// assert!(!is_company("Ida Moss") && !is_company("Trust Okonkwo"));
/// ```
pub fn is_company(name: &str) -> bool {
    if !name.contains(' ') {
        return false;
    }
    // The first word may be a given name, such as Trust or Ag.
    let words = &*WORDS;
    let mut rest = name;
    while let Some(at) = memchr::memchr(b' ', rest.as_bytes()) {
        rest = &rest[at + 1..];
        let end = memchr::memchr(b' ', rest.as_bytes()).unwrap_or(rest.len());
        if words.company.holds(&rest[..end]) {
            return true;
        }
    }
    // "S.A.", "e. V.", "B V"
    let may_end_so = name.contains('.') || name.rfind(' ').is_some_and(|at| name.len() - at <= 2);
    may_end_so && {
        let folded = fold(name);
        WORDS.company_forms.iter().any(|form| folded.ends_with(form.as_str()))
    }
}

/// Whether a value in a column of names is an e-mail address.
pub fn is_address(name: &str) -> bool {
    name.contains('@') && crate::address::AddressCleaner::default().clean(name.as_bytes()).is_usable()
}

/// Whether the letter case surely needs no repair: there are capitals and small letters.
#[inline]
pub fn has_mixed_case(name: &[u8]) -> bool {
    let (mut has_capital, mut has_small) = (false, false);
    for byte in name {
        has_capital |= byte.is_ascii_uppercase();
        has_small |= byte.is_ascii_lowercase();
    }
    has_capital && has_small
}

/// The name with usual letter case, where it is written in capitals or in small letters throughout; none where it
/// stays as it is.
///
/// ```
/// use pebblebank_values::name::repaired_case;
/// use pebblebank_values::name::NamePart;
/// assert_eq!(repaired_case("IDA MCBRIDE-O'HARA", NamePart::Full).as_deref(), Some("Ida McBride-O'Hara"));
/// assert_eq!(repaired_case("VAN DER MOOR", NamePart::Last).as_deref(), Some("van der Moor"));
/// assert_eq!(repaired_case("LeRoy", NamePart::First), None);
/// ```
pub fn repaired_case(name: &str, part: NamePart) -> Option<String> {
    if has_mixed_case(name.as_bytes()) {
        return None;
    }
    let (mut upper, mut lower) = (0, 0);
    for c in name.chars() {
        upper += usize::from(c.is_uppercase());
        lower += usize::from(c.is_lowercase());
    }
    if (upper > 0 && lower > 0) || upper + lower == 0 || name.contains('@') || name.chars().any(|c| c.is_ascii_digit())
    {
        return None;
    }
    if part == NamePart::Suffix {
        let usual = WORDS.suffixes.get(fold(name).as_str())?;
        return (*usual != name && usual.trim_end_matches('.') != name).then(|| (*usual).to_owned());
    }
    // JR, DJ and the like are initials; a capital I of Turkish would become another letter.
    let is_in_capitals = upper > 0;
    let are_initials = is_in_capitals && part != NamePart::Title && (upper < 3 || !name.chars().any(is_vowel));
    let is_turkish = is_in_capitals && name.contains('I') && name.contains(['Ğ', 'Ş', 'İ']);
    if are_initials || is_turkish {
        return None;
    }
    let last = name.split(' ').count() - 1;
    let mut repaired = String::with_capacity(name.len());
    for (place, word) in name.split(' ').enumerate() {
        if place > 0 {
            repaired.push(' ');
        }
        let may_be_particle = place < last && (part == NamePart::Last || (part == NamePart::Full && place > 0));
        let is_numeral = || ["ii", "iii", "iv"].iter().any(|numeral| word.eq_ignore_ascii_case(numeral));
        if may_be_particle && WORDS.particles.holds(word) {
            repaired.extend(word.chars().flat_map(char::to_lowercase));
        } else if place > 0 && is_numeral() {
            repaired.extend(word.chars().flat_map(char::to_uppercase));
        } else if place > 0 && place == last && WORDS.suffix_words.holds(word) {
            repaired.push_str(WORDS.suffixes.get(fold(word).as_str()).copied().unwrap_or(word));
        } else {
            push_capitalised(word, part, &mut repaired);
        }
    }
    (repaired != name).then_some(repaired)
}

fn is_vowel(c: char) -> bool {
    !c.is_ascii() || matches!(c.to_ascii_lowercase(), 'a' | 'e' | 'i' | 'o' | 'u' | 'y')
}

/// Adds a word with capitals where names have them: at its beginning, after hyphens, after O' and the like, after Mc.
fn push_capitalised(word: &str, part: NamePart, out: &mut String) {
    let begins =
        |start: &[u8; 2]| word.as_bytes().first_chunk::<2>().is_some_and(|two| two.eq_ignore_ascii_case(start));
    if word.bytes().all(|byte| byte.is_ascii_alphabetic()) && !begins(b"mc") && !begins(b"ij") {
        let start = out.len();
        out.push_str(word);
        out[start..].make_ascii_lowercase();
        if let Some(first) = out.get_mut(start..=start) {
            first.make_ascii_uppercase();
        }
        return;
    }
    let small = word.replace('İ', "i").to_lowercase();
    let mut is_start = true;
    let segments = small.split_inclusive(['-', '\'', '’', '.', '/', '(']);
    for segment in segments {
        let letters = segment.trim_end_matches(['-', '\'', '’', '.', '/', '(']);
        let is_apostrophe = segment.ends_with(['\'', '’']);
        let mut rest = segment;
        let mut is_ij = false;
        if is_start {
            let folded = fold(letters);
            if part != NamePart::First && folded.len() > 3 && folded.starts_with("mc") && letters.is_ascii() {
                out.push_str("Mc");
                rest = &segment[2..];
            } else if folded.starts_with("ij") && folded.len() > 3 && letters.is_ascii() && part != NamePart::First {
                out.push_str("IJ");
                rest = &segment[2..];
                is_ij = true;
            }
            let mut chars = rest.chars();
            match chars.next() {
                Some(first) if !is_ij => {
                    // A letter without a capital of its own, such as ß, stays small.
                    out.push(
                        Some(first.to_uppercase())
                            .filter(|capital| capital.len() == 1)
                            .map_or(first, |mut c| c.next().unwrap_or(first)),
                    );
                    out.push_str(chars.as_str());
                }
                _ => out.push_str(rest),
            }
        } else {
            out.push_str(segment);
        }
        // After 's there is no name: "St Wren's".
        is_start = !is_apostrophe || letters.chars().count() <= 2;
        if is_apostrophe && small.ends_with(&format!("{segment}s")) {
            is_start = false;
        }
    }
}
