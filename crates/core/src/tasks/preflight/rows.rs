//! The rows of a file that is to be imported, each compared with what must be right.

use super::problem::{Kind, Problem, Since};
use super::wishes::PreflightWishes;
use crate::job::Job;
use crate::layout::demands::Unfit;
use crate::layout::{Content, Form, LayoutColumn};
use crate::run::decide::known::Known;
use crate::run::decide::read_again::RowAgain;
use crate::run::open::files::OpenFile;
use crate::run::verdicts::Verdicts;
use crate::run::write::rows::Counts;
use crate::run::write::{people_index, written_rows};
use crate::suppress::marks::MarkSet;
use crate::suppress::reason::Reason;
use crate::tasks::looks::Looks;
use pebblebank_formats::Format;
use pebblebank_formats::writing::FileForm;
use pebblebank_formats::writing::encode::has_all_of;
use pebblebank_table::cell_digest::CellDigest;
use pebblebank_table::csv::is_formula;
use pebblebank_table::observe::{Finding, Met, Weight};
use pebblebank_table::units::{RowNumber, SourceId};
use pebblebank_table::{Error, ErrorKind, Record, Result, cell};
use pebblebank_values::address::State;
use pebblebank_values::identity::stable_digest;
use pebblebank_values::verdict::{Verdict, Why};
use pebblebank_values::{ColumnRef, Doubt, Field};
use std::collections::{BTreeMap, HashSet};
use std::path::Path;
use std::str::FromStr;

/// What every row is compared with.
pub(super) struct Looking<'a> {
    known: &'a Known,
    file: &'a OpenFile<SourceId>,
    form: Option<&'a FileForm>,
    /// The field of each column.
    fields: Vec<Option<Field>>,
    /// The layout's columns, each with its place in the file; those that the file lacks are left out.
    columns: Vec<(usize, &'a LayoutColumn)>,
    needs_address: bool,
    verdicts: &'a Verdicts,
}

/// What was seen in rows.
#[derive(Default)]
pub(super) struct Seen {
    pub rows: u64,
    pub fit_rows: u64,
    pub counts: Counts,
    refused: BTreeMap<Reason, Met>,
    addresses: BTreeMap<&'static str, Met>,
    duplicates: Met,
    ragged: Met,
    /// By column: values that do not fit the layout, with what is wrong.
    unfit: BTreeMap<(usize, String), Met>,
    formulas: BTreeMap<usize, Met>,
    doubts: BTreeMap<(usize, Doubt), Met>,
    looks: Vec<Looks>,
    filled: Vec<u64>,
    headers: Vec<String>,
    /// Whether a value holds anything but ASCII.
    pub has_other_letters: bool,
    /// Rows whose address the run did not write.
    added: u64,
    /// Rows whose address the run wrote, with other cells.
    changed: Met,
    /// The addresses of the file that the run wrote.
    kept: HashSet<[u8; 12]>,
}

