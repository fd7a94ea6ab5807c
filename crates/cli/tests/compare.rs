//! Lists held against each other.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::Desk;
use proptest::prelude::*;
use rstest::rstest;

const WALKS: &str =
    "Name,E-mail,No\nAnn Moss,Ann@post.example,17\nBen,ben@post.example,18\nBen,ben@post.example,18\nnobody,,19\n";
const CARDS: &str = "email;member no\nben@post.example;18\ncy@post.example;20\n";

fn desk() -> Desk {
    Desk::with(&[("walks.csv", WALKS), ("cards.csv", CARDS), ("empty.csv", "email\n")])
}

#[test]
fn it_counts_from_both_sides_and_says_repeats_and_rows_without_key_apart() {
    let found = desk().json(&["compare", "walks.csv", "cards.csv"]);
    assert_eq!((&found["people"], &found["in_all"], &found["in_exactly_one"]), (&3.into(), &1.into(), &2.into()));
    let walks = &found["lists"][0];
    let counts = ["rows", "people", "repeats", "without_key", "only_here"].map(|key| walks[key].as_u64().unwrap());
    assert_eq!(counts, [4, 2, 1, 1, 1]);
    assert_eq!(found["shared"], serde_json::json!([[2, 1], [1, 2]]));
    assert_eq!(found["lists"][1]["only_here"], 1);
}

/// Who is new, who is in both, who is in only one.
#[rstest]
#[case("in cards and not in walks", &["cy@post.example"])]
#[case("in walks and in cards", &["ben@post.example"])]
#[case("in walks and not in cards or in cards and not in walks", &["ann@post.example", "cy@post.example"])]
fn a_condition_picks_people(#[case] condition: &str, #[case] picked: &[&str]) {
    let desk = desk();
    desk.done(&["compare", "walks.csv", "cards.csv", "--where", condition, "-o", "out.csv"]);
    assert_eq!(desk.sheet("out.csv").column("email"), picked);
}

#[test]
fn what_is_written_is_a_row_a_person_with_a_column_a_list_after_its_own() {
    let desk = desk();
    desk.done(&["compare", "w=walks.csv", "gift cards=cards.csv", "-o", "out.csv"]);
    let sheet = desk.sheet("out.csv");
    assert_eq!(sheet.header[sheet.header.len() - 2..], ["in w", "in gift cards"]);
    assert_eq!(
        sheet.columns(["email", "in w", "in gift cards"]),
        [["ann@post.example", "yes", "no"], ["ben@post.example", "yes", "yes"], ["cy@post.example", "no", "yes"]]
    );
    desk.done(&[
        "compare",
        "w=walks.csv",
        "c=cards.csv",
        "-o",
        "few.csv",
        "--columns",
        "email,in c",
        "--sort",
        "email descending",
    ]);
    let few = desk.sheet("few.csv");
    assert_eq!(few.columns(["email", "in c"])[0], ["cy@post.example", "yes"]);
}

#[test]
fn marked_rows_are_the_first_lists_own_in_their_order() {
    let desk = desk();
    desk.done(&["compare", "walks.csv", "cards.csv", "--mark", "-o", "out.csv"]);
    let expected = "Name,E-mail,No,in cards\nAnn Moss,Ann@post.example,17,no\nBen,ben@post.example,18,yes\n\
        Ben,ben@post.example,18,yes\nnobody,,19,\n";
    assert_eq!(desk.text("out.csv"), expected);
    desk.done(&["compare", "walks.csv", "cards.csv", "--mark", "-o", "both.csv", "--where", "in cards"]);
    assert_eq!(desk.sheet("both.csv").rows.len(), 2);
}

#[rstest]
#[case("No = member no", 1)]
#[case("contact_id = member no", 1)]
fn another_column_compares_also_a_different_one_on_each_side(#[case] by: &str, #[case] in_both: u64) {
    let desk = desk();
    let walks =
        if by.starts_with("contact_id") { WALKS.replace(",No\n", ",customer number\n") } else { WALKS.to_owned() };
    desk.file("walks.csv", walks);
    let found = desk.json(&["compare", "walks.csv", "cards.csv", "--by", by]);
    assert_eq!((&found["in_all"], &found["lists"][0]["people"]), (&in_both.into(), &3.into()));
}

#[test]
fn opted_out_people_count_like_all_others_and_an_empty_list_is_said() {
    let desk = desk();
    desk.file("a.csv", "email,status\nann@post.example,unsubscribed\n");
    let found = desk.json(&["compare", "a.csv", "walks.csv"]);
    assert_eq!(found["in_all"], 1);
    let ran = desk.done(&["compare", "walks.csv", "empty.csv"]);
    assert!(ran.stdout.contains("empty is empty: nobody can be in it"), "{}", ran.stdout);
}

#[rstest]
#[case(&["walks.csv", "cards.csv", "--where", "in card"], "there is no list \"card\"", "did you mean \"cards\"?")]
#[case(&["walks.csv", "cards.csv", "--by", "phone"], "the list has no \"phone\"", "after = that of the others")]
#[case(&["a=walks.csv", "A=cards.csv"], "is used twice", "its own name")]
#[case(&["walks.csv", "cards.csv", "-o", "walks.csv", "--replace"], "is read by the job", "another file")]
fn mistakes_are_named(#[case] arguments: &[&str], #[case] what: &str, #[case] advice: &str) {
    let desk = desk();
    let ran = desk.run(&[&["compare"], arguments].concat());
    let said = ran.stderr.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(ran.status == 1 || ran.status == 2, "{said}");
    assert!(said.contains(what) && said.contains(advice), "{said}");
    assert_eq!(desk.text("walks.csv"), WALKS);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    #[test]
    fn a_list_is_who_is_in_the_other_and_who_is_not(
        a in prop::collection::vec(0u8..12, 0..30),
        b in prop::collection::vec(0u8..12, 1..30),
        threads in 1u8..4,
    ) {
        let file = |people: &[u8]| people.iter().fold("email\n".to_owned(), |text, n| format!("{text}p{n}@post.example\n"));
        let desk = Desk::with(&[("a.csv", &file(&a)), ("b.csv", &file(&b))]);
        let threads = threads.to_string();
        let picked = |condition: &str| {
            let found = desk.json(&["compare", "a.csv", "b.csv", "--where", condition, "--threads", &threads, "-o", "o.csv", "--replace"]);
            let written = desk.sheet("o.csv").rows.len() as u64;
            assert_eq!(found["picked"].as_u64(), Some(written));
            written
        };
        let distinct = |people: &[u8]| people.iter().collect::<std::collections::BTreeSet<_>>().len() as u64;
        prop_assert_eq!(picked("in a"), distinct(&a));
        prop_assert_eq!(picked("in a"), picked("in a and in b") + picked("in a and not in b"));
        prop_assert_eq!(picked("in a or in b"), picked("in b") + picked("in a and not in b"));
    }
}

#[test]
fn a_list_that_is_named_with_its_ending_is_offered_in_the_whole_condition() {
    let desk = Desk::with(&[("walks.csv", "email\na@x.example\n"), ("cards.csv", "email\nb@x.example\n")]);
    let ran =
        desk.run(&["compare", "walks.csv", "cards.csv", "--where", "in walks.csv and not in cards", "-o", "o.csv"]);
    assert_eq!(ran.status, 2);
    assert!(ran.stderr.contains("--where 'in walks and not in cards'"), "{}", ran.stderr);
}
