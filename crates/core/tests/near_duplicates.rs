//! How well near duplicates are found, among made-up people of whom the truth is known.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_core::job::file::read;
use pebblebank_core::run::run;
use pebblebank_core::run::setting::Setting;
use pebblebank_table::observe::Silent;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::path::Path;

const PEOPLE: usize = 6_000;

const FIRST: [&str; 40] = [
    "Robert",
    "Elizabeth",
    "William",
    "Katherine",
    "Johannes",
    "Margarete",
    "Francisco",
    "Giuseppe",
    "Anna",
    "Hanna",
    "Jan",
    "Jana",
    "Ines",
    "Marco",
    "Maren",
    "Nils",
    "Odile",
    "Priya",
    "Rosalind",
    "Søren",
    "Thea",
    "Ursula",
    "Wren",
    "Xenia",
    "Yannick",
    "Zelda",
    "Aoife",
    "Bryony",
    "Cato",
    "Delphine",
    "Emily",
    "Fergus",
    "Greta",
    "Hamish",
    "Ida",
    "Jonathan",
    "Kestrel",
    "Lovage",
    "Michael",
    "Nicholas",
];

const SHORT: [(&str, &str); 9] = [
    ("Robert", "Bob"),
    ("Elizabeth", "Liz"),
    ("William", "Bill"),
    ("Katherine", "Kate"),
    ("Johannes", "Hans"),
    ("Margarete", "Greta"),
    ("Francisco", "Paco"),
    ("Giuseppe", "Beppe"),
    ("Michael", "Mike"),
];

const LAST: [&str; 36] = [
    "Moss",
    "Quill",
    "Fern",
    "Reed",
    "Ashdown",
    "Heron",
    "Tansley",
    "Yarrow",
    "Wickstead",
    "Jessop",
    "Brambles",
    "Kowalska",
    "Lindqvist",
    "Orchardson",
    "Pellworm",
    "Rushworth",
    "Sandford",
    "Thornback",
    "Underhill",
    "Castellan",
    "Dunmore",
    "Fairweather",
    "Garcia",
    "Haugen",
    "Ivorson",
    "Larkin",
    "Meresby",
    "Norling",
    "Okafor",
    "Patel",
    "Ravenscroft",
    "Sorensen",
    "Tanaka",
    "Vandijk",
    "Winterbourne",
    "Zimmer",
];

const DOMAINS: [&str; 6] =
    ["postbox.example", "mailhaven.example", "larkmail.example", "gardeners.example", "inkwell.example", "example.net"];

/// `SplitMix64`: the same people in every run.
struct Rng(u64);

impl Rng {
    fn below(&mut self, most: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut mixed = self.0;
        mixed = (mixed ^ (mixed >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        ((mixed ^ (mixed >> 31)) % most as u64) as usize
    }

    fn of<'a>(&mut self, all: &[&'a str]) -> &'a str {
        all[self.below(all.len())]
    }

    /// One insertion, deletion, replacement or swap of neighbours, of letters.
    fn typo(&mut self, text: &str) -> String {
        loop {
            let mut letters: Vec<char> = text.chars().collect();
            let at = self.below(letters.len() - 1);
            let other = char::from(b'a' + self.below(26) as u8);
            match self.below(4) {
                0 => letters.insert(at, other),
                1 if letters[at].is_alphabetic() => drop(letters.remove(at)),
                2 if letters[at].is_alphabetic() => letters[at] = other,
                3 if letters[at].is_alphabetic() && letters[at + 1].is_alphabetic() => letters.swap(at, at + 1),
                _ => continue,
            }
            let slipped: String = letters.into_iter().collect();
            if slipped != text && !slipped.contains("..") && !slipped.starts_with('.') {
                return slipped;
            }
        }
    }
}

#[derive(Clone)]
struct Person {
    truth: usize,
    address: String,
    first: String,
    last: String,
    postal_code: String,
    phone: String,
}

/// What makes a copy, or somebody who is easily mistaken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Kind {
    TypoInAddress,
    TypoInDomain,
    TypoWithoutName,
    ShortForm,
    Moved,
    Swapped,
    Sibling,
    Numbered,
    Namesake,
    ShortLocal,
    SharedPhone,
}

struct World {
    rows: Vec<Person>,
    /// Pairs of rows that are one person, by how the copy came about.
    copies: BTreeMap<(usize, usize), Kind>,
    people: usize,
}

