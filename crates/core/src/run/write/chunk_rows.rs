//! One chunk, being laid out: where each of its contacts ends, with what is written of it into which file.

use super::learned::{self, Learning};
use super::meant::Meant;
use super::people_index;
use super::plan::{FilePlan, SecondPass};
use super::rows::Rows;
use super::written_people;
use crate::job::row_range;
use crate::layout::plan::Row;
use crate::run::decide::settled::{Cleared, Standing};
use crate::run::tally::Company;
use crate::run::write::repair_rows::{company_of, number_cell, repair_row};
use crate::suppress::marks::{Mark, MarkSet};
use crate::suppress::reason::Reason;
use crate::suppress::status::{self, StatusReason};
use pebblebank_table::csv::RawCells;
use pebblebank_table::units::{ColumnIndex, RowId, RowNumber};
use pebblebank_table::{Record, cell};
use pebblebank_values::address::{Address, AddressCleaner, State};
use pebblebank_values::audience;
use pebblebank_values::consent::{self, Consent, Statement};
use pebblebank_values::suggest::{self, DomainLooks};
use pebblebank_values::verdict::Why;
use pebblebank_values::{Doubt, Field, Rule, Rules};
use std::sync::Arc;

/// The key of rows that somebody decided to be one person.
pub const DECISION: &str = "decision";

/// One chunk, being laid out.
pub(super) struct ChunkRows<'a, 'b> {
    pub pass: &'b SecondPass<'a>,
    pub plan: &'b FilePlan,
    /// The file's first record.
    pub first_of_file: u32,
    pub cells: RawCells,
    pub rows: &'b mut Rows,
    /// Cleans the addresses of further columns.
    pub further: AddressCleaner,
    /// What the person's survivor was given from this row.
    pub taken_from: &'b [u8],
}

