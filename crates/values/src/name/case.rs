//! The letter case of names.

use super::part::NamePart;
use super::words::WORDS;
use crate::fold::fold;

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
