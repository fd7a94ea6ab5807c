//! Who is written, merged and held, counted a second time the plain way: every rule as one sentence over all rows, without
//! keys, marks or passes. The program must come to the same, whatever the rows are.
#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::Desk;
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};

/// What an address cell holds.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Cell {
    Blank,
    Invalid,
    Placeholder,
    /// These addresses, by their numbers, the first being the contact's.
    Addresses(Vec<u8>),
}

#[derive(Debug, Clone)]
struct Row {
    cell: Cell,
    phone: Option<u8>,
    status: &'static str,
    shouts: bool,
}

/// What holds people: addresses, domains or phones, in a list or in the bank.
#[derive(Debug, Clone)]
struct Held {
    reason: &'static str,
    addresses: Vec<u8>,
    domains: Vec<u8>,
}

const STATUSES: [&str; 7] = ["subscribed", "subscribed", "", "unsubscribed", "complained", "pending", "bounced"];

/// Gravest first, as far as they occur here.
const REASONS: [&str; 9] = [
    "complained",
    "opted-out",
    "no-consent",
    "do-not-contact",
    "bounced",
    "already-sent",
    "blank-address",
    "invalid-address",
    "placeholder-address",
];

/// Stands for the text of the one invalid address, which has no domain.
const INVALID: u8 = 100;

fn address(number: u8) -> String {
    format!("person{}@mail{}.example", number, number % 3)
}

fn cell() -> impl Strategy<Value = Cell> {
    prop_oneof![
        1 => Just(Cell::Blank),
        1 => Just(Cell::Invalid),
        1 => Just(Cell::Placeholder),
        9 => (0..9u8).prop_map(|number| Cell::Addresses(vec![number])),
        3 => prop::collection::vec(0..9u8, 2..4).prop_map(|mut numbers| {
            let mut seen = BTreeSet::new();
            numbers.retain(|number| seen.insert(*number));
            Cell::Addresses(numbers)
        }),
    ]
}

fn rows() -> impl Strategy<Value = Vec<Row>> {
    let row = (cell(), prop::option::weighted(0.3, 0..4u8), prop::sample::select(&STATUSES[..]), any::<bool>());
    prop::collection::vec(row.prop_map(|(cell, phone, status, shouts)| Row { cell, phone, status, shouts }), 1..9)
}

fn held(reason: &'static str) -> impl Strategy<Value = Held> {
    let domains = prop_oneof![6 => Just(Vec::new()), 1 => (0..3u8).prop_map(|number| vec![number])];
    (prop::collection::vec(0..9u8, 0..3), domains).prop_map(move |(addresses, domains)| Held {
        reason,
        addresses,
        domains,
    })
}

impl Row {
    fn identities(&self) -> &[u8] {
        if let Cell::Addresses(numbers) = &self.cell { numbers } else { &[] }
    }

    /// What it is held against lists and refusals by: an invalid address by its text, though it is no key of a person.
    fn compared(&self) -> &[u8] {
        if self.cell == Cell::Invalid { &[INVALID] } else { self.identities() }
    }

    fn first(&self) -> Option<u8> {
        self.identities().first().copied()
    }

    fn typed(&self) -> String {
        let typed = match &self.cell {
            Cell::Blank => " ".to_owned(),
            Cell::Invalid => "no address at all".to_owned(),
            Cell::Placeholder => "noemail@mail0.example".to_owned(),
            Cell::Addresses(numbers) => numbers.iter().map(|number| address(*number)).collect::<Vec<_>>().join("; "),
        };
        if self.shouts { typed.to_uppercase() } else { typed }
    }

    fn lacks(&self) -> Option<&'static str> {
        match self.cell {
            Cell::Blank => Some("blank-address"),
            Cell::Invalid => Some("invalid-address"),
            Cell::Placeholder => Some("placeholder-address"),
            Cell::Addresses(_) => None,
        }
    }
}

impl Held {
    fn holds(&self, identity: u8) -> bool {
        self.addresses.contains(&identity) || identity != INVALID && self.domains.contains(&(identity % 3))
    }

    fn lines(&self) -> String {
        let addresses = self.addresses.iter().map(|number| format!("{}\n", address(*number)));
        let domains = self.domains.iter().map(|number| format!("@mail{number}.example\n"));
        addresses.chain(domains).collect()
    }
}

/// The persons: rows with the same address or, where that is asked, the same phone; and whose second address is the first of
/// another.
fn persons(rows: &[Row], by_phone: bool) -> Vec<usize> {
    let mut person: Vec<usize> = (0..rows.len()).collect();
    let joins = |a: &Row, b: &Row| {
        let by_address = b.first().is_some_and(|first| a.identities().contains(&first));
        by_address || by_phone && a.phone.is_some() && a.phone == b.phone
    };
    for a in 0..rows.len() {
        for b in 0..rows.len() {
            if joins(&rows[a], &rows[b]) && person[a] != person[b] {
                let (from, to) = (person[b], person[a]);
                person.iter_mut().filter(|person| **person == from).for_each(|person| *person = to);
            }
        }
    }
    person
}

