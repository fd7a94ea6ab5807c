//! Postal codes, in the form of their country.

use crate::place::Country;
use crate::{Cleaned, Doubt, Rule, Rules};
use std::sync::LazyLock;

/// How postal codes of a country are written: 9 for a digit, A for a letter, anything else for itself; and how many
/// zeros at the front a spreadsheet may have taken.
pub(crate) struct CodeForm {
    country: Country,
    pub(crate) forms: &'static [&'static str],
    zeros: usize,
}

/// From the Universal Postal Union's list of national formats.
pub(crate) const CODE_FORMS: [(&str, &[&str], usize); 58] = [
    ("AD", &["AA999"], 0),
    ("AR", &["9999", "A9999AAA"], 0),
    ("AT", &["9999"], 0),
    ("AU", &["9999"], 1),
    ("BE", &["9999"], 0),
    ("BG", &["9999"], 0),
    ("BR", &["99999-999"], 1),
    ("CA", &["A9A 9A9"], 0),
    ("CH", &["9999"], 0),
    ("CN", &["999999"], 1),
    ("CY", &["9999"], 0),
    ("CZ", &["999 99"], 0),
    ("DE", &["99999"], 1),
    ("DK", &["9999"], 1),
    ("EE", &["99999"], 0),
    ("ES", &["99999"], 1),
    ("FI", &["99999"], 2),
    ("FR", &["99999"], 1),
    ("GB", &["A9 9AA", "A99 9AA", "AA9 9AA", "AA99 9AA", "A9A 9AA", "AA9A 9AA"], 0),
    ("GG", &["AA9 9AA", "AA99 9AA"], 0),
    ("GR", &["999 99"], 0),
    ("HR", &["99999"], 0),
    ("HU", &["9999"], 0),
    (
        "IE",
        &["A99 AAAA", "A99 A9AA", "A99 AA9A", "A99 AAA9", "A99 A99A", "A99 A9A9", "A99 AA99", "A99 A999", "A9A AAAA"],
        0,
    ),
    ("IL", &["9999999", "99999"], 0),
    ("IM", &["AA9 9AA", "AA99 9AA"], 0),
    ("IN", &["999999"], 0),
    ("IS", &["999"], 0),
    ("IT", &["99999"], 3),
    ("JE", &["AA9 9AA", "AA99 9AA"], 0),
    ("JP", &["999-9999"], 1),
    ("KR", &["99999"], 1),
    ("LI", &["9999"], 0),
    ("LT", &["LT-99999"], 0),
    ("LU", &["9999"], 0),
    ("LV", &["LV-9999"], 0),
    ("MC", &["99999"], 0),
    ("MT", &["AAA 9999"], 0),
    ("MX", &["99999"], 1),
    ("MY", &["99999"], 1),
    ("NL", &["9999 AA"], 0),
    ("NO", &["9999"], 1),
    ("NZ", &["9999"], 1),
    ("PH", &["9999"], 1),
    ("PL", &["99-999"], 1),
    ("PR", &["99999", "99999-9999"], 2),
    ("PT", &["9999-999", "9999"], 0),
    ("RO", &["999999"], 1),
    ("RS", &["99999"], 0),
    ("RU", &["999999"], 0),
    ("SE", &["999 99"], 0),
    ("SG", &["999999"], 1),
    ("SI", &["9999"], 0),
    ("SK", &["999 99"], 1),
    ("TR", &["99999"], 1),
    ("UA", &["99999"], 1),
    ("US", &["99999", "99999-9999"], 2),
    ("ZA", &["9999"], 2),
];

pub(crate) static FORMS: LazyLock<Vec<CodeForm>> = LazyLock::new(|| {
    let form = |(country, forms, zeros): &(&str, &'static [&'static str], usize)| {
        Country::from_capitals(country).map(|country| CodeForm { country, forms, zeros: *zeros })
    };
    CODE_FORMS.iter().filter_map(form).collect()
});

/// The longest postal code that is looked at, without blanks and hyphens.
pub(crate) const LONGEST_CODE: usize = 12;

/// Whether a postal code is clean as it is in a country: as the country writes it.
#[inline]
pub fn is_clean_code(value: &[u8], country: Country) -> bool {
    match code_form(country) {
        Some(known) => known.forms.iter().any(|form| fits_as_written(form.as_bytes(), value)),
        None => false,
    }
}

pub(crate) fn code_form(country: Country) -> Option<&'static CodeForm> {
    FORMS.binary_search_by_key(&country, |form| form.country).ok().map(|place| &FORMS[place])
}

