//! Where many entries and many contacts have one value in common, everybody gets what is due, held against a plain count.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use proptest::prelude::*;
use rstest::rstest;

const ACCEPT: [&str; 4] = ["--accept", "holds-most", "--accept", "write-at-least"];

fn run(desk: &Desk, more: &[&str]) {
    desk.done(&[&["run", "job.toml", "--replace"], &ACCEPT[..], more].concat());
}

#[rstest]
fn the_first_ten_close_entries_of_each_list_are_named_whatever_the_memory(#[values("64 MiB", "1 GiB")] memory: &str) {
    let tagged = |from: usize| -> String { (from..from + 15).map(|n| format!("ida+{n:02}@post.example\n")).collect() };
    let desk = Desk::with(&[
        ("shop.csv", "email,first name\nida@post.example,Ida\nbob@post.example,Bob\n"),
        ("one.csv", &format!("email\n{}", tagged(10))),
        ("two.csv", &format!("email\n{}", tagged(50))),
    ]);
    let list =
        |name: &str| format!("[[suppress]]\nname = \"{name}\"\nfiles = [\"{name}.csv\"]\nnear_miss = \"report\"\n");
    let job = job_with(&(list("one") + &list("two"))).replace("name = \"fair\"", "name = \"fair\"\nreceipt = \"r\"");
    desk.file("job.toml", job);
    run(&desk, &["--memory", memory]);
    let found = desk.sheet("r/near-misses.csv");
    let named = found.columns(["pebblebank_list", "pebblebank_entry"]);
    let wanted: Vec<[String; 2]> = [("one", 10), ("two", 50)]
        .into_iter()
        .flat_map(|(list, from)| (from..from + 10).map(move |n| [list.to_owned(), format!("ida+{n}@post.example")]))
        .collect();
    assert_eq!(named, wanted.iter().map(|pair| pair.each_ref().map(String::as_str)).collect::<Vec<_>>());
}

/// A number far from those of all others.
fn scattered(number: usize) -> u64 {
    (number as u64 + 1).wrapping_mul(0x9E37_79B9_7F4A_7C15)
}

/// A word of eight letters that the word of no other number is close to.
fn word(number: usize) -> String {
    (0..8).map(|place| char::from(b'a' + (scattered(number) >> (place * 7) & 0x7F) as u8 % 26)).collect()
}

/// More entries than a round has room for, among which some are close to a contact by address, name or phone.
#[rstest]
fn near_misses_are_the_same_where_the_entries_do_not_fit_into_memory(#[values("64 MiB", "1 GiB")] memory: &str) {
    const CONTACTS: usize = 300;
    const FAR_AWAY: usize = 40_000;
    let own = |n: usize| format!("{}@post.example", word(n));
    let phone = |n: usize| format!("+44207{:07}", (scattered(n) >> 20) % 10_000_000);
    let close: Vec<(usize, &str)> =
        (0..CONTACTS).step_by(7).zip(["address", "tag", "name", "whole name", "phone"].into_iter().cycle()).collect();
    let of_kind = |kinds: &'static [&'static str], row: &dyn Fn(usize, &str) -> String| -> String {
        close.iter().filter(|(_, kind)| kinds.contains(kind)).map(|(n, kind)| row(*n, kind)).collect()
    };
    let addresses = of_kind(&["address", "tag", "name"], &|n, kind| match kind {
        "address" => format!("{}x@post.example,\n", word(n)),
        "tag" => format!("{}+news@post.example,\n", word(n)),
        _ => format!("boss{n}@post.example,Ida {}\n", word(n)),
    });
    let names = of_kind(&["whole name"], &|n, _| format!("Ida {}e\n", word(n)));
    let phones = of_kind(&["phone"], &|n, _| format!("{}1\n", phone(n)));
    let far_address: String = (0..FAR_AWAY).map(|n| format!("far{n}@list.example,\n")).collect();
    let contact = |n: usize| format!("{},Ida {},{}\n", own(n), word(n), phone(n));
    let desk = Desk::with(&[
        ("shop.csv", &format!("email,full name,phone\n{}", (0..CONTACTS).map(contact).collect::<String>())),
        ("addresses.csv", &format!("email,full name\n{far_address}{addresses}")),
        ("names.csv", &format!("full name\n{names}")),
        ("phones.csv", &format!("phone\n{phones}")),
    ]);
    let list = |name: &str, by: &str| {
        format!("[[suppress]]\nname = \"{name}\"\nfiles = [\"{name}.csv\"]\nby = \"{by}\"\nnear_miss = \"report\"\n")
    };
    let lists = list("addresses", "email") + &list("names", "full_name") + &list("phones", "phone");
    desk.file("job.toml", job_with(&lists).replace("name = \"fair\"", "name = \"fair\"\nreceipt = \"r\""));
    run(&desk, &["--memory", memory]);
    let found = desk.sheet("r/near-misses.csv");
    let contacts: Vec<String> = found.columns(["pebblebank_row"]).into_iter().map(|[row]| row.to_owned()).collect();
    let rows: Vec<String> = close.iter().map(|(n, _)| (n + 2).to_string()).collect();
    assert_eq!(contacts, rows);
}

