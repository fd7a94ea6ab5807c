//! The tables of a receipt for people with a spreadsheet: rows can be pasted back into the file that they came from.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use rstest::rstest;
use std::path::Path;

const HEADER: &str = "No,E-Mail,Nachname,,Newsletter note";
const OWN: &str = "pebblebank_reason,pebblebank_details,pebblebank_source,pebblebank_file,pebblebank_row";

fn shop() -> String {
    format!(
        "{HEADER}\n1,ida@post.example,Moss,a,x\n2,,\"Quill; the elder\",b,\"say \"\"hi\"\"\"\n\
         3,IDA@post.example,Moss,c,\n4,@@,=1+1,d,z\n"
    )
}

#[test]
fn rows_set_aside_from_one_file_keep_its_columns_and_order() {
    let desk = Desk::with(&[("shop.csv", &shop()), ("job.toml", &job_with(""))]);
    desk.done(&["run", "job.toml"]);
    let aside = desk.text("fair.receipt/set-aside.csv");
    let lines: Vec<&str> = aside.lines().collect();
    assert_eq!(lines[0], format!("No,E-Mail,Nachname,column 4,Newsletter note,{OWN}"));
    let source = shop();
    for (line, read) in [(lines[1], 2), (lines[2], 4)] {
        // What is pasted back is what was read, but for a formula, which a spreadsheet must not run.
        let read = source.lines().nth(read).unwrap().replace("@@", "'@@").replace("=1+1", "'=1+1");
        assert!(line.starts_with(&format!("{read},")), "{line}");
    }
    let merged = desk.sheet("fair.receipt/merged.csv");
    assert_eq!(merged.header[..5], desk.sheet("fair.receipt/set-aside.csv").header[..5]);
    assert_eq!(merged.columns(["No", "pebblebank_row", "pebblebank_survivor_row"]), [["3", "4", "2"]]);
}

#[rstest]
#[case::the_same_headers("No,Email,Town\n9,,Ives\n", "No,Email,Town")]
#[case::other_headers("Email,No,Town\n,9,Ives\n", "email,city,No,")]
fn files_share_their_columns_where_their_headers_are_the_same(#[case] second: &str, #[case] begins: &str) {
    let desk = Desk::with(&[("a.csv", "No,Email,Town\n1,ida@post.example,Leeds\n2,,Leeds\n"), ("b.csv", second)]);
    desk.done(&["clean", "a.csv", "b.csv", "-o", "out.csv"]);
    let aside = desk.text("out.set-aside.csv");
    assert!(aside.starts_with(begins) && aside.lines().next().unwrap().ends_with(OWN), "{aside}");
    let towns = desk.sheet("out.set-aside.csv");
    let town = towns.header.iter().find(|name| ["Town", "city"].contains(&name.as_str())).unwrap();
    assert_eq!(towns.column(town), ["Leeds", "Ives"]);
}

#[test]
fn rows_set_aside_are_known_again_and_read_as_they_were() {
    let desk = Desk::with(&[("shop.csv", &shop())]);
    desk.done(&["clean", "shop.csv", "-o", "out.csv"]);
    let proposed = desk.done(&["propose", "shop.csv", "out.set-aside.csv", "-o", "new.toml"]);
    assert!(desk.text("new.toml").contains("an earlier run wrote it aside: out.set-aside.csv"), "{}", proposed.stdout);
    let again = desk.done(&["clean", "out.set-aside.csv", "-o", "again.csv", "--accept", "write-at-least"]);
    let aside = desk.sheet("again.set-aside.csv");
    assert_eq!(aside.header.join(","), format!("No,E-Mail,Nachname,column 4,Newsletter note,{OWN}"));
    assert_eq!(aside.column("Nachname"), ["Quill; the elder", "'=1+1"], "{}", again.stdout);
}

#[rstest]
#[case::an_option(&["run", "job.toml", "--for-spreadsheet"], "")]
#[case::a_key(&["run", "job.toml"], "for_spreadsheet = true\n")]
fn files_for_spreadsheets_have_semicolons_and_a_mark(#[case] arguments: &[&str], #[case] key: &str) {
    let job = job_with("").replace("name = \"fair\"\n", &format!("name = \"fair\"\n{key}"));
    let desk = Desk::with(&[("shop.csv", &shop()), ("job.toml", &job)]);
    desk.done(arguments);
    let mut names = vec!["out.csv".to_owned()];
    let tables = std::fs::read_dir(desk.path("fair.receipt")).unwrap().map(|entry| entry.unwrap().file_name());
    let tables = tables
        .map(|name| name.into_string().unwrap())
        .filter(|name| Path::new(name).extension().is_some_and(|ending| ending == "csv"));
    // A single column has nothing to split.
    let tables = tables.filter(|name| name != "written.csv");
    names.extend(tables.map(|name| format!("fair.receipt/{name}")));
    assert!(names.len() > 6, "{names:?}");
    for name in names.iter().filter(|name| !desk.bytes(name).is_empty()) {
        let text = desk.text(name);
        let header = text.strip_prefix('\u{feff}').unwrap_or_else(|| panic!("{name} has no mark"));
        assert!(!header.lines().next().unwrap().contains(','), "{name}: {header}");
    }
    let aside = desk.text("fair.receipt/set-aside.csv");
    assert!(aside.contains("\n2;;\"Quill; the elder\";b;\"say \"\"hi\"\"\";blank-address;"), "{aside}");
    // Such files are read again like any other.
    let read = desk.json(&["clean", "fair.receipt/set-aside.csv", "-o", "again.csv", "--accept", "write-at-least"]);
    assert_eq!(read["all"]["read"], 2);
}

#[test]
fn what_a_layout_says_of_its_delimiter_holds_also_for_spreadsheets() {
    let layout = "[layout.plain]\ndelimiter = \",\"\ncolumns = [\"email\", \"last_name\"]\n";
    let job = job_with(layout).replace("file = \"out.csv\"", "file = \"out.csv\"\nlayout = \"plain\"");
    let desk = Desk::with(&[("shop.csv", &shop()), ("job.toml", &job)]);
    desk.done(&["run", "job.toml", "--for-spreadsheet"]);
    assert!(desk.text("out.csv").starts_with("email,last_name\n"));
}
