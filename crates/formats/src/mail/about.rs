//! What a message is about: whose mail came back and why, or why a message says nothing of that.

use pebblebank_table::observe::Weight;

/// What a message says of an address.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct About {
    pub address: String,
    pub status: Status,
    pub code: String,
    pub date: String,
    pub says: String,
}

/// What became of a mail.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Status {
    Hard,
    Soft,
    Complained,
    OptedOut,
}

impl Status {
    /// As status columns say it.
    pub fn words(self) -> &'static str {
        match self {
            Status::Hard => "hard bounce",
            Status::Soft => "soft bounce",
            Status::Complained => "complaint",
            Status::OptedOut => "unsubscribed",
        }
    }
}

/// Why a message is about nobody.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum WhyNot {
    /// Somebody is away, or a machine says thank you.
    AutomaticReply,
    /// The mail is late, and may still arrive.
    Delayed,
    /// The mail arrived.
    Arrived,
    /// Somebody said that a mail is wanted after all.
    NoComplaint,
    /// It came back, or is complained about, and does not say whose mail it was.
    NobodyNamed,
    /// It came back, and does not say whether for good.
    NoReason,
    /// It is something else.
    NoBounce,
    /// It cannot be read.
    Unreadable,
}

impl WhyNot {
    pub fn in_words(self) -> &'static str {
        match self {
            WhyNot::AutomaticReply => "no bounce but an automatic reply",
            WhyNot::Delayed => "about mail that is late and may still arrive",
            WhyNot::Arrived => "about mail that arrived",
            WhyNot::NoComplaint => "a report, but no complaint",
            WhyNot::NobodyNamed => "a bounce or complaint that names no address",
            WhyNot::NoReason => "like a bounce, but without a reason that is understood",
            WhyNot::NoBounce => "neither bounce nor complaint",
            WhyNot::Unreadable => "no mail that can be read",
        }
    }

    /// How much it matters: what may hide somebody should be looked at.
    pub fn weight(self) -> Weight {
        match self {
            WhyNot::NobodyNamed | WhyNot::NoReason | WhyNot::Unreadable => Weight::Warning,
            _ => Weight::Note,
        }
    }
}
