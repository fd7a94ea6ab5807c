//! The bank, as its users meet it: adding, loading, taking back, finding, forgetting, and what runs see of it.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::shop::{SHOP, desk, held, refused, with_keys, written};
use common::{Ran, job_with, provider};
use rstest::rstest;
use serde_json::Value;

#[rstest]
#[case::an_address("Ann@Post.example", &["ann@post.example"])]
#[case::a_domain("@hotel.example", &["cy@hotel.example"])]
#[case::a_phone_number("+44 20 7946 0004", &["dot@work.example"])]
#[case::a_digest("7d6be4e4c0e3cb3b4a0f3a3a7d7ac2b1", &[])]
fn what_is_added_holds_in_every_command_until_it_is_removed(#[case] value: &str, #[case] meant: &[&str]) {
    let desk = desk();
    desk.done(&["bank", "add", value]);
    assert_eq!(held(&desk), meant);
    let clean = written(&desk, &["clean", "shop.csv", "-o", "out.csv"]);
    let suppressed = written(&desk, &["suppress", "shop.csv", "-o", "out.csv"]);
    let topped = {
        desk.file("master.csv", "email,phone,Status\nold@post.example,,\n");
        let all = written(&desk, &["top-up", "master.csv", "--from", "shop.csv", "-o", "out.csv"]);
        all[1..].to_vec()
    };
    for written in [clean, suppressed, topped] {
        assert_eq!(written.len(), 4 - meant.len(), "{written:?}");
    }
    desk.done(&["bank", "remove", value]);
    assert_eq!(held(&desk), [""; 0]);
}

#[test]
fn without_the_bank_nobody_is_held_and_the_account_says_so() {
    let desk = desk();
    desk.done(&["bank", "add", "ann@post.example"]);
    let tally = desk.json(&["run", "job.toml", "--without-bank"]);
    assert_eq!((&tally["bank"]["applied"], &tally["bank"]["switched_off"]), (&false.into(), &true.into()));
    assert!(tally["findings"].as_array().unwrap().iter().any(|finding| finding["code"] == "without-bank"));
    assert_eq!(tally["all"]["written"], 4);
    desk.file("shop.csv", SHOP.replace("+442079460001,subscribed", "+4420,frozen,shifted,cells"));
    let text = desk.done(&["run", "job.toml", "--without-bank", "--replace"]).stdout;
    let first = text.lines().skip_while(|line| !line.contains("Worth a look")).nth(1);
    assert!(first.is_some_and(|line| line.contains("the bank was left out")), "before all else: {text}");
    assert!(desk.text("fair.receipt/tally.json").contains("\"switched_off\": true"));
}

#[test]
fn an_entry_of_a_scope_counts_there_alone_and_a_new_scope_must_be_meant() {
    let desk = desk();
    refused(&desk.run(&["bank", "add", "ann@post.example", "--scope", "larkfold"]), 2, "--new-scope");
    desk.done(&["bank", "add", "ann@post.example", "--scope", "larkfold", "--new-scope"]);
    desk.done(&["bank", "add", "ben@post.example"]);
    desk.done(&["bank", "add", "cy@hotel.example", "--scope", "quillmere", "--new-scope"]);
    for (scope, meant) in [
        ("Larkfold", vec!["ann@post.example", "ben@post.example"]),
        ("quillmere", vec!["ben@post.example", "cy@hotel.example"]),
        ("everyone", vec!["ben@post.example"]),
    ] {
        desk.file("job.toml", with_keys(&format!("scope = \"{scope}\"")));
        assert_eq!(held(&desk), meant, "{scope}");
    }
    desk.file("job.toml", with_keys("scope = \"larkfol\""));
    refused(&desk.run(&["run", "job.toml", "--replace"]), 2, "did you mean \"larkfold\"?");
    desk.file("job.toml", job_with(""));
    let tally = desk.json(&["run", "job.toml", "--replace"]);
    assert!(tally["findings"].as_array().unwrap().iter().any(|finding| finding["code"] == "bank"));
}

