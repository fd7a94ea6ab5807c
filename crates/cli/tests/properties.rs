//! What must hold whatever the rows are.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::Desk;
use proptest::prelude::*;

fn cell() -> impl Strategy<Value = String> {
    prop_oneof![
        4 => "[a-c]@[x-y]\\.example",
        2 => "[A-C]@x\\.example;?",
        1 => Just(String::new()),
        1 => "[ a-c,;\"\t=+-]{0,5}",
        1 => Just("a\nb".to_owned()),
        1 => Just("\"open".to_owned()),
        1 => Just("unsubscribed".to_owned()),
        1 => Just("Total".to_owned()),
        1 => Just("email".to_owned()),
    ]
}

/// Any mess of rows: cells with or without their quotes, rows of any length, any line ends.
fn mess() -> impl Strategy<Value = String> {
    let written = (cell(), any::<bool>())
        .prop_map(|(cell, quoted)| if quoted { format!("\"{}\"", cell.replace('"', "\"\"")) } else { cell });
    let row = (prop::collection::vec(written, 0..5), prop_oneof![Just("\n"), Just("\r\n"), Just("\n\n")]);
    prop::collection::vec(row, 0..30)
        .prop_map(|rows| rows.into_iter().map(|(cells, end)| format!("{}{end}", cells.join(","))).collect())
}

/// A person as exports have them: address, name, town, and a number of the shop's own.
fn person() -> impl Strategy<Value = [String; 4]> {
    let address = prop_oneof![
        6 => "[a-d]{1,2}@[x-y]\\.example",
        1 => " [A-D]@X\\.example ;",
        1 => "<[a-d]@y\\.example>",
        1 => Just(String::new()),
    ];
    let name = prop::sample::select(vec![
        "Ida Moss",
        "MOSS, IDA",
        "dr. anna o'neil",
        "van der Berg",
        "n/a",
        "",
        "  Zoë  Ash ",
    ]);
    let town =
        prop::sample::select(vec!["Larkfold", "larkfold ", "QUILLMERE", "Fennel Cross", "", "Larkfold, Larkfold"]);
    let number = prop::sample::select(vec!["7", "12", "100", "", "9"]);
    (address, name, town, number)
        .prop_map(|(address, name, town, number)| [address, name.to_owned(), town.to_owned(), number.to_owned()])
}

