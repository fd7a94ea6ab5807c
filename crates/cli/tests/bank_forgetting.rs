//! People who take a refusal back, and people who ask to be forgotten.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::shop::{SHOP, desk, held, refused};
use common::{Desk, job_with};
use rstest::rstest;
use std::time::{Duration, SystemTime};

/// As if a file had been changed last so many days ago.
fn changed(desk: &Desk, name: &str, days: u64) {
    let then = SystemTime::now() - Duration::from_secs(days * 86_400);
    std::fs::File::options().append(true).open(desk.path(name)).unwrap().set_modified(then).unwrap();
}

#[test]
fn who_opted_out_comes_back_with_a_note_alone() {
    let desk = desk();
    desk.done(&["bank", "add", "ann@post.example", "--as", "opted-out"]);
    refused(&desk.run(&["bank", "remove", "ann@post.example"]), 2, "--note");
    assert_eq!(held(&desk), ["ann@post.example"]);
    desk.done(&["bank", "remove", "ann@post.example", "--note", "signed up at the fair"]);
    assert_eq!(held(&desk), [""; 0]);
    let found = desk.json(&["bank", "find", "ann@post.example"]);
    assert_eq!((&found["held"], &found["history"][0]["note"]), (&false.into(), &"signed up at the fair".into()));
    refused(&desk.run(&["bank", "remove", "ann@post.example"]), 2, "the bank has no entry for this");
}

#[test]
fn older_copies_of_a_refusal_are_void_for_who_came_back() {
    let desk = desk();
    let shop = SHOP
        .replace("ann@post.example,+442079460001,subscribed", "ann@post.example,,unsubscribed")
        .replace("ben@post.example,,subscribed", "ben@post.example,,unsubscribed");
    desk.file("shop.csv", shop);
    desk.file("no.csv", "email\nann@post.example\n");
    desk.file("job.toml", job_with("[[suppress]]\nname = \"no\"\nfiles = [\"no.csv\"]\nreason = \"opted-out\""));
    let age = |days| ["shop.csv", "no.csv"].map(|name| changed(&desk, name, days));
    desk.done(&["bank", "add", "ann@post.example", "--as", "opted-out"]);
    desk.done(&["bank", "remove", "ann@post.example", "--note", "signed up again"]);
    age(3);
    assert_eq!(held(&desk), ["ben@post.example"]);
    let tally = desk.json(&["run", "job.toml", "--replace"]);
    assert!(tally["findings"].as_array().unwrap().iter().any(|finding| finding["code"] == "void-refusals"));
    age(0);
    assert_eq!(held(&desk), ["ann@post.example", "ben@post.example"], "what is newer than her return counts");
}

#[test]
fn a_forgotten_person_stays_uncontacted_and_no_file_of_the_bank_shows_the_address() {
    let desk = desk();
    let address = "ann@post.example";
    desk.file("no.csv", "email\nann@post.example\nx@far.example\n");
    desk.done(&["bank", "load", "no.csv", "--as", "opted-out", "--yes", "--note", "two of them"]);
    desk.done(&["bank", "add", address, "--note", "ann@post.example rang"]);
    desk.done(&["bank", "forget", address, "--yes"]);
    for name in desk.names().into_iter().filter(|name| name.starts_with("bank.sqlite")) {
        let bytes = desk.bytes(&name);
        let shows = bytes.windows(address.len()).any(|window| window.eq_ignore_ascii_case(address.as_bytes()));
        assert!(!shows, "{name} shows the address");
    }
    assert_eq!(held(&desk), [address]);
    let found = desk.json(&["bank", "find", address]);
    assert_eq!((&found["is_forgotten"], &found["held"]), (&true.into(), &true.into()));
    desk.file("again.csv", "email\nann@post.example\ny@far.example\n");
    let loaded = desk.json(&["bank", "load", "again.csv", "--as", "opted-out", "--yes"]);
    assert_eq!((&loaded["seen"]["forgotten"], &loaded["batch"]["entries"]), (&1.into(), &1.into()));
    desk.done(&["bank", "export", "all.csv"]);
    assert!(!desk.text("all.csv").contains(address));
}