#[test]
fn a_load_shows_what_it_would_do_and_changes_nothing_until_it_is_answered() {
    let desk = desk();
    desk.file("job.toml", with_keys("scope = \"everyone\""));
    desk.done(&["run", "job.toml"]);
    desk.file("no.csv", "email,Note\nann@post.example,x\nANN@post.example,x\n,blank\nnot an address,x\nhotel.example,x\nnew@far.example,x\n");
    desk.done(&["bank", "add", "new@far.example", "--as", "opted-out"]);
    let load = ["bank", "load", "no.csv", "--as", "opted-out"];
    let would = desk.json(&[&load[..], &["--dry-run"]].concat());
    let seen = &would["seen"];
    assert_eq!(["entries", "new", "known"].map(|key| seen[key].as_u64().unwrap()), [4, 3, 1]);
    assert_eq!((&would["files"][0]["blank"], &would["files"][0]["unusable"]), (&1.into(), &1.into()));
    assert_eq!((&seen["held"][0]["contacts"], &seen["held"][0]["held"]), (&4.into(), &2.into()));
    refused(&desk.run(&load), 2, "nobody to ask");
    refused(
        &desk.run(&[&load[..], &["--yes", "--expect", "5"]].concat()),
        3,
        "4 entries were read, and 5 were expected",
    );
    assert_eq!(held(&desk), [""; 0]);
    desk.done(&[&load[..], &["--yes", "--expect", "4", "--take-out", "take-out.csv"]].concat());
    assert_eq!(desk.sheet("take-out.csv").column("email"), ["ann@post.example", "cy@hotel.example"]);
    assert_eq!(held(&desk), ["ann@post.example", "cy@hotel.example"]);
    refused(&desk.run(&[&load[..], &["--yes"]].concat()), 3, "--again");
    let batches = desk.json(&["bank", "batches"]);
    let number = batches["batches"].as_array().unwrap().iter().find(|batch| batch["file"] == "no.csv").unwrap()["id"]
        .to_string();
    desk.done(&["bank", "undo", &number]);
    assert_eq!(held(&desk), [""; 0]);
    refused(&desk.run(&["bank", "undo", &number]), 2, "taken back already");
    desk.done(&[&load[..], &["--yes"]].concat());
    assert_eq!(held(&desk), ["ann@post.example", "cy@hotel.example"]);
}

#[test]
fn everything_known_of_an_address_is_found_also_by_its_domain() {
    let desk = desk();
    desk.done(&["bank", "add", "hotel.example", "--note", "the owner asked"]);
    desk.done(&["bank", "add", "cy@hotel.example", "--as", "bounced"]);
    let found = desk.json(&["bank", "find", "CY@hotel.example"]);
    assert_eq!((&found["held"], &found["entries"][0]["what"]), (&true.into(), &"bounced".into()));
    assert_eq!(found["by_domain"][0]["note"], "the owner asked");
    let text = desk.done(&["bank", "find", "cy@hotel.example"]).stdout;
    assert!(text.starts_with("cy@hotel.example must not be contacted"), "{text}");
    assert!(desk.done(&["bank", "find", "x@far.example"]).stdout.contains("knows nothing"));
    let listed = desk.json(&["bank", "list", "--where", "reason is bounced and added since 2020-01-01"]);
    assert_eq!(listed["count"], 1);
    refused(&desk.run(&["bank", "list", "--where", "reasn is bounced"]), 2, "did you mean reason?");
}

#[test]
fn what_was_sent_is_not_sent_again_nor_too_often() {
    let desk = desk();
    let job = |name: &str, more: &str| {
        let job = with_keys(&format!("scope = \"everyone\"\ncampaign = \"{name}\""))
            .replace("\"fair\"", &format!("\"{name}\""));
        desk.file("job.toml", format!("{job}{more}"));
    };
    job("spring", "[select]\nfirst = 2\n");
    desk.done(&["run", "job.toml"]);
    assert_eq!(held(&desk).len(), 2, "prepared is not sent");
    desk.done(&["bank", "sent", "spring.receipt"]);
    refused(&desk.run(&["bank", "sent", "spring.receipt"]), 2, "sent already");
    job("spring", "");
    assert_eq!(held(&desk), ["ann@post.example", "ben@post.example"]);
    job("summer", "");
    assert_eq!(held(&desk), [""; 0]);
    desk.file("sent.csv", "email\nann@post.example\n");
    desk.done(&["bank", "load", "sent.csv", "--as", "sent", "--campaign", "news", "--yes"]);
    job("summer", "[limits]\nat_most = 2\nper_days = 7\n");
    assert_eq!(held(&desk), ["ann@post.example"]);
    assert_eq!(desk.sheet("summer.receipt/set-aside.csv").column("pebblebank_reason"), ["too-often"]);
    refused(&desk.run(&["bank", "sent", "nowhere.receipt"]), 1, "nowhere.receipt");
}

