//! What a layout and its columns ask of values, who stands in which file, tags, guards on numbers, names and formats.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use rstest::rstest;
use serde_json::Value;

const SHOP: &str = "email,first_name,country,signed_up,status,Plan\n\
    ida@post.example,Ida,GB,2026-01-05,subscribed,Monthly\n\
    hugo@post.example,HUGO,de,2025-12-31,subscribed,weekly\n\
    wren@post.example,wren,FR,,pending,never\n";

fn desk(columns: &str, more: &str) -> Desk {
    let job = job_with(&format!("[layout.l]\ncolumns = [\"email\", {columns}]\n{more}"));
    let job = job.replace("file = \"out.csv\"\n", "file = \"out.csv\"\nlayout = \"l\"\n");
    Desk::with(&[("shop.csv", SHOP), ("job.toml", &job)])
}

#[rstest]
#[case::upper("{ name = \"x\", from = \"first_name\", form = \"upper\" }", &["IDA", "HUGO"])]
#[case::title_of_a_template("{ name = \"x\", from = \"dear {first_name}\", form = \"title\" }", &["Dear Ida", "Dear Hugo"])]
#[case::value_map("{ name = \"x\", from = \"country\", values = { gb = \"United Kingdom\" } }", &["United Kingdom", "DE"])]
#[case::allowed("{ name = \"x\", from = \"Plan\", allowed = [\"monthly\", \"weekly\"] }", &["monthly", "weekly"])]
#[case::not_allowed_becomes("{ name = \"x\", from = \"Plan\", allowed = [\"weekly\"], other = \"none\" }", &["none", "weekly"])]
#[case::not_allowed_is_set_aside("{ name = \"x\", from = \"Plan\", allowed = [\"weekly\"] }", &["weekly"])]
#[case::cut("{ name = \"x\", from = \"Plan\", longest = 4, too_long = \"cut\" }", &["Mont", "week"])]
#[case::too_long_is_set_aside("{ name = \"x\", from = \"Plan\", longest = 6 }", &["weekly"])]
#[case::pattern("{ name = \"x\", from = \"Plan\", pattern = \"[a-z]*ly\" }", &["weekly"])]
#[case::yes_and_no_of_consent("{ name = \"x\", from = \"consent\", yes = \"1\", no = \"0\" }", &["1", "1"])]
#[case::required_blank("{ name = \"x\", from = \"signed_up\", required = true, form = \"dd.mm.yyyy\" }", &["05.01.2026", "31.12.2025"])]
#[case::short("\"x=Plan\"", &["Monthly", "weekly"])]
fn a_column_writes_what_the_service_asks_for(#[case] column: &str, #[case] expected: &[&str]) {
    let desk = desk(column, "");
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").column("x"), expected);
}

#[test]
fn numbers_have_the_decimal_sign_of_the_service() {
    let desk = desk("\"x=spent\"", "decimal = \",\"\n[fields]\nspent = \"number\"\n");
    desk.file("shop.csv", "email,spent\nida@post.example,12.50\nhugo@post.example,\"1,250.75\"\n");
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").column("x"), ["12,50", "1250,75"]);
}

#[test]
fn a_row_that_does_not_fit_says_why_and_may_stop_the_run() {
    let column = "{ name = \"Plan\", from = \"Plan\", longest = 6 }";
    let own = desk(column, "");
    own.done(&["run", "job.toml"]);
    let aside = own.sheet("fair.receipt/set-aside.csv");
    assert_eq!(
        aside.columns(["pebblebank_reason", "pebblebank_details"])[0],
        ["layout-violation", "Plan: longer than 6 characters"]
    );
    let stops = desk(column, "on_violation = \"stop\"\n");
    let ran = stops.run(&["run", "job.toml"]);
    assert_eq!(ran.status, 0, "one column may say otherwise: {}", ran.stderr);
    let stops = desk(&column.replace("longest = 6", "longest = 6, too_long = \"stop\""), "");
    let ran = stops.run(&["run", "job.toml"]);
    assert_eq!(ran.status, 3);
    assert!(ran.stderr.contains("longer than 6 characters") && ran.stderr.contains("row 2"), "{}", ran.stderr);
    assert!(!stops.has("out.csv"));
}

