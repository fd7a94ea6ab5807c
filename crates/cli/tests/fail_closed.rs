//! What was recognised wrongly must not write to people who refused: the run stops and asks, or says what it found.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::shop::refused;
use common::{Desk, job_with};
use rstest::rstest;
use serde_json::Value;

const SHOP: &str =
    "email,name\nann@reed.example,Ann\nann2@reed.example,Ann\nbob@moss.example,Bob\nzoe@post.example,Zoe\n";

/// The addresses that a run with a suppression list in `list.csv` writes.
fn written_beside(list: &str, keys: &str) -> Vec<String> {
    let suppress = format!("[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\n{keys}");
    let desk = Desk::with(&[("shop.csv", SHOP), ("list.csv", list), ("job.toml", &job_with(&suppress))]);
    desk.done(&["run", "job.toml"]);
    desk.sheet("out.csv").column("email").into_iter().map(str::to_owned).collect()
}

#[rstest]
#[case::trailing_semicolons("Email\nann@reed.example;\nbob@moss.example;\n", &["ann2@reed.example", "zoe@post.example"])]
#[case::trailing_commas("Email\nann@reed.example,\nbob@moss.example,,\n", &["ann2@reed.example", "zoe@post.example"])]
#[case::one_line_with_two("E-mail\nann@reed.example; ann2@reed.example\nbob@moss.example\n", &["zoe@post.example"])]
#[case::of_one_address("ann@reed.example\n", &["ann2@reed.example", "bob@moss.example", "zoe@post.example"])]
#[case::unknown_header_words("Imię;Nazwisko;Poczta\nAnn;Reed;ann@reed.example\nBob;Moss;bob@moss.example;x\n", &["ann2@reed.example", "zoe@post.example"])]
#[case::a_second_column("Email,Email 2,Name\nx@far.example,ann@reed.example,Ann\n", &["ann2@reed.example", "bob@moss.example", "zoe@post.example"])]
#[case::a_domain_in_any_spelling("Email\n*@reed.example\nhttp://www.moss.example/rooms\n", &["zoe@post.example"])]
#[case::an_address_and_a_domain("Email\n\"bob@moss.example; reed.example\"\n", &["zoe@post.example"])]
#[case::a_remark_beside_it("Email\nann@reed.example (Ann)\n", &["ann2@reed.example", "bob@moss.example", "zoe@post.example"])]
#[case::shifted_cells("No,Email,Name\n1,bob@moss.example,Bob\n,2,ann@reed.example,Ann\n", &["ann2@reed.example", "zoe@post.example"])]
fn a_list_in_any_shape_holds_everybody_on_it(#[case] list: &str, #[case] written: &[&str]) {
    assert_eq!(written_beside(list, ""), written);
}

#[test]
fn hashes_are_found_by_their_values_whatever_their_header() {
    use sha2::Digest as _;
    let hash: String = sha2::Sha256::digest("ann@reed.example").iter().map(|byte| format!("{byte:02x}")).collect();
    assert!(!written_beside(&format!("sha256\n{hash}\n"), "").contains(&"ann@reed.example".to_owned()));
}

#[rstest]
#[case::in_another_column("Email,Note\nx@far.example,also ann@reed.example\n")]
#[case::of_a_new_address("Email,Replaced by\nx@far.example,ann@reed.example\ny@far.example,\n")]
fn what_looks_like_an_entry_and_was_not_read_stops_the_run_if_it_names_a_contact(#[case] list: &str) {
    let suppress = "[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\n";
    let desk = Desk::with(&[("shop.csv", SHOP), ("list.csv", list), ("job.toml", &job_with(suppress))]);
    let stopped = desk.run(&["run", "job.toml", "--json"]);
    let tally: Value = serde_json::from_str(&stopped.stdout).unwrap();
    assert_eq!((stopped.status, &tally["tripped_guards"][0]["guard"]), (3, &"unread-entries".into()));
    assert_eq!(tally["unread"][0]["contacts"][0], "shop.csv row 2");
    assert!(!desk.has("out.csv"));
    // In a job it goes on only as long as the count is no higher; an option accepts it for once.
    let accepting = |most: u32| job_with(&format!("{suppress}[guard]\naccept = {{ unread-entries = {most} }}"));
    desk.file("job.toml", accepting(0));
    assert_eq!(desk.run(&["run", "job.toml", "--replace"]).status, 3);
    assert_eq!(desk.run(&["run", "job.toml", "--replace", "--accept", "unread-entries"]).status, 0);
    desk.file("job.toml", accepting(1));
    let tally = desk.json(&["run", "job.toml", "--replace"]);
    assert_eq!(tally["accepted_guards"][0]["guard"], "unread-entries");
}

