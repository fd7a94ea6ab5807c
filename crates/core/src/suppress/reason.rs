//! Why a row is set aside.

use schemars::JsonSchema;
use serde::Serialize;
use strum::VariantArray;

/// Why a row is set aside, gravest first: of two reasons the smaller holds.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Hash,
    JsonSchema,
    Serialize,
    strum::IntoStaticStr,
    strum::VariantArray,
)]
#[strum(serialize_all = "kebab-case")]
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
    FailedCheck,
    NearMiss,
    NotSelected,
    OverLimit,
    LayoutViolation,
    RemovedByHand,
    UnreadableRow,
}

impl Reason {
    /// How many there are.
    pub const COUNT: usize = Reason::VARIANTS.len();

    /// All of them, gravest first.
    pub const ALL: [Reason; Reason::COUNT] = *Reason::VARIANTS.first_chunk().expect("as many as there are");

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
        self.into()
    }
}