impl<'a> Looking<'a> {
    pub fn new(
        wishes: &'a PreflightWishes,
        form: Option<&'a FileForm>,
        known: &'a Known,
        file: &'a OpenFile<SourceId>,
        verdicts: &'a Verdicts,
    ) -> Looking<'a> {
        let map = file.map();
        let of =
            |place: usize| Field::ALL.into_iter().find(|field| map.column(*field).is_some_and(|own| own.0 == place));
        let place = |name: &str| file.table.headers.iter().position(|header| header == name);
        let by_name = form.is_none_or(|form| form.has_header);
        let layout = wishes.layout.iter().flat_map(|layout| layout.columns.iter().enumerate());
        let columns = layout
            .filter_map(|(number, column)| Some((if by_name { place(&column.name)? } else { number }, column)))
            .collect();
        let is_address = |column: &LayoutColumn| column.content == Content::Column(ColumnRef::Field(Field::Email));
        // A layout that does not require the address lets it be blank.
        let needs_address = wishes
            .layout
            .as_ref()
            .is_none_or(|layout| layout.columns.iter().all(|column| !is_address(column) || column.required));
        Looking { known, file, form, fields: (0..map.width()).map(of).collect(), columns, needs_address, verdicts }
    }

    /// Looks at a row.
    pub fn take(&self, again: &RowAgain, job: &Job, then: Option<&WrittenThen>, seen: &mut Seen) {
        let settled = &self.known.settled;
        let number = settled.place(again.row).1;
        let copied = settled.copied(again.row);
        let is_survivor = settled.survivor_of(again.row) == again.row;
        let mut is_fit = true;
        seen.rows += 1;
        count_person(&mut seen.counts, is_survivor, copied.marks(), settled.mark_sets());
        if let Some(reason) = copied.refusal() {
            seen.refused.entry(reason).or_default().at(number);
            seen.counts.account.set_aside[reason as usize] += 1;
            is_fit = false;
        } else {
            seen.counts.account.written += 1;
            if is_survivor {
                seen.counts.note_unread(again.row, settled.marks(copied.marks()), job);
            }
        }
        if !is_survivor {
            seen.duplicates.at(number);
            is_fit = false;
        }
        is_fit &= self.address(again, number, seen);
        is_fit &= self.cells(again, number, seen);
        for (column, doubt) in again.contact.doubts().iter().filter(|(_, doubt)| is_spoiled(*doubt)) {
            seen.doubts.entry((column.0, *doubt)).or_default().at(number);
            is_fit = false;
        }
        if let Some(then) = then {
            then.look(again, self.fields.len(), number, seen);
        }
        seen.fit_rows += u64::from(is_fit);
    }

    fn address(&self, again: &RowAgain, number: RowNumber, seen: &mut Seen) -> bool {
        let fault = match again.contact.address.state {
            State::Usable => {
                let found = self.verdicts.known_of(&again.contact.address);
                let Some(found) = found.filter(|found| found.verdict() == Verdict::Invalid) else { return true };
                found.why.name()
            }
            State::Blank if !self.needs_address => return true,
            State::Blank => "blank-address",
            State::Invalid(_) => "invalid-address",
            State::Placeholder => "placeholder-address",
        };
        seen.addresses.entry(fault).or_default().at(number);
        false
    }

    fn cells(&self, again: &RowAgain, number: RowNumber, seen: &mut Seen) -> bool {
        let record = &again.contact.as_read;
        let width = self.fields.len();
        let mut is_fit = true;
        if seen.headers.is_empty() {
            seen.headers.clone_from(&self.file.table.headers);
        }
        seen.looks.resize_with(width, Looks::default);
        seen.filled.resize(width, 0);
        if self.file.format == Format::Delimited && record.cells() != width {
            seen.ragged.at(number);
            is_fit = false;
        }
        for place in 0..width {
            let value = cell::value(record.raw(place));
            if value.is_empty() {
                continue;
            }
            seen.filled[place] += 1;
            seen.has_other_letters |= !value.is_ascii();
            is_fit &= !seen.looks[place].look(&value, self.fields[place], number.0);
            if is_formula(&value) && self.fields[place] != Some(Field::Email) {
                seen.formulas.entry(place).or_default().at(number);
                is_fit = false;
            }
        }
        for (place, column) in &self.columns {
            let value = cell::value(record.raw(*place));
            let text = String::from_utf8_lossy(&value);
            if let Some(fault) = self.unfit(column, text.trim()) {
                seen.unfit.entry((*place, fault)).or_default().at(number);
                is_fit = false;
            }
        }
        is_fit
    }

    /// What is wrong with a value of a column.
    fn unfit(&self, column: &LayoutColumn, text: &str) -> Option<String> {
        if text.is_empty() {
            return column.required.then(|| "blank, and the layout requires it".to_owned());
        }
        match column.demands.unfit(text) {
            Some(Unfit::NotAllowed) => return Some("none of the values that the layout allows".to_owned()),
            Some(Unfit::Pattern) => return Some("not as the layout's pattern has it".to_owned()),
            Some(Unfit::TooLong(most, _)) => return Some(format!("longer than {most} characters")),
            None => {}
        }
        if let Some(Form::Date(format)) = &column.form
            && !format.is_form_of(text)
        {
            return Some(format!("not written as {}", format.text()));
        }
        let encoding = self.form?.encoding;
        (!has_all_of(text, encoding)).then(|| format!("with characters that {} lacks", encoding.name()))
    }

    fn header(&self, place: usize) -> &str {
        self.file.table.headers.get(place).map_or("", String::as_str)
    }
}

/// Whether a doubt about a value says that it is not what it was.
fn is_spoiled(doubt: Doubt) -> bool {
    matches!(doubt, Doubt::DamagedPhone | Doubt::ImpossibleDate | Doubt::AddressInName)
}

