//! Likely mistakes with suppression lists. Each stops a run unless the job says that it is meant.

/// A likely mistake with a suppression list.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Mistake {
    /// A file of the list holds the same bytes as a file of a source.
    SameAsSource,
    /// The list alone would hold more than half of all persons.
    HoldsMost,
    /// None of its entries can be compared: the wrong column.
    NoneUsable,
    /// An entry would hold everybody at a public mailbox provider.
    MailboxProvider,
    /// A file of the list is older than the job relies on.
    Stale,
    /// It matches nobody, although it did in the run before.
    MatchesNobody,
    /// A list of refusals has fewer entries than in the run before.
    Shrunk,
}

impl Mistake {
    /// All of them.
    pub const ALL: [Mistake; 7] = [
        Mistake::SameAsSource,
        Mistake::HoldsMost,
        Mistake::NoneUsable,
        Mistake::MailboxProvider,
        Mistake::Stale,
        Mistake::MatchesNobody,
        Mistake::Shrunk,
    ];

    /// The name in jobs and messages.
    pub fn name(self) -> &'static str {
        match self {
            Mistake::SameAsSource => "same-as-source",
            Mistake::HoldsMost => "holds-most",
            Mistake::NoneUsable => "none-usable",
            Mistake::MailboxProvider => "mailbox-provider",
            Mistake::Stale => "stale",
            Mistake::MatchesNobody => "matches-nobody",
            Mistake::Shrunk => "shrunk",
        }
    }
}
