//! The words of status columns in seven languages (`consent.txt`), and what they say about consent.

use super::blank::{is_blank, is_unseen};
use crate::columns::fold::fold;
use std::collections::HashMap;
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

static WORDS: LazyLock<HashMap<&'static str, Word>> = LazyLock::new(|| {
    let mut words = HashMap::new();
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
const TICKS: [&str; 4] = ["✓", "✔", "☑", "✅"];

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
/// use pebblebank_core::clean::consent::{read, Consent, Statement, YesMeans};
/// assert_eq!(read("Unsubscribed", None), Statement::Says(Consent::OptedOut));
/// assert_eq!(read("yes", Some(YesMeans::OptedOut)), Statement::Says(Consent::OptedOut));
/// assert_eq!(read("no", Some(YesMeans::OptedOut)), Statement::Nothing);
/// ```
pub fn read(value: &str, yes_means: Option<YesMeans>) -> Statement {
    if is_blank(value) && !is_a_no(value) {
        return Statement::Nothing;
    }
    let shown = value.trim_matches(is_unseen);
    let word = if TICKS.contains(&shown) { Some(Word::Yes) } else { WORDS.get(fold(shown).as_str()).copied() };
    let is_yes = match word {
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
        let mut seen = HashMap::new();
        for (statement, words) in word_lists() {
            assert!(statements.contains(&statement), "{statement}");
            for word in words {
                assert_eq!(fold(word), word, "not folded");
                assert_eq!(seen.insert(word, statement), None, "{word} stands twice");
            }
        }
    }
}