#[test]
fn what_the_same_job_prepared_before_is_replaced_and_not_kept() {
    let desk = desk();
    desk.file("job.toml", with_keys("scope = \"everyone\""));
    desk.done(&["run", "job.toml"]);
    desk.file("shop.csv", "email\nann@post.example\n");
    desk.done(&["run", "job.toml", "--replace"]);
    let counts = desk.json(&["bank"]);
    assert_eq!((&counts["entries"][0]["what"], &counts["entries"][0]["entries"]), (&"prepared".into(), &1.into()));
    assert!(desk.done(&["bank", "find", "ben@post.example"]).stdout.contains("knows nothing"));
    let bytes = desk.bytes("data/pebblebank/bank.sqlite");
    assert!(!bytes.windows(16).any(|window| window == b"ben@post.example"));
    assert!(desk.run(&["clean", "shop.csv", "-o", "out.csv", "--only-duplicates", "--replace"]).status == 0);
}

#[test]
fn a_run_teaches_the_bank_who_refused_and_bounced() {
    let desk = desk();
    desk.file(
        "shop.csv",
        SHOP.replace("ann@post.example,+442079460001,subscribed", "ann@post.example; anna@work.example,,unsubscribed")
            .replace("ben@post.example,,subscribed", "ben@post.example,,bounced"),
    );
    let job = format!("{}[remember]\nopted_out = true\nbounced = true\n", job_with(""));
    desk.file("job.toml", job);
    let done = desk.json(&["run", "job.toml"]);
    assert_eq!(done["remembered"]["refused"].as_array().unwrap().len(), 2);
    let again = desk.json(&["run", "job.toml", "--replace"]);
    assert_eq!(again["remembered"]["refused"].as_array().unwrap().len(), 0, "nothing new");
    for (address, what) in
        [("anna@work.example", "opted-out"), ("ann@post.example", "opted-out"), ("ben@post.example", "bounced")]
    {
        let found = desk.json(&["bank", "find", address]);
        assert_eq!((&found["held"], &found["entries"][0]["what"]), (&true.into(), &what.into()), "{address}");
    }
}

#[test]
fn soft_bounces_hold_after_three_within_thirty_days() {
    let desk = desk();
    let load = |name: &str, text: &str| {
        desk.file(name, text);
        desk.done(&["bank", "load", name, "--as", "bounced", "--yes"]);
    };
    load(
        "1.csv",
        "email,Status,Date\nann@post.example,4.2.2,2026-01-01\nben@post.example,soft bounce,2026-01-01\ndot@work.example,5.1.1,2026-01-01\n",
    );
    load("2.csv", "email,Status,Date\nann@post.example,4.2.2,2026-01-10\nben@post.example,soft bounce,2026-01-20\n");
    assert_eq!(held(&desk), ["dot@work.example"]);
    load("3.csv", "email,Status,Date\nann@post.example,4.2.2,2026-01-31\nben@post.example,soft bounce,2026-03-20\n");
    assert_eq!(held(&desk), ["ann@post.example", "dot@work.example"]);
}

