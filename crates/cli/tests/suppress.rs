//! Suppression lists: what holds somebody, near misses, likely mistakes, who is allowed all the same, and the one-shot
//! `suppress`.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with, provider};
use rstest::rstest;
use std::time::{Duration, SystemTime};

const SHOP: &str = "email,first_name,last_name,phone\n\
    Ann@Post.example,Ann,Ash,+442079460001\n\
    ben@post.example,Ben,Birch,+442079460002\n\
    cy@hotel.example,Cy,Cedar,+442079460003\n\
    dot+fair@post.example,Dot,Dill,+442079460004\n\
    eve@work.example,Eve,Elm,+442079460005\n\
    fay@work.example,Fay,Fern,\n";

/// Runs a job with a suppression list of this text and these further keys; gives who was set aside, and why.
fn held(list: &str, keys: &str) -> Vec<[String; 3]> {
    let suppress = format!("[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\n{keys}");
    let desk = Desk::with(&[("shop.csv", SHOP), ("list.csv", list), ("job.toml", &job_with(&suppress))]);
    desk.done(&["run", "job.toml"]);
    let aside = desk.sheet("fair.receipt/set-aside.csv");
    let rows = aside.columns(["pebblebank_reason", "pebblebank_details", "email"]);
    rows.iter().map(|row| row.map(str::to_owned)).collect()
}

fn addresses(held: &[[String; 3]]) -> Vec<&str> {
    held.iter().map(|row| row[2].as_str()).collect()
}

#[rstest]
#[case::the_identity("ann@post.example", "", &["Ann@Post.example"])]
#[case::as_its_owner_writes_it("Ann@post.example", "", &["Ann@Post.example"])]
#[case::as_it_was_read("Ann@Post.example", "", &["Ann@Post.example"])]
#[case::as_the_job_has_it("dot@post.example", "[clean]\nidentity = \"ignore-tags\"", &["dot+fair@post.example"])]
#[case::with_its_tag("dot+fair@post.example", "[clean]\nidentity = \"ignore-tags\"", &["dot+fair@post.example"])]
#[case::another_address("dot@post.example", "", &[])]
fn a_list_of_digests_holds_whom_it_does_not_show(#[case] hashed: &str, #[case] keys: &str, #[case] meant: &[&str]) {
    use sha2::Digest as _;
    let sha256: String = sha2::Sha256::digest(hashed).iter().map(|byte| format!("{byte:02X}")).collect();
    let md5: String = md5::Md5::digest(hashed).iter().map(|byte| format!("{byte:02x}")).collect();
    for digest in [sha256, md5] {
        let list = format!("digest\n{digest}\n");
        assert_eq!(addresses(&held(&list, &format!("columns = {{ email = \"digest\" }}\n{keys}"))), meant);
    }
}

#[test]
fn an_entry_holds_until_its_day_and_one_without_a_day_for_good() {
    let list = "email,Until\nann@post.example,2026-03-01\nben@post.example,2026-03-02\ncy@hotel.example,\neve@work.example,soon\n";
    let suppress = "[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\nuntil = \"Until\"";
    let job = job_with(suppress).replace("[job]", "[job]\ntoday = \"2026-03-02\"");
    let desk = Desk::with(&[("shop.csv", SHOP), ("list.csv", list), ("job.toml", &job)]);
    desk.done(&["run", "job.toml"]);
    let aside = desk.sheet("fair.receipt/set-aside.csv");
    assert_eq!(aside.column("email"), ["ben@post.example", "cy@hotel.example", "eve@work.example"]);
}

#[test]
fn a_status_column_gives_each_entry_its_own_reason() {
    let list = "email,Event\nann@post.example,Unsubscribed\nben@post.example,5.1.1\ncy@hotel.example,soft bounce\n\
        dot+fair@post.example,delivered\neve@work.example,odd word\nfay@work.example,subscribed\n";
    let held = held(list, "reason_from = \"Event\"");
    let rows: Vec<[&str; 3]> = held.iter().map(|row| row.each_ref().map(String::as_str)).collect();
    assert_eq!(
        rows,
        [
            ["opted-out", "list (opted-out)", "Ann@Post.example"],
            ["bounced", "list (bounced)", "ben@post.example"],
            ["already-sent", "list (already-sent)", "dot+fair@post.example"],
            ["do-not-contact", "list", "eve@work.example"],
        ]
    );
}

