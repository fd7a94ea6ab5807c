//! What is held against lists, counted a second time the plain way: near misses, overlaps, and what is taken out of a list.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};

/// Addresses that are often a letter, a tag or nothing apart.
fn address() -> impl Strategy<Value = String> {
    (
        prop::sample::select(vec!["robin", "robyn", "robins", "rboin", "robin1", "robin2", "r.obin", "marten"]),
        prop::sample::select(vec!["", "", "", "+fair", "+news"]),
        prop::sample::select(vec!["inkwell.example", "inkwel.example", "inkwell.example", "harbour.example"]),
    )
        .prop_map(|(local, tag, domain)| format!("{local}{tag}@{domain}"))
}

fn addresses(most: usize) -> impl Strategy<Value = BTreeSet<String>> {
    prop::collection::btree_set(address(), 0..most)
}

/// Whether one typo makes one text of the other: a letter more, less or other, or two neighbours swapped.
fn is_typo(a: &str, b: &str) -> bool {
    let (a, b): (Vec<char>, Vec<char>) = (a.chars().collect(), b.chars().collect());
    let (short, long) = if a.len() <= b.len() { (&a, &b) } else { (&b, &a) };
    match long.len() - short.len() {
        0 => {
            let other: Vec<usize> = (0..a.len()).filter(|place| a[*place] != b[*place]).collect();
            match other.as_slice() {
                [_] => true,
                [one, two] => two - one == 1 && a[*one] == b[*two] && a[*two] == b[*one],
                _ => false,
            }
        }
        1 => (0..long.len()).any(|place| [&long[..place], &long[place + 1..]].concat() == *short),
        _ => false,
    }
}

/// The same but for digits is no typo: people number their addresses.
fn are_numbered(a: &str, b: &str) -> bool {
    let letters = |text: &str| text.chars().filter(|sign| !sign.is_ascii_digit()).collect::<String>();
    letters(a) == letters(b)
}

fn without_tag(address: &str) -> String {
    let (local, domain) = address.split_once('@').unwrap();
    format!("{}@{domain}", local.split('+').next().unwrap())
}

fn are_close(entry: &str, contact: &str) -> bool {
    let ((local, domain), (other, other_domain)) = (entry.split_once('@').unwrap(), contact.split_once('@').unwrap());
    let one_typo = |a: &str, b: &str| is_typo(a, b) && !are_numbered(a, b);
    entry != contact
        && (without_tag(entry) == without_tag(contact)
            || domain == other_domain && one_typo(local, other)
            || local == other && one_typo(domain, other_domain))
}