fn people_file(rows: &[[String; 4]]) -> String {
    let mut writer = csv::Writer::from_writer(Vec::new());
    writer.write_record(["email", "full name", "city", "Basket"]).unwrap();
    for row in rows {
        writer.write_record(row).unwrap();
    }
    String::from_utf8(writer.into_inner().unwrap()).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, max_shrink_iters: 400, ..ProptestConfig::default() })]

    #[test]
    fn any_mess_of_rows_balances_and_gives_the_same_bytes_on_any_number_of_threads(first in mess(), second in mess()) {
        let desk = Desk::with(&[
            ("a.csv", &format!("email,name,status\n{first}")),
            ("b.csv", &format!("status,email\n{second}")),
        ]);
        let mut earlier = None;
        for threads in ["1", "3"] {
            let tally = desk.json(&["clean", "a.csv", "b.csv", "-o", "o.csv", "--receipt", "r", "--replace", "--accept", "write-at-least", "--accept", "another-table", "--threads", threads]);
            let count = |key: &str| tally["all"][key].as_u64().unwrap();
            prop_assert_eq!(count("read"), count("written") + count("merged") + count("set_aside"));
            prop_assert_eq!(count("written"), desk.sheet("o.csv").rows.len() as u64);
            prop_assert_eq!(count("set_aside"), desk.sheet("r/set-aside.csv").rows.len() as u64);
            prop_assert_eq!(count("merged"), desk.sheet("r/merged.csv").rows.len() as u64);
            let lines: u64 = tally["sources"].as_array().unwrap().iter().flat_map(|source| source["files"].as_array().unwrap())
                .map(|file| file["rows"].as_u64().unwrap() + file["other_lines"].as_object().unwrap().values().map(|n| n.as_u64().unwrap()).sum::<u64>())
                .sum();
            prop_assert!(lines >= count("read") + 2);
            let bytes = ["o.csv", "r/set-aside.csv", "r/merged.csv", "r/repairs.csv", "r/people.idx", "r/tally.json"].map(|name| desk.bytes(name));
            prop_assert!(earlier.is_none_or(|earlier| earlier == bytes));
            earlier = Some(bytes);
        }
        let mut addresses: Vec<String> = desk.sheet("o.csv").column("email").into_iter().map(str::to_owned).collect();
        let written = addresses.len();
        addresses.sort();
        addresses.dedup();
        prop_assert_eq!(addresses.len(), written, "nobody is written twice");
    }

    #[test]
    fn what_was_read_is_what_a_reader_of_the_import_file_gets_back(
        notes in prop::collection::vec("[a-c,;|\"\n éß][a-c,;|\t\"\n éß]{0,8}[a-z]", 1..20),
        delimiter in prop_oneof![Just(b','), Just(b';'), Just(b'\t'), Just(b'|')],
        crlf: bool,
    ) {
        let terminator = if crlf { csv::Terminator::CRLF } else { csv::Terminator::Any(b'\n') };
        let mut writer = csv::WriterBuilder::new().delimiter(delimiter).terminator(terminator).from_writer(Vec::new());
        writer.write_record(["email", "first name", "my own column"]).unwrap();
        for (n, note) in notes.iter().enumerate() {
            writer.write_record([format!("p{n}@x.example").as_str(), "Ida", note]).unwrap();
        }
        let desk = Desk::new();
        desk.file("shop.csv", writer.into_inner().unwrap());
        desk.done(&["clean", "shop.csv", "-o", "out.csv", "--accept", "write-at-least"]);
        let sheet = desk.sheet("out.csv");
        prop_assert_eq!(sheet.column("my own column"), notes);
    }

    #[test]
    fn what_was_cleaned_once_is_clean(rows in prop::collection::vec(person(), 1..15)) {
        let desk = Desk::with(&[("shop.csv", &people_file(&rows))]);
        desk.done(&["clean", "shop.csv", "-o", "once.csv", "--country", "GB", "--accept", "write-at-least"]);
        desk.done(&["clean", "once.csv", "-o", "twice.csv", "--country", "GB", "--accept", "write-at-least"]);
        prop_assert_eq!(desk.text("twice.csv"), desk.text("once.csv"));
    }

    #[test]
    fn the_order_of_files_never_changes_who_is_written(
        first in prop::collection::vec(person(), 1..10),
        second in prop::collection::vec(person(), 1..10),
    ) {
        let desk = Desk::with(&[("a.csv", &people_file(&first)), ("b.csv", &people_file(&second))]);
        let written = |files: [&str; 2]| {
            desk.done(&["clean", files[0], files[1], "-o", "out.csv", "--replace", "--accept", "write-at-least"]);
            let mut all: Vec<String> = desk.sheet("out.csv").column("email").into_iter().map(str::to_owned).collect();
            all.sort();
            all
        };
        prop_assert_eq!(written(["a.csv", "b.csv"]), written(["b.csv", "a.csv"]));
    }

    #[test]
    fn a_sorted_file_is_in_order_with_blanks_last_and_equals_as_read(rows in prop::collection::vec(person(), 1..15)) {
        let rows: Vec<[String; 4]> = rows.into_iter().enumerate().map(|(number, row)| [format!("p{number}@x.example"), row[1].clone(), row[2].clone(), row[3].clone()]).collect();
        let desk = Desk::with(&[("shop.csv", &people_file(&rows))]);
        desk.done(&["clean", "shop.csv", "-o", "out.csv", "--sort", "city, Basket descending", "--accept", "write-at-least"]);
        let sheet = desk.sheet("out.csv");
        let key = |row: &[&str; 3]| {
            let [email, city, basket] = row;
            let number: i64 = email[1..].split('@').next().unwrap().parse().unwrap();
            let basket = basket.parse::<i64>().ok();
            (city.is_empty(), city.to_lowercase(), basket.is_none(), std::cmp::Reverse(basket), number)
        };
        let keys: Vec<_> = sheet.columns(["email", "city", "Basket"]).iter().map(key).collect();
        prop_assert!(keys.is_sorted(), "{:?}", sheet.rows);
        prop_assert_eq!(keys.len(), rows.len());
    }

    #[test]
    fn the_parts_of_a_list_hold_every_row_once_as_it_was(
        rows in prop::collection::vec(person(), 1..15),
        how in prop::sample::select(vec![&["--by", "city"][..], &["--by", "domain"], &["--rows-per-file", "4"], &["--parts", "3"], &["--by", "city", "--at-least", "3"]]),
    ) {
        let desk = Desk::with(&[("shop.csv", &people_file(&rows))]);
        let ran = desk.run(&[&["split", "shop.csv", "-o", "parts"], how].concat());
        prop_assert_eq!(ran.status, 0, "{:?} {}", how, ran.stderr);
        prop_assume!(desk.has("parts"));
        let mut parted: Vec<Vec<String>> = Vec::new();
        for entry in std::fs::read_dir(desk.path("parts")).unwrap() {
            let name = format!("parts/{}", entry.unwrap().file_name().to_string_lossy());
            let sheet = desk.sheet(&name);
            // Values are compared as they are cleaned: a town written twice in a cell is one.
            let town = |city: &str| city.split(',').next().unwrap_or_default().trim().to_lowercase();
            let towns: std::collections::BTreeSet<String> = sheet.column("city").into_iter().map(town).collect();
            prop_assert!(how != ["--by", "city"] || towns.len() == 1, "{}: {:?}", name, towns);
            parted.extend(sheet.rows);
        }
        // A row without anything in it is an empty line.
        let is_contact = |row: &Vec<String>| row.iter().any(|cell| !cell.trim().is_empty());
        let mut meant: Vec<Vec<String>> = desk.sheet("shop.csv").rows.into_iter().filter(is_contact).collect();
        parted.sort();
        meant.sort();
        prop_assert_eq!(parted, meant);
    }

    #[test]
    fn a_survey_counts_what_is_there(rows in prop::collection::vec(person(), 1..20)) {
        let desk = Desk::with(&[("shop.csv", &people_file(&rows))]);
        let survey = desk.json(&["survey", "shop.csv"]);
        let file = &survey["files"][0];
        let is_empty = |row: &&[String; 4]| row.iter().all(|cell| cell.trim().is_empty());
        prop_assert_eq!(file["rows"].as_u64().unwrap(), rows.iter().filter(|row| !is_empty(row)).count() as u64);
        for (place, column) in file["columns"].as_array().unwrap().iter().enumerate() {
            let filled: Vec<&str> = rows.iter().map(|row| row[place].trim()).filter(|cell| !cell.is_empty()).collect();
            let distinct: std::collections::BTreeSet<&str> = filled.iter().copied().collect();
            let blank_words = column["blank_words"].as_u64().unwrap();
            prop_assert_eq!(column["filled"].as_u64().unwrap() + blank_words, filled.len() as u64, "{}", column);
            prop_assert!(column["distinct"].as_u64().unwrap() <= distinct.len() as u64, "{}", column);
        }
    }
}

