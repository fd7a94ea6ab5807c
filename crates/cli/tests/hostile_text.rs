//! Text from outside stays text: whatever stands in headers, values, names of files, names in jobs or on the command line,
//! it gives no orders to a terminal, to a job file or to a spreadsheet.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, Ran};
use proptest::prelude::*;
use rstest::rstest;
use serde_json::Value;

/// Texts that a terminal takes for orders, or that show something else than they are.
const HOSTILE: [&str; 8] = [
    "\u{1b}]0;owned\u{7}",
    "\u{1b}[2J\u{1b}[H",
    "\u{1b}[8mhidden\u{1b}[0m",
    "\u{9b}31m",
    "\u{202e}gpj.elif",
    "\u{2066}turned\u{2069}",
    "a\u{200b}b\u{ad}c",
    "back\u{8}\u{8}\u{8}\u{7f}",
];

/// Nothing that a terminal would act on, and nothing that is not seen.
fn is_harmless(text: &str) -> bool {
    text.chars().all(|c| {
        c == '\n'
            || !(c.is_control()
                || matches!(c, '\u{ad}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{206f}'))
    })
}

fn assert_harmless(ran: &Ran, what: &str) {
    for text in [&ran.stdout, &ran.stderr] {
        assert!(is_harmless(text), "{what}: {:?}", text.lines().find(|line| !is_harmless(line)).unwrap_or(text));
    }
}

/// Every command on files whose headers and values are hostile, as text and as JSON.
#[rstest]
fn what_stands_in_files_reaches_no_terminal(#[values(0, 1, 2, 3, 4, 5, 6, 7)] number: usize) {
    let bad = HOSTILE[number];
    let quoted = format!("\"{bad}\"");
    let desk = Desk::with(&[
        (
            "shop.csv",
            &format!("email,{quoted},Newsletter {bad}\nann@post.example,{quoted},maybe {bad}\nben@post.example,x,no\n"),
        ),
        ("other.csv", &format!("email,city {bad}\nann@post.example,{quoted}\ncat@post.example {bad},y\n")),
        ("refused.csv", &format!("email,why {bad}\nann@post.example,{quoted}\n")),
        ("unread.csv", &format!("email,note {bad}\n,write to {bad} dan@post.example\neve@post.example,\n")),
        ("broken.csv", &format!("{bad}\n{bad},{bad}\n")),
    ]);
    let commands: &[&[&str]] = &[
        &["survey", "shop.csv", "other.csv", "refused.csv", "broken.csv"],
        &["survey", "shop.csv", "--verbose"],
        &["propose", "shop.csv", "other.csv", "refused.csv"],
        &["clean", "shop.csv", "-o", "asked.csv"],
        &["clean", "other.csv", "-o", "clean.csv", "--receipt", "receipt"],
        &["clean", "other.csv", "-o", "dry.csv", "--dry-run"],
        &["clean", "other.csv", "-o", "no.csv", "--field", "email=nothing"],
        &["compare", "other.csv", "refused.csv", "-o", "compared"],
        &["suppress", "other.csv", "--against", "refused.csv", "-o", "left.csv", "--set-aside", "out.csv"],
        &["suppress", "other.csv", "--against", "unread.csv", "-o", "left2.csv"],
        &["top-up", "refused.csv", "--from", "other.csv", "-o", "more.csv"],
        &["split", "other.csv", "--by", "city", "-o", "parts"],
        &["bank", "load", "refused.csv", "--as", "opted-out", "--yes"],
        &["bank", "load", "unread.csv", "--as", "opted-out", "--yes"],
        &["bank", "load", "broken.csv", "--as", "bounced", "--yes"],
        &["bank", "list"],
    ];
    for command in commands {
        assert_harmless(&desk.run(command), &format!("{command:?}"));
        let as_json = [command, &["--json"][..]].concat();
        let ran =
            desk.run(&as_json.iter().map(|part| if *part == "--yes" { "--dry-run" } else { part }).collect::<Vec<_>>());
        assert_harmless(&ran, &format!("{command:?} --json"));
        assert!(
            ran.stdout.is_empty() || serde_json::from_str::<Value>(&ran.stdout).is_ok(),
            "{command:?}: {}",
            ran.stdout
        );
    }
}