fn file(addresses: impl IntoIterator<Item = String>) -> String {
    std::iter::once("email".to_owned()).chain(addresses).map(|line| line + "\n").collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    #[test]
    fn near_misses_are_the_pairs_that_are_close_of_entries_of_nobody_and_contacts_that_nothing_holds(
        contacts in addresses(10),
        entries in addresses(10),
        broken in prop::collection::btree_set(prop::sample::select(vec!["ro..bin", "robin.", "r..obin", "rob..yn"]), 0..3),
        ignores_tags: bool,
    ) {
        prop_assume!(!contacts.is_empty());
        // Invalid addresses match nobody here, and may be close to somebody.
        let entries: BTreeSet<String> =
            entries.into_iter().chain(broken.iter().map(|local| format!("{local}@inkwell.example"))).collect();
        let identity = if ignores_tags { "ignore-tags" } else { "ignore-case" };
        let keys = &format!("[clean]\nidentity = \"{identity}\"\n[[suppress]]\nname = \"no\"\nfiles = [\"no.csv\"]\n[guard]\nwrite_at_least = 0\naccept = {{ holds-most = 9999, same-as-source = 9999, none-usable = 9999 }}\n");
        let desk = Desk::with(&[
            ("shop.csv", &file(contacts.clone())),
            ("no.csv", &file(entries.clone())),
            ("job.toml", &job_with(keys)),
        ]);
        desk.done(&["run", "job.toml"]);
        let found: BTreeSet<[String; 2]> = if desk.has("fair.receipt/near-misses.csv") {
            let rows = desk.sheet("fair.receipt/near-misses.csv");
            rows.columns(["pebblebank_entry", "pebblebank_contact"]).into_iter().map(|pair| pair.map(str::to_owned)).collect()
        } else {
            BTreeSet::new()
        };
        let compared = |address: &str| if ignores_tags { without_tag(address) } else { address.to_owned() };
        let is_in = |all: &BTreeSet<String>, one: &str| all.iter().any(|other| compared(other) == compared(one));
        // Of contacts that are one, the first read is written.
        let is_first = |contact: &&String| contacts.iter().find(|other| compared(other) == compared(contact)) == Some(*contact);
        let mut meant = BTreeSet::new();
        for entry in entries.iter().filter(|entry| !is_in(&contacts, entry)) {
            let free = contacts.iter().filter(|contact| !is_in(&entries, contact)).filter(is_first);
            for contact in free.filter(|contact| are_close(&compared(entry), &compared(contact))) {
                meant.insert([entry.clone(), contact.clone()]);
            }
        }
        prop_assert_eq!(found, meant);
    }

    #[test]
    fn what_is_taken_out_and_what_is_left_are_the_list_and_marks_say_the_same(
        rows in prop::collection::vec((address(), "[a-z ;\"]{0,6}"), 1..12),
        entries in addresses(6),
        domain in prop::option::weighted(0.3, Just("harbour.example")),
    ) {
        let mut writer = csv::Writer::from_writer(Vec::new());
        writer.write_record(["No", "E-mail", "Remark"]).unwrap();
        for (number, (address, remark)) in rows.iter().enumerate() {
            writer.write_record([number.to_string(), address.to_uppercase(), remark.clone()]).unwrap();
        }
        let desk = Desk::new();
        desk.file("list.csv", writer.into_inner().unwrap());
        desk.file("no.csv", file(entries.iter().cloned().chain(domain.map(|domain| format!("@{domain}")))));
        let suppress = |more: &[&str]| {
            let arguments = ["suppress", "list.csv", "--against", "no.csv", "--accept", "holds-most", "--near-miss", "ignore"];
            desk.json(&[&arguments[..], more].concat())
        };
        let is_held = |address: &str| {
            entries.contains(address) || domain.is_some_and(|domain| address.ends_with(&format!("@{domain}")))
        };
        let held = suppress(&["-o", "left.csv"])["held"].as_u64().unwrap();
        suppress(&["-o", "marked.csv", "--mark"]);
        let numbers = |sheet: &common::Sheet| sheet.column("No").into_iter().map(|no| no.parse::<usize>().unwrap()).collect::<Vec<_>>();
        let marked = desk.sheet("marked.csv");
        prop_assert_eq!(numbers(&marked), (0..rows.len()).collect::<Vec<_>>());
        prop_assert_eq!(marked.column("Remark"), rows.iter().map(|(_, remark)| remark.as_str()).collect::<Vec<_>>());
        let meant: Vec<usize> = (0..rows.len()).filter(|row| is_held(&rows[*row].0)).collect();
        let by_mark: Vec<usize> = marked.columns(["No", "reason"]).into_iter().filter(|[_, reason]| !reason.is_empty()).map(|[no, _]| no.parse().unwrap()).collect();
        prop_assert_eq!(&by_mark, &meant);
        let left = numbers(&desk.sheet("left.csv"));
        prop_assert_eq!(left, (0..rows.len()).filter(|row| !meant.contains(row)).collect::<Vec<_>>());
        prop_assert_eq!(held, meant.len() as u64);
        if !meant.is_empty() {
            prop_assert_eq!(numbers(&desk.sheet("left.set-aside.csv")), meant);
        }
    }

    #[test]
    fn an_overlap_is_that_of_the_sets_of_people(lists in prop::collection::vec(prop::collection::vec(address(), 0..9), 2..5)) {
        let desk = Desk::new();
        let names: Vec<String> = (0..lists.len()).map(|number| format!("list{number}.csv")).collect();
        for (name, list) in names.iter().zip(&lists) {
            desk.file(name, file(list.iter().map(|address| address.to_uppercase())));
        }
        let files: Vec<&str> = names.iter().map(String::as_str).collect();
        desk.done(&[&["compare"], &files[..], &["-o", "people.csv"]].concat());
        let mut meant: BTreeMap<String, Vec<bool>> = BTreeMap::new();
        for (place, list) in lists.iter().enumerate() {
            for address in list {
                meant.entry(address.clone()).or_insert_with(|| vec![false; lists.len()])[place] = true;
            }
        }
        let sheet = desk.sheet("people.csv");
        let columns: Vec<Vec<&str>> = (0..lists.len()).map(|number| sheet.column(&format!("in list{number}"))).collect();
        let found: BTreeMap<String, Vec<bool>> = sheet
            .column("email")
            .into_iter()
            .enumerate()
            .map(|(row, address)| (address.to_owned(), columns.iter().map(|column| column[row] == "yes").collect()))
            .collect();
        prop_assert_eq!(sheet.rows.len(), found.len(), "one row a person");
        prop_assert_eq!(found, meant);
    }
}
