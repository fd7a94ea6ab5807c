//! Entries into the bank: staged first, so that it can be seen what a load would do before it changes anything.
//!
//! What is staged is sorted and each entry kept once, in a nameless file beside the bank; so the bank is asked and
//! changed in the order of its own index, which is many times as quick as in the order of a file.

use crate::bank::Bank;
use crate::batch::{Batch, BatchId, NewBatch, What};
use crate::entry::NewEntry;
use crate::going_in::GoingIn;
use crate::held_in_files::HeldPrepared;
use crate::known::Known;
use crate::scope::add_scope;
use crate::sending::replace_prepared;
use crate::sorted::{self, SortedEntries};
use crate::store::{Store, cells};
use crate::text::{Kind, Text};
use pebblebank_table::sorter::Sorter;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::suggest::holds_mailbox_provider;
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::{HashMap, HashSet};

/// The most domains of public mailbox providers that are named.
const PROVIDERS_NAMED: usize = 5;

/// What a load would do.
#[derive(Debug, Clone, Default, PartialEq, Eq, JsonSchema, Serialize)]
pub struct Preview {
    /// Entries, each once.
    pub entries: u64,
    /// Of these, those that the bank does not have for this reason and scope.
    pub new: u64,
    /// Of these, those that it has.
    pub known: u64,
    /// Of the known ones, those who were forgotten; they stay uncontacted, and are not written down again.
    pub forgotten: u64,
    /// Refusals, besides, of people who came back after the file was last changed; they do not go in.
    pub came_back: u64,
    /// Domains whose entries would hold everybody at a public mailbox provider.
    pub providers: Vec<String>,
    /// How many of those in the files prepared last would be held, by scope and job.
    pub held: Vec<HeldPrepared>,
}

/// Whether a file may go in that went in before.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SameFile {
    /// It is a mistake.
    IsAMistake,
    /// It is meant.
    IsMeant,
}

/// A batch whose entries wait to go in.
pub struct Staged<'a> {
    bank: &'a mut Bank,
    batch: NewBatch,
    sorter: Sorter,
    /// What the entry is sorted by that is being added.
    order: Vec<u8>,
    seen: Seen,
    came_back: HashSet<Text>,
}

/// A batch whose entries are all there.
pub struct Ready<'a> {
    bank: &'a mut Bank,
    batch: NewBatch,
    entries: SortedEntries,
    came_back: u64,
    same_file: SameFile,
    seen: Seen,
}

/// What the bank said of people when their entries were staged.
struct Seen {
    key: [u8; 32],
    forgotten: HashSet<Text>,
    returned: HashMap<Text, i32>,
    /// Whether any of the entries is as old as its file.
    has_days_of_files: bool,
}

impl Bank {
    /// Begins a batch.
    pub fn stage(&mut self, batch: NewBatch) -> Result<Staged<'_>> {
        Ok(Staged {
            sorter: Sorter::new(self.bytes_to_sort(), &self.folder()),
            order: Vec::new(),
            seen: Seen {
                key: self.key()?,
                forgotten: self.all_forgotten()?,
                returned: self.returned_from(&batch)?,
                has_days_of_files: false,
            },
            came_back: HashSet::new(),
            bank: self,
            batch,
        })
    }

    /// Those whose older refusals do not count any more, with the day on which they came back.
    fn returned_from(&self, batch: &NewBatch) -> Result<HashMap<Text, i32>> {
        let returned = if batch.what.is_refusal() { self.returned(batch.scope)? } else { Vec::new() };
        Ok(returned.into_iter().map(|(identity, day)| (Text::address(&identity), day.day_number())).collect())
    }
}

impl Seen {
    /// What somebody is kept as who was forgotten; none for all others.
    fn kept_as(&self, text: &Text) -> Option<Text> {
        if self.forgotten.is_empty() {
            return None;
        }
        text.forgotten(&self.key).filter(|digest| self.forgotten.contains(digest))
    }

    /// Whether it is an older copy of the refusal of somebody who came back.
    fn is_void(&self, entry: &NewEntry) -> bool {
        let returned = || self.returned.get(&entry.text);
        entry
            .file_day
            .is_some_and(|day| !self.returned.is_empty() && returned().is_some_and(|returned| day < *returned))
    }
}

