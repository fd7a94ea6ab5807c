//! Near duplicates and what is decided about them.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use rstest::rstest;

const SHOP: &str = "email,first name,last name,phone,postcode\n\
    ida.moss@post.example,Ida,Moss,+442079460001,LF1 3AB\n\
    ida.mos@post.example,Ida,Moss,,\n\
    info1@hall.example,,,,\n\
    info2@hall.example,,,,\n\
    ada.moss@post.example,Ada,Moss,,LF1 3AB\n\
    robert.quill@work.example,Robert,Quill,+442079460002,\n\
    bq@home.example,Bob,Quill,+442079460002,\n";

fn desk(person: &str) -> Desk {
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with(&format!("[person]\n{person}")))]);
    desk.done(&["run", "job.toml"]);
    desk
}

fn written(desk: &Desk) -> Vec<String> {
    desk.done(&["run", "job.toml", "--replace"]);
    desk.sheet("out.csv").column("email").into_iter().map(str::to_owned).collect()
}

fn answer(desk: &Desk, answers: &str) -> String {
    let ran = desk.run_with_input(&["review", "fair.receipt"], answers.as_bytes());
    assert_eq!(ran.status, 0, "{}{}", ran.stdout, ran.stderr);
    ran.stdout
}

#[test]
fn likely_pairs_are_listed_with_score_and_reason_and_nobody_is_merged() {
    let desk = desk("");
    assert_eq!(desk.sheet("out.csv").rows.len(), 7);
    let review = desk.sheet("fair.receipt/review.csv");
    let pairs = review.columns(["pebblebank_pair", "pebblebank_why", "pebblebank_person"]);
    assert_eq!(
        pairs,
        [
            ["1", "one typo in the address, the same name", "ida.moss@post.example"],
            ["1", "one typo in the address, the same name", "ida.mos@post.example"],
            ["2", "a short form of the name, the same phone", "robert.quill@work.example"],
            ["2", "a short form of the name, the same phone", "bq@home.example"],
        ]
    );
}

#[test]
fn answers_are_kept_at_once_and_the_next_run_goes_by_them() {
    let desk = desk("decisions = \"decisions.csv\"");
    let said = answer(&desk, "s\nd\n");
    assert!(said.contains("2 decided: 1 the same person, 1 different people"), "{said}");
    assert!(written(&desk).iter().all(|address| address != "ida.mos@post.example"));
    assert_eq!(desk.sheet("fair.receipt/merged.csv").column("pebblebank_key"), ["decision"]);
    assert!(answer(&desk, "").contains("no pair of this run"), "what is decided is not asked again");
    // An export with the rows in another order, and with a new one.
    let rows: Vec<&str> = SHOP.lines().skip(1).collect();
    let reversed: Vec<&str> = rows.into_iter().rev().collect();
    desk.file("shop.csv", format!("{}\n{}\nnew@post.example,,,,\n", SHOP.lines().next().unwrap(), reversed.join("\n")));
    let again = written(&desk);
    assert!(again.contains(&"ida.mos@post.example".to_owned()) && !again.contains(&"ida.moss@post.example".to_owned()));
    assert_eq!(again.len(), 7);
}

#[test]
fn an_answer_can_be_taken_back_and_a_row_taken_out_with_a_note() {
    let desk = desk("decisions = \"decisions.csv\"");
    answer(&desk, "s\nu\nl\nt\n2\nshares a phone\nx\nq\n");
    let decisions = desk.text("decisions.csv");
    assert_eq!(decisions.lines().count(), 2, "{decisions}");
    assert!(decisions.contains("take-out,bq@home.example,,shares a phone,"), "{decisions}");
    desk.done(&["run", "job.toml", "--replace"]);
    let aside = desk.sheet("fair.receipt/set-aside.csv");
    assert_eq!(aside.columns(["pebblebank_reason", "email"]), [["removed-by-hand", "bq@home.example"]]);
}

