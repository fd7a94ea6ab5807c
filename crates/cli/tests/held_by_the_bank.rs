//! Whom the bank holds back, by address, domain, phone or digest, for everyone or for one client: every command that writes people says
//! the same, counted a second time by a few plain lines.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::Desk;
use proptest::prelude::*;
use sha2::Digest;
use std::collections::BTreeSet;

/// How somebody is held.
#[derive(Debug, Clone)]
enum Held {
    Address(usize),
    Domain(usize),
    Phone(usize),
    Digest(usize),
}

/// An entry, and whether it is for one client alone.
type Entry = (Held, bool);

fn domain(person: usize) -> String {
    format!("d{}.house{}.example", person % 4, person % 2)
}

fn address(person: usize) -> String {
    format!("p{person}@{}", domain(person))
}

/// Every third has none.
fn phone(person: usize) -> Option<String> {
    (!person.is_multiple_of(3)).then(|| format!("+4420794600{person:02}"))
}

impl Held {
    fn value(&self) -> String {
        match self {
            Held::Address(person) => address(*person).to_uppercase(),
            Held::Domain(number) => format!("@d{number}.house{}.example", number % 2),
            Held::Phone(person) => format!("+44 20 7946 00{person:02}"),
            Held::Digest(person) => {
                sha2::Sha256::digest(address(*person)).iter().map(|byte| format!("{byte:02x}")).collect()
            }
        }
    }

    fn holds(&self, person: usize) -> bool {
        match self {
            Held::Address(held) | Held::Digest(held) => *held == person,
            Held::Domain(number) => domain(person) == format!("d{number}.house{}.example", number % 2),
            Held::Phone(held) => phone(person).is_some() && *held == person,
        }
    }
}

fn entry() -> impl Strategy<Value = Entry> {
    let held = prop_oneof![
        4 => (0..30usize).prop_map(Held::Address),
        1 => (0..4usize).prop_map(Held::Domain),
        3 => (0..30usize).prop_map(Held::Phone),
        2 => (0..30usize).prop_map(Held::Digest),
    ];
    (held, any::<bool>())
}

fn finding(document: &serde_json::Value) -> u64 {
    let findings = document["findings"].as_array().or(document["tally"]["findings"].as_array()).unwrap();
    let found = findings.iter().find(|finding| finding["code"] == "must-not-be-contacted");
    found.map_or(0, |finding| finding["count"].as_u64().unwrap())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 16, max_shrink_iters: 60, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn every_command_says_the_same_of_whom_the_bank_holds(
        people in prop::collection::btree_set(0..30usize, 1..20),
        entries in prop::collection::vec(entry(), 1..8),
        scoped: bool,
    ) {
        let desk = Desk::new();
        let rows: String = people
            .iter()
            .map(|person| format!("{},{},Town {}\n", address(*person), phone(*person).unwrap_or_default(), person % 3))
            .collect();
        for name in ["shop.csv", "other.csv"] {
            desk.file(name, format!("email,phone,city\n{rows}"));
        }
        desk.done(&["bank", "add", "somebody@far.example", "--scope", "larkfold", "--new-scope"]);
        for (held, is_of_client) in &entries {
            let scope = if *is_of_client { "larkfold" } else { "everyone" };
            desk.done(&["bank", "add", &held.value(), "--as", "opted-out", "--scope", scope]);
        }
        let counts = |entry: &&Entry| scoped || !entry.1;
        let is_held = |person: &usize| entries.iter().filter(counts).any(|(held, _)| held.holds(*person));
        let held: BTreeSet<String> = people.iter().filter(|person| is_held(person)).map(|person| address(*person)).collect();
        let free: BTreeSet<String> = people.iter().filter(|person| !is_held(person)).map(|person| address(*person)).collect();
        let scope: &[&str] = if scoped { &["--scope", "larkfold"] } else { &[] };
        let common = ["--accept", "write-at-least", "--accept", "holds-most", "--replace"];
        let column = |name: &str| -> BTreeSet<String> { desk.sheet(name).column("email").into_iter().map(str::to_owned).collect() };

        let cleaned = desk.json(&[&["clean", "shop.csv", "-o", "clean.csv", "--set-aside", "aside.csv"], &common[..], scope].concat());
        prop_assert_eq!(column("clean.csv"), free.clone());
        prop_assert_eq!(column("aside.csv"), held.clone());
        prop_assert_eq!(cleaned["all"]["set_aside_by_reason"]["opted-out"].as_u64().unwrap_or(0), held.len() as u64);

        let job = format!(
            "[job]\nname = \"fair\"\n{}[[source]]\nname = \"shop\"\nfiles = [\"shop.csv\"]\n[[write]]\nfile = \"run.csv\"\n",
            if scoped { "scope = \"larkfold\"\n" } else { "" }
        );
        desk.file("job.toml", job);
        desk.done(&[&["run", "job.toml"], &common[..]].concat());
        prop_assert_eq!(column("run.csv"), free.clone());

        desk.done(&[&["suppress", "shop.csv", "-o", "left.csv"], &common[..], scope].concat());
        prop_assert_eq!(column("left.csv"), free.clone());
        desk.done(&[&["suppress", "shop.csv", "-o", "marked.csv", "--mark"], &common[..], scope].concat());
        let marked = desk.sheet("marked.csv");
        let mark = marked.header.iter().position(|header| header == "reason").unwrap();
        let of_mark: BTreeSet<String> =
            marked.rows.iter().filter(|row| row[mark].contains("opted-out")).map(|row| row[0].clone()).collect();
        prop_assert_eq!(of_mark, held.clone());
        prop_assert_eq!(marked.rows.len(), people.len());

        let split = desk.json(&[&["split", "shop.csv", "--by", "city", "-o", "part-{}.csv", "--replace"], scope].concat());
        prop_assert_eq!(finding(&split), held.len() as u64);
        let compared = desk.json(&[&["compare", "shop.csv", "other.csv", "-o", "both.csv", "--where", "in other", "--replace"], scope].concat());
        prop_assert_eq!(finding(&compared), held.len() as u64);
        prop_assert_eq!(column("both.csv").len(), people.len(), "compare shows everybody, and says who must not be contacted");

        for person in people.iter().take(4) {
            let found = desk.json(&["bank", "find", &address(*person)]);
            let by_address = |(held, _): &Entry| !matches!(held, Held::Phone(_)) && held.holds(*person);
            prop_assert_eq!(&found["held"], entries.iter().any(by_address));
        }
    }
}