#[rstest]
#[case::twice("\"email\"", "", "two columns")]
#[case::length_of_nothing("{ name = \"x\", from = \"Plan\", longest = 0 }", "", "longest")]
#[case::cut_address("{ name = \"x\", from = \"email\", longest = 9, too_long = \"cut\" }", "", "never cut")]
#[case::replaced_address("{ name = \"x\", from = \"email\", allowed = [\"a\"], other = \"b\" }", "", "replace")]
#[case::address_in_capitals("{ name = \"x\", from = \"email\", form = \"upper\" }", "", "small letters")]
#[case::unknown_field("\"x=no such\"", "", "no such")]
#[case::no_column("\"=x\"", "", "names no column")]
#[case::encoding("\"Plan\"", "encoding = \"klingon\"\n", "klingon")]
#[case::encoding_only_read("\"Plan\"", "encoding = \"replacement\"\n", "replacement")]
#[case::mark_of_no_unicode("\"Plan\"", "encoding = \"windows-1252\"\nbyte_order_mark = true\n", "byte order mark")]
#[case::delimiter("\"Plan\"", "delimiter = \"x\"\n", "cannot part")]
#[case::quotes_of_a_workbook("\"Plan\"", "format = \"xlsx\"\nquoting = \"all\"\n", "xlsx has no quoting")]
#[case::contradiction("\"Plan\"", "format = \"jsonl\"\n", "ends in .csv")]
#[case::no_such_format("\"Plan\"", "format = \"doc\"\n", "doc")]
#[case::columns_of_a_line("\"Plan\", \"country\"", "format = \"recipient-line\"\n", "recipient line")]
#[case::no_rows("\"Plan\"", "most_rows = 0\n", "most_rows is 0")]
#[case::no_size("\"Plan\"", "most_bytes = \"plenty\"\n", "is no size")]
#[case::header_too_large("\"Plan\"", "most_bytes = \"30\"\n", "one row alone")]
fn what_no_file_could_be_is_refused_and_nothing_is_written(
    #[case] column: &str,
    #[case] more: &str,
    #[case] says: &str,
) {
    let desk = desk(column, more);
    let ran = desk.run(&["run", "job.toml"]);
    assert!(matches!(ran.status, 1 | 2), "{}{}", ran.stdout, ran.stderr);
    assert!(ran.stderr.contains(says), "{says}: {}", ran.stderr);
    assert_eq!(desk.names().len(), 2, "{:?}", desk.names());
}

#[rstest]
#[case::tab("x.tsv", "email\tfirst_name\nida@post.example\tIda\n")]
#[case::unknown_ending("x.dat", "email,first_name\nida@post.example,Ida\n")]
#[case::json("x.jsonl", "{\"email\":\"ida@post.example\",\"first_name\":\"Ida\"}\n")]
fn the_ending_of_a_name_picks_the_format(#[case] name: &str, #[case] expected: &str) {
    let desk = Desk::with(&[("shop.csv", "email,first_name\nida@post.example,Ida\n")]);
    desk.done(&["clean", "shop.csv", "-o", name]);
    assert_eq!(desk.text(name), expected);
}

#[rstest]
#[case::spreadsheet("x.ods")]
#[case::either("x.txt")]
#[case::document("x.json")]
#[case::archive("x.zip")]
fn a_name_that_asks_for_another_format_is_refused(#[case] name: &str) {
    let desk = Desk::with(&[("shop.csv", SHOP), ("no.csv", "email\nida@post.example\n")]);
    for arguments in
        [&["clean", "shop.csv", "-o", name][..], &["suppress", "shop.csv", "--against", "no.csv", "-o", name]]
    {
        let ran = desk.run(arguments);
        assert_eq!(ran.status, 2, "{}", ran.stderr);
        assert_eq!(desk.names(), ["no.csv", "shop.csv"]);
    }
}

#[test]
fn contacts_go_to_standard_output_and_what_is_said_to_standard_error() {
    let desk = Desk::with(&[("shop.csv", SHOP)]);
    let line = desk.done(&["clean", "shop.csv", "-o", "-", "--format", "recipient-line"]);
    assert_eq!(line.stdout, "ida@post.example, hugo@post.example\n");
    assert!(line.stderr.contains("2 contacts written") && line.stderr.contains("no-consent"), "{}", line.stderr);
    assert_eq!(desk.names(), ["shop.csv"]);
    desk.done(&["clean", "shop.csv", "-o", "-", "--set-aside", "aside.csv"]);
    assert_eq!(desk.sheet("aside.csv").rows.len(), 1);
    // What a guard stops goes nowhere.
    desk.file("shop.csv", "email\n,\n");
    let stopped = desk.run(&["clean", "shop.csv", "-o", "-"]);
    assert_eq!((stopped.status, stopped.stdout.as_str()), (3, ""));
}

