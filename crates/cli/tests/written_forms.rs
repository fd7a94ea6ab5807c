//! Import files of every form, read again by independent readers: any table through any layout has the cells that it had.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use calamine::{Reader as _, Xlsx, open_workbook};
use common::Desk;
use encoding_rs::Encoding;
use mail_parser::MessageParser;
use proptest::prelude::*;
use rstest::rstest;
use serde_json::{Map, Value};

/// What stands in the extra columns: all that a reader could take for something else.
fn cell() -> impl Strategy<Value = String> {
    let pieces = prop::sample::select(vec![
        "a", "Zoë", "0044", "1e5", "'", "\"", ",", ";", "\t", "|", "\n", "\r\n", " ", "=1+1", "@", "-", "é", "ß", "€",
        "\\", "{", "}",
    ]);
    prop::collection::vec(pieces, 0..5).prop_map(|pieces| pieces.concat())
}

fn rows() -> impl Strategy<Value = Vec<[String; 2]>> {
    prop::collection::vec([cell(), cell()], 1..8)
}

/// The form of a file of delimited text.
#[derive(Debug, Clone)]
struct Form {
    format: &'static str,
    delimiter: char,
    quotes_all: bool,
    line_end: &'static str,
    encoding: &'static str,
    has_header: bool,
    has_mark: bool,
}

fn form() -> impl Strategy<Value = Form> {
    let forms = (
        prop::sample::select(vec![("csv", ','), ("csv", ';'), ("csv", '|'), ("csv", '\t'), ("tsv", '\t')]),
        any::<bool>(),
        prop::sample::select(vec!["lf", "crlf"]),
        prop::sample::select(vec!["utf-8", "utf-16le", "utf-16be", "windows-1252"]),
        any::<bool>(),
        any::<bool>(),
    );
    forms.prop_map(|((format, delimiter), quotes_all, line_end, encoding, has_header, mark)| {
        let has_mark = encoding.starts_with("utf") && (mark || encoding != "utf-8");
        Form { format, delimiter, quotes_all, line_end, encoding, has_header, has_mark }
    })
}

impl Form {
    fn layout(&self) -> String {
        let delimiter = if self.delimiter == '\t' { "tab".to_owned() } else { self.delimiter.to_string() };
        format!(
            "format = \"{}\"\ndelimiter = \"{delimiter}\"\nquoting = \"{}\"\nline_end = \"{}\"\nencoding = \"{}\"\nheader = {}\nbyte_order_mark = {}\n",
            self.format,
            if self.quotes_all { "all" } else { "needed" },
            self.line_end,
            self.encoding,
            self.has_header,
            self.has_mark,
        )
    }

    fn read(&self, bytes: &[u8]) -> Vec<Vec<String>> {
        let (text, _, has_errors) = Encoding::for_label(self.encoding.as_bytes()).unwrap().decode(bytes);
        assert!(!has_errors);
        assert_eq!(
            bytes.starts_with(b"\xEF\xBB\xBF") && self.encoding == "utf-8",
            self.has_mark && self.encoding == "utf-8"
        );
        let mut reader = csv::ReaderBuilder::new();
        let reader = reader.delimiter(self.delimiter as u8).has_headers(self.has_header).from_reader(text.as_bytes());
        reader.into_records().map(|record| record.unwrap().iter().map(str::to_owned).collect()).collect()
    }
}

/// The table as a shop's export, with an address for each row.
fn desk_with(rows: &[[String; 2]]) -> Desk {
    let mut shop = csv::Writer::from_writer(Vec::new());
    shop.write_record(["email", "full_name", "Note A", "Note B"]).unwrap();
    for (place, row) in rows.iter().enumerate() {
        let (address, name) = (address(place), format!("Ida{place} Moss"));
        shop.write_record([&address, &name, &row[0], &row[1]]).unwrap();
    }
    let desk = Desk::new();
    desk.file("shop.csv", shop.into_inner().unwrap());
    desk
}

