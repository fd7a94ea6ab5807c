//! Whether a survivor lacks something: an address that can be used, a required field, a value that the layout needs.

use super::meant::Meant;
use super::plan::SecondPass;
use crate::job::sources::Passing;
use crate::job::verdict_rules::VerdictRules;
use crate::layout::plan::Row;
use crate::run::verdicts::Found;
use crate::run::write::chunk_rows::ChunkRows;
use crate::suppress::marks::Mark;
use crate::suppress::reason::Reason;
use pebblebank_table::Record;
use pebblebank_table::units::{RowId, RowNumber};
use pebblebank_values::address::{Address, AddressCleaner, State};
use pebblebank_values::audience;
use pebblebank_values::verdict::{Verdict, Why};

impl<'b> ChunkRows<'_, 'b> {
    /// Why a person that nothing holds is not written, gravest first.
    pub(super) fn fault(&self, row: RowId, meant: &Meant, marks: &[Mark]) -> Option<(Reason, String)> {
        let Meant { record, contact, .. } = meant;
        let (address, usable) = (&contact.address, contact.usable_address());
        if marks.contains(&Mark::UnreadableRow) {
            return Some((Reason::UnreadableRow, String::new()));
        }
        if self.plan.requirement.needs_address() {
            match address.state {
                State::Usable => {}
                State::Blank => return Some((Reason::BlankAddress, String::new())),
                State::Invalid(fault) => return Some((Reason::InvalidAddress, fault.name().to_owned())),
                State::Placeholder => return Some((Reason::PlaceholderAddress, String::new())),
            }
        }
        if self.pass.job.compares() && !self.pass.settled.has_key(row) {
            return Some((Reason::MissingField, self.pass.key_names.join(", ")));
        }
        if let Some(lacks) = self.plan.requirement.lacks(record, contact.doubts(), usable) {
            return Some((Reason::MissingField, lacks));
        }
        if address.is_usable()
            && let Some(fault) = self.unwanted(address)
        {
            return Some(fault);
        }
        if self.plan.selection.as_ref().is_some_and(|selection| !selection.holds(record, usable, marks)) {
            return Some((Reason::NotSelected, String::new()));
        }
        let tags = self.tags_given(record, usable, marks);
        let laid_out = Row { record, address: usable, marks, tags: &tags };
        let mut files = self.files_that_take(&laid_out).peekable();
        if files.peek().is_none() && !self.plan.takes.is_empty() {
            return Some((Reason::NotSelected, IN_NO_FILE.to_owned()));
        }
        if let Some(violation) = files.find_map(|file| self.plan.layouts[file].violation(&laid_out)) {
            return Some((Reason::LayoutViolation, violation.details));
        }
        if marks.contains(&Mark::RemovedByHand) {
            return Some((Reason::RemovedByHand, String::new()));
        }
        if let Some((_, found)) =
            self.found(address).filter(|(rules, found)| rules.set_aside.contains(&found.verdict()))
        {
            return Some((Reason::FailedCheck, found.in_words()));
        }
        if let Some(missed) = self.pass.near.and_then(|near| near.of(row)).filter(|missed| missed.sets_aside) {
            return Some((Reason::NearMiss, missed.details.clone()));
        }
        let is_picked = self.pass.pick.takes(row, address);
        (!is_picked).then(|| (Reason::OverLimit, String::new()))
    }

    /// The verdict on an address, where the job asks for it and there is one.
    pub(super) fn found(&self, address: &Address) -> Option<(&'b VerdictRules, Found)> {
        let pass: &'b SecondPass = self.pass;
        let (rules, verdicts) = (pass.job.check.as_ref()?, pass.verdicts?);
        if !address.is_usable() {
            return None;
        }
        let unknown = Found { why: Why::NotReached, day: None };
        let found = verdicts.of_address(address, rules, pass.job, &pass.files.addresses.typos);
        Some((rules, found.unwrap_or(unknown)))
    }

    /// Why the job does not want an address that could be used.
    pub(super) fn unwanted(&self, address: &Address) -> Option<(Reason, String)> {
        let clean = &self.pass.job.clean;
        if clean.role == Passing::SetAside && audience::is_role(address.local()) {
            return Some((Reason::RoleAddress, String::new()));
        }
        let is_disposable = clean.disposable == Passing::SetAside && clean.disposable_domains.holds(address.domain());
        is_disposable.then(|| (Reason::DisposableDomain, String::from_utf8_lossy(address.domain()).into_owned()))
    }

    /// The import files that take a contact, by their places.
    pub(super) fn files_that_take<'c>(&'c self, contact: &'c Row) -> impl Iterator<Item = usize> {
        let Row { record, address, marks, .. } = *contact;
        let takes = self.plan.takes.iter().enumerate();
        takes
            .filter(move |(_, takes)| takes.as_ref().is_none_or(|condition| condition.holds(record, address, marks)))
            .map(|(place, _)| place)
    }

    /// The tags that the job gives a contact.
    pub(super) fn tags_given(&self, record: &Record, usable: &[u8], marks: &[Mark]) -> Vec<&'b str> {
        let pass: &'b SecondPass = self.pass;
        let rules = self.plan.tags.iter().zip(&pass.job.tags);
        let given = rules.filter(|(rule, _)| rule.holds(record, usable, marks)).map(|(_, tag)| tag.name.as_str());
        given.chain(self.tag_of_risky(usable)).collect()
    }

    /// The tag that the job gives a risky address.
    fn tag_of_risky(&self, usable: &[u8]) -> Option<&'b str> {
        let tag = self.pass.job.check.as_ref()?.tag.as_deref()?;
        let mut cleaner = AddressCleaner::with(std::sync::Arc::clone(&self.pass.files.addresses));
        let (_, found) = self.found(&cleaner.clean(usable))?;
        (found.verdict() == Verdict::Risky).then_some(tag)
    }

    /// Stops the run at the first row that a layout stops at.
    pub(super) fn note_violation(&mut self, number: RowNumber, meant: &Meant, marks: &[Mark]) {
        let (record, usable) = (&meant.record, meant.contact.usable_address());
        let tags = self.tags_given(record, usable, marks);
        let laid_out = Row { record, address: usable, marks, tags: &tags };
        let stop = self
            .files_that_take(&laid_out)
            .filter_map(|file| self.plan.layouts[file].violation(&laid_out))
            .find(|violation| violation.stops);
        if let (Some(violation), None) = (stop, &self.rows.counts.stop) {
            self.rows.counts.stop = Some((number, violation));
        }
    }
}

/// Where several files have conditions and none holds.
const IN_NO_FILE: &str = "in no file";
