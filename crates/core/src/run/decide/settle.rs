//! Decides who is who and who must not be contacted, from keys and row numbers alone.

use super::crossings::Crossings;
use super::settled::{Matches, Settled};
use crate::job::Job;
use crate::job::lists::EntriesToCompare;
use crate::job::lists::JobList;
use crate::person::decisions::Decisions;
use crate::person::groups::Groups;
use crate::person::runs::Runs;
use crate::run::decide::partitions::{EntryNumbers, PartitionFindings, Settling};
use crate::run::decide::settled::NO_KEY;
use crate::run::gather::counts::{Entrants, ListCounts};
use crate::run::gather::kept::People;
use crate::run::row_set::RowSet;
use crate::suppress::allowed::{HitBy, gives_way};
use crate::suppress::domains::HeldDomains;
use crate::suppress::marks::{ListReason, Mark, MarkSet, MarkSets, reason_of};
use crate::suppress::reason::Reason;
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Observer, Progress, Stage};
use pebblebank_table::units::{ListId, SourceId};
use pebblebank_table::{Error, Result};
use pebblebank_values::consent::Consent;
use std::path::Path;
/// Settles who is who and who is held.
pub fn settle(
    people: People,
    entrants: &Entrants,
    job: &Job,
    decisions: Option<&Decisions>,
    spill_folder: &Path,
    threads: usize,
    observer: &dyn Observer,
) -> Result<Settled> {
    let People {
        hasher, checks, keys, lines, ranks, marks, mark_sets, chunks, first_of_file, entries, mailings, ..
    } = people;
    let numbers = EntryNumbers::new(entrants, job, mailings);
    let bounced = bounced_rows(&marks, &mark_sets);
    let lists = &entrants.lists;
    let address_key = job.person.address_key();
    let has_other_keys = job.person.has_other_keys();
    let mut settling = Settling {
        groups: Groups::new(lines.len()),
        marks,
        mark_sets,
        shared: Vec::new(),
        others: Runs::new(spill_folder),
        first_with_address: if has_other_keys { (0..lines.len() as u32).collect() } else { Vec::new() },
        key_of: if has_other_keys || decisions.is_some() { vec![NO_KEY; lines.len()] } else { Vec::new() },
        address_key: address_key.unwrap_or_default() as u8,
        taken: Crossings::default(),
        mailed: Crossings::default(),
        decided: Vec::new(),
        matched_entries: RowSet::new(entries as usize),
        several: Crossings::default(),
    };
    let (partitions, spilled) = keys.into_partitions()?;
    let threads = if lines.len() < WORTH_A_SECOND_THREAD { 1 } else { threads };
    let mut rows = 0;
    let mut partitions = partitions.into_iter().enumerate();
    in_order(
        threads,
        || if observer.wants_stop() { Err(Error::interrupted()) } else { Ok(partitions.next()) },
        || (),
        |(partition, mut keys), ()| {
            spilled.load(partition, &mut keys)?;
            Ok(PartitionFindings::of(&keys, &numbers, &bounced, address_key.is_some(), has_other_keys))
        },
        |found: PartitionFindings| {
            rows += found.keys;
            observer.progress(Progress { stage: Stage::Settling, bytes: 0, bytes_in_all: 0, rows });
            settling.take(&found)
        },
    )?;
    let others = std::mem::replace(&mut settling.others, Runs::new(spill_folder));
    let switchboards = settling.join_by_other_keys(others, &lines, &job.person)?;
    let first_entry = entrants.decided.entry_numbers.first().map_or(0, |numbers| numbers.start);
    let decided = decisions.map(|decisions| settling.decide(decisions, first_entry)).unwrap_or_default();
    let master_ends = match (job.has_master(), first_of_file.get(1)) {
        (true, Some(first)) => *first,
        (true, None) => lines.len() as u32,
        (false, _) => 0,
    };
    settling.unite_persons(&lines, &ranks, job.person.survivor, master_ends);
    settling.count_mailings(&numbers, job);
    settling.spread_refusals();
    let persons_of_entries = settling.people_of_entries();
    let namesakes = settling.namesakes(&numbers);
    let Settling { groups, mut marks, mark_sets, key_of, matched_entries, .. } = settling;
    forget_marks_of_merged(&mut marks, &groups);
    let reasons = gravest_reasons(&mark_sets, job);
    Ok(Settled {
        lines,
        groups,
        marks,
        mark_sets,
        reasons,
        matches: matches(lists, &matched_entries, &checks.domains),
        key_of,
        switchboards,
        taken: persons_of_entries,
        decided,
        namesakes,
        matched_entries,
        checks,
        hasher,
        ranks,
        joins_by_address: address_key.is_some(),
        holds: !job.compares(),
        master_ends,
        chunks,
        first_of_file,
    })
}

