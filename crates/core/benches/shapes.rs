//! How a run grows with its input whatever that looks like: each shape with its size doubled twice. What takes more than a
//! little over twice the time for twice the size grows faster than sorting does.
//!
//! Data are made before the clock starts; every run checks its account. Behind each size the most memory that the
//! process had is printed, where the system tells it (Linux); it includes what the allocator keeps from the sizes before.

use criterion::{BenchmarkId, Criterion, criterion_group, criterion_main};
use pebblebank_core::job::memory::DEFAULT_MEMORY;
use pebblebank_core::run::finished::Finished;
use pebblebank_core::run::setting::Setting;
use pebblebank_core::{job, run};
use pebblebank_table::observe::Silent;
use std::path::Path;

/// The smallest size of each shape, and its files: contacts, a list, and what the job says of them.
struct Shape {
    size: usize,
    files: fn(usize) -> [String; 3],
}

const SUPPRESS: &str = "[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\n";

const BY_PHONE: &str = "[person]\nsame = [\"email\", \"phone\"]\n";

const FILL: &str = "[person]\nfill = true\n";

fn lines(header: &str, size: usize, line: impl Fn(usize) -> String) -> String {
    let rows: Vec<String> = (0..size).map(line).collect();
    format!("{header}\n{}\n", rows.join("\n"))
}

fn status(row: usize) -> &'static str {
    ["subscribed", "unsubscribed"][row % 2]
}

const SHAPES: [(&str, Shape); 16] = [
    (
        "one address",
        Shape {
            size: 25_000,
            files: |n| {
                [lines("email,Status", n, |k| format!("ida@post.example,{}", status(k))), String::new(), String::new()]
            },
        },
    ),
    (
        "one invalid address",
        Shape {
            size: 25_000,
            files: |n| {
                let row = |k: usize| format!("ida@@post.example,+44207{k:07},{}", status(k));
                [lines("email,Phone,Status", n, row), String::new(), BY_PHONE.to_owned()]
            },
        },
    ),
    (
        "one phone",
        Shape {
            size: 25_000,
            files: |n| {
                let row = |k: usize| format!("p{k}@post.example,+442079460000,{}", status(k));
                [lines("email,Phone,Status", n, row), String::new(), BY_PHONE.to_owned()]
            },
        },
    ),
    (
        "one domain",
        Shape {
            size: 25_000,
            files: |n| {
                [lines("email,Status", n, |k| format!("p{k}@post.example,{}", status(k))), String::new(), String::new()]
            },
        },
    ),
    (
        "one group to fill",
        Shape {
            size: 25_000,
            files: |n| {
                [
                    lines("email,City,Notes", n, |k| format!("ida@post.example,,note {k}")),
                    String::new(),
                    FILL.to_owned(),
                ]
            },
        },
    ),
    (
        "one chain to fill",
        Shape {
            size: 25_000,
            files: |n| {
                let row = |k: usize| format!("p{k}@post.example,p{}@post.example,Town {k}", k + 1);
                [lines("email,email 2,City", n, row), String::new(), FILL.to_owned()]
            },
        },
    ),
    (
        "distinct tags of one person",
        Shape {
            size: 25_000,
            files: |n| {
                [lines("email,Tags", n, |k| format!("ida@post.example,t{k};u{k}")), String::new(), FILL.to_owned()]
            },
        },
    ),
    (
        "near misses by tags",
        Shape {
            size: 5_000,
            files: |n| {
                let list = lines("email", n, |k| format!("ida+x{k}@post.example"));
                [
                    lines("email", n, |k| format!("ida+{k}@post.example")),
                    list,
                    format!("{SUPPRESS}near_miss = \"report\"\n"),
                ]
            },
        },
    ),
    (
        "near misses at one domain",
        Shape {
            size: 5_000,
            files: |n| {
                let row = |letter: char| move |k: usize| format!("{letter}{k:07}@post.example,Ida Moss");
                let job = format!("{SUPPRESS}near_miss = \"report\"\n");
                [lines("email,name", n, row('p')), lines("email,name", n, row('q')), job]
            },
        },
    ),
    (
        "one name in a list and in all rows",
        Shape {
            size: 10_000,
            files: |n| {
                let job = format!("{SUPPRESS}by = \"full_name\"\n");
                [
                    lines("email,name", n, |k| format!("p{k}@post.example,Ida Moss")),
                    lines("name", n, |_| "Ida Moss".to_owned()),
                    job,
                ]
            },
        },
    ),
    (
        "values taken for one key",
        Shape {
            size: 5_000,
            files: |n| {
                let job = "[[list]]\nname = \"list\"\nfiles = [\"list.csv\"]\nby = \"Club\"\ntake = [\"Town\"]\n";
                let list = lines("Club,Town", n, |k| format!("one,Town {k}"));
                [lines("email,Club", n, |k| format!("p{k}@post.example,one")), list, job.to_owned()]
            },
        },
    ),
    (
        "columns",
        Shape {
            size: 2_000,
            files: |n| {
                let header: String = (0..n).map(|k| format!(",c{k}")).collect();
                [
                    lines(&format!("email{header}"), 20, |k| format!("p{k}@post.example{}", ",x".repeat(n))),
                    String::new(),
                    String::new(),
                ]
            },
        },
    ),
    (
        "equal headers",
        Shape {
            size: 2_000,
            files: |n| {
                let header = format!("email{}", ",same".repeat(n));
                [lines(&header, 20, |k| format!("p{k}@post.example{}", ",x".repeat(n))), String::new(), String::new()]
            },
        },
    ),
    (
        "wrappings around one address",
        Shape {
            size: 10_000,
            files: |n| {
                let row =
                    |_: usize| format!("{}ida@post.example,{}bob@post.example", "mailto:".repeat(n), "<".repeat(n));
                [lines("email,email 2", 1, row), String::new(), String::new()]
            },
        },
    ),
    (
        "brackets without an end in a cell",
        Shape {
            size: 100_000,
            files: |n| {
                let row = |_: usize| format!("{},x", "<".repeat(n));
                [lines("email,name", 1, row), String::new(), String::new()]
            },
        },
    ),
    (
        "objects with other keys each",
        Shape {
            size: 2_000,
            files: |n| {
                let object = |k: usize| format!("{{\"email\": \"p{k}@post.example\", \"key{k}\": \"x\"}}");
                let objects: Vec<String> = (0..n).map(object).collect();
                [format!("[{}\n]\n", objects.join(",\n")), String::new(), String::new()]
            },
        },
    ),
];

