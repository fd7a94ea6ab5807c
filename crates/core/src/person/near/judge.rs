//! How likely two people are one, from 0 to 100, and why.
//!
//! The numbers are our own, set with the made-up people of `tests/near_duplicates.rs`, of whom the truth is known; what
//! matters is their order and which stand above [`THRESHOLD`].

use super::NearPerson;
use super::keys::are_numbered;
use super::nicknames::are_forms_of_one;
use pebblebank_values::audience;
use pebblebank_values::suggest::is_one_typo;

/// Pairs below are not shown.
pub const THRESHOLD: u8 = 60;

/// What was seen of a pair.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Judged {
    /// From 0 to 100.
    pub score: u8,
    /// What speaks for it, then what against.
    pub why: String,
}

/// What two addresses have to do with each other.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Addresses {
    LocalTypo,
    DomainTypo,
    /// They differ by a number.
    Numbered,
    Other,
}

/// What two names have to do with each other.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Names {
    Same,
    Swapped,
    ShortForm,
    Initial,
    /// One letter in one of them.
    Typo,
    /// One of the people lacks a part.
    Unknown,
    Different,
}

/// Whether two values that both people have are the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Value {
    Same,
    Different,
    Unknown,
}

/// Judges a pair.
///
/// ```
/// use pebblebank_core::person::near::NearPerson;
/// use pebblebank_core::person::near::judge::judge;
/// use pebblebank_core::person::near::judge::THRESHOLD;
/// let ida = NearPerson::new("ida.moss@post.example", "Ida", "Moss", "LF1 3AB", "", "");
/// let typo = NearPerson::new("ida.mos@post.example", "Ida", "Moss", "", "", "");
/// let sister = NearPerson::new("ada.moss@post.example", "Ada", "Moss", "LF1 3AB", "", "");
/// assert!(judge(&ida, &typo).score >= THRESHOLD && judge(&ida, &sister).score < THRESHOLD);
/// ```
pub fn judge(a: &NearPerson, b: &NearPerson) -> Judged {
    let addresses = addresses(a, b);
    let names = names(a, b);
    let phone = value(&a.phone, &b.phone);
    let postal_code = value(&a.postal_code, &b.postal_code);
    let birthday = value(&a.birthday, &b.birthday);
    let base = match addresses {
        Addresses::LocalTypo | Addresses::DomainTypo => of_typo(a, b, addresses, names, phone, postal_code),
        Addresses::Numbered => of_number(names, phone, postal_code),
        Addresses::Other => of_names(names, phone, postal_code),
    };
    let score = match birthday {
        Value::Different => base - 50,
        Value::Same => base + 10,
        Value::Unknown => base,
    };
    Judged {
        score: u8::try_from(score.clamp(0, 100)).unwrap_or_default(),
        why: why(addresses, names, phone, postal_code, birthday),
    }
}

fn addresses(a: &NearPerson, b: &NearPerson) -> Addresses {
    let ((local_a, domain_a), (local_b, domain_b)) = (a.local_and_domain(), b.local_and_domain());
    match (local_a == local_b, domain_a == domain_b) {
        (false, true) if are_numbered(local_a, local_b) => Addresses::Numbered,
        (false, true) if is_one_typo(local_a, local_b) => Addresses::LocalTypo,
        (true, false) if is_one_typo(domain_a, domain_b) => Addresses::DomainTypo,
        _ => Addresses::Other,
    }
}

fn names(a: &NearPerson, b: &NearPerson) -> Names {
    if [a, b].iter().any(|person| person.first.is_empty() || person.last.is_empty()) {
        let differs = |a: &str, b: &str| !a.is_empty() && !b.is_empty() && a != b;
        let is_other = differs(&a.last, &b.last) || differs(a.called(), b.called());
        return if is_other { Names::Different } else { Names::Unknown };
    }
    let is_initial = |short: &str, long: &str| short.chars().count() == 1 && long.starts_with(short);
    let (first_a, first_b) = (a.called(), b.called());
    if a.last == b.last {
        return match () {
            () if a.first == b.first || first_a == first_b => Names::Same,
            () if is_initial(first_a, first_b) || is_initial(first_b, first_a) => Names::Initial,
            () if are_forms_of_one(first_a, first_b) => Names::ShortForm,
            () if is_one_typo(first_a, first_b) && first_a.len().min(first_b.len()) >= 4 => Names::Typo,
            () => Names::Different,
        };
    }
    if a.first == b.last && a.last == b.first {
        return Names::Swapped;
    }
    let is_typo = first_a == first_b && is_one_typo(&a.last, &b.last) && a.last.len().min(b.last.len()) >= 4;
    if is_typo { Names::Typo } else { Names::Different }
}

