//! How a batch goes in: which of its texts the bank has, however many lie between them, and texts that come several times.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Shelf, today};
use pebblebank_bank::batch::{NewBatch, What};
use pebblebank_bank::entry::NewEntry;
use pebblebank_bank::{Bank, EVERYONE, Text};
use pebblebank_values::date::Date;
use rstest::rstest;

fn address(number: usize) -> String {
    format!("somebody{number:05}@post.example")
}

fn opted_out(bank: &mut Bank, addresses: &[String]) -> (u64, u64) {
    let mut staged = bank.stage(NewBatch::new(What::OptedOut, EVERYONE, today())).unwrap();
    staged.add(addresses.iter().map(|address| NewEntry::new(Text::address(address)))).unwrap();
    let mut ready = staged.ready().unwrap();
    let preview = ready.preview().unwrap();
    ready.commit().unwrap();
    (preview.known, preview.new)
}

/// More texts than one look takes in, and between those of a batch none, few or very many that it does not have.
#[rstest]
#[case(1)]
#[case(3)]
#[case(50)]
#[case(9_000)]
fn the_texts_that_the_bank_has_are_found_however_far_apart_they_lie(#[case] apart: usize) {
    const IN_BANK: usize = 10_000;
    let shelf = Shelf::new();
    let mut bank = shelf.bank();
    let all: Vec<String> = (0..IN_BANK).map(address).collect();
    assert_eq!(opted_out(&mut bank, &all), (0, IN_BANK as u64));
    let known: Vec<String> = (0..IN_BANK).step_by(apart).map(address).collect();
    let new: Vec<String> = known.iter().map(|address| format!("{address}s")).collect();
    assert_eq!(opted_out(&mut bank, &[&known[..], &new].concat()), (known.len() as u64, new.len() as u64));
    assert_eq!(opted_out(&mut bank, &[&all[..], &new].concat()), ((all.len() + new.len()) as u64, 0));
}

#[test]
fn of_one_text_each_day_of_a_soft_bounce_goes_in_and_none_beside_a_bounce_for_good_where_only_what_is_new_is_wanted() {
    let shelf = Shelf::new();
    let mut bank = shelf.bank();
    let days: Vec<Date> = (1..4).map(|day| Date { year: 2026, month: 2, day }).collect();
    let soft = |who: &str| {
        let entry = NewEntry::new(Text::address(who));
        days.iter().map(|day| NewEntry { day: Some(*day), is_soft: true, ..entry.clone() }).collect::<Vec<_>>()
    };
    let mut entries = [soft("ida@post.example"), soft("bo@post.example")].concat();
    entries.push(NewEntry::new(Text::address("bo@post.example")));
    let counts = [true, false].map(|only_new| {
        let mut staged = bank.stage(NewBatch::new(What::Bounced, EVERYONE, today())).unwrap();
        staged.add(entries.clone()).unwrap();
        let ready = staged.ready().unwrap();
        let batch = if only_new { ready.commit_new().unwrap().unwrap() } else { ready.commit().unwrap() };
        bank.batch(batch).unwrap().entries
    });
    assert_eq!(counts, [4, 7]);
}
