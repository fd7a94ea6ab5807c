//! `split`: parts that together hold every row exactly once.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::Desk;
use proptest::prelude::*;
use rstest::rstest;

const LIST: &str = "Spring list,,,\nEmail,Town,First order,Note\n\
    a@post.example,Larkfold,05.03.2025,\"first, of all\"\n\
    b@Mail.example,LARKFOLD,31.03.2025,\n\
    c@post.example,Upper/Meresby,01.04.2026,=1+1\n\
    n/a,n/a,,\n\
    Total,,,\n";

fn desk() -> Desk {
    Desk::with(&[("list.csv", LIST)])
}

#[test]
fn by_a_field_with_files_named_by_value_and_rows_as_they_were() {
    let desk = desk();
    let ran = desk.done(&["split", "list.csv", "--by", "city", "-o", "parts"]);
    assert!(ran.stdout.contains("4 contacts in 3 files, each in exactly one"), "{}", ran.stdout);
    assert!(ran.stdout.contains("not written: 1 title line, 1 header, 1 totals line"), "{}", ran.stdout);
    let larkfold = "Email,Town,First order,Note\na@post.example,Larkfold,05.03.2025,\"first, of all\"\nb@Mail.example,LARKFOLD,31.03.2025,\n";
    assert_eq!(desk.text("parts/list.Larkfold.csv"), larkfold);
    assert_eq!(desk.sheet("parts/list.Upper-Meresby.csv").column("Note"), ["=1+1"]);
    assert_eq!(desk.sheet("parts/list.blank.csv").column("Email"), ["n/a"]);
}

#[rstest]
#[case(&["--by", "domain"], &[("blank", 1), ("mail.example", 1), ("post.example", 2)])]
#[case(&["--by", "signed_up", "--every", "month"], &[("2025-03", 2), ("2026-04", 1), ("blank", 1)])]
#[case(&["--by", "signed_up", "--every", "year"], &[("2025", 2), ("2026", 1), ("blank", 1)])]
#[case(&["--by", "city", "--at-least", "2"], &[("Larkfold", 2), ("others", 2)])]
#[case(&["--rows-per-file", "3"], &[("1", 3), ("2", 1)])]
#[case(&["--parts", "3"], &[("1", 2), ("2", 1), ("3", 1)])]
fn by_domain_date_rows_and_at_random(#[case] how: &[&str], #[case] parts: &[(&str, usize)]) {
    let desk = desk();
    desk.done(&[&["split", "list.csv", "-o", "parts"], how].concat());
    let names = || {
        std::fs::read_dir(desk.path("parts")).unwrap().map(|entry| entry.unwrap().file_name().into_string().unwrap())
    };
    let mut found: Vec<(String, usize)> =
        names().map(|name| (name.clone(), desk.sheet(&format!("parts/{name}")).rows.len())).collect();
    found.sort();
    let expected: Vec<(String, usize)> = parts.iter().map(|(name, rows)| (format!("list.{name}.csv"), *rows)).collect();
    assert_eq!(found, expected);
}

#[rstest]
#[case::columns(&["--columns", "Mail=email,Town"], "list.1.csv", "Mail,Town\na@post.example,Larkfold\nb@Mail.example,LARKFOLD\n")]
#[case::tabs(&["--format", "tsv", "--columns", "Town"], "list.1.tsv", "Town\nLarkfold\nLARKFOLD\n")]
#[case::recipients(&["--format", "recipient-line", "--columns", "email", "--rows", "-5"], "list.1.txt", "a@post.example, b@mail.example\n")]
#[case::json_lines(&["--format", "jsonl", "--columns", "Town"], "list.1.jsonl", "{\"Town\":\"Larkfold\"}\n{\"Town\":\"LARKFOLD\"}\n")]
fn parts_have_the_columns_and_the_format_that_are_asked_for(
    #[case] how: &[&str],
    #[case] file: &str,
    #[case] text: &str,
) {
    let desk = desk();
    desk.done(&[&["split", "list.csv", "--rows-per-file", "2", "-o", "parts"], how].concat());
    assert_eq!(desk.text(&format!("parts/{file}")), text);
}

#[test]
fn a_row_without_an_address_is_no_recipient() {
    let desk = desk();
    let line = ["--format", "recipient-line", "--columns", "email"];
    let ran = desk.run(&[&["split", "list.csv", "--rows-per-file", "2", "-o", "parts"][..], &line].concat());
    assert_eq!(ran.status, 1);
    assert!(ran.stderr.contains("row 6") && ran.stderr.contains("no usable address"), "{}", ran.stderr);
    desk.file("no.csv", "email\na@post.example\nzoe@post.example\n");
    desk.done(&[&["suppress", "list.csv", "--against", "no.csv", "-o", "left.txt"][..], &line].concat());
    assert_eq!(desk.text("left.txt"), "b@mail.example, c@post.example\n");
    assert_eq!(desk.sheet("left.set-aside.csv").column("pebblebank_reason"), ["do-not-contact", "blank-address"]);
}

