//! Phone numbers as they were typed → E.164, by the numbering plans.
//!
//! A number counts as possible by its leading digits and its length, so that numbers from ranges that are set aside for
//! fiction are possible too. What lacks digits, or is in a spreadsheet's exponent form, is damaged: nothing is guessed.

use crate::phone_plans::{self, Plan, calling_code_length, has_possible_length};
use crate::phone_text::{read, without_extension, without_label};
use crate::place::Country;
use crate::{Cleaned, Doubt, Rule, Rules};

/// The most digits that E.164 allows.
const MOST_DIGITS: usize = 15;

/// National numbers that are dialled with a trunk prefix, and stand without it, must be this long, unless their plan has
/// hardly more than one length: shorter ones may lack their area code.
const SURE_WITHOUT_TRUNK: usize = 9;

/// Whether the value is a possible number in E.164 as it is.
#[inline]
pub fn is_clean(value: &[u8]) -> bool {
    let [b'+', digits @ ..] = value else { return false };
    is_number(digits) && !(ends_plainly(digits) && is_placeholder(std::str::from_utf8(value).unwrap_or_default()))
}

/// Whether digits behind a plus are a possible number.
fn is_number(digits: &[u8]) -> bool {
    (7..=MOST_DIGITS).contains(&digits.len()) && digits.iter().all(u8::is_ascii_digit) && has_possible_length(digits)
}

/// Whether a text is a number that people type where they have none: one digit again and again, or digits in their order,
/// of five or more behind the country's prefix.
///
/// ```
/// use pebblebank_values::phone::is_placeholder;
/// assert!(is_placeholder("000-000-0000") && is_placeholder("+44 1234567890") && is_placeholder("99999"));
/// assert!(!is_placeholder("+44 20 7946 0018") && !is_placeholder("1111"));
/// ```
pub fn is_placeholder(text: &str) -> bool {
    let mut room = [0u8; 24];
    let mut length = 0;
    let (main, _) = without_extension(without_label(text));
    for c in main.chars() {
        match c {
            '0'..='9' if length < room.len() => {
                room[length] = c as u8;
                length += 1;
            }
            '+' | ' ' | '-' | '.' | '(' | ')' | '/' | '\u{a0}' | '–' | '‐' | '‑' => {}
            _ => return false,
        }
    }
    let digits = &room[..length];
    if !ends_plainly(digits) {
        return false;
    }
    let is_abroad = main.trim_start().starts_with('+') || digits.starts_with(b"00");
    let behind_zeros = digits.iter().position(|digit| *digit != b'0').map_or(&[][..], |first| &digits[first..]);
    let code = if is_abroad { calling_code_length(behind_zeros) } else { None };
    let national = code.map(|length| &behind_zeros[length..]);
    [digits, behind_zeros].into_iter().chain(national).any(is_plain_run)
}

/// The national numbers that digits may stand for: without zeros in front, and without a calling code where they have a plus
/// or the zeros of a call abroad.
///
/// ```
/// use pebblebank_values::phone::national_forms;
/// assert!(national_forms("+442079460018").contains(&"2079460018".to_owned()));
/// assert_eq!(national_forms("02079460018"), ["2079460018"]);
/// ```
pub fn national_forms(number: &str) -> Vec<String> {
    const SHORTEST: usize = 6;
    let digits: String = number.chars().filter(char::is_ascii_digit).collect();
    let is_abroad = number.starts_with('+') || digits.starts_with("00");
    let bare = digits.trim_start_matches('0');
    let code = if is_abroad { calling_code_length(bare.as_bytes()) } else { None };
    let behind_code = code.map(|length| &bare[length..]).map(|national| national.trim_start_matches('0'));
    let plain = (!is_abroad).then_some(bare);
    behind_code.into_iter().chain(plain).filter(|form| form.len() >= SHORTEST).map(str::to_owned).collect()
}

/// The quick test: whether the last digits may be those of a placeholder.
#[inline]
fn ends_plainly(digits: &[u8]) -> bool {
    let [.., a, b, c] = digits else { return false };
    let step = |from: u8, to: u8| (to + 10 - from) % 10;
    matches!(step(*a, *b), 0 | 1 | 9) && step(*a, *b) == step(*b, *c)
}

