//! Keys, groups and near duplicates: the same people whatever the memory and the order; decisions about them.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_core::person::decisions::{Decision, Decisions, Named, Verdict};
use pebblebank_core::person::groups::Groups;
use pebblebank_core::person::keys::{KeyStore, Role};
use pebblebank_core::person::near::NearPerson;
use pebblebank_core::person::near::judge::{THRESHOLD, judge};
use pebblebank_core::person::near::keys::{TypoDomains, keys};
use pebblebank_table::units::RowId;
use pebblebank_values::Field;
use pebblebank_values::identity::IdentityHasher;
use proptest::prelude::*;
use rstest::rstest;
use std::collections::BTreeSet;

/// All keys of a store, partition by partition, as they are settled.
fn settled_keys(memory: u64, identities: &[u16]) -> Vec<(Role, u32)> {
    let hasher = IdentityHasher::random();
    let mut store = KeyStore::new(memory, std::env::temp_dir().as_path());
    for (owner, identity) in identities.iter().enumerate() {
        store.add(hasher.hash(&identity.to_le_bytes()), Role::First, owner as u32).unwrap();
    }
    let (partitions, spilled) = store.into_partitions().unwrap();
    let mut all = Vec::new();
    for (number, mut keys) in partitions.into_iter().enumerate() {
        spilled.load(number, &mut keys).unwrap();
        for run in keys.chunk_by(|a, b| a.is_same_identity(*b)) {
            let first = identities[run[0].owner() as usize];
            assert!(run.iter().all(|key| identities[key.owner() as usize] == first));
            all.extend(run.iter().map(|key| (key.role(), key.owner())));
        }
    }
    all.sort_unstable();
    all
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]

    #[test]
    fn keys_on_disk_are_settled_like_keys_in_memory(identities in prop::collection::vec(0u16..300, 0..3_000)) {
        prop_assert_eq!(settled_keys(1 << 20, &identities), settled_keys(4_096, &identities));
        prop_assert_eq!(settled_keys(4_096, &identities).len(), identities.len());
    }

    #[test]
    fn keys_are_settled_alike_while_the_memory_for_them_changes(
        identities in prop::collection::vec(0u16..300, 0..3_000),
        memories in prop::collection::vec(1u64..60_000, 1..20),
    ) {
        let hasher = IdentityHasher::random();
        let mut store = KeyStore::new(memories[0], std::env::temp_dir().as_path());
        for (owner, identity) in identities.iter().enumerate() {
            if owner % 100 == 0 {
                store.keep_in_memory(memories[owner / 100 % memories.len()]);
            }
            store.add(hasher.hash(&identity.to_le_bytes()), Role::First, owner as u32).unwrap();
        }
        let (partitions, spilled) = store.into_partitions().unwrap();
        let mut owners = BTreeSet::new();
        for (number, mut keys) in partitions.into_iter().enumerate() {
            spilled.load(number, &mut keys).unwrap();
            for run in keys.chunk_by(|a, b| a.is_same_identity(*b)) {
                let meant: Vec<u32> = (0u32..).zip(&identities)
                    .filter(|(_, identity)| **identity == identities[run[0].owner() as usize]).map(|(owner, _)| owner).collect();
                prop_assert_eq!(run.iter().map(|key| key.owner()).collect::<Vec<_>>(), meant);
                owners.extend(run.iter().map(|key| key.owner()));
            }
        }
        prop_assert_eq!(owners.len(), identities.len());
    }

    #[test]
    fn a_group_survives_in_its_best_row_whatever_the_order_of_the_joins(
        joins in prop::collection::vec((0u32..40, 0u32..40), 0..60).prop_shuffle(),
    ) {
        let settle = |joins: &[(u32, u32)]| {
            let mut groups = Groups::new(40);
            for (a, b) in joins {
                groups.join(RowId(*a), RowId(*b), |a, b| a < b);
            }
            groups.settle();
            groups.settled().to_vec()
        };
        let mut sorted = joins.clone();
        sorted.sort_unstable();
        let survivors = settle(&joins);
        prop_assert_eq!(&survivors, &settle(&sorted));
        prop_assert!(survivors.iter().enumerate().all(|(row, survivor)| *survivor <= row as u32));
    }
}

/// All keys of somebody with this address and name.
fn near_keys(address: &str, first: &str, last: &str) -> BTreeSet<Vec<u8>> {
    let person = NearPerson::new(address, first, last, "LF1 3AB", "", "");
    let mut found = BTreeSet::new();
    let domains = ["postbox.example", "postbx.example", "mailhaven.example"].map(str::to_owned);
    keys(&person, &TypoDomains::new(domains), |key| {
        found.insert(key.to_vec());
    });
    found
}