#[test]
fn values_come_from_standard_input_line_by_line_or_as_json() {
    let desk = desk();
    let input = b"ann@post.example\n{\"value\": \"cy@hotel.example\", \"until\": \"2099-01-01\"}\nnonsense\n";
    let ran = desk.run_with_input(&["bank", "add", "-", "--json"], input);
    refused(&ran, 1, "1 value is neither an address nor a domain nor a phone number");
    let done: Value = serde_json::from_str(&ran.stdout).unwrap();
    assert_eq!((&done["seen"]["entries"], &done["unreadable"][0]), (&2.into(), &"nonsense".into()));
    assert_eq!(held(&desk), ["ann@post.example", "cy@hotel.example"]);
    let both = desk.json(&["bank", "add", "Dot <dot@work.example>; x@far.example"])["batch"]["id"].to_string();
    assert_eq!(desk.json(&["bank", "find", "x@far.example"])["held"], true, "every address of a value counts");
    desk.done(&["bank", "undo", &both]);
    let late = b"ben@post.example\n{\"value\": \"x@far.example\", \"until\": \"2020-01-01\"}\n";
    let ran = desk.run_with_input(&["bank", "add", "-"], late);
    refused(&ran, 2, "2020-01-01 is past");
    assert!(ran.stderr.contains("standard input") && ran.stderr.contains('2'), "{}", ran.stderr);
    assert_eq!(held(&desk), ["ann@post.example", "cy@hotel.example"], "nothing of it went in");
}

#[rstest]
#[case::a_number_that_lacks_a_digit("phone", "0171 392001", "+491713920012", [0, 1])]
#[case::the_same_digits("phone", "0171 392001", "0171/392001", [1, 0])]
#[case::an_address_with_a_typo("email", "barbara@@moss.example", "barbara@moss.example", [0, 1])]
#[case::an_address_without_its_end("email", "bob@moss", "BOB@moss", [1, 0])]
fn a_refusal_that_cannot_be_read_is_kept_as_it_stands(
    #[case] field: &str,
    #[case] refused: &str,
    #[case] meant: &str,
    #[case] suppressed_and_close: [u64; 2],
) {
    let desk = desk();
    let load = |file: &str, header: &str| {
        let by_phone = (field == "phone").then_some("--by-phone");
        let column = format!("{field}={header}");
        let load = ["bank", "load", file, "--as", "opted-out", "--country", "DE", "--yes", "--field", &column];
        desk.json(&load.into_iter().chain(by_phone).collect::<Vec<_>>())
    };
    let readable = if field == "phone" { "+442079460001" } else { "somebody@far.example" };
    desk.file("no.csv", format!("{field}\n{refused}\n{readable}\n"));
    let loaded = load("no.csv", field);
    assert_eq!((&loaded["batch"]["entries"], &loaded["files"][0]["unusable"]), (&2.into(), &1.into()));
    desk.file("shop.csv", format!("{field},city\n{meant},Reed\n"));
    let keys = "[job]\nscope = \"everyone\"\ncountry = \"DE\"";
    desk.file("job.toml", job_with("[require]\nfields = []\n").replace("[job]", keys));
    let met = || {
        let tally = desk.json(&["run", "job.toml", "--replace"]);
        let suppressed = &tally["all"]["set_aside_by_reason"]["opted-out"];
        [suppressed.as_u64().unwrap_or(0), tally["near_misses"]["pairs"].as_u64().unwrap()]
    };
    assert_eq!(met(), suppressed_and_close);
    assert_eq!(desk.json(&["bank", "find", refused])["held"], true);
    // It goes out and comes in again as it stands.
    desk.done(&["bank", "export", "all.csv", "--where", "reason is opted-out"]);
    desk.done(&["bank", "undo", &loaded["batch"]["id"].to_string()]);
    assert_eq!(met()[1], 0);
    load("all.csv", "value");
    assert_eq!(met(), suppressed_and_close);
    // Forgotten, it is compared by its hash, which nothing is close to.
    desk.done(&["bank", "forget", refused, "--yes"]);
    assert_eq!(met(), [suppressed_and_close[0], 0]);
}

