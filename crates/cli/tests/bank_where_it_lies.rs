//! The bank on a disk that cannot be written to, and what a failed copy leaves.

#![cfg(unix)]
#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::shop::desk;
use common::{Desk, Ran};
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::os::unix::process::CommandExt;
use std::path::Path;

/// A user who owns nothing here; to root, no disk is read-only.
const NOBODY: u32 = 65_534;

fn set_mode(path: &Path, mode: u32) {
    std::fs::set_permissions(path, std::fs::Permissions::from_mode(mode)).unwrap();
}

/// Runs on a desk that its user can read and not write to.
fn run_read_only(desk: &Desk, arguments: &[&str]) -> Ran {
    let program = desk.path("pebblebank");
    if !program.exists() {
        std::fs::copy(desk.command(&[]).get_program(), &program).unwrap();
    }
    for name in desk.names() {
        set_mode(&desk.path(&name), if name == "pebblebank" { 0o555 } else { 0o444 });
    }
    set_mode(&desk.path("."), 0o555);
    let mut command = std::process::Command::new(&program);
    command.args(arguments).current_dir(desk.path(".")).env_clear().env("PEBBLEBANK_BANK", "bank.sqlite");
    if std::fs::metadata(&program).unwrap().uid() == 0 {
        command.uid(NOBODY).gid(NOBODY);
    }
    let ran = Ran::of(&command.output().unwrap());
    set_mode(&desk.path("."), 0o755);
    ran
}

#[test]
fn a_bank_on_a_disk_that_cannot_be_written_to_is_read() {
    let desk = desk();
    desk.file("others.csv", desk.text("shop.csv"));
    desk.done(&["bank", "add", "ann@post.example", "--as", "opted-out"]);
    for (command, says) in [
        (&["bank", "find", "ann@post.example"][..], "opted-out"),
        (&["bank", "list"], "ann@post.example"),
        (&["bank", "batches"], "opted-out"),
        (&["bank"], "1 "),
        (&["compare", "shop.csv", "others.csv"], "must not be contacted"),
    ] {
        let ran = run_read_only(&desk, command);
        assert!(ran.status == 0 && ran.stdout.contains(says), "{command:?}\n{}{}", ran.stdout, ran.stderr);
    }
    let ran = run_read_only(&desk, &["bank", "add", "ben@post.example", "--as", "opted-out"]);
    assert!(ran.status == 1 && ran.stderr.contains("cannot be written to"), "{}{}", ran.stdout, ran.stderr);
    assert_eq!(desk.names(), ["bank.sqlite", "job.toml", "others.csv", "pebblebank", "shop.csv"]);
}

#[test]
fn changes_that_still_wait_beside_the_bank_are_read_too_or_it_stops() {
    let desk = desk();
    desk.done(&["bank", "add", "ann@post.example", "--as", "opted-out"]);
    // As after a command that was killed: the newest change stands in the side file alone.
    let open = rusqlite::Connection::open(desk.path("bank.sqlite")).unwrap();
    open.query_row("select count(*) from text", [], |_| Ok(())).unwrap();
    desk.done(&["bank", "add", "ben@post.example", "--as", "opted-out"]);
    let copy = Desk::new();
    for name in ["bank.sqlite", "bank.sqlite-wal"] {
        copy.file(name, desk.bytes(name));
    }
    assert!(!copy.bytes("bank.sqlite-wal").is_empty());
    let ran = run_read_only(&copy, &["bank", "find", "ben@post.example"]);
    assert!(
        ran.status == 0 && ran.stdout.contains("opted-out") || ran.status == 1 && ran.stderr.contains("side file"),
        "{}{}",
        ran.stdout,
        ran.stderr
    );
}

#[test]
fn a_copy_that_fails_leaves_nothing_behind() {
    let desk = desk();
    let rows: String = (0..4_000).map(|n| format!("somebody{n}@post.example\n")).collect();
    desk.file("no.csv", format!("email\n{rows}"));
    desk.done(&["bank", "load", "no.csv", "--as", "opted-out", "--yes"]);
    let before = desk.names();
    let mut shell = std::process::Command::new("sh");
    shell.args(["-c", "ulimit -f 200; exec \"$0\" bank backup copy.sqlite"]).arg(desk.command(&[]).get_program());
    shell.current_dir(desk.path(".")).env_clear().env("PEBBLEBANK_BANK", "bank.sqlite");
    let ran = Ran::of(&shell.output().unwrap());
    assert_eq!(ran.status, 1, "{}{}", ran.stdout, ran.stderr);
    assert_eq!(desk.names(), before);
    desk.done(&["bank", "backup", "copy.sqlite"]);
    let mut with_copy = before;
    with_copy.insert(1, "copy.sqlite".to_owned());
    assert_eq!(desk.names(), with_copy);
    desk.done(&["bank", "find", "somebody7@post.example", "--bank", "copy.sqlite"]);
}
