//! What is no delimited text gives the rows that stand in it, whatever is in the cells and however it is written.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, Sheet};
use proptest::prelude::*;
use serde_json::json;

/// The rows of a file, as they are read: parted into one file.
fn rows_of(name: &str, bytes: &[u8]) -> Sheet {
    let desk = Desk::new();
    desk.file(name, bytes);
    desk.done(&["split", name, "--rows-per-file", "1000", "-o", "parts"]);
    let parts: Vec<_> = std::fs::read_dir(desk.path("parts")).unwrap().collect();
    assert_eq!(parts.len(), 1);
    desk.sheet(&format!("parts/{}", parts[0].as_ref().unwrap().file_name().to_string_lossy()))
}

/// A cell with whatever a person may write, but for blanks at its ends.
fn text() -> impl Strategy<Value = String> {
    prop_oneof![
        3 => "[A-Zß][a-zé]{1,6}( [A-Z][a-z]{1,6})?",
        1 => "[a-z][;,\"\\\\' :a-z]{0,8}[a-z]",
        1 => "[A-Z][a-z]\n[a-z]{1,3}",
    ]
}

fn address() -> impl Strategy<Value = String> {
    "[a-d]{1,3}(\\+[a-d])?@[x-z]{1,2}\\.example"
}

/// A name in the quotes of RFC 5322, which is needed for anything but plain words.
fn in_quotes(name: &str) -> String {
    format!("\"{}\"", name.replace('\\', "\\\\").replace('"', "\\\""))
}

/// A value of RFC 6350: escaped, and folded where the line grows long.
fn card_line(name: &str, value: &str) -> String {
    let escaped = value.replace('\\', "\\\\").replace('\n', "\\n").replace(',', "\\,").replace(';', "\\;");
    let line: Vec<char> = format!("{name}:{escaped}").chars().collect();
    let parts: Vec<String> = line.chunks(20).map(|part| part.iter().collect()).collect();
    parts.join("\r\n ") + "\r\n"
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    #[test]
    fn a_recipients_line_gives_each_recipient_with_the_name(
        people in prop::collection::vec((prop::option::of("[A-Z][a-zé,;\"@<>()\\\\ ]{0,8}[a-z]"), address()), 2..8),
        separators in prop::collection::vec(prop::sample::select(vec![", ", "; ", ";\n", ",\r\n "]), 8),
    ) {
        let mut line = String::from("To: ");
        for (place, ((name, address), separator)) in people.iter().zip(&separators).enumerate() {
            let before = if place == 0 { "" } else { separator };
            let recipient = name.as_ref().map_or(address.clone(), |name| format!("{} <{address}>", in_quotes(name)));
            line += &format!("{before}{recipient}");
        }
        let sheet = rows_of("line.txt", line.as_bytes());
        prop_assert_eq!(sheet.column("email"), people.iter().map(|(_, address)| address.as_str()).collect::<Vec<_>>());
        if people.iter().any(|(name, _)| name.is_some()) {
            let name = |name: &Option<String>| name.iter().flat_map(|name| name.split_whitespace()).collect::<Vec<_>>().join(" ");
            let meant: Vec<String> = people.iter().map(|person| name(&person.0)).collect();
            prop_assert_eq!(sheet.column("full_name"), meant);
        }
    }

    #[test]
    fn lines_of_json_give_their_values_under_their_names(
        rows in prop::collection::vec((address(), prop::option::of(text()), any::<i32>(), any::<bool>()), 1..8),
        as_array: bool,
    ) {
        let objects: Vec<_> = rows.iter().map(|(email, note, number, yes)| match note {
            Some(note) => json!({ "email": email, "own note": note, "number": number, "deep": { "yes": yes } }),
            None => json!({ "email": email, "number": number, "deep": { "yes": yes } }),
        }).collect();
        let text = if as_array {
            serde_json::to_string_pretty(&objects).unwrap()
        } else {
            objects.iter().map(|object| object.to_string() + "\n").collect()
        };
        let sheet = rows_of("rows.json", text.as_bytes());
        prop_assert_eq!(sheet.column("email"), rows.iter().map(|row| row.0.as_str()).collect::<Vec<_>>());
        prop_assert_eq!(sheet.column("number"), rows.iter().map(|row| row.2.to_string()).collect::<Vec<_>>());
        prop_assert_eq!(sheet.column("deep.yes"), rows.iter().map(|row| row.3.to_string()).collect::<Vec<_>>());
        if rows.iter().any(|row| row.1.is_some()) {
            prop_assert_eq!(sheet.column("own note"), rows.iter().map(|row| row.1.as_deref().unwrap_or_default()).collect::<Vec<_>>());
        }
    }

    #[test]
    fn a_file_of_cards_gives_a_row_a_card(cards in prop::collection::vec((address(), text(), text(), text()), 1..6)) {
        let mut file = String::new();
        for (email, first, last, note) in &cards {
            let [first, last] = [first, last].map(|name| name.replace('\n', " "));
            let names = [&last, &first].map(|name| name.replace('\\', "\\\\").replace('\n', "\\n").replace(',', "\\,").replace(';', "\\;"));
            file += "BEGIN:VCARD\r\nVERSION:3.0\r\n";
            file += &format!("N:{};{};;;\r\n", names[0], names[1]);
            file += &card_line("FN", &format!("{first} {last}"));
            file += &card_line("EMAIL;TYPE=home", email);
            file += &card_line("NOTE", note);
            file += "END:VCARD\r\n";
        }
        let sheet = rows_of("cards.vcf", file.as_bytes());
        prop_assert_eq!(sheet.column("email"), cards.iter().map(|card| card.0.as_str()).collect::<Vec<_>>());
        prop_assert_eq!(sheet.column("first_name"), cards.iter().map(|card| card.1.replace('\n', " ")).collect::<Vec<_>>());
        prop_assert_eq!(sheet.column("last_name"), cards.iter().map(|card| card.2.replace('\n', " ")).collect::<Vec<_>>());
        prop_assert_eq!(sheet.column("notes"), cards.iter().map(|card| card.3.as_str()).collect::<Vec<_>>());
    }

    #[test]
    fn a_packed_file_is_read_as_what_is_in_it(rows in prop::collection::vec((address(), text()), 1..6)) {
        let mut writer = csv::Writer::from_writer(Vec::new());
        writer.write_record(["email", "own note"]).unwrap();
        for (email, note) in &rows {
            writer.write_record([email, note]).unwrap();
        }
        let plain = writer.into_inner().unwrap();
        let meant = rows_of("rows.csv", &plain).rows;
        for (name, packed) in [("rows.csv.gz", gzip(&plain)), ("rows.csv.zst", zstd::encode_all(&plain[..], 3).unwrap())] {
            prop_assert_eq!(&rows_of(name, &packed).rows, &meant, "{}", name);
        }
    }
}

fn gzip(bytes: &[u8]) -> Vec<u8> {
    use std::io::Write;
    let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    encoder.write_all(bytes).unwrap();
    encoder.finish().unwrap()
}