/// A workbook (ECMA-376) of 20 contacts, with `columns` columns besides the addresses.
fn wide_workbook(columns: usize) -> Vec<u8> {
    let cell = |text: &str| format!("<c t=\"inlineStr\"><is><t>{text}</t></is></c>");
    let others: String = (0..columns).map(|column| cell(&format!("c{column}"))).collect();
    let rows: String = (0..20)
        .map(|row| format!("<row>{}{}</row>", cell(&format!("p{row}@post.example")), cell("x").repeat(columns)))
        .collect();
    let relation = |id: &str, kind: &str, target: &str| {
        let kind = format!("http://schemas.openxmlformats.org/officeDocument/2006/relationships/{kind}");
        format!("<Relationships><Relationship Id=\"{id}\" Type=\"{kind}\" Target=\"{target}\"/></Relationships>")
    };
    let sheet = format!("<worksheet><sheetData><row>{}{others}</row>{rows}</sheetData></worksheet>", cell("email"));
    let book = "<workbook xmlns:r=\"x\"><sheets><sheet name=\"S\" sheetId=\"1\" r:id=\"r1\"/></sheets></workbook>";
    let parts = [
        ("_rels/.rels", relation("r1", "officeDocument", "xl/workbook.xml")),
        ("xl/_rels/workbook.xml.rels", relation("r1", "worksheet", "worksheets/sheet1.xml")),
        ("xl/workbook.xml", book.to_owned()),
        ("xl/worksheets/sheet1.xml", sheet),
    ];
    let mut archive = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    for (name, text) in parts {
        archive.start_file(name, zip::write::SimpleFileOptions::default()).expect("room in memory");
        std::io::Write::write_all(&mut archive, text.as_bytes()).expect("room in memory");
    }
    archive.finish().expect("room in memory").into_inner()
}

fn workbooks(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("wide workbook");
    group.sample_size(10);
    for columns in [1_000, 2_000, 4_000] {
        let folder = tempfile::tempdir().expect("a temporary folder");
        std::fs::write(folder.path().join("all.csv"), wide_workbook(columns)).expect("room for the files");
        std::fs::write(folder.path().join("job.toml"), JOB).expect("room for the files");
        group.bench_function(BenchmarkId::from_parameter(columns), |bencher| {
            bencher.iter(|| assert_eq!(run(folder.path()).tally.all.read, 20));
        });
        if let Some(mib) = peak_memory() {
            println!("wide workbook, {columns}: at most {mib} MiB");
        }
    }
    group.finish();
}

const JOB: &str = "[job]\nname = \"shape\"\n[require]\nfields = []\n[[source]]\nname = \"all\"\nfiles = [\"all.csv\"]\n\
                   [guard]\naccept = { holds-most = 1000000 }\n[[write]]\nfile = \"out.csv\"\n";

fn run(folder: &Path) -> Finished {
    let mut job = job::file::read(&folder.join("job.toml"), "2026-03-02").expect("a job");
    job.replace = true;
    job.person.near_duplicates = Some(false);
    job.guards.write_at_least = 0;
    let setting = Setting {
        threads: run::threads_of_this_machine(),
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
    run::run(&job, &setting, &Silent).expect("a run")
}

/// The most memory that this process took since it was last asked, in MiB.
fn peak_memory() -> Option<u64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find(|line| line.starts_with("VmHWM:"))?;
    std::fs::write("/proc/self/clear_refs", "5").ok()?;
    line.split_whitespace().nth(1)?.parse::<u64>().ok().map(|kib| kib >> 10)
}

fn shapes(criterion: &mut Criterion) {
    for (name, shape) in SHAPES {
        let mut group = criterion.benchmark_group(name);
        group.sample_size(10);
        for size in [shape.size, shape.size * 2, shape.size * 4] {
            let folder = tempfile::tempdir().expect("a temporary folder");
            let [all, list, more] = (shape.files)(size);
            let rows = all.lines().count() as u64 - 1;
            for (file, text) in [("all.csv", all), ("list.csv", list), ("job.toml", format!("{JOB}{more}"))] {
                std::fs::write(folder.path().join(file), text).expect("room for the files");
            }
            peak_memory();
            group.bench_function(BenchmarkId::from_parameter(size), |bencher| {
                bencher.iter(|| assert_eq!(run(folder.path()).tally.all.read, rows));
            });
            if let Some(mib) = peak_memory() {
                println!("{name}, {size}: at most {mib} MiB");
            }
        }
        group.finish();
    }
}

criterion_group!(benches, shapes, workbooks);
criterion_main!(benches);
