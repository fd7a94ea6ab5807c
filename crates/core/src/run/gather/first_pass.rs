//! Every row is read, mapped and cleaned once, and leaves its kind, its keys and its marks; no value is kept.
//!
//! Where the rest of a file refutes what its beginning suggested (its encoding, the order of its dates, a column that is
//! about consent after all), the pass starts over.

use super::counts::{Entrants, FileCounts};
use super::kept::{Kept, People};
use crate::job::Job;
use crate::job::lists::{EntriesToCompare, JobList, ListFiles};
use crate::job::remembering::Remembering;
use crate::run::contact::keys::decided_hashes;
use crate::run::gather::counts::{ListCounts, WatchedColumn};
use crate::run::gather::lists::read_lists;
use crate::run::gather::records::NotText;
use crate::run::gather::sources::read_sources;
use crate::run::gather::{date_orders, remembered};
use crate::run::open::files::{OpenFile, OpenFiles};
use crate::run::open::recognise::{Refuted, in_another_encoding, open_again};
use crate::run::setting::Setting;
use crate::suppress::Returned;
use crate::suppress::allowed::Allowed;
use pebblebank_table::Result;
use pebblebank_table::observe::Observer;
use pebblebank_table::units::{ColumnIndex, SourceId};
use pebblebank_values::date::Date;
use pebblebank_values::headers::{self, Meaning};
use std::path::Path;
/// What the first pass counted.
pub(crate) struct Counted {
    pub(super) files: Vec<FileCounts>,
    pub(super) list_files: Vec<FileCounts>,
    pub(super) entrants: Entrants,
    pub(super) looked_up: bool,
}

/// The first pass. Starts over once where the rest of a file refutes what its beginning suggested.
pub(crate) fn read_everything(
    files: OpenFiles,
    job: &Job,
    setting: &Setting,
    spool_folder: &Path,
    observer: &dyn Observer,
) -> Result<(OpenFiles, People, Counted)> {
    let mut files = files;
    let mut not_text = None;
    let mut first = first_pass(job, &files, setting, spool_folder, &mut not_text, observer);
    while let (Err(error), Some(place)) = (&first, not_text.take()) {
        let Some(again) = with_another_encoding(files, job, place)? else { return Err(error.clone()) };
        files = again;
        files.plan(job);
        first = first_pass(job, &files, setting, spool_folder, &mut not_text, observer);
    }
    let (people, counted) = match first? {
        // The order of dates in keys was guessed from the beginning of the files.
        read if !date_orders::refutes_keys(&mut files, &read.1.files, job) => read,
        _ => first_pass(job, &files, setting, spool_folder, &mut not_text, observer)?,
    };
    let found = files.sources.iter().zip(&counted.files).map(|(file, counts)| consent_after_all(file, counts));
    let found: Vec<Vec<ColumnIndex>> = found.collect();
    if found.iter().all(Vec::is_empty) {
        return Ok((files, people, counted));
    }
    let mut sources = Vec::with_capacity(files.sources.len());
    for (file, found_consent) in files.sources.into_iter().zip(found) {
        let read = &job.sources[file.owner.0 as usize].read;
        let is_refuted = !found_consent.is_empty();
        let refuted = Refuted { found_consent, encoding: None };
        sources.push(if is_refuted { open_again(file, read, false, &refuted)? } else { file });
    }
    let mut files = OpenFiles { sources, ..files };
    files.plan(job);
    let (mut people, mut counted) = first_pass(job, &files, setting, spool_folder, &mut not_text, observer)?;
    if date_orders::refutes_keys(&mut files, &counted.files, job) {
        (people, counted) = first_pass(job, &files, setting, spool_folder, &mut not_text, observer)?;
    }
    Ok((files, people, counted))
}

