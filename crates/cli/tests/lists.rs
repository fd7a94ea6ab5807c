//! Lists to ask about: conditions, columns, suppressions and values; conditions on sources and lists.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use rstest::rstest;

const SHOP: &str = "email,city,kind\n\
    ann@post.example,Larkfold,live\n\
    ben@post.example,Larkfold,test order\n\
    cy@post.example; cyrus@work.example,Quillmere,live\n\
    dot@post.example,Quillmere,live\n";

const WALKS: &str = "E-Mail,Walk,Last walk\n\
    ANN@post.example,Bats,2025-03-01\n\
    cyrus@work.example,Orchard,2025-04-01\n\
    cyrus@work.example,Roses,2024-04-01\n\
    eve@post.example,Bats,2025-05-01\n";

const LIST: &str = "[[list]]\nname = \"guided walks\"\nfiles = [\"walks.csv\"]\n";

fn run(more: &str) -> Desk {
    let desk = Desk::with(&[("shop.csv", SHOP), ("walks.csv", WALKS), ("job.toml", &job_with(more))]);
    desk.done(&["run", "job.toml"]);
    desk
}

fn written(more: &str) -> Vec<String> {
    run(more).sheet("out.csv").column("email").into_iter().map(str::to_owned).collect()
}

#[rstest]
#[case("in \"guided walks\"", &["ann@post.example", "cy@post.example"])]
#[case("not in \"Guided Walks\"", &["ben@post.example", "dot@post.example"])]
#[case("city is Larkfold and not in \"guided walks\"", &["ben@post.example"])]
#[case("in shop and in \"guided walks\"", &["ann@post.example", "cy@post.example"])]
fn conditions_ask_whether_any_identity_of_a_person_is_in_a_list(#[case] condition: &str, #[case] picked: &[&str]) {
    assert_eq!(written(&format!("{LIST}[select]\nwhere = '{condition}'")), picked);
}

#[test]
fn a_list_is_a_column_of_a_layout_in_the_words_that_it_says() {
    let layout = "[layout.x]\ncolumns = [ { name = \"E\", from = \"email\" }, \
        { name = \"W\", from = 'in \"guided walks\"' }, \
        { name = \"Tag\", from = 'in \"guided walks\"', yes = \"walker\", no = \"\" } ]";
    let job = job_with(&format!("{LIST}{layout}")).replace("file = \"out.csv\"", "file = \"out.csv\"\nlayout = \"x\"");
    let desk = Desk::with(&[("shop.csv", SHOP), ("walks.csv", WALKS), ("job.toml", &job)]);
    desk.done(&["run", "job.toml"]);
    let sheet = desk.sheet("out.csv");
    assert_eq!(sheet.column("W"), ["yes", "no", "yes", "no"]);
    assert_eq!(sheet.column("Tag"), ["walker", "", "walker", ""]);
}

#[test]
fn a_list_can_hold_its_people_back() {
    let desk = run(&format!("{LIST}[[suppress]]\nname = \"walkers\"\nlist = \"guided walks\""));
    let aside = desk.sheet("fair.receipt/set-aside.csv");
    let columns = aside.columns(["pebblebank_reason", "pebblebank_details", "email"]);
    assert_eq!(columns[0], ["on-other-list", "walkers", "ann@post.example"]);
    assert_eq!((columns.len(), desk.sheet("out.csv").rows.len()), (2, 2));
}

/// Of several rows of a person the survivor rule decides, and that there are several is said.
#[rstest]
#[case("first-read", "Orchard")]
#[case("last-read", "Roses")]
#[case("newest", "Orchard")]
fn values_are_taken_from_a_list_by_the_survivor_rule(#[case] rule: &str, #[case] walk: &str) {
    let list = format!("{LIST}take = {{ Walked = \"Walk\" }}\ncolumns = {{ last_seen = \"Last walk\" }}\n");
    let job = job_with(&format!("{list}[person]\nsurvivor = \"{rule}\""));
    let shop = SHOP.replace("kind\n", "kind,last seen\n");
    let desk = Desk::with(&[("shop.csv", &shop), ("walks.csv", WALKS), ("job.toml", &job)]);
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").column("Walked"), ["Bats", "", walk, ""]);
    let tally: serde_json::Value = serde_json::from_str(&desk.text("fair.receipt/tally.json")).unwrap();
    assert_eq!((&tally["taken"][0]["people"], &tally["taken"][0]["several"]), (&2.into(), &1.into()));
}