#[rstest]
#[case::numbers_without_a_country("phone\n+442079460001\n0171 3920012\n", &["--by-phone"], "--country")]
#[case::another_column("Name,Address,E-Mail\nAnn Moss,1 High Street,\nBo Reed,2 Low Lane,\n", &["--field", "email=Name"], "--field")]
#[case::fewer_than_half_can_be_read("email\nann@post.example\nbo@post\ncy@post\n", &[], "(rows 3, 4), beside 1 that can be read")]
fn a_list_that_is_mostly_unreadable_stops_the_load(#[case] list: &str, #[case] options: &[&str], #[case] says: &str) {
    let desk = desk();
    desk.file("no.csv", list);
    let load = [&["bank", "load", "no.csv", "--as", "opted-out", "--yes"][..], options].concat();
    for load in [load.clone(), [&load[..], &["--dry-run"]].concat()] {
        let ran = desk.run(&load);
        refused(&ran, 3, "unread-entries");
        assert!(ran.stderr.contains(says), "{}", ran.stderr);
    }
    assert!(held(&desk).is_empty(), "nothing went in");
    desk.done(&[&load[..], &["--accept", "unread-entries"]].concat());
}

#[test]
fn a_list_of_phone_numbers_alone_is_said_to_be_one() {
    let desk = desk();
    desk.file("no.csv", "phone\n020 7946 0001\n");
    refused(&desk.run(&["bank", "load", "no.csv", "--as", "opted-out", "--yes"]), 1, "--by-phone");
    let suppress = ["suppress", "shop.csv", "--against", "no.csv", "-o", "left.csv"];
    refused(&desk.run(&suppress), 1, "--by phone");
}

#[rstest]
#[case::words("phone\n0171 3920012\nsee her file\n", true)]
#[case::no_number_at_all("phone\n0171 3920012\n-\n", false)]
#[case::not_even_digits("phone\n0171 3920012\n017\n", true)]
fn a_refusal_that_cannot_even_be_kept_stops_the_load(#[case] list: &str, #[case] stops: bool) {
    let desk = desk();
    desk.file("no.csv", list);
    let mut load = vec!["bank", "load", "no.csv", "--as", "opted-out", "--by-phone", "--country", "DE", "--yes"];
    if stops {
        let ran = desk.run(&load);
        refused(&ran, 3, "(row 3), so whoever is meant could still be written");
        assert!(ran.stderr.contains("no.csv"), "{}", ran.stderr);
        load.extend(["--accept", "unread-entries"]);
    }
    assert_eq!(desk.json(&load)["batch"]["entries"], 1);
}

#[test]
fn an_export_of_everything_gives_each_load_its_own_rows() {
    let desk = desk();
    desk.file("all.csv", "email,Code,Status\nann@post.example,512,unsubscribed\nben@post.example,421,bounced\ncy@hotel.example,1,subscribed\n");
    let load = |what: &str| desk.json(&["bank", "load", "all.csv", "--as", what, "--yes"])["batch"]["entries"].clone();
    assert_eq!((load("opted-out"), load("bounced")), (1.into(), 1.into()));
    desk.file("codes.csv", "email,Code\nann@post.example,512\nben@post.example,421\n");
    let codes = desk.json(&["bank", "load", "codes.csv", "--as", "opted-out", "--yes"]);
    assert_eq!((&codes["batch"]["entries"], &codes["something_else"]), (&2.into(), &0.into()), "a code is any number");
}

#[rstest]
#[case::a_past_day(&["bank", "add", "x@far.example", "--until", "2020-01-01"], 2, "is past")]
#[case::no_day(&["bank", "add", "x@far.example", "--until", "soon"], 2, "write it as 2026-03-05")]
#[case::no_such_reason(&["bank", "add", "x@far.example", "--as", "opted-ou"], 2, "did you mean opted-out?")]
#[case::nothing_readable(&["bank", "add", "nonsense"], 2, "nothing was changed")]
#[case::two_for_one(&["bank", "find", "ann@post.example; ben@post.example"], 2, "neither an address")]
#[case::no_such_scope(&["bank", "remove", "ann@post.example", "--scope", "larkfold"], 2, "leave --scope out")]
#[case::no_such_batch(&["bank", "undo", "77"], 2, "there is no batch 77")]
#[case::sent_by_hand(&["bank", "add", "x@far.example", "--as", "sent"], 2, "bank load EXPORT --as sent")]
#[case::sent_without_a_mailing(&["bank", "load", "shop.csv", "--as", "sent", "--yes"], 2, "--campaign")]
#[case::a_missing_file(&["bank", "load", "none.csv", "--as", "opted-out", "--yes"], 1, "none.csv")]
#[case::no_column_of_that_name(&["bank", "load", "shop.csv", "--as", "opted-out", "--status", "Stats", "--yes"], 1, "Stats")]
fn wrong_use_says_what_to_do_and_changes_nothing(#[case] arguments: &[&str], #[case] status: i32, #[case] says: &str) {
    let desk = desk();
    desk.done(&["bank", "add", "ann@post.example"]);
    let before = desk.json(&["bank", "batches"]);
    refused(&desk.run(arguments), status, says);
    assert_eq!(desk.json(&["bank", "batches"]), before);
}

