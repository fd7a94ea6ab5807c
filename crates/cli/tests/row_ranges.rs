//! Part of a list by the rows that a spreadsheet shows: --rows 200-450.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use rstest::rstest;

/// Row 4 refuses for the person of row 2; row 5 is a second copy of the person of row 3.
const SHOP: &str = "Email,First name,Newsletter\n\
    ida@post.example,Ida,yes\n\
    hugo@post.example,Hugo,yes\n\
    IDA@post.example,Ida,no\n\
    hugo@post.example,Hugo B,yes\n\
    wren@post.example,Wren,yes\n";

fn desk() -> Desk {
    Desk::with(&[("shop.csv", SHOP), ("other.csv", "Email\nwren@post.example\nhugo@post.example\n")])
}

#[rstest]
#[case::both_ends_belong_to_it("3-4", &["Hugo"])]
#[case::a_copy_in_the_range_survives_one_outside("5-6", &["Hugo B", "Wren"])]
#[case::to_the_end("6-", &["Wren"])]
#[case::from_the_beginning("-3", &["Hugo"])]
#[case::beyond_the_end_is_the_end("5-900", &["Hugo B", "Wren"])]
fn clean_writes_the_people_of_these_rows_and_a_refusal_outside_them_counts(#[case] rows: &str, #[case] names: &[&str]) {
    let desk = desk();
    let tally = desk.json(&["clean", "shop.csv", "--rows", rows, "-o", "out.csv"]);
    assert_eq!(desk.sheet("out.csv").column("first_name"), names);
    let all = &tally["all"];
    let of = |key: &str| all[key].as_u64().unwrap();
    let set_aside = desk.sheet("out.set-aside.csv").rows.len() as u64;
    assert_eq!((of("read"), of("written") + of("merged") + set_aside), (5, 5));
}

#[test]
fn every_row_outside_is_set_aside_with_its_reason() {
    let desk = desk();
    desk.done(&["clean", "shop.csv", "--rows", "6", "-o", "out.csv"]);
    let aside = desk.sheet("out.set-aside.csv");
    let said = aside.columns(["pebblebank_row", "pebblebank_reason", "pebblebank_details"]);
    assert_eq!(
        said,
        [
            ["2", "opted-out", "opted out in shop"],
            ["3", "not-selected", "outside of the rows that are wanted"],
            ["4", "opted-out", "opted out in shop"],
            ["5", "not-selected", "outside of the rows that are wanted"],
        ]
    );
}

#[test]
fn suppress_leaves_these_rows_and_keeps_the_others() {
    let desk = desk();
    desk.done(&["suppress", "shop.csv", "--against", "other.csv", "--rows", "2-3", "-o", "out.csv"]);
    assert_eq!(desk.sheet("out.csv").rows.len(), 0);
    desk.file("other.csv", "Email\nnobody@post.example\n");
    desk.done(&["suppress", "shop.csv", "--against", "other.csv", "--rows", "2-3", "-o", "out.csv", "--replace"]);
    assert_eq!(desk.sheet("out.csv").column("First name"), ["Hugo"]);
    assert_eq!(desk.sheet("out.set-aside.csv").rows.len(), 4);
}

#[test]
fn split_parts_these_rows_alone() {
    let desk = desk();
    let done = desk.json(&["split", "shop.csv", "--rows", "3-5", "--rows-per-file", "2", "-o", "parts"]);
    assert_eq!((&done["rows"], &done["outside_of_range"]), (&3.into(), &2.into()));
    let names = |file: &str| desk.sheet(file).column("First name").join(",");
    assert_eq!((names("parts/shop.1.csv"), names("parts/shop.2.csv")), ("Hugo,Ida".to_owned(), "Hugo B".to_owned()));
}

#[test]
fn compare_counts_these_rows_of_the_first_list() {
    let desk = desk();
    let compared = desk.json(&["compare", "shop.csv", "other.csv", "--rows", "2-4"]);
    let of_shop = |key: &str| compared["lists"][0][key].as_u64().unwrap();
    assert_eq!((of_shop("rows"), of_shop("people"), of_shop("repeats")), (3, 2, 1));
    assert_eq!((of_shop("only_here"), &compared["in_all"]), (1, &1.into()));
    desk.done(&["compare", "shop.csv", "other.csv", "--rows", "5-6", "--mark", "-o", "marked.csv"]);
    assert_eq!(desk.sheet("marked.csv").columns(["First name", "in other"]), [["Hugo B", "yes"], ["Wren", "yes"]]);
}

#[test]
fn a_job_may_say_it_of_a_source() {
    let job = job_with("").replace("files = [\"shop.csv\"]", "files = [\"shop.csv\"]\nrows = \"5-6\"");
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job)]);
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").column("first_name"), ["Hugo B", "Wren"]);
    desk.file("job.toml", job.replace("5-6", "6-5"));
    let ran = desk.run(&["run", "job.toml", "--replace"]);
    assert_eq!(ran.status, 2);
    assert!(ran.stderr.contains("rows = \"6-5\""), "{}", ran.stderr);
}

#[rstest]
#[case::backwards("9-3", 2, "end before they begin")]
#[case::no_range("a-b", 2, "not a range of rows")]
#[case::behind_the_end("900-950", 1, "the file ends at row 6")]
fn a_range_that_cannot_be_meant_is_an_error(#[case] rows: &str, #[case] status: i32, #[case] says: &str) {
    let desk = desk();
    let ran = desk.run(&["clean", "shop.csv", "--rows", rows, "-o", "out.csv"]);
    assert_eq!(ran.status, status, "{}", ran.stderr);
    assert!(ran.stderr.contains(says) && ran.stderr.contains("spreadsheet"), "{}", ran.stderr);
    assert!(!desk.has("out.csv"));
}

#[test]
fn a_range_of_several_files_is_refused() {
    let desk = desk();
    let ran = desk.run(&["clean", "shop.csv", "other.csv", "--rows", "2-3", "-o", "out.csv"]);
    assert_eq!(ran.status, 2);
    assert!(ran.stderr.contains("2 files"), "{}", ran.stderr);
}