fn address(place: usize) -> String {
    format!("ida{place}@post.example")
}

fn job(file: &str, layout: &str) -> String {
    format!(
        "[job]\nname = \"fair\"\n[[source]]\nname = \"shop\"\nfiles = [\"shop.csv\"]\nheader_row = 1\ndelimiter = \",\"\n\
         not_consent = []\n[[write]]\nfile = \"{file}\"\nlayout = \"l\"\n[layout.l]\n\
         columns = [\"Address=email\", \"A=Note A\", \"B=Note B\"]\ndefuse = false\n{layout}"
    )
}

/// The rows as they are meant, each with its address.
fn meant(rows: &[[String; 2]]) -> Vec<Vec<String>> {
    rows.iter().enumerate().map(|(place, [a, b])| vec![address(place), a.clone(), b.clone()]).collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn delimited_text_has_the_cells_that_were_meant(rows in rows(), form in form()) {
        let desk = desk_with(&rows);
        desk.file("job.toml", job("out.csv", &form.layout()));
        desk.done(&["run", "job.toml"]);
        prop_assert_eq!(form.read(&desk.bytes("out.csv")), meant(&rows));
    }

    #[test]
    fn json_lines_have_the_cells_that_were_meant(rows in rows()) {
        let desk = desk_with(&rows);
        desk.file("job.toml", job("out.jsonl", ""));
        desk.done(&["run", "job.toml"]);
        let lines: Vec<Map<String, Value>> = desk.text("out.jsonl").lines().map(|line| serde_json::from_str(line).unwrap()).collect();
        let values = |line: &Map<String, Value>| ["Address", "A", "B"].map(|name| line[name].as_str().unwrap().to_owned()).to_vec();
        prop_assert!(lines.iter().all(|line| line.len() == 3));
        prop_assert_eq!(lines.iter().map(values).collect::<Vec<_>>(), meant(&rows));
    }

    #[test]
    fn a_workbook_has_the_cells_that_were_meant_all_as_text(rows in rows()) {
        let desk = desk_with(&rows);
        desk.file("job.toml", job("out.xlsx", ""));
        desk.done(&["run", "job.toml"]);
        let mut book: Xlsx<_> = open_workbook(desk.path("out.xlsx")).unwrap();
        let sheet = book.worksheet_range("Contacts").unwrap();
        let text = |cell: &calamine::Data| match cell {
            calamine::Data::String(text) => text.clone(),
            calamine::Data::Empty => String::new(),
            other => panic!("{other:?} is no text"),
        };
        let found: Vec<Vec<String>> = sheet.rows().skip(1).map(|row| {
            let mut cells: Vec<String> = row.iter().map(text).collect();
            cells.resize(3, String::new());
            cells
        }).collect();
        // XML keeps line ends as line feeds.
        let meant: Vec<Vec<String>> =
            meant(&rows).into_iter().map(|row| row.iter().map(|cell| cell.replace("\r\n", "\n")).collect()).collect();
        prop_assert_eq!(found, meant);
    }

    #[test]
    fn a_recipient_line_has_the_addresses_and_names_that_were_meant(
        names in prop::collection::vec("[A-Z][a-zë]{1,6}( [\"(.,;:<@A-Z][a-z]{1,5}){0,2}", 1..6),
        separator in prop::sample::select(vec![", ", "line"]),
    ) {
        let desk = Desk::new();
        let mut shop = csv::Writer::from_writer(Vec::new());
        shop.write_record(["email", "Shown"]).unwrap();
        for (place, name) in names.iter().enumerate() {
            shop.write_record([&address(place), name]).unwrap();
        }
        desk.file("shop.csv", shop.into_inner().unwrap());
        let layout = format!("format = \"recipient-line\"\nseparator = \"{separator}\"\n");
        let job = job("out.txt", &layout).replace("[\"Address=email\", \"A=Note A\", \"B=Note B\"]", "[\"email\", \"Shown\"]");
        desk.file("job.toml", job);
        desk.done(&["run", "job.toml"]);
        let line = desk.text("out.txt").trim_end().replace('\n', ", ");
        let message = format!("To: {line}\r\n\r\n");
        let message = MessageParser::default().parse(message.as_bytes()).unwrap();
        let found: Vec<(String, String)> = message.to().unwrap().iter().map(|to| {
            (to.address().unwrap_or_default().to_owned(), to.name().unwrap_or_default().to_owned())
        }).collect();
        let meant: Vec<(String, String)> =
            names.iter().enumerate().map(|(place, name)| (address(place), name.clone())).collect();
        prop_assert_eq!(found, meant);
    }
}

