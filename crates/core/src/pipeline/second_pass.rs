//! The second pass: read again, require, lay out, write. Every contact ends in exactly one place.

use super::Setting;
use super::chunks::{ChunkJob, Reading};
use super::first_pass::{address_value, checksum};
use super::in_order::in_order;
use super::learned::{self, Learning};
use super::near_misses::NearMissed;
use super::open::{OpenFile, OpenFiles};
use super::people_index;
use super::picking::{Candidate, Picked, Picking};
use super::settle::{Cleared, Settled, Standing};
use super::supply::{Supplied, SuppliedColumns, Supplies, Supply, SupplyKind};
use super::tally::{Account, Company, RepairCounts};
use crate::clean::address::{Address, AddressCleaner, State};
use crate::clean::consent::{self, Consent, Statement};
use crate::clean::replace::{Change, Replaced};
use crate::clean::suggest::{self, DomainLooks};
use crate::clean::{CleaningPlan, Doubt, RowCleaner, Rule, Rules, audience, decoded_twice};
use crate::columns::{ColumnMap, ConsentColumn, Field};
use crate::error::{Error, ErrorKind, Result};
use crate::job::{Job, Layout, OnViolation, Passing};
use crate::observe::{Met, Observer, Stage};
use crate::person::PersonKey;
use crate::read::split::RecordBuffer;
use crate::read::{Chunk, Record, Records, Shape, cell};
use crate::require::RequirementPlan;
use crate::select::SelectionPlan;
use crate::suppress::{Mark, MarkSet, Reason};
use crate::units::{ColumnIndex, FileId, RowId, RowNumber, SourceId};
use crate::write::csv::{CsvBuffer, Defusing, RawCells};
use crate::write::layout::LayoutPlan;
use crate::write::receipt::{AllColumns, OriginalValues};
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};

/// Where the rows of the second pass go.
pub trait Sink: Send {
    /// Takes the rows of the next chunk.
    fn take(&mut self, rows: &Rows) -> Result<()>;
}

/// The rows of one chunk, laid out.
pub struct Rows {
    /// For each import file.
    pub imports: Vec<CsvBuffer>,
    /// For each import file what its rows are sorted by; empty where they are not.
    pub orders: Vec<RowOrder>,
    /// Rows that could be written, with what decides who is picked, where that is to be found out.
    pub candidates: Vec<Candidate>,
    /// Rows set aside.
    pub set_aside: CsvBuffer,
    /// Rows merged.
    pub merged: CsvBuffer,
    /// Repairs.
    pub repairs: CsvBuffer,
    /// Repairs that are suggested.
    pub suggestions: CsvBuffer,
    /// Records of `people.idx`.
    pub people: Vec<u8>,
    /// What the bank learns.
    pub learned: Vec<u8>,
    counts: Counts,
}

/// What the rows of a buffer are sorted by.
#[derive(Debug, Default)]
pub struct RowOrder {
    keys: Vec<u8>,
    /// Where each key and each row ends.
    ends: Vec<(usize, usize)>,
}

impl RowOrder {
    fn clear(&mut self) {
        self.keys.clear();
        self.ends.clear();
    }

    /// The keys, each with its row out of `rows`.
    pub fn rows<'a>(&'a self, rows: &'a [u8]) -> impl Iterator<Item = (&'a [u8], &'a [u8])> {
        let mut at = (0, 0);
        self.ends.iter().map(move |(key_end, row_end)| {
            let found = (&self.keys[at.0..*key_end], &rows[at.1..*row_end]);
            at = (*key_end, *row_end);
            found
        })
    }
}

/// What is counted in the second pass.
#[derive(Debug, Clone, Default)]
pub struct Counts {
    /// Rows written, merged, set aside; `read` stays 0.
    pub account: Account,
    /// Repairs.
    pub repairs: RepairCounts,
    /// Repairs that are suggested.
    pub suggestions: RepairCounts,
    /// Values that could not be cleaned or look like something else, by file and column.
    pub doubts: BTreeMap<(FileId, ColumnIndex, Doubt), Met>,
    /// Survivors by what they are marked with, by the number of the combination.
    pub persons: Vec<u64>,
    /// Survivors that have all that the job requires, picked or not, by the number of the combination of marks.
    pub persons_with_key: Vec<u64>,
    /// Rows of the master whose person must not be contacted, by reason.
    pub refused_in_master: BTreeMap<Reason, u64>,
    /// Rows merged into a survivor of the same source.
    pub merged_within: u64,
    /// Rows that are close to an entry of a suppression list and passed everything else.
    pub near_missed: Vec<RowId>,
    /// Rows whose unusable address was written blank.
    pub written_without_address: Met,
    stop: Option<(RowNumber, String)>,
}

