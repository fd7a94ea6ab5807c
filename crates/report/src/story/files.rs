//! The files that a run read, read again for the words of a few rows and for the entries of lists that they have.

use super::told::{ListEntry, NearMiss, Reading, RowStory};
use crate::receipt::{Input, Place, Receipt};
use pebblebank_core::job::lists::EntriesToCompare;
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::sources::{ReadFiles, Source};
use pebblebank_core::job::{self, Job};
use pebblebank_core::run::retrace::{FileOfRun, NearEntry, NotRead, RetracedRow, Retracing, RowsWanted};
use pebblebank_values::date::Date;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::path::Path;

/// The job of a receipt as its own copy says it; of work without a job file, its sources alone.
pub fn job_of(receipt: &Receipt) -> Job {
    let today = receipt.started.as_deref().and_then(|moment| moment.get(..10)).unwrap_or("1970-01-01");
    let text = std::fs::read_to_string(receipt.path("job.toml"));
    let job = receipt.job_file.as_ref().zip(text.ok());
    let job = job.and_then(|(path, text)| job::file::parse_job(&text, path, today).ok());
    job.unwrap_or_else(|| job_of_sources(receipt, today))
}

fn job_of_sources(receipt: &Receipt, today: &str) -> Job {
    let mut files: BTreeMap<&str, Vec<FilePattern>> = BTreeMap::new();
    let folder = receipt.folder_of_command.as_deref().unwrap_or(Path::new(""));
    for input in receipt.inputs.iter().filter(|input| input.part == "source") {
        let pattern = FilePattern::literal_in(folder, &input.file);
        let files = files.entry(&input.of).or_default();
        files.extend((!files.contains(&pattern)).then_some(pattern));
    }
    let day = Date::from_iso(today).unwrap_or(Date { year: 1970, month: 1, day: 1 });
    let source = |(name, files)| Source::new(name, ReadFiles { files, ..ReadFiles::default() });
    Job { sources: files.into_iter().map(source).collect(), ..Job::new(receipt.job(), day) }
}

/// The files of a run.
pub(super) struct FilesAgain<'a> {
    receipt: &'a Receipt,
    job: &'a Job,
    retracing: Retracing<'a>,
}

/// Files that were not read again, by name, and why.
pub(super) type NotReadFiles = BTreeMap<String, NotRead>;

impl<'a> FilesAgain<'a> {
    pub fn new(receipt: &'a Receipt, job: &'a Job, reading: &Reading<'a>) -> FilesAgain<'a> {
        FilesAgain { receipt, job, retracing: Retracing::new(job, reading.setting, reading.most_of_input) }
    }

    fn file(&self, place: usize) -> FileOfRun {
        let input = &self.receipt.inputs[place];
        let is_same = |other: &&Input| (&other.part, &other.of, &other.file) == (&input.part, &input.of, &input.file);
        FileOfRun {
            of: input.of.clone(),
            file: input.file.clone(),
            part: self.receipt.inputs[..place].iter().filter(is_same).count(),
            bytes: input.bytes,
            blake3: input.blake3.clone(),
        }
    }

    /// The numbers of all rows, counted over all sources, that are contacts and have a cell like this.
    pub fn rows_with(&self, is_it: &dyn Fn(&str) -> bool, not_read: &mut NotReadFiles) -> HashSet<u32> {
        let mut found = HashSet::new();
        for (place, input) in self.receipt.inputs.iter().enumerate().filter(|(_, input)| input.part == "source") {
            match self.retracing.rows(&self.file(place), &RowsWanted::WithCell(is_it)) {
                Ok(rows) => found.extend(rows.iter().filter_map(|row| {
                    let number = self.receipt.number(&Place { input: place, row: row.row })?;
                    u32::try_from(number).ok()
                })),
                Err(why) => {
                    not_read.insert(input.file.clone(), why);
                }
            }
        }
        found
    }

    /// Rows, as they are read again.
    pub fn rows(&self, of: &[RowStory], not_read: &mut NotReadFiles) -> HashMap<Place, RetracedRow> {
        let mut wanted: BTreeMap<usize, BTreeSet<u64>> = BTreeMap::new();
        for row in of {
            wanted.entry(row.place.input).or_default().insert(row.place.row);
        }
        let mut found = HashMap::new();
        for (input, numbers) in wanted {
            match self.retracing.rows(&self.file(input), &RowsWanted::Numbers(&numbers)) {
                Ok(rows) => found.extend(rows.into_iter().map(|row| (Place { input, row: row.row }, row))),
                Err(why) => {
                    not_read.insert(self.receipt.inputs[input].file.clone(), why);
                }
            }
        }
        found
    }

    /// The entries of lists that these rows have or came close to. Of the lists that cannot be read again, those are named
    /// that the receipt tells of.
    pub fn entries(
        &self,
        rows: &[&RetracedRow],
        told: &[RowStory],
        near: &[NearMiss],
        not_read: &mut NotReadFiles,
    ) -> Vec<ListEntry> {
        let named: HashSet<&str> = told.iter().flat_map(|row| row.details.split("; ")).collect();
        let near: Vec<NearEntry> =
            near.iter().map(|near| NearEntry { list: near.list.clone(), shown: near.entry.clone() }).collect();
        let mut found = Vec::new();
        for (place, input) in self.receipt.inputs.iter().enumerate().filter(|(_, input)| input.part != "source") {
            match self.retracing.entries(&self.file(place), rows, &near) {
                Ok(entries) => found.extend(entries.into_iter().map(|entry| ListEntry {
                    file: input.file.clone(),
                    suppresses: self.suppresses(&entry.list),
                    entry,
                })),
                Err(why) if self.names_of(&input.of).any(|name| is_named(&named, &near, name)) => {
                    not_read.insert(input.file.clone(), why);
                }
                Err(_) => {}
            }
        }
        found
    }

    fn suppresses(&self, list: &str) -> bool {
        self.job.lists.iter().filter_map(|list| list.hold()).any(|hold| hold.name == list)
    }

    /// The names of a list in receipts: its own, that of the suppression that names it, and those of its parts.
    fn names_of<'n>(&'n self, of: &'n str) -> impl Iterator<Item = &'n str> {
        let place = self.job.lists.iter().position(|list| list.name() == of);
        let parts = self.job.lists.iter().skip(place.map_or(usize::MAX, |place| place + 1));
        let parts = parts.take_while(|list| list.is_share()).map(EntriesToCompare::name);
        let hold = place.and_then(|place| self.job.lists[place].hold()).map(|hold| hold.name.as_str());
        std::iter::once(of).chain(hold).chain(parts)
    }

    /// Why the job writes to somebody with one of these addresses although a list has it.
    pub fn allowed(&self, addresses: &[String]) -> Option<String> {
        let mut all = self.job.allow.iter();
        let found = all.find(|allowance| allowance.addresses.iter().any(|address| addresses.contains(address)));
        found.map(|allowance| allowance.why.clone())
    }
}

fn is_named(named: &HashSet<&str>, near: &[NearEntry], list: &str) -> bool {
    named.contains(list) || near.iter().any(|near| near.list == list)
}