#[test]
fn characters_that_an_encoding_lacks_are_set_aside_or_written_as_the_nearest() {
    let rows = [
        ["Łukasz Dvořák".to_owned(), "plain".to_owned()],
        ["莉".to_owned(), String::new()],
        ["Zoë".to_owned(), String::new()],
    ];
    let desk = desk_with(&rows);
    for (lacking, expected, aside) in [("set-aside", vec!["Zoë"], 2), ("nearest", vec!["Lukasz Dvorák", "Zoë"], 1)] {
        desk.file(
            "job.toml",
            job("out.csv", &format!("encoding = \"windows-1252\"\nnot_in_encoding = \"{lacking}\"\n")),
        );
        let tally = desk.json(&["run", "job.toml", "--replace"]);
        let bytes = desk.bytes("out.csv");
        let (text, ..) = encoding_rs::WINDOWS_1252.decode(&bytes);
        let mut reader = csv::Reader::from_reader(text.as_bytes());
        let found: Vec<String> = reader.records().map(|record| record.unwrap()[1].to_owned()).collect();
        assert_eq!(found, expected);
        assert_eq!(tally["all"]["set_aside_by_reason"]["layout-violation"], aside);
    }
}

#[test]
fn an_address_is_never_changed_to_fit_an_encoding() {
    let desk = Desk::with(&[("shop.csv", "email,Note A,Note B\nida@łąka.example,x,y\nida@post.example,x,y\n")]);
    desk.file("job.toml", job("out.csv", "encoding = \"windows-1252\"\nnot_in_encoding = \"nearest\"\n"));
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").column("Address"), ["ida@post.example"]);
    let a_label = job("out.csv", "encoding = \"windows-1252\"\n")
        .replace("\"Address=email\"", "{ name = \"Address\", from = \"email\", form = \"a-label\" }");
    desk.file("job.toml", a_label);
    desk.done(&["run", "job.toml", "--replace"]);
    assert_eq!(desk.sheet("out.csv").column("Address"), ["ida@xn--ka-ola7v.example", "ida@post.example"]);
}

#[test]
fn files_hold_as_much_as_they_may_and_an_old_part_stops_the_run() {
    let rows: Vec<[String; 2]> = (0..7).map(|row| [format!("a{row}"), "b".to_owned()]).collect();
    let desk = desk_with(&rows);
    desk.file("job.toml", job("out.csv", "most_rows = 3\n"));
    let tally = desk.json(&["run", "job.toml"]);
    let parts: Vec<usize> = (1..=3).map(|part| desk.sheet(&format!("out-{part}.csv")).rows.len()).collect();
    assert_eq!(parts, [3, 3, 1]);
    assert_eq!(tally["written"][0]["files"].as_array().unwrap().len(), 3);
    assert!(!desk.has("out.csv") && !desk.has("out-4.csv"));
    // Two parts now: the third of before would be imported with them.
    desk.file("job.toml", job("out.csv", "most_rows = 4\n"));
    let before = desk.text("out-1.csv");
    let ran = desk.run(&["run", "job.toml", "--replace"]);
    assert_eq!(ran.status, 1, "{}", ran.stdout);
    assert!(ran.stderr.contains("out-3.csv") && ran.stderr.contains("later part"), "{}", ran.stderr);
    assert_eq!(desk.text("out-1.csv"), before);
    std::fs::remove_file(desk.path("out-3.csv")).unwrap();
    desk.done(&["run", "job.toml", "--replace"]);
    assert_eq!(desk.sheet("out-1.csv").rows.len(), 4);
    // No file is larger than it may be, and together they hold every row.
    desk.file("job.toml", job("by size {part}.csv", "most_bytes = \"80\"\n"));
    desk.done(&["run", "job.toml", "--receipt", "other.receipt"]);
    let sizes = desk.names().into_iter().filter(|name| name.starts_with("by size")).map(|name| desk.bytes(&name).len());
    assert!(sizes.clone().all(|size| size <= 80) && sizes.count() > 1);
}