fn value(a: &str, b: &str) -> Value {
    match (a.is_empty() || b.is_empty(), a == b) {
        (true, _) => Value::Unknown,
        (false, true) => Value::Same,
        (false, false) => Value::Different,
    }
}

/// One typo in the address: the names decide, and where there are none, how much of the address is the same.
fn of_typo(a: &NearPerson, b: &NearPerson, typo: Addresses, names: Names, phone: Value, postal_code: Value) -> i32 {
    let shares_place = phone == Value::Same || postal_code == Value::Same;
    match names {
        Names::Same => 95,
        Names::Swapped | Names::Typo | Names::ShortForm => 90,
        Names::Initial => 88,
        // Sisters and brothers, or a couple, at one provider.
        Names::Different => 20,
        Names::Unknown => {
            let local = a.local_and_domain().0;
            let length = local.chars().count().min(b.local_and_domain().0.chars().count());
            let is_office = typo == Addresses::DomainTypo && audience::is_role(local.as_bytes());
            let by_length = match length {
                _ if is_office => 40,
                0..=5 => 50,
                6..=7 => 66,
                _ => 80,
            };
            by_length + if shares_place { 15 } else { 0 }
        }
    }
}

/// Numbered addresses are different mailboxes, unless all else says otherwise.
fn of_number(names: Names, phone: Value, postal_code: Value) -> i32 {
    let shares_place = phone == Value::Same || postal_code == Value::Same;
    match (names, shares_place) {
        (Names::Same, true) => 76,
        (Names::Same, false) => 45,
        (Names::Swapped | Names::Typo | Names::ShortForm | Names::Initial, true) => 62,
        (Names::Swapped | Names::Typo | Names::ShortForm | Names::Initial, false) => 30,
        (Names::Unknown | Names::Different, _) => 10,
    }
}

/// Two addresses of their own: the same name at the same place.
fn of_names(names: Names, phone: Value, postal_code: Value) -> i32 {
    let base = match names {
        Names::Same => 70,
        Names::Swapped => 72,
        Names::ShortForm => 66,
        Names::Initial => 62,
        Names::Typo => 52,
        Names::Unknown | Names::Different => return 0,
    };
    match (phone, postal_code) {
        (Value::Same, Value::Same) => base + 18,
        (Value::Same, Value::Different) => base + 6,
        (Value::Same, Value::Unknown) => base + 12,
        (Value::Unknown, Value::Same) => base,
        // Namesakes: in one town there are several.
        (Value::Different, Value::Same) => base - 15,
        _ => 0,
    }
}

fn why(addresses: Addresses, names: Names, phone: Value, postal_code: Value, birthday: Value) -> String {
    let address = match addresses {
        Addresses::LocalTypo => Some("one typo in the address"),
        Addresses::DomainTypo => Some("one typo in the domain"),
        Addresses::Numbered => Some("addresses that differ by a number"),
        Addresses::Other => None,
    };
    let name = match names {
        Names::Same => Some("the same name"),
        Names::Swapped => Some("given and family name swapped"),
        Names::ShortForm => Some("a short form of the name"),
        Names::Initial => Some("an initial of the name"),
        Names::Typo => Some("one typo in the name"),
        Names::Different => Some("another name"),
        Names::Unknown => None,
    };
    let shared = |value: Value, same: &'static str, other: &'static str| match value {
        Value::Same => Some(same),
        Value::Different => Some(other),
        Value::Unknown => None,
    };
    let rest = [
        shared(phone, "the same phone", "another phone"),
        shared(postal_code, "the same postal code", "another postal code"),
        shared(birthday, "the same birthday", "another birthday"),
    ];
    [address, name].into_iter().chain(rest).flatten().collect::<Vec<_>>().join(", ")
}