#[test]
fn the_bank_is_exported_and_copied_for_its_owner_alone() {
    use std::os::unix::fs::PermissionsExt;
    let desk = desk();
    desk.done(&["bank", "add", "ann@post.example", "hotel.example"]);
    desk.done(&["bank", "export", "all.csv"]);
    assert_eq!(
        desk.sheet("all.csv").columns(["value", "kind"]),
        [["ann@post.example", "address"], ["hotel.example", "domain"]]
    );
    desk.done(&["bank", "backup", "copy.sqlite"]);
    refused(&desk.run(&["bank", "backup", "copy.sqlite"]), 1, "already");
    for name in ["bank.sqlite", "all.csv", "copy.sqlite"] {
        let mode = desk.path(name).metadata().unwrap().permissions().mode() & 0o777;
        assert_eq!(mode, 0o600, "{name}");
    }
    desk.done(&["bank", "forget", "ann@post.example", "--yes"]);
    let found = desk.json(&["bank", "find", "ann@post.example", "--bank", "copy.sqlite"]);
    assert_eq!(found["entries"][0]["what"], "do-not-contact");
}

#[test]
fn a_load_that_is_killed_leaves_nothing_behind() {
    let desk = desk();
    desk.done(&["bank", "add", "ann@post.example"]);
    let rows: String = (0..150_000).map(|number| format!("somebody{number}@far.example\n")).collect();
    desk.file("no.csv", format!("email\n{rows}"));
    let load = ["bank", "load", "no.csv", "--as", "opted-out", "--yes", "--again"];
    let mut killed = 0;
    for milliseconds in [20, 120, 250, 400, 600, 900] {
        let mut child = desk
            .command(&load)
            .stdout(std::process::Stdio::null())
            .stderr(std::process::Stdio::null())
            .spawn()
            .unwrap();
        std::thread::sleep(std::time::Duration::from_millis(milliseconds));
        killed += u32::from(child.try_wait().unwrap().is_none());
        child.kill().unwrap();
        child.wait().unwrap();
        let batches = desk.json(&["bank", "batches"]);
        for batch in batches["batches"].as_array().unwrap().iter().filter(|batch| batch["what"] == "opted-out") {
            let entries = batch["entries"].as_u64().unwrap();
            assert!(entries == 150_000, "half a batch: {batch}");
        }
        assert_eq!(held(&desk), ["ann@post.example"]);
    }
    assert!(killed > 0, "no load was cut off");
    let names: Vec<String> =
        desk.names().into_iter().filter(|name| name.starts_with('.') || name.contains("tmp")).collect();
    assert_eq!(names, [""; 0]);
}

#[test]
fn a_domain_where_the_public_has_its_mailboxes_must_be_meant() {
    let desk = desk();
    let domain = format!("@{}", provider());
    desk.file("no.csv", format!("email\n{domain}\nben@post.example\n"));
    let load = ["bank", "load", "no.csv", "--as", "do-not-contact", "--yes"];
    for refusing in [&["bank", "add", &domain][..], &load[..]] {
        refused(&desk.run(refusing), 3, "--accept mailbox-provider");
        refused(&desk.run(&[refusing, &["--accept", "mailbox-providers"]].concat()), 2, "did you mean");
    }
    assert_eq!(desk.json(&["bank"])["entries"], serde_json::json!([]), "nothing went in");
    desk.done(&[&load[..], &["--accept", "mailbox-provider"]].concat());
    assert_eq!(held(&desk), ["ben@post.example"]);
}