#[test]
fn people_stand_in_the_files_whose_condition_they_meet_and_the_tally_adds_up() {
    let job = "[job]\nname = \"fair\"\n[[source]]\nname = \"shop\"\nfiles = [\"shop.csv\"]\n\
        [[list]]\nname = \"walks\"\nfiles = [\"walks.csv\"]\n\
        [[tag]]\nname = \"walker\"\nwhere = 'in walks'\n\
        [[write]]\nfile = \"gb.csv\"\nwhere = 'country is GB'\nlayout = \"l\"\n\
        [[write]]\nfile = \"walkers.csv\"\nwhere = 'in walks'\nlayout = \"l\"\n\
        [layout.l]\ncolumns = [\"email\", \"tags\"]\n";
    let desk = Desk::with(&[
        (
            "shop.csv",
            "email,country,tags\nida@post.example,GB,bats\nhugo@post.example,DE,\nwren@post.example,GB,Walker\nzoe@post.example,FR,\n",
        ),
        ("walks.csv", "email\nida@post.example\nhugo@post.example\nwren@post.example\n"),
        ("job.toml", job),
    ]);
    let tally = desk.json(&["run", "job.toml"]);
    assert_eq!(
        desk.sheet("gb.csv").columns(["email", "tags"]),
        [["ida@post.example", "bats; walker"], ["wren@post.example", "Walker"]]
    );
    assert_eq!(
        desk.sheet("walkers.csv").column("email"),
        ["ida@post.example", "hugo@post.example", "wren@post.example"]
    );
    let written =
        |key: &str| tally["written"].as_array().unwrap().iter().map(|file| file[key].clone()).collect::<Vec<Value>>();
    assert_eq!((written("rows"), written("also_in_another")), (vec![2.into(), 3.into()], vec![2.into(), 2.into()]));
    assert_eq!(
        (&tally["all"]["written"], &tally["all"]["set_aside_by_reason"]["not-selected"]),
        (&3.into(), &1.into())
    );
    let aside = desk.sheet("fair.receipt/set-aside.csv");
    assert_eq!(aside.columns(["email", "pebblebank_details"]), [["zoe@post.example", "in no file"]]);
}

#[test]
fn a_file_without_anybody_beside_filled_ones_is_a_warning() {
    let files = "[[write]]\nfile = \"gb.csv\"\nwhere = 'country is GB'\n[[write]]\nfile = \"es.csv\"\nwhere = 'country is ES'\n";
    let job = job_with("").replace("[[write]]\nfile = \"out.csv\"\n", files);
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job)]);
    let tally = desk.json(&["run", "job.toml"]);
    let found =
        tally["findings"].as_array().unwrap().iter().find(|finding| finding["code"] == "empty-import-file").unwrap();
    assert!(found["weight"] == "warning" && found["text"].as_str().unwrap().starts_with("es.csv has nobody"));
}

#[test]
fn names_of_files_hold_the_campaign_and_the_scope() {
    let desk =
        Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with("").replace("out.csv", "{campaign} {date}.csv"))]);
    let ran = desk.run(&["run", "job.toml"]);
    assert_eq!(ran.status, 2);
    assert!(ran.stderr.contains("names no campaign"), "{}", ran.stderr);
    let job = job_with("").replace("out.csv", "{campaign} {date}.csv");
    let job = job.replace("[job]\n", "[job]\ncampaign = \"../Spring: fair\"\ntoday = \"2026-03-05\"\n");
    desk.file("job.toml", job.replace("{campaign} {date}", "{nothing}"));
    assert!(desk.run(&["run", "job.toml"]).stderr.contains("stands for nothing"));
    desk.file("job.toml", job);
    desk.done(&["run", "job.toml"]);
    assert!(desk.has("spring-fair 2026-03-05.csv"), "{:?}", desk.names());
}

#[rstest]
#[case::exactly("write_exactly = 3", "write-exactly", 1)]
#[case::at_most("write_at_most = 1", "write-at-most", 1)]
#[case::at_least("write_at_least = 5", "write-at-least", 3)]
#[case::share_of_one_reason("set_aside_at_most = { no-consent = \"10%\" }", "set-aside-at-most", 1)]
#[case::rows("set_aside_at_most = 0", "set-aside-at-most", 1)]
fn a_number_that_is_not_as_asked_stops_the_run(#[case] limit: &str, #[case] guard: &str, #[case] count: u64) {
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with(&format!("[guard]\n{limit}\n")))]);
    let stopped = desk.run(&["run", "job.toml", "--json"]);
    let document: Value = serde_json::from_str(&stopped.stdout).unwrap();
    assert_eq!(stopped.status, 3, "{}", stopped.stdout);
    assert_eq!(
        (&document["tripped_guards"][0]["guard"], &document["tripped_guards"][0]["count"]),
        (&guard.into(), &count.into())
    );
    assert!(!desk.has("out.csv") && desk.has("fair.receipt.stopped"));
    let accepted = desk.json(&["run", "job.toml", "--accept", guard]);
    assert_eq!(accepted["accepted_guards"][0]["guard"], guard);
    assert!(desk.has("out.csv"));
}

