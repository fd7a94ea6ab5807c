//! Who is added to a master list, counted a second time by a few plain lines over made-up files.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::Desk;
use proptest::prelude::*;
use std::collections::BTreeSet;

const STATUSES: [&str; 3] = ["subscribed", "unsubscribed", ""];

/// A row of a new file: whose it is, in what manner it is written, and what its status says.
type NewRow = (Option<usize>, usize, usize);

fn address(person: usize) -> String {
    format!("p{person}@d{}.example", person % 3)
}

fn typed(person: usize, manner: usize) -> String {
    match manner {
        0 => address(person),
        1 => format!(" {} ", address(person).to_uppercase()),
        2 => format!("Ida <{}>", address(person)),
        _ => format!("{};", address(person)),
    }
}

fn new_rows() -> impl Strategy<Value = Vec<NewRow>> {
    prop::collection::vec(
        (prop_oneof![9 => (0..24usize).prop_map(Some), 1 => Just(None)], 0..4usize, 0..STATUSES.len()),
        1..25,
    )
}

/// The file of new people; its first row is certain, so that its columns are.
fn new_file(rows: &[NewRow]) -> String {
    let cell = |person: &Option<usize>, manner: usize| person.map_or(String::new(), |person| typed(person, manner));
    let row = |(person, manner, status): &NewRow| format!("\"{}\",Ida,{}\n", cell(person, *manner), STATUSES[*status]);
    format!("email,name,Status\nfirst@d9.example,Ida,subscribed\n{}", rows.iter().map(row).collect::<String>())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn whoever_is_new_and_may_be_contacted_is_added_once_and_the_master_stays_byte_for_byte(
        master in prop::collection::vec((0..24usize, 0..4usize, "[a-c,\" ]{0,4}"), 0..15),
        ends_in_line_end: bool,
        files in prop::collection::vec(new_rows(), 1..3),
        listed in prop::collection::btree_set(0..24usize, 1..4),
        remembered in prop::collection::btree_set(0..24usize, 0..4),
        domain in prop::option::weighted(0.3, 0..3usize),
    ) {
        let note = |note: &String| format!("\"{}\"", note.replace('"', "\"\""));
        let mut rows = vec!["Note;E-Mail;Town".to_owned(), "x;master@d8.example;Larkfold".to_owned()];
        rows.extend(master.iter().map(|(person, manner, text)| format!("{};\"{}\";", note(text), typed(*person, *manner))));
        let mut master_text = rows.join("\r\n");
        if ends_in_line_end {
            master_text += "\r\n";
        }
        let mut list: Vec<String> = listed.iter().map(|person| address(*person)).collect();
        list.extend(domain.map(|domain| format!("@d{domain}.example")));
        let desk = Desk::with(&[("master.csv", &master_text), ("no.csv", &format!("email\n{}\n", list.join("\n")))]);
        let names: Vec<String> = (0..files.len()).map(|number| format!("new{number}.csv")).collect();
        for (name, rows) in names.iter().zip(&files) {
            desk.file(name, new_file(rows));
        }
        for person in &remembered {
            desk.done(&["bank", "add", &address(*person), "--as", "opted-out"]);
        }
        let mut command = vec!["top-up", "master.csv", "--against", "no.csv", "-o", "out.csv", "--accept", "unread-entries"];
        command.extend(["--accept", "holds-most", "--accept", "same-as-source", "--from"]);
        command.extend(names.iter().map(String::as_str));
        let done = desk.json(&command);

        // The plain way: one new row after the other, of people whom nothing and nobody holds.
        let all: Vec<&NewRow> = files.iter().flatten().collect();
        let opted_out: BTreeSet<usize> =
            all.iter().filter(|(_, _, status)| STATUSES[*status] == "unsubscribed").filter_map(|row| row.0).collect();
        let mut there: BTreeSet<String> = master.iter().map(|(person, ..)| address(*person)).collect();
        let mut added = Vec::new();
        for rows in &files {
            let first = (None, "first@d9.example".to_owned());
            for (person, address) in
                std::iter::once(first).chain(rows.iter().filter_map(|row| row.0).map(|person| (Some(person), address(person))))
            {
                let is_held = person.is_some_and(|person| {
                    opted_out.contains(&person) || listed.contains(&person) || remembered.contains(&person) || domain == Some(person % 3)
                });
                if !is_held && there.insert(address.clone()) {
                    added.push(address);
                }
            }
        }

        let written = desk.text("out.csv");
        prop_assert!(written.starts_with(&master_text), "the master's bytes come first\n{}", written);
        let mut reader = csv::ReaderBuilder::new().delimiter(b';').from_reader(written.as_bytes());
        let cells: Vec<String> = reader.records().map(|record| record.unwrap()[1].to_owned()).collect();
        let below: BTreeSet<&String> = cells[master.len() + 1..].iter().collect();
        prop_assert_eq!(below.len(), cells.len() - master.len() - 1, "nobody is added twice");
        prop_assert_eq!(below, added.iter().collect::<BTreeSet<_>>());
        prop_assert_eq!(&done["added"], added.len());
        let aside = desk.sheet("out.set-aside.csv");
        let count = |key: &str| done["tally"]["all"][key].as_u64().unwrap();
        prop_assert_eq!(count("read"), count("written") + count("merged") + count("set_aside"));
        for person in opted_out.iter().chain(&remembered).chain(&listed).filter(|person| !there.contains(&address(**person))) {
            let is_read = all.iter().any(|row| row.0 == Some(*person));
            let is_kept = aside.column("email").iter().any(|cell| cell.to_lowercase().contains(&address(*person)));
            prop_assert_eq!(is_kept, is_read, "{} is kept where it was left out", address(*person));
        }
    }
}
