//! `why`, for every reason and every kind of match: held against the tables of the receipt, and against the files themselves.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use pebblebank_core::suppress::reason::Reason;
use rstest::rstest;
use serde_json::{Value, json};
use std::collections::BTreeSet;

/// A contact for each way in which somebody is left out, and one who is written.
const SHOP: &str = "\
Contact ID,E-Mail,Second e-mail,Name,Phone,Newsletter,Town
1,lily@post.example,,Lily Ash,020 7946 0101,yes,Moosbach
2,ida@post.example,,Ida Moss,020 7946 0018,yes,Moosbach
3,Hugo@post.example; hugo.vale@larkmail.example,,Hugo Vale,,yes,Moosbach
4,wren@post.example,wren.second@larkmail.example,Wren Quill,,yes,Moosbach
5,otto@post.example,,Dr Otto Reed,,yes,Moosbach
6,fern+walks@post.example,,Fern Lake,,yes,Moosbach
7,rosa@desk.hotel.example,,Rosa Hill,,yes,Moosbach
8,pia@post.example,,Pia Dale,,no,Moosbach
9,PIA@post.example,,Pia Dale,,yes,Moosbach
10,noa@post.example,,Noa Field,,pending,Moosbach
11,max@post.example,,Max Rill,,complained,Moosbach
12,zed@post.example,,Zed Brook,,yes,Moosbach
13,kit@post.example,,Kit Stone,,yes,Moosbach
14,joe@post.example,,Joe Marsh,020 7946 0145,yes,Moosbach
15,,,Ada Blank,,yes,Moosbach
16,ada@@post.example,,Ada Broken,,yes,Moosbach
17,noemail@example.com,,Ada Nobody,,yes,Moosbach
18,eve@post.example,,Eve Short,,yes,
19,info@larkfold.example,,Office,,yes,Moosbach
20,sam@throwaway.example,,Sam Gone,,yes,Moosbach
21,tom@dead.example,,Tom Dead,,yes,Moosbach
22,marlow.tarn@post.example,,Marlow Tarn,,yes,Moosbach
23,kim@post.example,,Kim Far,,yes,Quillmere
24,lena@post.example,,Lena Wide,,yes,Moosbach-on-the-Long-Water
25,bo@post.example,,Bo Late,,yes,Moosbach
26,una@post.example,,Una Hand,,yes,Moosbach
27,vera@post.example,,Vera Sent,,yes,Moosbach
28,ben@post.example,,Ben Often,,yes,Moosbach
29,gus@post.example,,Gus Partner,,yes,Moosbach
30,amy@bank-hotel.example,,Amy Domain,,yes,Moosbach

Questions? desk@post.example
";

const JOB: &str = r#"
[job]
name = "fair"
country = "GB"
today = "2026-03-02"
campaign = "fair"

[[source]]
name = "shop"
files = ["shop.csv"]

[clean]
role = "set-aside"
disposable = "set-aside"
disposable_domains = ["throwaway.example"]

[person]
decisions = "decisions.csv"

[[list]]
name = "guests"
files = ["guests.csv"]

[[suppress]]
name = "phones"
files = ["phones.csv"]
by = "phone"

[[suppress]]
name = "addresses"
files = ["addresses.csv"]

[[suppress]]
name = "names"
files = ["names.csv"]
by = "full_name"

[[suppress]]
name = "hashes"
files = ["hashes.csv"]

[[suppress]]
name = "domains"
files = ["domains.csv"]

[[suppress]]
name = "numbers"
files = ["numbers.csv"]
by = "contact_id = Number"

[[suppress]]
name = "events"
files = ["events.csv"]
reason_from = "Event"

[[suppress]]
name = "partner"
list = "guests"

[[suppress]]
name = "sent"
files = ["sent.txt"]
reason = "already-sent"

[[suppress]]
name = "close"
files = ["close.csv"]
reason = "opted-out"
near_miss = "set-aside"

[limits]
at_most = 1
per_days = 7

[check]
set_aside = ["invalid"]

[require]
fields = ["email", "city"]

[select]
where = "city is not Quillmere"
first = 1

[guard]
write_at_least = 0
set_aside_at_most = "100%"

[[write]]
file = "out.csv"
layout = "service"

[layout.service]
columns = [
  { name = "Email", from = "email" },
  { name = "Town", from = "city", longest = 12 },
]
"#;