#[test]
fn a_dry_run_leaves_no_bank_and_no_scope_behind() {
    let desk = desk();
    desk.file("no.csv", "email\nben@post.example\n");
    let load = ["bank", "load", "no.csv", "--as", "opted-out", "--scope", "larkfold", "--new-scope", "--dry-run"];
    let would = desk.json(&load);
    assert_eq!((&would["scope"], &would["seen"]["new"]), (&"larkfold".into(), &1.into()));
    assert!(!desk.has("bank.sqlite"));
    desk.done(&["bank", "add", "ann@post.example"]);
    desk.done(&load);
    desk.done(&["run", "job.toml", "--scope", "larkfold", "--new-scope", "--dry-run"]);
    refused(&desk.run(&["bank", "add", "nonsense", "--scope", "larkfold", "--new-scope"]), 2, "nothing was changed");
    refused(
        &desk.run(&["bank", "load", "no.csv", "--as", "opted-out", "--scope", "larkfold", "--yes"]),
        2,
        "--new-scope",
    );
    desk.done(&["run", "job.toml", "--scope", "larkfold", "--new-scope"]);
    desk.done(&["bank", "load", "no.csv", "--as", "opted-out", "--scope", "Larkfold", "--yes"]);
    desk.file("job.toml", with_keys("scope = \"larkfold\""));
    assert_eq!(held(&desk), ["ann@post.example", "ben@post.example"]);
}

#[test]
fn what_says_more_than_the_bank_knows_is_new() {
    let desk = desk();
    let load = |name: &str, text: &str, more: &[&str]| {
        desk.file(name, text);
        let seen = desk.json(&[&["bank", "load", name, "--as", "bounced", "--yes"], more].concat())["seen"].clone();
        [seen["new"].as_u64().unwrap(), seen["known"].as_u64().unwrap()]
    };
    assert_eq!(load("1.csv", "email,Status,Date\nann@post.example,4.2.2,2026-01-01\n", &[]), [1, 0]);
    assert_eq!(load("2.csv", "email,Status,Date,x\nann@post.example,4.2.2,2026-01-01,\n", &[]), [0, 1], "the same day");
    assert_eq!(load("3.csv", "email,Status,Date\nann@post.example,4.2.2,2026-01-05\n", &[]), [1, 0], "another day");
    assert_eq!(load("4.csv", "email,Status\nann@post.example,5.1.1\n", &["--until", "2099-01-01"]), [1, 0], "for good");
    assert_eq!(load("5.csv", "email,Status\nann@post.example,5.1.2\n", &["--until", "2098-01-01"]), [0, 1], "shorter");
    assert_eq!(load("6.csv", "email,Status\nann@post.example,5.1.3\n", &[]), [1, 0], "longer");
    assert_eq!(load("7.csv", "email,Status\nann@post.example,4.2.2\n", &[]), [0, 1], "held anyway");
}

#[test]
fn a_run_teaches_what_bounced_for_good_although_it_bounced_for_now_before() {
    let desk = desk();
    desk.file("soft.csv", "email,Status\nben@post.example,soft bounce\n");
    desk.done(&["bank", "load", "soft.csv", "--as", "bounced", "--yes"]);
    desk.file("shop.csv", SHOP.replace("ben@post.example,,subscribed", "ben@post.example,,bounced"));
    desk.file("job.toml", format!("{}[remember]\nbounced = true\n", job_with("")));
    desk.done(&["run", "job.toml"]);
    desk.file("shop.csv", SHOP);
    assert_eq!(held(&desk), ["ben@post.example"]);
}

#[test]
fn what_a_job_prepared_is_replaced_also_where_it_now_writes_nobody() {
    let desk = desk();
    desk.file("job.toml", with_keys("scope = \"everyone\""));
    desk.done(&["run", "job.toml"]);
    desk.file("shop.csv", "email,phone,Status\n,,\n");
    desk.done(&["run", "job.toml", "--replace"]);
    assert_eq!(desk.json(&["bank"])["entries"], serde_json::json!([]));
    let done: Vec<Value> = desk.json(&["bank", "history"])["history"].as_array().unwrap().clone();
    let done: Vec<&str> = done.iter().map(|done| done["what"].as_str().unwrap()).collect();
    assert_eq!(done, ["replaced", "prepared"]);
}

