//! The rows of people that have several, written to be looked at before anything is merged.

use crate::columns::lines::Line;
use crate::job::Job;
use crate::layout::receipt::{AllColumns, GROUPS, OriginalValues, header_line};
use crate::person::same::PersonKey;
use crate::run::account::people_findings;
use crate::run::decide::copied::Refused;
use crate::run::decide::copies::sort_copies;
use crate::run::decide::known::Known;
use crate::run::decide::read_and_decide;
use crate::run::open::opening::Opening;
use crate::run::setting::Setting;
use crate::run::write::chunk_rows::DECISION;
use pebblebank_table::csv::{Defusing, RawCells};
use pebblebank_table::observe::{Finding, Observer};
use pebblebank_table::sorter::Sorted;
use pebblebank_table::staged::Staged;
use pebblebank_table::staged::placement::Placement;
use pebblebank_table::units::RowId;
use pebblebank_table::{CsvBuffer, Error, ErrorKind, Result};
use schemars::JsonSchema;
use serde::Serialize;
use std::path::PathBuf;

/// What was found.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct DuplicateGroups {
    /// The keys by which rows are one person.
    pub same: Vec<String>,
    /// Contacts read.
    pub read: u64,
    /// People with several rows.
    pub groups: u64,
    /// Their rows.
    pub rows: u64,
    /// The rows of the person that has the most.
    pub largest: u64,
    /// By which key how many of the rows were joined to their survivor.
    pub by_key: Vec<(String, u64)>,
    /// Of the rows that would be merged, those whose survivor is of the same source.
    pub merged_within: u64,
    /// Where they are, if they were written.
    pub file: Option<PathBuf>,
    /// What should be looked at.
    pub findings: Vec<Finding>,
}

/// Writes every row of each person that has several, as it was read, with the number of its group and whether it would
/// survive: groups in the order of their survivors, the survivor first. The job's first import file is what is written.
pub fn write_groups(job: &Job, setting: &Setting, observer: &dyn Observer) -> Result<DuplicateGroups> {
    let job = &job.with_remembered_lists();
    job.check()?;
    let Some(write) = job.writes.first() else {
        return Err(Error::new(ErrorKind::Job, "nothing says where the groups go", "name a file: -o groups.csv"));
    };
    if !write.form.is_plain_csv() {
        let what = format!("the groups are written as CSV, and {} is asked for", write.form.format.name());
        return Err(Error::new(ErrorKind::Job, what, "name a file that ends in .csv").in_file(&write.file));
    }
    let opening = Opening::of(job, setting, observer)?;
    let mut staged = Staged::new(setting.dry_run);
    let output = staged.file(&write.file, Placement::of_file(job.replace))?;
    if job.for_spreadsheet {
        staged.write_for_spreadsheet(output);
    }
    let known = read_and_decide(opening, job, setting, observer)?;
    let columns = known.all_columns();
    let keys: Vec<String> = job.person.same.iter().map(PersonKey::name).collect();
    let mut sorted = sorted_copies(job, &known, &columns, &keys, setting, observer)?;
    let mut found = DuplicateGroups {
        by_key: keys.iter().map(|key| (key.clone(), 0)).collect(),
        read: known.source_counts.iter().map(|counts| counts.contacts).sum(),
        findings: findings(&known, job),
        same: keys,
        groups: 0,
        rows: 0,
        largest: 0,
        merged_within: 0,
        file: None,
    };
    let mut bytes = header_line(GROUPS.into_iter().chain(columns.names_of_originals()));
    let mut group = Group::default();
    while let Some((key, payload)) = sorted.next()? {
        found.count(&mut group, key, payload, &mut bytes);
        if bytes.len() > 1 << 18 {
            staged.write(output, &bytes)?;
            bytes.clear();
        }
    }
    staged.write(output, &bytes)?;
    staged.place()?;
    found.file = (!setting.dry_run).then(|| write.file.clone());
    Ok(found)
}

/// All rows of people that have several, in the order of their groups, each as it is written.
fn sorted_copies(
    job: &Job,
    known: &Known,
    columns: &AllColumns,
    keys: &[String],
    setting: &Setting,
    observer: &dyn Observer,
) -> Result<Sorted> {
    let (settled, sources) = (&known.settled, &known.files.sources);
    let originals: Vec<OriginalValues> = sources.iter().map(|file| OriginalValues::new(columns, file.map())).collect();
    sort_copies(job, known, setting, setting.memory / 4, observer, |copy, payload| {
        let survives = settled.survivor_of(copy.row) == copy.row;
        let mut out = CsvBuffer::new(Defusing::On);
        out.value(if survives { b"yes" } else { b"no" });
        let key = settled.key_of(copy.row);
        out.value(if survives { b"" } else { key.map_or(DECISION, |key| &keys[key]).as_bytes() });
        out.value(job.sources[sources[copy.file].owner.0 as usize].name.as_bytes());
        out.value(sources[copy.file].input.name().as_bytes());
        out.value(settled.place(copy.row).1.to_string().as_bytes());
        originals[copy.file].write(&copy.contact.as_read, RawCells::NeedALook, &mut out);
        out.end_row();
        let survivor_file = settled.place(settled.survivor_of(copy.row)).0.0 as usize;
        let is_within = sources[survivor_file].owner == sources[copy.file].owner;
        let key = key.filter(|_| !survives).map_or(u8::MAX, |key| key as u8);
        payload.extend_from_slice(&[key, u8::from(is_within)]);
        payload.extend_from_slice(&out.bytes);
    })
}

/// What should be looked at; first, who among them must not be contacted.
fn findings(known: &Known, job: &Job) -> Vec<Finding> {
    let settled = &known.settled;
    let with_copies = settled.with_copies();
    let mut refused = Refused::default();
    for row in (0..settled.records() as u32).map(RowId) {
        if settled.line(row) == Line::Contact && with_copies.holds(settled.survivor_of(row)) {
            refused.add(&settled.copied(row));
        }
    }
    let mut findings = known.files.all_findings();
    findings.splice(0..0, refused.finding());
    findings.extend(people_findings::of_switchboards(known, job));
    findings
}

/// The group that is being written.
#[derive(Default)]
struct Group {
    survivor: Vec<u8>,
    rows: u64,
}

impl DuplicateGroups {
    /// Counts a row and adds it to `out`, with the number of its group in front.
    fn count(&mut self, group: &mut Group, key: &[u8], payload: &[u8], out: &mut Vec<u8>) {
        if group.survivor != key[..4] {
            *group = Group { survivor: key[..4].to_vec(), rows: 0 };
            self.groups += 1;
        }
        let [by, is_within, row @ ..] = payload else { return };
        group.rows += 1;
        self.rows += 1;
        self.largest = self.largest.max(group.rows);
        if let Some((_, count)) = self.by_key.get_mut(usize::from(*by)) {
            *count += 1;
            self.merged_within += u64::from(*is_within);
        }
        out.extend_from_slice(format!("{},", self.groups).as_bytes());
        out.extend_from_slice(row);
    }
}
