//! The words of status columns in seven languages (`consent.txt`), and what they say about consent.

use crate::blank::is_blank;
use crate::date::{Date, DateOrder, DateSystem};
use crate::date_column::{DateColumn, DateOf};
use crate::fold::fold;
use crate::look;
use crate::quick_map::QuickMap;
use pebblebank_table::unseen::is_unseen;
use std::sync::LazyLock;

/// What a cell says about consent. The later one wins among the copies of a person, but that
/// `Bounced` stands beside the others.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Consent {
    /// May be written to.
    OptedIn,
    /// Asked, and not answered yet: does not pass.
    Pending,
    /// A word that nobody listed: does not pass.
    Unlisted,
    /// Said no.
    OptedOut,
    /// Reported a mailing as unwanted.
    Complained,
    /// Mail came back.
    Bounced,
}

/// What "yes" means in a column of yes and no.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum YesMeans {
    /// "Subscribed: yes".
    OptedIn,
    /// "Do not mail: yes".
    OptedOut,
}

/// What a listed word says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Word {
    Says(Consent),
    Nothing,
    Yes,
    No,
}

static WORDS: LazyLock<QuickMap<&'static str, Word>> = LazyLock::new(|| {
    let mut words = QuickMap::default();
    for (statement, list) in word_lists() {
        let word = match statement {
            "opted in" => Word::Says(Consent::OptedIn),
            "opted out" => Word::Says(Consent::OptedOut),
            "pending" => Word::Says(Consent::Pending),
            "bounced" => Word::Says(Consent::Bounced),
            "complained" => Word::Says(Consent::Complained),
            "yes" => Word::Yes,
            "no" => Word::No,
            _ => Word::Nothing,
        };
        words.extend(list.map(|text| (text, word)));
    }
    words
});

/// The lines of `consent.txt`: what is said, and the words that say it.
fn word_lists() -> impl Iterator<Item = (&'static str, impl Iterator<Item = &'static str>)> {
    let lines = include_str!("data/consent.txt").lines().filter(|line| !line.starts_with('#'));
    lines.filter_map(|line| line.split_once(':')).map(|(statement, words)| (statement, words.split('|').map(str::trim)))
}

/// A sign for a ticked box.
const TICKS: [&str; 5] = ["✓", "✔", "☑", "✅", "☒"];

/// A sign for a box that was left alone or crossed out.
const CROSSES: [&str; 7] = ["✗", "✘", "☐", "❌", "✖", "×", "□"];

/// Words that stand for nothing elsewhere, and under an opt-in for a refusal.
const NONE_WORDS: [&str; 18] = [
    "none",
    "no email",
    "no emails",
    "kein",
    "keine",
    "keiner",
    "keine e mail",
    "aucun",
    "aucune",
    "ninguno",
    "ninguna",
    "nessuno",
    "nessuna",
    "geen",
    "nenhum",
    "nenhuma",
    "nada",
    "niets",
];

/// Whether a word says "none", which is a refusal under an opt-in and nothing elsewhere.
pub fn is_none_word(value: &str) -> bool {
    NONE_WORDS.contains(&fold(value).as_str())
}

/// What one cell says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Statement {
    /// Nothing: a blank, "unknown", or "no" under "do not mail".
    Nothing,
    /// This.
    Says(Consent),
    /// Yes or no, in a column whose direction is not known.
    YesOrNo,
}

