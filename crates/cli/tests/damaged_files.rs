//! Every file that the program reads besides lists and exports, changed at random: a job, a layout, a condition, headers, a bank, decisions, a
//! receipt, a journal. The program does its work or says what is wrong; it never ends in a defect, never waits, never touches
//! anything outside, and whoever the undamaged bank holds is not written.
//!
//! The same cases each time. Others, for as long as one likes, in the release profile:
//! `DAMAGE_SECONDS=600 DAMAGE_SEED=7 cargo test --release -p pebblebank --test damaged_files -- --ignored --nocapture`

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::Desk;
use common::mutation::{Dice, mutated};
use pebblebank_table::staged::Staged;
use pebblebank_table::staged::placement::Placement;
use rstest::rstest;
use std::collections::BTreeMap;
use std::process::{Child, Stdio};
use std::time::{Duration, Instant};

/// How many changes each kind of file sees whenever the tests run.
const CASES: u64 = 25;

/// Nothing here has work for longer.
const PATIENCE: Duration = Duration::from_secs(20);

/// Whom the bank of these desks holds.
const HELD: &str = "cy@hotel.example";

const SHOP: &str = "email,first name,last name,phone,Status,Joined\n\
    ann@post.example,Ann,Quill,+442079460001,subscribed,2026-01-02\n\
    ann.q@post.example,Ann,Quill,+442079460001,subscribed,23.02.2026\n\
    ben@post.example,Ben,Moss,,unsubscribed,\n\
    cy@hotel.example,Cy,Ash,,subscribed,2026-05-05\n\
    dot@work.example,Dot,Ferry,+442079460004,subscribed,n/a\n";

const JOB: &str = r#"[job]
name = "fair"
today = "2026-11-28"
[[source]]
name = "shop"
files = ["shop.csv"]
columns = { phone = "phone", "signed_up" = "Joined" }
where = "not (email contains 'zz') and (first_name is Ann or signed_up since 2020-01-01 or not email is blank)"
[person]
same = ["email", "phone + last_name"]
decisions = "decisions.csv"
[[suppress]]
name = "no"
files = ["no.csv"]
reason = "bounced"
[[replace]]
field = "last_name"
pattern = "Mos+"
with = "Moss"
[require]
fields = ["email"]
[[write]]
file = "out.csv"
layout = "layout.toml"
"#;

const LAYOUT: &str = r#"sort = "last_name, email descending"
on_violation = "set-aside"
columns = [
  { name = "Email", from = "email", required = true },
  { name = "Name", from = "{first_name} {last_name}", otherwise = "friend" },
  { name = "Since", from = "signed_up", form = "dd.mm.yyyy" },
  { name = "List", constant = "spring fair" },
]
"#;

const CONDITION: &str = "(first_name is Ann or last_name is one of Moss, Ash) and not email contains 'x' and signed_up between 2026-01-01 and 2026-12-31";

