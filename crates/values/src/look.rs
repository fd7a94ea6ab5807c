//! What a text looks like by itself, whatever column it stands in: an address, a hash, a domain, a phone number, a date,
//! a number.
//!
//! Looks decide what is never passed over in silence. They are wide on purpose: what looks like an address here may still
//! turn out to be invalid.

use crate::suggest::has_known_top_level;
use crate::{address, address_syntax};
use pebblebank_table::unseen::is_unseen;

/// What a text looks like.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Look {
    /// It holds an address.
    Address,
    /// A SHA-1, SHA-256 or MD5 of something, in hex.
    Hash,
    /// A domain and nothing else.
    Domain,
    /// A phone number and nothing else.
    Phone,
    /// A date, perhaps with a time.
    Date,
    /// A number, perhaps with a currency or a percent sign.
    Number,
    /// Anything else.
    Text,
}

impl Look {
    /// What a trimmed text looks like.
    ///
    /// ```
    /// use pebblebank_values::look::Look;
    /// assert_eq!(Look::of("Ida <ida@post.example>"), Look::Address);
    /// assert_eq!(Look::of("(020) 7946 0001"), Look::Phone);
    /// assert_eq!(Look::of("2026-02-03"), Look::Date);
    /// assert_eq!(Look::of("12,50 €"), Look::Number);
    /// assert_eq!(Look::of("hotel.example"), Look::Domain);
    /// assert_eq!(Look::of("E-mail"), Look::Text);
    /// ```
    pub fn of(text: &str) -> Look {
        // Delimiters at the ends are no part of a value.
        let text = text.trim_matches(|c: char| is_unseen(c) || matches!(c, '|' | ';' | ','));
        if holds_address(text) {
            Look::Address
        } else if is_hash(text) {
            Look::Hash
        } else if is_date(text) {
            Look::Date
        } else if is_phone(text) {
            Look::Phone
        } else if is_number(text) {
            Look::Number
        } else if is_domain(text) {
            Look::Domain
        } else {
            Look::Text
        }
    }

    /// Whether the text names somebody who can be reached: an address, a hash of one, a domain, a phone number.
    pub fn is_contact_detail(self) -> bool {
        matches!(self, Look::Address | Look::Hash | Look::Domain | Look::Phone)
    }

    /// Whether values of this kind are told from words at a glance.
    pub fn is_typed(self) -> bool {
        self != Look::Text
    }
}

/// Whether an `@` is in the text with a sign on both sides of it that an address could have.
pub fn holds_address(text: &str) -> bool {
    let bytes = text.as_bytes();
    memchr::memchr_iter(b'@', bytes).any(|at| {
        let is_part = |byte: Option<&u8>| byte.is_some_and(|byte| byte.is_ascii_alphanumeric() || *byte >= 0x80);
        let before = at.checked_sub(1).and_then(|before| bytes.get(before));
        let is_local = before.is_some_and(|byte| !byte.is_ascii_whitespace() && !b"\"'(<[{,;:@".contains(byte))
            || before == Some(&b'"');
        is_local && is_part(bytes.get(at + 1))
    })
}

/// Whether a character ends an address among other words.
fn is_edge(c: char) -> bool {
    is_unseen(c) || "<>()[]{}\",;|/:=„“”«»".contains(c)
}

/// A text with each address in it cut down to its first letter and its domain; those that are `shown` stay whole.
///
/// ```
/// use pebblebank_values::look::mask_addresses;
/// assert_eq!(mask_addresses("no \"ida@post.example\" here", |_| false), "no \"i…@post.example\" here");
/// ```
pub fn mask_addresses(text: &str, shown: impl Fn(&str) -> bool) -> String {
    let mut masked = String::with_capacity(text.len());
    for word in text.split_inclusive(is_edge) {
        match word.rsplit_once('@') {
            Some((local, domain)) if holds_address(word) && !shown(word.trim_end_matches(is_edge)) => {
                masked.extend(local.chars().take(1));
                masked.push_str("…@");
                masked.push_str(domain);
            }
            _ => masked.push_str(word),
        }
    }
    masked
}

/// The addresses that a text holds among other words, as far as they are valid, by their identity.
pub fn addresses_in(text: &str) -> Vec<String> {
    let mut found: Vec<String> = Vec::new();
    let mut cleaner = address::AddressCleaner::default();
    for word in text.split(is_edge).filter(|word| word.contains('@')) {
        let word = word.trim_matches(['.', '\'', '!', '?', '*', '’', '‘', '…']);
        let address = cleaner.clean(word.as_bytes());
        if address.is_usable() {
            let identity = String::from_utf8_lossy(address.identity).into_owned();
            if !found.contains(&identity) {
                found.push(identity);
            }
        }
    }
    found
}

/// 32, 40 or 64 hex digits: MD5, SHA-1, SHA-256.
pub fn is_hash(text: &str) -> bool {
    matches!(text.len(), 32 | 40 | 64)
        && text.bytes().all(|byte| byte.is_ascii_hexdigit())
        && text.bytes().any(|byte| byte.is_ascii_digit())
        && text.bytes().any(|byte| byte.is_ascii_alphabetic())
}