impl<'a> Staged<'a> {
    /// Adds entries.
    pub fn add(&mut self, entries: impl IntoIterator<Item = NewEntry>) -> Result<()> {
        for mut entry in entries {
            self.seen.has_days_of_files |= entry.file_day.is_some();
            if self.seen.is_void(&entry) {
                self.came_back.insert(entry.text);
                continue;
            }
            if let Some(digest) = self.seen.kept_as(&entry.text) {
                entry.text = digest;
            }
            entry.is_soft &= self.batch.what == What::Bounced;
            sorted::push(&mut self.sorter, &mut self.order, &entry)?;
        }
        Ok(())
    }

    /// All entries are there.
    pub fn ready(self) -> Result<Ready<'a>> {
        let came_back = self.came_back.len() as u64;
        let Staged { bank, batch, seen, sorter, .. } = self;
        let entries = SortedEntries::of(sorter, batch.day, &bank.folder())?;
        Ok(Ready { bank, batch, entries, came_back, same_file: SameFile::IsMeant, seen })
    }
}

impl Ready<'_> {
    /// Says which file it comes from. Fails where one of the same content went in for the same reason and scope, and still
    /// counts, unless that is meant.
    pub fn comes_from(&mut self, file: &str, fingerprint: &str, same_file: SameFile) -> Result<()> {
        self.batch.file = Some(file.to_owned());
        self.batch.fingerprint = Some(fingerprint.to_owned());
        self.same_file = same_file;
        let found = self.bank.batch_of_file(fingerprint, self.batch.what, self.batch.scope)?;
        found.filter(|_| same_file == SameFile::IsAMistake).map_or(Ok(()), |batch| Err(loaded_before(&batch)))
    }

    /// Fails unless the batch has this many entries.
    pub fn expect(&self, expected: u64, found: u64) -> Result<()> {
        if expected == found {
            return Ok(());
        }
        let what = format!("{found} entries were read, and {expected} were expected, so nothing was changed");
        Err(Error::new(
            ErrorKind::Guard,
            what,
            "look whether the file is the right one, and whole; then correct --expect",
        ))
    }

    /// What the batch would do.
    pub fn preview(&mut self) -> Result<Preview> {
        // One view of the bank for all questions, and no lock for each.
        let _view = self.bank.store().view()?;
        let known = Known::new(self.bank.store(), &self.batch)?;
        let mut files = self.bank.files_held_in(self.batch.what, self.batch.scope)?;
        let mut preview = Preview { came_back: self.came_back, ..Preview::default() };
        let mut texts = EachOnce::default();
        self.entries.for_some(self.bank.store().at_once(), |entries| {
            let held = known.held(entries)?;
            for (entry, is_held) in entries.drain(..).zip(held) {
                texts.add(&entry.text, is_held || entry.text.kind.is_forgotten(), &mut preview);
                if entry.text.kind == Kind::Domain {
                    preview.note_provider(&entry.text);
                }
                if !entry.is_soft {
                    files.add(entry.text)?;
                }
            }
            Ok(())
        })?;
        texts.count(&mut preview);
        preview.entries = preview.new + preview.known;
        preview.held = files.finish()?.iter().map(|(batch, held)| HeldPrepared::of(batch, held.len())).collect();
        Ok(preview)
    }

    /// Lets the batch go in: the whole of it, or nothing.
    pub fn commit(mut self) -> Result<BatchId> {
        self.put(false)?.ok_or_else(|| {
            let what = "everybody in it was forgotten, and stays uncontacted; nothing was changed";
            Error::new(ErrorKind::Job, what, "nothing is left to be done")
        })
    }

    /// Puts everything in as one batch; none where there is nothing to put in. What was prepared takes the place of what the same job prepared before.
    pub fn commit_all_or_none(mut self) -> Result<Option<BatchId>> {
        self.put(false)
    }

    /// Lets go in what the bank does not have yet for this reason and scope; none where that is nothing.
    pub fn commit_new(mut self) -> Result<Option<BatchId>> {
        self.put(true)
    }

    fn put(&mut self, only_new: bool) -> Result<Option<BatchId>> {
        let (bank, batch, same_file, seen) = (&*self.bank, &self.batch, self.same_file, &mut self.seen);
        let (moment, entries) = (bank.moment(), &mut self.entries);
        let in_blocks = entries.may_be_in_blocks(bank.fewest_in_blocks());
        bank.keep_pages_to_write()?;
        bank.change(|change| {
            // Another command may have changed this since the entries were staged.
            let came_back = if seen.has_days_of_files { bank.returned_from(batch)? } else { HashMap::new() };
            let is_new = |(text, day): &(&Text, &i32)| seen.returned.get(*text) != Some(*day);
            let came_back: HashSet<&Text> = came_back.iter().filter(is_new).map(|(text, _)| text).collect();
            let forgotten = bank.all_forgotten()?;
            let are_others = forgotten != seen.forgotten;
            seen.forgotten = forgotten;
            if same_file == SameFile::IsAMistake {
                // Another command may have taken it in since it was looked for.
                refuse_same_file(change, batch)?;
            }
            let id = insert_batch(change, batch, moment)?;
            let mut going_in = GoingIn::new(change, batch, id, only_new, in_blocks)?;
            entries.for_some(change.at_once(), |entries| {
                if !came_back.is_empty() && entries.iter().any(|entry| came_back.contains(&entry.text)) {
                    return Err(came_back_meanwhile());
                }
                if are_others {
                    entries.retain(|entry| seen.kept_as(&entry.text).is_none());
                }
                going_in.put(entries)
            })?;
            let counts = going_in.finish()?;
            let is_anything = counts.entries + counts.softs > 0;
            if batch.what == What::Prepared {
                replace_prepared(change, batch, id, moment)?;
            }
            if !is_anything {
                change.execute("delete from batch where id = ?1", cells![id.0])?;
                return Ok(None);
            }
            counts.write(change, id, how_it_went_in(batch), moment)?;
            Ok(Some(id))
        })
    }
}