#[rstest]
#[case("Ash, Ann")]
#[case("ann  ASH")]
fn a_full_name_is_the_same_in_either_order(#[case] name: &str) {
    let list = format!("name,why\n\"{name}\",asked\n");
    let held = held(&list, "by = \"full_name = name\"");
    assert_eq!(addresses(&held), ["Ann@Post.example"]);
}

#[test]
fn a_name_that_several_people_have_holds_them_all_and_is_reported() {
    let shop = format!("{SHOP}ann.ash@other.example,Ann,Ash,\n");
    let suppress = "[[suppress]]\nname = \"by name\"\nfiles = [\"list.csv\"]\nby = \"full_name = name\"";
    let desk = Desk::with(&[("shop.csv", &shop), ("list.csv", "name\nAnn Ash\n"), ("job.toml", &job_with(suppress))]);
    let tally = desk.json(&["run", "job.toml"]);
    assert_eq!(tally["all"]["set_aside_by_reason"]["do-not-contact"], 2);
    let findings = tally["findings"].as_array().unwrap();
    let namesakes = findings.iter().find(|finding| finding["code"] == "namesakes").unwrap();
    assert_eq!(namesakes["count"], 2);
    assert!(namesakes["text"].as_str().unwrap().contains("shop.csv row 2, shop.csv row 8"), "{namesakes}");
}

#[test]
fn near_misses_are_shown_and_set_aside_where_the_job_says_so() {
    let list = "email,Name\nben@pots.example,\nfay.fern@work.example,Fay Fern\ndot@post.example,\nanne@post.example,\nzed@far.example,\n";
    let suppress = "[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\n";
    let shop = SHOP.replace("ben@post", "benjamin@post");
    let list = list.replace("ben@pots", "benjamin@pots");
    let desk = Desk::with(&[("shop.csv", &shop), ("list.csv", &list), ("job.toml", &job_with(suppress))]);
    let tally = desk.json(&["run", "job.toml"]);
    assert_eq!(tally["all"]["written"], 6);
    let rows = desk.sheet("fair.receipt/near-misses.csv");
    assert_eq!(
        rows.columns(["pebblebank_entry", "pebblebank_contact", "pebblebank_standing", "pebblebank_row"]),
        [
            ["benjamin@pots.example", "benjamin@post.example", "written", "3"],
            ["dot@post.example", "dot+fair@post.example", "written", "5"],
            ["fay.fern@work.example", "fay@work.example", "written", "7"],
        ]
    );
    assert_eq!(tally["near_misses"]["pairs"], 3);
    desk.file("job.toml", job_with(&format!("{suppress}near_miss = \"set-aside\"")));
    let tally = desk.json(&["run", "job.toml", "--replace"]);
    assert_eq!(tally["all"]["set_aside_by_reason"]["near-miss"], 3);
    assert_eq!(tally["near_misses"]["set_aside"], 3);
}

/// So many people that a list which holds most of them is odd.
fn many() -> String {
    let more: String = (0..20).map(|number| format!("n{number}@post.example,,,\n")).collect();
    format!("{SHOP}{more}")
}

/// Runs a job with one suppression list and gives the guards that stopped it.
fn guards(desk: &Desk, list: &str, keys: &str) -> Vec<String> {
    desk.file("list.csv", list);
    let suppress = format!("[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\nreason = \"opted-out\"\n{keys}");
    desk.file("job.toml", job_with(&suppress));
    let ran = desk.run(&["run", "job.toml", "--json", "--replace"]);
    let tally: serde_json::Value = serde_json::from_str(&ran.stdout).unwrap();
    let tripped: Vec<String> = tally["tripped_guards"]
        .as_array()
        .unwrap()
        .iter()
        .map(|guard| guard["guard"].as_str().unwrap().to_owned())
        .collect();
    assert_eq!(ran.status, if tripped.is_empty() { 0 } else { 3 }, "{}", ran.stderr);
    tripped
}
#[rstest]
#[case::the_source_itself(many(), &["same-as-source", "holds-most"])]
#[case::most_people("email\npost.example\nhotel.example\n".to_owned(), &["holds-most"])]
#[case::the_wrong_column("email\nAnn Ash\nBen Birch\n".to_owned(), &["none-usable"])]
#[case::everybody_at_a_mailbox_provider(format!("email\n@{}\n", provider()), &["mailbox-provider"])]
fn a_likely_mistake_stops_the_run_unless_it_is_meant(#[case] list: String, #[case] expected: &[&str]) {
    let desk = Desk::with(&[("shop.csv", &many())]);
    assert_eq!(guards(&desk, &list, ""), expected);
    assert!(!desk.has("out.csv") && desk.has("fair.receipt.stopped"));
    let accept = |most: u32| {
        let accepted: Vec<String> = expected.iter().map(|guard| format!("{guard} = {most}")).collect();
        format!("[guard]\nwrite_at_least = 0\naccept = {{ {} }}", accepted.join(", "))
    };
    assert_eq!(guards(&desk, &list, &accept(0)), expected, "more than was accepted");
    assert_eq!(guards(&desk, &list, &accept(99)), [""; 0]);
    assert!(desk.has("out.csv"));
}