/// A second table with its columns in another order: its refusals would be read as names.
const TWO_TABLES: &str = "email,newsletter,name,city\nann@reed.example,yes,Ann,Quillmere\n\nemail,name,city,newsletter\n\
                          bob@moss.example,Bob,Quillmere,no\n";

#[rstest]
#[case::of_a_source("shop.csv", TWO_TABLES)]
#[case::of_a_list("list.csv", TWO_TABLES)]
#[case::of_two_columns(
    "shop.csv",
    "name,city,email,newsletter\nAnn,Quillmere,ann@reed.example,yes\n\nemail,newsletter\nbob@moss.example,no\n"
)]
fn a_second_table_with_other_columns_stops_the_run(#[case] file: &str, #[case] two_tables: &str) {
    let suppress = "[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\n";
    let desk =
        Desk::with(&[("shop.csv", SHOP), ("list.csv", "email\nx@far.example\n"), ("job.toml", &job_with(suppress))]);
    desk.done(&["run", "job.toml"]);
    desk.file(file, two_tables);
    let stopped = desk.run(&["run", "job.toml", "--replace"]);
    assert!(stopped.status == 3 && stopped.stdout.contains("guard another-table"), "{}", stopped.stdout);
    assert!(stopped.stdout.contains("row 4 has the words of another header"), "{}", stopped.stdout);
    desk.done(&["run", "job.toml", "--replace", "--accept", "another-table"]);
}

#[test]
fn a_load_stops_at_a_second_table() {
    let list = "email,city,name\nx@far.example,Quillmere,Xa\n\nname,email,city\nBob,bob@moss.example,Quillmere\n";
    let desk = Desk::with(&[("list.csv", list)]);
    let load = ["bank", "load", "list.csv", "--as", "opted-out", "--yes"];
    refused(&desk.run(&load), 3, "another-table: 1 row has the words of another header");
    desk.done(&[&load[..], &["--accept", "another-table", "--accept", "unread-entries"]].concat());
}

/// The same header in other words is a line of its own, and no second table.
#[test]
fn a_header_in_other_words_is_no_contact_and_stops_nothing() {
    let shop = "email,first name,last name\nE-mail address,Forename,Surname\nann@reed.example,Ann,Reed\nE-mail,Forename,Surname\nbob@moss.example,Bob,Moss\n";
    let desk = Desk::with(&[("shop.csv", shop), ("job.toml", &job_with(""))]);
    let tally = desk.json(&["run", "job.toml"]);
    assert_eq!(tally["all"]["read"], 2, "{tally}");
}

#[test]
fn an_address_in_a_title_of_a_list_is_an_entry() {
    let list = "Ask ann@reed.example about this list\nEmail,Why\nx@far.example,asked\n";
    assert!(!written_beside(list, "").contains(&"ann@reed.example".to_owned()));
}

#[test]
fn what_was_not_read_and_names_nobody_is_a_finding() {
    let list = "Email,Note\nx@far.example,also y@far.example\n";
    let suppress = "[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\n";
    let desk = Desk::with(&[("shop.csv", SHOP), ("list.csv", list), ("job.toml", &job_with(suppress))]);
    let tally = desk.json(&["run", "job.toml"]);
    let codes: Vec<&str> =
        tally["findings"].as_array().unwrap().iter().map(|found| found["code"].as_str().unwrap()).collect();
    assert!(codes.contains(&"unread-entries"), "{codes:?}");
}

#[test]
fn several_headers_for_one_field_read_all_of_them() {
    let list =
        "Contact,Note\nx@far.example,ann@reed.example\ny@far.example,none\nz@far.example,none\nw@far.example,none\n";
    let written = written_beside(list, "columns = { email = [\"Contact\", \"Note\"] }");
    assert_eq!(written, ["ann2@reed.example", "bob@moss.example", "zoe@post.example"]);
}

