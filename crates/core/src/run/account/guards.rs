//! Limits on the numbers of a run, which stop it before anything is put in place.

use super::earlier_run::EarlierRun;
use crate::job::guard::{Accepted, AtMost, Guard};
use crate::job::{Guards, Job};
use crate::run::tally::{Account, Tally};
use crate::run::tripped_guard::TrippedGuard;
use crate::suppress::reason::Reason;
use pebblebank_table::observe::{Finding, Weight, counted, grouped};

/// Splits the guards that were tripped into those that stop the run, and those that were accepted.
pub fn sort_out(tripped: Vec<TrippedGuard>, accepted: &Accepted) -> (Vec<TrippedGuard>, Vec<TrippedGuard>) {
    tripped.into_iter().partition(|guard| !accepted.covers(guard.which, guard.count))
}

/// The guards that the numbers of a run trip.
pub fn check(guards: &Guards, tally: &Tally, earlier: &EarlierRun) -> Vec<TrippedGuard> {
    let written = written(guards, tally);
    let set_aside = guards.set_aside_at_most.iter().filter_map(|limit| set_aside(limit, tally));
    written.into_iter().chain(set_aside).chain(change(guards, tally, earlier)).collect()
}

fn contacts(count: u64) -> String {
    counted(count, "contact", "", "").trim_end().to_owned()
}

fn written(guards: &Guards, tally: &Tally) -> Option<TrippedGuard> {
    let written = tally.all.written;
    let would_be = format!("{} would be written", contacts(written));
    let most_set_aside = likely_cause(&tally.all).map_or(String::new(), |cause| format!(" ({cause})"));
    if let Some(exactly) = guards.write_exactly.filter(|exactly| *exactly != written) {
        let text = format!("{would_be}, and {} must be{most_set_aside}", grouped(exactly));
        let advice = "look at the reasons below; write_exactly in [guard] says how many there must be";
        return Some(TrippedGuard::new(Guard::WriteExactly, exactly.abs_diff(written), text, advice));
    }
    if guards.write_exactly.is_none() && written < guards.write_at_least {
        let text = format!("{would_be}, and {} must be at least{most_set_aside}", grouped(guards.write_at_least));
        let missing = guards.write_at_least - written;
        let tripped = TrippedGuard::new(Guard::WriteAtLeast, missing, text, "look at the reasons below");
        let in_job = "look at the reasons below; write_at_least in [guard] says how many there must be";
        return Some(tripped.or_in_job(in_job));
    }
    let most = guards.write_at_most.filter(|most| written > *most)?;
    let text =
        format!("{would_be}, and {} may be at most; a file or a list too many, or a condition too few?", grouped(most));
    let advice = "look at the sources below; write_at_most in [guard] says how many there may be";
    Some(TrippedGuard::new(Guard::WriteAtMost, written - most, text, advice))
}

fn set_aside((reason, most): &(Option<Reason>, AtMost), tally: &Tally) -> Option<TrippedGuard> {
    let rows = match reason {
        Some(reason) => tally.all.set_aside[*reason as usize],
        None => tally.all.set_aside_in_all(),
    };
    let read = tally.all.read;
    if !most.is_exceeded(rows, read) {
        return None;
    }
    let share = rows as f64 / read.max(1) as f64 * 100.0;
    let of_reason = reason.map_or(String::new(), |reason| format!(" as {}", reason.name()));
    let allowed = match most {
        AtMost::Rows(most) => grouped(*most),
        AtMost::Share(most) => format!("{:.1}%", most * 100.0),
    };
    let cause = match reason {
        Some(reason) => cause_of(*reason).to_owned(),
        None => likely_cause(&tally.all).unwrap_or_default(),
    };
    let cause = if cause.is_empty() { String::new() } else { format!(" ({cause})") };
    let text = format!(
        "{share:.1}% of the contacts would be set aside{of_reason}, and the job allows {allowed}: {} of {}{cause}",
        grouped(rows),
        grouped(read)
    );
    let advice = "look at the rows that would be set aside, or raise set_aside_at_most in [guard]";
    Some(TrippedGuard::new(Guard::SetAsideAtMost, rows, text, advice))
}

fn change(guards: &Guards, tally: &Tally, earlier: &EarlierRun) -> Option<TrippedGuard> {
    let (most, before) = (guards.change_at_most?, earlier.written?);
    let written = tally.all.written;
    let change = written.abs_diff(before);
    if !AtMost::Share(most).is_exceeded(change, before.max(1)) {
        return None;
    }
    let share = change as f64 / before.max(1) as f64 * 100.0;
    let direction = if written > before { "more" } else { "fewer" };
    let text = format!(
        "{} would be written, {} {direction} than the {} of the run before ({share:.1}%), and the job allows {:.1}%",
        contacts(written),
        grouped(change),
        grouped(before),
        most * 100.0
    );
    let advice = "look whether a source or a list is missing or was exported in part; change_at_most in [guard] says how much may change";
    Some(TrippedGuard::new(Guard::ChangeAtMost, change, text, advice))
}

