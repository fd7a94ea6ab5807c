//! The guards of suppression lists, checked before anything is put in place: the wrong file, the wrong column, an old
//! list, one that was exported only in part.

use super::earlier_run::EarlierRun;
use super::file_guards;
use super::list_findings::READS_MORE;
use crate::job::Job;
use crate::job::guard::Guard;
use crate::job::lists::{EntriesToCompare, Hold, JobList};
use crate::run::decide::known::Known;
use crate::run::tally::{SuppressionTally, Tally, UnreadTally};
use crate::run::tripped_guard::TrippedGuard;
use crate::suppress::reason::Reason;
use pebblebank_table::observe::{counted, grouped};
use pebblebank_table::units::ListId;

/// Of fewer people than this any list may hold most.
const FEW_PEOPLE: u64 = 20;

/// The guards that suppression lists trip.
pub fn check(job: &Job, known: &Known, tally: &Tally, earlier: &EarlierRun) -> Vec<TrippedGuard> {
    let people = known.settled.people();
    let mut tripped = Vec::new();
    for (place, list) in job.lists.iter().enumerate() {
        let Some(hold) = list.hold() else { continue };
        let Some(counts) = tally.suppression.iter().find(|counts| counts.list.name == hold.name) else { continue };
        let look = Look { job, known, list, hold, id: ListId(place as u16), counts, people };
        tripped.extend(
            [
                look.same_as_source(),
                look.holds_most(),
                look.none_usable(),
                look.mailbox_provider(),
                look.stale(),
                look.matches_nobody(earlier),
                look.shrunk(earlier),
            ]
            .into_iter()
            .flatten(),
        );
    }
    tripped.extend(file_guards::of_lists(known));
    tripped.extend(tally.unread.iter().filter_map(unread_entries));
    if earlier.had_bank && !tally.bank.applied && !tally.bank.switched_off {
        let text = "the run before used a bank, and there is none now, so nobody is suppressed for what it remembers";
        let advice = "look where the bank is: --bank FILE, or PEBBLEBANK_BANK in the environment";
        tripped.push(TrippedGuard::new(Guard::BankGone, 1, text, advice));
    }
    tripped.extend(stale_bank_copy(job, tally));
    tripped
}

/// The bank could not be reached, and its copy is too old, or as old as cannot be told.
fn stale_bank_copy(job: &Job, tally: &Tally) -> Option<TrippedGuard> {
    let copy = tally.bank.copy.as_ref()?;
    let most = job.bank.stale_after;
    let days = copy.days_old(job.today);
    if days.is_some_and(|days| (0..=i64::from(most)).contains(&days)) {
        return None;
    }
    let text = match days {
        Some(days @ 1..) => format!(
            "the bank cannot be reached, and its copy is {days} days old: whoever opted out since is not suppressed"
        ),
        _ => format!("the bank cannot be reached, and its copy is of {}, which is not before today", copy.made),
    };
    let advice = "wait until the bank can be reached, or make a new copy where it can: pebblebank bank snapshot FILE";
    Some(TrippedGuard::new(Guard::StaleBankCopy, days.unwrap_or_default().unsigned_abs(), text, advice))
}

fn advice(guard: Guard) -> &'static str {
    match guard {
        Guard::SameAsSource => "name the list's own file",
        Guard::HoldsMost => "look whether it is the right list",
        Guard::NoneUsable => "say which column has the addresses: --field \"email=…\"",
        Guard::MailboxProvider => "take the entry out, or write the whole address",
        Guard::Stale => "export the list anew",
        Guard::MatchesNobody => "look whether it is the right file, and all of it",
        Guard::Shrunk => "export the whole list",
        _ => "look at the list",
    }
}

/// What was not read of a list names somebody about to be written, or cannot be compared with anybody.
fn unread_entries(unread: &UnreadTally) -> Option<TrippedGuard> {
    let UnreadTally { list, about_to_be_written, incomparable, places, contacts, .. } = unread;
    let count = about_to_be_written + incomparable;
    if count == 0 {
        return None;
    }
    let what = if about_to_be_written == &0 {
        format!(
            "{} of a kind that cannot be compared",
            counted(*incomparable, "hash", "is", "are").replace("hashs", "hashes")
        )
    } else {
        let contacts = contacts.join(", ");
        let named = counted(*about_to_be_written, "contact", "", "");
        format!("texts outside its entries name {} about to be written ({contacts})", named.trim_end())
    };
    let text = format!("the suppression list \"{list}\": {what}; see {places}");
    let [advice, in_job] = READS_MORE.map(|reads| format!("if these are people who must not be contacted, {reads}"));
    Some(TrippedGuard::new(Guard::UnreadEntries, count, text, &advice).or_in_job(&in_job))
}

fn trip(guard: Guard, count: u64, text: String) -> TrippedGuard {
    let tripped = TrippedGuard::new(guard, count, text, advice(guard));
    match guard {
        Guard::NoneUsable => tripped.or_in_job("say which column has the addresses: columns = { email = \"…\" }"),
        Guard::Shrunk => {
            tripped.or_in_job("export the whole list; may_shrink = true in its [[suppress]] allows it for good")
        }
        _ => tripped,
    }
}

