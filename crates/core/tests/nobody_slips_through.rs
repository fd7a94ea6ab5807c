//! Lists and sources in the shapes in which people keep them: nobody who must not be contacted is written, nobody is lost,
//! and few of them make the run stop and ask.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod shapes;

use pebblebank_core::job::lists::SuppressionList;
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::sources::{ReadFiles, Source};
use pebblebank_core::job::{Job, Write};
use pebblebank_core::run::run;
use pebblebank_core::run::setting::Setting;
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::observe::Silent;
use pebblebank_values::date::Date;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// What came of many runs.
#[derive(Debug, Default)]
struct Outcomes {
    runs: u64,
    /// Runs that wrote somebody who must not be contacted.
    let_through: Vec<u64>,
    /// Runs that lost a contact: neither written nor set aside for what the truth says.
    lost: Vec<u64>,
    /// Runs that stopped, by why.
    stopped: BTreeMap<String, Vec<u64>>,
    /// The first files that went wrong, to be looked at.
    shown: Vec<String>,
}

impl Outcomes {
    /// Keeps a file that went wrong.
    fn show(&mut self, why: &str, seed: u64, shape: &str) {
        const SHOWN: usize = 3;
        let head = format!("--- {}", why.split(' ').next().unwrap_or_default());
        if self.shown.iter().filter(|shown| shown.starts_with(&head)).count() < SHOWN {
            let lines: String = shape.lines().take(14).map(|line| format!("{line}\n")).collect();
            self.shown.push(format!("--- {why} {seed}\n{lines}"));
        }
    }

    fn stops(&self) -> usize {
        self.stopped.values().map(Vec::len).sum()
    }

    fn report(&self, what: &str) -> String {
        let why: Vec<String> = self
            .stopped
            .iter()
            .map(|(why, seeds)| format!("{why}: {} (such as {:?})", seeds.len(), &seeds[..seeds.len().min(4)]))
            .collect();
        format!(
            "{} {what}: {} let somebody through {:?}, {} lose a contact {:?}, {} stop ({})",
            self.runs,
            self.let_through.len(),
            &self.let_through[..self.let_through.len().min(8)],
            self.lost.len(),
            &self.lost[..self.lost.len().min(8)],
            self.stops(),
            why.join("; ")
        )
    }
}

fn read(folder: &Path, name: &str) -> ReadFiles {
    ReadFiles { files: vec![FilePattern::literal(folder.join(name))], ..ReadFiles::default() }
}

/// Runs a job; gives the addresses written, or why it stopped.
fn written(job: &Job, folder: &Path) -> Result<BTreeSet<String>, String> {
    let setting = Setting {
        threads: 1,
        memory: 1 << 30,
        dry_run: false,
        preview_rows: 20,
        spool_folder: folder.to_path_buf(),
        started: String::new(),
        arguments: Vec::new(),
        folder: String::new(),
        peak_memory: || None,
        log: Vec::new,
    };
    let finished = run(job, &setting, &Silent).map_err(|error| error.what().chars().take(60).collect::<String>())?;
    if let Some(guard) = finished.tripped.first() {
        return Err(guard.guard.to_owned());
    }
    let text = std::fs::read_to_string(folder.join("out.csv")).unwrap();
    let mut rows = csv::Reader::from_reader(text.as_bytes());
    let place = rows.headers().unwrap().iter().position(|header| header == "email").unwrap();
    Ok(rows.records().map(|row| row.unwrap()[place].to_owned()).collect())
}

fn job(folder: &Path) -> Job {
    let mut job = Job::new("shapes", Date { year: 2026, month: 3, day: 2 });
    let file = folder.join("out.csv");
    job.writes.push(Write::as_copied(file, "out.csv"));
    job.replace = true;
    job.guards.write_at_least = 0;
    job
}