/// A domain whose last label exists, and nothing else.
pub fn is_domain(text: &str) -> bool {
    let text = host_of(text).trim_end_matches('.');
    if text.len() < 4 || !text.contains('.') || text.contains(char::is_whitespace) {
        return false;
    }
    address_syntax::domain(text).is_some_and(|domain| {
        has_known_top_level(&domain)
            && domain.split('.').next().is_some_and(|first| first.len() > 1 || domain.matches('.').count() > 1)
    })
}

/// The host that a domain stands for in any usual spelling: `@hotel.example`, `*.hotel.example`,
/// `https://www.hotel.example/rooms`.
pub fn host_of(text: &str) -> &str {
    let after =
        |scheme: &str| text.get(..scheme.len()).filter(|begin| begin.eq_ignore_ascii_case(scheme)).map(str::len);
    let host = &text[after("https://").or_else(|| after("http://")).unwrap_or(0)..];
    let host = host.split(['/', '?', '#']).next().unwrap_or_default();
    host.trim_start_matches(['*', '.', '@'])
}

/// Seven to fifteen digits (E.164, section 6.2.1) between the usual signs, not all of them a plain number's.
pub fn is_phone(text: &str) -> bool {
    let digits = text.bytes().filter(u8::is_ascii_digit).count();
    let is_sign = |c: char| c.is_ascii_digit() || c.is_whitespace() || is_unseen(c) || "+()-–/.".contains(c);
    let has_form = || {
        let begins = text.starts_with(['+', '(', '0']);
        let parts = text.split(|c: char| !c.is_ascii_digit()).filter(|part| !part.is_empty()).count();
        begins || (parts >= 2 && !is_number(text))
    };
    (7..=15).contains(&digits) && text.chars().all(is_sign) && has_form()
}

/// A day, a month and a year in figures, in any order, perhaps with a time.
pub fn is_date(text: &str) -> bool {
    let day = text.split(['T', ' ']).next().unwrap_or_default();
    for separator in ['-', '/', '.'] {
        let parts: Vec<&str> = day.trim_end_matches('.').split(separator).collect();
        if let [a, b, c] = parts.as_slice() {
            let is_figure =
                |part: &&str| (1..=4).contains(&part.len()) && part.bytes().all(|byte| byte.is_ascii_digit());
            let is_year_outside = a.len() == 4 || c.len() == 4 || c.len() == 2;
            if [a, b, c].into_iter().all(|part| is_figure(&part.trim())) && b.len() <= 2 && is_year_outside {
                let rest = text[day.len()..].trim();
                return rest.chars().all(|c| c.is_ascii_digit() || c.is_whitespace() || ":.TZ+-APMapm".contains(c));
            }
        }
    }
    false
}

/// Digits with the usual signs of amounts.
pub fn is_number(text: &str) -> bool {
    let text = text.trim_matches(|c: char| c.is_whitespace() || "€$£%+-".contains(c));
    let text = text.strip_prefix("EUR").or_else(|| text.strip_suffix("EUR")).unwrap_or(text).trim();
    let groups = || {
        let mut groups = text.split(['.', ',', '\'', '’', ' ', '\u{a0}', '\u{202f}']);
        let first = groups.next().map_or(0, str::len);
        let lengths: Vec<usize> = groups.map(str::len).collect();
        let thousands = lengths.iter().rev().skip(1).all(|length| *length == 3);
        let last = lengths.last().is_none_or(|last| *last <= 3 || lengths.len() == 1);
        (1..=3).contains(&first) && thousands && last || lengths.len() <= 1
    };
    !text.is_empty()
        && text.starts_with(|c: char| c.is_ascii_digit())
        && text.ends_with(|c: char| c.is_ascii_digit())
        && text.chars().all(|c| c.is_ascii_digit() || matches!(c, '.' | ',' | '\'' | '’' | ' ' | '\u{a0}' | '\u{202f}'))
        && groups()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("Questions? ops@sandbar.example", Look::Address)]
    #[case("ida@", Look::Text)]
    #[case("@garden", Look::Text)]
    #[case("rate @ door", Look::Text)]
    #[case("0BC83CB571CD1C50BA6F3E8A78EF1346", Look::Hash)]
    #[case("12345678901234567890123456789012", Look::Number)]
    #[case("+44 20 7946 0001", Look::Phone)]
    #[case("020-7946-0001", Look::Phone)]
    #[case("12 345 678", Look::Number)]
    #[case("1.234,50", Look::Number)]
    #[case("03.04.2026", Look::Date)]
    #[case("2026-03-04T10:11:12Z", Look::Date)]
    #[case("3/4/26", Look::Date)]
    #[case("Total Garden Ltd.", Look::Text)]
    #[case("e.g.", Look::Text)]
    #[case("quillmere.example", Look::Domain)]
    #[case("*.quillmere.example", Look::Domain)]
    #[case("http://quillmere.example/", Look::Domain)]
    #[case("BS1 4ST", Look::Text)]
    fn a_text_is_known_by_its_look(#[case] text: &str, #[case] look: Look) {
        assert_eq!(Look::of(text), look, "{text}");
    }

    #[test]
    fn addresses_are_found_among_other_words() {
        let text = "removed: <Ida@Post.example>, (bob@moss.example) – not ops@ or x@y";
        assert_eq!(addresses_in(text), ["ida@post.example", "bob@moss.example"]);
    }
}