/// A kind of file: what it is called, and the commands that read it.
struct Kind {
    name: &'static str,
    file: &'static str,
    commands: &'static [&'static [&'static str]],
}

const RUN: &[&str] = &["run", "job.toml", "--replace", "--accept", "write-at-least"];

const CLEAN: &[&str] = &["clean", "shop.csv", "-o", "out.csv", "--replace", "--accept", "write-at-least"];

const KINDS: [Kind; 11] = [
    Kind { name: "a job", file: "job.toml", commands: &[RUN, &["run", "job.toml", "--dry-run", "--json"]] },
    Kind { name: "a layout", file: "layout.toml", commands: &[RUN] },
    Kind { name: "decisions", file: "decisions.csv", commands: &[RUN, &["review", "fair.receipt"]] },
    Kind { name: "a list", file: "no.csv", commands: &[RUN, &["bank", "load", "no.csv", "--as", "bounced", "--yes"]] },
    Kind { name: "an export", file: "shop.csv", commands: &[RUN, CLEAN, &["survey", "shop.csv"]] },
    Kind { name: "a bank", file: "bank.sqlite", commands: &[RUN, CLEAN, &["bank", "find", HELD], &["bank", "list"]] },
    Kind { name: "a tally", file: "fair.receipt/tally.json", commands: &[RUN, &["bank", "sent", "fair.receipt"]] },
    Kind { name: "fingerprints", file: "fair.receipt/inputs.json", commands: &[&["review", "fair.receipt"], RUN] },
    Kind { name: "an index of people", file: "fair.receipt/people.idx", commands: &[&["review", "fair.receipt"], RUN] },
    Kind { name: "pairs", file: "fair.receipt/review.csv", commands: &[&["review", "fair.receipt"], RUN] },
    Kind {
        name: "set-aside rows",
        file: "fair.receipt/set-aside.csv",
        commands: &[RUN, &["survey", "fair.receipt/set-aside.csv"]],
    },
];

/// A desk with a job that has run once.
fn desk_with_receipt() -> Desk {
    let desk = Desk::with(&[
        ("shop.csv", SHOP),
        ("no.csv", "email,Status\nzed@post.example,bounced\ndot@work.example,bounced\n"),
        ("job.toml", JOB),
        ("layout.toml", LAYOUT),
        ("decisions.csv", "decision,person,other,note\nsame,ann@post.example,ann.q@post.example,\n"),
    ]);
    desk.done(&["bank", "add", HELD, "--as", "opted-out"]);
    desk.done(RUN);
    assert_eq!(desk.sheet("out.csv").column("Email"), ["ann@post.example"]);
    desk
}

/// Every file of a desk with its bytes.
fn snapshot(desk: &Desk) -> BTreeMap<String, Vec<u8>> {
    let names = desk.names().into_iter().flat_map(|name| match std::fs::read_dir(desk.path(&name)) {
        Ok(inside) => inside.map(|entry| format!("{name}/{}", entry.unwrap().file_name().to_string_lossy())).collect(),
        Err(_) => vec![name],
    });
    names.filter(|name| desk.path(name).is_file()).map(|name| (name.clone(), desk.bytes(&name))).collect()
}

fn restore(desk: &Desk, files: &BTreeMap<String, Vec<u8>>) {
    for name in desk.names() {
        let path = desk.path(&name);
        if path.is_dir() { std::fs::remove_dir_all(path) } else { std::fs::remove_file(path) }.unwrap();
    }
    for (name, bytes) in files {
        desk.file(name, bytes);
    }
}

/// What a command leaves, which may neither wait nor end in a defect.
fn ends_well(desk: &Desk, arguments: &[&str], about: &str) -> common::Ran {
    let mut command = desk.command(arguments);
    let mut child: Child = command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let begun = Instant::now();
    // What is printed is little, so that nobody waits for it to be read.
    while child.try_wait().unwrap().is_none() {
        if begun.elapsed() > PATIENCE {
            child.kill().unwrap();
            panic!("{about}: {arguments:?} waits");
        }
        std::thread::sleep(Duration::from_millis(1));
    }
    let output = child.wait_with_output().unwrap();
    let said = String::from_utf8_lossy(&[&output.stderr[..], &output.stdout].concat()).into_owned();
    let status = output.status.code().unwrap_or(-1);
    assert!((0..=3).contains(&status), "{about}: {arguments:?} ends with {status}\n{said}");
    // A guard stands in the account of the run.
    let says_what_to_do = ["to do:", "Usage", "--accept"].iter().any(|words| said.contains(words));
    assert!(status == 0 || says_what_to_do, "{about}: {arguments:?}\n{said}");
    common::Ran::of(&output)
}

fn writes_nobody_held(desk: &Desk, about: &str) {
    let written =
        if desk.has("out.csv") { String::from_utf8_lossy(&desk.bytes("out.csv")).into_owned() } else { String::new() };
    assert!(!written.contains(HELD), "{about}: {HELD} is written\n{written}");
}

/// One case: the file changed, its commands run one after the other.
fn one_case(desk: &Desk, clean: &BTreeMap<String, Vec<u8>>, kind: &Kind, seed: u64) {
    restore(desk, clean);
    let about = format!("{}, seed {seed}", kind.name);
    desk.file(kind.file, mutated(&clean[kind.file], &mut Dice(seed)));
    std::fs::remove_file(desk.path("out.csv")).unwrap();
    for command in kind.commands {
        ends_well(desk, command, &about);
        // A changed job may say that the bank is not asked, and a changed export may name others.
        if !["a job", "an export"].contains(&kind.name) {
            writes_nobody_held(desk, &about);
        }
        assert!(!desk.path("..").join("evil.csv").exists());
    }
    let left: Vec<String> = desk.names().into_iter().filter(|name| name.contains("pebblebank-")).collect();
    assert!(left.is_empty(), "{about}: {left:?}");
}

#[rstest]
fn a_changed_file_is_read_or_refused(#[values(0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10)] kind: usize) {
    let desk = desk_with_receipt();
    let clean = snapshot(&desk);
    (0..CASES).for_each(|seed| one_case(&desk, &clean, &KINDS[kind], seed));
}

#[test]
fn a_changed_condition_is_understood_or_refused() {
    let desk = desk_with_receipt();
    (0..4 * CASES).for_each(|seed| one_condition(&desk, seed));
}

fn one_condition(desk: &Desk, seed: u64) {
    let condition = mutated(CONDITION.as_bytes(), &mut Dice(seed));
    let condition = String::from_utf8_lossy(&condition).replace('\0', "");
    ends_well(desk, &[CLEAN, &["--where", &condition]].concat(), &format!("a condition, seed {seed}: {condition}"));
    writes_nobody_held(desk, &condition);
}

#[test]
fn a_job_proposed_for_changed_headers_runs_or_asks() {
    let desk = desk_with_receipt();
    (0..2 * CASES).for_each(|seed| one_header(&desk, seed));
}

fn one_header(desk: &Desk, seed: u64) {
    let about = format!("headers, seed {seed}");
    let (header, rows) = SHOP.split_once('\n').unwrap();
    let header = mutated(header.as_bytes(), &mut Dice(seed));
    desk.file("odd.csv", [&header[..], b"\n", rows.as_bytes()].concat());
    let _ = std::fs::remove_file(desk.path("odd.toml"));
    if ends_well(desk, &["propose", "odd.csv", "-o", "odd.toml"], &about).status == 0 {
        let run = ends_well(desk, &["run", "odd.toml", "--dry-run", "--json", "--accept", "write-at-least"], &about);
        if run.status == 0 {
            let tally: serde_json::Value = serde_json::from_str(&run.stdout).unwrap();
            let count = |key: &str| tally["all"][key].as_u64().unwrap();
            assert_eq!(count("read"), count("written") + count("merged") + count("set_aside"), "{about}");
        }
        let proposed = desk.text("odd.toml");
        assert!(!proposed.lines().any(|line| line.trim_start().starts_with("[[allow]]")), "{about}\n{proposed}");
    }
}

#[test]
fn a_changed_journal_moves_nothing_but_its_own_parts() {
    let desk = Desk::with(&[("shop.csv", SHOP), ("precious.csv", "nobody touches this\n")]);
    let mut killed = Staged::new(false);
    let output = killed.file(&desk.path("out.csv"), Placement::New).unwrap();
    killed.write(output, b"of the killed command").unwrap();
    killed.place_journal_only().unwrap();
    let clean = snapshot(&desk);
    let journal = clean.keys().find(|name| name.ends_with("pebblebank-commit")).unwrap().clone();
    for seed in 0..2 * CASES {
        restore(&desk, &clean);
        desk.file(&journal, mutated(&clean[&journal], &mut Dice(seed)));
        let about = format!("a journal, seed {seed}");
        ends_well(&desk, CLEAN, &about);
        for name in ["shop.csv", "precious.csv"] {
            assert_eq!(desk.bytes(name), clean[name], "{about}");
        }
    }
}

#[test]
#[ignore = "takes as long as DAMAGE_SECONDS says, for each kind of file"]
fn files_changed_for_a_long_time() {
    let number =
        |name: &str, unless: u64| std::env::var(name).ok().and_then(|text| text.parse().ok()).unwrap_or(unless);
    let (seconds, first) = (number("DAMAGE_SECONDS", 60), number("DAMAGE_SEED", 1) << 32);
    let desk = desk_with_receipt();
    let clean = snapshot(&desk);
    let for_a_while = |name: &str, case: &dyn Fn(u64)| {
        let (begun, mut cases) = (Instant::now(), 0);
        while begun.elapsed() < Duration::from_secs(seconds) {
            case(first + cases);
            cases += 1;
        }
        println!("{name}: {cases} cases in {seconds} s, nothing found");
    };
    for kind in &KINDS {
        for_a_while(kind.name, &|seed| one_case(&desk, &clean, kind, seed));
    }
    restore(&desk, &clean);
    for_a_while("a condition", &|seed| one_condition(&desk, seed));
    for_a_while("headers", &|seed| one_header(&desk, seed));
}
