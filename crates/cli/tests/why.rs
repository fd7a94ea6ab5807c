//! Why somebody was written or not, and what changed since the run before: held against plain re-counts of the files.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use rstest::rstest;
use serde_json::{Value, json};
use std::collections::{BTreeMap, BTreeSet};

const FAIR: &str = "pebblebank-demo/out/spring-fair-invitation.receipt";

/// The demo's run.
fn demo() -> Desk {
    let desk = Desk::new();
    desk.done(&["demo"]);
    desk
}

fn why(desk: &Desk, who: &str, receipt: &str) -> Value {
    let ran = desk.run(&["why", who, "--receipt", receipt, "--json"]);
    let mut document: Value = serde_json::from_str(&ran.stdout).unwrap();
    document["runs"][0].take()
}

#[test]
fn every_reason_and_every_kind_of_match_is_told_as_the_tables_have_it() {
    let desk = demo();
    let aside = desk.sheet(&format!("{FAIR}/set-aside.csv"));
    let columns = ["email", "pebblebank_reason", "pebblebank_details", "pebblebank_file", "pebblebank_row"];
    // One row of each reason and combination of lists that names somebody.
    let mut kinds: BTreeMap<(String, String), [&str; 5]> = BTreeMap::new();
    for row in aside.columns(columns).into_iter().filter(|row| row[0].trim().len() > 3) {
        kinds.entry((row[1].to_owned(), row[2].to_owned())).or_insert(row);
    }
    let reasons: BTreeSet<&String> = kinds.keys().map(|(reason, _)| reason).collect();
    assert!(kinds.len() > 30 && reasons.len() > 8, "{kinds:?}");
    for [email, reason, details, file, row] in kinds.into_values() {
        let told = why(&desk, email.trim(), FAIR);
        let rows = told["rows"].as_array().unwrap();
        let is_it = |told: &&Value| told["file"] == file && told["row"].as_u64() == row.parse().ok();
        let found = rows.iter().find(is_it).unwrap_or_else(|| panic!("{email:?} of {file} row {row}: {told:#}"));
        let (fate, said, because) = (&found["fate"], &found["reason"], &found["details"]);
        assert_eq!((fate, said, because), (&json!("set-aside"), &json!(reason), &json!(details)), "{email}");
        let read = found["read"].as_array().unwrap();
        assert!(read.iter().any(|cell| cell["value"].as_str().unwrap().contains(email.trim())), "{email}: {found:#}");
        assert_eq!(told["is_written"], false, "{email}");
    }
}

#[test]
fn whoever_was_written_has_all_merged_rows_and_a_line_in_the_import_file() {
    let desk = demo();
    let import = desk.sheet("pebblebank-demo/out/spring-fair.csv");
    let merged = desk.sheet(&format!("{FAIR}/merged.csv"));
    let columns = ["pebblebank_survivor_file", "pebblebank_survivor_row", "pebblebank_file", "pebblebank_row"];
    let mut copies: BTreeMap<[String; 2], BTreeSet<[String; 2]>> = BTreeMap::new();
    for [survivor_file, survivor_row, file, row] in merged.columns(columns) {
        let survivor = [survivor_file.to_owned(), survivor_row.to_owned()];
        copies.entry(survivor).or_default().insert([file.to_owned(), row.to_owned()]);
    }
    for (line, address) in import.column("Email Address").into_iter().enumerate().step_by(47) {
        let told = why(&desk, address, FAIR);
        assert_eq!(told["is_written"], true, "{address}");
        assert_eq!(told["import_line"]["line"], line + 2, "{address}");
        let place = |row: &Value| [row["file"].as_str().unwrap().to_owned(), row["row"].to_string()];
        let rows = told["rows"].as_array().unwrap();
        let survivor = place(rows.iter().find(|row| row["fate"] == "written").unwrap());
        let others: BTreeSet<_> = rows.iter().filter(|row| row["fate"] == "merged").map(place).collect();
        assert_eq!(others, copies.get(&survivor).cloned().unwrap_or_default(), "{address}");
    }
}

