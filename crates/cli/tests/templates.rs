//! Layouts that are read from a template, or from an import file that was accepted.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use rstest::rstest;

const SHOP: &str = "Email,First name,Last name,Country,Newsletter,Signed up,Plan\n\
    ida@post.example,Ida,Moss,UK,yes,2026-03-05,Gold\n\
    hugo@post.example,Hugo,Vale,France,yes,2025-12-31,Basic\n\
    lena@post.example,Lena,Dune,GB,no,2025-11-30,Basic\n";

const ACCEPTED: &str = "\u{feff}E-Mail;Given name;Surname;Country;Newsletter;Sign-up date;Plan\r\n\
    zoe@list.example;Zoe;BERG;Germany;subscribed;31.12.2025;Gold\r\n\
    max@list.example;Max;SEE;France;subscribed;01.02.2026;Gold\r\n\
    yara@list.example;Yara;TAL;Spain;subscribed;05.02.2026;Basic\r\n";

fn desk(template: &str) -> Desk {
    Desk::with(&[("shop.csv", SHOP), ("template.csv", template)])
}

#[test]
fn a_file_is_written_as_the_last_one_that_was_accepted() {
    let desk = desk(ACCEPTED);
    desk.done(&["clean", "shop.csv", "--like", "template.csv", "-o", "out.csv"]);
    assert_eq!(
        desk.text("out.csv"),
        "\u{feff}E-Mail;Given name;Surname;Country;Newsletter;Sign-up date;Plan\r\n\
         ida@post.example;Ida;MOSS;United Kingdom;subscribed;05.03.2026;Gold\r\n\
         hugo@post.example;Hugo;VALE;France;subscribed;31.12.2025;Basic\r\n"
    );
    let fit = desk.json(&["preflight", "out.csv", "--like", "template.csv"]);
    assert_eq!((&fit["is_fit"], &fit["rows"]), (&true.into(), &2.into()));
}

#[test]
fn the_layout_that_is_proposed_writes_the_same_file() {
    let desk = desk(ACCEPTED);
    desk.done(&["propose", "--layout", "template.csv", "-o", "layout.toml"]);
    desk.done(&["clean", "shop.csv", "--layout", "layout.toml", "-o", "by-layout.csv"]);
    desk.done(&["clean", "shop.csv", "--like", "template.csv", "-o", "like.csv"]);
    assert_eq!(desk.bytes("by-layout.csv"), desk.bytes("like.csv"));
    desk.done(&["propose", "shop.csv", "--layout", "template.csv", "-o", "job.toml"]);
    let job = desk.text("job.toml").replace("mailing-{date}", "by-job").replace("job-{date}", "by-job");
    desk.file("job.toml", job);
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.bytes("by-job.csv"), desk.bytes("like.csv"));
}

#[rstest]
#[case::who_opted_out("Email,Unsubscribed\n", "Unsubscribed")]
#[case::who_opted_out_with_rows("Email,Unsubscribed\nzoe@list.example,no\nmax@list.example,no\n", "Unsubscribed")]
#[case::a_yes_to_nobody_knows_what("Email,Privacy\nzoe@list.example,yes\nmax@list.example,no\n", "Privacy")]
#[case::no_row_shows_the_word("Email,Newsletter\n", "Newsletter")]
#[case::the_day_of_opting_in(
    "Email,Marketing consent\nzoe@list.example,2026-01-05\nmax@list.example,2026-02-05\n",
    "Marketing consent"
)]
#[case::two_columns("Email,Newsletter,Opt-in\nzoe@list.example,yes,yes\nmax@list.example,yes,yes\n", "Opt-in")]
fn a_column_of_consent_that_a_template_does_not_explain_must_be_decided(#[case] template: &str, #[case] column: &str) {
    let desk = desk(template);
    let ran = desk.run(&["clean", "shop.csv", "--like", "template.csv", "-o", "out.csv"]);
    assert_eq!(ran.status, 1, "{}", ran.stdout);
    assert!(ran.stderr.contains(column) && ran.stderr.contains("propose --layout template.csv"), "{}", ran.stderr);
    assert!(!desk.has("out.csv"));
    // What is proposed runs only once somebody decided it.
    desk.done(&["propose", "--layout", "template.csv", "-o", "layout.toml"]);
    assert!(desk.text("layout.toml").contains("DECIDE: "));
    assert_ne!(desk.run(&["clean", "shop.csv", "--layout", "layout.toml", "-o", "out.csv"]).status, 0);
    let decided = desk.text("layout.toml").replace("from = \"DECIDE\"", "constant = \"0\"");
    desk.file("layout.toml", decided);
    desk.done(&["clean", "shop.csv", "--layout", "layout.toml", "-o", "out.csv"]);
    assert_eq!(desk.sheet("out.csv").column(column), ["0", "0"]);
}

