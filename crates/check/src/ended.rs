//! How asking the network ended.

/// How asking ended.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Ended {
    /// What went wrong for all, if anything did.
    pub trouble: Option<String>,
    /// Whether somebody stopped it: what was handed over before counts.
    pub is_stopped: bool,
}

impl Ended {
    pub(crate) fn with(trouble: String) -> Ended {
        Ended { trouble: Some(trouble), is_stopped: false }
    }

    pub(crate) fn stopped() -> Ended {
        Ended { trouble: None, is_stopped: true }
    }
}