#[rstest]
#[case::the_address_on_a_list(
    "hugo.garcia748@harbourmail.example",
    "opted out",
    "the address hugo.garcia748@harbourmail.example",
    "lists/opted-out.csv"
)]
#[case::its_domain(
    "aoife458+garden@bookings.hotel.example",
    "do not contact",
    "the domain hotel.example",
    "lists/do-not-contact.csv"
)]
fn the_entry_of_a_list_is_named_with_its_row(
    #[case] who: &str,
    #[case] list: &str,
    #[case] entry: &str,
    #[case] file: &str,
) {
    let desk = demo();
    let told = why(&desk, who, FAIR);
    let lists = told["lists"].as_array().unwrap();
    let found = lists.iter().find(|found| found["list"] == list).unwrap();
    let first = &found["entries"][0];
    assert_eq!((&first["entry"], &first["file"]), (&json!(entry), &json!(file)));
    let row = first["row"].as_u64().unwrap() as usize;
    let text = desk.text(&format!("pebblebank-demo/{file}"));
    let line = text.lines().nth(row - 1).unwrap().to_lowercase();
    assert!(line.contains(who) || line.contains("hotel.example"), "{line}");
}

const SHOP: &str = "No,Email,Name,Phone\n\
    1,Ida@Post.example,Ida Moss,020 7946 0018 ext. 4\n\
    2,,Wren Quill,\n\
    3,ida@post.example;,Ida Moss,\n\
    4,hugo@post.example,Hugo Vale,\n\
    \n\
    Questions? desk@post.example\n";

fn shop() -> Desk {
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with(""))]);
    desk.done(&["run", "job.toml"]);
    desk
}

#[rstest]
#[case::a_name("wren quill", 3, "set-aside")]
#[case::a_phone_without_its_extension("020 7946 0018", 2, "written")]
#[case::the_same_number_from_abroad("+44 20 7946 0018", 2, "written")]
#[case::an_id("4", 5, "written")]
#[case::a_field("contact_id = 2", 3, "set-aside")]
#[case::an_address_in_a_remark("desk@post.example", 7, "set-aside")]
fn people_are_found_by_any_value(#[case] who: &str, #[case] row: u64, #[case] fate: &str) {
    let told = why(&shop(), who, "fair.receipt");
    assert_eq!((&told["rows"][0]["row"], &told["rows"][0]["fate"]), (&json!(row), &json!(fate)), "{told:#}");
}

#[rstest]
#[case::two_columns("Ida Moss", 2)]
#[case::turned_round("MOSS, Ida", 2)]
#[case::with_a_title("wren quill", 3)]
fn people_are_found_by_their_whole_names(#[case] who: &str, #[case] row: u64) {
    let shop = "Email,First name,Last name\nida@post.example,Ida,Moss\nwren@post.example,Dr Wren,Quill\nhugo@post.example,Ida,Quill\n";
    let desk = Desk::with(&[("shop.csv", shop), ("job.toml", &job_with(""))]);
    desk.done(&["run", "job.toml"]);
    let told = why(&desk, who, "fair.receipt");
    assert_eq!((&told["rows_in_all"], &told["rows"][0]["row"]), (&json!(1), &json!(row)), "{told:#}");
}

#[test]
fn an_address_that_was_never_read_is_answered_with_the_closest() {
    let desk = shop();
    let ran = desk.run(&["why", "hugoo@post.example"]);
    assert!(ran.status == 1 && ran.stdout.contains("close to it, and written: hugo@post.example"), "{}", ran.stdout);
    assert!(!ran.stdout.contains("not searched"), "an index has every address: {}", ran.stdout);
}

#[test]
fn several_receipts_give_the_history() {
    let desk = shop();
    let second = job_with("").replace("\"fair\"", "\"autumn\"").replace("out.csv", "autumn.csv");
    desk.file("autumn.toml", second);
    desk.file("shop.csv", SHOP.replace("4,hugo@post.example", "4,hugo.vale@post.example"));
    desk.done(&["run", "autumn.toml"]);
    let ran = desk.done(&["why", "hugo@post.example", "--receipt", "*.receipt"]);
    assert!(ran.stdout.starts_with("hugo@post.example: written to out.csv"), "{}", ran.stdout);
    assert!(ran.stdout.contains("autumn.receipt: in no row of this run"), "{}", ran.stdout);
}

#[test]
fn a_damaged_receipt_among_several_is_named_and_the_others_are_told() {
    let desk = shop();
    desk.file("old.receipt/tally.json", "{");
    let ran = desk.done(&["why", "hugo@post.example"]);
    assert!(ran.stdout.starts_with("hugo@post.example: written to out.csv"), "{}", ran.stdout);
    assert!(
        ran.stdout.contains("old.receipt could not be opened: this part of the receipt is damaged"),
        "{}",
        ran.stdout
    );
    let document = desk.json(&["why", "hugo@post.example"]);
    assert_eq!(document["not_opened"][0]["receipt"], "old.receipt");
    let ran = desk.run(&["why", "hugo@post.example", "--receipt", "old.receipt"]);
    assert!(ran.status == 1 && ran.stderr.contains("damaged"), "{}", ran.stderr);
}