impl Counts {
    /// Adds what was counted further down.
    pub fn add(&mut self, later: Counts) {
        self.near_missed.extend(later.near_missed);
        self.account.add(&later.account);
        self.merged_within += later.merged_within;
        for (reason, count) in later.refused_in_master {
            *self.refused_in_master.entry(reason).or_default() += count;
        }
        self.repairs.add(later.repairs);
        self.suggestions.add(later.suggestions);
        for (place, met) in later.doubts {
            self.doubts.entry(place).or_default().append(&met);
        }
        self.written_without_address.append(&later.written_without_address);
        add_each(&mut self.persons, &later.persons);
        add_each(&mut self.persons_with_key, &later.persons_with_key);
    }
}

fn add_each(sums: &mut Vec<u64>, counts: &[u64]) {
    sums.resize(sums.len().max(counts.len()), 0);
    sums.iter_mut().zip(counts).for_each(|(sum, count)| *sum += count);
}

/// The key of rows that somebody decided to be one person.
pub const DECISION: &str = "decision";

/// The job fitted to the columns of one file.
struct FilePlan {
    layouts: Vec<LayoutPlan>,
    requirement: RequirementPlan,
    selection: Option<SelectionPlan>,
    originals: OriginalValues,
    /// The source's and the file's name as two cells.
    name_cells: Vec<u8>,
    source: SourceId,
    /// Its place among the source files.
    file: usize,
    /// Where values go that other rows or lists give.
    supplied: Option<SuppliedColumns>,
}

/// All that the second pass needs to know, the same for every chunk.
pub struct SecondPass<'a> {
    job: &'a Job,
    files: &'a OpenFiles,
    settled: &'a Settled,
    layouts: &'a [Layout],
    plans: Vec<FilePlan>,
    /// What is said of each combination of marks.
    details: Vec<String>,
    /// The keys of the job, as receipts name them.
    key_names: Vec<String>,
    pick: Picking,
    supplies: Option<&'a Supplies>,
    near: Option<&'a NearMissed>,
    spare: Mutex<Vec<Rows>>,
}

