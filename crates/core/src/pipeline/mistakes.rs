//! Likely mistakes with suppression lists, found before anything is put in place: the wrong file, the wrong column, an
//! old list, one that was exported only in part.

use super::guards::TrippedGuard;
use super::known::Known;
use super::tally::{SuppressionTally, Tally};
use crate::job::{EntriesFrom, Hold, Job, ListFiles};
use crate::observe::counted;
use crate::suppress::{Mistake, Reason};
use crate::units::ListId;
use serde_json::Value;
use std::collections::HashMap;
use std::path::Path;

/// How the suppression lists of an earlier run of the same job came out, as its receipt says.
#[derive(Debug, Default)]
pub struct EarlierLists {
    /// By name: entries, and how many of them matched.
    lists: HashMap<String, (u64, u64)>,
}

impl EarlierLists {
    /// Reads them from a receipt; nothing where there is none, or where another program's file lies there.
    pub fn of(receipt: Option<&Path>) -> EarlierLists {
        let read = || {
            let bytes = std::fs::read(receipt?.join("tally.json")).ok()?;
            let tally: Value = serde_json::from_slice(&bytes).ok()?;
            let list = |list: &Value| {
                let number = |key: &str| list.get(key)?.as_u64();
                Some((list.get("name")?.as_str()?.to_owned(), (number("entries")?, number("matched")?)))
            };
            Some(tally.get("suppression")?.as_array()?.iter().filter_map(list).collect())
        };
        EarlierLists { lists: read().unwrap_or_default() }
    }
}

/// The likely mistakes that nobody said to be meant.
pub fn check(job: &Job, known: &Known, tally: &Tally, earlier: &EarlierLists) -> Vec<TrippedGuard> {
    let persons = known.settled.persons();
    let mut tripped = Vec::new();
    for (place, list) in job.lists.iter().enumerate() {
        let Some(hold) = &list.hold else { continue };
        let Some(counts) = tally.suppression.iter().find(|counts| counts.list.name == hold.name) else { continue };
        let look = Look { job, known, list, hold, id: ListId(place as u16), counts, persons };
        let found = [
            (Mistake::SameAsSource, look.same_as_source()),
            (Mistake::HoldsMost, look.holds_most()),
            (Mistake::NoneUsable, look.none_usable()),
            (Mistake::MailboxProvider, look.mailbox_provider()),
            (Mistake::Stale, look.stale()),
            (Mistake::MatchesNobody, look.matches_nobody(earlier)),
            (Mistake::Shrunk, look.shrunk(earlier)),
        ];
        for (mistake, text) in found {
            if let Some(text) = text.filter(|_| !hold.meant.contains(&mistake)) {
                tripped.push(TrippedGuard { guard: mistake.name(), text, advice: advice(mistake) });
            }
        }
    }
    tripped
}

fn advice(mistake: Mistake) -> String {
    let (look, option) = match mistake {
        Mistake::SameAsSource => ("name the list's own file", "same-as-source"),
        Mistake::HoldsMost => ("look whether it is the right list", "holds-most"),
        Mistake::NoneUsable => ("say which column has the addresses: columns = { email = \"…\" }", "none-usable"),
        Mistake::MailboxProvider => ("take the entry out, or write the whole address", "mailbox-provider"),
        Mistake::Stale => ("export the list anew", "stale"),
        Mistake::MatchesNobody => ("look whether it is the right file, and all of it", "matches-nobody"),
        Mistake::Shrunk => {
            return "export the whole list; if it is meant, may_shrink = true (or --meant shrunk)".to_owned();
        }
    };
    format!("{look}; if it is meant, meant = [\"{option}\"] in its [[suppress]] (or --meant {option})")
}

/// A list that is looked at.
struct Look<'a> {
    job: &'a Job,
    known: &'a Known,
    list: &'a ListFiles,
    hold: &'a Hold,
    id: ListId,
    counts: &'a SuppressionTally,
    persons: u64,
}

impl Look<'_> {
    fn name(&self) -> String {
        format!("the suppression list \"{}\"", self.hold.name)
    }

    fn has_files(&self) -> bool {
        self.list.entries_from == EntriesFrom::Files
    }

    fn same_as_source(&self) -> Option<String> {
        let files = &self.known.files;
        let own = files.lists.iter().zip(&self.known.list_files).filter(|(file, _)| file.owner == self.id);
        for (file, counts) in own {
            let mut sources = files.sources.iter().zip(&self.known.source_counts);
            let same = sources.find(|(_, source)| source.fingerprint == counts.fingerprint && counts.contacts > 0);
            if let Some((source, _)) = same {
                let (file, source) = (file.input.name(), source.input.name());
                return Some(format!("{}: {file} holds the same as {source}, where contacts come from", self.name()));
            }
        }
        None
    }

    fn holds_most(&self) -> Option<String> {
        let held = self.counts.persons_held;
        // What was taken into the bank was looked at then.
        let is_most = !matches!(self.list.entries_from, EntriesFrom::Memory(_)) && held * 2 > self.persons;
        is_most.then(|| format!("{} would hold {held} of {} persons, more than half", self.name(), self.persons))
    }

    fn none_usable(&self) -> Option<String> {
        let list = &self.counts.list;
        let is_none = self.has_files() && list.entries > 0 && list.entries == list.unusable && self.list.by.is_none();
        is_none.then(|| {
            let entries = counted(list.entries, "entry", "is", "are");
            format!("{}: {entries} neither addresses nor domains; is it the right column?", self.name())
        })
    }

    fn mailbox_provider(&self) -> Option<String> {
        let domain = self.known.entrants.lists[self.id.0 as usize].providers.first()?;
        Some(format!("{} holds {domain}, and so everybody who has a mailbox there", self.name()))
    }

    fn stale(&self) -> Option<String> {
        let most = i64::from(self.hold.stale_after?);
        let own = self.known.files.lists.iter().filter(|file| file.owner == self.id);
        let mut own = own;
        own.find_map(|file| {
            let days = i64::from(self.job.today.day_number() - file.changed_on?);
            (days > most).then(|| {
                let name = file.input.name();
                format!("{}: {name} is {days} days old, and the job relies on it for {most}", self.name())
            })
        })
    }

    fn matches_nobody(&self, earlier: &EarlierLists) -> Option<String> {
        let (_, matched) = *earlier.lists.get(&self.hold.name)?;
        let list = &self.counts.list;
        let is_odd = self.has_files() && matched > 0 && list.matched == 0 && self.persons > 0;
        is_odd.then(|| {
            let text = "none of its entries is in a source, and in the run before";
            format!("{}: {text} {} {matched}", self.name(), if matched == 1 { "there was" } else { "there were" })
        })
    }

    fn shrunk(&self, earlier: &EarlierLists) -> Option<String> {
        let (before, _) = *earlier.lists.get(&self.hold.name)?;
        let now = self.counts.list.entries;
        let only_grows = matches!(self.hold.reason, Reason::OptedOut | Reason::Complained | Reason::DoNotContact);
        let is_odd = self.has_files() && only_grows && now < before;
        is_odd.then(|| {
            let now = counted(now, "entry", "now", "now");
            format!("{} has {now}, and had {before} in the run before; is the export whole?", self.name())
        })
    }
}