/// What becomes of each row.
fn fates(rows: &[Row], holds: &[Held], by_phone: bool) -> Vec<String> {
    let person = &persons(rows, by_phone);
    let of = |who: usize| (0..rows.len()).filter(|row| person[*row] == who).collect::<Vec<_>>();
    let identities =
        |who: usize| of(who).into_iter().flat_map(|row| rows[row].compared().to_vec()).collect::<BTreeSet<u8>>();
    let mut fates = vec![String::new(); rows.len()];
    for who in person.iter().copied().collect::<BTreeSet<_>>() {
        let own = of(who);
        let survivor = own.iter().copied().find(|row| rows[*row].first().is_some()).unwrap_or(own[0]);
        let mine = identities(who);
        let mut reasons: BTreeSet<&str> = rows[survivor].lacks().into_iter().collect();
        reasons.extend(holds.iter().filter(|held| mine.iter().any(|one| held.holds(*one))).map(|held| held.reason));
        for (row, said) in rows.iter().enumerate() {
            let is_mine = person[row] == who;
            // A refusal counts for every address of whoever said it, a bounce for the address alone.
            let shares = identities(person[row]).intersection(&mine).next().is_some();
            match said.status {
                "complained" if is_mine || shares => reasons.insert("complained"),
                "unsubscribed" if is_mine || shares => reasons.insert("opted-out"),
                "bounced" if is_mine || said.first().is_some_and(|first| mine.contains(&first)) => {
                    reasons.insert("bounced")
                }
                "pending" if is_mine => reasons.insert("no-consent"),
                _ => false,
            };
        }
        for row in own {
            fates[row] = match REASONS.into_iter().find(|reason| reasons.contains(reason)) {
                _ if row != survivor => "merged".to_owned(),
                Some(reason) => reason.to_owned(),
                None => "written".to_owned(),
            };
        }
    }
    fates
}

/// What the program says becomes of each row.
fn fates_by_program(desk: &Desk, rows: usize) -> Vec<String> {
    let mut fates: BTreeMap<usize, String> = BTreeMap::new();
    let number = |text: &str| text.trim_start_matches("row ").parse::<usize>().unwrap();
    for own in desk.sheet("out.csv").column("Our own number") {
        assert!(fates.insert(number(own), "written".to_owned()).is_none());
    }
    for [own, reason] in desk.sheet("r/set-aside.csv").columns(["Our own number", "pebblebank_reason"]) {
        assert!(fates.insert(number(own), reason.to_owned()).is_none());
    }
    for own in desk.sheet("r/merged.csv").column("Our own number") {
        assert!(fates.insert(number(own), "merged".to_owned()).is_none());
    }
    assert_eq!(fates.len(), rows, "each row has one fate");
    fates.into_values().collect()
}

fn source(rows: &[Row], first_number: usize) -> String {
    let line = |(place, row): (usize, &Row)| {
        let phone = row.phone.map_or(String::new(), |number| format!("+44207946000{number}"));
        format!("{},{phone},{},row {:03}\n", row.typed(), row.status, first_number + place)
    };
    let rows: String = rows.iter().enumerate().map(line).collect();
    format!("Email,Phone,Subscription,Our own number\n{rows}")
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 128, max_shrink_iters: 600, ..ProptestConfig::default() })]

    #[test]
    fn the_program_comes_to_what_the_rules_say_in_plain_words(
        first in rows(),
        second in rows(),
        lists in (held("do-not-contact"), held("bounced"), held("already-sent")),
        bank in held("opted-out"),
        by_phone: bool,
    ) {
        let lists = [lists.0, lists.1, lists.2];
        let desk = Desk::with(&[("a.csv", &source(&first, 0)), ("b.csv", &source(&second, first.len()))]);
        let mut job = format!(
            "[job]\nname = \"plain\"\nreceipt = \"r\"\ncountry = \"GB\"\n[person]\nsame = [\"email\"{}]\n",
            if by_phone { ", \"phone\"" } else { "" }
        );
        for name in ["a", "b"] {
            job += &format!("[[source]]\nname = \"{name}\"\nfiles = [\"{name}.csv\"]\ncolumns = {{ consent = \"Subscription\" }}\n");
        }
        for list in &lists {
            let name = list.reason;
            desk.file(&format!("{name}.csv"), format!("email\n{}", list.lines()));
            job += &format!(
                "[[suppress]]\nname = \"{name}\"\nfiles = [\"{name}.csv\"]\nreason = \"{name}\"\n"
            );
        }
        job += "[guard]\nwrite_at_least = 0\naccept = { holds-most = 9999, none-usable = 9999 }\n[[write]]\nfile = \"out.csv\"\n";
        desk.file("job.toml", &job);
        if !bank.lines().is_empty() {
            let ran = desk.run_with_input(&["bank", "add", "-", "--as", "opted-out"], bank.lines().as_bytes());
            prop_assert_eq!(ran.status, 0, "{}", ran.stderr);
        }
        desk.done(&["run", "job.toml"]);
        let all: Vec<Row> = first.iter().chain(&second).cloned().collect();
        let holds: Vec<Held> = lists.into_iter().chain([bank]).collect();
        prop_assert_eq!(fates_by_program(&desk, all.len()), fates(&all, &holds, by_phone), "{:#?}", all);
    }
}
