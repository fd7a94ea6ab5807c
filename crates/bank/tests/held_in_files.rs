//! Whom new entries hold in the files that were prepared, counted a second time the plain way, with any memory.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Shelf, batch, put, today};
use pebblebank_bank::batch::{NewBatch, What};
use pebblebank_bank::entry::NewEntry;
use pebblebank_bank::{EVERYONE, Text};
use pebblebank_values::digest::DigestKind;
use proptest::prelude::*;
use std::collections::BTreeSet;

fn address(person: usize) -> String {
    format!("p{person}@d{}.house{}.example", person % 7, person % 3)
}

/// An entry of a list: somebody by address, by digest, or with a whole domain.
#[derive(Debug, Clone)]
enum Entry {
    Address(usize),
    Sha256(usize),
    Md5(usize),
    Domain(usize),
    Above(usize),
}

impl Entry {
    fn text(&self) -> Text {
        let digest = |kind: DigestKind, person: usize| Text::digest(&kind.of(address(person).as_bytes(), None));
        let read = |domain: String| Text::read(&domain, None).unwrap();
        match self {
            Entry::Address(person) => Text::address(&address(*person)),
            Entry::Sha256(person) => digest(DigestKind::Sha256, *person),
            Entry::Md5(person) => digest(DigestKind::Md5, *person),
            Entry::Domain(person) => read(address(*person).split_once('@').unwrap().1.to_owned()),
            Entry::Above(house) => read(format!("house{house}.example")),
        }
    }

    fn holds(&self, person: usize) -> bool {
        match self {
            Entry::Address(held) | Entry::Sha256(held) | Entry::Md5(held) => *held == person,
            Entry::Domain(held) => {
                address(*held).split_once('@').unwrap().1 == address(person).split_once('@').unwrap().1
            }
            Entry::Above(house) => person % 3 == *house,
        }
    }
}

fn entry() -> impl Strategy<Value = Entry> {
    prop_oneof![
        6 => (0..60usize).prop_map(Entry::Address),
        4 => (0..60usize).prop_map(Entry::Sha256),
        2 => (0..60usize).prop_map(Entry::Md5),
        1 => (0..60usize).prop_map(Entry::Domain),
        1 => (0..3usize).prop_map(Entry::Above),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn everybody_in_prepared_files_whom_a_load_holds_is_counted_and_named(
        files in prop::collection::vec(prop::collection::btree_set(0..60usize, 1..25), 1..4),
        entries in prop::collection::vec(entry(), 1..30),
        // Down to so little that each entry is looked for by itself.
        memory in prop_oneof![Just(1u64), 200..5_000u64, Just(1 << 30)],
        blocks_from in prop_oneof![Just(1u64), Just(10), Just(64)],
    ) {
        let shelf = Shelf::new().with_blocks_from(blocks_from);
        let mut bank = shelf.bank().within(memory).unwrap();
        for (number, people) in files.iter().enumerate() {
            let prepared = NewBatch { job: Some(format!("job{number}")), ..batch(What::Prepared, EVERYONE) };
            let mut staged = bank.stage(prepared).unwrap();
            staged.add(people.iter().map(|person| NewEntry::new(Text::address(&address(*person))))).unwrap();
            staged.ready().unwrap().commit().unwrap();
        }
        let mut staged = bank.stage(batch(What::OptedOut, EVERYONE)).unwrap();
        staged.add(entries.iter().map(|entry| NewEntry::new(entry.text()))).unwrap();
        let mut ready = staged.ready().unwrap();
        let preview = ready.preview().unwrap();
        let id = ready.commit().unwrap();
        // The plain way: each person of each file asked of each entry; the newest file first.
        let held = |people: &BTreeSet<usize>| -> Vec<String> {
            let held = people.iter().filter(|person| entries.iter().any(|entry| entry.holds(**person)));
            let mut held: Vec<String> = held.map(|person| address(*person)).collect();
            held.sort();
            held
        };
        let meant: Vec<Vec<String>> = files.iter().rev().map(held).filter(|held| !held.is_empty()).collect();
        let counts: Vec<u64> = preview.held.iter().map(|file| file.held).collect();
        prop_assert_eq!(counts, meant.iter().map(|held| held.len() as u64).collect::<Vec<_>>());
        let named: Vec<Vec<String>> = bank.affected_by(id).unwrap().into_iter().map(|(_, addresses)| addresses).collect();
        prop_assert_eq!(named, meant);
    }
}

#[test]
fn what_was_only_sent_holds_nobody_in_other_files() {
    let shelf = Shelf::new();
    let mut bank = shelf.bank();
    put(&mut bank, What::Prepared, EVERYONE, &["ann@post.example"]);
    let mut staged = bank
        .stage(NewBatch { campaign: Some("fair".to_owned()), ..NewBatch::new(What::Sent, EVERYONE, today()) })
        .unwrap();
    staged.add([NewEntry::new(Text::address("ann@post.example"))]).unwrap();
    assert!(staged.ready().unwrap().preview().unwrap().held.is_empty());
}