#[test]
fn no_numbered_file_replaces_what_is_read() {
    let rows: Vec<[String; 2]> = (0..3).map(|row| [format!("a{row}"), String::new()]).collect();
    let desk = desk_with(&rows);
    std::fs::rename(desk.path("shop.csv"), desk.path("out-2.csv")).unwrap();
    desk.file("job.toml", job("out.csv", "most_rows = 1\n").replace("shop.csv", "out-2.csv"));
    let ran = desk.run(&["run", "job.toml", "--replace"]);
    assert_ne!(ran.status, 0);
    assert!(ran.stderr.contains("read by the job"), "{}", ran.stderr);
    assert_eq!(desk.sheet("out-2.csv").rows.len(), 3);
}

#[test]
fn what_a_sheet_cannot_hold_is_set_aside() {
    let rows = [
        ["x".repeat(32_768), String::new()],
        ["a\u{1}b".to_owned(), String::new()],
        ["fine".to_owned(), String::new()],
    ];
    let desk = desk_with(&rows);
    desk.file("job.toml", job("out.xlsx", ""));
    let tally = desk.json(&["run", "job.toml"]);
    assert_eq!(tally["all"]["set_aside_by_reason"]["layout-violation"], 2);
    assert_eq!(tally["written"][0]["rows"], 1);
}

#[test]
fn the_same_rows_give_the_same_workbook() {
    let rows = [["a".to_owned(), "b".to_owned()]];
    let desk = desk_with(&rows);
    let job = job("out.xlsx", "").replace("[job]\n", "[job]\ntoday = \"2026-03-05\"\n");
    desk.file("job.toml", job);
    desk.done(&["run", "job.toml"]);
    let first = desk.bytes("out.xlsx");
    desk.done(&["run", "job.toml", "--replace", "--threads", "1"]);
    assert!(first == desk.bytes("out.xlsx"));
}

#[rstest]
#[case::suppress(&["suppress", "shop.csv", "--against", "no.csv"])]
#[case::compare(&["compare", "shop.csv", "no.csv", "--where", "not in no", "--columns", "email,first_name"])]
fn copied_and_compared_rows_can_go_to_standard_output(#[case] command: &[&str]) {
    let desk = Desk::with(&[
        ("shop.csv", "email,first_name\nida@post.example,Ida\nhugo@post.example,Hugo\n"),
        ("no.csv", "email\nhugo@post.example\nzoe@post.example\n"),
    ]);
    let ran = desk.done(&[command, &["-o", "-"]].concat());
    assert_eq!(ran.stdout, "email,first_name\nida@post.example,Ida\n");
    assert!(!ran.stderr.is_empty() && !ran.stderr.contains("/rows"), "{}", ran.stderr);
    assert_eq!(desk.names(), ["no.csv", "shop.csv"]);
    let asked = desk.run(&[command, &["-o", "-", "--json"]].concat());
    assert_eq!(asked.status, 2, "{}", asked.stderr);
}