/// Findings about values that a service would import as something else than they were.
const SPOILED: [&str; 4] = ["exponent-form", "lost-characters", "lost-zeros", "double-encoded"];

fn count_person(counts: &mut Counts, is_survivor: bool, marks: MarkSet, sets: usize) {
    if is_survivor && marks != MarkSet::NONE {
        counts.people.resize(sets, 0);
        counts.people[marks.0 as usize] += 1;
    }
}

fn append<K: Ord>(all: &mut BTreeMap<K, Met>, later: BTreeMap<K, Met>) {
    for (key, met) in later {
        all.entry(key).or_default().append(&met);
    }
}

impl Seen {
    /// Goes on with what was seen further down.
    pub fn append(&mut self, later: Seen) {
        self.rows += later.rows;
        self.fit_rows += later.fit_rows;
        self.added += later.added;
        self.has_other_letters |= later.has_other_letters;
        self.kept.extend(later.kept);
        self.counts.add(later.counts);
        append(&mut self.refused, later.refused);
        append(&mut self.addresses, later.addresses);
        append(&mut self.unfit, later.unfit);
        append(&mut self.formulas, later.formulas);
        append(&mut self.doubts, later.doubts);
        self.changed.append(&later.changed);
        self.duplicates.append(&later.duplicates);
        self.ragged.append(&later.ragged);
        self.looks.resize_with(self.looks.len().max(later.looks.len()), Looks::default);
        self.looks.iter_mut().zip(&later.looks).for_each(|(looks, later)| looks.append(later));
        self.filled.resize(self.filled.len().max(later.filled.len()), 0);
        self.filled.iter_mut().zip(&later.filled).for_each(|(sum, count)| *sum += count);
        if self.headers.is_empty() {
            self.headers = later.headers;
        }
    }

    fn looks(&self) -> impl Iterator<Item = (usize, Finding)> {
        let all = self.looks.iter().zip(&self.filled).enumerate();
        all.flat_map(|(place, (looks, filled))| {
            looks.findings(*filled).into_iter().map(move |finding| (place, finding))
        })
    }

    /// What keeps the file from being imported.
    pub fn problems(&self, looking: &Looking) -> Vec<Problem> {
        let mut problems = Vec::new();
        for (reason, met) in &self.refused {
            let text = meaning(*reason);
            problems.push(Problem::of_rows(Kind::MustNotBeContacted, reason.name(), text, None, met));
        }
        for (code, met) in &self.addresses {
            let text = match *code {
                "blank-address" => "no address",
                "placeholder-address" => "typed instead of an address, like noemail@…",
                code => Why::from_str(code).map_or("not a valid e-mail address", Why::says),
            };
            problems.push(Problem::of_rows(Kind::Address, code, text, None, met));
        }
        let mut of_rows = |kind, code: &str, text: &str, column: Option<&str>, met: &Met| {
            if met.count > 0 {
                problems.push(Problem::of_rows(kind, code, text, column, met));
            }
        };
        of_rows(Kind::Duplicate, "duplicate", "the same person as a row above", None, &self.duplicates);
        of_rows(Kind::Columns, "number-of-cells", "another number of cells than the header", None, &self.ragged);
        for ((place, fault), met) in &self.unfit {
            of_rows(Kind::Value, "layout", fault, Some(looking.header(*place)), met);
        }
        for (place, met) in &self.formulas {
            of_rows(
                Kind::Formula,
                "formula",
                "a spreadsheet would run it as a formula",
                Some(looking.header(*place)),
                met,
            );
        }
        for ((place, doubt), met) in &self.doubts {
            of_rows(Kind::Spoiled, doubt.code(), doubt.says(), Some(looking.header(*place)), met);
        }
        for (place, finding) in self.looks().filter(|(_, finding)| SPOILED.contains(&finding.code)) {
            let met = Met { count: finding.count, rows: finding.rows.iter().map(|row| RowNumber(*row)).collect() };
            let text = finding.text.split_once(' ').map_or(finding.text.as_str(), |(_, rest)| rest);
            of_rows(Kind::Spoiled, finding.code, text, Some(looking.header(place)), &met);
        }
        problems
    }

