//! The numbers of a survey, counted a second time by a few plain lines over made-up files in any encoding, dialect and packing.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::Desk;
use proptest::prelude::*;
use std::collections::BTreeSet;
use std::io::Write;

/// Words that stand for nothing in columns of any kind but names.
const BLANK_WORDS: [&str; 3] = ["n/a", "-", "#N/A"];

/// How a file is written down.
#[derive(Debug, Clone, Copy)]
struct Manner {
    delimiter: u8,
    line_end: &'static str,
    encoding: Encoding,
    is_packed: bool,
}

#[derive(Debug, Clone, Copy, PartialEq)]
enum Encoding {
    Utf8,
    Utf8WithMark,
    Utf16,
}

fn manner() -> impl Strategy<Value = Manner> {
    let encoding = prop_oneof![Just(Encoding::Utf8), Just(Encoding::Utf8WithMark), Just(Encoding::Utf16)];
    let delimiter = prop_oneof![Just(b','), Just(b';'), Just(b'\t')];
    (delimiter, prop_oneof![Just("\n"), Just("\r\n")], encoding, any::<bool>())
        .prop_map(|(delimiter, line_end, encoding, is_packed)| Manner { delimiter, line_end, encoding, is_packed })
}

fn town() -> impl Strategy<Value = String> {
    prop_oneof![
        4 => prop::sample::select(vec!["Larkfold", "Quillmere", "Fennel, Cross", "Zürich; am See", "a \"b\""]).prop_map(str::to_owned),
        1 => Just(String::new()),
        1 => Just("  ".to_owned()),
        1 => prop::sample::select(BLANK_WORDS.to_vec()).prop_map(str::to_owned),
    ]
}

/// The cells of a file as bytes, written by an independent writer.
fn written(rows: &[Vec<String>], manner: Manner) -> Vec<u8> {
    let mut writer = csv::WriterBuilder::new().delimiter(manner.delimiter).from_writer(Vec::new());
    for row in rows {
        writer.write_record(row).unwrap();
    }
    let text = String::from_utf8(writer.into_inner().unwrap()).unwrap().replace('\n', manner.line_end);
    let bytes = match manner.encoding {
        Encoding::Utf8 => text.into_bytes(),
        Encoding::Utf8WithMark => format!("\u{feff}{text}").into_bytes(),
        Encoding::Utf16 => format!("\u{feff}{text}").encode_utf16().flat_map(u16::to_le_bytes).collect(),
    };
    if !manner.is_packed {
        return bytes;
    }
    let mut packer = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    packer.write_all(&bytes).unwrap();
    packer.finish().unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, max_shrink_iters: 100, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn a_survey_counts_what_is_there(
        people in prop::collection::vec((prop::option::weighted(0.9, 0..12usize), town(), 0..4usize), 1..40),
        manner in manner(),
    ) {
        let mut rows = vec![["E-Mail", "Town", "Seats"].map(str::to_owned).to_vec(), ["first@d.example", "Larkfold", "1"].map(str::to_owned).to_vec()];
        rows.extend(people.iter().map(|(person, town, seats)| {
            vec![person.map_or(String::new(), |person| format!("p{person}@d.example")), town.clone(), seats.to_string()]
        }));
        let desk = Desk::new();
        desk.file("shop.csv", written(&rows, manner));
        let survey = desk.json(&["survey", "shop.csv"]);
        let file = &survey["files"][0];
        prop_assert_eq!(&file["rows"], rows.len() - 1);
        prop_assert_eq!(&file["header_row"], 1);
        prop_assert_eq!(&file["other_lines"], &serde_json::json!({ "header": 1 }));
        prop_assert_eq!(file["packed"].is_string(), manner.is_packed);
        prop_assert_eq!(file["encoding"].as_str().unwrap().starts_with("UTF-16"), manner.encoding == Encoding::Utf16);
        for (place, name) in ["E-Mail", "Town", "Seats"].iter().enumerate() {
            let column = &file["columns"][place];
            let values: Vec<&str> = rows[1..].iter().map(|row| row[place].trim()).filter(|value| !value.is_empty()).collect();
            let is_word = |value: &&str| BLANK_WORDS.contains(value);
            let words = values.iter().filter(|value| is_word(value)).count();
            prop_assert_eq!(&column["header"], *name);
            prop_assert_eq!(&column["blank_words"], words, "{}: {:?}", name, values);
            prop_assert_eq!(&column["filled"], values.len() - words, "{}: {:?}", name, values);
            let distinct: BTreeSet<String> = values.iter().filter(|value| !is_word(value)).map(|value| value.to_lowercase()).collect();
            prop_assert_eq!(&column["distinct"], distinct.len(), "{}: {:?}", name, distinct);
        }
        // The same rows, however they are written down, give the same cells.
        let plain = Manner { delimiter: b',', line_end: "\n", encoding: Encoding::Utf8, is_packed: false };
        desk.file("plain.csv", written(&rows, plain));
        for (input, output) in [("shop.csv", "a.csv"), ("plain.csv", "b.csv")] {
            desk.done(&["clean", input, "-o", output]);
        }
        let (a, b) = (desk.sheet("a.csv"), desk.sheet("b.csv"));
        prop_assert_eq!((a.header, a.rows), (b.header, b.rows));
    }
}
