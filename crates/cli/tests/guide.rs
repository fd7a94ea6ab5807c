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

/// The files of the pages that explain commands, and the demo's files that stand for them.
const STAND_INS: [(&str, &str); 13] = [
    ("shop.csv", "exports/plant-shop-2025.csv"),
    ("walks.csv", "exports/guided-walks.csv"),
    ("cards.csv", "exports/gift-cards.tsv"),
    ("sign-ups.csv", "exports/sign-ups.csv"),
    ("contacts.csv", "out/spring-fair.csv"),
    ("members.csv", "exports/sign-ups.csv"),
    ("do-not-contact.csv", "lists/do-not-contact.csv"),
    ("opted-out.csv", "lists/opted-out.csv"),
    ("partners.csv", "lists/already-invited.txt"),
    ("delivered.csv", "lists/already-invited.txt"),
    ("last-import.csv", "out/spring-fair.csv"),
    ("spring-fair.csv", "out/spring-fair.csv"),
    ("fair.toml", "spring-fair.toml"),
];

#[rstest]
#[case::bank("bank", 9)]
#[case::check("check", 3)]
#[case::formats("formats", 2)]
#[case::lists("lists", 7)]
#[case::preflight("preflight", 1)]
#[case::receipt("receipt", 3)]
fn every_command_of_the_other_pages_can_be_typed(#[case] page: &str, #[case] at_least: usize) {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs").join(format!("{page}.md"));
    let text = std::fs::read_to_string(path).unwrap();
    let desk = Desk::new();
    desk.done(&["demo"]);
    let folder = desk.path("pebblebank-demo");
    for (name, file) in STAND_INS.iter().filter(|(name, _)| page != "formats" || *name != "spring-fair.csv") {
        std::fs::copy(folder.join(file), folder.join(name)).unwrap();
    }
    std::fs::write(folder.join("left.csv"), "member no\n10003\n").unwrap();
    std::fs::write(folder.join("export.csv"), "email,Status\nida@post.example,bounced\n").unwrap();
    std::fs::write(folder.join("results.csv"), "email,result\nida@post.example,deliverable\n").unwrap();
    let bank = ["--bank", "bank.sqlite"];
    let typed = |words: &[String]| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_pebblebank"));
        command.args(words).args(bank).current_dir(&folder).env_remove("PEBBLEBANK_BANK").stdin(Stdio::null());
        command.output().unwrap()
    };
    // The receipts of the page compare a run with the one before.
    typed(&["run", "spring-fair.toml", "--replace"].map(str::to_owned));
    let commands = text.lines().filter_map(|line| line.strip_prefix("    pebblebank "));
    // What asks other machines, or names a receipt that only its reader has, is not typed here.
    let elsewhere = ["--level ", "--receipt spring-fair", "postgres://"];
    let commands = commands.filter(|line| !elsewhere.iter().any(|words| line.contains(words)));
    let mut count = 0;
    for line in commands {
        let command = line.split("   ").next().unwrap();
        let mut command_words = words(command);
        if command.starts_with("bank load") {
            // It asks, and there is nobody to answer.
            command_words.push("--yes".to_owned());
        }
        let ran = typed(&command_words);
        let said = format!("{}{}", String::from_utf8_lossy(&ran.stdout), String::from_utf8_lossy(&ran.stderr));
        // A guard, or a file that is not fit, is an answer too.
        assert!(matches!(ran.status.code(), Some(0 | 3)), "{page}: {command}\n{said}");
        count += 1;
    }
    assert!(count >= at_least, "{page} has {count} commands");
}

/// The words of a command as a shell gives them: quotes hold together what has spaces.
fn words(command: &str) -> Vec<String> {
    let (mut words, mut word, mut quote) = (Vec::new(), String::new(), None);
    for sign in command.chars() {
        match quote {
            Some(open) if sign == open => quote = None,
            None if sign == '\'' || sign == '"' => quote = Some(sign),
            None if sign == ' ' => words.extend(Some(std::mem::take(&mut word)).filter(|word| !word.is_empty())),
            _ => word.push(sign),
        }
    }
    words.extend(Some(word).filter(|word| !word.is_empty()));
    words
}
