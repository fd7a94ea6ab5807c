//! How fast the whole way goes: three sources, four suppression lists, set-aside file and receipt.
//!
//! Data are made from a seed before the clock starts (the demo crate's `large`), inputs are in the page
//! cache, outputs are new each time and synced to the disk. Every run checks that its account is the same.
//! Beside it: how fast cells are found and addresses cleaned, on one core.

use criterion::{BatchSize, Criterion, Throughput, criterion_group, criterion_main};
use pebblebank_core::job::memory::DEFAULT_MEMORY;
use pebblebank_core::run::setting::Setting;
use pebblebank_core::{job, run};
use pebblebank_table::observe::Silent;
use pebblebank_table::{ChunkReader, Dialect, Records};
use pebblebank_values::address::AddressCleaner;
use std::hint::black_box;
use std::path::Path;

fn whole_run(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("whole run");
    group.sample_size(10);
    for rows in [40_000, 400_000] {
        let folder = tempfile::tempdir().expect("a temporary folder");
        pebblebank_demo::large::write(folder.path(), rows, 1).expect("room for the exports");
        let path = folder.path().join(pebblebank_demo::large::JOB_FILE);
        let mut job = job::file::read(&path, "2026-03-02").expect("the job of the exports");
        job.replace = true;
        let threads = run::threads_of_this_machine();
        let setting = Setting {
            threads,
            memory: DEFAULT_MEMORY,
            dry_run: false,
            preview_rows: 20,
            spool_folder: std::env::temp_dir(),
            started: String::new(),
            arguments: Vec::new(),
            folder: String::new(),
            peak_memory: || None,
            log: Vec::new,
        };
        let expected = run::run(&job, &setting, &Silent).expect("the first run").tally.all;
        assert_eq!(expected.read, rows as u64);
        group.throughput(Throughput::Elements(rows as u64));
        group.bench_function(format!("{rows} rows"), |bencher| {
            bencher.iter(|| {
                let finished = run::run(&job, &setting, &Silent).expect("a run like the first");
                assert_eq!(finished.tally.all, expected);
            });
        });
    }
    group.finish();
}

/// All bytes of the exports' first source.
fn shop() -> Vec<u8> {
    let folder = tempfile::tempdir().expect("a temporary folder");
    pebblebank_demo::large::write(folder.path(), 100_000, 1).expect("room for the exports");
    std::fs::read(folder.path().join("shop.csv")).expect("the first source")
}

fn splitting(criterion: &mut Criterion) {
    let bytes = shop();
    let mut group = criterion.benchmark_group("cells of a comma file, one core");
    group.throughput(Throughput::Bytes(bytes.len() as u64));
    group.bench_function("split", |bencher| {
        let mut records = Records::default();
        bencher.iter_batched(
            || ChunkReader::new(&bytes[..], Path::new("shop.csv"), Dialect::COMMA, false),
            |mut reader| {
                let mut rows = 0;
                let mut buffer = Vec::new();
                while let Some(chunk) = reader.next_chunk(buffer).expect("a regular file") {
                    records.split(&chunk, Dialect::COMMA);
                    rows += records.len();
                    buffer = chunk.bytes;
                }
                assert_eq!(rows, 50_001);
            },
            BatchSize::LargeInput,
        );
    });
    group.finish();
}

fn cleaning(criterion: &mut Criterion) {
    let bytes = shop();
    let addresses: Vec<&[u8]> =
        bytes.split(|byte| *byte == b'\n').skip(1).filter_map(|line| line.split(|byte| *byte == b',').next()).collect();
    let mut group = criterion.benchmark_group("addresses, one core");
    group.throughput(Throughput::Elements(addresses.len() as u64));
    group.bench_function("clean", |bencher| {
        let mut cleaner = AddressCleaner::default();
        bencher.iter(|| {
            let usable = addresses.iter().filter(|address| cleaner.clean(black_box(address)).is_usable()).count();
            assert!(usable * 10 > addresses.len() * 9);
        });
    });
    group.finish();
}

criterion_group!(benches, whole_run, splitting, cleaning);
criterion_main!(benches);