impl<'a> SecondPass<'a> {
    /// Fits the job to all files. `layouts` has one for each import file.
    pub fn new(
        job: &'a Job,
        files: &'a OpenFiles,
        settled: &'a Settled,
        layouts: &'a [Layout],
        columns: &AllColumns,
        supplies: Option<&'a Supplies>,
    ) -> SecondPass<'a> {
        let plan = |(file, cleaning): (&OpenFile<SourceId>, &CleaningPlan)| FilePlan {
            layouts: layouts
                .iter()
                .map(|layout| LayoutPlan::new(layout, &cleaning.map, file.is_receipt, job))
                .collect(),
            requirement: RequirementPlan::new(&job.require, &cleaning.map, file.is_receipt),
            selection: job
                .select
                .as_ref()
                .map(|selection| SelectionPlan::new(selection, &cleaning.map, file.is_receipt, job)),
            originals: OriginalValues::new(columns, file.map()),
            name_cells: name_cells(&job.sources[file.owner.0 as usize].name, &file.input.name()),
            source: file.owner,
            file: file.id.0 as usize,
            supplied: files
                .supplied
                .as_ref()
                .map(|supplied| SuppliedColumns::new(supplied, &cleaning.map, file.is_receipt)),
        };
        let plans = files.sources.iter().zip(&files.cleaning).map(plan).collect();
        let details = settled.all_marks().map(|marks| describe(job, marks)).collect();
        let key_names = job.person.same.iter().map(PersonKey::name).collect();
        SecondPass {
            job,
            files,
            settled,
            layouts,
            plans,
            details,
            key_names,
            pick: Picking::All,
            supplies,
            near: None,
            spare: Mutex::default(),
        }
    }

    /// With what was found of near misses, so that the job can set contacts aside for it.
    #[must_use]
    pub fn near_missing(self, near: &'a NearMissed) -> SecondPass<'a> {
        SecondPass { near: Some(near), ..self }
    }

    /// Finds out who is picked, where the job does not want all; so that [`Self::run`] then writes those alone.
    pub fn pick(&mut self, setting: &Setting, observer: &dyn Observer) -> Result<()> {
        let Some(pick) = self.job.pick else { return Ok(()) };
        self.pick = Picking::Asking(pick);
        let mut picked = Picked::new(pick);
        self.read_again(setting, Stage::Picking, &mut picked, observer)?;
        self.pick = picked.decided();
        Ok(())
    }

    /// Reads all sources again and hands their rows to `sink`. Gives the counts of each source.
    pub fn run(&self, setting: &Setting, sink: &mut dyn Sink, observer: &dyn Observer) -> Result<Vec<Counts>> {
        self.read_again(setting, Stage::Writing, sink, observer)
    }

    fn read_again(
        &self,
        setting: &Setting,
        stage: Stage,
        sink: &mut dyn Sink,
        observer: &dyn Observer,
    ) -> Result<Vec<Counts>> {
        let mut counts = vec![Counts::default(); self.job.sources.len()];
        let mut reading = Reading::again(&self.files.sources, &self.settled.chunks, stage, observer);
        let mut supplies = self.supplies.map(Supplies::reader).transpose()?;
        let mut chunks = 0;
        in_order(
            setting.threads,
            || {
                let Some(job) = reading.next()? else { return Ok(None) };
                let end = self.settled.chunks.get(job.index).map(|place| RowId(place.first.0 + place.records));
                let supplies = match (&mut supplies, end) {
                    (Some(supplies), Some(end)) => supplies.up_to(end)?,
                    _ => Vec::new(),
                };
                Ok(Some((job, supplies)))
            },
            || Scratch::new(self.files),
            |(job, supplies), scratch| self.lay_out(&job, &supplies, scratch).map(|rows| (job, rows)),
            |(job, mut rows)| {
                chunks += 1;
                let mut counted = std::mem::take(&mut rows.counts);
                if let Some((row, column)) = counted.stop.take() {
                    return Err(self.violation_stops(job.file, row, &column));
                }
                sink.take(&rows)?;
                counts[self.plans[job.file.0 as usize].source.0 as usize].add(counted);
                job.give_back();
                self.spare.lock().expect("no thread panics while it holds the spare rows").push(rows);
                Ok(())
            },
        )?;
        if chunks < self.settled.chunks.len() {
            let last = self.files.sources.last().map(|file| file.input.path().to_path_buf()).unwrap_or_default();
            return Err(changed(&last));
        }
        Ok(counts)
    }

    fn violation_stops(&self, file: FileId, row: RowNumber, column: &str) -> Error {
        Error::new(
            ErrorKind::Guard,
            format!("the required column \"{column}\" would stay blank, and the layout says to stop then"),
            "fill the cell in the source's own program, or let the layout set such rows aside (on_violation = \"set-aside\")",
        )
        .in_file(self.files.sources[file.0 as usize].input.path())
        .at_row(row)
    }

    fn spare_rows(&self) -> Rows {
        let spare = self.spare.lock().expect("no thread panics while it holds the spare rows").pop();
        let mut rows = spare.unwrap_or_else(|| Rows {
            imports: self.layouts.iter().map(|layout| CsvBuffer::new(defusing(layout))).collect(),
            orders: self.layouts.iter().map(|_| RowOrder::default()).collect(),
            candidates: Vec::new(),
            set_aside: CsvBuffer::new(Defusing::On),
            merged: CsvBuffer::new(Defusing::On),
            repairs: CsvBuffer::new(Defusing::On),
            suggestions: CsvBuffer::new(Defusing::On),
            people: Vec::new(),
            learned: Vec::new(),
            counts: Counts::default(),
        });
        rows.imports.iter_mut().for_each(CsvBuffer::clear);
        rows.orders.iter_mut().for_each(RowOrder::clear);
        rows.candidates.clear();
        for buffer in [&mut rows.set_aside, &mut rows.merged, &mut rows.repairs, &mut rows.suggestions] {
            buffer.clear();
        }
        rows.people.clear();
        rows.learned.clear();
        rows
    }

    fn lay_out(&self, job: &ChunkJob, supplies: &[Supply], scratch: &mut Scratch) -> Result<Rows> {
        let file = &self.files.sources[job.file.0 as usize];
        let place = self.settled.chunks.get(job.index).ok_or_else(|| changed(file.input.path()))?;
        scratch.records.split(&job.chunk, file.dialect);
        if checksum(&job.chunk) != place.checksum || scratch.records.len() != place.records as usize {
            return Err(changed(file.input.path()));
        }
        let mut rows = self.spare_rows();
        let Scratch { records, cleaner, decoded, replaced, values, domains, supplied } = scratch;
        let mut supplies = supplies;
        replaced.changes.clear();
        let may_be_decoded_twice = decoded_twice::may_hold(&job.chunk.bytes);
        let cells = ChunkCells::of(file, &job.chunk);
        let mut chunk = ChunkRows {
            pass: self,
            plan: &self.plans[job.file.0 as usize],
            first_of_file: self.settled.first_of(job.file).0,
            cells: RawCells::NeedALook,
            rows: &mut rows,
            taken_from: &[],
        };
        for index in 0..records.len() {
            let row = RowId(place.first.0 + index as u32);
            let standing = self.settled.standing(row);
            let own = supplies.iter().take_while(|supply| supply.row == row).count();
            let given;
            (given, supplies) = supplies.split_at(own);
            if matches!(standing, Standing::NoContact) {
                continue;
            }
            if self.settled.is_of_master(row) {
                chunk.of_master(row);
                continue;
            }
            let record = records.get(index, &job.chunk.bytes, file.dialect);
            chunk.cells = cells.in_record(&record);
            let after = if file.replacements.is_empty() {
                record
            } else {
                file.replacements.apply(&record, replaced);
                replaced.after(&record)
            };
            let typed = address_value(file.map(), &after);
            let address =
                if self.settled.is_clean(row) { Address::clean_already(&typed) } else { cleaner.clean(&typed) };
            let cells = if replaced.changes.is_empty() { chunk.cells } else { RawCells::NeedALook };
            let meant = if may_be_decoded_twice && decoded_twice::may_hold(after.bytes()) {
                decoded.take(&after, file.map())
            } else {
                Meant { record: after, cells, repairs: &[], replaced: &[], values: None }
            };
            let mut meant = Meant { replaced: &replaced.changes, ..meant };
            if matches!(standing, Standing::Free(_)) {
                values.clean(&self.files.cleaning[job.file.0 as usize], &meant.record, &address);
                meant.record = values.after(&meant.record);
                meant.values = Some(values);
                chunk.suggest(row, &address, domains);
                if let (Some(columns), false) = (&chunk.plan.supplied, given.is_empty()) {
                    meant.record = supplied.apply(&meant.record, address.text, given, columns);
                }
            }
            let taken_from = given.iter().find(|supply| supply.kind == SupplyKind::TakenFrom);
            chunk.taken_from = taken_from.map_or(&[], Supply::names);
            chunk.contact(row, standing, &record, &meant, &typed, &address);
        }
        Ok(rows)
    }
}

