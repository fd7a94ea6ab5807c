//! `check --level mailbox`, and verdicts that a checking service sends back: what is known is kept, used, and never asked for twice.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::shop::refused;
use common::{Desk, Ran, job_with};
use pebblebank_standin::dns::{DnsServer, Zone};
use pebblebank_standin::smtp::{MailWorld, SmtpServers};
use rstest::rstest;
use serde_json::{Value, json};
use std::process::{Command, Stdio};
use std::time::Duration;

const LIST: &str = "Email,Name\n\
    ida@post.example,Ida\n\
    hugo@post.example,Hugo\n\
    IDA@post.example,Ida again\n\
    wren@all.example,Wren\n\
    bo@gone.example,Bo\n";

const MAIL: &str = "\"post.example\" = { knows = [\"ida\"] }\n\"all.example\" = { how = \"accepts-all\" }\n";

/// Mail servers, and the DNS that names them.
struct Net {
    mail: SmtpServers,
    dns: DnsServer,
}

impl Net {
    fn of(mail: &str) -> Net {
        let mail = SmtpServers::begin(&MailWorld::from_toml(mail).unwrap()).unwrap();
        let dns = DnsServer::begin(Zone::default().with_mail_servers(mail.addresses())).unwrap();
        Net { mail, dns }
    }

    fn options(&self) -> Vec<String> {
        let (dns, port) = (self.dns.address().to_string(), self.mail.port().to_string());
        ["--level", "mailbox", "--hello", "desk.example", "--resolver", &dns, "--mail-port", &port]
            .into_iter()
            .chain(["--per-minute", "6000", "--mail-patience", "2", "--patience", "1", "--asks-again-after", "1"])
            .map(str::to_owned)
            .collect()
    }

    /// The document of a check by mail servers.
    fn check(&self, desk: &Desk, more: &[&str]) -> Value {
        let options = self.options();
        let options: Vec<&str> = options.iter().map(String::as_str).collect();
        desk.json(&[&["check", "list.csv"], options.as_slice(), more].concat())
    }
}

fn desk() -> Desk {
    Desk::with(&[("list.csv", LIST)])
}

fn why(desk: &Desk, file: &str) -> Vec<String> {
    desk.sheet(file).columns(["Name", "verdict", "why"]).iter().map(|row| row.join(" ")).collect()
}

#[test]
fn each_row_gets_what_its_mail_server_says_of_it_and_each_mailbox_is_asked_for_once() {
    let (desk, net) = (desk(), Net::of(MAIL));
    let document = net.check(&desk, &["-o", "out.csv"]);
    assert_eq!(document["mailboxes"], json!({ "remembered": 0, "asked": 3, "answered": 3 }));
    assert_eq!(
        why(&desk, "out.csv"),
        [
            "Ida valid mailbox-exists",
            "Hugo invalid no-such-mailbox",
            "Ida again valid mailbox-exists; duplicate",
            "Wren risky accepts-all",
            "Bo invalid no-such-domain",
        ]
    );
    assert_eq!(
        net.check(&desk, &["--to-check", "rest.csv", "--max-age", "0d"])["to_check"],
        0,
        "all were just checked"
    );
    let asked = net.mail.commands().iter().filter(|line| line.contains("<ida@")).count() - 1;
    assert_eq!(asked, 1);
    let again = net.check(&desk, &["-o", "again.csv"]);
    assert_eq!(again["mailboxes"], json!({ "remembered": 3, "asked": 0, "answered": 0 }));
    assert_eq!(why(&desk, "again.csv"), why(&desk, "out.csv"));
    // What is known counts at every level.
    desk.done(&["check", "list.csv", "-o", "syntax.csv"]);
    assert_eq!(why(&desk, "syntax.csv"), why(&desk, "out.csv"));
}

#[test]
fn mail_servers_are_asked_only_with_a_name_to_greet_them() {
    refused(&desk().run(&["check", "list.csv", "--level", "mailbox"]), 2, "--hello");
}