#[rstest]
#[case::status_words_under_any_header("Anmeldestatus", "unsubscribed", "subscribed")]
#[case::a_date_of_unsubscribing("Unsubscribed at", "2025-03-04", "")]
#[case::camel_case("emailOptOut", "TRUE", "FALSE")]
#[case::none_under_an_opt_in("Marketing OK?", "none", "yes")]
#[case::under_the_header_of_something_else("State", "unsubscribed", "subscribed")]
#[case::among_tags("Group", "unsubscribed", "subscribed")]
fn a_column_about_consent_is_never_passed_over(#[case] header: &str, #[case] refusal: &str, #[case] other: &str) {
    let shop = format!(
        "email,{header}\nann@reed.example,{refusal}\nbob@moss.example,{other}\nzoe@post.example,{other}\nix@post.example,{refusal}\n"
    );
    let desk = Desk::with(&[("shop.csv", &shop)]);
    desk.done(&["clean", "shop.csv", "-o", "out.csv"]);
    assert_eq!(desk.sheet("out.csv").column("email"), ["bob@moss.example", "zoe@post.example"]);
}

#[test]
fn a_column_with_several_readings_asks_and_each_answer_is_taken() {
    let shop = "email,Subscription\nann@reed.example,yes\nbob@moss.example,no\n";
    let desk = Desk::with(&[("shop.csv", shop), ("no.csv", "email\nx@far.example\n")]);
    let clean = ["clean", "shop.csv", "-o", "out.csv", "--replace"];
    for stopped in [&clean[..], &["suppress", "shop.csv", "--against", "no.csv", "-o", "out.csv"]] {
        let ran = desk.run(stopped);
        refused(&ran, 1, "--not-consent \"Subscription\"");
        assert!(ran.stderr.contains("no (1), yes (1)"), "{}", ran.stderr);
    }
    for (answer, written) in [
        ("--opt-in", &["ann@reed.example"][..]),
        ("--opt-out", &["bob@moss.example"]),
        ("--not-consent", &["ann@reed.example", "bob@moss.example"]),
    ] {
        desk.done(&[&clean[..], &[answer, "Subscription"]].concat());
        assert_eq!(desk.sheet("out.csv").column("email"), written, "{answer}");
    }
    refused(&desk.run(&[&clean[..], &["--opt-in", "Subscripton"]].concat()), 1, "did you mean");
}

#[test]
fn opt_ins_to_different_things_ask_and_another_channel_travels_along() {
    let shop = "email,Shop news,Theatre news,SMS marketing\nann@reed.example,yes,no,no\nbob@moss.example,no,yes,no\n";
    let desk = Desk::with(&[("shop.csv", shop)]);
    refused(&desk.run(&["clean", "shop.csv", "-o", "out.csv"]), 1, "\"Theatre news\"");
    let answers = ["--opt-in", "Theatre news", "--not-consent", "Shop news"];
    desk.done(&[&["clean", "shop.csv", "-o", "out.csv"][..], &answers].concat());
    assert_eq!(desk.sheet("out.csv").column("email"), ["bob@moss.example"]);
}

#[test]
fn a_column_about_consent_that_is_blank_at_first_is_read_all_the_same() {
    let blank: String = (0..3_000).map(|number| format!("n{number}@post.example,\n")).collect();
    let desk = Desk::with(&[("shop.csv", &format!("email,State\n{blank}ann@reed.example,unsubscribed\n"))]);
    let tally = desk.json(&["clean", "shop.csv", "-o", "out.csv"]);
    assert_eq!((&tally["all"]["written"], &tally["all"]["set_aside"]), (&3_000.into(), &1.into()));
}

#[test]
fn contacts_are_never_footnotes_or_totals() {
    let shop = "phone,email,company\n(020) 7946 0001,,\n* 020 7946 0002,,\n020 7946 0003,,Total Garden Ltd\n\n(020) 7946 0004,,\n";
    let job =
        "[require]\nfields = [\"phone\"]\n[[suppress]]\nname = \"by phone\"\nfiles = [\"no.csv\"]\nby = \"phone\"\n";
    let job = job_with(job).replace("[job]", "[job]\ncountry = \"GB\"");
    let desk = Desk::with(&[("shop.csv", shop), ("no.csv", "phone\n020 7946 0001\n"), ("job.toml", &job)]);
    let tally = desk.json(&["run", "job.toml"]);
    assert_eq!((&tally["all"]["read"], &tally["all"]["set_aside_by_reason"]["do-not-contact"]), (&4.into(), &1.into()));
    let total = "company,email\nTotal Garden Ltd,\nSum of Parts,x@far.example\nTotal,12\n";
    let desk = Desk::with(&[("shop.csv", total)]);
    assert_eq!(desk.json(&["clean", "shop.csv", "-o", "out.csv"])["all"]["read"], 2);
}

