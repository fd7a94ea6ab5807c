//! The guide by task: every command in it works, in the order in which it stands, from a fresh folder.

#![cfg(unix)]
#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::Desk;
use std::path::Path;
use std::process::{Command, Stdio};

#[test]
fn every_command_of_the_guide_works_in_the_order_in_which_it_stands() {
    let guide = std::fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/guide.md")).unwrap();
    let commands: Vec<&str> = guide.lines().filter_map(|line| line.strip_prefix("    ")).collect();
    assert!(commands.len() > 20, "the guide has its commands");
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
    for file in
        ["new-people.csv", "guests.csv", "next-round.csv", "import.csv", "monthly.toml", "good.csv", "names.csv"]
    {
        assert!(desk.has(&format!("pebblebank-demo/{file}")), "{file}");
    }
}
