//! Few file handles, a small stack, files that may not grow, pipes in place of files, conditions without end: the program does
//! its work with what there is, or says what is missing.

#![cfg(unix)]
#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, Ran, job_with};
use rstest::rstest;
use std::os::unix::fs::PermissionsExt;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// Runs under what the shell's `ulimit` or `umask` says.
fn run_under(desk: &Desk, limit: &str, arguments: &[&str]) -> Ran {
    let mut command = desk.command(arguments);
    let mut shell = Command::new("sh");
    shell.args(["-c", &format!("{limit}; exec \"$0\" \"$@\"")]).arg(command.get_program()).args(arguments);
    shell.current_dir(desk.path(".")).env_clear().stdin(Stdio::null());
    for (name, value) in command.get_envs() {
        shell.env(name, value.unwrap_or_default());
    }
    command.stdin(Stdio::null());
    Ran::of(&shell.output().unwrap())
}

/// Runs, and fails where it waits.
fn run_soon(desk: &Desk, arguments: &[&str]) -> Ran {
    let mut child =
        desk.command(arguments).stdout(Stdio::piped()).stderr(Stdio::piped()).stdin(Stdio::null()).spawn().unwrap();
    let begun = Instant::now();
    while child.try_wait().unwrap().is_none() {
        if begun.elapsed() > Duration::from_secs(10) {
            child.kill().unwrap();
            panic!("{arguments:?} waits");
        }
        std::thread::sleep(Duration::from_millis(5));
    }
    Ran::of(&child.wait_with_output().unwrap())
}

/// A job with many sources and lists, each in a file of its own.
fn desk_of_many_files() -> Desk {
    let desk = Desk::new();
    let mut job = "[job]\nname = \"many\"\n".to_owned();
    for n in 0..150 {
        desk.file(&format!("s{n}.csv"), format!("email\np{n}@post.example\n"));
        job += &format!("[[source]]\nname = \"s{n}\"\nfiles = [\"s{n}.csv\"]\n");
    }
    for n in 0..60 {
        desk.file(&format!("l{n}.csv"), format!("email\np{n}@post.example\nq{n}@post.example\n"));
        job += &format!("[[suppress]]\nname = \"l{n}\"\nfiles = [\"l{n}.csv\"]\nreason = \"bounced\"\n");
    }
    desk.file("job.toml", job + "[[write]]\nfile = \"out.csv\"\n");
    desk
}

#[rstest]
#[case::few_file_handles("ulimit -n 64")]
#[case::a_small_stack("ulimit -s 256")]
fn a_job_of_many_files_needs_little(#[case] limit: &str) {
    let desk = desk_of_many_files();
    let ran = run_under(&desk, limit, &["run", "job.toml"]);
    assert_eq!(ran.status, 0, "{}{}", ran.stdout, ran.stderr);
    assert_eq!(desk.sheet("out.csv").rows.len(), 90);
}

#[test]
fn with_hardly_any_file_handles_it_says_so_and_writes_nothing() {
    let desk = desk_of_many_files();
    let ran = run_under(&desk, "ulimit -n 8", &["run", "job.toml"]);
    assert_eq!(ran.status, 1, "{}{}", ran.stdout, ran.stderr);
    assert!(ran.stderr.contains("open no more files") && ran.stderr.contains("ulimit -n"), "{}", ran.stderr);
    assert!(!desk.has("out.csv") && !desk.has("many.receipt"), "{:?}", desk.names());
}

#[rstest]
#[case::an_import_file(&["clean", "shop.csv", "-o", "out.csv"], "out.csv")]
#[case::a_bank(&["bank", "load", "shop.csv", "--as", "opted-out", "--yes"], "bank.sqlite")]
fn a_file_that_may_not_grow_is_an_error_like_a_full_disk(#[case] command: &[&str], #[case] output: &str) {
    let rows: String = (0..40_000).map(|n| format!("somebody{n}@post.example,Larkfold\n")).collect();
    let desk = Desk::with(&[("shop.csv", &format!("email,city\n{rows}"))]);
    let ran = run_under(&desk, "ulimit -f 400", command);
    assert_eq!(ran.status, 1, "{}{}", ran.stdout, ran.stderr);
    assert!(ran.stderr.contains("to do:"), "{}", ran.stderr);
    let is_new = !desk.has(output) || output == "bank.sqlite";
    assert!(is_new, "{:?}", desk.names());
    // With room, the same command does it.
    desk.done(command);
}

fn desk_with_pipe() -> Desk {
    let desk = Desk::with(&[("shop.csv", "email\nann@post.example\n"), ("job.toml", &job_with(""))]);
    assert!(Command::new("mkfifo").arg(desk.path("pipe")).status().unwrap().success());
    desk
}