#[test]
fn a_remark_with_an_address_is_read_carries_refusals_and_is_never_written() {
    let shop = "Questions? ops@reed.example\nname,email,do not mail\nAnn,ann@reed.example,\n\nWrite to desk@reed.example please,,\n";
    let desk = Desk::with(&[("shop.csv", shop)]);
    let tally = desk.json(&["clean", "shop.csv", "-o", "out.csv"]);
    assert_eq!((&tally["all"]["read"], &tally["all"]["set_aside_by_reason"]["unreadable-row"]), (&3.into(), &2.into()));
}

#[test]
fn replacing_an_address_does_not_take_it_off_the_lists() {
    let job = "[[replace]]\nfield = \"email\"\nfind = \"ann@reed.example\"\nwith = \"ann.reed@post.example\"\n\
        [[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\n";
    let desk =
        Desk::with(&[("shop.csv", SHOP), ("list.csv", "email\nann@reed.example\n"), ("job.toml", &job_with(job))]);
    desk.done(&["run", "job.toml"]);
    assert!(!desk.text("out.csv").contains("ann.reed@post.example"));
}

#[test]
fn writing_nobody_stops_run_and_clean() {
    let desk = Desk::with(&[("shop.csv", "email\nn/a\n")]);
    let ran = desk.run(&["clean", "shop.csv", "-o", "out.csv"]);
    assert!(ran.status == 3 && ran.stdout.contains("guard write-at-least") && !desk.has("out.csv"), "{}", ran.stdout);
    desk.done(&["clean", "shop.csv", "-o", "out.csv", "--accept", "write-at-least"]);
}

#[test]
fn a_list_from_which_nothing_can_be_read_stops_the_run() {
    let suppress = "[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\ncolumns = { email = \"Name\" }\n";
    let desk = Desk::with(&[
        ("shop.csv", SHOP),
        ("list.csv", "Name,Why\n,asked\n,wrote\n"),
        ("job.toml", &job_with(suppress)),
    ]);
    let ran = desk.run(&["run", "job.toml"]);
    assert!(ran.status == 3 && ran.stdout.contains("none-usable"), "{}", ran.stdout);
}

#[test]
fn no_output_is_ever_a_bank_or_its_side_files() {
    let desk = Desk::with(&[("shop.csv", SHOP)]);
    desk.done(&["bank", "add", "ann@reed.example"]);
    let before = desk.bytes("bank.sqlite");
    desk.file("bank.sqlite-wal", "");
    for command in [
        &["clean", "shop.csv", "-o", "bank.sqlite", "--replace"][..],
        &["clean", "shop.csv", "-o", "bank.sqlite-wal", "--replace"],
        &["clean", "shop.csv", "-o", "o.csv", "--set-aside", "bank.sqlite", "--replace"],
        &["suppress", "shop.csv", "-o", "bank.sqlite", "--replace"],
        &["compare", "shop.csv", "shop2.csv", "-o", "bank.sqlite", "--replace"],
        &["bank", "export", "bank.sqlite", "--replace"],
    ] {
        desk.file("shop2.csv", SHOP.replace("ann", "anne"));
        let ran = desk.run(command);
        assert!(ran.status != 0 && ran.stderr.contains("bank"), "{command:?} {}{}", ran.stdout, ran.stderr);
        assert_eq!(desk.bytes("bank.sqlite"), before, "{command:?}");
    }
}

#[test]
fn commands_that_hold_nobody_say_who_must_not_be_contacted() {
    let shop = "email,do not mail\nann@reed.example,yes\nann@reed.example,\nbob@moss.example,\nzoe@post.example,\n";
    let desk = Desk::with(&[("a.csv", shop), ("b.csv", "email\nbob@moss.example\n")]);
    desk.done(&["bank", "add", "zoe@post.example"]);
    for (command, count) in [
        (&["compare", "a.csv", "b.csv", "-o", "o.csv", "--replace"][..], 2),
        (&["compare", "a.csv", "b.csv", "-o", "o.csv", "--mark", "--replace"], 3),
        (&["split", "a.csv", "--rows-per-file", "2", "-o", "parts", "--replace"], 3),
        (&["clean", "a.csv", "-o", "o.csv", "--only-duplicates", "--replace"], 2),
    ] {
        let said = desk.json(command);
        let findings = said["findings"].as_array().unwrap();
        let finding = findings.iter().find(|found| found["code"] == "must-not-be-contacted");
        assert_eq!(finding.map(|found| &found["count"]), Some(&count.into()), "{command:?} {said}");
        assert!(desk.done(command).stdout.contains("must not be contacted"));
    }
}

