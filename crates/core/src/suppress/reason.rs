//! Why a row is set aside.

use serde::Serialize;

/// Why a row is set aside, gravest first: of two reasons the smaller holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
#[repr(u8)]
#[allow(missing_docs)] // the names are the meaning; docs/job-file.md explains each
pub enum Reason {
    Complained,
    OptedOut,
    NoConsent,
    DoNotContact,
    Bounced,
    AlreadySent,
    TooOften,
    OnOtherList,
    BlankAddress,
    InvalidAddress,
    PlaceholderAddress,
    MissingField,
    RoleAddress,
    DisposableDomain,
    NearMiss,
    NotSelected,
    OverLimit,
    LayoutViolation,
    RemovedByHand,
    UnreadableRow,
}

impl Reason {
    /// How many there are.
    pub const COUNT: usize = 20;

    /// All of them, gravest first.
    pub const ALL: [Reason; Reason::COUNT] = [
        Reason::Complained,
        Reason::OptedOut,
        Reason::NoConsent,
        Reason::DoNotContact,
        Reason::Bounced,
        Reason::AlreadySent,
        Reason::TooOften,
        Reason::OnOtherList,
        Reason::BlankAddress,
        Reason::InvalidAddress,
        Reason::PlaceholderAddress,
        Reason::MissingField,
        Reason::RoleAddress,
        Reason::DisposableDomain,
        Reason::NearMiss,
        Reason::NotSelected,
        Reason::OverLimit,
        Reason::LayoutViolation,
        Reason::RemovedByHand,
        Reason::UnreadableRow,
    ];

    /// Those that a suppression list can have.
    pub const FOR_LISTS: [Reason; 7] = [
        Reason::Complained,
        Reason::OptedOut,
        Reason::DoNotContact,
        Reason::Bounced,
        Reason::AlreadySent,
        Reason::TooOften,
        Reason::OnOtherList,
    ];

    /// The name in jobs, files and tables.
    pub fn name(self) -> &'static str {
        match self {
            Reason::Complained => "complained",
            Reason::OptedOut => "opted-out",
            Reason::NoConsent => "no-consent",
            Reason::DoNotContact => "do-not-contact",
            Reason::Bounced => "bounced",
            Reason::AlreadySent => "already-sent",
            Reason::TooOften => "too-often",
            Reason::OnOtherList => "on-other-list",
            Reason::BlankAddress => "blank-address",
            Reason::InvalidAddress => "invalid-address",
            Reason::PlaceholderAddress => "placeholder-address",
            Reason::MissingField => "missing-field",
            Reason::RoleAddress => "role-address",
            Reason::DisposableDomain => "disposable-domain",
            Reason::NearMiss => "near-miss",
            Reason::NotSelected => "not-selected",
            Reason::OverLimit => "over-limit",
            Reason::LayoutViolation => "layout-violation",
            Reason::RemovedByHand => "removed-by-hand",
            Reason::UnreadableRow => "unreadable-row",
        }
    }
}
