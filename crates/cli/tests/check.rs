//! `check`: which addresses will not arrive, without asking twice.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use pebblebank_standin::dns::{DnsServer, Zone};
use rstest::rstest;
use serde_json::{Value, json};

const LIST: &str = "Email,Name\n\
    ida@post.example,Ida\n\
    INFO@post.example,Office\n\
    ida@@post,Broken\n\
    ,Nobody\n\
    Ida@post.example,Ida again\n\
    hugo@gone.example,Hugo\n\
    wren@broken.example,Wren\n";

const ZONE: &str = "\"post.example\" = \"mail-server\"\n\"broken.example\" = \"fails\"\n";

fn desk() -> Desk {
    Desk::with(&[("list.csv", LIST)])
}

fn server() -> DnsServer {
    DnsServer::begin(Zone::from_toml(ZONE).unwrap()).unwrap()
}

/// The document of a check by DNS.
fn by_domain(desk: &Desk, server: &DnsServer, more: &[&str]) -> Value {
    let address = server.address().to_string();
    desk.json(&[&["check", "list.csv", "--level", "domain", "--resolver", &address, "--patience", "1"], more].concat())
}

fn counts(document: &Value) -> [u64; 4] {
    ["valid", "risky", "invalid", "unknown"].map(|verdict| document[verdict].as_u64().unwrap())
}

#[test]
fn by_syntax_every_row_gets_a_verdict_with_its_reason_and_nobody_is_asked() {
    let desk = desk();
    let document = desk.json(&["check", "list.csv", "-o", "out.csv"]);
    assert_eq!((counts(&document), &document["duplicates"], &document["asked"]), ([4, 1, 2, 0], &json!(1), &json!(0)));
    let out = desk.sheet("out.csv");
    assert_eq!(
        out.columns(["Name", "verdict", "why"]),
        [
            ["Ida", "valid", "well-formed"],
            ["Office", "risky", "role-address"],
            ["Broken", "invalid", "not-an-address"],
            ["Nobody", "invalid", "blank-address"],
            ["Ida again", "valid", "well-formed; duplicate"],
            ["Hugo", "valid", "well-formed"],
            ["Wren", "valid", "well-formed"],
        ]
    );
    assert_eq!(out.column("Email")[1], "INFO@post.example", "rows stay as they are");
}

#[test]
fn by_dns_only_what_is_certain_is_invalid_and_each_domain_is_asked_for_once() {
    let (desk, server) = (desk(), server());
    let document = by_domain(&desk, &server, &["-o", "out.csv"]);
    assert_eq!(counts(&document), [2, 1, 3, 1]);
    assert_eq!((&document["domains"], &document["asked"], &document["remembered"]), (&json!(3), &json!(3), &json!(0)));
    let found = desk.sheet("out.csv");
    let why = |name: &str| found.columns(["Name", "why"]).iter().find(|row| row[0] == name).unwrap()[1].to_owned();
    assert_eq!(why("Office"), "role-address; has-mail-server");
    assert_eq!((why("Hugo"), why("Wren")), ("no-such-domain".to_owned(), "dns-failed".to_owned()));
}

#[test]
fn nobody_is_asked_twice_for_what_is_known_and_what_failed_is_asked_for_again() {
    let (desk, server) = (desk(), server());
    by_domain(&desk, &server, &[]);
    let before = server.questions();
    let again = by_domain(&desk, &server, &[]);
    assert_eq!((&again["asked"], &again["remembered"], counts(&again)), (&json!(1), &json!(2), [2, 1, 3, 1]));
    assert!(server.questions() > before);
    let anew = by_domain(&desk, &server, &["--max-age", "0d"]);
    assert_eq!((&anew["asked"], &anew["remembered"]), (&json!(3), &json!(0)));
    let without = by_domain(&desk, &server, &["--without-bank"]);
    assert_eq!(&without["asked"], &json!(3));
}

#[test]
fn a_dry_run_remembers_nothing() {
    let (desk, server) = (desk(), server());
    desk.done(&["bank", "add", "zoe@post.example", "--as", "opted-out"]);
    by_domain(&desk, &server, &["--dry-run"]);
    assert_eq!(by_domain(&desk, &server, &[])["remembered"], 0);
}

