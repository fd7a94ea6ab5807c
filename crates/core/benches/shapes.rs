//! How a run grows with its rows whatever these look like: each shape with the rows doubled twice. A shape in which every row
//! shares something with all others must take no more than a little over twice the time for twice the rows.
//!
//! Data are made before the clock starts; every run checks its account.

use criterion::{BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use pebblebank_core::job::memory::DEFAULT_MEMORY;
use pebblebank_core::run::finished::Finished;
use pebblebank_core::run::setting::Setting;
use pebblebank_core::{job, run};
use pebblebank_table::observe::Silent;
use std::fmt::Write as _;
use std::path::Path;

/// What all rows have in common; every second one opted out.
const SHAPES: [(&str, Shape); 4] = [
    ("one address", Shape { address: |_| "ida@post.example".to_owned(), phone: |_| String::new() }),
    ("one invalid address", Shape { address: |_| "ida@@post.example".to_owned(), phone: number }),
    ("one phone", Shape { address: |row| format!("p{row}@post.example"), phone: |_| number(1) }),
    ("one domain", Shape { address: |row| format!("p{row}@post.example"), phone: |_| String::new() }),
];

struct Shape {
    address: fn(usize) -> String,
    phone: fn(usize) -> String,
}

fn number(row: usize) -> String {
    format!("+44207{row:07}")
}

const JOB: &str = "[job]\nname = \"shape\"\n[person]\nsame = [\"email\", \"phone\"]\nnear_duplicates = false\n\
                   [require]\nfields = []\n[[source]]\nname = \"all\"\nfiles = [\"all.csv\"]\n\
                   [guard]\nwrite_at_least = 0\n[[write]]\nfile = \"out.csv\"\n";

fn run(folder: &Path) -> Finished {
    let mut job = job::file::read(&folder.join("job.toml"), "2026-03-02").expect("a job");
    job.replace = true;
    let setting = Setting {
        threads: run::threads_of_this_machine(),
        memory: DEFAULT_MEMORY,
        dry_run: false,
        spool_folder: std::env::temp_dir(),
        started: String::new(),
    };
    run::run(&job, &setting, &Silent).expect("a run")
}

fn shapes(criterion: &mut Criterion) {
    for (name, shape) in SHAPES {
        let mut group = criterion.benchmark_group(name);
        group.sample_size(10);
        for rows in [25_000, 50_000, 100_000] {
            let folder = tempfile::tempdir().expect("a temporary folder");
            let mut text = "email,Phone,Status\n".to_owned();
            for row in 0..rows {
                let status = ["subscribed", "unsubscribed"][row % 2];
                _ = writeln!(text, "{},{},{status}", (shape.address)(row), (shape.phone)(row));
            }
            std::fs::write(folder.path().join("all.csv"), text).expect("room for the rows");
            std::fs::write(folder.path().join("job.toml"), JOB).expect("room for the job");
            group.throughput(Throughput::Elements(rows as u64));
            group.bench_function(BenchmarkId::from_parameter(rows), |bencher| {
                bencher.iter(|| assert_eq!(run(folder.path()).tally.all.read, rows as u64));
            });
        }
        group.finish();
    }
}

criterion_group!(benches, shapes);
criterion_main!(benches);
