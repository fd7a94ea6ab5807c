//! The words of status columns, and what they say about consent.

use super::blank::{is_blank, is_unseen};

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

/// Status words, folded.
const OPTED_IN: [&str; 17] = [
    "opted-in",
    "opted in",
    "opt-in",
    "opt in",
    "optin",
    "subscribed",
    "subscriber",
    "active",
    "confirmed",
    "consented",
    "consent given",
    "granted",
    "agreed",
    "accepted",
    "double opt-in",
    "permission given",
    "allowed",
];
const OPTED_OUT: [&str; 22] = [
    "opted-out",
    "opted out",
    "opt-out",
    "opt out",
    "optout",
    "unsubscribed",
    "unsubscribe",
    "withdrawn",
    "revoked",
    "refused",
    "declined",
    "objected",
    "denied",
    "do not mail",
    "do not email",
    "do not contact",
    "no mail",
    "no email",
    "removed",
    "suppressed",
    "blocked",
    "unsub",
];
const COMPLAINED: [&str; 6] =
    ["complained", "complaint", "spam", "spam complaint", "reported as spam", "abuse complaint"];
const PENDING: [&str; 8] = [
    "pending",
    "unconfirmed",
    "not confirmed",
    "awaiting confirmation",
    "invited",
    "asked",
    "double opt-in sent",
    "waiting",
];
const BOUNCED: [&str; 9] = [
    "bounced",
    "bounce",
    "hard bounce",
    "soft bounce",
    "hard bounced",
    "soft bounced",
    "undeliverable",
    "cleaned",
    "returned",
];
const YES: [&str; 8] = ["yes", "y", "true", "t", "1", "x", "on", "checked"];
const NO: [&str; 7] = ["no", "n", "false", "f", "0", "off", "unchecked"];

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
    let mut folded = [0u8; 32];
    let Some(word) = fold(shown, &mut folded) else { return Statement::Says(Consent::Unlisted) };
    let yes = YES.contains(&word);
    if yes || NO.contains(&word) {
        return match (yes_means, yes) {
            (None, _) => Statement::YesOrNo,
            (Some(YesMeans::OptedIn), true) => Statement::Says(Consent::OptedIn),
            (Some(YesMeans::OptedIn), false) | (Some(YesMeans::OptedOut), true) => Statement::Says(Consent::OptedOut),
            (Some(YesMeans::OptedOut), false) => Statement::Nothing,
        };
    }
    let lists: [(&[&str], Consent); 5] = [
        (&OPTED_IN, Consent::OptedIn),
        (&OPTED_OUT, Consent::OptedOut),
        (&PENDING, Consent::Pending),
        (&BOUNCED, Consent::Bounced),
        (&COMPLAINED, Consent::Complained),
    ];
    let listed = lists.into_iter().find(|(words, _)| words.contains(&word));
    Statement::Says(listed.map_or(Consent::Unlisted, |(_, consent)| consent))
}

/// "No email" is a blank address but a refusal in a status column.
fn is_a_no(value: &str) -> bool {
    value.trim_matches(is_unseen).eq_ignore_ascii_case("no email")
}

/// Small letters, and one blank for each run of blanks, underscores; none where it is longer than any word.
fn fold<'a>(shown: &str, buffer: &'a mut [u8; 32]) -> Option<&'a str> {
    let mut length = 0;
    let mut after_blank = false;
    for c in shown.chars() {
        let c = if c.is_whitespace() || c == '_' { ' ' } else { c };
        if c == ' ' && after_blank {
            continue;
        }
        after_blank = c == ' ';
        for lower in c.to_lowercase() {
            let room = buffer.get_mut(length..length + lower.len_utf8())?;
            lower.encode_utf8(room);
            length += lower.len_utf8();
        }
    }
    std::str::from_utf8(&buffer[..length]).ok()
}

/// Whether the word is one that a status column would hold.
pub fn is_listed(value: &str) -> bool {
    !matches!(read(value, None), Statement::Says(Consent::Unlisted) | Statement::Nothing)
}