pub(crate) fn fits_as_written(form: &[u8], value: &[u8]) -> bool {
    form.len() == value.len() && form.iter().zip(value).all(|(form, byte)| is_kind(*form, *byte))
}

pub(crate) fn is_kind(form: u8, byte: u8) -> bool {
    match form {
        b'9' => byte.is_ascii_digit(),
        b'A' => byte.is_ascii_uppercase(),
        sign => sign == byte,
    }
}

/// Cleans a tidy text as a postal code of a country: capitals, its blank or hyphen where the country has it, zeros that
/// a spreadsheet took from the front. The new value is added to `out`.
///
/// ```
/// use pebblebank_values::postal_code::clean_postal_code;
/// use pebblebank_values::place::Country;
/// let clean = |text: &str, country: &str| {
///     let mut out = String::new();
///     clean_postal_code(text, Country::from_text(country), &mut out);
///     out
/// };
/// assert_eq!(clean("lf11ab", "GB"), "LF1 1AB");
/// assert_eq!(clean("2134", "US"), "02134");
/// assert_eq!(clean("1234ab", "NL"), "1234 AB");
/// ```
pub fn clean_postal_code(text: &str, country: Option<Country>, out: &mut String) -> Cleaned {
    let Some(known) = country.and_then(code_form) else {
        return in_capitals(text, out);
    };
    if known.forms.iter().any(|form| fits_as_written(form.as_bytes(), text.as_bytes())) {
        return Cleaned::AsItIs;
    }
    let mut bare = [0u8; LONGEST_CODE + 2];
    let Some(bare) = bare_code(text, known.country, &mut bare) else {
        return Cleaned::Doubtful(Doubt::UnfitPostalCode);
    };
    let mut rules = Rules::NONE;
    let start = out.len();
    for zeros in 0..=known.zeros {
        for form in known.forms {
            if push_formed(form.as_bytes(), zeros, bare, out) {
                if zeros > 0 {
                    rules.add(Rule::LeadingZeros);
                }
                if out[start..] != *text && zeros == 0 {
                    rules.add(Rule::PostalCodeForm);
                }
                return Cleaned::Repaired(rules);
            }
            out.truncate(start);
        }
        if !bare.iter().all(u8::is_ascii_digit) {
            break;
        }
    }
    Cleaned::Doubtful(Doubt::UnfitPostalCode)
}

/// Letters and digits in capitals, without the country's code in front and without the `.0` of a spreadsheet.
pub(crate) fn bare_code<'a>(text: &str, country: Country, room: &'a mut [u8; LONGEST_CODE + 2]) -> Option<&'a [u8]> {
    let text = text.strip_suffix(".0").unwrap_or(text).as_bytes();
    let mut length = 0;
    for byte in text {
        if byte.is_ascii_alphanumeric() {
            *room.get_mut(length)? = byte.to_ascii_uppercase();
            length += 1;
        } else if !matches!(byte, b' ' | b'-' | b'.' | b'\'') {
            return None;
        }
    }
    let bare = &room[..length];
    let has_prefix = text.get(2).is_some_and(|byte| matches!(byte, b'-' | b' '))
        && bare.starts_with(&country.0)
        && bare[2..].iter().all(u8::is_ascii_digit)
        || (length > 1
            && text.get(1) == Some(&b'-')
            && bare[0].is_ascii_alphabetic()
            && bare[1..].iter().all(u8::is_ascii_digit));
    let skipped = if !has_prefix {
        0
    } else if bare[1].is_ascii_digit() {
        1
    } else {
        2
    };
    Some(&room[skipped..length])
}

/// Adds a code in its form, with this many zeros in front; false where it does not fit.
pub(crate) fn push_formed(form: &[u8], zeros: usize, bare: &[u8], out: &mut String) -> bool {
    let mut bytes = std::iter::repeat_n(b'0', zeros).chain(bare.iter().copied());
    for sign in form {
        match sign {
            b'9' | b'A' => match bytes.next() {
                Some(byte) if is_kind(*sign, byte) => out.push(char::from(byte)),
                _ => return false,
            },
            sign => out.push(char::from(*sign)),
        }
    }
    bytes.next().is_none()
}

pub(crate) fn in_capitals(text: &str, out: &mut String) -> Cleaned {
    let is_code = text.len() <= LONGEST_CODE && text.bytes().any(|byte| byte.is_ascii_digit());
    if is_code && text.bytes().any(|byte| byte.is_ascii_lowercase()) {
        out.extend(text.chars().map(|c| c.to_ascii_uppercase()));
        return Cleaned::Repaired(Rules::one(Rule::PostalCodeForm));
    }
    Cleaned::AsItIs
}
