//! Whether a survivor lacks something: an address that can be used, a required field, a value that the layout needs.

use super::meant::Meant;
use crate::job::sources::Passing;
use crate::layout::{Layout, OnViolation};
use crate::run::write::chunk_rows::ChunkRows;
use crate::suppress::marks::Mark;
use crate::suppress::reason::Reason;
use pebblebank_table::Record;
use pebblebank_table::units::{RowId, RowNumber};
use pebblebank_values::address::{Address, State};
use pebblebank_values::audience;

impl ChunkRows<'_, '_> {
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
        if let Some((_, column)) = self.violations(record, usable, marks).next() {
            return Some((Reason::LayoutViolation, column.to_owned()));
        }
        if marks.contains(&Mark::RemovedByHand) {
            return Some((Reason::RemovedByHand, String::new()));
        }
        if let Some(missed) = self.pass.near.and_then(|near| near.of(row)).filter(|missed| missed.sets_aside) {
            return Some((Reason::NearMiss, missed.details.clone()));
        }
        let is_picked = self.pass.pick.takes(row, address);
        (!is_picked).then(|| (Reason::OverLimit, String::new()))
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

    /// The layouts that the row does not fit, each with the column that would stay blank.
    pub(super) fn violations<'c>(
        &'c self,
        record: &'c Record,
        usable: &'c [u8],
        marks: &'c [Mark],
    ) -> impl Iterator<Item = (&'c Layout, &'c str)> {
        let layouts = self.pass.layouts.iter().zip(&self.plan.layouts);
        layouts.filter_map(move |(layout, plan)| Some((layout, plan.violation(record, usable, marks)?)))
    }

    /// Stops the run at the first row that a layout stops at.
    pub(super) fn note_violation(&mut self, number: RowNumber, meant: &Meant, marks: &[Mark]) {
        let usable = meant.contact.usable_address();
        let stops = |(layout, _): &(&Layout, &str)| layout.on_violation == OnViolation::Stop;
        let column = self.violations(&meant.record, usable, marks).find(stops).map(|(_, column)| column.to_owned());
        if let (Some(column), None) = (column, &self.rows.counts.stop) {
            self.rows.counts.stop = Some((number, column));
        }
    }
}