#[test]
fn an_edited_receipt_a_newer_one_and_none_at_all_are_told_apart() {
    let desk = shop();
    let aside = desk.text("fair.receipt/set-aside.csv").replace("blank-address", "opted-out");
    desk.file("fair.receipt/set-aside.csv", aside);
    let ran = desk.done(&["why", "ida@post.example"]);
    assert!(ran.stdout.contains("edited after the run: set-aside.csv"), "{}", ran.stdout);
    std::fs::remove_file(desk.path("fair.receipt/receipt.json")).unwrap();
    let ran = desk.done(&["why", "ida@post.example"]);
    assert!(ran.stdout.contains("this receipt has no seals"), "{}", ran.stdout);
    let tally = desk.text("fair.receipt/tally.json").replace("pebblebank/tally/1", "pebblebank/tally/9");
    desk.file("fair.receipt/tally.json", tally);
    let ran = desk.run(&["why", "ida@post.example"]);
    assert!(
        ran.status == 1 && ran.stderr.contains("a newer version of Pebblebank wrote this receipt"),
        "{}",
        ran.stderr
    );
    let ran = desk.run(&["why", "ida@post.example", "--receipt", "job.toml"]);
    assert!(ran.status == 1 && ran.stderr.contains("this is not a receipt"), "{}", ran.stderr);
    let ran = desk.run(&["changes", "fair.receipt"]);
    assert!(ran.status == 1, "{}", ran.stderr);
}

#[test]
fn a_receipt_that_was_edited_and_then_copied_is_told_as_edited() {
    let desk = shop();
    let aside = desk.text("fair.receipt/set-aside.csv").replace("Wren", "Wrem");
    desk.file("fair.receipt/set-aside.csv", aside);
    std::fs::create_dir(desk.path("copy.receipt")).unwrap();
    for name in std::fs::read_dir(desk.path("fair.receipt")).unwrap() {
        let name = name.unwrap().file_name().into_string().unwrap();
        desk.file(&format!("copy.receipt/{name}"), desk.bytes(&format!("fair.receipt/{name}")));
    }
    let ran = desk.done(&["why", "ida@post.example", "--receipt", "copy.receipt"]);
    assert!(ran.stdout.contains("edited after the run: set-aside.csv"), "{}", ran.stdout);
}

#[rstest]
#[case::with_a_value(&["--accept", "another-table", "--threads", "2"], "--accept another-table")]
#[case::several(&["--accept=stale", "--without-bank"], "--accept=stale --without-bank")]
fn the_job_of_a_receipt_has_what_the_command_line_decided(#[case] options: &[&str], #[case] said: &str) {
    let desk = shop();
    let plain = desk.text("fair.receipt/job.toml");
    desk.done(&[&["run", "job.toml", "--replace"], options].concat());
    let expected = format!("{plain}\n# Said on the command line besides: {said}\n");
    assert_eq!(desk.text("fair.receipt/job.toml"), expected);
}

#[test]
fn rows_are_found_by_halves_also_where_cells_have_line_ends_and_semicolons() {
    let rows: String = (0..30_000)
        .map(|row| match row % 3 {
            0 => format!("{row},,\"a\nb, \"\"c\"\"\"\n"),
            1 => format!("{row},p{}@post.example,x;y\n", row / 30 * 30),
            _ => format!("{row},p{row}@post.example,\n"),
        })
        .collect();
    let desk = Desk::with(&[("shop.csv", &format!("No,Email,Note\n{rows}")), ("job.toml", &job_with(""))]);
    for option in ["--replace", "--for-spreadsheet"] {
        let typed: &[&str] = if option == "--replace" {
            &["run", "job.toml", option]
        } else {
            &["run", "job.toml", "--replace", option]
        };
        desk.done(typed);
        for number in [1_u32, 14_971, 29_998] {
            let told = why(&desk, &format!("p{}@post.example", number / 30 * 30), "fair.receipt");
            let rows = told["rows"].as_array().unwrap();
            assert!(rows.iter().any(|row| row["fate"] == "merged" && row["key"] == "email"), "{option} {number}");
            assert!(rows.iter().all(|row| !row["read"].as_array().unwrap().is_empty()), "{option} {number}");
        }
    }
}

