//! Whoever is forgotten stands in no text of the bank any more, however it was spelt; everybody else's notes stay. Loads are the same
//! with any memory. Both counted a second time the plain way.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Shelf, batch};
use pebblebank_bank::batch::{NewBatch, What};
use pebblebank_bank::entry::NewEntry;
use pebblebank_bank::{EVERYONE, Text};
use proptest::prelude::*;
use rstest::rstest;
use std::collections::BTreeSet;

/// People whose addresses have letters that can be written in several ways.
const PEOPLE: [&str; 5] = [
    "ann@post.example",
    "rené@müller.example",
    "ida.moss@straße-7.example",
    "zoë+fair@post.example",
    "anna@post.example",
];

/// How somebody may write an address in a note.
fn respelt(person: usize, way: usize) -> String {
    let address = PEOPLE[person];
    let (local, domain) = address.split_once('@').unwrap();
    match way {
        0 => address.to_owned(),
        1 => address.to_uppercase(),
        2 => address.replace('é', "e\u{301}").replace('ü', "u\u{308}").replace('ë', "e\u{308}"),
        3 => format!("{local} @ {domain}"),
        4 => format!("{local}%40{domain}"),
        5 => format!("{local}\u{200b}@{domain}"),
        _ => pebblebank_values::address_syntax::domain_forms(address).pop().unwrap(),
    }
}

/// A note about somebody, among other words; or about nobody.
fn note() -> impl Strategy<Value = (Option<usize>, String)> {
    let words = "[a-z ]{0,12}";
    prop_oneof![
        4 => (0..PEOPLE.len(), 0..7usize, words, words)
            .prop_map(|(person, way, before, behind)| (Some(person), format!("{before} <{}> {behind}", respelt(person, way)))),
        2 => "[a-z]{1,5} rang about row [0-9]{1,4}".prop_map(|text| (None, text)),
    ]
}

/// The notes of all batches, by batch.
fn notes(shelf: &Shelf) -> Vec<Option<String>> {
    let bank = rusqlite::Connection::open(shelf.path()).unwrap();
    let mut query =
        bank.prepare("select note from batch where note is not null or file = 'noted' order by id").unwrap();
    query.query_map([], |row| row.get(0)).unwrap().collect::<Result<_, _>>().unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn notes_about_whoever_is_forgotten_go_and_all_others_stay(
        written in prop::collection::vec(note(), 1..12),
        whom in 0..PEOPLE.len(),
    ) {
        let shelf = Shelf::new();
        let mut bank = shelf.bank();
        for (number, (_, note)) in written.iter().enumerate() {
            let noted = NewBatch { note: Some(note.clone()), file: Some("noted".to_owned()), ..batch(What::OptedOut, EVERYONE) };
            let mut staged = bank.stage(noted).unwrap();
            staged.add([NewEntry::new(Text::address(&format!("other{number}@far.example")))]).unwrap();
            staged.ready().unwrap().commit().unwrap();
        }
        let forgot = bank.forget(&Text::read(PEOPLE[whom], None).unwrap()).unwrap();
        drop(bank);
        // "anna@…" ends with no other address of these, and "ann@…" stands in "…ann@" of nobody else.
        let is_about = |about: &Option<usize>| *about == Some(whom);
        let meant: Vec<Option<String>> =
            written.iter().map(|(about, note)| (!is_about(about)).then(|| note.clone())).collect();
        let gone = meant.iter().filter(|note| note.is_none()).count() as u64;
        prop_assert_eq!(notes(&shelf), meant);
        prop_assert_eq!(forgot.words, gone);
    }

    #[test]
    fn a_load_is_the_same_with_any_memory(
        entries in prop::collection::vec((0..40usize, any::<bool>()), 1..300),
        earlier in prop::collection::btree_set(0..40usize, 0..20),
        memory in prop_oneof![Just(1u64), Just(70_000), Just(1 << 30)],
        blocks_from in prop_oneof![Just(1u64), Just(64)],
    ) {
        let address = |person: usize| format!("p{person}@post.example");
        let shelf = Shelf::new().with_blocks_from(blocks_from);
        let mut bank = shelf.bank().within(memory).unwrap();
        let mut put = |what: What, people: &mut dyn Iterator<Item = (usize, bool)>| {
            let mut staged = bank.stage(batch(what, EVERYONE)).unwrap();
            let text = |(person, is_tagged): (usize, bool)| {
                let tag = if is_tagged { "+fair" } else { "" };
                NewEntry::new(Text::address(&address(person).replace('@', &format!("{tag}@"))))
            };
            staged.add(people.map(text)).unwrap();
            let mut ready = staged.ready().unwrap();
            let preview = ready.preview().unwrap();
            ready.commit_all_or_none().unwrap();
            (preview.entries, preview.new, preview.known)
        };
        if !earlier.is_empty() {
            put(What::Bounced, &mut earlier.iter().map(|person| (*person, false)));
        }
        let found = put(What::Bounced, &mut entries.iter().copied());
        let distinct: BTreeSet<(usize, bool)> = entries.iter().copied().collect();
        let known = distinct.iter().filter(|(person, is_tagged)| !is_tagged && earlier.contains(person)).count() as u64;
        prop_assert_eq!(found, (distinct.len() as u64, distinct.len() as u64 - known, known));
        drop(bank);
        // What is in it is what was put in, and a second look finds it whole.
        let memory = shelf.memory(None);
        let held: BTreeSet<String> = common::all_of(&memory, None).into_iter().map(|(_, text)| text).collect();
        let meant: BTreeSet<String> = distinct
            .iter()
            .map(|(person, is_tagged)| address(*person).replace('@', if *is_tagged { "+fair@" } else { "@" }))
            .chain(earlier.iter().map(|person| address(*person)))
            .collect();
        prop_assert_eq!(held, meant);
    }
}

/// First, last and in the middle of a block; the file is looked at byte by byte.
#[rstest]
#[case("aaquibbleworth@post.example")]
#[case("person050quibbleworth@post.example")]
#[case("zzquibbleworth@post.example")]
fn nothing_is_left_in_the_file_of_whoever_is_forgotten_out_of_a_block(#[case] whom: &str) {
    let shelf = Shelf::new().with_blocks_from(1);
    let mut bank = shelf.bank();
    let others: Vec<String> = (0..400).map(|number| format!("person{number:03}@post.example")).collect();
    let everybody: Vec<&str> = others.iter().map(String::as_str).chain([whom]).collect();
    common::put(&mut bank, What::OptedOut, EVERYONE, &everybody);
    let stands_in_file = || {
        let side = shelf.path().with_extension("sqlite-wal");
        let files = [shelf.path(), side].map(|file| std::fs::read(file).unwrap_or_default());
        files.iter().any(|bytes| bytes.windows(12).any(|window| window == b"quibbleworth"))
    };
    assert!(stands_in_file(), "it is seen where it stands");
    assert_eq!(bank.forget(&Text::address(whom)).unwrap().entries, 1);
    drop(bank);
    assert!(!stands_in_file());
    let held = common::all_of(&shelf.memory(None), None);
    assert_eq!(held.len(), others.len() + 1, "all others, and a hash");
    assert!(others.iter().all(|other| held.iter().any(|(_, text)| text == other)));
}