#[test]
fn an_old_file_of_refusals_does_not_take_back_a_return() {
    let desk = desk();
    desk.file("no.csv", "email\nann@post.example\nben@post.example\n");
    desk.done(&["bank", "add", "ann@post.example", "--as", "opted-out"]);
    desk.done(&["bank", "remove", "ann@post.example", "--note", "signed up again"]);
    changed(&desk, "no.csv", 3);
    let load = ["bank", "load", "no.csv", "--as", "opted-out", "--yes"];
    let seen = desk.json(&load)["seen"].clone();
    assert_eq!((&seen["came_back"], &seen["entries"]), (&1.into(), &1.into()));
    assert_eq!(held(&desk), ["ben@post.example"]);
    let text = desk.run(&[&load[..], &["--again"]].concat()).stdout;
    assert!(text.contains("came back after the file"), "{text}");
    changed(&desk, "no.csv", 0);
    desk.done(&[&load[..], &["--again"]].concat());
    assert_eq!(held(&desk), ["ann@post.example", "ben@post.example"], "what is newer than her return counts");
}

#[rstest]
#[case::an_address("ann@post.example", "ann@post.example")]
#[case::a_phone_number("+44 20 7946 0004", "dot@work.example")]
fn who_was_forgotten_stays_uncontacted_until_they_come_back(#[case] value: &str, #[case] whom: &str) {
    let desk = desk();
    desk.done(&["bank", "forget", value, "--yes"]);
    assert_eq!(held(&desk), [whom]);
    refused(&desk.run(&["bank", "undo", "1"]), 2, "stays");
    refused(&desk.run(&["bank", "remove", value]), 2, "asked to be forgotten");
    refused(&desk.run(&["bank", "forget", value, "--yes"]), 2, "forgotten before");
    assert_eq!(held(&desk), [whom]);
    desk.done(&["bank", "remove", value, "--note", "came to the fair and signed up"]);
    assert_eq!(held(&desk), [""; 0]);
    // What comes in from now on is about somebody who is known again.
    desk.done(&["bank", "add", value, "--as", "opted-out"]);
    assert_eq!(held(&desk), [whom]);
    let entries = desk.json(&["bank", "find", value])["entries"].clone();
    assert_eq!(entries[0]["what"], "opted-out");
    desk.done(&["bank", "forget", value, "--yes"]);
    assert_eq!(held(&desk), [whom]);
}

#[test]
fn forgetting_takes_with_it_what_partners_hold_the_address_by_and_what_was_written_about_it() {
    use sha2::Digest;
    let desk = desk();
    let address = "ann@post.example";
    let sha256: String = sha2::Sha256::digest(address).iter().map(|byte| format!("{byte:02x}")).collect();
    desk.done(&["bank", "add", &sha256, "--as", "complained", "--note", "a partner's list"]);
    desk.file("about Ann@Post.example.csv", "email\nx@far.example\n");
    let load = ["bank", "load", "about Ann@Post.example.csv", "--as", "opted-out", "--yes"];
    desk.done(&[&load[..], &["--note", "Ann@Post.Example and a friend rang"]].concat());
    desk.done(&["bank", "forget", address, "--yes"]);
    let bytes = desk.bytes("bank.sqlite").to_ascii_lowercase();
    let digest = sha2::Sha256::digest(address);
    for trace in [address.as_bytes(), digest.as_slice()] {
        assert!(!bytes.windows(trace.len()).any(|window| window == trace), "a trace is left");
    }
    let found = desk.json(&["bank", "find", address]);
    assert_eq!(found["by_hash"].as_array().unwrap().len(), 1);
    assert_eq!(found["by_hash"][0]["what"], "complained", "as gravely as before");
    assert_eq!(desk.json(&["bank", "find", "x@far.example"])["held"], true);
}

#[test]
fn a_file_that_names_a_forgotten_person_often_counts_the_person_once() {
    let desk = desk();
    desk.done(&["bank", "forget", "ann@post.example", "--yes"]);
    desk.file("no.csv", "email\nann@post.example\nANN@post.example\nben@post.example\n");
    let seen = desk.json(&["bank", "load", "no.csv", "--as", "bounced", "--yes", "--expect", "2"])["seen"].clone();
    assert_eq!(["entries", "new", "known", "forgotten"].map(|key| seen[key].as_u64().unwrap()), [2, 1, 1, 1]);
    refused(&desk.run(&["bank", "forget", "post.example", "--yes"]), 2, "only an address or a phone number");
}

/// The same letters in one or two characters each: `é`, and `e` with an accent of its own.
const COMPOSED: &str = "ren\u{e9}@m\u{fc}ller.example";
const DECOMPOSED: &str = "rene\u{301}@mu\u{308}ller.example";

