//! Values as people type them and spreadsheets damage them.

use crate::people::Person;
use crate::rng::Rng;

/// A full name.
pub(crate) fn full_name(person: &Person, rng: &mut Rng) -> String {
    let (first, last) = (person.first, person.last);
    match rng.below(100) {
        0..=11 => format!("{last}, {first}"),
        12..=16 => format!("{first} {last}").to_uppercase(),
        17..=19 => format!("{first} {last}").to_lowercase(),
        20..=21 => format!("Dr. {first} {last}"),
        22 => format!("{first} {last}, PhD"),
        23..=24 => format!("{first} B. {last}"),
        25..=26 => format!(" {first}  {last}"),
        _ => format!("{first} {last}"),
    }
}

/// One part of a name.
pub(crate) fn name(part: &str, rng: &mut Rng) -> String {
    match rng.below(100) {
        0..=4 => part.to_uppercase(),
        5..=7 => part.to_lowercase(),
        8 => format!("{part} "),
        _ => part.to_owned(),
    }
}

/// A phone number. 020 7946 0000 to 0999 and 07700 900000 to 900999 are set aside for drama.
pub(crate) fn phone(person: &Person, rng: &mut Rng) -> String {
    let last = &person.phone[person.phone.len() - 3..];
    match rng.below(60) {
        0..=5 => format!("+44 20 7946 0{last}"),
        6..=9 => format!("+44 (0)20 7946 0{last}"),
        10..=12 => format!("0044 20 79460{last}"),
        13..=15 => format!("(020) 7946-0{last}"),
        16..=17 => format!("Tel. 020 7946 0{last}"),
        18 => format!("020 7946 0{last} ext. 4"),
        19 => format!("020 7946 0{last} / 07700 900{last}"),
        20..=21 => format!("20794 60{last}"),
        22 => "4.42079E+11".to_owned(),
        23 => format!("7946 0{last}"),
        24 => "n/a".to_owned(),
        _ => person.phone.clone(),
    }
}

/// A postal code: of the person's country, with its blank, without it, or in small letters; a spreadsheet takes the
/// zeros from the front.
pub(crate) fn postcode(person: &Person, rng: &mut Rng) -> String {
    if person.country == "US" {
        return person.postcode.trim_start_matches('0').to_owned();
    }
    match rng.below(20) {
        0 | 1 => person.postcode.to_lowercase(),
        2 | 3 => person.postcode.replace(' ', ""),
        4 if person.number.is_multiple_of(5) => "12".to_owned(),
        _ => person.postcode.clone(),
    }
}

/// A country, by code or by name in some language.
pub(crate) fn country(person: &Person, rng: &mut Rng) -> &'static str {
    let names: &[&str] = match person.country {
        "NL" => &["NL", "Netherlands", "Nederland", "Holland", "Niederlande"],
        "DE" => &["DE", "Germany", "Deutschland", "Allemagne"],
        "US" => &["US", "USA", "United States"],
        _ => &["GB", "United Kingdom", "UK", "Great Britain", "", "", "England"],
    };
    names[rng.below(names.len())]
}

/// A day of birth in one of many forms.
pub(crate) fn birthday(rng: &mut Rng) -> String {
    const MONTHS: [&str; 12] = [
        "January",
        "February",
        "March",
        "April",
        "May",
        "June",
        "July",
        "August",
        "September",
        "October",
        "November",
        "December",
    ];
    let (year, month, day) = (1938 + rng.below(66), rng.below(12) + 1, rng.below(28) + 1);
    match rng.below(24) {
        0..=3 => String::new(),
        4..=6 => format!("{day} {} {year}", MONTHS[month - 1]),
        7..=8 => format!("{} {day}, {year}", MONTHS[month - 1]),
        9..=13 => format!("{day:02}/{month:02}/{year}"),
        14 => (10_000 + rng.below(20_000)).to_string(),
        15 if day < 3 => format!("31/02/{year}"),
        15 if day < 5 => format!("{day:02}/{month:02}/2{year}").replace("21", "20"),
        16 if day == 7 => "1900-01-00".to_owned(),
        _ => format!("{year}-{month:02}-{day:02}"),
    }
}

/// What somebody likes, several in a cell.
pub(crate) fn interests(rng: &mut Rng) -> String {
    const ALL: [&str; 5] = ["roses", "bats", "Orchard", "moss & stone", "seeds"];
    let first = *rng.one_of(&ALL);
    match rng.below(8) {
        0 | 1 => String::new(),
        2 => format!("{first}|{}|{first}", rng.one_of(&ALL)),
        3 | 4 => format!("{first} | {}", rng.one_of(&ALL)),
        _ => first.to_owned(),
    }
}

/// A language, by name or code.
pub(crate) fn language(person: &Person, rng: &mut Rng) -> &'static str {
    let names: &[&str] = match person.country {
        "NL" => &["nl", "Dutch", "Nederlands"],
        "DE" => &["de", "German", "Deutsch"],
        _ => &["en", "English", "", "en_GB", "Englisch"],
    };
    names[rng.below(names.len())]
}