/// A list that is looked at.
struct Look<'a> {
    job: &'a Job,
    known: &'a Known,
    list: &'a JobList,
    hold: &'a Hold,
    id: ListId,
    counts: &'a SuppressionTally,
    people: u64,
}

impl Look<'_> {
    fn name(&self) -> String {
        format!("the suppression list \"{}\"", self.hold.name)
    }

    fn has_files(&self) -> bool {
        self.list.files().is_some()
    }

    fn same_as_source(&self) -> Option<TrippedGuard> {
        let files = &self.known.files;
        let own = files.lists.iter().zip(&self.known.list_files).filter(|(file, _)| file.owner == self.id);
        for (file, counts) in own {
            let mut sources = files.sources.iter().zip(&self.known.source_counts);
            let same = sources.find(|(_, source)| source.fingerprint == counts.fingerprint && counts.contacts > 0);
            if let Some((source, _)) = same {
                let (file, source) = (file.input.name(), source.input.name());
                let text = format!("{}: {file} is the same as {source}, where contacts come from", self.name());
                return Some(trip(Guard::SameAsSource, counts.contacts, text));
            }
        }
        None
    }

    fn holds_most(&self) -> Option<TrippedGuard> {
        let held = self.counts.people_held;
        // What was taken into the bank was looked at then.
        let is_most = self.list.place_in_bank().is_none() && held * 2 > self.people;
        // Of mailings and other lists it is usual, and of few people any list may hold most.
        let is_usual =
            matches!(self.hold.reason, Reason::AlreadySent | Reason::OnOtherList) || self.people < FEW_PEOPLE;
        (is_most && !is_usual).then(|| {
            let text = format!("{} would suppress {held} of {} people, more than half", self.name(), self.people);
            trip(Guard::HoldsMost, held, text)
        })
    }

    fn none_usable(&self) -> Option<TrippedGuard> {
        let list = &self.counts.list;
        let rows: u64 = list.files.iter().map(|file| file.rows).sum();
        // Nothing could be read, although there are rows; a list of which no row counts has none either.
        let is_nothing = list.entries == 0 && rows > list.left_out + list.no_refusal;
        if self.has_files() && is_nothing && self.list.reason_from().is_none() {
            let rows = counted(rows, "row", "has", "have");
            let text = format!("{}: {rows} no address, domain or hash; is it the right column?", self.name());
            return Some(trip(Guard::NoneUsable, list.blank.max(1), text));
        }
        let is_none = self.has_files()
            && list.entries > 0
            && list.entries == list.unusable
            && list.matched == 0
            && self.list.by().is_none();
        is_none.then(|| {
            let entries = counted(list.entries, "entry", "is", "are");
            let text = format!("{}: {entries} neither addresses nor domains; is it the right column?", self.name());
            trip(Guard::NoneUsable, list.entries, text)
        })
    }

    fn mailbox_provider(&self) -> Option<TrippedGuard> {
        let providers = &self.known.entrants.lists[self.id.0 as usize].providers;
        let domain = providers.first()?;
        let text = format!("{} has {domain}, and so suppresses everyone with a mailbox there", self.name());
        Some(trip(Guard::MailboxProvider, providers.len() as u64, text))
    }

    fn stale(&self) -> Option<TrippedGuard> {
        let most = i64::from(self.hold.stale_after?);
        let own = self.known.files.lists.iter().filter(|file| file.owner == self.id);
        let mut own = own;
        own.find_map(|file| {
            let days = i64::from(self.job.today.day_number() - file.changed_on?);
            (days > most).then(|| {
                let name = file.input.name();
                let text = format!("{}: {name} is {days} days old, and the job relies on it for {most}", self.name());
                trip(Guard::Stale, days.unsigned_abs(), text)
            })
        })
    }

    fn matches_nobody(&self, earlier: &EarlierRun) -> Option<TrippedGuard> {
        let (_, matched) = earlier.list(&self.hold.name)?;
        let list = &self.counts.list;
        let is_odd = self.has_files() && matched > 0 && list.matched == 0 && self.people > 0;
        is_odd.then(|| {
            let was = if matched == 1 { "there was" } else { "there were" };
            let text = format!(
                "{}: none of its entries is in a source, and in the run before {was} {}",
                self.name(),
                grouped(matched)
            );
            trip(Guard::MatchesNobody, matched, text)
        })
    }

    fn shrunk(&self, earlier: &EarlierRun) -> Option<TrippedGuard> {
        let (before, _) = earlier.list(&self.hold.name)?;
        let now = self.counts.list.entries;
        let missing = before.saturating_sub(now);
        let only_grows = matches!(self.hold.reason, Reason::OptedOut | Reason::Complained | Reason::DoNotContact);
        let is_odd = self.has_files() && only_grows && missing > 0 && !self.hold.may_shrink;
        is_odd.then(|| {
            let now = counted(now, "entry", "now", "now");
            let text = format!(
                "{} has {now}, and had {} in the run before; is the export whole?",
                self.name(),
                grouped(before)
            );
            trip(Guard::Shrunk, missing, text)
        })
    }
}