/// The lists: name and text. Entries that match nobody stand before those that match, so that rows cannot be right by chance.
const LISTS: [(&str, &str); 10] = [
    ("guests.csv", "Email,Visited\nnobody@post.example,2025-05-01\ngus@post.example,2025-05-02\n"),
    ("phones.csv", "Phone,Asked on\n+44 20 7946 0999,2026-01-01\n+44 (0)20 7946 0018,2026-01-02\n"),
    (
        "addresses.csv",
        "Email,Note\nnobody@post.example,\nHUGO.VALE@larkmail.example,by letter\n<wren.second@larkmail.example>,\n",
    ),
    ("names.csv", "Name,Note\nNobody Else,\n\"Reed, Otto\",asked twice\n"),
    // SHA-256 of fern+walks@post.example.
    ("hashes.csv", "Hash\n0000000000000000000000000000000000000000000000000000000000000000\nHASH\n"),
    ("domains.csv", "Domain\nelsewhere.example\n@hotel.example\n"),
    ("numbers.csv", "Number,Since\n99,2026-01-01\n13,2026-01-03\n"),
    (
        "events.csv",
        "Email,Event\nnobody@post.example,sent\nzed@post.example,unsubscribed\njoe@post.example,hard bounce\n",
    ),
    ("sent.txt", "Nobody <nobody@post.example>\nVera Sent <vera@post.example>\n"),
    ("close.csv", "Email\nnobody@post.example\nmarlow.tarnn@post.example\n"),
];

/// The desk after the run.
fn desk() -> Desk {
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", JOB)]);
    let digest = <sha2::Sha256 as sha2::Digest>::digest("fern+walks@post.example");
    let hash: String = digest.iter().map(|byte| format!("{byte:02x}")).collect();
    for (name, text) in LISTS {
        desk.file(name, text.replace("HASH", &hash));
    }
    desk.file(
        "decisions.csv",
        "decision,person,other,note,day\ntake-out,una@post.example,,asked by phone,2026-03-01\n",
    );
    desk.done(&["bank", "add", "@bank-hotel.example", "--as", "do-not-contact", "--note", "their letter of May"]);
    desk.file("often.csv", "Email\nben@post.example\n");
    desk.done(&["bank", "load", "often.csv", "--as", "sent", "--campaign", "news", "--on", "2026-02-28", "--yes"]);
    desk.file("results.csv", "Email,Result\ntom@dead.example,undeliverable\n");
    let results = ["--as", "verdicts", "--on", "2026-03-01", "--accept", "other-results"];
    desk.done(&[&["bank", "load", "results.csv", "--yes"], &results[..]].concat());
    desk.done(&["run", "job.toml"]);
    desk
}

fn why(desk: &Desk, who: &str) -> Value {
    let mut document = desk.json_of(&["why", who]);
    document["runs"][0].take()
}

#[test]
fn every_reason_is_told_as_the_tables_have_it() {
    let desk = desk();
    let aside = desk.sheet("fair.receipt/set-aside.csv");
    let columns = ["Contact ID", "pebblebank_reason", "pebblebank_details", "pebblebank_file", "pebblebank_row"];
    let rows = aside.columns(columns);
    let found: BTreeSet<&str> = rows.iter().map(|row| row[1]).collect();
    let all: BTreeSet<&str> = Reason::ALL.map(Reason::name).into();
    let missing: Vec<_> = all.difference(&found).collect();
    assert!(missing.is_empty(), "no row for {missing:?}: {found:?}");
    let lines: Vec<&str> = SHOP.lines().collect();
    for [number, reason, details, file, row] in rows {
        let who =
            if reason == "unreadable-row" { "desk@post.example".to_owned() } else { format!("contact_id = {number}") };
        let told = why(&desk, &who);
        let is_it = |told: &&Value| told["file"] == file && told["row"].as_u64() == row.parse().ok();
        let found = told["rows"].as_array().unwrap().iter().find(is_it).unwrap_or_else(|| panic!("{who}: {told:#}"));
        let as_told = [&found["fate"], &found["reason"], &found["details"], &told["is_written"]];
        assert_eq!(as_told, [&json!("set-aside"), &json!(reason), &json!(details), &json!(false)], "{who}");
        // The words of the row are those of the file's own line.
        let line = lines[row.parse::<usize>().unwrap() - 1];
        for cell in found["read"].as_array().unwrap() {
            assert!(line.contains(cell["value"].as_str().unwrap()), "{who}: {cell} in {line}");
        }
    }
    let text = desk.done(&["why", "lily@post.example"]).stdout;
    assert!(text.starts_with("lily@post.example: written to out.csv"), "{text}");
}