#[rstest]
fn names_of_files_jobs_scopes_and_words_on_the_command_line_reach_no_terminal(
    #[values(0, 1, 2, 3, 4, 5, 6, 7)] number: usize,
) {
    let bad = HOSTILE[number];
    let list = format!("list {bad}.csv");
    let desk = Desk::with(&[(&list, "email,city\nann@post.example,Larkfold\n")]);
    let toml = |text: &str| Value::from(text).to_string().replace('\u{7f}', "\\u007f");
    desk.file(
        "job.toml",
        format!(
            "[job]\nname = {0}\n[[source]]\nname = {0}\nfiles = [{1}]\n[[write]]\nfile = \"out.csv\"\n",
            toml(&format!("fair {bad}")),
            toml(&list)
        ),
    );
    desk.file("wrong.toml", format!("[job]\nname = \"x\"\n{} = 1\n", toml(bad)));
    desk.file("unreadable.toml", format!("[job]\nname = {bad}\n"));
    let scope = format!("scope {bad}");
    let commands: &[&[&str]] = &[
        &["survey", &list],
        &["survey", &format!("missing {bad}")],
        &["propose", &list],
        &["clean", &list, "-o", "clean.csv"],
        &["clean", &list, "-o", &format!("no folder {bad}/out.csv")],
        &["clean", &list, "-o", "x.csv", "--field", &format!("{bad}=email")],
        &["clean", &list, "-o", "x.csv", "--where", &format!("city is {bad}")],
        &["clean", &list, "-o", "x.csv", "--where", bad],
        &["clean", &list, "-o", "x.csv", "--accept", bad],
        &["run", "job.toml"],
        &["run", "wrong.toml"],
        &["run", "unreadable.toml"],
        &["compare", &list, &list],
        &["split", &list, "--by", bad, "-o", "parts"],
        &["bank", "add", bad],
        &["bank", "add", "ann@post.example", "--scope", &scope],
        &["bank", "add", "ann@post.example", "--scope", &scope, "--new-scope", "--note", bad],
        &["bank", "find", "ann@post.example"],
        &["bank", "find", bad],
        &["bank", "history"],
        &["bank", "batches"],
        &["bank"],
        &["bank", "load", &list, "--as", bad],
        &["review", &format!("no receipt {bad}")],
        &[bad],
        &["clean", &format!("--{bad}")],
    ];
    for command in commands {
        assert_harmless(&desk.run(command), &format!("{command:?}"));
    }
}

/// Of what a job is made: its tables, and every text in it.
fn parts_of(job: &str) -> (Vec<String>, toml_of::Table) {
    let table: toml_of::Table = toml_of::parse(job);
    (table.keys().cloned().collect(), table)
}

/// The job file read by an independent reader.
mod toml_of {
    pub type Table = serde_json::Map<String, serde_json::Value>;

    pub fn parse(text: &str) -> Table {
        toml::from_str(text).unwrap_or_else(|cause| panic!("{cause}\n{text}"))
    }
}