/// Holds so many lists against a plain source that has everybody whom they name, and others.
fn hold_lists(seeds: std::ops::Range<u64>) -> Outcomes {
    let folder = tempfile::tempdir().unwrap();
    let mut outcomes = Outcomes::default();
    for seed in seeds {
        let list = shapes::list(seed, 100);
        let others: Vec<String> = (1..40).map(|number| shapes::address(number + 20_000)).collect();
        let at_domains = list.domains.iter().map(|domain| format!("desk@{domain}"));
        let held: BTreeSet<String> = list.addresses.iter().cloned().chain(at_domains).collect();
        let people: Vec<String> = held.iter().chain(&others).cloned().collect();
        let rows: String = people.iter().map(|person| format!("{person},Somebody\n")).collect();
        std::fs::write(folder.path().join("shop.csv"), format!("email,name\n{rows}")).unwrap();
        std::fs::write(folder.path().join("list.csv"), &list.text).unwrap();
        let mut job = job(folder.path());
        job.sources.push(Source::new("shop", read(folder.path(), "shop.csv")));
        job.lists.push(SuppressionList::new("list", read(folder.path(), "list.csv"), Reason::DoNotContact).into());
        job.guards.accept.add(pebblebank_core::job::guard::Guard::HoldsMost, None);
        outcomes.runs += 1;
        match written(&job, folder.path()) {
            Err(why) => {
                outcomes.show(&why, seed, &list.shape);
                outcomes.stopped.entry(why).or_default().push(seed);
            }
            Ok(written) => {
                if let Some(held) = held.iter().find(|held| written.contains(*held)) {
                    outcomes.show(&format!("lets {held} through in"), seed, &list.shape);
                    outcomes.let_through.push(seed);
                }
                if others.iter().any(|other| !written.contains(other)) {
                    outcomes.lost.push(seed);
                }
            }
        }
    }
    outcomes
}

/// Runs so many sources by themselves.
fn run_sources(seeds: std::ops::Range<u64>) -> Outcomes {
    let folder = tempfile::tempdir().unwrap();
    let mut outcomes = Outcomes::default();
    for seed in seeds {
        let source = shapes::source(seed, 100);
        std::fs::write(folder.path().join("shop.csv"), &source.text).unwrap();
        let mut job = job(folder.path());
        job.sources.push(Source::new("shop", read(folder.path(), "shop.csv")));
        outcomes.runs += 1;
        match written(&job, folder.path()) {
            Err(why) => {
                outcomes.show(&why, seed, &source.shape);
                outcomes.stopped.entry(why).or_default().push(seed);
            }
            Ok(written) => {
                if let Some(refused) = source.refused.iter().find(|refused| written.contains(*refused)) {
                    outcomes.show(&format!("lets {refused} through in"), seed, &source.shape);
                    outcomes.let_through.push(seed);
                }
                if let Some(free) = source.free.iter().find(|free| !written.contains(*free)) {
                    outcomes.show(&format!("loses {free} in"), seed, &source.shape);
                    outcomes.lost.push(seed);
                }
            }
        }
    }
    outcomes
}

fn check(outcomes: &Outcomes, what: &str, one_in: usize) {
    println!("{}", outcomes.report(what));
    let is_wrong = !outcomes.let_through.is_empty()
        || !outcomes.lost.is_empty()
        || outcomes.stops() * one_in > outcomes.runs as usize;
    if is_wrong {
        println!("{}", outcomes.shown.join("\n"));
    }
    assert!(outcomes.let_through.is_empty() && outcomes.lost.is_empty(), "{}", outcomes.report(what));
    assert!(outcomes.stops() * one_in <= outcomes.runs as usize, "{}", outcomes.report(what));
}

#[test]
fn no_list_in_any_shape_lets_anybody_through() {
    check(&hold_lists(0..300), "lists", 50);
}

#[test]
fn no_source_in_any_shape_writes_who_opted_out_or_loses_anybody() {
    check(&run_sources(0..300), "sources", 20);
}

/// The whole proof: `cargo test --release -p pebblebank-core --test nobody_slips_through -- --ignored --nocapture`.
#[test]
#[ignore = "takes minutes; 300 of each run in the ordinary tests"]
fn twenty_thousand_lists_and_five_thousand_sources() {
    check(&hold_lists(1_000..21_000), "lists", 50);
    check(&run_sources(1_000..6_000), "sources", 20);
}