#[test]
fn what_changed_is_what_two_plain_sets_of_addresses_say() {
    let desk = demo();
    let before: BTreeSet<String> = emails(&desk);
    let exports = "pebblebank-demo/exports";
    let shop = desk.text(&format!("{exports}/plant-shop-2026.csv"));
    let kept: Vec<&str> = shop.lines().enumerate().filter(|(line, _)| *line % 9 != 4).map(|(_, line)| line).collect();
    let row =
        |number: u32| format!("2026-01-0{number} 10:00,pia.new{number}@postbox.example,New,Pia,Ives,LF1 1AA,GB,,\n");
    let new = format!("{}{}", row(4), row(5));
    desk.file(&format!("{exports}/plant-shop-2026.csv"), format!("{}\n{new}", kept.join("\n")));
    let bank = ["--bank", "pebblebank-demo/bank.sqlite"];
    let held = before.iter().nth(100).unwrap().clone();
    desk.done(&[&["bank", "add", &held, "--as", "opted-out"], &bank[..]].concat());
    let run = [&["run", "pebblebank-demo/spring-fair.toml", "--replace"], &bank[..]].concat();
    let said = desk.done(&run).stdout;
    assert!(said.contains("Since the run before: "), "{said}");
    let now = emails(&desk);
    let found = desk.json(&["changes", FAIR, "-o", "moved"]);
    let (new, gone): (BTreeSet<_>, BTreeSet<_>) =
        (now.difference(&before).cloned().collect(), before.difference(&now).cloned().collect());
    assert!(new.len() == 2 && gone.len() > 5, "{new:?} {gone:?}");
    assert_eq!((&found["new"], &found["gone"]), (&json!(new.len()), &json!(gone.len())));
    let line = format!("Since the run before: {} people new, {} gone (", new.len(), gone.len());
    assert!(said.contains(&line) && said.contains("; 10 of 11 files the same"), "{said}");
    let file = desk.sheet("moved/new.csv");
    assert_eq!(file.header, desk.sheet("pebblebank-demo/out/spring-fair.csv").header);
    let listed: BTreeSet<String> = file.column("Email Address").into_iter().map(str::to_owned).collect();
    assert_eq!(listed, new);
    let file = desk.sheet("moved/gone.csv");
    let listed: BTreeMap<String, String> =
        file.columns(["email", "why"]).into_iter().map(|[email, why]| (email.to_owned(), why.to_owned())).collect();
    assert_eq!(listed.keys().cloned().collect::<BTreeSet<_>>(), gone);
    assert_eq!(listed[&held], "opted-out");
    assert!(listed.values().any(|why| why == "in-no-source"));
    let again = desk.run(&["changes", FAIR, "-o", "moved"]);
    assert!(again.status == 1 && again.stderr.contains("--replace"), "{}", again.stderr);
}

#[test]
fn an_address_that_is_no_longer_written_must_be_removed_although_its_person_is_written() {
    let before = "Email,Second e-mail\n\
        ida@post.example,ida.second@post.example\n\
        hugo@post.example,hugo.second@post.example\n\
        wren@post.example,\n";
    // Ida's addresses changed places; Hugo opted out by the first of his, and the other came without it.
    let now = "Email,Second e-mail\n\
        ida.second@post.example,ida@post.example\n\
        hugo@post.example,\n\
        hugo.second@post.example,\n\
        wren@post.example,\n";
    let suppress = "[[suppress]]\nname = \"no\"\nfiles = [\"no.csv\"]\nreason = \"opted-out\"\n";
    let job = job_with(suppress);
    let desk = Desk::with(&[("shop.csv", before), ("no.csv", "Email\nnobody@post.example\n"), ("job.toml", &job)]);
    desk.done(&["run", "job.toml"]);
    desk.file("shop.csv", now);
    desk.file("no.csv", "Email\nnobody@post.example\nhugo@post.example\n");
    desk.done(&["run", "job.toml", "--replace"]);
    let found = desk.json(&["changes", "fair.receipt", "-o", "moved"]);
    assert_eq!(
        desk.text("moved/gone.csv"),
        "email,why\nida@post.example,another-address\nhugo@post.example,opted-out\n"
    );
    let new = desk.sheet("moved/new.csv");
    assert_eq!(new.column("email"), ["ida.second@post.example", "hugo.second@post.example"]);
    assert_eq!([&found["new"], &found["gone"], &found["moved"]], [&json!(0), &json!(1), &json!(2)]);
}