#[rstest]
#[case::change("change_at_most = \"20%\"", Some("change-at-most"))]
#[case::fewer("not_fewer_than_last_time = true", Some("fewer-than-last-time"))]
#[case::as_large("change_at_most = \"90%\"", None)]
fn a_source_that_shrank_since_the_run_before_stops_the_run(#[case] limit: &str, #[case] guard: Option<&str>) {
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with(&format!("[guard]\n{limit}\n")))]);
    desk.done(&["run", "job.toml"]);
    desk.file("shop.csv", "email,status\nida@post.example,subscribed\n");
    let ran = desk.run(&["run", "job.toml", "--replace"]);
    assert_eq!(ran.status, if guard.is_some() { 3 } else { 0 }, "{}", ran.stdout);
    assert!(guard.is_none_or(|guard| ran.stdout.contains(guard)), "{}", ran.stdout);
}

#[test]
fn the_file_of_last_month_and_an_empty_or_old_one_stop_the_run() {
    let guards = "[guard]\nnot_same_as_last_time = true\nno_empty_source = true\n";
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with(guards))]);
    desk.done(&["run", "job.toml"]);
    let again = desk.run(&["run", "job.toml", "--replace"]);
    assert!(again.status == 3 && again.stdout.contains("same-as-last-time"), "{}", again.stdout);
    desk.file("shop.csv", "email,status\n");
    let empty = desk.run(&["run", "job.toml", "--replace"]);
    assert!(empty.status == 3 && empty.stdout.contains("empty-source"), "{}", empty.stdout);
    let old = job_with("").replace("files = [\"shop.csv\"]\n", "files = [\"shop.csv\"]\nstale_after = 30\n");
    desk.file("job.toml", old.replace("[job]\n", "[job]\ntoday = \"2999-01-01\"\n"));
    desk.file("shop.csv", SHOP);
    let stale = desk.run(&["run", "job.toml", "--replace"]);
    assert!(stale.status == 3 && stale.stdout.contains("days old"), "{}", stale.stdout);
}

#[test]
fn a_billing_step_says_how_near_it_is_and_what_would_do() {
    let desk = Desk::with(&[
        ("shop.csv", "email\nida@post.example\ninfo@post.example\n"),
        ("job.toml", &job_with("[guard]\nsteps = [1, 10]\n")),
    ]);
    let tally = desk.json(&["run", "job.toml"]);
    let finding =
        tally["findings"].as_array().unwrap().iter().find(|finding| finding["code"] == "billing-step").unwrap();
    let text = finding["text"].as_str().unwrap();
    assert!(text.contains("1 above the step of 1") && text.contains("would do: 1 addresses of an office"), "{text}");
}

#[test]
fn rows_that_are_copied_go_into_any_format_with_some_of_their_columns() {
    let desk = Desk::with(&[("shop.csv", SHOP), ("no.csv", "email\nhugo@post.example\n")]);
    let against = ["suppress", "shop.csv", "--against", "no.csv", "--not-consent", "status", "-o"];
    desk.done(&[&against[..], &["x.csv", "--columns", "Mail=email,Plan"]].concat());
    assert_eq!(desk.text("x.csv"), "Mail,Plan\nida@post.example,Monthly\nwren@post.example,never\n");
    desk.done(&[&against[..], &["y.jsonl", "--columns", "email", "--mark"]].concat());
    let marked = desk.text("y.jsonl");
    assert!(marked.contains("{\"email\":\"hugo@post.example\",\"reason\":\"do-not-contact\","), "{marked}");
    let refused = desk.run(&[&against[..], &["z.csv", "--columns", "Who={first_name}"]].concat());
    assert!(refused.status == 2 && refused.stderr.contains("copied as they are"), "{}", refused.stderr);
    let shown = desk.done(&[&against[..], &["z.csv", "--dry-run", "--preview", "1"]].concat());
    assert!(
        shown.stdout.contains("ida@post.example,Ida,GB") && !shown.stdout.contains("wren@post.example"),
        "{}",
        shown.stdout
    );
}
