//! What commands take of `--memory`, by the process's own account: each workload ends with an error where its peak is more
//! than 5 % above what it was allowed. Linux only; elsewhere the system does not tell.
//!
//! Workloads are those whose rows are many and short, whose rows change their length, whose people are found by several
//! keys, and a load of the bank. Files are made before anything is measured.

#![allow(clippy::unwrap_used)] // a failure ends the bench

use std::fmt::Write as _;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::Path;
use std::process::{Command, ExitCode, Stdio};

/// How far above its limit a command may be.
const PERCENT_ABOVE: u64 = 5;

/// How much of a file is written at once.
const ROWS_AT_ONCE: usize = 50_000;

struct Workload {
    name: &'static str,
    rows: usize,
    row: fn(usize, &mut String),
    header: &'static str,
    limits_mib: &'static [u64],
    arguments: &'static [&'static str],
}

const JOB: &str = "[job]\nname = \"fair\"\n[[source]]\nname = \"shop\"\nfiles = [\"rows.csv\"]\n[person]\nsame = [\"email\", \"phone\"]\n\
    [[suppress]]\nname = \"no\"\nfiles = [\"no.csv\"]\nreason = \"bounced\"\n\
    [[write]]\nfile = \"out.csv\"\nlayout = \"sorted\"\n[layout.sorted]\nsort = \"full_name\"\n\
    columns = [{ name = \"email\", from = \"email\" }, { name = \"name\", from = \"full_name\" }]\n";

const CLEAN: &[&str] = &["clean", "rows.csv", "-o", "out.csv", "--replace", "--receipt", "r", "--without-bank"];

const WORKLOADS: [Workload; 5] = [
    Workload {
        name: "ordinary rows",
        rows: 3_000_000,
        row: |n, text| {
            writeln!(text, "p{}@post{}.example,Ida Moss {},Larkfold", n * 7_919 % 2_900_021, n % 997, n % 5_000)
                .unwrap();
        },
        header: "email,name,city",
        limits_mib: &[96, 160, 1_024],
        arguments: CLEAN,
    },
    Workload {
        name: "short rows",
        rows: 12_000_000,
        row: |n, text| {
            writeln!(text, "{n:x}@b.example").unwrap();
        },
        header: "email",
        limits_mib: &[192, 256],
        arguments: CLEAN,
    },
    Workload {
        name: "long rows, then short ones",
        rows: 8_000_000,
        row: |n, text| match n {
            0..100_000 => writeln!(text, "q{n:x}@b.example,{}", "Ida Moss ".repeat(60)).unwrap(),
            _ => writeln!(text, "{n:x}@b.example").unwrap(),
        },
        header: "email,name",
        limits_mib: &[160, 256],
        arguments: CLEAN,
    },
    Workload {
        name: "several keys, a list, sorted",
        rows: 2_000_000,
        row: |n, text| {
            writeln!(text, "p{n}@post{}.example,+44207{:07},Ida Moss {}", n % 997, n * 31 % 1_200_000, n % 2_000)
                .unwrap();
        },
        header: "email,phone,full name",
        limits_mib: &[128, 256],
        arguments: &["run", "job.toml", "--replace", "--without-bank"],
    },
    Workload {
        name: "a load of the bank",
        rows: 600_000,
        row: |n, text| {
            writeln!(text, "p{}@post{}.example", n * 7_919 % 600_011, n % 997).unwrap();
        },
        header: "email",
        limits_mib: &[64, 128, 512],
        arguments: &["bank", "load", "rows.csv", "--as", "bounced", "--yes", "--again", "--bank", "bank.sqlite"],
    },
];

fn write_rows(path: &Path, workload: &Workload) {
    let mut file = BufWriter::new(File::create(path).unwrap());
    writeln!(file, "{}", workload.header).unwrap();
    let mut text = String::new();
    for first in (0..workload.rows).step_by(ROWS_AT_ONCE) {
        text.clear();
        (first..workload.rows.min(first + ROWS_AT_ONCE)).for_each(|n| (workload.row)(n, &mut text));
        file.write_all(text.as_bytes()).unwrap();
    }
    file.flush().unwrap();
}

/// The most memory that a child had, in MiB: asked again and again while it runs, as it cannot be asked afterwards.
fn peak_mib(folder: &Path, arguments: &[&str], limit_mib: u64) -> u64 {
    let mut command = Command::new(env!("CARGO_BIN_EXE_pebblebank"));
    command.args(arguments).args(["--memory", &format!("{limit_mib}MiB"), "--json"]).current_dir(folder);
    command.stdout(Stdio::null()).stderr(Stdio::inherit());
    let mut child = command.spawn().unwrap();
    let status_file = format!("/proc/{}/status", child.id());
    let mut peak = 0;
    loop {
        let ended = child.try_wait().unwrap();
        let status = std::fs::read_to_string(&status_file).unwrap_or_default();
        let kib = status.lines().find_map(|line| line.strip_prefix("VmHWM:"));
        peak = peak.max(kib.and_then(|kib| kib.trim().trim_end_matches(" kB").parse().ok()).unwrap_or(0));
        if let Some(status) = ended {
            assert!(status.success(), "{arguments:?} within {limit_mib} MiB: {status}");
            return peak >> 10;
        }
        std::thread::sleep(std::time::Duration::from_millis(2));
    }
}

fn main() -> ExitCode {
    let mut is_within = true;
    for workload in &WORKLOADS {
        let desk = tempfile::tempdir().unwrap();
        write_rows(&desk.path().join("rows.csv"), workload);
        std::fs::write(desk.path().join("job.toml"), JOB).unwrap();
        let no: String = (0..200_000).fold("email\n".to_owned(), |mut text, n| {
            writeln!(text, "p{}@post{}.example", n * 3, n * 3 % 997).unwrap();
            text
        });
        std::fs::write(desk.path().join("no.csv"), no).unwrap();
        for limit in workload.limits_mib {
            let peak = peak_mib(desk.path(), workload.arguments, *limit);
            let fits = peak * 100 <= limit * (100 + PERCENT_ABOVE);
            is_within &= fits;
            let verdict = if fits { "" } else { "  TOO MUCH" };
            println!(
                "{:<30} {:>9} rows  --memory {limit:>5} MiB  peak {peak:>5} MiB{verdict}",
                workload.name, workload.rows
            );
        }
    }
    if is_within { ExitCode::SUCCESS } else { ExitCode::FAILURE }
}