/// The text with one letter inserted, left out, replaced, or swapped with the next.
fn slipped(text: &str, at: usize, letter: char, kind: usize) -> String {
    let mut letters: Vec<char> = text.chars().collect();
    let at = at % (letters.len() - 1);
    match kind {
        0 => letters.insert(at, letter),
        1 => drop(letters.remove(at)),
        2 => letters[at] = letter,
        _ => letters.swap(at, at + 1),
    }
    letters.into_iter().collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn addresses_one_typo_apart_always_share_a_key(local in "[a-zø.]{5,14}", at in 0usize..20, letter in "[a-zø]", kind in 0usize..4) {
        let other = slipped(&local, at, letter.chars().next().unwrap(), kind);
        let own = near_keys(&format!("{local}@postbox.example"), "", "");
        prop_assert!(!own.is_disjoint(&near_keys(&format!("{other}@postbox.example"), "", "")), "{local} {other}");
        let same_at = |domain: &str| near_keys(&format!("{local}@{domain}"), "", "");
        prop_assert!(!own.is_disjoint(&same_at("postbx.example")), "a typo in the domain");
        prop_assert!(own.is_disjoint(&same_at("mailhaven.example")), "another domain");
    }

    #[test]
    fn decisions_are_read_as_they_were_written(
        notes in prop::collection::vec("[a-z\",;=+ é\n]{0,12}", 0..8),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("decisions.csv");
        let named = |n: usize, side: &str| Named::parse(&format!("{side}{n}@post.example")).unwrap();
        let decision = |(n, note): (usize, &String)| Decision {
            verdict: [Verdict::Same, Verdict::Different, Verdict::TakeOut][n % 3],
            person: if n % 2 == 0 { named(n, "a") } else { Named::By(Field::Phone, format!("+4420794600{n:02}")) },
            other: (n % 3 < 2).then(|| named(n, "b")),
            note: note.trim().to_owned(),
            day: "2026-03-02".to_owned(),
            line: 0,
        };
        let decisions = Decisions { all: notes.iter().enumerate().map(decision).collect() };
        decisions.write(&path).unwrap();
        let mut read = Decisions::read(&path).unwrap().unwrap();
        read.all.iter_mut().for_each(|decision| decision.line = 0);
        prop_assert_eq!(read, decisions);
    }
}

/// What brings two people together, and what does not.
#[rstest]
#[case(("Robert", "Moss"), ("Bob", "Moss"), true)]
#[case(("Ida", "Moss"), ("I.", "Moss"), true)]
#[case(("Ida", "Moss"), ("Moss", "Ida"), true)]
#[case(("Ida", "Moss"), ("Ada", "Moss"), false)]
#[case(("Ida", "Moss"), ("Ida", "Quill"), false)]
#[case(("", "Moss"), ("", "Moss"), false)]
fn the_same_place_brings_forms_of_one_name_together(
    #[case] a: (&str, &str),
    #[case] b: (&str, &str),
    #[case] together: bool,
) {
    let (own, other) = (near_keys("one@a.example", a.0, a.1), near_keys("quite.other@b.example", b.0, b.1));
    assert_eq!(!own.is_disjoint(&other), together);
}

/// What is judged of two people: the addresses, whether the names agree, and what else is said of them.
#[rstest]
#[case::a_typo_and_the_same_name("ida.moss@post.example,Ida,Moss,,", "ida.mos@post.example,Ida,Moss,,", true)]
#[case::a_typo_and_another_name("ida.moss@post.example,Ida,Moss,,", "ada.moss@post.example,Ada,Moss,,", false)]
#[case::a_long_typo_without_names("rosalind.quill@post.example,,,,", "rosalnd.quill@post.example,,,,", true)]
#[case::a_short_typo_without_names("jana@post.example,,,,", "jane@post.example,,,,", false)]
#[case::numbered_offices("info1@hall.example,,,,", "info2@hall.example,,,,", false)]
#[case::numbered_and_the_same_person(
    "moss1@post.example,Ida,Moss,,+442079460001",
    "moss2@post.example,Ida,Moss,,+442079460001",
    true
)]
#[case::moved("ida@a.example,Ida,Moss,,+442079460001", "moss@b.example,Ida,Moss,,+442079460001", true)]
#[case::namesakes("ida@a.example,Ida,Moss,LF1,+442079460001", "moss@b.example,Ida,Moss,LF1,+442079460002", false)]
#[case::a_shared_phone("ida@a.example,Ida,Moss,,+442079460001", "cato@b.example,Cato,Quill,,+442079460001", false)]
fn pairs_are_judged_by_all_that_is_known(#[case] a: &str, #[case] b: &str, #[case] is_likely: bool) {
    let person = |text: &str| {
        let parts: Vec<&str> = text.split(',').collect();
        NearPerson::new(parts[0], parts[1], parts[2], parts[3], parts[4], "")
    };
    let judged = judge(&person(a), &person(b));
    assert_eq!(judged.score >= THRESHOLD, is_likely, "{judged:?}");
    assert_eq!(judged, judge(&person(b), &person(a)), "the order of the two changes nothing");
}