/// Five or more digits that are all alike, or go up or down one by one, with 0 behind 9 at the end, or before it at the start:
/// 1234567890 and 0987654321, but not 9012345678, as somebody's number may be.
fn is_plain_run(digits: &[u8]) -> bool {
    const FEWEST: usize = 5;
    let step = |pair: &[u8]| (pair[1] + 10 - pair[0]) % 10;
    let mut steps = digits.windows(2).map(step);
    let first = steps.next();
    let inner = digits.len().saturating_sub(1);
    let turns_inside = digits.windows(2).enumerate().any(|(place, pair)| match (first, pair) {
        (Some(1), b"90") => place + 1 < inner,
        (Some(9), b"09") => place > 0,
        _ => false,
    });
    let is_run = matches!(first, Some(0 | 1 | 9)) && steps.all(|step| Some(step) == first);
    digits.len() >= FEWEST && is_run && !turns_inside
}

/// Cleans a tidy text as a phone number; the new value is added to `out`.
///
/// ```
/// use pebblebank_values::phone::clean;
/// use pebblebank_values::place::Country;
/// let mut out = String::new();
/// clean("020 7946 0018 ext. 5", Country::from_text("GB"), &mut out);
/// assert_eq!(out, "+442079460018 ext. 5");
/// ```
pub fn clean(text: &str, country: Option<Country>, out: &mut String) -> Cleaned {
    if text.strip_prefix('+').is_some_and(|digits| is_number(digits.as_bytes())) {
        return Cleaned::AsItIs;
    }
    if is_exponent(text) {
        return Cleaned::Doubtful(Doubt::DamagedPhone);
    }
    let start = out.len();
    if let Ok(rules) = one(text, country, out) {
        return done(text, rules, start, out);
    }
    // "0171/5550123": the slash parts area code and number.
    if text.matches('/').count() == 1
        && let Ok(rules) = one(&text.replace('/', " "), country, out)
    {
        return done(text, rules, start, out);
    }
    let parts = text.split(['/', ';', ',', '|', '\n']).flat_map(|part| part.split(" or ")).map(str::trim);
    let parts: Vec<&str> = parts.filter(|part| !part.is_empty()).collect();
    let mut first_doubt = None;
    for part in &parts {
        match one(part, country, out) {
            Ok(mut rules) => {
                if parts.len() > 1 {
                    rules.add(Rule::SeveralPhones);
                }
                return done(text, rules, start, out);
            }
            Err(doubt) => _ = first_doubt.get_or_insert(doubt),
        }
    }
    Cleaned::Doubtful(first_doubt.unwrap_or(Doubt::UnreadablePhone))
}

fn done(text: &str, rules: Rules, start: usize, out: &str) -> Cleaned {
    if out[start..] == *text { Cleaned::AsItIs } else { Cleaned::Repaired(rules) }
}

/// `4.4208E+11`, as spreadsheets write long numbers.
fn is_exponent(text: &str) -> bool {
    let Some((mantissa, exponent)) = text.split_once(['E', 'e']) else { return false };
    let is_number =
        |text: &str| !text.is_empty() && text.bytes().all(|byte| matches!(byte, b'0'..=b'9' | b'.' | b',' | b'+'));
    is_number(mantissa) && is_number(exponent)
}

/// Adds one number in E.164, with its extension; nothing where it is none.
fn one(text: &str, country: Option<Country>, out: &mut String) -> Result<Rules, Doubt> {
    let start = out.len();
    let added = add_one(text, country, out);
    if added.is_err() {
        out.truncate(start);
    }
    added
}