/// The error where a file is no longer what it was.
pub(crate) fn changed(file: &std::path::Path) -> Error {
    Error::new(
        ErrorKind::InputChanged,
        "the file changed while it was being read",
        "wait until whatever writes it has finished, then start again; nothing was put in place",
    )
    .in_file(file)
}

fn defusing(layout: &Layout) -> Defusing {
    if layout.defuse { Defusing::On } else { Defusing::Off }
}

/// Which cells of a chunk can be copied without a look at each.
enum ChunkCells {
    /// All: they come from a regular comma-delimited chunk.
    All,
    /// Those of records in which nothing would need quotes.
    OfPlainRecords,
    /// None.
    None,
}

impl ChunkCells {
    fn of(file: &OpenFile<SourceId>, chunk: &Chunk) -> ChunkCells {
        if file.dialect.line_end != b'\n' {
            return ChunkCells::None;
        }
        let has_lone_return =
            || memchr::memchr_iter(b'\r', &chunk.bytes).any(|at| chunk.bytes.get(at + 1) != Some(&b'\n'));
        let is_ours = file.dialect.delimiter == b',' && chunk.shape != Shape::Unusual;
        if is_ours && !has_lone_return() { ChunkCells::All } else { ChunkCells::OfPlainRecords }
    }

    #[inline]
    fn in_record(&self, record: &Record) -> RawCells {
        let fits = match self {
            ChunkCells::All => true,
            ChunkCells::OfPlainRecords => memchr::memchr3(b',', b'"', b'\r', record.bytes()).is_none(),
            ChunkCells::None => false,
        };
        if fits { RawCells::FitAsTheyAre } else { RawCells::NeedALook }
    }
}