#[test]
fn a_run_whose_bank_is_gone_stops() {
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with(""))]);
    desk.done(&["bank", "add", "ann@reed.example"]);
    desk.done(&["run", "job.toml"]);
    std::fs::remove_file(desk.path("bank.sqlite")).unwrap();
    let ran = desk.run(&["run", "job.toml", "--replace"]);
    assert!(ran.status == 3 && ran.stdout.contains("guard bank-gone"), "{}{}", ran.stdout, ran.stderr);
    desk.done(&["run", "job.toml", "--replace", "--without-bank"]);
}

/// Loads a file into the bank and gives how many entries went in for good and for now.
fn loaded(desk: &Desk, more: &[&str]) -> Value {
    desk.json(&[&["bank", "load", "list.csv", "--yes", "--again"][..], more].concat())
}

#[test]
fn of_an_event_and_a_class_of_bounce_both_are_used_and_said() {
    let list = "email,Event,Type\na@x.example,bounce,hard\nb@x.example,bounce,soft\nc@x.example,delivered,\nd@x.example,,\n\
        e@x.example,open,\nf@x.example,spam report,\ng@x.example,unsubscribe,\n";
    let desk = Desk::with(&[("list.csv", list)]);
    let bounced = loaded(&desk, &["--as", "bounced"]);
    assert_eq!((&bounced["seen"]["entries"], &bounced["soft_bounces"]), (&2.into(), &1.into()));
    assert_eq!(bounced["status_columns"], serde_json::json!(["Event", "Type"]));
    let read_as = |word: &str| {
        let words = bounced["status_words"].as_array().unwrap();
        words.iter().find(|found| found["word"] == word).map(|found| found["read_as"].as_str().unwrap().to_owned())
    };
    assert_eq!([read_as("bounce soft"), read_as("delivered")], [Some("soft-bounce".into()), Some("sent".into())]);
    assert_eq!(loaded(&desk, &["--as", "complained"])["seen"]["entries"], 1);
    assert_eq!(loaded(&desk, &["--as", "opted-out"])["seen"]["entries"], 2, "a complaint is an opt-out too");
}

#[test]
fn a_status_that_is_not_known_stops_a_load_until_it_is_said() {
    let desk = Desk::with(&[("list.csv", "email,Status\na@x.example,hard bounce\nb@x.example,frozen\n")]);
    let load = ["bank", "load", "list.csv", "--as", "bounced", "--yes"];
    let ran = desk.run(&load);
    refused(&ran, 1, "--status-means \"frozen=");
    assert!(ran.stderr.contains("\"frozen\" (1)"), "{}", ran.stderr);
    assert_eq!(desk.json(&["bank"])["entries"], serde_json::json!([]));
    let entries = |means: &str| loaded(&desk, &["--as", "bounced", "--status-means", means])["seen"]["entries"].clone();
    assert_eq!([entries("frozen=nothing"), entries("frozen=bounced")], [Value::from(1), Value::from(2)]);
    assert_eq!(loaded(&desk, &["--as", "bounced", "--status", "none"])["seen"]["entries"], 2);
}

#[test]
fn verdicts_of_an_address_check_are_no_bounces() {
    let desk = Desk::with(&[("list.csv", "email,Result\na@x.example,invalid\nb@x.example,valid\nc@x.example,risky\n")]);
    refused(&desk.run(&["bank", "load", "list.csv", "--as", "bounced", "--yes"]), 1, "verdict of an address check");
}

#[test]
fn a_load_stops_at_what_it_did_not_read() {
    let desk = Desk::with(&[("list.csv", "Email,Note\na@x.example,asked\nb@x.example,and c@x.example too\n")]);
    let load = ["bank", "load", "list.csv", "--as", "opted-out", "--yes"];
    refused(&desk.run(&load), 3, "column \"Note\", row 3");
    assert_eq!(desk.run(&[&load[..], &["--accept", "unread-entries"]].concat()).status, 0);
    let both = [&load[..], &["--again", "--field", "email=Email", "--field", "email=Note"]].concat();
    assert_eq!(desk.json(&both)["seen"]["entries"], 3);
}
