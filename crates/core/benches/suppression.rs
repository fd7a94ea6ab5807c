//! What suppression costs: the same job without lists, with five lists of together as many entries as the sources have rows,
//! with near misses looked for besides (also where memory has no room for all entries), and with digests instead of addresses.
//!
//! Exports from a seed (the demo crate's `large`), without its own lists; of each list one entry in ten is in the sources.
//! Inputs are in the page cache, outputs new each time. `PEBBLEBANK_BENCH_ROWS` makes all of it as large as wanted (400,000
//! unless said; five million for the figures in CONTRIBUTING.md). Every run checks its account against the first.

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use pebblebank_core::job::file::read;
use pebblebank_core::job::memory::DEFAULT_MEMORY;
use pebblebank_core::run;
use pebblebank_core::run::setting::Setting;
use pebblebank_table::observe::Silent;
use pebblebank_values::digest::DigestKind;
use std::io::{BufWriter, Write};
use std::path::Path;

const LISTS: usize = 5;

fn rows() -> usize {
    std::env::var("PEBBLEBANK_BENCH_ROWS").ok().and_then(|rows| rows.parse().ok()).unwrap_or(400_000)
}

fn write_lists(folder: &Path, entries: usize, are_digests: bool) {
    for list in 0..LISTS {
        let name = if are_digests { format!("digests-{list}.csv") } else { format!("list-{list}.csv") };
        let file = std::fs::File::create(folder.join(name)).expect("room for a list");
        let mut out = BufWriter::with_capacity(1 << 20, file);
        writeln!(out, "email").expect("room for a list");
        for entry in 0..entries / LISTS {
            let address = if entry % 10 == 0 {
                pebblebank_demo::large::address(1, entry * LISTS + list)
            } else {
                format!("nobody{entry}.of{list}@mail{}.example", entry % 40)
            };
            let shown = if are_digests { DigestKind::Sha256.of(address.as_bytes(), None).hex() } else { address };
            writeln!(out, "{shown}").expect("room for a list");
        }
    }
}

/// The large job with these lists instead of its own.
fn job(folder: &Path, name: &str, lists: &str, keys: &str) -> String {
    let own = std::fs::read_to_string(folder.join(pebblebank_demo::large::JOB_FILE)).expect("the job of the exports");
    let (sources, rest) = own.split_once("[[suppress]]").expect("a job with lists");
    let (_, writes) = rest.split_once("[[write]]").expect("a job that writes");
    let list = |number| {
        format!(
            "[[suppress]]\nname = \"list {number}\"\nfiles = [\"{lists}-{number}.csv\"]\nreason = \"opted-out\"\n{keys}\n"
        )
    };
    let lists: String = if lists.is_empty() { String::new() } else { (0..LISTS).map(list).collect() };
    let path = folder.join(format!("{name}.toml"));
    std::fs::write(&path, format!("{sources}{lists}[[write]]{writes}")).expect("room for a job");
    path.display().to_string()
}

fn suppression(criterion: &mut Criterion) {
    let folder = tempfile::tempdir().expect("a temporary folder");
    let folder = folder.path();
    pebblebank_demo::large::write(folder, rows(), 1).expect("room for the exports");
    write_lists(folder, rows(), false);
    write_lists(folder, rows(), true);
    let threads = run::threads_of_this_machine();
    let spool_folder = folder.to_path_buf();
    let setting = Setting {
        threads,
        memory: DEFAULT_MEMORY,
        dry_run: false,
        preview_rows: 20,
        spool_folder,
        started: String::new(),
        arguments: Vec::new(),
        folder: String::new(),
        peak_memory: || None,
        log: Vec::new,
    };
    let mut group = criterion.benchmark_group("suppression");
    group.sample_size(10).throughput(Throughput::Elements(rows() as u64));
    let ignore = "near_miss = \"ignore\"";
    let near = job(folder, "near", "list", "near_miss = \"report\"");
    let little = (rows() as u64 * 64).max(16 << 20);
    let cases = [
        ("without lists", job(folder, "none", "", ""), DEFAULT_MEMORY),
        ("five lists", job(folder, "lists", "list", ignore), DEFAULT_MEMORY),
        ("five lists of digests", job(folder, "digests", "digests", ignore), DEFAULT_MEMORY),
        ("five lists and near misses", near.clone(), DEFAULT_MEMORY),
        ("five lists and near misses in little memory", near, little),
    ];
    let mut near_misses = None;
    for (name, path, memory) in cases {
        let setting = Setting { memory, ..setting.clone() };
        let mut job = read(Path::new(&path), "2026-03-02").expect("a job");
        job.replace = true;
        let expected = run::run(&job, &setting, &Silent).expect("the first run").tally;
        assert_eq!(expected.all.read, rows() as u64);
        if expected.near_misses.searched > 0 {
            assert_eq!(*near_misses.get_or_insert_with(|| expected.near_misses.clone()), expected.near_misses);
        }
        group.bench_function(name, |bencher| {
            bencher.iter(|| {
                let tally = run::run(&job, &setting, &Silent).expect("a run like the first").tally;
                assert_eq!((tally.all, tally.near_misses), (expected.all, expected.near_misses.clone()));
            });
        });
    }
    group.finish();
}

criterion_group!(benches, suppression);
criterion_main!(benches);