fn name_cells(source: &str, file: &str) -> Vec<u8> {
    let mut cells = CsvBuffer::new(Defusing::On);
    cells.value(source.as_bytes());
    cells.value(file.as_bytes());
    cells.bytes
}

/// What a thread reuses from chunk to chunk.
#[derive(Default)]
struct Scratch {
    records: Records,
    cleaner: AddressCleaner,
    decoded: Decoded,
    replaced: Replaced,
    values: RowCleaner,
    domains: DomainLooks,
    supplied: Supplied,
}

impl Scratch {
    fn new(files: &OpenFiles) -> Scratch {
        Scratch { cleaner: AddressCleaner::with(Arc::clone(&files.addresses)), ..Scratch::default() }
    }
}

/// A record as it was meant, before it is laid out.
struct Meant<'a> {
    record: Record<'a>,
    cells: RawCells,
    repairs: &'a [TextRepair],
    replaced: &'a [Change],
    /// What was cleaned in it, if it may be written.
    values: Option<&'a RowCleaner>,
}

impl Meant<'_> {
    /// What could not be cleaned in it, or looks like something else.
    fn doubts(&self) -> &[(ColumnIndex, Doubt)] {
        self.values.map_or(&[], RowCleaner::doubts)
    }
}

/// The header of a column, the text before and after.
type TextRepair = (String, String, String);

/// Puts right what was decoded wrongly before the file was exported. Addresses stay as they are.
#[derive(Default)]
struct Decoded {
    buffer: RecordBuffer,
    cell: CsvBuffer,
    repairs: Vec<TextRepair>,
}

impl Decoded {
    fn take<'a>(&'a mut self, record: &Record<'a>, map: &ColumnMap) -> Meant<'a> {
        self.buffer.clear();
        self.repairs.clear();
        for (column, raw) in record.raw_cells().enumerate() {
            let is_address = map.column(Field::Email) == Some(ColumnIndex(column))
                || map.further_addresses.contains(&ColumnIndex(column));
            let text = cell::text(raw);
            let repaired = if is_address { None } else { decoded_twice::repaired(&text) };
            match repaired {
                Some(repaired) => {
                    self.cell.clear();
                    self.cell.value(repaired.as_bytes());
                    self.buffer.cell(self.cell.bytes.strip_suffix(b",").unwrap_or(&self.cell.bytes));
                    let header = map.headers.get(column).cloned().unwrap_or_default();
                    self.repairs.push((header, text.into_owned(), repaired));
                }
                None => self.buffer.cell(raw),
            }
        }
        Meant {
            record: self.buffer.record(),
            cells: RawCells::NeedALook,
            repairs: &self.repairs,
            replaced: &[],
            values: None,
        }
    }
}

/// One chunk, being laid out.
struct ChunkRows<'a, 'b> {
    pass: &'b SecondPass<'a>,
    plan: &'b FilePlan,
    /// The file's first record.
    first_of_file: u32,
    cells: RawCells,
    rows: &'b mut Rows,
    /// What the person's survivor was given from this row.
    taken_from: &'b [u8],
}

