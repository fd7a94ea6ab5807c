//! How fast people are found: two keys, lists held against each other, near duplicates.
//!
//! Made-up people from a seed; inputs are in the page cache, outputs new each time. `PEBBLEBANK_BENCH_ROWS` makes the
//! lists as long as wanted (200,000 rows each unless said; five million for the figures in CONTRIBUTING.md). Every run
//! checks its counts against the first.

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use pebblebank_core::job::file::read;
use pebblebank_core::job::memory::DEFAULT_MEMORY;
use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::remembering::Remembering;
use pebblebank_core::job::sources::ReadFiles;
use pebblebank_core::run;
use pebblebank_core::run::setting::Setting;
use pebblebank_core::tasks::compare::{CompareWishes, ComparedList, compare};
use pebblebank_table::observe::Silent;
use pebblebank_values::date::Date;
use std::fmt::Write as _;
use std::path::Path;

fn rows() -> usize {
    std::env::var("PEBBLEBANK_BENCH_ROWS").ok().and_then(|rows| rows.parse().ok()).unwrap_or(200_000)
}

/// A list of contacts out of twice as many people, some of them with a letter too many.
fn write_list(path: &Path, rows: usize, mut state: u64) {
    let mut text = "email,first name,last name,phone,postcode\n".to_owned();
    let first = ["Anna", "Bryony", "Cato", "Delphine", "Emily", "Fergus", "Greta", "Hamish", "Ida", "Jonathan"];
    let last = ["Moss", "Quill", "Fern", "Reed", "Ashdown", "Heron", "Tansley", "Yarrow", "Wickstead", "Jessop"];
    for _ in 0..rows {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        let who = (state >> 33) as usize % (rows * 2);
        let (first, last) = (first[who % 10], last[who / 10 % 10]);
        let typo = if (state >> 20).is_multiple_of(32) { "x" } else { "" };
        let domain = who % 40;
        writeln!(
            text,
            "{first}.{last}{who}{typo}@mail{domain}.example,{first},{last},+44207{:07},LF{} {}{}{}",
            who % 10_000_000,
            who / 1_000 % 90 + 1,
            who % 9 + 1,
            char::from(b'A' + (who / 9 % 26) as u8),
            char::from(b'A' + (who / 234 % 26) as u8)
        )
        .expect("text grows");
    }
    std::fs::write(path, text).expect("room for the list");
}

fn setting(folder: &Path) -> Setting {
    let threads = run::threads_of_this_machine();
    let spool_folder = folder.to_path_buf();
    Setting {
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
    }
}

fn comparing(criterion: &mut Criterion) {
    let folder = tempfile::tempdir().expect("a temporary folder");
    let list = |name: &str, seed: u64| {
        let path = folder.path().join(format!("{name}.csv"));
        write_list(&path, rows(), seed);
        let read = ReadFiles { files: vec![FilePattern::literal(path)], ..ReadFiles::default() };
        ComparedList { name: name.to_owned(), read, rows: None }
    };
    let wishes = CompareWishes {
        lists: vec![list("a", 1), list("b", 2)],
        by: None,
        select: None,
        output: None,
        layout: None,
        format: None,
        sort: Vec::new(),
        set_aside: None,
        replace: false,
        remembered: Remembering::Nothing,
        scope: None,
        country: None,
        today: Date { year: 2026, month: 3, day: 2 },
    };
    let setting = setting(folder.path());
    let people = compare(&wishes, &setting, &Silent).expect("the first comparison").people;
    let mut group = criterion.benchmark_group("compare");
    group.sample_size(10).throughput(Throughput::Elements(2 * rows() as u64));
    group.bench_function("two lists", |bencher| {
        bencher.iter(|| assert_eq!(compare(&wishes, &setting, &Silent).expect("a comparison").people, people));
    });
    group.finish();
}

fn keys_and_near_duplicates(criterion: &mut Criterion) {
    let folder = tempfile::tempdir().expect("a temporary folder");
    write_list(&folder.path().join("people.csv"), rows(), 3);
    let setting = setting(folder.path());
    let mut group = criterion.benchmark_group("people");
    group.sample_size(10).throughput(Throughput::Elements(rows() as u64));
    let cases = [
        ("by address", "near_duplicates = false"),
        ("by address and phone", "same = [\"email\", \"phone\"]\nnear_duplicates = false"),
        ("by address, filled", "fill = true\nnear_duplicates = false"),
        ("by address, with near duplicates", "near_duplicates = true"),
    ];
    for (name, person) in cases {
        let job = format!(
            "[job]\nname = \"people\"\ncountry = \"GB\"\n[[source]]\nname = \"people\"\nfiles = [\"people.csv\"]\n\
             [[write]]\nfile = \"out.csv\"\n[person]\n{person}\n"
        );
        let path = folder.path().join("people.toml");
        std::fs::write(&path, job).expect("room for the job");
        let mut job = read(&path, "2026-03-02").expect("a job");
        job.replace = true;
        let expected = run::run(&job, &setting, &Silent).expect("the first run").tally;
        group.bench_function(name, |bencher| {
            bencher.iter(|| {
                let tally = run::run(&job, &setting, &Silent).expect("a run like the first").tally;
                assert_eq!((tally.all, tally.near_duplicates), (expected.all, expected.near_duplicates));
            });
        });
    }
    group.finish();
}

criterion_group!(benches, comparing, keys_and_near_duplicates);
criterion_main!(benches);