#[rstest]
#[case::in_other_letters("ann@post.example", "ANN@Post.Example rang")]
#[case::with_a_space_in_it("ann@post.example", "ann @ post.example rang")]
#[case::as_part_of_a_link("ann@post.example", "see ?who=ann%40post.example")]
#[case::in_wide_letters("ann@post.example", "ａｎｎ＠post.example")]
#[case::with_something_unseen_in_it("ann@post.example", "ann\u{200b}@post.example")]
#[case::in_two_characters_a_letter(COMPOSED, DECOMPOSED)]
#[case::in_one_character_a_letter(DECOMPOSED, COMPOSED)]
#[case::with_a_domain_in_ascii(COMPOSED, "ren\u{e9}@xn--mller-kva.example")]
#[case::with_a_domain_in_its_own_letters("ida@xn--mller-kva.example", "ida@MÜLLER.example")]
#[case::without_its_tag("ann+fair@post.example", "ann@post.example")]
#[case::a_number_as_dialled_at_home("+442079460001", "rang from 020 7946 0001")]
#[case::a_number_with_a_zero_in_brackets("+442079460001", "tel. +44 (0)20 7946-0001.")]
#[case::a_number_without_a_sign("+442079460001", "442079460001")]
fn no_note_and_no_name_spells_who_was_forgotten(#[case] value: &str, #[case] spelt: &str) {
    let desk = desk();
    desk.file("no.csv", "email\nx@far.example\n");
    let load = ["bank", "load", "no.csv", "--as", "opted-out", "--yes", "--again", "--note"];
    desk.done(&[&load[..], &[&format!("{spelt} and a friend")]].concat());
    desk.done(&["bank", "add", "y@far.example", "--new-scope", "--scope", &format!("for {spelt}")]);
    desk.done(&["bank", "load", "no.csv", "--as", "sent", "--yes", "--campaign", spelt]);
    let forgot = desk.json(&["bank", "forget", value, "--yes"]);
    assert_eq!((forgot["words"].as_u64(), forgot["renamed"].as_array().unwrap().len()), (Some(3), 2), "{forgot}");
    let told: String = [["bank", "batches"], ["bank", "history"], ["bank", "list"]]
        .iter()
        .map(|command| desk.done(&[&command[..], &["--json"]].concat()).stdout)
        .collect();
    assert!(!told.contains(spelt) && told.contains("renamed 1"), "{told}");
    // Whoever was in that scope still is, under its new name.
    assert_eq!(desk.json(&["bank", "find", "y@far.example"])["entries"][0]["scope"], "renamed 1");
    // A note that comes later goes in the same way.
    desk.done(&[&load[..], &[spelt]].concat());
    assert_eq!(desk.json(&["bank", "forget", value, "--yes"])["words"], 1);
    refused(&desk.run(&["bank", "forget", value, "--yes"]), 2, "forgotten before");
}

#[test]
fn other_people_keep_their_notes_when_somebody_is_forgotten() {
    let desk = desk();
    desk.done(&["bank", "add", "x@far.example", "--note", "ben@post.example and +44 20 7946 0002 in row 442"]);
    desk.done(&["bank", "forget", "ann@post.example", "--yes"]);
    desk.done(&["bank", "forget", "+442079460001", "--yes"]);
    let note = desk.json(&["bank", "find", "x@far.example"])["entries"][0]["note"].clone();
    assert_eq!(note, "ben@post.example and +44 20 7946 0002 in row 442");
}

#[test]
fn digests_of_the_address_with_its_domain_in_either_form_are_forgotten_with_it() {
    use sha2::Digest;
    for form in ["ida@xn--mller-kva.example", "ida@müller.example"] {
        let desk = desk();
        let sha256: String = sha2::Sha256::digest(form).iter().map(|byte| format!("{byte:02x}")).collect();
        desk.done(&["bank", "add", &sha256, "--as", "complained"]);
        assert_eq!(desk.json(&["bank", "find", "ida@müller.example"])["held"], true, "{form}");
        desk.done(&["bank", "forget", "ida@müller.example", "--yes"]);
        assert_eq!(desk.json(&["bank", "find", &sha256])["entries"].as_array().unwrap().len(), 0, "{form}");
        assert_eq!(desk.json(&["bank", "find", "ida@müller.example"])["by_hash"][0]["what"], "complained");
    }
}
