//! Lists, read: each row leaves what it is compared by.

use super::chunks;
use super::counts::{FileCounts, ListCounts, UNLISTED_WORDS_KEPT};
use super::kept::People;
use super::list_chunk::{EntryScratch, ListChunk, ListPlan, read_list_chunk};
use super::list_entries::Entries;
use super::records::NotText;
use crate::job::Job;
use crate::job::lists::{EntriesToCompare, Hold, JobList};
use crate::run::open::files::{OpenFile, OpenFiles};
use crate::run::setting::Setting;
use crate::suppress::Returned;
use crate::suppress::reason::Reason;
use pebblebank_formats::Format;
use pebblebank_table::Result;
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::units::{ListId, RowNumber};
use pebblebank_values::identity::IdentityHash;
use pebblebank_values::look::Look;
use pebblebank_values::unread::UnreadText;

/// Reads all lists.
pub fn read_lists(
    files: &OpenFiles,
    job: &Job,
    setting: &Setting,
    people: &mut People,
    not_text: &mut Option<NotText>,
    observer: &dyn Observer,
) -> Result<(Vec<FileCounts>, Vec<ListCounts>)> {
    let mut reading = chunks::Reading::new(&files.lists, Stage::Reading, observer);
    let hasher = people.hasher.clone();
    let mut intake = ListIntake::new(files, &job.lists, people);
    let looks_for_unread =
        |file: &OpenFile<ListId>| job.lists[file.owner.0 as usize].hold().is_some() && file.format != Format::Mail;
    in_order(
        setting.threads,
        || reading.next(),
        || EntryScratch::new(files),
        |chunk, scratch| {
            let index = chunk.file.0 as usize;
            let file = &files.lists[index];
            let mut plan = ListPlan::of(files, index);
            plan.looks_for_unread = looks_for_unread(file);
            let read = read_list_chunk(file, &plan, &chunk.chunk, &hasher, scratch);
            Ok((chunk, read))
        },
        |(chunk, mut read)| {
            let index = chunk.file.0 as usize;
            if let Some(problem) = read.problem.take() {
                *not_text = problem.is_not_text().then_some(NotText::List(index));
                return Err(problem.at(&files.lists[index], intake.rows_above[index]));
            }
            intake.add(index, read)?;
            chunk.give_back();
            Ok(())
        },
    )?;
    for (counts, read) in intake.counts.iter_mut().zip(reading.files_read()) {
        counts.file_read(read);
    }
    for file in &files.lists {
        intake.add_unread(file.unread.iter().cloned(), file)?;
    }
    Ok((intake.counts, intake.lists))
}

/// Takes in what the lists hold, chunk by chunk in reading order.
struct ListIntake<'a> {
    files: &'a OpenFiles,
    job_lists: &'a [JobList],
    people: &'a mut People,
    /// By file.
    counts: Vec<FileCounts>,
    /// By list.
    lists: Vec<ListCounts>,
    /// By file: the rows that were read of it so far.
    rows_above: Vec<u64>,
}

impl ListIntake<'_> {
    fn new<'a>(files: &'a OpenFiles, job_lists: &'a [JobList], people: &'a mut People) -> ListIntake<'a> {
        ListIntake {
            files,
            job_lists,
            people,
            counts: vec![FileCounts::default(); files.lists.len()],
            lists: vec![ListCounts::default(); job_lists.len()],
            rows_above: vec![0; files.lists.len()],
        }
    }

    /// Adds the next chunk of the file of this place.
    fn add(&mut self, index: usize, read: ListChunk) -> Result<()> {
        let file = &self.files.lists[index];
        let list = file.owner.0 as usize;
        let rows_above = self.rows_above[index];
        self.counts[index].add(&read.counts, rows_above);
        self.rows_above[index] += read.records;
        for (share, entries) in read.shares.into_iter().enumerate() {
            let place = list + share;
            let returned = &self.people.checks.returned;
            let (entries, voided) = without_returned(entries, returned, file, &self.job_lists[place]);
            self.lists[list].voided += voided;
            if let Some(counts) = self.lists.get_mut(place) {
                self.people.add_list_entries(entries, ListId(place as u16), counts)?;
            }
        }
        let unread = read.unread.into_iter();
        self.add_unread(unread.map(|text| UnreadText { row: RowNumber(text.row.0 + rows_above), ..text }), file)?;
        let counts = &mut self.lists[list];
        counts.left_out += read.left_out;
        counts.no_refusal += read.no_refusal;
        counts.soft_bounces += read.soft_bounces;
        for (word, count) in read.unlisted_words {
            if counts.unlisted_words.len() < UNLISTED_WORDS_KEPT || counts.unlisted_words.contains_key(&word) {
                *counts.unlisted_words.entry(word).or_default() += count;
            }
        }
        Ok(())
    }

    /// Lets what was not read of a list mark the people whom it names, without holding them.
    fn add_unread(&mut self, unread: impl Iterator<Item = UnreadText>, file: &OpenFile<ListId>) -> Result<()> {
        let owner = file.owner.0 as usize;
        let is_its_own = |list: &JobList| list.unread_of() == Some(owner);
        let Some(place) = self.job_lists.iter().position(is_its_own) else { return Ok(()) };
        let hasher = &self.people.hasher;
        let mut entries = Entries::default();
        for text in unread {
            let header = file.map().headers.get(text.column);
            let header = header.map_or_else(|| format!("column {}", text.column + 1), String::clone);
            self.lists[owner].unread.add(&file.input.name(), &header, &text);
            match text.look {
                Look::Address => entries.compared.push(hasher.hash_address(text.text.as_bytes())),
                Look::Domain => entries.domains.push(text.text),
                _ => {
                    if let Some(digest) = text.digest() {
                        entries.digest(digest, hasher);
                    }
                }
            }
        }
        self.people.add_list_entries(entries, ListId(place as u16), &mut self.lists[place])
    }
}

/// Of a list of refusals, what still counts: who came back after its file was last changed is in it no longer. The entry
/// keeps its number. Also says how many no longer count.
fn without_returned(
    mut entries: Entries,
    returned: &Returned,
    file: &OpenFile<ListId>,
    list: &JobList,
) -> (Entries, u64) {
    let mut voided = 0;
    let refuses = |hold: &Hold| matches!(hold.reason, Reason::OptedOut | Reason::Complained);
    if !returned.is_empty() && list.hold().is_some_and(refuses) {
        for hash in entries.compared.iter_mut().filter(|hash| returned.voids(**hash, file.changed_on)) {
            *hash = IdentityHash(!hash.0);
            voided += 1;
        }
    }
    (entries, voided)
}
