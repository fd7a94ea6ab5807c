//! Ctrl-C and the system's wish to end, wherever the program is: it ends within half a second, says so, and nothing is half
//! done.

#![cfg(unix)]
#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, Ran};
use rstest::rstest;
use std::io::Write;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// Half a second, and what a busy machine takes besides.
const SOON: Duration = Duration::from_millis(2_500);

fn begin(desk: &Desk, arguments: &[&str]) -> Child {
    let mut command = desk.command(arguments);
    command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap()
}

/// Sends the signal once the program has had time to begin to wait; gives what it left.
fn interrupted(mut child: Child, signal: &str) -> Ran {
    let stdin = child.stdin.take();
    // On a busy machine it takes a while until the program listens at all.
    for _ in 0..100 {
        if listens(child.id()) {
            break;
        }
        std::thread::sleep(Duration::from_millis(100));
    }
    std::thread::sleep(Duration::from_millis(800));
    assert!(child.try_wait().unwrap().is_none(), "it waits");
    let sent = Command::new("sh").args(["-c", &format!("kill -{signal} {}", child.id())]).status().unwrap();
    assert!(sent.success());
    let begun = Instant::now();
    while child.try_wait().unwrap().is_none() {
        assert!(begun.elapsed() < SOON, "it goes on after {:?}", begun.elapsed());
        std::thread::sleep(Duration::from_millis(10));
    }
    drop(stdin);
    Ran::of(&child.wait_with_output().unwrap())
}

/// Whether the program has a handler for SIGINT, as Linux tells it (proc(5), `SigCgt`); elsewhere nobody knows.
fn listens(process: u32) -> bool {
    let Ok(status) = std::fs::read_to_string(format!("/proc/{process}/status")) else { return true };
    let mask = status.lines().find_map(|line| line.strip_prefix("SigCgt:")).map(str::trim).unwrap_or_default();
    u64::from_str_radix(mask, 16).is_ok_and(|mask| mask & (1 << 1) != 0)
}

fn assert_stopped(ran: &Ran, signal: &str) {
    let status = if signal == "INT" { 130 } else { 143 };
    assert_eq!(ran.status, status, "{}{}", ran.stdout, ran.stderr);
    assert!(ran.stderr.contains("stopped before the end"), "{}", ran.stderr);
}

/// The files in the folder. A bank that was open keeps its side files until it is opened again, and an empty folder holds
/// nothing.
fn files(desk: &Desk) -> Vec<String> {
    let is_empty = |name: &String| std::fs::read_dir(desk.path(name)).is_ok_and(|mut entries| entries.next().is_none());
    let names = desk.names().into_iter();
    names.filter(|name| !name.ends_with("-wal") && !name.ends_with("-shm") && !is_empty(name)).collect()
}

fn desk() -> Desk {
    let desk = Desk::with(&[
        ("shop.csv", "email,city\nann@post.example,Larkfold\nben@post.example,Quillmere\n"),
        ("refused.csv", "email\ncat@post.example\n"),
    ]);
    desk.done(&["bank", "add", "dan@post.example"]);
    desk
}

#[rstest]
#[case::a_list_to_clean(&["clean", "-", "-o", "out.csv"])]
#[case::a_list_to_look_at(&["survey", "-"])]
#[case::a_list_to_take_people_out_of(&["suppress", "-", "--against", "refused.csv", "-o", "out.csv"])]
#[case::a_list_to_split(&["split", "-", "--rows-per-file", "2", "-o", "parts"])]
#[case::a_list_to_remember(&["bank", "load", "-", "--as", "opted-out", "--yes"])]
fn while_it_waits_for_standard_input(#[case] command: &[&str], #[values("INT", "TERM")] signal: &str) {
    let desk = desk();
    let names = files(&desk);
    let mut child = begin(&desk, command);
    // Some of it came, and no end.
    child.stdin.as_mut().unwrap().write_all(b"email,city\neve@post.example,Larkfold\n").unwrap();
    assert_stopped(&interrupted(child, signal), signal);
    assert_eq!(files(&desk), names, "nothing is left of it");
    assert!(!desk.done(&["bank", "find", "eve@post.example"]).stdout.contains("must not be contacted"));
}