impl Preview {
    fn note_provider(&mut self, domain: &Text) {
        let shown = domain.shown();
        if self.providers.len() < PROVIDERS_NAMED && holds_mailbox_provider(&shown) {
            self.providers.push(shown);
        }
    }

    /// Fails where an entry would hold everybody at a public mailbox provider. `option` says that it is meant.
    pub fn refuse_providers(&self, option: &str) -> Result<()> {
        let Some(domain) = self.providers.first() else { return Ok(()) };
        let what =
            format!("{domain} would suppress everyone with a mailbox at a public provider, so nothing was changed");
        Err(Error::new(ErrorKind::Guard, what, format!("write the whole address; if the domain is meant, {option}")))
    }
}

/// Counts texts once, whose entries come one after the other: known are those of which nothing is new.
#[derive(Default)]
struct EachOnce {
    last: Option<Text>,
    is_known: bool,
}

impl EachOnce {
    fn add(&mut self, text: &Text, is_known: bool, preview: &mut Preview) {
        if self.last.as_ref() == Some(text) {
            self.is_known &= is_known;
        } else {
            self.count(preview);
            (self.last, self.is_known) = (Some(text.clone()), is_known);
        }
    }

    fn count(&self, preview: &mut Preview) {
        let Some(text) = &self.last else { return };
        *if self.is_known { &mut preview.known } else { &mut preview.new } += 1;
        preview.forgotten += u64::from(text.kind.is_forgotten());
    }
}

fn loaded_before(batch: &Batch) -> Error {
    let day = batch.added.get(..10).unwrap_or(&batch.added);
    let what = format!("a file of the same content was loaded on {day}, as batch {}", batch.id.0);
    Error::new(ErrorKind::Guard, what, "nothing was changed; if you mean it, --again loads it once more")
}

fn came_back_meanwhile() -> Error {
    let what = "somebody in the file came back while it was being looked at, so nothing was changed";
    Error::new(ErrorKind::InputChanged, what, "give the same command again")
}

fn refuse_same_file(change: &dyn Store, batch: &NewBatch) -> Result<()> {
    let found = Batch::of_file(change, batch.fingerprint.as_deref().unwrap_or_default(), batch.what, batch.scope)?;
    found.map_or(Ok(()), |batch| Err(loaded_before(&batch)))
}

fn insert_batch(change: &dyn Store, batch: &NewBatch, moment: &str) -> Result<BatchId> {
    let NewBatch { what, scope, new_scope, campaign, job, file, fingerprint, day, note } = batch;
    let scope = new_scope.as_ref().map_or(Ok(*scope), |name| add_scope(change, name, moment))?;
    let insert = "insert into batch (what, scope, campaign, job, file, fingerprint, added, day, note)
         values (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9) returning id";
    let given = cells![what.code(), scope.0, campaign, job, file, fingerprint, moment, day.day_number(), note];
    change.value(insert, given).map(BatchId)
}

/// The word in the history.
fn how_it_went_in(batch: &NewBatch) -> &'static str {
    match (batch.what, &batch.file, &batch.job) {
        (What::Prepared, ..) => "prepared",
        (_, Some(_), _) => "load",
        (_, None, Some(_)) => "learned",
        (_, None, None) => "add",
    }
}
