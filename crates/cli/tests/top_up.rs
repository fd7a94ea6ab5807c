//! A master list, topped up.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::Desk;
use rstest::rstest;

const MASTER: &str = "No;E-Mail;Town;Note\r\n1;\"Ann@post.example\";;\"a \"\"x\"\"\"\r\n2;ben@post.example;Larkfold;\r\n2;ben@post.example;Larkfold;";
const NEW: &str = "email,name,city,status\n\
    ann@post.example,Ann Moss,Quillmere,subscribed\n\
    cy@post.example,Cy Reed,\"Mere; upper\",subscribed\n\
    CY@post.example,Cy Reed,,subscribed\n\
    dot@post.example,Dot Fern,Larkfold,unsubscribed\n\
    ,Nobody,Larkfold,subscribed\n\
    eve@hotel.example,Eve,Larkfold,subscribed\n\
    ben@post.example,Ben,Larkfold,unsubscribed\n";

fn desk() -> Desk {
    Desk::with(&[("master.csv", MASTER), ("new.csv", NEW), ("no.csv", "email\nhotel.example\n")])
}

const COMMAND: [&str; 8] = ["top-up", "master.csv", "--from", "new.csv", "--against", "no.csv", "-o", "out.csv"];

#[test]
fn the_masters_bytes_come_first_then_new_people_in_its_columns_and_manner() {
    let desk = desk();
    let ran = desk.done(&COMMAND);
    assert_eq!(desk.text("out.csv"), format!("{MASTER}\r\n;cy@post.example;\"Mere; upper\";\r\n"));
    assert!(ran.stdout.contains("has no column for it: \"full_name\", \"consent\""), "{}", ran.stdout);
    let aside = desk.sheet("out.set-aside.csv");
    assert_eq!(
        aside.columns(["pebblebank_reason", "email"]),
        [["opted-out", "dot@post.example"], ["blank-address", ""], ["do-not-contact", "eve@hotel.example"]]
    );
}

#[test]
fn refused_people_of_the_master_are_reported_and_stay() {
    let desk = desk();
    let done = desk.json(&COMMAND);
    assert_eq!(done["refused_in_master"], serde_json::json!([["opted-out", 2]]));
    assert_eq!((&done["master_rows"], &done["added"], &done["known_already"]), (&3.into(), &1.into(), &2.into()));
    assert_eq!(done["tally"]["all"]["read"], 10);
}

#[test]
fn an_update_fills_blank_cells_alone_and_lists_them() {
    let desk = desk();
    desk.done(&[&COMMAND[..], &["--update"]].concat());
    let updated = MASTER.replace("\"Ann@post.example\";;", "\"Ann@post.example\";Quillmere;");
    assert_eq!(desk.text("out.csv"), format!("{updated}\r\n;cy@post.example;\"Mere; upper\";\r\n"));
    let repairs = desk.sheet("out.repairs.csv");
    assert_eq!(
        repairs.columns(["pebblebank_row", "pebblebank_field", "pebblebank_after"]),
        [["2", "city", "Quillmere"]]
    );
}

/// What a master may begin and end with, and be written in.
#[rstest]
#[case::byte_order_mark("\u{FEFF}email,n\nann@post.example,1\n".as_bytes(), "cy@post.example,\n".as_bytes())]
#[case::windows_1252(b"email,Stra\xdfe\nann@post.example,M\xfchlweg\n", b"cy@post.example,\n")]
#[case::utf_16(&[&[0xFF, 0xFE][..], &utf_16("email\tn\nann@post.example\t1\n")].concat(), &utf_16("cy@post.example\t\n"))]
#[case::lone_returns(b"email,n\rann@post.example,1\r", b"cy@post.example,\r")]
fn every_byte_of_the_master_stays(#[case] master: &[u8], #[case] added: &[u8], #[values(false, true)] update: bool) {
    let desk = Desk::with(&[("new.csv", "email\nann@post.example\ncy@post.example\n")]);
    desk.file("master.csv", master);
    let update: &[&str] = if update { &["--update"] } else { &[] };
    desk.done(&[&["top-up", "master.csv", "--from", "new.csv", "-o", "out.csv"], update].concat());
    assert_eq!(desk.bytes("out.csv"), [master, added].concat());
}

fn utf_16(text: &str) -> Vec<u8> {
    text.encode_utf16().flat_map(u16::to_le_bytes).collect()
}