impl World {
    fn new(seed: u64) -> World {
        let mut rng = Rng(seed);
        let mut world = World { rows: Vec::new(), copies: BTreeMap::new(), people: 0 };
        for number in 0..PEOPLE {
            let person = world.person(number, &mut rng);
            let row = world.rows.len();
            world.rows.push(person.clone());
            match rng.below(20) {
                0 => world.copy(row, Kind::TypoInAddress, &mut rng),
                1 => world.copy(row, Kind::TypoInDomain, &mut rng),
                2 => world.copy(row, Kind::TypoWithoutName, &mut rng),
                3 => world.copy(row, Kind::ShortForm, &mut rng),
                4 => world.copy(row, Kind::Moved, &mut rng),
                5 => world.copy(row, Kind::Swapped, &mut rng),
                6 => world.other(row, Kind::Sibling, &mut rng),
                7 => world.other(row, Kind::Numbered, &mut rng),
                8 => world.other(row, Kind::Namesake, &mut rng),
                9 => world.other(row, Kind::ShortLocal, &mut rng),
                10 => world.other(row, Kind::SharedPhone, &mut rng),
                _ => {}
            }
        }
        world
    }

    fn person(&mut self, number: usize, rng: &mut Rng) -> Person {
        let (first, last) = (rng.of(&FIRST), rng.of(&LAST));
        self.people += 1;
        let local = match rng.below(3) {
            0 => format!("{}.{}{number}", first.to_lowercase().replace('ø', "o"), last.to_lowercase()),
            1 => format!("{}{number}", last.to_lowercase()),
            _ => format!("{}_{number}", first.to_lowercase().replace('ø', "o")),
        };
        Person {
            truth: self.people,
            address: format!("{local}@{}", rng.of(&DOMAINS)),
            first: first.to_owned(),
            last: last.to_owned(),
            postal_code: if rng.below(4) > 0 {
                format!("LF{} {}AB", rng.below(90) + 1, rng.below(9) + 1)
            } else {
                String::new()
            },
            phone: if rng.below(2) > 0 { format!("+44207946{:04}", number % 10_000) } else { String::new() },
        }
    }

    /// The same person once more.
    fn copy(&mut self, of: usize, kind: Kind, rng: &mut Rng) {
        let mut copy = self.rows[of].clone();
        let (local, domain) = copy.address.split_once('@').unwrap();
        let (local, domain) = (local.to_owned(), domain.to_owned());
        match kind {
            Kind::TypoInAddress => copy.address = format!("{}@{domain}", rng.typo(&local)),
            Kind::TypoInDomain => {
                let (name, end) = domain.split_once('.').unwrap();
                copy.address = format!("{local}@{}.{end}", rng.typo(name));
            }
            Kind::TypoWithoutName => {
                copy.address = format!("{}@{domain}", rng.typo(&local));
                (copy.first, copy.last) = (String::new(), String::new());
            }
            _ => {
                copy.address = format!("new{}@{}", self.rows.len(), rng.of(&DOMAINS));
                if self.rows[of].postal_code.is_empty() && self.rows[of].phone.is_empty() {
                    self.rows[of].phone = format!("+44207947{:04}", of % 10_000);
                }
                copy.phone.clone_from(&self.rows[of].phone);
            }
        }
        match kind {
            Kind::ShortForm => {
                let short = SHORT.iter().find(|(name, _)| *name == copy.first).map(|(_, short)| (*short).to_owned());
                copy.first = short.unwrap_or_else(|| copy.first.chars().take(1).collect());
            }
            Kind::Swapped => std::mem::swap(&mut copy.first, &mut copy.last),
            _ => {}
        }
        if rng.below(3) == 0 && matches!(kind, Kind::TypoInAddress | Kind::TypoInDomain | Kind::TypoWithoutName) {
            (copy.postal_code, copy.phone) = (String::new(), String::new());
        }
        self.copies.insert((of, self.rows.len()), kind);
        self.rows.push(copy);
    }

    /// Somebody else who is easily mistaken for the person.
    fn other(&mut self, of: usize, kind: Kind, rng: &mut Rng) {
        let mut other = self.rows[of].clone();
        self.people += 1;
        other.truth = self.people;
        let domain = other.address.split_once('@').unwrap().1.to_owned();
        match kind {
            Kind::Sibling => {
                let (a, b) = [("Anna", "Hanna"), ("Jan", "Jana"), ("Ada", "Ida"), ("Tim", "Tom")][rng.below(4)];
                let last = self.rows[of].last.to_lowercase();
                a.clone_into(&mut self.rows[of].first);
                self.rows[of].address = format!("{}.{last}{of}@{domain}", a.to_lowercase());
                b.clone_into(&mut other.first);
                other.address = format!("{}.{last}{of}@{domain}", b.to_lowercase());
            }
            Kind::Numbered => {
                for row in [&mut self.rows[of], &mut other] {
                    (row.first, row.last) = (String::new(), String::new());
                }
                self.rows[of].address = format!("info1@hall{of}.example");
                other.address = format!("info2@hall{of}.example");
            }
            Kind::Namesake => {
                other.address = format!("another{}@{domain}", self.rows.len());
                other.phone = format!("+44207948{:04}", of % 10_000);
                if rng.below(3) > 0 {
                    other.postal_code = format!("LF{} {}AB", rng.below(90) + 1, rng.below(9) + 1);
                }
            }
            Kind::ShortLocal => {
                for row in [&mut self.rows[of], &mut other] {
                    (row.first, row.last) = (String::new(), String::new());
                }
                self.rows[of].address = format!("al@home{of}.example");
                other.address = format!("ali@home{of}.example");
            }
            _ => {
                other.address = format!("mate{}@{domain}", self.rows.len());
                (other.first, other.last) = (rng.of(&FIRST).to_owned(), format!("{}son", rng.of(&LAST)));
                other.postal_code = String::new();
            }
        }
        self.rows.push(other);
    }