#[rstest]
fn while_it_waits_for_a_pipe_that_nobody_writes_into(#[values("INT", "TERM")] signal: &str) {
    let desk = desk();
    assert!(Command::new("mkfifo").arg(desk.path("pipe")).status().unwrap().success());
    let names = files(&desk);
    assert_stopped(&interrupted(begin(&desk, &["clean", "pipe", "-o", "out.csv"]), signal), signal);
    assert_eq!(files(&desk), names);
}

#[rstest]
#[case::adding(&["bank", "add", "eve@post.example"])]
#[case::loading(&["bank", "load", "refused.csv", "--as", "opted-out", "--yes"])]
#[case::forgetting(&["bank", "forget", "dan@post.example", "--yes"])]
fn while_it_waits_for_another_command_to_leave_the_bank(
    #[case] command: &[&str],
    #[values("INT", "TERM")] signal: &str,
) {
    let desk = desk();
    let before = desk.done(&["bank", "list"]).stdout;
    let other = rusqlite::Connection::open(desk.path("bank.sqlite")).unwrap();
    other.execute_batch("begin immediate").unwrap();
    assert_stopped(&interrupted(begin(&desk, command), signal), signal);
    other.execute_batch("rollback").unwrap();
    drop(other);
    assert_eq!(desk.done(&["bank", "list"]).stdout, before);
}

#[rstest]
fn while_it_waits_for_an_answer(#[values("INT", "TERM")] signal: &str) {
    let desk = Desk::with(&[(
        "shop.csv",
        "email,first name,last name,city\nida.moss@post.example,Ida,Moss,Larkfold\nida.mos@post.example,Ida,Moss,Larkfold\n",
    )]);
    desk.file("job.toml", common::job_with("[person]\nnear_duplicates = true\n"));
    desk.done(&["run", "job.toml"]);
    let names = files(&desk);
    assert_stopped(&interrupted(begin(&desk, &["review", "fair.receipt"]), signal), signal);
    assert_eq!(files(&desk), names, "nothing was decided");
}

#[test]
fn as_json_it_is_an_error_like_others() {
    let desk = desk();
    for (signal, status) in [("INT", 130), ("TERM", 143)] {
        let ran = interrupted(begin(&desk, &["clean", "-", "-o", "out.csv", "--json"]), signal);
        let document: serde_json::Value = serde_json::from_str(&ran.stdout).unwrap();
        let found = (ran.status, &document["kind"], &document["exit_status"]);
        assert_eq!(found, (status, &"interrupted".into(), &status.into()));
    }
}

/// At whatever moment a run is stopped, its outputs are all there or none is, and the next run is as if nothing had been.
#[test]
fn whenever_a_run_is_stopped_all_of_it_is_there_or_none() {
    let desk = desk();
    let rows: String = (0..60_000).map(|n| format!("p{n}@post.example,Larkfold\n")).collect();
    desk.file("shop.csv", format!("email,city\n{rows}"));
    desk.file("job.toml", common::job_with(""));
    let (mut stopped, mut done) = (0, 0);
    for step in 0..24 {
        let mut child = begin(&desk, &["run", "job.toml", "--replace"]);
        std::thread::sleep(Duration::from_millis(step * 25));
        let _ = Command::new("sh").args(["-c", &format!("kill -INT {} 2>/dev/null", child.id())]).status().unwrap();
        drop(child.stdin.take());
        let ran = Ran::of(&child.wait_with_output().unwrap());
        let is_there = desk.has("out.csv");
        assert_eq!(is_there, desk.has("fair.receipt"), "both or neither: {}", ran.stderr);
        match ran.status {
            0 => done += 1,
            // Before the program listens, the system ends it.
            130 | -1 => stopped += 1,
            status => panic!("{status}: {}", ran.stderr),
        }
        if is_there {
            assert_eq!(desk.sheet("out.csv").rows.len(), 60_000);
            std::fs::remove_file(desk.path("out.csv")).unwrap();
            std::fs::remove_dir_all(desk.path("fair.receipt")).unwrap();
        }
    }
    assert!(stopped > 0, "{stopped} stopped, {done} done");
    desk.done(&["run", "job.toml", "--replace"]);
    let hidden: Vec<String> = desk.names().into_iter().filter(|name| name.contains("pebblebank-")).collect();
    assert!(hidden.is_empty(), "{hidden:?}");
}