#[rstest]
#[case("email,n\na@post.example,1\nTotal,1\n", "a totals line", "take that line out")]
#[case("", "no header", "add a header")]
fn a_master_that_cannot_be_continued_stops(#[case] master: &str, #[case] what: &str, #[case] advice: &str) {
    let desk = Desk::with(&[("master.csv", master), ("new.csv", NEW)]);
    let ran = desk.run(&["top-up", "master.csv", "--from", "new.csv", "-o", "out.csv"]);
    let said = ran.stderr.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(ran.status == 1 && said.contains(what) && said.contains(advice), "{said}");
    assert!(!desk.has("out.csv"));
}

#[test]
fn a_letter_that_the_masters_encoding_lacks_stops_before_anything_is_written() {
    let desk = Desk::with(&[("new.csv", "email,name\ncy@post.example,Łucja\n")]);
    desk.file("master.csv", b"email,name\nann@post.example,J\xf6rg\n");
    let ran = desk.run(&["top-up", "master.csv", "--from", "new.csv", "-o", "out.csv"]);
    assert!(ran.status == 1 && ran.stderr.contains("has no \"Ł\""), "{}", ran.stderr);
    assert_eq!(desk.names(), ["master.csv", "new.csv"]);
}

/// "opted-in" under "do not mail" would say the opposite.
#[rstest]
#[case("Do not mail", "no", "yes", "no")]
#[case("Newsletter", "Ja", "nein", "Ja")]
#[case("status", "subscribed", "unsubscribed", "subscribed")]
#[case("Do not mail", "", "yes", "")]
fn consent_is_said_in_the_masters_own_words(
    #[case] header: &str,
    #[case] allows: &str,
    #[case] refuses: &str,
    #[case] added: &str,
) {
    let master =
        format!("email,{header}\na@post.example,{allows}\nb@post.example,{refuses}\nc@post.example,{allows}\n");
    let new = "email,status\nd@post.example,subscribed\ne@post.example,\n";
    let desk = Desk::with(&[("master.csv", &master), ("new.csv", new)]);
    desk.done(&["top-up", "master.csv", "--from", "new.csv", "-o", "out.csv"]);
    assert_eq!(desk.text("out.csv"), format!("{master}d@post.example,{added}\ne@post.example,\n"));
}

#[test]
fn what_the_master_says_of_consent_is_never_filled_and_numbers_are_no_names() {
    let master = "Member,E-mail,Do not mail\n17,ann@post.example,\n18,ben@post.example,no\n";
    let desk = Desk::with(&[("master.csv", master), ("new.csv", NEW)]);
    desk.done(&["top-up", "master.csv", "--from", "new.csv", "-o", "out.csv", "--update"]);
    assert!(desk.text("out.csv").starts_with(&format!("{master},cy@post.example,no\n")), "{}", desk.text("out.csv"));
}

#[test]
fn the_list_of_filled_cells_is_never_written_over_what_is_read() {
    let desk = Desk::with(&[("master.csv", MASTER), ("out.repairs.csv", NEW)]);
    let from = ["top-up", "master.csv", "--from", "out.repairs.csv", "-o", "out.csv", "--update", "--replace"];
    let ran = desk.run(&from);
    assert!(ran.status == 2 && ran.stderr.contains("this file is read"), "{}", ran.stderr);
    assert_eq!(desk.text("out.repairs.csv"), NEW);
}

#[test]
fn a_master_that_ends_within_quotes_swallows_nobody() {
    // The quote of the last row would be closed by that of the first new one.
    let master = "email,name\nann@post.example,\"Ann\n";
    let desk = Desk::with(&[("master.csv", master), ("new.csv", "email,name\nbo@post.example,\"Ash, Bo\"\n")]);
    let ran = desk.run(&["top-up", "master.csv", "--from", "new.csv", "-o", "out.csv"]);
    assert_eq!(ran.status, 1, "{}", ran.stdout);
    assert!(
        ran.stderr.contains("never closed") && ran.stderr.contains("row 2") && !desk.has("out.csv"),
        "{}",
        ran.stderr
    );
}

#[test]
fn a_dry_run_shows_the_rows_that_would_be_added() {
    let desk = desk();
    let ran = desk.done(&[&COMMAND[..], &["--dry-run"]].concat());
    assert!(
        ran.stdout.contains("The first rows") && ran.stdout.contains(",cy@post.example,\"Mere; upper\","),
        "{}",
        ran.stdout
    );
    assert!(!desk.has("out.csv"));
}
