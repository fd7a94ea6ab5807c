//! How fast the bank is: taking in a file's entries, finding somebody among many, and what a run of few and of many contacts
//! asks of it.
//!
//! `PEBBLEBANK_BENCH_ENTRIES` says how many entries the bank has (1,000,000 unless said; ten million for the figures in
//! CONTRIBUTING.md); it lies in the system's temporary folder. Every round checks what it got.

use criterion::{BatchSize, Criterion, Throughput, criterion_group, criterion_main};
use pebblebank_bank::batch::{NewBatch, What};
use pebblebank_bank::entry::NewEntry;
use pebblebank_bank::memory::Asked;
use pebblebank_bank::{Access, Bank, EVERYONE, Text};
use pebblebank_core::suppress::remembered::{Among, Remembered};
use pebblebank_values::date::Date;
use std::path::Path;

const TODAY: Date = Date { year: 2026, month: 3, day: 2 };
const LOADED: u64 = 200_000;

fn entries() -> u64 {
    std::env::var("PEBBLEBANK_BENCH_ENTRIES").ok().and_then(|entries| entries.parse().ok()).unwrap_or(1_000_000)
}

fn bank(path: &Path) -> Bank {
    Bank::open(path, Access::Change, "2026-03-02T09:00:00Z", TODAY).expect("a bank")
}

fn address(number: u64) -> String {
    // Scattered, as addresses in a file are.
    let scattered = number.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 20;
    format!("somebody.{scattered:011x}@mail{}.example", number % 40)
}

fn put(bank: &mut Bank, numbers: std::ops::Range<u64>) -> u64 {
    let mut staged = bank.stage(NewBatch::new(What::OptedOut, EVERYONE, TODAY)).expect("room beside the bank");
    staged.add(numbers.map(|number| NewEntry::new(Text::address(&address(number))))).expect("room beside the bank");
    let mut ready = staged.ready().expect("room beside the bank");
    let preview = ready.preview().expect("a preview");
    ready.commit().expect("a batch");
    preview.new
}

/// How many entries a run is handed.
fn handed_over(path: &Path, among: Option<&Among>) -> u64 {
    let memory = bank(path).into_memory(&Asked::default()).expect("what a run sees");
    let mut count = 0;
    let each = &mut |_: usize, _: pebblebank_core::suppress::remembered::RememberedEntry<'_>| {
        count += 1;
        Ok(())
    };
    memory.entries(among, each).expect("the entries");
    count
}

fn banks(criterion: &mut Criterion) {
    let folder = tempfile::tempdir().expect("a temporary folder");
    let path = folder.path().join("bank.sqlite");
    put(&mut bank(&path), 0..entries());
    let mut group = criterion.benchmark_group("bank");
    group.sample_size(10);

    group.throughput(Throughput::Elements(LOADED));
    group.bench_function("take in entries, with a preview", |bencher| {
        bencher.iter_batched(
            || tempfile::tempdir().expect("a temporary folder"),
            |empty| {
                let mut bank = bank(&empty.path().join("bank.sqlite"));
                assert_eq!(put(&mut bank, 0..LOADED), LOADED);
                empty
            },
            BatchSize::PerIteration,
        );
    });

    group.bench_function("what a job prepared, done again", |bencher| {
        let desk = tempfile::tempdir().expect("a temporary folder");
        let mut bank = bank(&desk.path().join("bank.sqlite"));
        bencher.iter(|| {
            let batch = NewBatch { job: Some("fair".to_owned()), ..NewBatch::new(What::Prepared, EVERYONE, TODAY) };
            let mut staged = bank.stage(batch).expect("room beside the bank");
            let people = (0..LOADED).map(|number| NewEntry::new(Text::address(&address(number))));
            staged.add(people).expect("room beside the bank");
            let id = staged.ready().expect("room beside the bank").commit().expect("a batch");
            assert_eq!(bank.batch(id).expect("the batch").entries, LOADED);
        });
    });

    group.throughput(Throughput::Elements(1));
    group.bench_function("open and find somebody", |bencher| {
        let mut number = 0;
        bencher.iter(|| {
            number = (number + 7_919) % entries();
            let found = bank(&path).find(&Text::address(&address(number)), &mut |_| ()).expect("an answer");
            assert!(found.is_held("2026-03-02"));
        });
    });

    group.throughput(Throughput::Elements(entries()));
    group.bench_function("a run of many contacts: all entries in one scan", |bencher| {
        bencher.iter(|| assert_eq!(handed_over(&path, None), entries()));
    });

    let mut among = Among::default();
    (0..1_000).for_each(|number| among.add(&address(number * (entries() / 1_000))));
    group.throughput(Throughput::Elements(1_000));
    group.bench_function("a run of a thousand contacts: look-ups", |bencher| {
        bencher.iter(|| assert_eq!(handed_over(&path, Some(&among)), 1_000));
    });
    group.finish();
}

criterion_group!(benches, banks);
criterion_main!(benches);
