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
            let tally = desk.json(&["clean", "a.csv", "b.csv", "-o", "o.csv", "--receipt", "r", "--replace", "--threads", threads]);
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
        desk.done(&["clean", "shop.csv", "-o", "out.csv"]);
        let sheet = desk.sheet("out.csv");
        prop_assert_eq!(sheet.column("my own column"), notes);
    }
}