impl<'b> ChunkRows<'_, 'b> {
    pub fn contact(&mut self, row: RowId, standing: Standing, meant: &Meant) {
        let Meant { contact, .. } = meant;
        let (record, address) = (&contact.as_read, &contact.address);
        let number = RowNumber(u64::from(row.0 - self.first_of_file) + 1);
        if !address.rules.is_empty() {
            self.address_repairs(number, address.rules, contact.typed, address.text);
        }
        let (survivor, fate) = match standing {
            Standing::NoContact => return,
            Standing::Merged(survivor) => {
                self.merged(row, number, survivor, record);
                (survivor, people_index::Fate::Merged)
            }
            Standing::Held(reason, marks) => (row, self.held(row, number, reason, marks, meant)),
            Standing::Free(cleared) => (row, self.free(row, number, cleared, meant)),
        };
        if self.pass.job.remember.is_anything() {
            self.learn(survivor, fate, address, &meant.record);
        }
        people_index::add(&mut self.rows.people, address, row, survivor, fate);
        self.index_further_columns(row, survivor, fate, &contact.as_meant);
    }

    /// The addresses of further columns are the person's, too.
    fn index_further_columns(&mut self, row: RowId, survivor: RowId, fate: people_index::Fate, record: &Record) {
        let files = self.pass.files;
        let columns = &files.sources[self.plan.file].map().further_addresses;
        for column in columns {
            let value = cell::value(record.raw(column.0));
            people_index::add(&mut self.rows.people, &self.further.clean(&value), row, survivor, fate);
        }
    }

    /// Sets aside somebody who must not be contacted.
    fn held(
        &mut self,
        row: RowId,
        number: RowNumber,
        reason: Reason,
        marks: MarkSet,
        meant: &Meant,
    ) -> people_index::Fate {
        let pass: &'b SecondPass = self.pass;
        if pass.settled.survivor_of(row) == row {
            self.count_person(marks);
        }
        if pass.left_out.asks_of(row)
            && let Some((fault, details)) = self.fault(row, meant, pass.settled.marks(marks))
            && fault < Reason::FailedCheck
        {
            self.rows.judged.push((row, fault, details));
        }
        let graver = pass.left_out.reason(pass.settled.survivor_of(row)).filter(|judged| judged.0 < reason);
        let graver = graver.filter(|_| pass.settled.is_left_out(row));
        let (reason, details) = match graver {
            Some((reason, details)) => (*reason, details.as_str()),
            None if reason == Reason::NotSelected && self.is_outside_of_range(number) => (reason, row_range::OUTSIDE),
            None => (reason, pass.details[marks.0 as usize].as_str()),
        };
        self.set_aside(number, reason, details, &meant.contact.as_read);
        people_index::Fate::SetAside(reason)
    }

    fn is_outside_of_range(&self, number: RowNumber) -> bool {
        let source = &self.pass.job.sources[self.plan.source.0 as usize];
        source.rows.is_some_and(|range| !range.holds(number))
    }

    /// Writes somebody whom nothing holds, or sets the row aside for what it lacks.
    fn free(&mut self, row: RowId, number: RowNumber, cleared: Cleared, meant: &Meant) -> people_index::Fate {
        let set = self.pass.settled.marks_of(row);
        let marks = self.pass.settled.marks(set);
        self.count_person(set);
        for (column, doubt) in meant.contact.doubts() {
            self.doubt(number, *column, *doubt);
        }
        let fault = self.fault(row, meant, marks);
        self.count_passed(row, set, fault.as_ref().map(|(reason, _)| *reason));
        if let (true, Some((reason, details))) = (self.pass.left_out.asks_of(row), &fault) {
            self.rows.judged.push((row, *reason, details.clone()));
        }
        if let Some((reason, details)) = fault {
            if reason == Reason::LayoutViolation {
                self.note_violation(number, meant, marks);
            }
            self.set_aside(number, reason, &details, &meant.contact.as_read);
            return people_index::Fate::SetAside(reason);
        }
        match self.pass.pick.candidate(row, &meant.contact.address) {
            Some(candidate) => self.rows.candidates.push(candidate),
            None => self.written(row, number, cleared, meant, marks),
        }
        people_index::Fate::Written
    }

    /// Counts who lacks nothing for a comparison, and whom only a near miss could keep from being written.
    fn count_passed(&mut self, row: RowId, set: MarkSet, fault: Option<Reason>) {
        if self.pass.job.compares() && fault.is_none_or(|reason| reason >= Reason::NotSelected) {
            let people = &mut self.rows.counts.people_with_key;
            people.resize(self.pass.settled.mark_sets(), 0);
            people[set.0 as usize] += 1;
        }
        let passed = fault.is_none_or(|reason| reason == Reason::NearMiss);
        if passed && self.pass.near.is_some_and(|near| near.of(row).is_some()) {
            self.rows.counts.near_missed.push(row);
        }
    }

    /// Keeps for the bank who was written, and who refused in a source: all identities of the person, but of a bounce only
    /// the row's own address.
    fn learn(&mut self, survivor: RowId, fate: people_index::Fate, address: &Address, record: &Record) {
        let remember = self.pass.job.remember;
        if fate == people_index::Fate::Written {
            if remember.prepared && address.is_usable() {
                learned::add(&mut self.rows.learned, Learning::Prepared, address.identity);
            }
            return;
        }
        let marks = self.pass.settled.marks(self.pass.settled.marks_of(self.pass.settled.survivor_of(survivor)));
        let says = |wanted: Consent| marks.iter().any(|mark| matches!(mark, Mark::Said(said, _) if *said == wanted));
        let refused = match (says(Consent::Complained), says(Consent::OptedOut)) {
            (true, _) => Some(Reason::Complained),
            (false, true) => Some(Reason::OptedOut),
            _ => None,
        };
        let map = self.pass.files.sources[self.plan.file].map();
        if let Some(reason) = refused.filter(|_| remember.opted_out) {
            for identity in self.identities(address, record) {
                learned::add(&mut self.rows.learned, Learning::Refused(reason), identity.as_bytes());
            }
        }
        if !remember.bounced || !address.is_usable() || !says(Consent::Bounced) {
            return;
        }
        let words = map.consents.iter().map(|column| (column, cell::text(record.raw(column.column.0))));
        let bounced =
            words.filter(|(column, word)| consent::read(word, column.yes_means) == Statement::Says(Consent::Bounced));
        let softly = |word: &str| status::read(word) == StatusReason::SoftBounce;
        let learning = bounced
            .map(|(_, word)| if softly(&word) { Learning::SoftBounced } else { Learning::Refused(Reason::Bounced) });
        if let Some(learning) = learning.min() {
            learned::add(&mut self.rows.learned, learning, address.identity);
        }
    }

    /// Every usable address of a row, cleaned as the job says it.
    fn identities(&self, address: &Address, record: &Record) -> Vec<String> {
        let files = self.pass.files;
        let mut all = usable_identities(address);
        let mut cleaner = AddressCleaner::with(Arc::clone(&files.addresses));
        for column in &files.sources[self.plan.file].map().further_addresses {
            let value = cell::value(record.raw(column.0));
            all.extend(usable_identities(&cleaner.clean(&value)));
        }
        all
    }

    /// A row of the master stays as it is.
    pub fn of_master(&mut self, row: RowId) {
        let counts = &mut self.rows.counts;
        counts.account.written += 1;
        counts.refused_written.add(&self.pass.settled.copied(row));
        if self.pass.settled.survivor_of(row) == row {
            self.count_person(self.pass.settled.marks_of(row));
        }
    }

    fn count_person(&mut self, marks: MarkSet) {
        if marks != MarkSet::NONE {
            let people = &mut self.rows.counts.people;
            if people.is_empty() {
                people.resize(self.pass.settled.mark_sets(), 0);
            }
            people[marks.0 as usize] += 1;
        }
    }

    /// What is likely meant by an address, where the job does not have it mended.
    pub fn suggest(&mut self, row: RowId, address: &Address, domains: &mut DomainLooks) {
        let typos = &self.pass.files.addresses.typos;
        let number = RowNumber(u64::from(row.0 - self.first_of_file) + 1);
        match address.state {
            State::Blank | State::Placeholder => return,
            State::Invalid(_) => {}
            State::Usable => {
                let look = domains.look(address.domain(), typos);
                if !look.has_known_top_level
                    && let Some(column) = self.pass.files.sources[self.plan.file].map().column(Field::Email)
                {
                    self.doubt(number, column, Doubt::UnknownTopLevelDomain);
                }
                if !look.is_typo {
                    return;
                }
            }
        }
        let text = String::from_utf8_lossy(address.text);
        let Some((mended, rules)) = suggest::mended(&text, suggest::ALL, typos) else { return };
        let Rows { suggestions, counts, .. } = &mut *self.rows;
        let company = company_of(rules);
        for rule in rules.iter() {
            counts.suggestions.count(rule, company, text.as_bytes(), mended.as_bytes());
            let (before, after) = (text.as_bytes(), mended.as_bytes());
            repair_row(suggestions, rule, &self.plan.name_cells, number, "email", before, after);
        }
    }

    fn doubt(&mut self, number: RowNumber, column: ColumnIndex, doubt: Doubt) {
        let file = self.pass.files.sources[self.plan.file].id;
        self.rows.counts.doubts.entry((file, column, doubt)).or_default().at(number);
    }

    fn written(&mut self, row: RowId, number: RowNumber, cleared: Cleared, meant: &Meant, marks: &[Mark]) {
        let Meant { record, contact, cells } = meant;
        let (address, usable) = (&contact.address, contact.usable_address());
        self.rows.counts.note_unread(row, marks, self.pass.job);
        if self.pass.job.compares() {
            self.rows.counts.refused_written.add(&self.pass.settled.copied(row));
        }
        if self.found(address).is_some_and(|(_, found)| found.why == Why::NotReached) {
            self.rows.counts.without_verdict += 1;
        }
        if address.is_usable() && !self.pass.job.guards.steps.is_empty() {
            let doubtful = &mut self.rows.counts.doubtful;
            doubtful.roles += u64::from(audience::is_role(address.local()));
            doubtful.disposable += u64::from(self.pass.job.clean.disposable_domains.holds(address.domain()));
        }
        if !address.is_usable() && address.state != State::Blank {
            self.rows.counts.written_without_address.at(number);
        }
        if let Some((column, of_file)) = self.plan.middle_name
            && !record.raw(column.0).is_empty()
        {
            self.doubt(number, of_file, Doubt::MiddleNameLeftOut);
        }
        let tags = self.tags_given(record, usable, marks);
        let laid_out = Row { record, address: usable, marks, tags: &tags };
        let files: Option<Vec<usize>> =
            self.has_conditions_on_files().then(|| self.files_that_take(&laid_out).collect());
        if address.is_usable() && self.pass.job.receipt.is_some() {
            written_people::add(address.identity, &mut self.rows.written_people);
        }
        let Rows { imports, repairs, counts, .. } = &mut *self.rows;
        let takes = |file: usize| files.as_ref().is_none_or(|files| files.contains(&file));
        imports.write(cleared, &self.plan.layouts, takes, &laid_out, *cells);
        count_elsewhere(&mut counts.also_elsewhere, files.as_deref(), self.plan.layouts.len());
        let headers = &self.pass.files.sources[self.plan.file].map().headers;
        for change in contact.replaced {
            let (before, after) = (change.before.as_bytes(), change.after.as_bytes());
            counts.repairs.count(Rule::Replacement, Company::Alone, before, after);
            let header = headers.get(change.column.0).map_or("", String::as_str);
            repair_row(repairs, Rule::Replacement, &self.plan.name_cells, number, header, before, after);
        }
        for (header, before, after) in contact.values.iter().flat_map(|values| values.decoded()) {
            let (before, after) = (before.as_bytes(), after.as_bytes());
            counts.repairs.count(Rule::DoubleEncoded, Company::Alone, before, after);
            repair_row(repairs, Rule::DoubleEncoded, &self.plan.name_cells, number, header, before, after);
        }
        for (column, rules, before, after) in contact.values.iter().flat_map(|values| values.repairs()) {
            let company = company_of(rules);
            for rule in rules.iter() {
                let (before, after) = (before.as_bytes(), after.as_bytes());
                counts.repairs.count(rule, company, before, after);
                if !rule.changes_form_only() {
                    let header = headers.get(column.0).map_or("", String::as_str);
                    repair_row(repairs, rule, &self.plan.name_cells, number, header, before, after);
                }
            }
        }
        counts.account.written += 1;
    }

    fn has_conditions_on_files(&self) -> bool {
        self.plan.takes.iter().any(Option::is_some)
    }

    fn merged(&mut self, row: RowId, number: RowNumber, survivor: RowId, record: &Record) {
        let (survivor_file, survivor_number) = self.pass.settled.place(survivor);
        let is_same_source = self.pass.plans[survivor_file.0 as usize].source == self.plan.source;
        self.rows.counts.merged_within += u64::from(is_same_source);
        let out = &mut self.rows.merged;
        self.plan.originals.write(record, self.cells, out);
        let key = self.pass.settled.key_of(row).map_or(DECISION, |key| &self.pass.key_names[key]);
        out.value(key.as_bytes());
        out.bytes.extend_from_slice(&self.plan.name_cells);
        number_cell(out, number.0);
        out.bytes.extend_from_slice(&self.pass.plans[survivor_file.0 as usize].name_cells);
        number_cell(out, survivor_number.0);
        out.value(self.taken_from);
        out.end_row();
        self.rows.counts.account.merged += 1;
    }

    fn set_aside(&mut self, number: RowNumber, reason: Reason, details: &str, record: &Record) {
        let out = &mut self.rows.set_aside;
        self.plan.originals.write(record, self.cells, out);
        out.value(reason.name().as_bytes());
        out.value(details.as_bytes());
        out.bytes.extend_from_slice(&self.plan.name_cells);
        number_cell(out, number.0);
        out.end_row();
        self.rows.counts.account.set_aside[reason as usize] += 1;
    }

    fn address_repairs(&mut self, number: RowNumber, rules: Rules, typed: &[u8], cleaned: &[u8]) {
        let company = company_of(rules);
        for rule in rules.iter() {
            self.rows.counts.repairs.count(rule, company, typed, cleaned);
            if !rule.changes_form_only() {
                repair_row(&mut self.rows.repairs, rule, &self.plan.name_cells, number, "email", typed, cleaned);
            }
        }
    }
}

/// Counts a contact that stands in several of the files; in all where none has a condition.
fn count_elsewhere(counts: &mut Vec<u64>, files: Option<&[usize]>, in_all: usize) {
    let several = files.map_or(in_all, <[usize]>::len);
    if several < 2 {
        return;
    }
    counts.resize(in_all, 0);
    match files {
        Some(files) => files.iter().for_each(|file| counts[*file] += 1),
        None => counts.iter_mut().for_each(|count| *count += 1),
    }
}

fn usable_identities(address: &Address) -> Vec<String> {
    let first = address.is_usable().then(|| String::from_utf8_lossy(address.identity).into_owned());
    first.into_iter().chain(address.further.iter().map(|further| further.identity.clone())).collect()
}