#[test]
fn what_dns_has_settled_is_no_doubt_in_a_run_either() {
    let list = "Email,Name\nida@post.newending,Ida\nhugo@post.example,Hugo\n";
    let desk = Desk::with(&[("list.csv", list)]);
    let zone = Zone::from_toml("\"post.newending\" = \"mail-server\"\n\"post.example\" = \"mail-server\"\n");
    let server = DnsServer::begin(zone.unwrap()).unwrap();
    assert_eq!(counts(&by_domain(&desk, &server, &[])), [2, 0, 0, 0]);
    desk.file("job.toml", job_with("[check]\nset_aside = [\"risky\"]\n").replace("shop.csv", "list.csv"));
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").rows.len(), 2);
}

#[rstest]
#[case::good_and_bad(&["--good", "good.csv", "--bad", "bad.csv"], &[("good.csv", 4), ("bad.csv", 3)])]
#[case::one_verdict(&["--only", "invalid", "-o", "out.csv"], &[("out.csv", 2)])]
#[case::part_by_rows(&["--rows", "2-3", "-o", "out.csv"], &[("out.csv", 2)])]
#[case::the_first(&["--first", "3", "-o", "out.csv"], &[("out.csv", 3)])]
#[case::a_condition(&["--where", "Name is Ida", "-o", "out.csv"], &[("out.csv", 1)])]
fn rows_are_sorted_by_verdict_and_a_part_can_be_checked(#[case] how: &[&str], #[case] files: &[(&str, usize)]) {
    let desk = desk();
    let document = desk.json(&[&["check", "list.csv"], how].concat());
    let written: u64 = document["files"].as_array().unwrap().iter().map(|file| file["rows"].as_u64().unwrap()).sum();
    for (file, rows) in files {
        assert_eq!(desk.sheet(file).rows.len(), *rows, "{file}");
    }
    assert_eq!(written, files.iter().map(|(_, rows)| *rows as u64).sum::<u64>());
    assert_eq!(counts(&document).iter().sum::<u64>(), document["checked"].as_u64().unwrap());
}

#[test]
fn columns_of_the_list_and_of_the_check_can_be_chosen() {
    let desk = desk();
    desk.done(&["check", "list.csv", "--first", "2", "--columns", "Result=verdict,Mail=email", "-o", "out.csv"]);
    assert_eq!(desk.text("out.csv"), "Result,Mail\nvalid,ida@post.example\nrisky,INFO@post.example\n");
}

#[test]
fn without_an_answer_everything_is_unknown_and_that_is_an_error_only_if_asked_for() {
    let desk = desk();
    let server = DnsServer::begin(Zone { knows_no_root: true, ..Zone::default() }).unwrap();
    let document = by_domain(&desk, &server, &["-o", "out.csv"]);
    // What is no address needs nobody's answer.
    assert_eq!(counts(&document), [0, 1, 2, 4]);
    assert_eq!(document["findings"][0]["code"], "network");
    let address = server.address().to_string();
    let strict = desk.run(&["check", "list.csv", "--level", "domain", "--resolver", &address, "--strict"]);
    assert_eq!(strict.status, 1, "{}", strict.stdout);
    assert!(strict.stdout.contains("does not know the internet"), "{}", strict.stdout);
}

#[rstest]
#[case::a_level(&["--level", "deep"], 2, "syntax, domain or mailbox")]
#[case::a_server(&["--resolver", "nowhere"], 2, "127.0.0.1:5300")]
#[case::an_age(&["--max-age", "long"], 2, "30d")]
#[case::a_verdict(&["--only", "good", "-o", "out.csv"], 2, "risky")]
#[case::the_list_itself(&["-o", "list.csv", "--replace"], 1, "written over")]
#[case::a_column(&["--columns", "Town", "-o", "out.csv"], 1, "Town")]
fn wrong_use_is_named(#[case] how: &[&str], #[case] status: i32, #[case] says: &str) {
    let desk = desk();
    let ran = desk.run(&[&["check", "list.csv"], how].concat());
    assert_eq!(ran.status, status, "{}", ran.stdout);
    assert!(ran.stderr.contains(says), "{}", ran.stderr);
    assert_eq!(desk.text("list.csv"), LIST);
}

#[test]
fn people_who_must_not_be_contacted_are_counted_among_the_rows_written() {
    let desk = desk();
    desk.done(&["bank", "add", "ida@post.example", "--as", "opted-out"]);
    let document = desk.json(&["check", "list.csv", "-o", "out.csv"]);
    let text = document["findings"][0]["text"].as_str().unwrap();
    assert!(text.contains("must not be contacted"), "{text}");
}