#[test]
fn a_part_can_be_a_workbook() {
    let desk = desk();
    desk.done(&["split", "list.csv", "--by", "city", "--format", "xlsx", "-o", "parts"]);
    let survey = desk.json(&["survey", "parts/list.Larkfold.xlsx"]);
    assert_eq!(survey["files"][0]["rows"], 2, "{survey}");
}

#[test]
fn cells_behind_the_last_header_get_a_column_wherever_rows_are_copied() {
    let desk = Desk::with(&[
        ("list.csv", "email,City\nida@post.example,Ely,\"a, b\",c\nhugo@post.example,Bath\n"),
        ("no.csv", "email\nzoe@post.example\nida@post.example\n"),
    ]);
    desk.done(&["split", "list.csv", "--rows-per-file", "9", "-o", "parts"]);
    desk.done(&["suppress", "list.csv", "--against", "no.csv", "--mark", "-o", "marked.csv"]);
    desk.done(&["suppress", "list.csv", "--against", "no.csv", "-o", "left.csv"]);
    desk.done(&["compare", "list.csv", "no.csv", "--mark", "-o", "compared.csv"]);
    let surplus = "\"a, b\",c";
    for file in ["parts/list.1.csv", "marked.csv", "compared.csv"] {
        assert_eq!(desk.sheet(file).column("surplus cells"), [surplus, ""], "{file}");
    }
    assert_eq!(desk.sheet("left.csv").column("surplus cells"), [""]);
    assert_eq!(desk.sheet("left.set-aside.csv").column("pebblebank_surplus"), [surplus]);
}

#[test]
fn the_same_seed_gives_the_same_parts() {
    let desk = desk();
    for (seed, folder) in [("7", "a"), ("7", "b")] {
        desk.done(&["split", "list.csv", "--parts", "2", "--seed", seed, "-o", folder]);
    }
    assert_eq!(desk.text("a/list.1.csv"), desk.text("b/list.1.csv"));
}

#[test]
fn nothing_is_written_over_unasked_nor_in_a_dry_run() {
    let desk = desk();
    desk.done(&["split", "list.csv", "--rows-per-file", "2", "--dry-run"]);
    assert_eq!(desk.names(), ["list.csv"]);
    desk.done(&["split", "list.csv", "--rows-per-file", "2"]);
    assert_eq!(desk.names(), ["list.1.csv", "list.2.csv", "list.csv"]);
    assert_eq!(desk.run(&["split", "list.csv", "--rows-per-file", "2"]).status, 1);
    desk.done(&["split", "list.csv", "--rows-per-file", "2", "--replace"]);
}

#[rstest]
#[case(&["--by", "Twon"], 1, "did you mean \"Town\"?")]
#[case(&[], 2, "--by")]
#[case(&["--by", "city", "--rows-per-file", "3"], 2, "cannot be used with")]
#[case(&["--rows-per-file", "0"], 2, "0")]
fn wrong_use_is_named(#[case] how: &[&str], #[case] status: i32, #[case] words: &str) {
    let ran = desk().run(&[&["split", "list.csv"], how].concat());
    assert!(ran.status == status && ran.stderr.contains(words), "{}", ran.stderr);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn parts_together_hold_every_row_exactly_once(towns in prop::collection::vec("[a-cA-C/ ]{0,2}", 1..40), parts in 1u64..7) {
        let rows: Vec<String> = towns.iter().enumerate().map(|(n, town)| format!("p{n}@post.example,{town}")).collect();
        let desk = Desk::with(&[("list.csv", &format!("email,city\n{}\n", rows.join("\n")))]);
        let parts = parts.to_string();
        for (how, folder) in [(["--by", "city"], "by"), (["--parts", parts.as_str()], "at-random")] {
            let split = desk.json(&[&["split", "list.csv", "-o", folder], how.as_slice()].concat());
            let mut all: Vec<String> = Vec::new();
            for file in split["files"].as_array().unwrap() {
                let text = desk.text(file["file"].as_str().unwrap());
                all.extend(text.lines().skip(1).map(str::to_owned));
            }
            all.sort();
            let mut expected = rows.clone();
            expected.sort();
            prop_assert_eq!(all, expected);
        }
    }
}