#[test]
fn a_list_that_is_old_shrank_or_matches_nobody_any_more_stops_the_run() {
    let desk = Desk::with(&[("shop.csv", SHOP)]);
    assert_eq!(guards(&desk, "email\nann@post.example\nx@far.example\n", ""), [""; 0]);
    assert_eq!(guards(&desk, "email\nann@post.example\n", ""), ["shrunk"]);
    assert_eq!(guards(&desk, "email\ny@far.example\nx@far.example\n", ""), ["matches-nobody"]);
    assert_eq!(guards(&desk, "email\nann@post.example\n", "may_shrink = true"), [""; 0]);
    desk.file("list.csv", "email\nann@post.example\n");
    let old = SystemTime::now() - Duration::from_secs(40 * 86_400);
    let job =
        |days: u32| job_with(&format!("[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\nstale_after = {days}"));
    std::fs::File::options().append(true).open(desk.path("list.csv")).unwrap().set_modified(old).unwrap();
    desk.file("job.toml", job(30));
    let ran = desk.run(&["run", "job.toml", "--replace"]);
    assert!(ran.status == 3 && ran.stdout.contains("is 40 days old"), "{}", ran.stdout);
    desk.file("job.toml", job(60));
    desk.done(&["run", "job.toml", "--replace"]);
}

// Of the named identity itself; but a hit by another field is lifted by any identity of the person.
#[rstest]
#[case::a_domain("email\nhotel.example\n", "", true)]
#[case::the_address_itself("email\ncy@hotel.example\n", "", false)]
#[case::sent_before("email\ncy@hotel.example\n", "reason = \"already-sent\"", true)]
#[case::another_list_by_phone("phone\n+442079460003\n", "by = \"phone\"\nreason = \"on-other-list\"", true)]
#[case::do_not_contact_by_phone("phone\n+442079460003\n", "by = \"phone\"", true)]
#[case::an_opt_out_by_phone("phone\n+442079460003\n", "by = \"phone\"\nreason = \"opted-out\"", false)]
#[case::an_opt_out_by_domain("email\nhotel.example\n", "reason = \"opted-out\"", false)]
fn an_allowed_address_is_written_although_a_lesser_reason_holds_it(
    #[case] list: &str,
    #[case] keys: &str,
    #[case] is_lifted: bool,
) {
    let allow = format!("{keys}\n[[allow]]\naddresses = [\"CY@hotel.example\"]\nwhy = \"asked for it herself\"");
    assert_eq!(held(list, &allow).is_empty(), is_lifted);
}

#[test]
fn suppress_takes_people_out_and_leaves_rows_as_they_are() {
    let list = "Mail;Name\n Ann@Post.example ;Ann\nben@post.example;Ben\nben@post.example;Ben\n;Nobody\ncy@hotel.example;Cy\nida@far.example;Ida\n";
    let desk = Desk::with(&[("list.csv", list), ("out.txt", "hotel.example\n"), ("no.txt", "ann@post.example\n")]);
    let done = desk.json(&[
        "suppress",
        "list.csv",
        "--against",
        "out.txt",
        "no.txt",
        "--reason",
        "opted-out",
        "-o",
        "left.csv",
    ]);
    assert_eq!((done["held"].as_u64(), done["tally"]["all"]["written"].as_u64()), (Some(2), Some(4)));
    assert_eq!(
        desk.text("left.csv"),
        "Mail,Name\nben@post.example,Ben\nben@post.example,Ben\n,Nobody\nida@far.example,Ida\n"
    );
    let aside = desk.sheet("left.set-aside.csv");
    assert_eq!(
        aside.columns(["pebblebank_reason", "pebblebank_details", "pebblebank_row"]),
        [["opted-out", "no", "2"], ["opted-out", "out", "6"]]
    );
    desk.done(&["suppress", "list.csv", "--against", "out.txt", "-o", "marked.csv", "--mark"]);
    let marked = desk.sheet("marked.csv");
    assert_eq!(marked.column("reason"), ["", "", "", "", "do-not-contact", ""]);
    assert_eq!(marked.column("suppressed by"), ["", "", "", "", "out", ""]);
}