#[rstest]
#[case::a_phone_number("ida@post.example", "phones", "+442079460018", "phones.csv", 3)]
#[case::a_second_address_of_the_cell(
    "hugo@post.example",
    "addresses",
    "the address hugo.vale@larkmail.example",
    "addresses.csv",
    3
)]
#[case::an_address_of_another_column(
    "wren@post.example",
    "addresses",
    "the address wren.second@larkmail.example",
    "addresses.csv",
    4
)]
#[case::a_name("otto@post.example", "names", "Otto Reed", "names.csv", 3)]
#[case::a_hash("fern+walks@post.example", "hashes", "a hash of the address", "hashes.csv", 3)]
#[case::a_domain_above("rosa@desk.hotel.example", "domains", "the domain hotel.example", "domains.csv", 3)]
#[case::a_value_of_another_column("kit@post.example", "numbers", "the value that the list goes by", "numbers.csv", 3)]
#[case::an_event("zed@post.example", "events (opted-out)", "the address zed@post.example", "events.csv", 3)]
#[case::another_event("joe@post.example", "events (bounced)", "the address joe@post.example", "events.csv", 4)]
#[case::a_recipient_line("vera@post.example", "sent", "the address vera@post.example", "sent.txt", 2)]
#[case::another_list("gus@post.example", "partner", "the address gus@post.example", "guests.csv", 3)]
#[case::a_near_miss("marlow.tarn@post.example", "close", "the near miss marlow.tarnn@post.example", "close.csv", 3)]
fn the_entry_is_named_by_file_and_row(
    #[case] who: &str,
    #[case] list: &str,
    #[case] entry: &str,
    #[case] file: &str,
    #[case] row: usize,
) {
    let desk = desk();
    let told = why(&desk, who);
    let lists = told["lists"].as_array().unwrap();
    let found: Vec<&Value> = lists.iter().filter(|found| found["list"] == list).collect();
    let [found] = found.as_slice() else { panic!("{told:#}") };
    let entries = found["entries"].as_array().unwrap();
    let [only] = entries.as_slice() else { panic!("{found:#}") };
    assert_eq!((&only["entry"], &only["file"], &only["row"]), (&json!(entry), &json!(file), &json!(row)));
    assert_eq!(found["suppresses"], true);
    assert_eq!(only["is_near_miss"], list == "close");
    // All that its row says is shown: dates and notes.
    let line = desk.text(file).lines().nth(row - 1).unwrap().replace('"', "");
    for cell in only["read"].as_array().unwrap() {
        assert!(line.contains(cell["value"].as_str().unwrap()), "{cell} in {line}");
    }
    // Nobody else's entry is told.
    assert_eq!(lists.iter().map(|list| list["entries"].as_array().unwrap().len()).sum::<usize>(), 1, "{told:#}");
    // A list that changed since cannot say which entry it was.
    desk.file(file, format!("{}\n", desk.text(file)));
    let again = why(&desk, who);
    assert_eq!(again["lists"], json!([]));
    assert_eq!((&again["not_read"][0]["file"], &again["not_read"][0]["why"]), (&json!(file), &json!("changed")));
    std::fs::remove_file(desk.path(file)).unwrap();
    assert_eq!(why(&desk, who)["not_read"][0]["why"], "gone");
    let text = desk.run(&["why", who]).stdout;
    assert!(text.contains(&format!("{file} is gone, so its words are not shown")), "{text}");
}

#[rstest]
#[case::opted_out("pia@post.example", &[("no", "opted out"), ("yes", "opted in")])]
#[case::pending("noa@post.example", &[("pending", "pending")])]
#[case::complained("max@post.example", &[("complained", "complained")])]
fn each_copy_says_what_it_states_about_consent(#[case] who: &str, #[case] says: &[(&str, &str)]) {
    let told = why(&desk(), who);
    let stated: Vec<Value> = told["rows"].as_array().unwrap().iter().map(|row| row["consent"].clone()).collect();
    let expected = says.iter().map(|(value, says)| json!([{"header": "Newsletter", "value": value, "says": says}]));
    assert_eq!(stated, expected.collect::<Vec<_>>());
}