#[test]
fn the_first_time_says_when_asking_is_appropriate() {
    let (desk, net) = (desk(), Net::of(MAIL));
    let options = net.options();
    let options: Vec<&str> =
        [&["check", "list.csv"], options.iter().map(String::as_str).collect::<Vec<_>>().as_slice()].concat();
    let said = |ran: &Ran| ran.stderr.contains("Ask only about people whom");
    assert!(said(&desk.done(&options)));
    assert!(!said(&desk.done(&options)));
}

#[test]
fn somebody_who_was_forgotten_leaves_no_verdict_behind() {
    let (desk, net) = (desk(), Net::of(MAIL));
    desk.done(&["bank", "forget", "hugo@post.example", "--yes"]);
    net.check(&desk, &[]);
    desk.done(&["bank", "forget", "ida@post.example", "--yes"]);
    for name in ["hugo@post.example", "ida@post.example"] {
        assert_eq!(desk.json(&["bank", "find", name])["verdict"], Value::Null);
    }
    assert_eq!(desk.json(&["bank", "find", "wren@all.example"])["verdict"]["why"], "accepts-all");
}

/// A run goes by what is remembered, and asks nobody.
#[rstest]
#[case("mailbox", 1)]
#[case("domain", 0)]
fn a_run_sets_aside_whom_a_check_found_dead(#[case] level: &str, #[case] without: u64) {
    let (desk, net) = (desk(), Net::of(MAIL));
    net.check(&desk, &[]);
    desk.file("list.csv", LIST.replace("bo@gone.example,Bo", "new@post.example,New"));
    let asked = net.mail.commands().len();
    desk.file(
        "job.toml",
        job_with(&format!("[check]\nset_aside = [\"invalid\"]\nlevel = \"{level}\"\n")).replace("shop.csv", "list.csv"),
    );
    let tally = desk.json(&["run", "job.toml"]);
    let out = desk.sheet("out.csv");
    let written: Vec<&str> = out.column("email");
    assert_eq!(written, ["ida@post.example", "wren@all.example", "new@post.example"]);
    assert_eq!(tally["check"]["without_verdict"], without);
    assert_eq!(net.mail.commands().len(), asked);
}

#[test]
fn whoever_stops_it_gets_what_is_known_and_goes_on_from_there() {
    let net = Net::of("\"a.example\" = { knows = [\"ida\"] }\n\"post.example\" = { how = \"silent\" }\n");
    let desk = Desk::with(&[("list.csv", "Email,Name\nida@a.example,Ida\nhugo@post.example,Hugo\n")]);
    let mut options = net.options();
    let patience = options.iter().position(|option| option == "--mail-patience").unwrap();
    options[patience + 1] = "120".to_owned();
    let mut command: Command = desk.command(&["check", "list.csv", "-o", "out.csv"]);
    let child =
        command.args(&options).stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let asked = || net.mail.commands().iter().any(|line| line.starts_with("QUIT"));
    while !asked() {
        std::thread::sleep(Duration::from_millis(20));
    }
    std::thread::sleep(Duration::from_millis(300));
    assert!(Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap().success());
    let ran = Ran::of(&child.wait_with_output().unwrap());
    assert_eq!(ran.status, 130, "{}", ran.stderr);
    assert!(ran.stdout.contains("Stopped"), "{}", ran.stdout);
    assert_eq!(why(&desk, "out.csv"), ["Ida valid mailbox-exists", "Hugo unknown not-reached"]);
    assert_eq!(desk.json(&["bank", "find", "ida@a.example"])["verdict"]["why"], "mailbox-exists");
}

const RESULTS: &str = "address;Result;Reason\n\
    ida@post.example;deliverable;accepted_email\n\
    hugo@post.example;undeliverable;rejected_email\n\
    wren@all.example;Catch-All;low_deliverability\n\
    bo@gone.example;;\n";

