//! Guards: limits that stop a run before anything is put in place, and what the user accepts of them.

use strum::VariantArray;

/// A limit that stops a run unless it is accepted.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    Hash,
    PartialOrd,
    Ord,
    strum::IntoStaticStr,
    strum::EnumString,
    strum::VariantArray,
)]
#[strum(serialize_all = "kebab-case")]
pub enum Guard {
    /// A suppression list holds addresses, hashes, domains or phone numbers outside what was read as entries.
    UnreadEntries,
    /// A file has a second header in the middle, with other columns.
    AnotherTable,
    /// A workbook has formulas whose values are not stored.
    FormulasWithoutValue,
    /// A file of a suppression list holds the same bytes as a file of a source.
    SameAsSource,
    /// A suppression list alone would hold more than half of all people.
    HoldsMost,
    /// None of the entries of a suppression list can be compared: the wrong column.
    NoneUsable,
    /// An entry would hold everybody at a public mailbox provider.
    MailboxProvider,
    /// Results of a checking service are mostly of addresses that were not given out to be checked.
    OtherResults,
    /// A file of a suppression list is older than the job relies on.
    Stale,
    /// A suppression list matches nobody, although it did in the run before.
    MatchesNobody,
    /// A list of refusals has fewer entries than in the run before.
    Shrunk,
    /// There was a bank in the run before, and there is none now.
    BankGone,
    /// The bank could not be reached, and its copy is older than the job relies on.
    StaleBankCopy,
    /// Fewer contacts than asked would be written.
    WriteAtLeast,
    /// More contacts than allowed would be set aside.
    SetAsideAtMost,
    /// More contacts than allowed would be written.
    WriteAtMost,
    /// Another number of contacts than asked would be written.
    WriteExactly,
    /// The number of contacts differs too much from that of the run before.
    ChangeAtMost,
    /// A source holds the same as in the run before.
    SameAsLastTime,
    /// A source has fewer rows than in the run before.
    FewerThanLastTime,
    /// A source has no rows.
    EmptySource,
}

impl Guard {
    /// All of them.
    pub const ALL: [Guard; Guard::VARIANTS.len()] = *Guard::VARIANTS.first_chunk().expect("as many as there are");

    /// The name in jobs, options and messages.
    pub fn name(self) -> &'static str {
        self.into()
    }
}

/// How much of something there may be.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum AtMost {
    /// A number of rows.
    Rows(u64),
    /// So much of all, from 0 to 1.
    Share(f64),
}

impl AtMost {
    /// Whether `rows` of `all` are more.
    ///
    /// ```
    /// use pebblebank_core::job::guard::AtMost;
    /// assert!(AtMost::Share(0.4).is_exceeded(41, 100) && !AtMost::Share(0.4).is_exceeded(40, 100));
    /// assert!(AtMost::Rows(10).is_exceeded(11, 100) && !AtMost::Rows(10).is_exceeded(10, 100));
    /// ```
    pub fn is_exceeded(self, rows: u64, all: u64) -> bool {
        match self {
            AtMost::Rows(most) => rows > most,
            AtMost::Share(most) => all > 0 && rows as f64 / all as f64 > most,
        }
    }

    /// Reads "40%" or "200".
    pub fn parse(text: &str) -> Option<AtMost> {
        match text.trim().strip_suffix('%') {
            Some(percent) => {
                let percent: f64 = percent.trim().parse().ok()?;
                (0.0..=100.0).contains(&percent).then_some(AtMost::Share(percent / 100.0))
            }
            None => text.trim().parse().ok().map(AtMost::Rows),
        }
    }
}

/// The guards that do not stop the run.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Accepted {
    guards: Vec<(Guard, Option<u64>)>,
}

impl Accepted {
    /// Accepts a guard, up to this count; none for any.
    pub fn add(&mut self, guard: Guard, at_most: Option<u64>) {
        self.guards.push((guard, at_most));
    }

    /// Whether a guard that tripped with this count does not stop the run.
    ///
    /// ```
    /// use pebblebank_core::job::guard::Accepted;
    /// use pebblebank_core::job::guard::Guard;
    /// let mut accepted = Accepted::default();
    /// accepted.add(Guard::UnreadEntries, Some(3));
    /// assert!(accepted.covers(Guard::UnreadEntries, 3));
    /// assert!(!accepted.covers(Guard::UnreadEntries, 4) && !accepted.covers(Guard::Stale, 1));
    /// ```
    pub fn covers(&self, guard: Guard, count: u64) -> bool {
        self.guards.iter().any(|(accepted, at_most)| *accepted == guard && at_most.is_none_or(|most| count <= most))
    }
}