#[rstest]
#[case::a_domain("amy@bank-hotel.example", "do-not-contact", "@bank-hotel.example")]
#[case::a_mailing("ben@post.example", "sent", "ben@post.example")]
fn the_entry_of_the_bank_is_named_with_its_batch_and_note(#[case] who: &str, #[case] what: &str, #[case] text: &str) {
    let desk = desk();
    let document = desk.json_of(&["why", who]);
    let entries = document["bank"]["entries"].as_array().unwrap();
    let found = entries.iter().find(|entry| entry["what"] == what).unwrap_or_else(|| panic!("{document:#}"));
    assert!(found["text"].as_str().unwrap().trim_start_matches('@') == text.trim_start_matches('@'), "{found:#}");
    assert!(found["batch"].as_u64().is_some());
    let shown = desk.run(&["why", who]).stdout;
    let from = if what == "sent" { "news" } else { "their letter of May" };
    assert!(shown.contains(from), "{shown}");
}

/// A small job with one source and one list, and what else it says.
fn small(source: &str, more: &str) -> Desk {
    let list = "[[suppress]]\nname = \"asked\"\nfiles = [\"asked.csv\"]\n";
    let job = job_with(&format!("{list}{more}")).replace("shop.csv", source);
    let shop = "Email,Name,Note\nida@post.example,Ida Moss,gate 3\nrosa@hotel.example,Rosa Hill,\nfern+a@post.example,Fern Lake,\n";
    let asked = "Email,Day\nnobody@post.example,2026-01-01\nida@post.example,2026-01-02\n@hotel.example,2026-01-03\n";
    Desk::with(&[("shop.csv", shop), ("asked.csv", asked), ("job.toml", &job)])
}

#[rstest]
#[case::workbook("shop.xlsx")]
#[case::lines_of_json("shop.jsonl")]
fn the_words_of_other_formats_are_read_again(#[case] file: &str) {
    let desk = small(file, "");
    desk.done(&["clean", "shop.csv", "-o", file]);
    desk.done(&["run", "job.toml"]);
    let told = why(&desk, "ida@post.example");
    let read = told["rows"][0]["read"].to_string();
    assert!(read.contains("gate 3") && read.contains("Ida"), "{told:#}");
    assert_eq!(told["lists"][0]["entries"][0]["row"], 3);
    // A value is found in any format.
    assert_eq!(why(&desk, "gate 3")["rows"][0]["file"], file);
}

#[test]
fn a_source_that_changed_leaves_the_words_of_the_receipt_and_says_so() {
    let desk = small("shop.csv", "");
    desk.done(&["run", "job.toml"]);
    desk.file("shop.csv", desk.text("shop.csv").replace("gate 3", "gate 4"));
    let told = why(&desk, "ida@post.example");
    assert!(told["rows"][0]["read"].to_string().contains("gate 3"), "{told:#}");
    assert_eq!(told["not_read"], json!([{"file": "shop.csv", "why": "changed", "what": null}]));
    assert_eq!((&told["is_written"], &told["reason"]), (&json!(false), &json!("do-not-contact")));
    let shown = desk.run(&["why", "gate 4"]);
    assert!(shown.status == 1 && shown.stdout.contains("shop.csv has changed since the run"), "{}", shown.stdout);
}

#[rstest]
#[case::an_address("hugo@post.example", 4)]
#[case::a_further_address_of_the_cell("hugo.vale@larkmail.example", 4)]
#[case::an_address_of_another_column("wren.second@larkmail.example", 5)]
#[case::a_name("otto reed", 6)]
#[case::a_phone_number("+44 20 7946 0018", 3)]
#[case::an_id("contact_id = 13", 14)]
#[case::a_remark("desk@post.example", 33)]
fn the_receipt_alone_answers_where_every_other_file_is_gone(#[case] who: &str, #[case] row: u64) {
    let desk = desk();
    for name in LISTS.iter().map(|(name, _)| *name).chain(["shop.csv", "job.toml", "decisions.csv", "bank.sqlite"]) {
        std::fs::remove_file(desk.path(name)).unwrap();
    }
    let told = why(&desk, who);
    assert_eq!((&told["rows"][0]["row"], &told["is_written"]), (&json!(row), &json!(false)), "{told:#}");
    assert!(told["not_read"].as_array().unwrap().iter().any(|file| file["file"] == "shop.csv"), "{told:#}");
}

#[test]
fn an_entry_that_the_job_lifts_is_told_with_the_reason() {
    let allow = "[[allow]]\naddresses = [\"rosa@hotel.example\"]\nwhy = \"asked for it in March\"\n";
    let desk = small("shop.csv", allow);
    desk.done(&["run", "job.toml"]);
    let told = why(&desk, "rosa@hotel.example");
    assert_eq!((&told["is_written"], &told["allowed"]), (&json!(true), &json!("asked for it in March")));
    assert_eq!(told["lists"][0]["entries"][0]["entry"], "the domain hotel.example");
    let shown = desk.done(&["why", "rosa@hotel.example"]).stdout;
    assert!(shown.contains("it did not count, since the job allows the person: asked for it in March"), "{shown}");
}