#[test]
fn what_is_given_out_to_be_checked_comes_back_and_is_not_given_out_again() {
    let desk = desk();
    desk.file("results.csv", RESULTS);
    let document = desk.json(&["check", "list.csv", "--to-check", "to-check.csv"]);
    assert_eq!(document["to_check"], 4);
    assert_eq!(desk.sheet("to-check.csv").rows.len(), 4);
    let loaded = desk.json(&["bank", "load", "results.csv", "--as", "verdicts"]);
    assert_eq!(
        (&loaded["came_back"], &loaded["still_awaited"], &loaded["column"]),
        (&json!(3), &json!(1), &json!("Result"))
    );
    desk.done(&["check", "list.csv", "-o", "out.csv", "--to-check", "rest.csv"]);
    assert_eq!(desk.sheet("rest.csv").column("email"), ["bo@gone.example"]);
    assert_eq!(
        why(&desk, "out.csv"),
        [
            "Ida valid reported-valid",
            "Hugo invalid reported-invalid",
            "Ida again valid reported-valid; duplicate",
            "Wren risky accepts-all",
            "Bo valid well-formed",
        ]
    );
}

#[test]
fn a_part_of_a_list_gives_out_its_own_addresses_although_they_stand_above_it_too() {
    let desk = desk();
    desk.done(&["check", "list.csv", "--where", "full_name is \"Ida again\"", "--to-check", "to-check.csv"]);
    assert_eq!(desk.sheet("to-check.csv").column("email"), ["ida@post.example"]);
}

#[rstest]
#[case::word_not_known("email,status\nida@post.example,purple\nhugo@post.example,valid\n", &[], 1, "\"purple\" (1)")]
#[case::no_column("email,colour\nida@post.example,blue\n", &[], 1, "no column has words of an address check")]
#[case::two_columns("email,Status,Validity\nida@post.example,valid,invalid\n", &[], 1, "--status \"Status\"")]
#[case::own_word("email,status\nida@post.example,active\n", &[], 1, "no column has words")]
#[case::other_list("email,status\nx@a.example,valid\ny@a.example,valid\nida@post.example,valid\n", &[], 3, "other-results")]
#[case::other_option("email,status\nida@post.example,valid\n", &["--scope", "larkfold"], 2, "--scope")]
fn results_that_are_not_understood_change_nothing(
    #[case] results: &str,
    #[case] more: &[&str],
    #[case] status: i32,
    #[case] says: &str,
) {
    let desk = desk();
    desk.done(&["check", "list.csv", "--to-check", "to-check.csv"]);
    desk.file("results.csv", results);
    refused(&desk.run(&[&["bank", "load", "results.csv", "--as", "verdicts"], more].concat()), status, says);
    assert_eq!(desk.json(&["bank"])["verdicts"], json!({ "mailboxes": 0, "domains": 0, "awaited": 4 }));
}

#[rstest]
#[case::meant("email,status\nx@a.example,valid\n", &["--accept", "other-results"], "x@a.example", "reported-valid")]
#[case::own_word("email,status\nida@post.example,purple\n", &["--status-means", "purple=risky"], "ida@post.example", "reported-risky")]
#[case::yes_and_no("email,Is Valid\nida@post.example,TRUE\nhugo@post.example,false\n", &[], "hugo@post.example", "reported-invalid")]
#[case::in_german("email,Ergebnis\nida@post.example,unzustellbar\n", &[], "ida@post.example", "reported-invalid")]
#[case::contradicting("email,status\nida@post.example,valid\nida@post.example,invalid\n", &[], "ida@post.example", "reported-unknown")]
fn results_are_read_in_whatever_words(
    #[case] results: &str,
    #[case] more: &[&str],
    #[case] address: &str,
    #[case] why: &str,
) {
    let desk = desk();
    desk.done(&["check", "list.csv", "--to-check", "to-check.csv"]);
    desk.file("results.csv", results);
    desk.done(&[&["bank", "load", "results.csv", "--as", "verdicts"], more].concat());
    assert_eq!(desk.json(&["bank", "find", address])["verdict"]["why"], why);
}

#[test]
fn what_leaving_out_the_invalid_ones_saves_is_said() {
    let ran = desk().done(&["check", "list.csv", "--steps", "2,3,8"]);
    assert!(ran.stdout.contains("4 different addresses: the step up to 8; none of them is invalid."), "{}", ran.stdout);
    let (desk, net) = (desk(), Net::of(MAIL));
    net.check(&desk, &[]);
    let ran = desk.done(&["check", "list.csv", "--steps", "2,3,8"]);
    let expected = "4 different addresses: the step up to 8; without the 2 invalid ones: 2, the step up to 2.";
    assert!(ran.stdout.contains(expected), "{}", ran.stdout);
}