fn add_one(text: &str, country: Option<Country>, out: &mut String) -> Result<Rules, Doubt> {
    let mut room = [0u8; 24];
    let typed = read(text, &mut room)?;
    let mut rules = Rules::one(Rule::PhoneForm);
    if typed.has_letters {
        rules.add(Rule::PhoneLetters);
    }
    let plan = country.and_then(phone_plans::of);
    let start = out.len();
    out.push('+');
    let digits = typed.digits;
    let push = |code: &str, digits: &[u8], out: &mut String| {
        out.push_str(code);
        out.extend(digits.iter().map(|digit| char::from(*digit)));
    };
    if typed.has_plus {
        let digits = &mobile_abroad(digits);
        push("", &international(digits).ok_or(Doubt::DamagedPhone)?, out);
    } else if let Some(rest) = without_prefix(digits, "00").or_else(|| without_prefix(digits, plan?.abroad))
        && let Some(rest) = international(rest)
    {
        push("", &rest, out);
    } else {
        let Some(plan) = plan else {
            return Err(if digits.len() < 7 { Doubt::DamagedPhone } else { Doubt::PhoneWithoutCountry });
        };
        let digits = &mobile_at_home(plan.calling_code, digits);
        push(&plan.calling_code.to_string(), plan.national(digits).ok_or(Doubt::DamagedPhone)?, out);
    }
    if !is_number(&out.as_bytes()[start + 1..]) {
        return Err(Doubt::DamagedPhone);
    }
    if !typed.extension.is_empty() {
        out.push_str(" ext. ");
        out.push_str(typed.extension);
    }
    Ok(rules)
}

/// Mexico put a 1 before mobile numbers that were called from abroad, until 2019 (IFT, numbering plan).
fn mobile_abroad(digits: &[u8]) -> Vec<u8> {
    match digits.strip_prefix(b"521") {
        Some(rest) if rest.len() == 10 => [b"52", rest].concat(),
        _ => digits.to_vec(),
    }
}

/// Mobile numbers as they were, or are, dialled at home: 15 behind the area code in Argentina, which abroad is a 9 before it
/// (ENACOM, numbering plan); 044 and 045 in front in Mexico.
fn mobile_at_home(calling_code: u16, digits: &[u8]) -> Vec<u8> {
    let national = digits.strip_prefix(b"0").unwrap_or(digits);
    if calling_code == 52 {
        let own = [&b"044"[..], b"045", b"01"].iter().find_map(|prefix| digits.strip_prefix(*prefix));
        return own.filter(|own| own.len() == 10).unwrap_or(digits).to_vec();
    }
    if calling_code != 54 || national.len() != 12 {
        return digits.to_vec();
    }
    // Buenos Aires has an area code of two digits, other places three or four.
    let areas: &[usize] = if national.starts_with(b"11") { &[2] } else { &[3, 4] };
    match areas.iter().find(|length| &national[**length..**length + 2] == b"15") {
        Some(length) => [b"9", &national[..*length], &national[length + 2..]].concat(),
        None => digits.to_vec(),
    }
}

fn without_prefix<'a>(digits: &'a [u8], prefix: &str) -> Option<&'a [u8]> {
    digits.strip_prefix(prefix.as_bytes())
}

/// Digits behind a plus: possible as they are, or without the trunk prefix in "+44 (0)20…".
fn international(digits: &[u8]) -> Option<Vec<u8>> {
    if digits.len() <= MOST_DIGITS && has_possible_length(digits) {
        return Some(digits.to_vec());
    }
    let code = calling_code_length(digits)?;
    let (head, tail) = digits.split_at(code);
    let without_zero = [head, tail.strip_prefix(b"0")?].concat();
    (without_zero.len() <= MOST_DIGITS && has_possible_length(&without_zero)).then_some(without_zero)
}

impl Plan {
    /// The national number of digits that are dialled at home; none where they cannot be one.
    fn national<'a>(&self, digits: &'a [u8]) -> Option<&'a [u8]> {
        if !self.trunk.is_empty()
            && let Some(rest) = without_prefix(digits, self.trunk)
            && self.is_possible(rest)
        {
            return Some(rest);
        }
        // The calling code without its plus: 442079460018.
        let code = self.calling_code.to_string();
        if let Some(rest) = without_prefix(digits, &code)
            && self.is_possible(rest)
            && !self.is_possible(digits)
        {
            return Some(rest);
        }
        let has_few_lengths = self.has_few_lengths() && digits.len() >= 7;
        let is_sure =
            self.trunk.is_empty() || self.trunk == "1" || has_few_lengths || digits.len() >= SURE_WITHOUT_TRUNK;
        (is_sure && self.is_possible(digits)).then_some(digits)
    }
}