#[test]
fn anybody_of_a_run_can_be_taken_out_by_hand() {
    let desk = desk("decisions = \"decisions.csv\"");
    desk.done(&["review", "fair.receipt", "--take-out", "ADA.moss@post.example", "--note", "asked by telephone"]);
    let by_phone = "phone = +44 20 7946 0002";
    desk.done(&["review", "fair.receipt", "--take-out", by_phone, "--note", "the shop's own line"]);
    let left = written(&desk);
    assert!(!left.contains(&"ada.moss@post.example".to_owned()) && left.len() == 4, "{left:?}");
    let ran = desk.run(&["review", "fair.receipt", "--take-out", "nobody@post.example", "--note", "x"]);
    assert!(ran.status == 1 && ran.stderr.contains("nobody in this run"), "{}", ran.stderr);
}

#[rstest]
#[case(
    "same,a@x.example,b@x.example\nsame,b@x.example,c@x.example\ndifferent,c@x.example,a@x.example\n",
    "line 2, 3 that they are the same",
    "line 4"
)]
#[case("sane,a@x.example,b@x.example\n", "\"sane\" is no decision", "did you mean same?")]
#[case("same,a@x.example,\n", "\"other\" names nobody", "line 2")]
#[case("same,a@x.example,A@x.example\n", "both sides name the same person", "line 2")]
fn a_decision_that_cannot_be_is_named_with_its_line(#[case] lines: &str, #[case] what: &str, #[case] place: &str) {
    let job = job_with("[person]\ndecisions = \"d.csv\"");
    let desk =
        Desk::with(&[("shop.csv", SHOP), ("job.toml", &job), ("d.csv", &format!("decision,person,other\n{lines}"))]);
    let ran = desk.run(&["run", "job.toml"]);
    let said = ran.stderr.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(ran.status == 1 && said.contains(what) && said.contains(place), "{said}");
}

#[test]
fn decisions_saved_by_a_spreadsheet_are_read_and_those_about_nobody_are_said() {
    let job = job_with("[person]\ndecisions = \"d.csv\"");
    let decisions = "\u{FEFF}decision;person;other;note\r\nsame;ida.moss@post.example;ida.mos@post.example;\"a; b\"\r\n\
        different;gone@post.example;ida.mos@post.example;\r\n";
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job), ("d.csv", decisions)]);
    let ran = desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").rows.len(), 6);
    assert!(ran.stdout.contains("1 decision about somebody who is in no source"), "{}", ran.stdout);
}

#[test]
fn whoever_was_taken_out_by_hand_can_be_taken_back() {
    let desk = desk("decisions = \"decisions.csv\"");
    let ada = "ada.moss@post.example";
    desk.done(&["review", "fair.receipt", "--take-out", ada, "--note", "asked by telephone"]);
    assert!(!written(&desk).contains(&ada.to_owned()));
    desk.done(&["review", "fair.receipt", "--take-back", "Ada.Moss@post.example"]);
    assert!(written(&desk).contains(&ada.to_owned()));
    let again = desk.run(&["review", "fair.receipt", "--take-back", ada]);
    assert!(
        again.status == 1 && again.stderr.contains("nobody of this name was taken out by hand"),
        "{}",
        again.stderr
    );
}

#[test]
fn clean_follows_decisions_and_says_where_it_did_not_read_them() {
    let desk = Desk::with(&[("shop.csv", SHOP)]);
    let clean = ["clean", "shop.csv", "-o", "out.csv", "--receipt", "out.receipt", "--replace"];
    let rows = |more: &[&str]| {
        let tally = desk.json(&[&clean[..], more].concat());
        let codes = tally["findings"].as_array().unwrap().iter();
        let is_said = codes.clone().any(|finding| finding["code"] == "decisions-not-read");
        (desk.sheet("out.csv").rows.len(), is_said)
    };
    assert_eq!(rows(&[]), (7, false));
    desk.done(&["review", "out.receipt", "--take-out", "ada.moss@post.example", "--note", "by phone"]);
    assert_eq!(rows(&[]), (7, true), "nobody was told that a decision was passed over");
    assert_eq!(rows(&["--decisions", "decisions.csv"]), (6, false));
    let mistyped = desk.run(&[&clean[..], &["--decisions", "decision.csv"]].concat());
    assert!(mistyped.status == 2 && mistyped.stderr.contains("no such file of decisions"), "{}", mistyped.stderr);
}