/// Opens the file at `place` in the encoding that all of it suggests; none where that is still UTF-8.
pub(crate) fn with_another_encoding(mut files: OpenFiles, job: &Job, place: NotText) -> Result<Option<OpenFiles>> {
    match place {
        NotText::List(index) => {
            let file = files.lists.swap_remove(index);
            let Some(ListFiles { read, .. }) = job.lists[file.owner.0 as usize].files() else { return Ok(None) };
            let Some(file) = in_another_encoding(file, read, true)? else { return Ok(None) };
            files.lists.push(file);
            files.lists.sort_by_key(|file| file.id);
        }
        NotText::Source(index) => {
            let file = files.sources.swap_remove(index);
            let read = &job.sources[file.owner.0 as usize].read;
            let Some(file) = in_another_encoding(file, read, false)? else { return Ok(None) };
            files.sources.push(file);
            files.sources.sort_by_key(|file| file.id);
        }
    }
    Ok(Some(files))
}

/// The watched columns that turned out to be about consent: most of their filled values are status words, and where
/// nobody called them a status, some of these can only be refusals.
pub(crate) fn consent_after_all(file: &OpenFile<SourceId>, counts: &FileCounts) -> Vec<ColumnIndex> {
    let is_status = |column: ColumnIndex| headers::recognise(file.map().header(column)) == Some(Meaning::MaybeConsent);
    let watched = file.map().watched.iter().zip(&counts.watched);
    let is_found = |(column, seen): &(&ColumnIndex, &WatchedColumn)| {
        seen.words * 2 > seen.filled && (is_status(**column) || seen.refusals > 0)
    };
    watched.filter(is_found).map(|(column, _)| *column).collect()
}

pub(crate) fn first_pass(
    job: &Job,
    files: &OpenFiles,
    setting: &Setting,
    spool_folder: &Path,
    not_text: &mut Option<NotText>,
    observer: &dyn Observer,
) -> Result<(People, Counted)> {
    let estimated = files.sources.iter().map(|file| file.records_estimated).sum();
    let has_ranks = files.row_keys.iter().any(Option::is_some);
    let has_crossings =
        job.lists.iter().any(|list| !list.take().is_empty() || list.by().is_some() || list.counts_mailings());
    let kept = Kept { has_ranks, has_crossings };
    let mut people = People::new(job.clean.identity, setting.memory, estimated, kept, spool_folder)?;
    people.bytes_to_come = files.sources.iter().map(|file| file.bytes_estimated).sum();
    people.checks.lists_of_addresses = job.lists.iter().map(JobList::is_of_addresses).collect();
    if let Remembering::From(memory) = &job.remembered {
        let hasher = &people.hasher;
        let hash = |(identity, day): &(String, Date)| (hasher.hash_address(identity.as_bytes()), day.day_number());
        people.checks.returned = Returned::new(memory.returned().iter().map(hash));
    }
    let (list_files, lists) = read_lists(files, job, setting, &mut people, not_text, observer)?;
    let mut entrants = Entrants { lists, ..Entrants::default() };
    let looked_up = remembered::add_entries(job, files, &mut people, &mut entrants.lists, observer)?;
    if let Some(decisions) = &files.decisions {
        people.add_entries(&decided_hashes(decisions, &people.hasher.clone()), &mut entrants.decided)?;
    }
    add_allowances(job, &mut people, &mut entrants)?;
    let counts = read_sources((job, files), setting, &mut people, not_text, observer)?;
    Ok((people, Counted { files: counts, list_files, entrants, looked_up }))
}

/// Adds the addresses that the job allows, under everything that a list may hold them by.
pub(crate) fn add_allowances(job: &Job, people: &mut People, entrants: &mut Entrants) -> Result<()> {
    let hasher = people.hasher.clone();
    let mut identities = Vec::new();
    for allowance in &job.allow {
        let mut counts = ListCounts::default();
        for address in &allowance.addresses {
            let identity = address.as_bytes();
            let mut forms = vec![hasher.hash_address(identity)];
            identities.push(forms[0]);
            people.checks.digests.for_each(identity, identity, identity, &hasher, |hash| forms.push(hash));
            people.add_entries(&forms, &mut counts)?;
        }
        entrants.allowed.push(counts);
    }
    people.checks.allowed = Allowed::new(identities, job.lists.iter().map(|list| Some(list.hold()?.reason)));
    Ok(())
}