#[test]
fn changes_of_edited_receipts_and_in_the_wrong_order_are_written_nowhere() {
    let desk = shop();
    desk.done(&["run", "job.toml", "--replace"]);
    let ran = desk.run(&["changes", "fair.receipt.previous", "fair.receipt"]);
    assert!(ran.status == 2 && ran.stderr.contains("name the later receipt first"), "{}", ran.stderr);
    let written = desk.text("fair.receipt.previous/written.csv").replace("hugo", "hugp");
    desk.file("fair.receipt.previous/written.csv", written);
    let ran = desk.run(&["changes", "fair.receipt", "-o", "moved"]);
    assert!(ran.status == 1 && ran.stderr.contains("was edited after the run"), "{}", ran.stderr);
    assert!(!desk.has("moved") && desk.run(&["changes", "fair.receipt"]).status == 0);
}

#[test]
fn nobody_is_handed_over_for_import_by_a_run_that_was_stopped() {
    let desk = shop();
    desk.file("job.toml", job_with("[guard]\nwrite_at_least = 9\n"));
    assert_eq!(desk.run(&["run", "job.toml", "--replace"]).status, 3);
    // A run that was stopped came after the one that it would have replaced.
    let stopped = ["changes", "fair.receipt.stopped", "fair.receipt"];
    let ran = desk.run(&[&stopped[..], &["-o", "moved"]].concat());
    assert!(ran.status == 1 && ran.stderr.contains("this run wrote nothing"), "{}", ran.stderr);
    assert!(!desk.has("moved"));
    assert!(desk.done(&stopped).stdout.contains("is of a run that wrote nothing"));
}

/// The addresses of the demo's import file.
fn emails(desk: &Desk) -> BTreeSet<String> {
    let import = desk.sheet("pebblebank-demo/out/spring-fair.csv");
    import.column("Email Address").into_iter().map(str::to_owned).collect()
}

#[test]
fn a_header_is_nobody_and_a_name_may_be_that_of_several() {
    let shop = "Email,Name\nida@post.example,Ida Moss\nmoss@post.example,Ida Moss\n,Ida Moss\n";
    let desk = Desk::with(&[("shop.csv", shop), ("job.toml", &job_with(""))]);
    desk.done(&["run", "job.toml"]);
    let ran = desk.run(&["why", "Name"]);
    assert!(ran.status == 1 && ran.stdout.contains("Name: in no row of this run"), "{}", ran.stdout);
    let ran = desk.done(&["why", "ida moss"]);
    assert!(ran.stdout.starts_with("ida moss: 3 people have this, and 2 of them are written"), "{}", ran.stdout);
}

#[test]
fn who_has_many_rows_is_told_by_all_of_them_and_who_has_no_address_is_not_lost() {
    let many = "ida@post.example,Ida,\n".repeat(300);
    let shop = format!("Email,Name,Phone\n{many}ida@post.example,Ida,+442079460018\n,Wren,+442079460019\n");
    let rules = "[person]\nsurvivor = \"last-read\"\n[require]\nfields = [\"phone\"]\n";
    let desk = Desk::with(&[("shop.csv", &shop), ("job.toml", &job_with(rules))]);
    desk.done(&["run", "job.toml"]);
    let told = why(&desk, "ida@post.example", "fair.receipt");
    assert_eq!((&told["is_written"], &told["rows_in_all"]), (&json!(true), &json!(301)));
    let told = why(&desk, "Wren", "fair.receipt");
    assert_eq!((&told["is_written"], &told["rows"][0]["row"]), (&json!(true), &json!(303)));
    desk.done(&["run", "job.toml", "--replace"]);
    let ran = desk.done(&["changes", "fair.receipt"]);
    assert!(ran.stdout.contains("2 contacts have no address"), "{}", ran.stdout);
}

#[test]
fn gone_people_are_never_left_out_of_the_file_in_silence() {
    let desk = shop();
    desk.file("shop.csv", SHOP.replace("hugo@post.example", ""));
    desk.done(&["run", "job.toml", "--replace"]);
    std::fs::remove_file(desk.path("fair.receipt.previous/written.csv")).unwrap();
    let ran = desk.run(&["changes", "fair.receipt", "-o", "moved"]);
    assert!(ran.status == 1 && ran.stderr.contains("the addresses of 1 of 1 people"), "{}", ran.stderr);
    assert!(!desk.has("moved/gone.csv"));
}