/// The reason for which most rows are set aside, and what is often behind it.
fn likely_cause(all: &Account) -> Option<String> {
    let (reason, rows) = all.reasons().max_by_key(|(_, rows)| *rows)?;
    let cause = cause_of(reason);
    let cause = if cause.is_empty() { String::new() } else { format!(": {cause}") };
    Some(format!("{} as {}{cause}", grouped(rows), reason.name()))
}

/// What is often behind rows that are set aside for a reason.
fn cause_of(reason: Reason) -> &'static str {
    match reason {
        Reason::BlankAddress | Reason::InvalidAddress | Reason::PlaceholderAddress => {
            "is it the right column of addresses?"
        }
        Reason::OptedOut | Reason::NoConsent | Reason::Complained => "is the consent column read the right way round?",
        Reason::DoNotContact | Reason::Bounced => "is it the right list, and the right file?",
        Reason::AlreadySent | Reason::OnOtherList | Reason::TooOften => "is the list of last time the right one?",
        Reason::MissingField => "does a source lack a required column?",
        Reason::NotSelected => "does the condition name the values as they are written?",
        Reason::LayoutViolation => "does the layout ask for more than the sources have?",
        Reason::UnreadableRow => "is the header in the right row?",
        Reason::RoleAddress
        | Reason::DisposableDomain
        | Reason::FailedCheck
        | Reason::NearMiss
        | Reason::OverLimit
        | Reason::RemovedByHand => "",
    }
}

/// The guards that compare with the run before and could not, since no receipt of it was found.
pub fn unchecked(job: &Job, earlier: &EarlierRun) -> Option<Finding> {
    let asked = [
        (job.guards.change_at_most.is_some(), "change_at_most"),
        (job.guards.not_same_as_last_time, "not_same_as_last_time"),
        (job.guards.not_fewer_than_last_time, "not_fewer_than_last_time"),
    ];
    let names: Vec<&str> = asked.into_iter().filter(|(is_asked, _)| *is_asked).map(|(_, name)| name).collect();
    if names.is_empty() || earlier.written.is_some() {
        return None;
    }
    let place = match &job.receipt {
        Some(receipt) => format!("there is no receipt of an earlier run at {}", receipt.display()),
        None => "the job leaves no receipt, and so finds none: receipt = \"…\" in [job]".to_owned(),
    };
    let text = format!("not compared with the run before ({}): {place}", names.join(", "));
    Some(Finding::new("no-earlier-run", Weight::Warning, text))
}

/// Import files without anybody, beside others that have some.
pub fn empty_files(tally: &Tally) -> Vec<Finding> {
    let empty = tally.written.iter().filter(|file| file.rows == 0 && tally.all.written > 0);
    empty
        .map(|file| {
            let condition = file.condition.as_deref().unwrap_or_default();
            let text = format!("{} has nobody: no contact meets its condition, {condition}", file.file);
            Finding { count: 1, ..Finding::new("empty-import-file", Weight::Warning, text) }
        })
        .collect()
}

/// How near the number of contacts is to where the sending service costs less, and whether leaving out doubtful ones would
/// bring it there.
pub fn billing_step(guards: &Guards, tally: &Tally) -> Option<Finding> {
    let written = tally.all.written;
    let below = *guards.steps.iter().rev().find(|step| **step < written)?;
    let above = guards.steps.iter().find(|step| **step >= written);
    let over = written - below;
    let next = above.map_or("above the last step".to_owned(), |above| format!("in the step up to {}", grouped(*above)));
    let doubtful = [
        (tally.doubtful.roles, "addresses of an office (role = \"set-aside\")"),
        (tally.doubtful.disposable, "of throw-away domains (disposable = \"set-aside\")"),
        (tally.near_duplicates.pairs, "likely duplicates (pebblebank review)"),
        (tally.near_misses.pairs, "near misses (near_miss = \"set-aside\")"),
    ];
    let found: Vec<String> =
        doubtful.iter().filter(|(count, _)| *count > 0).map(|(count, what)| format!("{count} {what}")).collect();
    let in_all: u64 = doubtful.iter().map(|(count, _)| count).sum();
    let reach = match (found.is_empty(), in_all >= over) {
        (true, _) => "nothing doubtful could be left out".to_owned(),
        (false, true) => format!("leaving out some of these would do: {}", found.join(", ")),
        (false, false) => format!("leaving out all that is doubtful would not do: {}", found.join(", ")),
    };
    let (over_it, below) = (grouped(over), grouped(below));
    let text = format!("{} {next}, {over_it} above the step of {below}; {reach}", contacts(written));
    Some(Finding { count: over, ..Finding::new("billing-step", Weight::Note, text) })
}
