//! All that is known of a job's files before anything is written: opened, read once, and settled who is who.

use super::contact::keys::decided_hashes;
use super::decide::partitions::Entrants;
use super::decide::{self, Namesakes, Settled, Switchboards};
use super::gather::chunks::{FileRead, changed};
use super::gather::counts::{FileCounts, ListCounts, WatchedColumn};
use super::gather::kept::People;
use super::gather::lists::read_lists;
use super::gather::sources::read_sources;
use super::gather::{NotText, date_orders, remembered};
use super::open::check::check_columns;
use super::open::{OpenFile, OpenFiles, Refuted, in_another_encoding, open_again, open_files};
use super::setting::{Setting, folder_for_spooling};
use crate::job::{Job, ListFiles, Remembering};
use crate::layout::receipt::AllColumns;
use crate::suppress::Returned;
use crate::suppress::allowed::Allowed;
use pebblebank_table::Result;
use pebblebank_table::observe::{Finding, Observer, Weight, counted};
use pebblebank_table::units::{ColumnIndex, RowId, SourceId};
use pebblebank_values::date::Date;
use pebblebank_values::headers::{self, Meaning};
use std::path::{Path, PathBuf};

/// The files of a job, opened and not yet read.
pub struct Opening {
    files: OpenFiles,
    spool_folder: PathBuf,
}

/// All that is known once every row was read and it is settled who is who.
pub struct Known {
    /// The files.
    pub files: OpenFiles,
    /// Who is who.
    pub settled: Settled,
    /// What was counted of each source file.
    pub source_counts: Vec<FileCounts>,
    /// What was counted of each list file.
    pub list_files: Vec<FileCounts>,
    /// What was counted of each list, and of the people whom the job names.
    pub entrants: Entrants,
    /// Whether what is remembered was looked up, so that its other entries are not there.
    pub looked_up: bool,
    /// Where what does not fit into memory may wait.
    pub spool_folder: PathBuf,
}

impl Opening {
    /// Opens the files of a job.
    pub fn of(job: &Job, setting: &Setting, observer: &dyn Observer) -> Result<Opening> {
        let spool_folder = folder_for_spooling(job, setting);
        Ok(Opening { files: open_files(job, &spool_folder, observer)?, spool_folder })
    }

    /// The files of the sources.
    pub fn sources(&self) -> &[OpenFile<SourceId>] {
        &self.files.sources
    }

    /// Whether one of them lies at `path`.
    pub fn reads(&self, path: &Path) -> bool {
        let sources = self.files.sources.iter().map(|file| &file.input);
        sources.chain(self.files.lists.iter().map(|file| &file.input)).any(|input| input.is_at(path))
    }

    /// Fits a job to them that has changed since they were opened.
    pub fn plan(&mut self, job: &Job) -> Result<()> {
        self.files.plan(job);
        check_columns(job, &self.files)
    }

    /// Reads them, and settles who is who.
    pub fn read(self, job: &Job, setting: &Setting, observer: &dyn Observer) -> Result<Known> {
        let Opening { files, spool_folder } = self;
        let (mut files, people, counted) = read_everything(files, job, setting, &spool_folder, observer)?;
        let Counted { files: source_counts, list_files, entrants, looked_up } = counted;
        let of_dates = date_orders::decide(&mut files, &source_counts, job)?;
        files.findings.extend(of_dates);
        let decisions = files.decisions.as_ref();
        let settled = decide::settle(people, &entrants, job, decisions, &spool_folder, setting.threads, observer)?;
        Ok(Known { files, settled, source_counts, list_files, entrants, looked_up, spool_folder })
    }
}

impl Known {
    /// Values that too many addresses share to be those of one person.
    pub fn switchboards(&self, job: &Job) -> Vec<Finding> {
        self.settled.switchboards.iter().map(|boards| self.switchboard(boards, job)).collect()
    }

    /// What should be said of the decisions about persons; the numbers are those of the lines of their file.
    pub fn decisions(&self, job: &Job) -> Vec<Finding> {
        let Some(path) = &job.person.decisions else { return Vec::new() };
        let file = path.display().to_string();
        let decided = &self.settled.decided;
        let mut findings = Vec::new();
        if self.files.decisions.is_none() {
            let text = "the file of decisions is not there yet; pebblebank review makes it";
            findings.push(Finding::new("no-decisions-yet", Weight::Note, text).in_file(&file));
        }
        let nobody = "about somebody who is in no source; nothing came of it";
        let joined = "that two people are different, whom the keys in same = make one person all the same";
        let said = [
            ("decisions-about-nobody", Weight::Note, &decided.about_nobody, nobody),
            ("decision-against-keys", Weight::Doubt, &decided.joined_by_keys, joined),
        ];
        for (code, weight, met, what) in said.into_iter().filter(|(_, _, met, _)| met.count > 0) {
            let text = format!("{} {what}", counted(met.count, "decision", "", "").trim_end());
            findings.push(Finding::new(code, weight, text).in_file(&file).at_rows(met));
        }
        findings
    }