#[test]
fn a_name_that_stands_many_times_in_a_list_holds_everybody_of_that_name_and_says_so() {
    let people: String = (0..60).map(|n| format!("p{n}@post.example,Ida Moss\n")).collect();
    let desk = Desk::with(&[
        ("shop.csv", &format!("email,full name\n{people}bob@post.example,Bob Ash\n")),
        ("list.csv", &format!("name\n{}", "Ida Moss\n".repeat(70))),
        ("job.toml", &job_with("[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\nby = \"full_name\"\n")),
    ]);
    let tally = desk.json(&[&["run", "job.toml"], &ACCEPT[..]].concat());
    assert_eq!((&tally["all"]["written"], &tally["all"]["set_aside"]), (&1.into(), &60.into()));
    let namesakes =
        tally["findings"].as_array().unwrap().iter().find(|finding| finding["code"] == "namesakes").unwrap();
    assert!(namesakes["text"].as_str().unwrap().starts_with("70 values of \"list\""), "{namesakes}");
    assert_eq!(namesakes["count"], 70 * 60);
}

/// A row of a list that values are taken from: the club, and the town, which may be blank.
fn list_row() -> impl Strategy<Value = (usize, Option<usize>)> {
    (0..3usize, prop::option::of(0..4usize))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, max_shrink_iters: 200, ..ProptestConfig::default() })]

    /// Everybody is given the first town that a row of their club has, or the last one where the last row read survives.
    #[test]
    fn what_is_taken_from_a_list_is_the_first_filled_value_of_the_rows_in_common(
        contacts in prop::collection::vec(0..4usize, 1..12),
        rows in prop::collection::vec(list_row(), 0..16),
        takes_last: bool,
    ) {
        let contact = |(n, club): (usize, &usize)| format!("p{n}@post.example,club {club}\n");
        let row = |(club, town): &(usize, Option<usize>)| {
            format!("club {club},{}\n", town.map_or(String::new(), |town| format!("Town {town}")))
        };
        let survivor = if takes_last { "last-read" } else { "first-read" };
        let list = "[[list]]\nname = \"list\"\nfiles = [\"list.csv\"]\nby = \"Club\"\ntake = [\"Town\"]\n";
        let job = format!("{list}[person]\nsurvivor = \"{survivor}\"\n");
        let desk = Desk::with(&[
            ("shop.csv", &format!("email,Club\n{}", contacts.iter().enumerate().map(contact).collect::<String>())),
            ("list.csv", &format!("Club,Town\nclub 9,Nowhere\n{}", rows.iter().map(row).collect::<String>())),
            ("job.toml", &job_with(&job)),
        ]);
        run(&desk, &[]);
        let given = desk.sheet("out.csv");
        let towns: Vec<&str> = given.column("Town");
        for (place, club) in contacts.iter().enumerate() {
            let mut of_club = rows.iter().filter(|row| row.0 == *club).filter_map(|row| row.1);
            let town = if takes_last { of_club.next_back() } else { of_club.next() };
            let town = town.map_or(String::new(), |town| format!("Town {town}"));
            prop_assert_eq!(towns[place], town, "contact {} of club {}", place, club);
        }
    }
}