/// Reads a status cell; `yes_means` is the column's direction where it is known.
///
/// ```
/// use pebblebank_values::consent::read;
/// use pebblebank_values::consent::Consent;
/// use pebblebank_values::consent::Statement;
/// use pebblebank_values::consent::YesMeans;
/// assert_eq!(read("Unsubscribed", None), Statement::Says(Consent::OptedOut));
/// assert_eq!(read("yes", Some(YesMeans::OptedOut)), Statement::Says(Consent::OptedOut));
/// assert_eq!(read("no", Some(YesMeans::OptedOut)), Statement::Nothing);
/// ```
pub fn read(value: &str, yes_means: Option<YesMeans>) -> Statement {
    let shown = value.trim_matches(is_unseen);
    if yes_means != Some(YesMeans::OptedOut) && is_refusal_by_none(shown, yes_means) {
        return Statement::Says(Consent::OptedOut);
    }
    if is_blank(value) && !is_a_no(value) {
        return Statement::Nothing;
    }
    let word = match () {
        () if TICKS.contains(&shown) => Some(Word::Yes),
        () if CROSSES.contains(&shown) => Some(Word::No),
        () => WORDS.get(fold(shown).as_str()).copied(),
    };
    let is_yes = match word {
        None if yes_means.is_some() && is_day(shown) => true,
        None if is_no_day(shown) => return Statement::Nothing,
        None => return Statement::Says(Consent::Unlisted),
        Some(Word::Nothing) => return Statement::Nothing,
        Some(Word::Says(consent)) => return Statement::Says(consent),
        Some(Word::Yes) => true,
        Some(Word::No) => false,
    };
    match (yes_means, is_yes) {
        (None, _) => Statement::YesOrNo,
        (Some(YesMeans::OptedIn), true) => Statement::Says(Consent::OptedIn),
        (Some(YesMeans::OptedIn), false) | (Some(YesMeans::OptedOut), true) => Statement::Says(Consent::OptedOut),
        (Some(YesMeans::OptedOut), false) => Statement::Nothing,
    }
}

/// "None" under an opt-in; "no email" also where the direction is not known.
fn is_refusal_by_none(shown: &str, yes_means: Option<YesMeans>) -> bool {
    shown.len() <= 16 && (yes_means.is_some() || is_a_no(shown)) && is_none_word(shown)
}

/// A day on which somebody opted in or out: a date in figures or words, a spreadsheet's date number, seconds since 1970.
fn is_day(shown: &str) -> bool {
    let is_digits = || shown.bytes().all(|byte| byte.is_ascii_digit());
    let is_number = match shown.len() {
        5 => is_digits() && matches!(shown.as_bytes()[0], b'2'..=b'5'),
        8 => is_digits() && (shown.starts_with("19") || shown.starts_with("20")),
        10 | 13 => is_digits() && shown.starts_with('1'),
        _ => false,
    };
    if is_no_day(shown) {
        return false;
    }
    let column = DateColumn {
        order: Some(DateOrder::DayFirst),
        system: DateSystem::default(),
        today: Date { year: 2100, month: 1, day: 1 },
        of: DateOf::Any,
    };
    is_number || look::is_date(shown) || column.moment(shown).is_ok()
}

/// What databases write for no day.
fn is_no_day(shown: &str) -> bool {
    shown.starts_with("0000-00-00") || shown.starts_with("00/00/0000") || shown.starts_with("00.00.0000")
}

/// The one word that a status cell is written as; none where it holds a word that nobody listed, or a yes or no to an
/// unknown question.
pub fn written(statement: Statement) -> Option<&'static str> {
    match statement {
        Statement::Nothing => Some("unknown"),
        Statement::Says(Consent::OptedIn) => Some("opted-in"),
        Statement::Says(Consent::OptedOut) => Some("opted-out"),
        Statement::Says(Consent::Pending) => Some("pending"),
        Statement::Says(Consent::Bounced) => Some("bounced"),
        Statement::Says(Consent::Complained) => Some("complained"),
        Statement::Says(Consent::Unlisted) | Statement::YesOrNo => None,
    }
}

/// "No email" is a blank address but a refusal in a status column.
fn is_a_no(value: &str) -> bool {
    value.trim_matches(is_unseen).eq_ignore_ascii_case("no email")
}

/// Whether the word is one that says by itself what somebody's status is, or yes or no.
pub fn is_status_word(value: &str) -> bool {
    WORDS.contains_key(fold(value.trim_matches(is_unseen)).as_str())
}

/// Whether the word is one that a status column would hold.
pub fn is_listed(value: &str) -> bool {
    !matches!(read(value, None), Statement::Says(Consent::Unlisted) | Statement::Nothing)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_line_of_the_table_says_something_known_and_every_word_is_folded_and_stands_once() {
        let statements = ["opted in", "opted out", "pending", "bounced", "complained", "nothing", "yes", "no"];
        let mut seen = QuickMap::default();
        for (statement, words) in word_lists() {
            assert!(statements.contains(&statement), "{statement}");
            for word in words {
                assert_eq!(fold(word), word, "not folded");
                assert_eq!(seen.insert(word, statement), None, "{word} stands twice");
            }
        }
    }
}
