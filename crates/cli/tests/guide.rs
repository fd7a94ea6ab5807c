//! The README and the guide by task: every command in them works, in the order in which it stands, from a fresh folder.

#![cfg(unix)]
#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::Desk;
use rstest::rstest;
use std::path::Path;
use std::process::{Command, Stdio};

#[rstest]
#[case::readme("README.md", 20, &["contacts.csv", "fair.toml", "walks-like-contacts.csv", "walkers.csv", "guests.csv", "good.csv"])]
#[case::guide(
    "docs/guide.md",
    22,
    &["new-people.csv", "guests.csv", "next-round.csv", "import.csv", "monthly.toml", "good.csv", "names.csv"]
)]
fn every_command_of_a_page_works_in_the_order_in_which_it_stands(
    #[case] page: &str,
    #[case] at_least: usize,
    #[case] files: &[&str],
) {
    let text = std::fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(page)).unwrap();
    let is_command = |line: &&str| ["pebblebank ", "cd ", "export "].iter().any(|word| line.starts_with(word));
    let indented = text.lines().filter(|line| line.starts_with("    "));
    let commands: Vec<&str> = indented.map(str::trim_start).filter(is_command).collect();
    assert!(commands.len() >= at_least, "{page} has {} commands", commands.len());
    // Says which command failed, and stops there.
    let script = format!("set -ex\n{}\n", commands.join("\n"));
    let desk = Desk::new();
    let program = Path::new(env!("CARGO_BIN_EXE_pebblebank")).parent().unwrap();
    let path = format!("{}:{}", program.display(), std::env::var("PATH").unwrap_or_default());
    let ran = Command::new("sh")
        .args(["-c", &script])
        .current_dir(desk.path("."))
        .env_clear()
        .env("PATH", path)
        .env("HOME", desk.path("home"))
        .stdin(Stdio::null())
        .output()
        .unwrap();
    assert!(ran.status.success(), "{}{}", String::from_utf8_lossy(&ran.stdout), String::from_utf8_lossy(&ran.stderr));
    for file in files {
        assert!(desk.has(&format!("pebblebank-demo/{file}")), "{file}");
    }
}
