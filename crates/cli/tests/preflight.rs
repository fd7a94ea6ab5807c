//! Whether a file is fit to be imported now, whoever made it.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::Desk;
use proptest::prelude::*;
use rstest::rstest;
use serde_json::Value;

const FILE: &str = "Email Address,Name,City\nida@post.example,Ida Moss,Ely\nhugo@post.example,Hugo Ash,Bath\n";

fn preflight(desk: &Desk, more: &[&str]) -> (i32, Value) {
    let ran = desk.run(&[&["preflight", "file.csv", "--json"], more].concat());
    (ran.status, serde_json::from_str(&ran.stdout).unwrap_or_else(|_| panic!("{}{}", ran.stdout, ran.stderr)))
}

fn codes(document: &Value) -> Vec<&str> {
    document["problems"].as_array().unwrap().iter().map(|problem| problem["code"].as_str().unwrap()).collect()
}

#[test]
fn a_file_that_was_fit_is_no_longer_once_somebody_in_it_opted_out() {
    let desk = Desk::with(&[("file.csv", FILE)]);
    desk.done(&["bank", "add", "zoe@post.example", "--as", "opted-out"]);
    let (status, fit) = preflight(&desk, &[]);
    assert_eq!((status, &fit["is_fit"], &fit["fit_rows"]), (0, &true.into(), &2.into()));
    desk.done(&["bank", "add", "hugo@post.example", "--as", "opted-out"]);
    let (status, document) = preflight(&desk, &[]);
    assert_eq!((status, codes(&document)), (3, vec!["opted-out"]));
    assert_eq!(document["problems"][0]["examples"], serde_json::json!([3]));
    // The command that it names mends the file.
    let said = desk.run(&["preflight", "file.csv"]).stdout;
    assert!(said.contains("pebblebank suppress file.csv -o file.allowed.csv"), "{said}");
    desk.done(&["suppress", "file.csv", "-o", "file.allowed.csv"]);
    desk.file("file.csv", desk.text("file.allowed.csv"));
    assert_eq!(preflight(&desk, &[]).0, 0);
}

#[test]
fn entries_of_a_client_count_for_that_client_alone() {
    let desk = Desk::with(&[("file.csv", FILE)]);
    desk.done(&["bank", "add", "ida@post.example", "--as", "opted-out", "--scope", "larkfold", "--new-scope"]);
    assert_eq!(preflight(&desk, &[]).0, 0);
    assert_eq!(preflight(&desk, &["--scope", "larkfold"]).0, 3);
    assert_eq!(preflight(&desk, &["--scope", "larkfold", "--without-bank"]).0, 0);
}

#[rstest]
#[case::invalid("x@@y,Bo,Ely", "invalid-address")]
#[case::blank(",Bo,Ely", "blank-address")]
#[case::placeholder("noemail@noemail.com,Bo,Ely", "placeholder-address")]
#[case::duplicate("IDA@post.example,Ida,Ely", "duplicate")]
#[case::formula("bo@post.example,=1+1,Ely", "formula")]
#[case::cells("bo@post.example,Bo,Ely,more", "number-of-cells")]
#[case::lost_letters("bo@post.example,B\u{fffd},Ely", "lost-characters")]
fn what_a_service_would_refuse_is_found(#[case] row: &str, #[case] code: &str) {
    let desk = Desk::with(&[("file.csv", &format!("{FILE}{row}\n"))]);
    let (status, document) = preflight(&desk, &[]);
    assert_eq!((status, codes(&document)), (3, vec![code]), "{document}");
    assert_eq!(document["problems"][0]["examples"], serde_json::json!([4]));
    assert_eq!(document["fit_rows"], 2);
}