    fn csv(&self) -> String {
        let mut text = "email,first name,last name,postcode,phone,customer number\n".to_owned();
        for (row, person) in self.rows.iter().enumerate() {
            let Person { address, first, last, postal_code, phone, .. } = person;
            writeln!(text, "{address},{first},{last},{postal_code},{phone},{row}").unwrap();
        }
        text
    }
}

/// The pairs that a run lists, by the rows' numbers.
fn listed(folder: &Path, csv: &str, threads: usize) -> BTreeSet<(usize, usize)> {
    std::fs::write(folder.join("people.csv"), csv).unwrap();
    let job = "[job]\nname = \"near\"\ncountry = \"GB\"\n[[source]]\nname = \"people\"\nfiles = [\"people.csv\"]\n\
        [[write]]\nfile = \"out.csv\"\n[person]\nnear_duplicates = true\n";
    std::fs::write(folder.join("job.toml"), job).unwrap();
    let mut job = read(&folder.join("job.toml"), "2026-03-02").unwrap();
    job.replace = true;
    let setting = Setting {
        threads,
        memory: 256 << 20,
        dry_run: false,
        preview_rows: 20,
        spool_folder: folder.to_path_buf(),
        started: String::new(),
        arguments: Vec::new(),
        folder: String::new(),
        peak_memory: || None,
        log: Vec::new,
    };
    run(&job, &setting, &Silent).unwrap();
    let mut review = csv::Reader::from_path(folder.join("near.receipt/review.csv")).unwrap();
    let place = review.headers().unwrap().iter().position(|header| header == "contact_id").unwrap();
    let rows: Vec<usize> = review.records().map(|record| record.unwrap()[place].parse().unwrap()).collect();
    rows.chunks(2).map(|pair| (pair[0].min(pair[1]), pair[0].max(pair[1]))).collect()
}

#[test]
fn typos_are_found_and_people_who_are_alike_are_not() {
    let world = World::new(20_260_302);
    let folder = tempfile::tempdir().unwrap();
    let found = listed(folder.path(), &world.csv(), 2);
    let is_true = |(a, b): &&(usize, usize)| world.rows[*a].truth == world.rows[*b].truth;
    let precision = found.iter().filter(is_true).count() as f64 / found.len() as f64;
    let mut recall: BTreeMap<Kind, (usize, usize)> = BTreeMap::new();
    for (pair, kind) in &world.copies {
        let (hit, all) = recall.entry(*kind).or_default();
        *hit += usize::from(found.contains(pair));
        *all += 1;
    }
    println!("precision {precision:.3} of {} pairs; recall {recall:?}", found.len());
    let share = |kinds: &[Kind]| {
        let (hit, all) = kinds.iter().map(|kind| recall[kind]).fold((0, 0), |sum, own| (sum.0 + own.0, sum.1 + own.1));
        hit as f64 / all as f64
    };
    assert!(precision >= 0.9, "precision {precision:.3}");
    let typos = [Kind::TypoInAddress, Kind::TypoInDomain, Kind::TypoWithoutName];
    assert!(share(&typos) >= 0.95, "{recall:?}");
    assert!(share(&[Kind::ShortForm, Kind::Moved, Kind::Swapped]) >= 0.9, "{recall:?}");
}

#[test]
fn the_order_of_rows_and_the_number_of_threads_change_nothing() {
    let mut world = World::new(7);
    world.rows.truncate(1_500);
    let folder = tempfile::tempdir().unwrap();
    let csv = world.csv();
    let found = listed(folder.path(), &csv, 2);
    assert_eq!(found, listed(folder.path(), &csv, 1));
    let (header, rows) = csv.split_once('\n').unwrap();
    let reversed: Vec<&str> = rows.lines().rev().collect();
    assert_eq!(found, listed(folder.path(), &format!("{header}\n{}\n", reversed.join("\n")), 2));
}