#[test]
fn where_tags_do_not_count_a_person_is_found_by_the_address_without_one() {
    let desk = small("shop.csv", "[clean]\nidentity = \"ignore-tags\"\n");
    desk.done(&["run", "job.toml"]);
    for who in ["fern@post.example", "fern+b@post.example", "fern+a@post.example"] {
        let told = why(&desk, who);
        assert_eq!((&told["is_written"], &told["rows"][0]["row"]), (&json!(true), &json!(4)), "{who}: {told:#}");
    }
}

#[test]
fn a_large_file_is_read_again_only_where_everything_is_wanted() {
    let rows: String = (0..130_000)
        .map(|row| format!("p{row}@post.example,A long name to fill the row with {row},note {row}\n"))
        .collect();
    let desk = small("shop.csv", "");
    desk.file("shop.csv", format!("Email,Name,Note\n{rows}ida@post.example,Ida Moss,gate 3\n"));
    desk.done(&["run", "job.toml"]);
    let told = why(&desk, "p7@post.example");
    assert_eq!((&told["is_written"], &told["rows"][0]["row"]), (&json!(true), &json!(9)));
    assert_eq!(told["not_read"], json!([{"file": "shop.csv", "why": "too-large", "what": null}]));
    let whole = desk.json_of(&["why", "p7@post.example", "--verbose"]);
    assert!(whole["runs"][0]["rows"][0]["read"].to_string().contains("note 7\""), "{whole:#}");
}

#[test]
fn the_bank_of_the_run_is_asked_by_every_address_of_the_person_and_what_went_in_later_is_told_apart() {
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with(""))]);
    let bank = ["--bank", "team.sqlite"];
    desk.done(
        &[&["bank", "add", "hugo.vale@larkmail.example", "--as", "opted-out", "--note", "by letter"], &bank[..]]
            .concat(),
    );
    desk.done(&[&["run", "job.toml"], &bank[..]].concat());
    // Nobody names the bank: the receipt knows which one it was.
    let document = desk.json_of(&["why", "hugo@post.example"]);
    assert_eq!((&document["bank"]["held"], &document["runs"][0]["reason"]), (&json!(true), &json!("opted-out")));
    assert_eq!(document["bank"]["entries"][0]["note"], "by letter");
    desk.done(&[&["bank", "add", "lily@post.example", "--as", "opted-out"], &bank[..]].concat());
    let shown = desk.done(&["why", "lily@post.example"]).stdout;
    assert!(shown.starts_with("lily@post.example: written"), "{shown}");
    assert!(shown.contains("went in after this run"), "{shown}");
    std::fs::remove_file(desk.path("team.sqlite")).unwrap();
    let shown = desk.run(&["why", "hugo@post.example"]).stdout;
    assert!(shown.contains("What the bank says today is not known: there is no bank at"), "{shown}");
}

#[test]
fn a_run_that_was_stopped_can_be_asked_without_naming_its_receipt() {
    let desk = small("shop.csv", "[guard]\nwrite_at_least = 9\n");
    assert_eq!(desk.run(&["run", "job.toml"]).status, 3);
    let shown = desk.run(&["why", "ida@post.example"]).stdout;
    assert!(shown.starts_with("ida@post.example: not written: do-not-contact"), "{shown}");
}

#[test]
fn a_receipt_opens_no_connection_to_a_database_that_nobody_names() {
    let desk = small("shop.csv", "");
    desk.done(&["run", "job.toml"]);
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    listener.set_nonblocking(true).unwrap();
    let place = format!("127.0.0.1:{}", listener.local_addr().unwrap().port());
    let mut tally: Value = serde_json::from_str(&desk.text("fair.receipt/tally.json")).unwrap();
    tally["bank"]["file"] = json!(format!("postgres://ida@{place}/lists"));
    desk.file("fair.receipt/tally.json", tally.to_string());
    let shown = desk.run(&["why", "ida@post.example"]).stdout;
    assert!(shown.contains(&place) && shown.contains("only if --bank or PEBBLEBANK_BANK names it"), "{shown}");
    assert!(listener.accept().is_err(), "somebody connected");
}