#[rstest]
#[case::fits("\"Email Address=email\", \"Name=full_name\", \"City=city\"", "", &[])]
#[case::missing("\"Email Address=email\", \"Name=full_name\", \"City=city\", \"Tag=tags\"", "", &["missing-column"])]
#[case::unknown("\"Email Address=email\", \"Name=full_name\"", "", &["unknown-column"])]
#[case::order("\"Name=full_name\", \"Email Address=email\", \"City=city\"", "", &["column-order"])]
#[case::value("\"Email Address=email\", \"Name=full_name\", { name = \"City\", from = \"city\", longest = 3 }", "", &["layout"])]
#[case::delimiter("\"Email Address=email\", \"Name=full_name\", \"City=city\"", "delimiter = \";\"", &["delimiter"])]
#[case::format("\"Email Address=email\", \"Name=full_name\", \"City=city\"", "format = \"xlsx\"", &["format"])]
#[case::ascii_fits("\"Email Address=email\", \"Name=full_name\", \"City=city\"", "encoding = \"windows-1252\"", &[])]
fn a_file_is_held_against_a_layout(#[case] columns: &str, #[case] more: &str, #[case] expected: &[&str]) {
    let desk = Desk::with(&[("file.csv", FILE), ("layout.toml", &format!("columns = [{columns}]\n{more}\n"))]);
    let (status, document) = preflight(&desk, &["--layout", "layout.toml"]);
    assert_eq!(codes(&document), expected);
    assert_eq!(status, if expected.is_empty() { 0 } else { 3 });
}

#[test]
fn the_layout_says_which_column_holds_the_address() {
    // By itself "Email" would be taken for it.
    let file = "Kontakt,Email,City\nida@post.example,team@post.example,Ely\nhugo@post.example,team@post.example,Bath\n";
    let layout = "columns = [\"Kontakt=email\", \"Email=Email\", \"City=city\"]\n";
    let desk = Desk::with(&[("file.csv", file), ("layout.toml", layout)]);
    desk.done(&["bank", "add", "hugo@post.example", "--as", "opted-out"]);
    let (status, document) = preflight(&desk, &["--layout", "layout.toml"]);
    assert_eq!((status, codes(&document)), (3, vec!["opted-out"]), "{document}");
}

#[rstest]
#[case::title("Spring fair\n\n{FILE}", "other-lines")]
#[case::totals("{FILE}Total,2,\n", "other-lines")]
#[case::no_addresses("Name,City\nIda,Ely\nHugo,Bath\n", "no-address-column")]
fn what_is_no_contact_and_what_cannot_be_looked_up_is_not_fit(#[case] text: &str, #[case] code: &str) {
    let desk = Desk::with(&[("file.csv", &text.replace("{FILE}", FILE))]);
    let (status, document) = preflight(&desk, &[]);
    assert_eq!(status, 3, "{document}");
    assert!(codes(&document).contains(&code), "{document}");
}

#[test]
fn lists_that_cannot_be_relied_on_and_open_questions_stop_it() {
    let desk = Desk::with(&[("file.csv", FILE), ("no.csv", "Name,Note\nIda,asked ida@post.example\n")]);
    let ran = desk.run(&["preflight", "file.csv", "--against", "no.csv"]);
    assert_ne!(ran.status, 0, "{}", ran.stdout);
    desk.file("no.csv", "email\nhugo@post.example\n");
    assert_eq!(codes(&preflight(&desk, &["--against", "no.csv"]).1), ["do-not-contact"]);
    desk.file("file.csv", "email,Privacy\nida@post.example,yes\nhugo@post.example,no\n");
    let asked = desk.run(&["preflight", "file.csv"]);
    assert!(asked.status != 0 && asked.stderr.contains("--opt-in"), "{}", asked.stderr);
    desk.file("file.csv", "email,Unsubscribed\nida@post.example,yes\nhugo@post.example,\n");
    assert_eq!(codes(&preflight(&desk, &[]).1), ["opted-out"]);
}