    /// Entries of lists that go by another field, such as a name, and are several persons, all of whom are held.
    pub fn namesakes(&self, job: &Job) -> Vec<Finding> {
        let place = |row: &RowId| {
            let (file, number) = self.settled.place(*row);
            format!("{} row {number}", self.files.sources[file.0 as usize].input.name())
        };
        let finding = |namesakes: &Namesakes| {
            let list = &job.lists[namesakes.list.0 as usize];
            let what = if list.hold.is_some() { "all of whom are held" } else { "all of whom are in it" };
            let text = format!(
                "{} of \"{}\" {} several persons, {what}; for example in {}",
                counted(namesakes.entries, "value", "", "").trim_end(),
                list.name,
                if namesakes.entries == 1 { "is that of" } else { "are those of" },
                namesakes.examples.iter().map(place).collect::<Vec<_>>().join(", ")
            );
            Finding { count: namesakes.persons, ..Finding::new("namesakes", Weight::Doubt, text) }
        };
        self.settled.namesakes.iter().map(finding).collect()
    }

    fn switchboard(&self, boards: &Switchboards, job: &Job) -> Finding {
        let place = |row: &RowId| {
            let (file, number) = self.settled.place(*row);
            format!("{} row {number}", self.files.sources[file.0 as usize].input.name())
        };
        let text = format!(
            "{} of {} shared by more than {} addresses (largest_group) did not make their {} one person; for example in {}",
            counted(boards.values, "value", "", "").trim_end(),
            job.person.same[boards.key].name(),
            job.person.largest_group,
            counted(boards.rows, "row", "", "").trim_end(),
            boards.examples.iter().map(place).collect::<Vec<_>>().join(", ")
        );
        Finding { count: boards.rows, ..Finding::new("switchboard", Weight::Doubt, text) }
    }

    /// Fails where a list is no longer what it was when its entries were compared. `read` are its files, read again.
    pub(crate) fn check_lists_again(&self, read: &[FileRead]) -> Result<()> {
        for (file, (again, first)) in self.files.lists.iter().zip(read.iter().zip(&self.list_files)) {
            if again.fingerprint != first.fingerprint {
                return Err(changed(file.input.path()));
            }
        }
        Ok(())
    }

    /// The columns of all sources together.
    pub fn all_columns(&self) -> AllColumns {
        let mut columns = AllColumns::of(self.files.sources.iter().map(OpenFile::map));
        columns.has_surplus = self.source_counts.iter().any(|counts| counts.long_rows.count > 0);
        columns
    }
}

/// What the first pass counted.
struct Counted {
    files: Vec<FileCounts>,
    list_files: Vec<FileCounts>,
    entrants: Entrants,
    looked_up: bool,
}

/// The first pass. Starts over once where the rest of a file refutes what its beginning suggested.
fn read_everything(
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
fn with_another_encoding(mut files: OpenFiles, job: &Job, place: NotText) -> Result<Option<OpenFiles>> {
    match place {
        NotText::List(index) => {
            let file = files.lists.swap_remove(index);
            let read = &job.lists[file.owner.0 as usize].read;
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
fn consent_after_all(file: &OpenFile<SourceId>, counts: &FileCounts) -> Vec<ColumnIndex> {
    let is_status = |column: ColumnIndex| headers::recognise(file.map().header(column)) == Some(Meaning::MaybeConsent);
    let watched = file.map().watched.iter().zip(&counts.watched);
    let is_found = |(column, seen): &(&ColumnIndex, &WatchedColumn)| {
        seen.words * 2 > seen.filled && (is_status(**column) || seen.refusals > 0)
    };
    watched.filter(is_found).map(|(column, _)| *column).collect()
}

fn first_pass(
    job: &Job,
    files: &OpenFiles,
    setting: &Setting,
    spool_folder: &Path,
    not_text: &mut Option<NotText>,
    observer: &dyn Observer,
) -> Result<(People, Counted)> {
    let estimated = files.sources.iter().map(|file| file.records_estimated).sum();
    let has_ranks = files.row_keys.iter().any(Option::is_some);
    let mut people = People::new(job.clean.identity, setting.memory, estimated, has_ranks, spool_folder)?;
    people.checks.lists_of_addresses = job.lists.iter().map(ListFiles::is_of_addresses).collect();
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
    let counts = read_sources(files, setting, &mut people, not_text, observer)?;
    Ok((people, Counted { files: counts, list_files, entrants, looked_up }))
}

/// Adds the addresses that the job allows, under everything that a list may hold them by.
fn add_allowances(job: &Job, people: &mut People, entrants: &mut Entrants) -> Result<()> {
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
    people.checks.allowed = Allowed::new(identities, &job.lists);
    Ok(())
}