#[test]
fn a_digest_also_counts_for_who_was_prepared() {
    use sha2::Digest;
    let desk = desk();
    desk.file("job.toml", with_keys("scope = \"everyone\""));
    desk.done(&["run", "job.toml"]);
    let sha256: String = sha2::Sha256::digest("ann@post.example").iter().map(|byte| format!("{byte:02x}")).collect();
    desk.file("no.csv", format!("email\n{sha256}\n"));
    desk.file("there.csv", "already");
    let load = ["bank", "load", "no.csv", "--as", "do-not-contact", "--yes", "--take-out"];
    refused(&desk.run(&[&load[..], &["there.csv"]].concat()), 1, "so nothing was changed");
    assert_eq!(held(&desk), [""; 0]);
    let ran = desk.done(&[&load[..], &["out-of-service.csv"]].concat());
    assert!(ran.stdout.contains("1 address in out-of-service.csv"), "{}", ran.stdout);
    assert_eq!(desk.sheet("out-of-service.csv").column("email"), ["ann@post.example"]);
}

#[test]
fn a_bank_that_is_named_and_not_there_is_no_empty_bank() {
    let desk = desk();
    desk.file("master.csv", SHOP);
    for command in [
        &["run", "job.toml"][..],
        &["clean", "shop.csv", "-o", "o.csv"],
        &["suppress", "shop.csv", "--against", "master.csv", "-o", "o.csv"],
        &["top-up", "master.csv", "--from", "shop.csv", "-o", "o.csv"],
    ] {
        refused(&desk.run(&[command, &["--bank", "nowhere.sqlite"]].concat()), 1, "--without-bank");
        refused(&desk.run(&[command, &["--bank", "shop.csv/bank.sqlite"]].concat()), 1, "cannot be told");
        assert!(!desk.has("o.csv") && !desk.has("out.csv"));
    }
    let named = desk.command(&["run", "job.toml"]).env("PEBBLEBANK_BANK", "gone.sqlite").output().unwrap();
    refused(&Ran::of(&named), 1, "--without-bank");
}

#[test]
fn days_that_can_be_read_in_two_ways_are_asked_about_and_those_that_cannot_be_read_are_said() {
    let desk = desk();
    let load =
        |name: &str, more: &[&str]| desk.run(&[&["bank", "load", name, "--as", "bounced", "--yes"], more].concat());
    let since = |address: &str| desk.json(&["bank", "find", address])["entries"][0]["day"].as_str().unwrap().to_owned();
    desk.file("open.csv", "email,Date\nann@post.example,03/04/2026\nben@post.example,05/06/2026\n");
    refused(&load("open.csv", &[]), 1, "--date-order");
    assert_eq!(desk.json(&["bank"])["entries"], serde_json::json!([]), "nothing went in");
    assert_eq!(load("open.csv", &["--date-order", "mdy"]).status, 0);
    assert_eq!([since("ann@post.example"), since("ben@post.example")], ["2026-03-04", "2026-05-06"]);
    let by_country = load("open.csv", &["--country", "GB", "--again", "--json"]);
    assert!(by_country.stdout.contains("date-order-by-country"), "{}{}", by_country.stdout, by_country.stderr);
    desk.file("shown.csv", "email,Date,Until\ncy@hotel.example,03/04/2026,\ndot@work.example,25/06/2026,soon\nx@far.example,yesterday,2099-01-01\n");
    let shown = load("shown.csv", &["--until", "Until", "--json"]);
    let shown: Value = serde_json::from_str(&shown.stdout).unwrap();
    assert_eq!(since("cy@hotel.example"), "2026-04-03", "another row shows that the day comes first");
    let said = shown["findings"].as_array().unwrap().iter().filter(|finding| finding["code"] == "unreadable-days");
    let said: Vec<[&Value; 2]> = said.map(|finding| [&finding["column"], &finding["rows"][0]]).collect();
    assert_eq!(said, [[&Value::from("Date"), &4.into()], [&Value::from("Until"), &3.into()]]);
}