#[test]
fn it_says_what_changed_since_the_run() {
    let desk = Desk::with(&[("shop.csv", "email\nida@post.example\nhugo@post.example\nwren@post.example\n")]);
    desk.done(&["clean", "shop.csv", "-o", "file.csv", "--receipt", "r"]);
    let since = |written: u64, rows: u64, added: u64, missing: u64, changed: Option<u64>| {
        let first_changed = changed.filter(|changed| *changed > 0).map(|_| 2);
        serde_json::json!({ "written": written, "rows": rows, "added": added, "missing": missing, "changed": changed, "first_changed": first_changed })
    };
    let found = || preflight(&desk, &["--receipt", "r"]).1["since"].clone();
    assert_eq!(found(), since(3, 3, 0, 0, Some(0)));
    desk.file("file.csv", "email\nida@post.example\nzoe@post.example\n");
    assert_eq!(found(), since(3, 2, 1, 2, Some(0)));
    // A receipt of before rows were indexed tells of people alone.
    std::fs::remove_file(desk.path("r/written.idx")).unwrap();
    assert_eq!(found(), since(3, 2, 1, 2, None));
    assert_eq!(desk.run(&["preflight", "file.csv", "--receipt", "nothing"]).status, 1);
}

#[rstest]
#[case::csv("file.csv")]
#[case::workbook("file.xlsx")]
#[case::json_lines("file.jsonl")]
fn rows_whose_cells_changed_since_the_run_are_counted(#[case] file: &str) {
    let shop =
        "email,first_name,city\nida@post.example,Ida,Ely\nhugo@post.example,Hugo,\nwren@post.example,Wren,Bath\n";
    let desk = Desk::with(&[("shop.csv", shop)]);
    let columns = ["--columns", "email,first_name,city"];
    desk.done(&[&["clean", "shop.csv", "-o", file, "--receipt", "r"][..], &columns].concat());
    let changed = || {
        let document = desk.json(&["preflight", file, "--receipt", "r"]);
        (document["since"]["changed"].as_u64().unwrap(), document["since"]["first_changed"].as_u64())
    };
    assert_eq!(changed(), (0, None));
    // The names of two people are swapped, as where a spreadsheet sorts one column alone.
    let first_row = if file.ends_with("jsonl") { 1 } else { 2 };
    desk.file("shop.csv", shop.replace("Ida,", "X,").replace("Hugo,", "Ida,").replace("X,", "Hugo,"));
    desk.done(&[&["clean", "shop.csv", "-o", file, "--replace"][..], &columns].concat());
    assert_eq!(changed(), (2, Some(first_row)));
}

#[test]
fn without_bank_and_list_it_says_that_nobody_was_looked_up() {
    let desk = Desk::with(&[("file.csv", FILE), ("no.csv", "email\nzoe@post.example\n")]);
    let first_line = |more: &[&str]| {
        let ran = desk.run(&[&["preflight", "file.csv"], more].concat());
        assert_eq!(ran.status, 0, "{}", ran.stdout);
        ran.stdout.lines().next().unwrap().to_owned()
    };
    assert!(first_line(&[]).contains("was not looked up"));
    assert!(first_line(&["--against", "no.csv"]).contains("is fit to be imported"));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Nobody whom the bank holds goes unseen, in whatever spelling.
    #[test]
    fn everybody_who_must_not_be_contacted_is_counted(held in prop::collection::vec(any::<bool>(), 1..12), capitals in any::<bool>()) {
        let name = |place: usize| format!("friend{place}@post.example");
        let desk = Desk::new();
        let spelled = |place: usize| if capitals { name(place).to_uppercase() } else { name(place) };
        let rows: String = (0..held.len()).map(|place| format!("{},x\n", spelled(place))).collect();
        desk.file("file.csv", format!("email,Note\n{rows}"));
        let mut arguments = vec!["bank".to_owned(), "add".to_owned(), "far@post.example".to_owned()];
        arguments.extend((0..held.len()).filter(|place| held[*place]).map(name));
        arguments.extend(["--as".to_owned(), "opted-out".to_owned()]);
        desk.done(&arguments.iter().map(String::as_str).collect::<Vec<_>>());
        let (status, document) = preflight(&desk, &[]);
        let count = held.iter().filter(|held| **held).count() as u64;
        let counted: u64 = document["problems"].as_array().unwrap().iter().map(|problem| problem["rows"].as_u64().unwrap()).sum();
        prop_assert_eq!((status, counted), (if count == 0 { 0 } else { 3 }, count));
    }
}