#[test]
fn a_row_that_its_source_leaves_out_still_brings_its_refusal_and_cannot_survive() {
    let shop = "email,kind,status\n\
        ann@post.example,test order,subscribed\n\
        ann@post.example,live,subscribed\n\
        ben@post.example,test order,unsubscribed\n\
        ben@post.example,live,\n\
        cy@post.example,test order,subscribed\n";
    let job =
        job_with("").replace("files = [\"shop.csv\"]", "files = [\"shop.csv\"]\nwhere = 'kind is not \"test order\"'");
    let desk = Desk::with(&[("shop.csv", shop), ("job.toml", &job)]);
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").columns(["email", "kind"]), [["ann@post.example", "live"]]);
    let aside = desk.sheet("fair.receipt/set-aside.csv");
    assert_eq!(
        aside.columns(["pebblebank_row", "pebblebank_reason"]),
        [["2", "not-selected"], ["4", "opted-out"], ["5", "opted-out"], ["6", "not-selected"]]
    );
}

#[test]
fn a_condition_on_a_list_leaves_out_its_entries() {
    let list = format!("{LIST}where = '\"Last walk\" since 2025-05-01'\n");
    assert_eq!(written(&format!("{list}[select]\nwhere = 'in \"guided walks\"'")), Vec::<String>::new());
}

#[test]
fn a_list_goes_by_another_field_and_cleans_both_sides_alike() {
    let shop = "email,phone,member\na@post.example,020 7946 0001,17\nb@post.example,020 7946 0002,18\n";
    let list = "[[list]]\nname = \"called\"\nfiles = [\"called.csv\"]\nby = \"phone = Line\"\n\
        [[list]]\nname = \"members\"\nfiles = [\"members.csv\"]\nby = \"member = No.\"\n\
        [select]\nwhere = 'in called or in members'";
    let job = job_with(list).replace("name = \"fair\"", "name = \"fair\"\ncountry = \"GB\"");
    let desk = Desk::with(&[
        ("shop.csv", &format!("{shop}c@post.example,,\n")),
        ("called.csv", "Line,when\n+44 20 7946 0001,today\n,never\n"),
        ("members.csv", "No.,x\n18,y\n"),
        ("job.toml", &job),
    ]);
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").column("email"), ["a@post.example", "b@post.example"]);
}

#[test]
fn every_address_of_a_suppression_list_counts_also_further_ones() {
    let job = job_with("[[suppress]]\nname = \"no\"\nfiles = [\"no.csv\"]");
    let desk = Desk::with(&[
        ("shop.csv", SHOP),
        ("no.csv", "email,work email\nx@post.example; dot@post.example,ann@post.example\n"),
        ("job.toml", &job),
    ]);
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").column("email"), ["ben@post.example", "cy@post.example"]);
}

#[test]
fn an_empty_list_is_allowed_and_said() {
    let job = job_with(&format!("{LIST}[select]\nwhere = 'not in \"guided walks\"'"));
    let desk = Desk::with(&[("shop.csv", SHOP), ("walks.csv", "E-Mail\n"), ("job.toml", &job)]);
    let ran = desk.done(&["run", "job.toml"]);
    assert!(ran.stdout.contains("the list guided walks is empty"), "{}", ran.stdout);
    assert_eq!(desk.sheet("out.csv").rows.len(), 4);
}

#[rstest]
#[case("[select]\nwhere = 'in \"guided walk\"'", "there is no list \"guided walk\"", "did you mean \"guided walks\"?")]
#[case("[[suppress]]\nname = \"x\"\nlist = \"walks\"", "there is no list \"walks\"", "add a [[list]]")]
#[case("[[suppress]]\nname = \"shop\"\nfiles = [\"walks.csv\"]", "the name \"shop\" is used twice", "line ")]
#[case(
    "[[suppress]]\nname = \"x\"\nlist = \"guided walks\"\nby = \"phone\"",
    "says by itself what is read",
    "[[list]]"
)]
#[case("[[list]]\nname = \"y\"\nfiles = [\"walks.csv\"]\nby = \"phone = \"", "lacks a side", "contact_id = member no")]
#[case("[[list]]\nname = \"y\"\nfiles = [\"y.csv\"]\nby = \"phone = Fone\"", "\"Fone\"", "Phone")]
#[case("[select]\nfirst = 2\nsample = 3", "both say how many", "take one of them out")]
fn mistakes_about_lists_are_named_with_their_place(#[case] more: &str, #[case] what: &str, #[case] advice: &str) {
    let desk = Desk::with(&[
        ("shop.csv", SHOP),
        ("walks.csv", WALKS),
        ("y.csv", "Phone\n1\n"),
        ("job.toml", &job_with(&format!("{LIST}{more}"))),
    ]);
    let ran = desk.run(&["run", "job.toml"]);
    let said = ran.stderr.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(ran.status == 1 || ran.status == 2, "{said}");
    assert!(said.contains(what) && said.contains(advice), "{said}");
}