/// A job with all that follows an order: keys of several fields, values to be filled, rows to be sorted, near misses.
const ORDERED: &str = "[job]\nname = \"fair\"\ncountry = \"GB\"\n[[source]]\nname = \"a\"\nfiles = [\"a.csv\"]\n[[source]]\nname = \"b\"\nfiles = [\"b.csv\"]\n\
    [person]\nsame = [\"email\", \"Basket + full_name\"]\nfill = true\n\
    [[suppress]]\nname = \"no\"\nfiles = [\"no.csv\"]\nreason = \"bounced\"\n\
    [[suppress]]\nname = \"names\"\nfiles = [\"names.csv\"]\nby = \"full_name\"\nreason = \"do-not-contact\"\n\
    [guard]\nwrite_at_least = 0\naccept = { holds-most = 99999, matches-nobody = 9 }\n\
    [[write]]\nfile = \"o.csv\"\nlayout = \"sorted\"\n[layout.sorted]\nsort = \"city, email descending\"\n\
    columns = [{ name = \"email\", from = \"email\" }, { name = \"city\", from = \"city\" }, { name = \"basket\", from = \"Basket\" }]\n";

proptest! {
    #![proptest_config(ProptestConfig { cases: 16, max_shrink_iters: 40, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn the_bytes_of_a_job_with_everything_are_the_same_with_any_memory_and_threads(
        first in prop::collection::vec(person(), 1..60),
        second in prop::collection::vec(person(), 1..60),
        times in 1..60usize,
    ) {
        // Many rows of few people, each copy with a town of its own.
        let many = |rows: &[[String; 4]]| -> Vec<[String; 4]> {
            let copy = |time: usize, [address, name, town, number]: &[String; 4]| {
                [address.clone(), name.clone(), format!("{town}{}", time % 3), number.clone()]
            };
            (0..times).flat_map(|time| rows.iter().map(move |row| copy(time, row))).collect()
        };
        let desk = Desk::with(&[
            ("a.csv", &people_file(&many(&first))),
            ("b.csv", &people_file(&many(&second))),
            ("no.csv", "email\na@x.example\nbb@y.example\naa@y.exampl\n"),
            ("names.csv", "full name\nMoss Ida\n"),
            ("job.toml", ORDERED),
        ]);
        let mut earlier = None;
        for (memory, threads) in [("64MiB", "1"), ("64MiB", "3"), ("1GiB", "2"), ("1GiB", "8")] {
            desk.done(&["run", "job.toml", "--replace", "--memory", memory, "--threads", threads]);
            let names = ["o.csv", "set-aside.csv", "merged.csv", "repairs.csv", "people.idx", "tally.json"];
            let bytes = names.map(|name| desk.bytes(&if name == "o.csv" { name.to_owned() } else { format!("fair.receipt/{name}") }));
            prop_assert!(earlier.is_none_or(|earlier| earlier == bytes), "with {} and {} threads", memory, threads);
            earlier = Some(bytes);
        }
    }
}