    /// What else was seen in the values.
    pub fn findings(&self) -> Vec<Finding> {
        let others = self.looks().filter(|(_, finding)| !SPOILED.contains(&finding.code) && finding.code != "formula");
        others
            .filter(|(_, finding)| finding.weight != Weight::Note)
            .map(|(place, finding)| {
                let header = self.headers.get(place).cloned().unwrap_or_default();
                Finding { text: format!("\"{header}\": {}", finding.text), ..finding }.in_column(header)
            })
            .collect()
    }
}

fn meaning(reason: Reason) -> &'static str {
    match reason {
        Reason::Complained => "reported a mailing as unwanted",
        Reason::OptedOut => "opted out",
        Reason::NoConsent => "pending, or a word about consent that is not known",
        Reason::DoNotContact => "on a do-not-contact list",
        Reason::Bounced => "mail to this address came back",
        Reason::AlreadySent => "has had this mailing",
        Reason::TooOften => "has been written to often enough",
        _ => "on another list",
    }
}

/// Whom an earlier run wrote.
pub(super) struct WrittenThen {
    rows: u64,
    written: HashSet<[u8; 12]>,
    /// The digests of its rows; none where the receipt has none.
    cells: Option<HashSet<u64>>,
}

impl WrittenThen {
    /// Reads the index of people in a receipt.
    pub fn read(receipt: &Path) -> Result<WrittenThen> {
        let path = receipt.join("people.idx");
        let bytes = std::fs::read(&path).map_err(|cause| {
            let what = format!("this is no receipt of a run: {cause}");
            Error::new(ErrorKind::Input, what, "name the folder that the run left, as in --receipt spring-fair.receipt")
                .in_file(&path)
        })?;
        let people = people_index::read(&bytes).ok_or_else(|| {
            let advice = "run the job again; its receipt is then whole";
            Error::new(ErrorKind::Input, "this is no index of people, or it is not whole", advice).in_file(&path)
        })?;
        let mut rows = HashSet::new();
        let mut written = HashSet::new();
        for person in people.filter(|person| person.is_written) {
            rows.insert(person.row);
            written.insert(person.identity);
        }
        let path = receipt.join("written.idx");
        let cells = match std::fs::read(&path) {
            Ok(bytes) => Some(written_rows::read(&bytes).map(Iterator::collect).ok_or_else(|| {
                let advice = "run the job again; its receipt is then whole";
                Error::new(ErrorKind::Input, "this is no index of rows, or it is not whole", advice).in_file(&path)
            })?),
            // What an earlier version wrote has none.
            Err(cause) if cause.kind() == std::io::ErrorKind::NotFound => None,
            Err(cause) => return Err(Error::unreadable(&path, &cause)),
        };
        Ok(WrittenThen { rows: rows.len() as u64, written, cells })
    }

    fn look(&self, again: &RowAgain, width: usize, number: RowNumber, seen: &mut Seen) {
        let address = &again.contact.address;
        if address.is_usable() {
            let identity = stable_digest(address.identity);
            if !self.written.contains(&identity) {
                seen.added += 1;
                return;
            }
            seen.kept.insert(identity);
        }
        if self.cells.as_ref().is_some_and(|cells| !is_written(&again.contact.as_read, width, cells)) {
            seen.changed.at(number);
        }
    }

    /// How the file differs from what was written then.
    pub fn compared(&self, rows: u64, seen: &Seen) -> Since {
        Since {
            written: self.rows,
            rows,
            added: seen.added,
            changed: self.cells.as_ref().map(|_| seen.changed.count),
            first_changed: seen.changed.rows.first().map(|row| row.0),
            missing: self.rows.saturating_sub(seen.kept.len() as u64),
        }
    }
}

/// Whether a row is one that was written. Blank cells at its end do not count: not every format keeps them.
fn is_written(record: &Record, width: usize, written: &HashSet<u64>) -> bool {
    let is_filled = |cell: &usize| !cell::value(record.raw(*cell)).is_empty();
    let filled = (0..record.cells()).rev().find(is_filled).map_or(0, |last| last + 1);
    [record.cells(), width, filled].into_iter().any(|cells| written.contains(&row_digest(record, cells)))
}

/// The digest of the first `cells` cells of a row, as it was made when the row was written.
fn row_digest(record: &Record, cells: usize) -> u64 {
    let mut digest = CellDigest::default();
    digest.keep_each();
    (0..cells).for_each(|cell| digest.cell(&cell::value(record.raw(cell))));
    digest.end_row();
    digest.each().first().copied().unwrap_or_default()
}
