//! Decides who is who and who must not be contacted, from keys and row numbers alone.

use super::entry_numbers::EntryNumbers;
use super::partitions::{Joins, PartitionFindings};
use super::reasons::{bounced_rows, gravest_reasons};
use super::settled::{Matches, Settled};
use super::who_is_who::WhoIsWho;
use crate::job::Job;
use crate::person::decisions::Decisions;
use crate::person::groups::Groups;
use crate::person::keys::KeyStore;
use crate::run::gather::counts::{Entrants, ListCounts};
use crate::run::gather::kept::People;
use crate::run::row_set::RowSet;
use crate::suppress::domains::HeldDomains;
use crate::suppress::marks::MarkSet;
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Observer, Progress, Stage};
use pebblebank_table::units::ListId;
use pebblebank_table::{Error, Result};
use std::path::Path;

/// Settles who is who and who must not be contacted.
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
    let mut who = WhoIsWho::new(marks, mark_sets, entries, &job.person, decisions.is_some(), spill_folder);
    let threads = if lines.len() < WORTH_A_SECOND_THREAD { 1 } else { threads };
    look_at_keys(&mut who, keys, &numbers, job, threads, observer)?;
    let switchboards = who.join_by_other_keys(&lines, &job.person)?;
    let first_decided = entrants.decided.entry_numbers.first().map_or(0, |numbers| numbers.start);
    let decided = decisions.map(|decisions| who.decide(decisions, first_decided)).unwrap_or_default();
    let master_ends = end_of_master(job, &first_of_file, lines.len());
    who.unite_people(&lines, &ranks, job.person.survivor, master_ends);
    who.count_mailings(&numbers, job);
    who.spread_refusals()?;
    let taken = who.people_of_entries();
    let namesakes = who.namesakes(&numbers);
    let WhoIsWho { groups, mut marks, mark_sets, key_of, matched_entries, .. } = who;
    forget_marks_of_merged(&mut marks, &groups);
    Ok(Settled {
        lines,
        groups,
        marks,
        reasons: gravest_reasons(&mark_sets, job),
        mark_sets,
        matches: matches(&entrants.lists, &matched_entries, &checks.domains),
        key_of,
        switchboards,
        taken,
        decided,
        namesakes,
        matched_entries,
        checks,
        hasher,
        ranks,
        joins_by_address: job.person.address_key().is_some(),
        holds: !job.compares(),
        master_ends,
        chunks,
        first_of_file,
    })
}

/// Looks at the keys, partition by partition, several at once; what they say is taken in the order of the partitions.
fn look_at_keys(
    who: &mut WhoIsWho,
    keys: KeyStore,
    numbers: &EntryNumbers,
    job: &Job,
    threads: usize,
    observer: &dyn Observer,
) -> Result<()> {
    let bounced = bounced_rows(&who.marks, &who.mark_sets);
    let joins = Joins { by_address: job.person.address_key().is_some(), by_others: job.person.has_other_keys() };
    let (partitions, spilled) = keys.into_partitions()?;
    let mut rows = 0;
    let mut partitions = partitions.into_iter().enumerate();
    in_order(
        threads,
        || if observer.wants_stop() { Err(Error::interrupted()) } else { Ok(partitions.next()) },
        || (),
        |(partition, mut keys), ()| {
            spilled.load(partition, &mut keys)?;
            Ok(PartitionFindings::of(&keys, numbers, &bounced, joins))
        },
        |found: PartitionFindings| {
            rows += found.keys;
            observer.progress(Progress { stage: Stage::Settling, bytes: 0, bytes_in_all: 0, rows });
            who.take(&found)
        },
    )
}

/// The first record that is none of the master's; 0 where there is no master.
fn end_of_master(job: &Job, first_of_file: &[u32], records: usize) -> u32 {
    match (job.has_master(), first_of_file.get(1)) {
        (true, Some(first)) => *first,
        (true, None) => records as u32,
        (false, _) => 0,
    }
}

/// With fewer records, handing partitions from thread to thread costs more than it saves.
const WORTH_A_SECOND_THREAD: usize = 200_000;

/// Marks count for the person, so they stand at its survivor only.
fn forget_marks_of_merged(marks: &mut [MarkSet], groups: &Groups) {
    for (row, survivor) in groups.settled().iter().enumerate() {
        if *survivor as usize != row {
            marks[row] = MarkSet::NONE;
        }
    }
}

fn matches(lists: &[ListCounts], matched: &RowSet, domains: &HeldDomains) -> Vec<Matches> {
    let of_list = |(index, counts): (usize, &ListCounts)| {
        let own = counts.entry_numbers.iter().map(|numbers| matched.count(numbers.clone())).sum::<u64>();
        let matched = own + domains.matched_entries(ListId(index as u16));
        let entries = counts.addresses + counts.domains + counts.unusable;
        Matches { matched, unmatched: entries - matched }
    };
    lists.iter().enumerate().map(of_list).collect()
}
