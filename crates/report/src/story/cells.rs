//! Whether a cell is what somebody asked for.

use pebblebank_values::address::AddressCleaner;
use pebblebank_values::comparable::FullName;
use pebblebank_values::identity::{Identity, without_tag};
use pebblebank_values::look;
use pebblebank_values::text::comparable;

/// Whether a cell is what was asked for, or an address that the job compares as equal to it.
pub(super) fn is_address(asked: &str, address: &str, identity: Identity) -> impl Fn(&str) -> bool {
    let is_same_text = is_value(asked);
    let untagged = |address: &[u8]| without_tag(address).into_owned();
    let own = untagged(address.as_bytes());
    let asked_for = address.to_owned();
    move |cell: &str| {
        let is_same_but_for_tag = || {
            let mut cleaner = AddressCleaner::default();
            cell.contains('@') && untagged(cleaner.clean(cell.as_bytes()).identity) == own
        };
        // A remark or a shifted cell may have it among other words.
        let has_it = || cell.contains('@') && look::addresses_in(cell).contains(&asked_for);
        is_same_text(cell) || has_it() || (identity == Identity::IgnoreTags && is_same_but_for_tag())
    }
}

/// Whether a cell has the value, as it is compared: letter case does not count, nor do the signs of a number, nor titles and
/// the order of a name.
pub(super) fn is_value(value: &str) -> impl Fn(&str) -> bool {
    let wanted = comparable(value.trim()).into_owned();
    let digits = digits_of(value);
    // One word alone is no whole name.
    let name = FullName::of(value).core;
    let name = (name.len() > 1 && digits.is_empty() && !value.contains('@')).then_some(name);
    move |cell: &str| {
        let folded = comparable(cell.trim());
        let is_name = |name: &Vec<String>| {
            name.iter().all(|word| folded.contains(word.as_str())) && FullName::of(cell).core == *name
        };
        folded == wanted
            || (digits.len() > 5 && ends_alike(&digits_of(cell), &digits))
            || name.as_ref().is_some_and(is_name)
    }
}

/// The digits of a phone number, without an extension behind it; empty for text.
fn digits_of(text: &str) -> String {
    let number = text.trim().split(|sign: char| sign.is_alphabetic() || sign == '@').next().unwrap_or_default();
    let is_number = number.chars().all(|sign| sign.is_ascii_digit() || " +()-./\u{a0}".contains(sign));
    if is_number { number.chars().filter(char::is_ascii_digit).collect() } else { String::new() }
}

/// Whether two numbers are the same but for what stands in front: a country or trunk prefix.
fn ends_alike(a: &str, b: &str) -> bool {
    let (a, b) = (a.trim_start_matches('0'), b.trim_start_matches('0'));
    let (long, short) = if a.len() > b.len() { (a, b) } else { (b, a) };
    short.len() > 5 && long.ends_with(short) && long.len() - short.len() <= 3
}
