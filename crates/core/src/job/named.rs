//! Words that name something in job files and in options alike.

use super::guard::{Accepted, Guard};
use super::lists::ListKey;
use crate::layout::SortColumn;
use crate::person::same::{PersonKey, Survivor};
use crate::suppress::reason::Reason;
use pebblebank_formats::writing::FileFormat;
use pebblebank_table::error::closest;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::{ColumnRef, Field, Rule};
use strum::VariantArray;

/// The most keys that a job may have.
const MOST_KEYS: usize = 64;

/// The keys that `same` names.
pub fn same_keys(names: &[String]) -> Result<Vec<PersonKey>> {
    let wrong = |what: String| {
        Error::new(ErrorKind::Job, what, "write same = [\"email\"], or [\"email\", \"last_name + postal_code\"]")
    };
    let mut keys: Vec<PersonKey> = Vec::new();
    for name in names {
        let key = PersonKey::parse(name).ok_or_else(|| wrong(format!("the key \"{name}\" lacks a part")))?;
        if keys.contains(&key) {
            return Err(wrong(format!("the key \"{name}\" stands twice")));
        }
        keys.push(key);
    }
    match keys.len() {
        0 => Err(wrong("same names no key".to_owned())),
        1..=MOST_KEYS => Ok(keys),
        _ => Err(wrong(format!("same names more than {MOST_KEYS} keys"))),
    }
}

/// What the entries of a list are compared by: `"phone"`, `"first_name + last_name"`, or `"contact_id = member no"` with the
/// contacts' columns first. None for the address alone, which is compared anyway.
pub fn list_key(text: &str) -> Result<Option<ListKey>> {
    let (ours, theirs) = text.split_once('=').unwrap_or((text, text));
    if ours.trim().is_empty() || theirs.trim().is_empty() {
        return Err(Error::new(
            ErrorKind::Job,
            format!("the key \"{text}\" lacks a side"),
            "write by = \"phone\", or by = \"contact_id = member no\" with the contacts' column first",
        ));
    }
    let side = |text: &str| PersonKey::parse(text).map(|key| key.columns);
    let (Some(ours), Some(theirs)) = (side(ours), side(theirs)) else {
        return Err(Error::new(
            ErrorKind::Job,
            format!("the key \"{text}\" lacks a part"),
            "write by = \"first_name + last_name\"",
        ));
    };
    if ours.len() != theirs.len() {
        return Err(Error::new(
            ErrorKind::Job,
            format!("the key \"{text}\" names {} columns of the contacts and {} of the list", ours.len(), theirs.len()),
            "name as many on both sides: by = \"first_name + last_name = Given + Family\"",
        ));
    }
    let email = [ColumnRef::Field(Field::Email)];
    Ok((ours != email || theirs != email).then_some(ListKey { ours, theirs }))
}

/// What rows are sorted by: `"last_name, first_name"`, or `"signed_up descending"`.
pub fn sort_columns(text: &str) -> Result<Vec<SortColumn>> {
    let column = |part: &str| {
        let part = part.trim();
        let (name, is_descending) = match part.rsplit_once(' ') {
            Some((name, "descending")) => (name.trim(), true),
            Some((name, "ascending")) => (name.trim(), false),
            _ => (part, false),
        };
        if name.is_empty() {
            let what = format!("the order \"{text}\" lacks a column");
            return Err(Error::new(ErrorKind::Job, what, "write sort = \"last_name, first_name\""));
        }
        Ok(SortColumn { column: ColumnRef::new(name), is_descending })
    };
    text.split(',').map(column).collect()
}

/// The format of this name, in which files are written.
pub fn file_format(name: &str) -> Result<FileFormat> {
    name.parse().map_err(|_| {
        let known: Vec<&str> = FileFormat::VARIANTS.iter().map(|format| format.name()).collect();
        unknown_name(name, "no format that is written", &known, "write one of those")
    })
}

/// The error for a name that is none of those known; `otherwise` is the advice where none is close.
pub fn unknown_name(name: &str, is_what: &str, known: &[&str], otherwise: &str) -> Error {
    let advice = match closest(name, known.iter().copied()) {
        Some(near) => format!("did you mean {near}?"),
        None => otherwise.to_owned(),
    };
    Error::new(ErrorKind::Job, format!("{name} is {is_what}"), advice).expected(one_of(known))
}

/// The guard of that name.
pub fn guard(name: &str) -> Result<Guard> {
    name.trim().parse().map_err(|_| {
        let known = Guard::ALL.map(Guard::name);
        unknown_name(name, "not a guard", &known, "write the name that the stopped run gave")
    })
}

/// The guards that options name, whatever they count.
pub fn accepted<'a>(names: impl IntoIterator<Item = &'a String>) -> Result<Accepted> {
    let mut accepted = Accepted::default();
    for name in names {
        accepted.add(guard(name)?, None);
    }
    Ok(accepted)
}

/// The reason of that name, which a suppression list can have.
pub fn list_reason(name: &str) -> Result<Reason> {
    Reason::FOR_LISTS.into_iter().find(|reason| reason.name() == name.trim()).ok_or_else(|| {
        let known = Reason::FOR_LISTS.map(Reason::name);
        unknown_name(name, "no reason for a suppression list", &known, "choose one of the known reasons")
    })
}

/// The reason of that name, for which rows are set aside.
pub fn set_aside_reason(name: &str) -> Result<Reason> {
    Reason::ALL.into_iter().find(|reason| reason.name() == name.trim()).ok_or_else(|| {
        let known = Reason::ALL.map(Reason::name);
        unknown_name(name, "no reason why rows are set aside", &known, "choose one of the reasons, or all")
    })
}

/// The survivor rule of that name.
pub fn survivor(name: &str) -> Result<Survivor> {
    Survivor::from_name(name.trim()).ok_or_else(|| {
        let known = Survivor::VARIANTS.iter().map(|rule| rule.name()).collect::<Vec<_>>();
        unknown_name(name, "no survivor rule", &known, "choose one of the rules")
    })
}

/// The suggested rule of that name.
pub fn suggested_rule(name: &str) -> Result<Rule> {
    Rule::from_name(name.trim()).filter(|rule| Rule::SUGGESTED.contains(rule)).ok_or_else(|| {
        let known = Rule::SUGGESTED.map(Rule::name);
        let otherwise = "choose one of the suggested rules; the others are applied anyway";
        unknown_name(name, "no suggested rule", &known, otherwise)
    })
}

/// What to do about a field name that is not known.
pub fn unknown_field_advice(name: &str) -> String {
    match closest(name, Field::ALL.map(Field::name)) {
        Some(near) => format!("did you mean {near}?"),
        None => "choose one of the known fields".to_owned(),
    }
}

/// The delimiter that a text names: itself, or "tab".
pub fn parse_delimiter(text: &str) -> Option<u8> {
    match text {
        "tab" | "\t" => Some(b'\t'),
        "," | ";" | "|" => Some(text.as_bytes()[0]),
        _ => None,
    }
}

/// A job's name as part of a file name: small letters and digits, hyphens between.
pub fn file_name_from(name: &str) -> String {
    let folded = pebblebank_values::fold::fold(name).replace(' ', "-");
    if folded.is_empty() { "job".to_owned() } else { folded.chars().take(80).collect() }
}

pub(super) fn one_of(names: &[&str]) -> String {
    match names {
        [only] => (*only).to_owned(),
        _ => format!("one of {}", names.join(", ")),
    }
}