impl<'b> ChunkRows<'_, 'b> {
    fn contact(
        &mut self,
        row: RowId,
        standing: Standing,
        record: &Record,
        meant: &Meant,
        typed: &[u8],
        address: &Address,
    ) {
        let number = RowNumber(u64::from(row.0 - self.first_of_file) + 1);
        if !address.rules.is_empty() {
            self.address_repairs(number, address.rules, typed, address.text);
        }
        let fate = match standing {
            Standing::NoContact => return,
            Standing::Merged(survivor) => {
                self.merged(row, number, survivor, record);
                people_index::Fate::Merged
            }
            Standing::Held(reason, marks) => {
                if self.pass.settled.survivor_of(row) == row {
                    self.count_person(marks);
                }
                let pass: &'b SecondPass = self.pass;
                let details = &pass.details[marks.0 as usize];
                self.set_aside(number, reason, details, record);
                people_index::Fate::SetAside(reason)
            }
            Standing::Free(cleared) => {
                let set = self.pass.settled.marks_of(row);
                let marks = self.pass.settled.marks(set);
                self.count_person(set);
                for (column, doubt) in meant.doubts() {
                    self.doubt(number, *column, *doubt);
                }
                let fault = self.fault(row, meant, address, marks);
                let lacks_nothing = fault.as_ref().is_none_or(|(reason, _)| *reason >= Reason::NotSelected);
                if self.pass.job.compares && lacks_nothing {
                    let persons = &mut self.rows.counts.persons_with_key;
                    persons.resize(self.pass.settled.mark_sets(), 0);
                    persons[set.0 as usize] += 1;
                }
                let passed = fault.as_ref().is_none_or(|(reason, _)| *reason == Reason::NearMiss);
                if passed && self.pass.near.is_some_and(|near| near.of(row).is_some()) {
                    self.rows.counts.near_missed.push(row);
                }
                if let Some((reason, details)) = fault {
                    if reason == Reason::LayoutViolation {
                        self.note_violation(number, &details);
                    }
                    self.set_aside(number, reason, &details, record);
                    people_index::Fate::SetAside(reason)
                } else if let Some(candidate) = self.pass.pick.candidate(row, address) {
                    self.rows.candidates.push(candidate);
                    people_index::Fate::Written
                } else {
                    self.written(row, number, cleared, meant, address, marks);
                    people_index::Fate::Written
                }
            }
        };
        let survivor = match standing {
            Standing::Merged(survivor) => survivor,
            _ => row,
        };
        if self.pass.job.remember.is_anything() {
            self.learn(survivor, fate, address, record);
        }
        people_index::add(&mut self.rows.people, address, row, survivor, fate);
    }

    /// Keeps for the bank who was written, and who refused in a source: all identities of the person, but of a bounce only
    /// the row's own address.
    fn learn(&mut self, survivor: RowId, fate: people_index::Fate, address: &Address, record: &Record) {
        let remember = self.pass.job.remember;
        let learned = &mut self.rows.learned;
        if fate == people_index::Fate::Written {
            if remember.prepared && address.is_usable() {
                learned::add(learned, Learning::Prepared, address.identity);
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
            for identity in identities(address, map, record) {
                learned::add(learned, Learning::Refused(reason), identity.as_bytes());
            }
        }
        let bounced = |column: &ConsentColumn| {
            let value = cell::text(record.raw(column.column.0));
            consent::read(&value, column.yes_means) == Statement::Says(Consent::Bounced)
        };
        if remember.bounced && address.is_usable() && says(Consent::Bounced) && map.consents.iter().any(bounced) {
            learned::add(learned, Learning::Refused(Reason::Bounced), address.identity);
        }
    }

    /// A row of the master stays as it is.
    fn of_master(&mut self, row: RowId) {
        let counts = &mut self.rows.counts;
        counts.account.written += 1;
        if let Some(reason) = self.pass.settled.refusal(row) {
            *counts.refused_in_master.entry(reason).or_default() += 1;
        }
        if self.pass.settled.survivor_of(row) == row {
            self.count_person(self.pass.settled.marks_of(row));
        }
    }

    fn count_person(&mut self, marks: MarkSet) {
        if marks != MarkSet::NONE {
            let persons = &mut self.rows.counts.persons;
            if persons.is_empty() {
                persons.resize(self.pass.settled.mark_sets(), 0);
            }
            persons[marks.0 as usize] += 1;
        }
    }

    /// Why a person that nothing holds is not written, gravest first.
    fn fault(&self, row: RowId, meant: &Meant, address: &Address, marks: &[Mark]) -> Option<(Reason, String)> {
        let record = &meant.record;
        let usable: &[u8] = if address.is_usable() { address.text } else { b"" };
        if self.plan.requirement.needs_address() {
            match address.state {
                State::Usable => {}
                State::Blank => return Some((Reason::BlankAddress, String::new())),
                State::Invalid(fault) => return Some((Reason::InvalidAddress, fault.name().to_owned())),
                State::Placeholder => return Some((Reason::PlaceholderAddress, String::new())),
            }
        }
        if self.pass.job.compares && !self.pass.settled.has_key(row) {
            return Some((Reason::MissingField, self.pass.key_names.join(", ")));
        }
        if let Some(lacks) = self.plan.requirement.lacks(record, meant.doubts(), usable) {
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
        let violation = self.plan.layouts.iter().find_map(|layout| layout.violation(record, usable, marks));
        if let Some(column) = violation {
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
    fn unwanted(&self, address: &Address) -> Option<(Reason, String)> {
        let clean = &self.pass.job.clean;
        if clean.role == Passing::SetAside && audience::is_role(address.local()) {
            return Some((Reason::RoleAddress, String::new()));
        }
        let is_disposable = clean.disposable == Passing::SetAside && clean.disposable_domains.holds(address.domain());
        is_disposable.then(|| (Reason::DisposableDomain, String::from_utf8_lossy(address.domain()).into_owned()))
    }

    fn note_violation(&mut self, number: RowNumber, column: &str) {
        let stops = self.pass.layouts.iter().any(|layout| {
            layout.on_violation == OnViolation::Stop && layout.columns.iter().any(|other| other.name == column)
        });
        if stops && self.rows.counts.stop.is_none() {
            self.rows.counts.stop = Some((number, column.to_owned()));
        }
    }

    /// What is likely meant by an address, where the job does not have it mended.
    fn suggest(&mut self, row: RowId, address: &Address, domains: &mut DomainLooks) {
        let slips = &self.pass.files.addresses.slips;
        let number = RowNumber(u64::from(row.0 - self.first_of_file) + 1);
        match address.state {
            State::Blank | State::Placeholder => return,
            State::Invalid(_) => {}
            State::Usable => {
                let look = domains.look(address.domain(), slips);
                if !look.has_known_top_level
                    && let Some(column) = self.pass.files.sources[self.plan.file].map().column(Field::Email)
                {
                    self.doubt(number, column, Doubt::UnknownTopLevelDomain);
                }
                if !look.is_slip {
                    return;
                }
            }
        }
        let text = String::from_utf8_lossy(address.text);
        let Some((mended, rules)) = suggest::mended(&text, suggest::ALL, slips) else { return };
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

    fn written(
        &mut self,
        row: RowId,
        number: RowNumber,
        cleared: Cleared,
        meant: &Meant,
        address: &Address,
        marks: &[Mark],
    ) {
        let usable: &[u8] = if address.is_usable() { address.text } else { b"" };
        if !address.is_usable() && address.state != State::Blank {
            self.rows.counts.written_without_address.at(number);
        }
        let Rows { imports, orders, repairs, counts, .. } = &mut *self.rows;
        for ((layout, import), order) in self.plan.layouts.iter().zip(imports).zip(orders) {
            layout.write(cleared, &meant.record, usable, marks, meant.cells, import);
            if !layout.sort().is_empty() {
                layout.sort().add_key(&meant.record, usable, row, &mut order.keys);
                order.ends.push((order.keys.len(), import.bytes.len()));
            }
        }
        let headers = &self.pass.files.sources[self.plan.file].map().headers;
        for change in meant.replaced {
            let (before, after) = (change.before.as_bytes(), change.after.as_bytes());
            counts.repairs.count(Rule::Replacement, Company::Alone, before, after);
            let header = headers.get(change.column.0).map_or("", String::as_str);
            repair_row(repairs, Rule::Replacement, &self.plan.name_cells, number, header, before, after);
        }
        for (header, before, after) in meant.repairs {
            let (before, after) = (before.as_bytes(), after.as_bytes());
            counts.repairs.count(Rule::DecodedTwice, Company::Alone, before, after);
            repair_row(repairs, Rule::DecodedTwice, &self.plan.name_cells, number, header, before, after);
        }
        for (column, rules, before, after) in meant.values.iter().flat_map(|values| values.repairs()) {
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

    fn merged(&mut self, row: RowId, number: RowNumber, survivor: RowId, record: &Record) {
        let (survivor_file, survivor_number) = self.pass.settled.place(survivor);
        let is_same_source = self.pass.plans[survivor_file.0 as usize].source == self.plan.source;
        self.rows.counts.merged_within += u64::from(is_same_source);
        let out = &mut self.rows.merged;
        let key = self.pass.settled.key_of(row).map_or(DECISION, |key| &self.pass.key_names[key]);
        out.value(key.as_bytes());
        out.bytes.extend_from_slice(&self.plan.name_cells);
        number_cell(out, number.0);
        out.bytes.extend_from_slice(&self.pass.plans[survivor_file.0 as usize].name_cells);
        number_cell(out, survivor_number.0);
        out.value(self.taken_from);
        self.plan.originals.write(record, self.cells, out);
        self.rows.counts.account.merged += 1;
    }

    fn set_aside(&mut self, number: RowNumber, reason: Reason, details: &str, record: &Record) {
        let out = &mut self.rows.set_aside;
        out.value(reason.name().as_bytes());
        out.value(details.as_bytes());
        out.bytes.extend_from_slice(&self.plan.name_cells);
        number_cell(out, number.0);
        self.plan.originals.write(record, self.cells, out);
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

/// Every usable address of a row.
fn identities(address: &Address, map: &ColumnMap, record: &Record) -> Vec<String> {
    let text = |identity: &[u8]| String::from_utf8_lossy(identity).into_owned();
    let mut all: Vec<String> = address.is_usable().then(|| text(address.identity)).into_iter().collect();
    all.extend(address.further.iter().cloned());
    let mut cleaner = AddressCleaner::default();
    for column in &map.further_addresses {
        let value = cell::value(record.raw(column.0));
        let further = cleaner.clean(&value);
        all.extend(further.is_usable().then(|| text(further.identity)));
        all.extend(further.further.iter().cloned());
    }
    all
}

fn company_of(rules: Rules) -> Company {
    if rules.is_one() { Company::Alone } else { Company::WithOthers }
}

/// Every list that holds a person and everything that refuses contact, in words.
pub(crate) fn describe(job: &Job, marks: &[Mark]) -> String {
    let source = |id: &SourceId| &job.sources[id.0 as usize].name;
    let words = |consent: &Consent| match consent {
        Consent::OptedIn => "opted in",
        Consent::Pending => "pending",
        Consent::Unlisted => "an unknown word about consent",
        Consent::OptedOut => "opted out",
        Consent::Complained => "complained",
        Consent::Bounced => "bounced",
    };
    let of_mark = |mark: &Mark| match mark {
        Mark::On(list) => job.lists[list.0 as usize].hold.as_ref().map(|hold| hold.name.clone()),
        Mark::Said(Consent::OptedIn, _) | Mark::From(_) | Mark::RemovedByHand | Mark::Lifted(_) | Mark::Allowed(_) => {
            None
        }
        Mark::Said(consent, id) => Some(format!("{} in {}", words(consent), source(id))),
        Mark::RefusedElsewhere(consent, id) => {
            Some(format!("{} in {} under another of the person's addresses", words(consent), source(id)))
        }
    };
    marks.iter().filter_map(of_mark).collect::<Vec<_>>().join("; ")
}

fn repair_row(
    out: &mut CsvBuffer,
    rule: Rule,
    name_cells: &[u8],
    number: RowNumber,
    field: &str,
    before: &[u8],
    after: &[u8],
) {
    out.value(rule.name().as_bytes());
    out.bytes.extend_from_slice(name_cells);
    number_cell(out, number.0);
    out.value(field.as_bytes());
    out.value(before);
    out.value(after);
    out.end_row();
}

/// Adds a number without taking memory for it.
fn number_cell(out: &mut CsvBuffer, mut number: u64) {
    let mut digits = [0u8; 20];
    let mut at = digits.len();
    loop {
        at -= 1;
        digits[at] = b'0' + (number % 10) as u8;
        number /= 10;
        if number == 0 {
            break;
        }
    }
    out.bytes.extend_from_slice(&digits[at..]);
    out.bytes.push(b',');
}