/// With fewer records, handing partitions from thread to thread costs more than it saves.
pub(crate) const WORTH_A_SECOND_THREAD: usize = 200_000;

/// Marks count for the person, so they stand at its survivor only.
pub(crate) fn forget_marks_of_merged(marks: &mut [MarkSet], groups: &Groups) {
    for (row, survivor) in groups.settled().iter().enumerate() {
        if *survivor as usize != row {
            marks[row] = MarkSet::NONE;
        }
    }
}

pub(crate) fn matches(lists: &[ListCounts], matched: &RowSet, domains: &HeldDomains) -> Vec<Matches> {
    let of_list = |(index, counts): (usize, &ListCounts)| {
        let own = counts.entry_numbers.iter().map(|numbers| matched.count(numbers.clone())).sum::<u64>();
        let matched = own + domains.matched_entries(ListId(index as u16));
        let entries = counts.addresses + counts.domains + counts.unusable;
        Matches { matched, unmatched: entries - matched }
    };
    lists.iter().enumerate().map(of_list).collect()
}

/// The rows of which a source says that mail to their address came back, in their order, each with the source.
pub(crate) fn bounced_rows(marks: &[MarkSet], mark_sets: &MarkSets) -> Vec<(u32, SourceId)> {
    let source = |marks: &Vec<Mark>| {
        marks.iter().find_map(|mark| if let Mark::FirstBounced(source) = mark { Some(*source) } else { None })
    };
    let of_set: Vec<Option<SourceId>> = mark_sets.all().iter().map(source).collect();
    if of_set.iter().all(Option::is_none) {
        return Vec::new();
    }
    let rows = marks.iter().enumerate();
    rows.filter_map(|(row, set)| Some((row as u32, of_set[set.0 as usize]?))).collect()
}

/// The gravest reason of each combination of marks.
pub(crate) fn gravest_reasons(sets: &MarkSets, job: &Job) -> Vec<Option<Reason>> {
    let list_reason =
        |list: &JobList| Some(ListReason { reason: list.hold()?.reason, is_of_address: list.is_of_addresses() });
    let list_reasons: Vec<Option<ListReason>> = job.lists.iter().map(list_reason).collect();
    let of_set = |marks: &Vec<Mark>| {
        let is_allowed = marks.iter().any(|mark| matches!(mark, Mark::Allowed(_)));
        let reason = |mark: &Mark| {
            let reason = reason_of(*mark, &list_reasons)?;
            let by_field = matches!(mark, Mark::On(list) if job.lists[list.0 as usize].by().is_some());
            // Where another field was hit, any of the person's addresses will do.
            let is_lifted = is_allowed && by_field && gives_way(reason, HitBy::Field);
            (!is_lifted).then_some(reason)
        };
        let gravest = marks.iter().filter_map(reason).min();
        let opted_in = marks.iter().any(|mark| matches!(mark, Mark::Said(Consent::OptedIn, _)));
        let lacks_opt_in = (job.require.opted_in && !opted_in).then_some(Reason::NoConsent);
        gravest.into_iter().chain(lacks_opt_in).min()
    };
    sets.all().iter().map(of_set).collect()
}