#[test]
fn what_a_template_does_not_show_is_said_and_columns_without_a_source_stay_blank() {
    let desk = desk("Email,Sign-up date,Voucher\nzoe@list.example,03/04/2026,X\nmax@list.example,05/06/2026,Y\n");
    let tally = desk.json(&["clean", "shop.csv", "--like", "template.csv", "-o", "out.csv"]);
    let findings = tally["findings"].as_array().unwrap();
    let said = |code: &str| findings.iter().filter(|finding| finding["code"] == code).count();
    assert_eq!((said("blank-template-columns"), said("template")), (1, 2), "{findings:#?}");
    let out = desk.sheet("out.csv");
    assert_eq!(out.columns(["Sign-up date", "Voucher"]), [["2026-03-05", ""], ["2025-12-31", ""]]);
}

#[rstest]
#[case::no_table(
    "BEGIN:VCARD\nVERSION:4.0\nFN:Zoe Moss\nEMAIL:zoe@list.example\nEND:VCARD\n",
    "template.vcf",
    "table with a header"
)]
#[case::no_header("zoe@list.example,Zoe\nmax@list.example,Max\n", "template.csv", "names its columns")]
#[case::nothing("", "template.csv", "names its columns")]
#[case::no_addresses("First name,City\nZoe,Ely\n", "template.csv", "recognised as addresses")]
#[case::a_name_twice("Email,City,City\nzoe@list.example,Ely,Bath\n", "template.csv", "two columns \"City\"")]
fn what_is_no_template_is_an_error(#[case] text: &str, #[case] name: &str, #[case] says: &str) {
    let desk = Desk::with(&[("shop.csv", SHOP), (name, text)]);
    let ran = desk.run(&["clean", "shop.csv", "--like", name, "-o", "out.csv"]);
    assert_eq!(ran.status, 1, "{}", ran.stdout);
    assert!(ran.stderr.contains(says) && ran.stderr.contains(name), "{}", ran.stderr);
    assert!(!desk.has("out.csv"));
}

#[test]
fn a_workbook_can_be_the_template() {
    let desk = desk("");
    desk.done(&["clean", "shop.csv", "--columns", "Mail=email,Name=full_name", "-o", "template.xlsx"]);
    desk.done(&["clean", "shop.csv", "--like", "template.xlsx", "-o", "out.xlsx"]);
    let fit = desk.json(&["preflight", "out.xlsx", "--like", "template.xlsx"]);
    assert_eq!((&fit["is_fit"], &fit["rows"]), (&true.into(), &2.into()));
    let ran = desk.run(&["clean", "shop.csv", "--like", "template.xlsx", "-o", "out.csv"]);
    assert_eq!(ran.status, 2, "{}", ran.stderr);
    assert!(ran.stderr.contains("xlsx"), "{}", ran.stderr);
}

#[test]
fn neither_template_nor_layout_is_written_over() {
    let desk = desk(ACCEPTED);
    for arguments in [
        &["clean", "shop.csv", "--like", "template.csv", "-o", "template.csv", "--replace"][..],
        &["propose", "--layout", "template.csv", "-o", "template.csv", "--replace"],
    ] {
        assert_ne!(desk.run(arguments).status, 0);
        assert_eq!(desk.text("template.csv"), ACCEPTED);
    }
}

#[test]
fn preflight_finds_dates_in_another_form_than_the_layout_has() {
    let desk = desk(ACCEPTED);
    desk.file("job.toml", job_with(""));
    desk.file("file.csv", ACCEPTED.replace("01.02.2026", "2026-02-01"));
    let ran = desk.run(&["preflight", "file.csv", "--like", "template.csv"]);
    assert_eq!(ran.status, 3);
    assert!(ran.stdout.contains("not written as dd.mm.yyyy (row 3)"), "{}", ran.stdout);
}