#[test]
fn addresses_for_somebody_else_to_check_stand_once_each_without_those_that_are_refused_already() {
    let (desk, server) = (desk(), server());
    let document = by_domain(&desk, &server, &["--to-check", "ask.csv", "--price", "0.5"]);
    assert_eq!(document["to_check"], 3);
    assert_eq!(desk.text("ask.csv"), "email\nida@post.example\ninfo@post.example\nwren@broken.example\n");
    let said = desk.done(&["check", "list.csv", "--to-check", "all.csv", "--price", "0.004"]).stdout;
    assert!(said.contains("3 addresses to be checked by somebody else, 0.01 at 0.004 each"), "{said}");
}

/// A job that asks for verdicts, and a list whose domains were looked up on a day.
fn checked_job(rules: &str) -> (Desk, DnsServer) {
    let (desk, server) = (desk(), server());
    by_domain(&desk, &server, &[]);
    let job = job_with(&format!("[check]\n{rules}\n")).replace("shop.csv", "list.csv");
    desk.file("job.toml", job);
    (desk, server)
}

#[test]
fn a_run_goes_by_what_was_found_and_asks_nobody() {
    let (desk, server) = checked_job("set_aside = [\"invalid\"]\ntag = \"doubtful\"");
    let before = server.questions();
    let tally = desk.json(&["run", "job.toml"]);
    assert_eq!(server.questions(), before);
    let out = desk.sheet("out.csv");
    assert_eq!(out.columns(["full_name", "tags"]), [["Ida", ""], ["Office", "doubtful"], ["Wren", ""]]);
    let aside = desk.sheet("fair.receipt/set-aside.csv");
    let failed: Vec<_> = aside
        .columns(["Name", "pebblebank_reason", "pebblebank_details"])
        .into_iter()
        .filter(|row| row[1] == "failed-check")
        .collect();
    assert_eq!(failed.len(), 1);
    assert!(failed[0][0] == "Hugo" && failed[0][2].starts_with("no-such-domain ("), "{failed:?}");
    // Wren's domain gave no answer, so there is no verdict on it.
    assert_eq!((&tally["check"]["set_aside"], &tally["check"]["without_verdict"]), (&json!(1), &json!(1)));
    let said = tally["findings"].as_array().unwrap().iter().find(|finding| finding["code"] == "no-verdict").unwrap();
    assert!(said["text"].as_str().unwrap().contains("pebblebank check out.csv --level domain"), "{said}");
}

#[rstest]
#[case::too_old("max_age = \"30d\"\nset_aside = [\"invalid\"]", "2027-12-31", &["Ida", "Office", "Hugo", "Wren"])]
#[case::unknown_too("set_aside = [\"invalid\", \"unknown\"]", "", &["Ida", "Office"])]
#[case::risky_too("set_aside = [\"risky\"]", "", &["Ida", "Hugo", "Wren"])]
#[case::only_counted("", "", &["Ida", "Office", "Hugo", "Wren"])]
fn a_job_says_which_verdicts_count_and_for_how_long(#[case] rules: &str, #[case] today: &str, #[case] names: &[&str]) {
    let (desk, _server) = checked_job(rules);
    if !today.is_empty() {
        let job = desk.text("job.toml").replace("name = \"fair\"", &format!("name = \"fair\"\ntoday = \"{today}\""));
        desk.file("job.toml", job);
    }
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").column("full_name"), names);
}

#[test]
fn preflight_knows_what_a_check_found() {
    let (desk, server) = (desk(), server());
    desk.file("list.csv", "Email,Name\nida@post.example,Ida\nhugo@gone.example,Hugo\n");
    assert_eq!(desk.run(&["preflight", "list.csv"]).status, 0);
    by_domain(&desk, &server, &[]);
    let ran = desk.run(&["preflight", "list.csv", "--json"]);
    let document: Value = serde_json::from_str(&ran.stdout).unwrap();
    let problem = &document["problems"][0];
    assert_eq!((ran.status, &problem["code"], &problem["examples"]), (3, &json!("no-such-domain"), &json!([3])));
}

#[rstest]
#[case::a_level("level = \"deep\"", "deep")]
#[case::an_age("max_age = \"soon\"", "soon")]
#[case::a_verdict("set_aside = [\"valid\"]", "valid")]
#[case::a_tag("tag = \"a; b\"", "a; b")]
fn what_a_job_cannot_mean_is_an_error_with_its_line(#[case] rules: &str, #[case] says: &str) {
    let desk = desk();
    desk.file("job.toml", job_with(&format!("[check]\n{rules}\n")).replace("shop.csv", "list.csv"));
    let ran = desk.run(&["run", "job.toml"]);
    assert_eq!(ran.status, 2, "{}", ran.stdout);
    assert!(ran.stderr.contains(says) && ran.stderr.contains("line"), "{}", ran.stderr);
}
