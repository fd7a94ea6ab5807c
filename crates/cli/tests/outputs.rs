//! Outputs, of every command that writes: what may not be written over is refused, what a killed command left is completed
//! first, and two commands at once do not mix their files.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use pebblebank_table::staged::Staged;
use pebblebank_table::staged::placement::Placement;
use rstest::rstest;
use std::process::Stdio;

const SHOP: &str =
    "email,first name,city\nida@post.example,Ida,Larkfold\nbob@post.example,Bob,Fennel Cross\nida@post.example,Ida,\n";

/// A desk on which every command has what it needs.
fn desk() -> Desk {
    let desk = Desk::with(&[
        ("shop.csv", SHOP),
        ("more.csv", "email,first name,city\nmay@post.example,May,Larkfold\n"),
        ("gone.csv", "email\nbob@post.example\n"),
        ("job.toml", &job_with("")),
    ]);
    desk.done(&["bank", "add", "cat@post.example", "--as", "do-not-contact"]);
    desk
}

/// Every command that writes a file, with the place of its output.
const WRITERS: [(&str, &[&str]); 9] = [
    ("run", &["run", "job.toml", "--replace"]),
    ("clean", &["clean", "shop.csv", "-o", "out.csv", "--replace"]),
    ("groups", &["clean", "shop.csv", "--only-duplicates", "-o", "out.csv", "--replace"]),
    ("top-up", &["top-up", "shop.csv", "--from", "more.csv", "-o", "out.csv", "--replace"]),
    ("suppress", &["suppress", "shop.csv", "--against", "gone.csv", "-o", "out.csv", "--replace"]),
    ("compare", &["compare", "shop.csv", "more.csv", "-o", "out.csv", "--replace"]),
    ("mark", &["compare", "shop.csv", "more.csv", "--mark", "-o", "out.csv", "--replace"]),
    ("propose", &["propose", "shop.csv", "-o", "out.csv", "--replace"]),
    ("export", &["bank", "export", "out.csv", "--replace"]),
];

#[rstest]
fn every_command_writes_its_output_and_leaves_nothing_beside_it(#[values(0, 1, 2, 3, 4, 5, 6, 7, 8)] writer: usize) {
    let (name, command) = WRITERS[writer];
    let desk = desk();
    desk.file("out.csv", "earlier");
    desk.done(command);
    assert_ne!(desk.text("out.csv"), "earlier", "{name}");
    assert!(desk.names().iter().all(|name| !name.contains("pebblebank-")), "{name}: {:?}", desk.names());
}

/// What lies where an output should go, and how it is laid there.
#[cfg(unix)]
type Obstacle = (&'static str, fn(&Desk));

#[cfg(unix)]
#[rstest]
fn no_command_writes_over_what_is_no_file_or_is_the_bank(#[values(0, 1, 2, 3, 4, 5, 6, 7, 8)] writer: usize) {
    let (name, command) = WRITERS[writer];
    let obstacles: [Obstacle; 4] = [
        ("a folder", |desk| std::fs::create_dir(desk.path("out.csv")).unwrap()),
        ("a link that leads nowhere", |desk| {
            std::os::unix::fs::symlink(desk.path("nowhere"), desk.path("out.csv")).unwrap();
        }),
        ("the bank through a link", |desk| {
            std::os::unix::fs::symlink(desk.path("bank.sqlite"), desk.path("out.csv")).unwrap();
        }),
        ("a device", |desk| std::os::unix::fs::symlink("/dev/null", desk.path("out.csv")).unwrap()),
    ];
    for (what, lay) in obstacles {
        let desk = desk();
        lay(&desk);
        let bank = desk.bytes("bank.sqlite");
        let ran = desk.run(command);
        assert!([1, 2].contains(&ran.status), "{name}, {what}: {}{}", ran.stdout, ran.stderr);
        assert_eq!(desk.bytes("bank.sqlite"), bank, "{name}, {what}");
        assert!(!desk.has("nowhere"), "{name}, {what}");
        let left: Vec<String> = desk.names().into_iter().filter(|name| name.contains("pebblebank-")).collect();
        assert!(left.is_empty(), "{name}, {what}: {left:?}");
    }
}

#[rstest]
fn every_command_completes_the_set_that_a_killed_one_left_of_its_output(
    #[values(0, 1, 2, 3, 4, 5, 6, 7, 8)] writer: usize,
) {
    let (name, command) = WRITERS[writer];
    let desk = desk();
    std::fs::create_dir(desk.path("elsewhere")).unwrap();
    let mut killed = Staged::new(false);
    for file in ["elsewhere/first.csv", "out.csv"] {
        let output = killed.file(&desk.path(file), Placement::New).unwrap();
        killed.write(output, b"of the killed command").unwrap();
    }
    killed.place_journal_only().unwrap();
    desk.done(command);
    assert_eq!(desk.text("elsewhere/first.csv"), "of the killed command", "{name}");
    assert_ne!(desk.text("out.csv"), "of the killed command", "{name}");
    assert!(desk.names().iter().all(|name| !name.contains("pebblebank-")), "{name}: {:?}", desk.names());
}

#[test]
fn of_two_runs_at_once_one_stops_or_waits_and_no_files_are_mixed() {
    for _ in 0..6 {
        let desk = Desk::new();
        for (shop, rows) in [("one", 3_000), ("two", 5_000)] {
            let rows: String = (0..rows).map(|n| format!("{shop}{n}@post.example,Ida\n")).collect();
            desk.file(&format!("{shop}.csv"), format!("email,first name\n{rows}"));
        }
        let begin = |shop: &str| {
            let list = format!("{shop}.csv");
            let mut command = desk.command(&["clean", &list, "-o", "out.csv", "--receipt", "receipt", "--replace"]);
            command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap()
        };
        let ran = [begin("one"), begin("two")].map(|child| child.wait_with_output().unwrap());
        assert!(ran.iter().any(|ran| ran.status.success()), "one of them must come through");
        for stopped in ran.iter().filter(|ran| !ran.status.success()) {
            let said = String::from_utf8_lossy(&stopped.stderr);
            assert!(said.contains("another command is writing this output now"), "{said}");
        }
        let tally: serde_json::Value = serde_json::from_str(&desk.text("receipt/tally.json")).unwrap();
        let source = tally["sources"][0]["name"].as_str().unwrap().to_owned();
        let written = desk.sheet("out.csv");
        assert_eq!(written.rows.len() as u64, tally["all"]["written"].as_u64().unwrap());
        assert!(written.column("email").iter().all(|address| address.starts_with(&source)), "rows of one run alone");
    }
}

#[test]
fn a_list_from_standard_input_is_split_with_a_word_on_who_must_not_be_contacted() {
    let desk = desk();
    let list = "email,city\ncat@post.example,Larkfold\nida@post.example,Quillmere\n";
    let ran = desk.run_with_input(&["split", "-", "--by", "city", "-o", "parts"], list.as_bytes());
    assert_eq!(ran.status, 0, "{}", ran.stderr);
    assert!(ran.stdout.contains("must not be contacted (do-not-contact 1)"), "{}", ran.stdout);
    // No hidden files.
    assert!(desk.has("parts/list.Larkfold.csv"), "{}", ran.stdout);
}