fn header() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        4 => "[a-zA-Z ]{1,8}",
        2 => prop::sample::select(vec!["\n", "\r\n", "\r", "\u{85}", "\u{2028}"]).prop_map(str::to_owned),
        2 => prop::sample::select(vec!["\"", "\"\"\"", "'", "'''", "\\", "#", "=", "]", "]]", "}", ","]).prop_map(str::to_owned),
        1 => prop::sample::select(vec![
            "\n[[allow]]\naddresses = [\"ann@post.example\"]\nwhy = \"x\"\n",
            "\n[[write]]\nfile = \"/tmp/elsewhere.csv\"\n",
            "\" ]\n[bank]\n#",
        ])
        .prop_map(str::to_owned),
        1 => prop::sample::select(HOSTILE.to_vec()).prop_map(str::to_owned),
    ];
    prop::collection::vec(piece, 1..5).prop_map(|pieces| pieces.concat())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, max_shrink_iters: 100, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn a_proposed_job_has_the_parts_that_were_proposed_and_no_others(headers in prop::collection::vec(header(), 1..5), consent in header()) {
        let mut writer = csv::Writer::from_writer(Vec::new());
        let named = ["email".to_owned(), format!("Newsletter {consent}")].into_iter().chain(headers.iter().cloned());
        let named: Vec<String> = named.collect();
        writer.write_record(&named).unwrap();
        for n in 0..6 {
            let mut row = vec![format!("p{n}@post.example"), if n % 2 == 0 { "x1" } else { "x2" }.to_owned()];
            row.extend(headers.iter().enumerate().map(|(column, _)| format!("2026-0{}-1{n}", column + 1)));
            writer.write_record(&row).unwrap();
        }
        let desk = Desk::new();
        desk.file("shop.csv", writer.into_inner().unwrap());
        desk.done(&["propose", "shop.csv", "-o", "job.toml"]);
        let (tables, job) = parts_of(&desk.text("job.toml"));
        prop_assert!(tables.iter().all(|table| ["job", "source", "person", "require", "guard", "write", "layout"].contains(&table.as_str())), "{:?}", tables);
        prop_assert_eq!(job["write"].as_array().map(Vec::len), Some(1));
        let file = job["write"][0]["file"].as_str().unwrap();
        prop_assert!(!file.contains('/'), "{}", file);
        prop_assert_eq!(job["source"].as_array().map(Vec::len), Some(1));
        // What it names is in the file, and it runs or asks.
        let ran = desk.run(&["run", "job.toml", "--dry-run"]);
        prop_assert!(matches!(ran.status, 0 | 1 | 3), "{}{}", ran.stdout, ran.stderr);
        prop_assert!(!ran.stderr.contains("TOML") && !ran.stderr.contains("no column"), "{}", ran.stderr);
        assert_harmless(&ran, "run --dry-run");
    }
}

/// Every cell and every header that a spreadsheet would take for a formula.
#[rstest]
#[case::written_by_clean(&["clean", "shop.csv", "-o", "out.csv", "--receipt", "r"], &["out.csv", "r/set-aside.csv", "r/merged.csv", "r/repairs.csv"])]
#[case::written_by_compare(&["compare", "shop.csv", "other.csv", "-o", "compared.csv"], &["compared.csv"])]
#[case::marked_by_compare(&["compare", "shop.csv", "other.csv", "-o", "marked.csv", "--mark"], &["marked.csv"])]
#[case::added_by_top_up(&["top-up", "other.csv", "--from", "shop.csv", "-o", "out.csv", "--set-aside", "aside.csv"], &["aside.csv"])]
#[case::kept_aside(&["suppress", "shop.csv", "--against", "refused.csv", "-o", "left.csv", "--set-aside", "aside.csv", "--defuse"], &["left.csv", "aside.csv"])]
#[case::split_where_it_is_asked_for(&["split", "shop.csv", "--rows-per-file", "2", "-o", "parts", "--defuse"], &["parts/shop.1.csv"])]
fn nothing_that_is_written_is_a_formula(#[case] command: &[&str], #[case] files: &[&str]) {
    let formula = "=HYPERLINK(\"\"http://x.example\"\")";
    let rows: String =
        (0..5).map(|n| format!("p{n}@post.example,\"{formula}\",\"@SUM(A1)\",+44 20 7946 0001\n")).collect();
    let desk = Desk::with(&[
        ("shop.csv", &format!("email,\"{formula}\",@city,-note\n{rows}bad,\"{formula}\",,\n")),
        ("other.csv", "email,city\np1@post.example,Larkfold\nz@post.example,Quillmere\n"),
        ("refused.csv", "email\np2@post.example\n"),
    ]);
    desk.done(command);
    for file in files.iter().filter(|file| desk.has(file)) {
        let bytes = desk.bytes(file);
        let mut reader = csv::ReaderBuilder::new().has_headers(false).flexible(true).from_reader(&bytes[..]);
        for record in reader.records().map(Result::unwrap) {
            for cell in &record {
                // A number or a phone number calls nothing.
                let is_number = cell.chars().all(|c| c.is_ascii_digit() || "+-. ()".contains(c));
                let begins = cell.starts_with(['=', '@', '+', '-', '\t', '\r']) && !is_number;
                assert!(!begins, "{file}: {cell:?}");
            }
        }
    }
    assert!(files.iter().any(|file| desk.has(file)), "{:?}", desk.names());
}