#[rstest]
#[case::an_output(&["clean", "shop.csv", "-o", "pipe"])]
#[case::an_output_to_be_replaced(&["clean", "shop.csv", "-o", "pipe", "--replace"])]
#[case::rows_set_aside(&["clean", "shop.csv", "-o", "out.csv", "--set-aside", "pipe", "--replace"])]
#[case::a_receipt(&["clean", "shop.csv", "-o", "out.csv", "--receipt", "pipe", "--replace"])]
#[case::a_bank_to_be_asked(&["clean", "shop.csv", "-o", "out.csv", "--bank", "pipe"])]
#[case::a_bank_to_be_changed(&["bank", "add", "ann@post.example", "--bank", "pipe"])]
#[case::a_bank_to_be_loaded(&["bank", "load", "shop.csv", "--as", "opted-out", "--yes", "--bank", "pipe"])]
#[case::a_copy_of_the_bank(&["bank", "backup", "pipe", "--bank", "pipe"])]
fn a_pipe_in_place_of_a_file_is_refused_at_once(#[case] command: &[&str]) {
    let desk = desk_with_pipe();
    let ran = run_soon(&desk, command);
    assert!(matches!(ran.status, 1 | 2), "{}{}", ran.stdout, ran.stderr);
    assert!(desk.path("pipe").metadata().is_ok_and(|about| !about.is_file()), "it is still a pipe");
    assert!(!desk.has("out.csv"), "{:?}", desk.names());
}

#[rstest]
#[case::parentheses(|n| format!("{}city is x{}", "(".repeat(n), ")".repeat(n)))]
#[case::open_parentheses(|n| "(".repeat(n))]
#[case::nots(|n| format!("{}city is x", "not ".repeat(n)))]
#[case::both(|n| format!("{}city is x{}", "not (".repeat(n / 2), ")".repeat(n / 2)))]
fn a_condition_has_a_depth(#[case] condition: fn(usize) -> String) {
    let desk = Desk::with(&[("shop.csv", "email,city\nann@post.example,x\n")]);
    let deep =
        run_under(&desk, "ulimit -s 256", &["clean", "shop.csv", "-o", "out.csv", "--where", &condition(10_000)]);
    assert_eq!(deep.status, 2, "{}", deep.stderr);
    assert!(deep.stderr.contains("more than 100") && deep.stderr.contains("at word 10"), "{}", deep.stderr);
    assert!(deep.stderr.len() < 1_000, "the condition is shown in short: {}", deep.stderr.len());
    let job = job_with("")
        .replace("files = [\"shop.csv\"]", &format!("files = [\"shop.csv\"]\nwhere = {:?}", condition(10_000)));
    desk.file("job.toml", job);
    assert_eq!(desk.run(&["run", "job.toml"]).status, 2);
}

#[test]
fn a_condition_as_deep_as_anybody_writes_one_is_understood() {
    let desk = Desk::with(&[("shop.csv", "email,city\nann@post.example,x\nben@post.example,y\n")]);
    let condition = format!("{}city is x{}", "not (not (".repeat(20), "))".repeat(20));
    desk.done(&["clean", "shop.csv", "-o", "out.csv", "--where", &condition]);
    assert_eq!(desk.sheet("out.csv").column("email"), ["ann@post.example"]);
}

/// Files with people in them are readable by their owner alone, and by the owner at all.
#[rstest]
fn whatever_the_umask_says_files_keep_to_their_modes(#[values("000", "022", "077", "777")] umask: &str) {
    let desk = Desk::with(&[("shop.csv", "email,name\nann@post.example,Ann\nbad,x\n"), ("job.toml", &job_with(""))]);
    for command in [
        &["run", "job.toml"][..],
        &["clean", "shop.csv", "-o", "clean.csv", "--set-aside", "aside.csv"],
        &["split", "shop.csv", "--rows-per-file", "1", "-o", "parts"],
        &["bank", "add", "cat@post.example"],
        &["bank", "backup", "copy.sqlite"],
        &["demo", "garden"],
    ] {
        let ran = run_under(&desk, &format!("umask {umask}"), command);
        assert_eq!(ran.status, 0, "{command:?} {}{}", ran.stdout, ran.stderr);
    }
    for name in ["out.csv", "fair.receipt/tally.json", "clean.csv", "aside.csv", "bank.sqlite", "copy.sqlite"] {
        let mode = desk.path(name).metadata().unwrap().permissions().mode() & 0o777;
        assert_eq!(mode, 0o600, "{name} {mode:o}");
    }
    for name in ["fair.receipt", "parts"] {
        let mode = desk.path(name).metadata().unwrap().permissions().mode() & 0o777;
        assert_eq!(mode, 0o700, "{name} {mode:o}");
    }
}
