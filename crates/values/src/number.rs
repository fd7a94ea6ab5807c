//! Numbers as people and spreadsheets write them → digits with a decimal point.

use crate::{Cleaned, Doubt, Rule, Rules};

/// Whether the value is a plain number: a sign, digits, a decimal point.
#[inline]
pub fn is_clean(value: &[u8]) -> bool {
    let digits = value.strip_prefix(b"-").unwrap_or(value);
    let points = memchr::memchr_iter(b'.', digits).count();
    digits.first().is_some_and(u8::is_ascii_digit)
        && digits.last().is_some_and(u8::is_ascii_digit)
        && points <= 1
        && digits.iter().all(|byte| byte.is_ascii_digit() || *byte == b'.')
        && !is_open(digits)
}

/// "1.234": thousands, or three decimals.
fn is_open(digits: &[u8]) -> bool {
    digits
        .iter()
        .position(|byte| *byte == b'.')
        .is_some_and(|at| digits.len() - at == 4 && at <= 3 && digits[0] != b'0')
}

/// Cleans a tidy text as a number; the new value is added to `out`. One separator before exactly three digits may be of
/// thousands or of decimals: that stays as it is, and is reported.
///
/// ```
/// use pebblebank_values::number::clean;
/// for (text, number) in [("1.234,50", "1234.50"), ("£ 1,234.5", "1234.5"), ("12,5", "12.5"), ("1 234 567", "1234567")] {
///     let mut out = String::new();
///     clean(text, &mut out);
///     assert_eq!(out, number);
/// }
/// ```
pub fn clean(text: &str, out: &mut String) -> Cleaned {
    let unreadable = Cleaned::Doubtful(Doubt::UnreadableNumber);
    let is_currency = |c: char| matches!(c, '€' | '$' | '£' | '¥' | '%' | ' ' | '\u{a0}' | '\u{202f}' | '\'' | '’');
    let trimmed = text.trim_matches(is_currency);
    let (is_negative, digits) = match trimmed.strip_prefix(['-', '−']) {
        Some(rest) => (true, rest.trim_start_matches(is_currency)),
        None => (false, trimmed.strip_prefix('+').unwrap_or(trimmed)),
    };
    let ok = |c: char| c.is_ascii_digit() || matches!(c, '.' | ',' | ' ' | '\u{a0}' | '\u{202f}' | '\'' | '’');
    if !digits.starts_with(|c: char| c.is_ascii_digit())
        || !digits.ends_with(|c: char| c.is_ascii_digit())
        || !digits.chars().all(ok)
    {
        return unreadable;
    }
    let Ok(decimal) = decimal_sign(digits) else { return unreadable };
    let start = out.len();
    let (whole, part) = match decimal {
        Some(sign) => digits.split_once(sign).unwrap_or((digits, "")),
        None => (digits, ""),
    };
    let groups: Vec<&str> = whole.split(|c: char| !c.is_ascii_digit()).collect();
    if !part.chars().all(|c| c.is_ascii_digit())
        || (groups.len() > 1 && groups[1..].iter().any(|group| group.len() != 3))
    {
        return unreadable;
    }
    if is_negative {
        out.push('-');
    }
    for group in groups {
        out.push_str(group);
    }
    if !part.is_empty() {
        out.push('.');
        out.push_str(part);
    }
    if out[start..] == *text { Cleaned::AsItIs } else { Cleaned::Repaired(Rules::one(Rule::NumberForm)) }
}

/// The sign before the decimals, if there is one; an error where it may as well be one between thousands.
fn decimal_sign(digits: &str) -> Result<Option<char>, Doubt> {
    let count = |sign: char| digits.matches(sign).count();
    match (count('.'), count(',')) {
        (0, 0) => Ok(None),
        (points, 0) if points > 1 => Ok(None),
        (0, commas) if commas > 1 => Ok(None),
        (1, 0) | (0, 1) => {
            let sign = if digits.contains('.') { '.' } else { ',' };
            let (whole, part) = digits.split_once(sign).unwrap_or_default();
            let is_open = part.len() == 3 && whole.len() <= 3 && !whole.starts_with('0') && !whole.contains(' ');
            if is_open { Err(Doubt::UnreadableNumber) } else { Ok(Some(sign)) }
        }
        _ => {
            let last = if digits.rfind('.') > digits.rfind(',') { '.' } else { ',' };
            if count(last) == 1 { Ok(Some(last)) } else { Err(Doubt::UnreadableNumber) }
        }
    }
}
