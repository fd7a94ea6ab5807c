//! The reason that a word in a status column gives an entry: one export often mixes sent, bounced and unsubscribed.

use super::reason::Reason;
use pebblebank_values::blank::is_blank;
use pebblebank_values::consent::{self, Consent, Statement};
use pebblebank_values::fold::fold;
use pebblebank_values::quick_map::QuickMap;
use pebblebank_values::status_code::code_class;
use std::sync::LazyLock;

/// The reasons that a status column can give.
#[derive(Debug, Clone, Copy)]
pub struct StatusReasons;

impl StatusReasons {
    /// In the order in which a list's shares stand behind it.
    pub const REASONS: [Reason; 5] =
        [Reason::Complained, Reason::OptedOut, Reason::DoNotContact, Reason::Bounced, Reason::AlreadySent];
}

/// What a status says of an entry.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum StatusReason {
    /// Nothing: a blank, or a word such as "unknown".
    Blank,
    /// A word that nobody listed.
    Unlisted,
    /// Nothing against being written to.
    None,
    /// What a check of the address found, such as "risky": a verdict, and no bounce.
    Verdict,
    /// Mail came back for a reason that may pass; by itself it holds nobody.
    SoftBounce,
    /// This.
    Is(Reason),
}

#[derive(Debug, Clone, Copy)]
pub(super) enum Word {
    Sent,
    Soft,
    Hard,
    DoNotContact,
    Complained,
    OptedOut,
    Verdict,
    Harmless,
}

static WORDS: LazyLock<QuickMap<&'static str, Word>> = LazyLock::new(|| {
    let lines = include_str!("status_words.txt").lines().filter(|line| !line.starts_with('#'));
    let of_line = |(kind, words): (&str, &'static str)| {
        let word = match kind {
            "sent" => Word::Sent,
            "soft" => Word::Soft,
            "hard" => Word::Hard,
            "complained" => Word::Complained,
            "opted out" => Word::OptedOut,
            "verdict" => Word::Verdict,
            "harmless" => Word::Harmless,
            _ => Word::DoNotContact,
        };
        words.split('|').map(move |text| (text.trim(), word)).collect::<Vec<_>>()
    };
    lines.filter_map(|line| line.split_once(':')).flat_map(of_line).collect()
});

/// What a status says: by a status code (RFC 3463: `5.1.1`, `4.2.2`) or by its words.
///
/// ```
/// use pebblebank_core::suppress::reason::Reason;
/// use pebblebank_core::suppress::status::StatusReason;
/// use pebblebank_core::suppress::status;
/// assert_eq!(status::read("550 5.1.1 user unknown"), StatusReason::Is(Reason::Bounced));
/// assert_eq!(status::read("Soft bounce"), StatusReason::SoftBounce);
/// assert_eq!(status::read("désabonnée"), StatusReason::Is(Reason::OptedOut));
/// assert_eq!(status::read("subscribed"), StatusReason::None);
/// ```
pub fn read(value: &str) -> StatusReason {
    if is_blank(value) {
        return StatusReason::Blank;
    }
    match code_class(value) {
        Some(2) => return StatusReason::Is(Reason::AlreadySent),
        Some(4) => return StatusReason::SoftBounce,
        Some(5) => return StatusReason::Is(Reason::Bounced),
        _ => {}
    }
    let folded = fold(value);
    if let Some(reason) = Reason::FOR_LISTS.into_iter().find(|reason| fold(reason.name()) == folded) {
        return StatusReason::Is(reason);
    }
    match WORDS.get(folded.as_str()) {
        Some(Word::Sent) => return StatusReason::Is(Reason::AlreadySent),
        Some(Word::Soft) => return StatusReason::SoftBounce,
        Some(Word::Hard) => return StatusReason::Is(Reason::Bounced),
        Some(Word::DoNotContact) => return StatusReason::Is(Reason::DoNotContact),
        Some(Word::Complained) => return StatusReason::Is(Reason::Complained),
        Some(Word::OptedOut) => return StatusReason::Is(Reason::OptedOut),
        Some(Word::Verdict) => return StatusReason::Verdict,
        Some(Word::Harmless) => return StatusReason::None,
        None => {}
    }
    match consent::read(value, None) {
        Statement::Says(Consent::OptedIn | Consent::Pending) => StatusReason::None,
        Statement::Says(Consent::OptedOut) => StatusReason::Is(Reason::OptedOut),
        Statement::Says(Consent::Complained) => StatusReason::Is(Reason::Complained),
        Statement::Says(Consent::Bounced) => StatusReason::Is(Reason::Bounced),
        Statement::Nothing => StatusReason::Blank,
        Statement::Says(Consent::Unlisted) | Statement::YesOrNo => StatusReason::Unlisted,
    }
}

impl StatusReason {
    /// The meanings that can be said of a word, by name.
    pub const NAMED: [(&'static str, StatusReason); 7] = [
        ("bounced", StatusReason::Is(Reason::Bounced)),
        ("soft-bounce", StatusReason::SoftBounce),
        ("complained", StatusReason::Is(Reason::Complained)),
        ("opted-out", StatusReason::Is(Reason::OptedOut)),
        ("do-not-contact", StatusReason::Is(Reason::DoNotContact)),
        ("sent", StatusReason::Is(Reason::AlreadySent)),
        ("nothing", StatusReason::None),
    ];

    /// What it is called where it is counted.
    pub fn name(self) -> &'static str {
        match self {
            StatusReason::Blank => "blank",
            StatusReason::Unlisted => "not known",
            StatusReason::None => "nothing",
            StatusReason::Verdict => "verdict of an address check",
            StatusReason::SoftBounce => "soft-bounce",
            StatusReason::Is(Reason::AlreadySent) => "sent",
            StatusReason::Is(reason) => reason.name(),
        }
    }
}

/// What an event says together with the class of a bounce that another column tells: the event decides, and where it is a
/// bounce of whatever kind, the class says whether for good.
pub fn together(event: &str, class: &str) -> StatusReason {
    let (said, classed) = (read(event), read(class));
    let is_plain_bounce = || {
        let folded = fold(event);
        !["hard", "soft", "permanent", "temporar", "transient"].iter().any(|word| folded.contains(word))
            && code_class(event).is_none()
    };
    match (said, classed) {
        (StatusReason::Is(Reason::Bounced), StatusReason::SoftBounce) if is_plain_bounce() => StatusReason::SoftBounce,
        (StatusReason::Blank, StatusReason::SoftBounce | StatusReason::Is(Reason::Bounced)) => classed,
        (said, _) => said,
    }
}