#[test]
fn suppress_stops_where_most_would_go() {
    let desk = Desk::with(&[("list.csv", &many()), ("no.txt", "post.example\nhotel.example\n")]);
    let ran = desk.run(&["suppress", "list.csv", "--against", "no.txt", "-o", "left.csv"]);
    assert!(ran.status == 3 && ran.stdout.contains("--accept holds-most") && !desk.has("left.csv"), "{}", ran.stdout);
    desk.done(&["suppress", "list.csv", "--against", "no.txt", "-o", "left.csv", "--accept", "holds-most"]);
    assert_eq!(desk.sheet("left.csv").rows.len(), 2);
}

#[test]
fn near_misses_of_what_the_bank_remembers_are_shown_and_set_aside_too() {
    let desk = Desk::with(&[("shop.csv", &SHOP.replace("ben@", "benjamin@"))]);
    desk.done(&["bank", "add", "bejamin@post.example", "dot@post.example", "zoe@far.example", "--as", "opted-out"]);
    let suppress = ["suppress", "shop.csv", "-o", "out.csv"];
    let shown = desk.json(&suppress)["tally"]["near_misses"].clone();
    assert_eq!((&shown["searched"], &shown["pairs"], &shown["set_aside"]), (&3.into(), &2.into(), &0.into()));
    desk.done(&[&suppress[..], &["--near-miss", "set-aside", "--replace"]].concat());
    let aside = desk.sheet("out.set-aside.csv");
    assert_eq!(
        aside.columns(["pebblebank_reason", "email"]),
        [["near-miss", "benjamin@post.example"], ["near-miss", "dot+fair@post.example"]]
    );
    let ignored = desk.json(&[&suppress[..], &["--near-miss", "ignore", "--replace"]].concat());
    assert_eq!(ignored["tally"]["near_misses"]["pairs"], 0);
}

#[test]
fn near_misses_among_more_entries_than_memory_has_room_for_are_the_same() {
    let entries: String = (0..45_000).map(|number| format!("nobody{number}@far.example\n")).collect();
    let list = format!("email\nbenjamim@post.example\n{entries}evelynn@work.example\nbenjamin@pots.example\n");
    let shop = SHOP.replace("ben@", "benjamin@").replace("eve@", "evelyn@");
    let job = job_with("[[suppress]]\nname = \"no\"\nfiles = [\"no.csv\"]\nnear_miss = \"set-aside\"");
    let desk = Desk::with(&[("shop.csv", &shop), ("no.csv", &list), ("job.toml", &job)]);
    let pairs = |memory: &str| {
        desk.done(&["run", "job.toml", "--replace", "--memory", memory]);
        desk.text("fair.receipt/near-misses.csv")
    };
    let in_one_round = pairs("1GiB");
    assert_eq!(in_one_round.lines().count(), 4, "{in_one_round}");
    assert_eq!(pairs("64MiB"), in_one_round);
    let aside = desk.sheet("fair.receipt/set-aside.csv");
    assert_eq!(aside.column("email"), ["benjamin@post.example", "evelyn@work.example"]);
}

#[test]
fn the_account_says_of_each_list_how_many_entries_cannot_be_used_and_how_many_matched() {
    let job = job_with("[[suppress]]\nname = \"their list\"\nfiles = [\"no.csv\"]");
    let list = "email\nann@post.example\nx@far.example\n@hotel.example\nAnn Ash\n\nnone\n";
    let desk = Desk::with(&[("shop.csv", SHOP), ("no.csv", list), ("job.toml", &job)]);
    let tally = desk.json(&["run", "job.toml"]);
    let counts = &tally["suppression"][0];
    let numbers = ["entries", "domains", "unusable", "matched", "unmatched", "people_held"];
    assert_eq!(numbers.map(|key| counts[key].as_u64().unwrap()), [4, 1, 1, 2, 2, 2], "{counts}");
    let text = desk.done(&["run", "job.toml", "--replace"]).stdout;
    assert!(text.contains("1 entry of their list is no address, domain or hash"), "{text}");
}
