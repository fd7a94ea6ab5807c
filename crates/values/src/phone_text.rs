//! A phone number as it is typed → its digits and its extension: labels, remarks, letters of the keypad.

use crate::Doubt;

/// What is read out of one number.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Typed<'a> {
    pub(crate) digits: &'a [u8],
    pub(crate) has_plus: bool,
    pub(crate) extension: &'a str,
    pub(crate) has_letters: bool,
}

/// Words that stand before a number.
const LABELS: [&str; 22] = [
    "private",
    "privat",
    "business",
    "mob",
    "cel",
    "day",
    "tel",
    "telephone",
    "telefon",
    "phone",
    "mobile",
    "mobil",
    "cell",
    "home",
    "work",
    "office",
    "handy",
    "t",
    "m",
    "p",
    "h",
    "fon",
];

/// Reads the digits of one number.
pub(crate) fn read<'a>(text: &'a str, room: &'a mut [u8; 24]) -> Result<Typed<'a>, Doubt> {
    let text = without_label(text);
    let (main, extension) = without_extension(without_remark(text));
    let mut length = 0;
    let mut has_plus = false;
    let mut letters = 0;
    for c in main.chars() {
        let digit = match c {
            // Digits behind letters: words beside a number, and none that is dialled.
            '0'..='9' if letters > 0 => return Err(Doubt::UnreadablePhone),
            '0'..='9' => c as u8,
            '+' if length == 0 => {
                has_plus = true;
                continue;
            }
            'a'..='z' | 'A'..='Z' if length >= 3 => {
                letters += 1;
                on_keypad(c)
            }
            ' ' | '-' | '.' | '(' | ')' | '\u{a0}' | '–' | '‐' | '‑' | '·' | '\'' | '*' => continue,
            _ => return Err(Doubt::UnreadablePhone),
        };
        let Some(place) = room.get_mut(length) else { return Err(Doubt::DamagedPhone) };
        *place = digit;
        length += 1;
    }
    let is_word = letters == 0 || letters >= 3;
    if length < 3 || !is_word {
        return Err(if length == 0 || !is_word { Doubt::UnreadablePhone } else { Doubt::DamagedPhone });
    }
    Ok(Typed { digits: &room[..length], has_plus, extension, has_letters: letters > 0 })
}

/// ITU-T E.161: the digit that a letter stands on.
fn on_keypad(letter: char) -> u8 {
    match letter.to_ascii_lowercase() {
        'a'..='c' => b'2',
        'd'..='f' => b'3',
        'g'..='i' => b'4',
        'j'..='l' => b'5',
        'm'..='o' => b'6',
        'p'..='s' => b'7',
        't'..='v' => b'8',
        _ => b'9',
    }
}

pub(crate) fn without_label(text: &str) -> &str {
    let end = text.find(|c: char| !c.is_alphabetic()).unwrap_or(text.len());
    let after = text[end..].trim_start_matches(['.', ':', ' ']);
    let is_label = end > 0 && LABELS.iter().any(|label| label.eq_ignore_ascii_case(&text[..end]));
    if is_label && after.len() < text.len() - end { after } else { text }
}

/// A number without a word in parentheses that says which of somebody's it is: "07946 000018 (home)".
fn without_remark(text: &str) -> &str {
    let text = text.trim_end();
    let parts = text.strip_suffix(')').and_then(|rest| rest.rsplit_once('('));
    match parts {
        Some((number, word)) if LABELS.iter().any(|label| label.eq_ignore_ascii_case(word.trim())) => number.trim_end(),
        _ => text,
    }
}

/// Parts "020 7946 0018 ext. 12", "… x12", "… #12", "… Durchwahl 12", and RFC 3966's ";ext=12".
pub(crate) fn without_extension(text: &str) -> (&str, &str) {
    const WORDS: [&str; 26] = [
        "extension",
        "extensión",
        "ext",
        "xtn",
        "extn",
        "durchwahl",
        "dw",
        "apparat",
        "app",
        "nebenstelle",
        "nst",
        "klappe",
        "kl",
        "poste",
        "int",
        "interne",
        "interno",
        "anexo",
        "ramal",
        "toestel",
        "tst",
        "linka",
        "wewn",
        "wew",
        "доб",
        "x",
    ];
    let digits = text.bytes().rev().take_while(u8::is_ascii_digit).count();
    if digits == 0 || digits > 7 || digits == text.len() {
        return (text, "");
    }
    let (head, extension) = text.split_at(text.len() - digits);
    let head = head.trim_end_matches([' ', '.', ':', '=']);
    if let Some(main) = head.strip_suffix('#') {
        return (main.trim_end(), extension);
    }
    let lower = head.to_ascii_lowercase();
    for word in WORDS {
        if let Some(main) = lower.strip_suffix(word)
            && main.ends_with(|c: char| c.is_ascii_digit() || matches!(c, ' ' | ')' | ';' | ',' | '-'))
            && main.bytes().filter(u8::is_ascii_digit).count() > 5
        {
            return (head[..main.len()].trim_end_matches([' ', ';', ',', '-']), extension);
        }
    }
    (text, "")
}
