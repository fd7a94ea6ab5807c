//! What holds by its number in a time: soft bounces, and how often somebody was written to; counted a second time the plain way.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Shelf, all_of, today};
use pebblebank_bank::batch::{NewBatch, What};
use pebblebank_bank::entry::NewEntry;
use pebblebank_bank::memory::{Asked, Memory};
use pebblebank_bank::scope::NewScope;
use pebblebank_bank::{Bank, EVERYONE, ScopeId, Text};
use pebblebank_core::job::remembering::Limits;
use pebblebank_values::date::Date;
use proptest::prelude::*;
use rstest::rstest;
use std::collections::BTreeSet;

const PEOPLE: [&str; 3] = ["ann@post.example", "ben@post.example", "cy@post.example"];

fn days_ago(days: i32) -> Date {
    Date::from_day_number(today().day_number() - days)
}

/// Takes in one batch: the people of it, each with the days ago on which it happened.
fn put(bank: &mut Bank, batch: NewBatch, entries: &[(usize, i32)], is_soft: bool) {
    let mut staged = bank.stage(batch).unwrap();
    let entry = |(who, days): &(usize, i32)| NewEntry {
        day: Some(days_ago(*days)),
        is_soft,
        ..NewEntry::new(Text::address(PEOPLE[*who]))
    };
    staged.add(entries.iter().map(entry)).unwrap();
    staged.ready().unwrap().commit().unwrap();
}

fn sent(bank: &mut Bank, scope: ScopeId, campaign: &str, entries: &[(usize, i32)]) {
    let batch = NewBatch { campaign: Some(campaign.to_owned()), ..NewBatch::new(What::Sent, scope, today()) };
    put(bank, batch, entries, false);
}

fn held(memory: &Memory) -> Vec<String> {
    let mut held: Vec<String> = all_of(memory, None).into_iter().map(|(_, text)| text).collect();
    held.dedup();
    held
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    #[test]
    fn soft_bounces_hold_who_has_three_of_different_days_within_thirty_days(
        bounces in prop::collection::vec(prop::collection::vec((0..PEOPLE.len(), prop_oneof![0..8i32, 20..40i32, 60..75i32]), 1..6), 1..5),
    ) {
        let shelf = Shelf::new();
        let mut bank = shelf.bank();
        for batch in &bounces {
            put(&mut bank, NewBatch::new(What::Bounced, EVERYONE, today()), batch, true);
        }
        let mut meant = Vec::new();
        for (who, address) in PEOPLE.iter().enumerate() {
            let mut days: Vec<i32> = bounces.iter().flatten().filter(|bounce| bounce.0 == who).map(|bounce| bounce.1).collect();
            days.sort_unstable();
            days.dedup();
            let is_held = days.iter().any(|first| days.iter().filter(|day| (*first..=first + 30).contains(day)).count() >= 3);
            meant.extend(is_held.then(|| (*address).to_owned()));
        }
        prop_assert_eq!(held(&shelf.memory(None)), meant);
    }

    #[test]
    fn a_run_learns_of_every_mailing_of_the_last_days_once_however_often_it_was_loaded(
        mailings in prop::collection::vec((0..3usize, 0..4usize, prop::collection::btree_map(0..PEOPLE.len(), 0..20i32, 1..4)), 1..8),
        at_most in 1..4u32,
        per_days in 1..15u32,
        blocks_from in 1..3u64,
    ) {
        let shelf = Shelf::new().with_blocks_from(blocks_from);
        let mut bank = shelf.bank();
        let own = bank.scope_or_new(Some("larkfold"), NewScope::IsMeant).unwrap();
        let other = bank.scope_or_new(Some("quillmere"), NewScope::IsMeant).unwrap();
        let scopes = [EVERYONE, own, other];
        for (scope, campaign, people) in &mailings {
            let entries: Vec<(usize, i32)> = people.iter().map(|(who, days)| (*who, *days)).collect();
            sent(&mut bank, scopes[*scope], ["Fair", "fair ", "spring", "walks"][*campaign], &entries);
        }
        let limits = Some(Limits { at_most, per_days });
        let asked = Asked { scope: Some("larkfold".to_owned()), limits, ..Asked::default() };
        let memory = bank.into_memory(&asked).unwrap();
        // The first two names are one.
        let ours = mailings.iter().filter(|(scope, ..)| scopes[*scope] != other);
        let all = ours.flat_map(|(_, campaign, people)| {
            people.iter().map(move |(who, days)| (*who, (campaign.saturating_sub(1), *days)))
        });
        let lately: BTreeSet<(usize, (usize, i32))> =
            all.filter(|(_, (_, days))| i64::from(*days) < i64::from(per_days)).collect();
        let different: BTreeSet<(usize, i32)> = lately.iter().map(|(_, mailing)| *mailing).collect();
        let found: BTreeSet<String> = all_of(&memory, None).into_iter().map(|(_, entry)| entry).collect();
        if different.len() < at_most as usize {
            prop_assert!(found.is_empty(), "with so few mailings nobody can have had too many");
            return Ok(());
        }
        for (who, address) in PEOPLE.iter().enumerate() {
            let own = found.iter().filter(|entry| entry.starts_with(&format!("{address} in mailing "))).count();
            prop_assert_eq!(own, lately.iter().filter(|(other, _)| *other == who).count());
        }
    }
}

#[rstest]
#[case::the_same("Spring fair 2026", &["ann@post.example"])]
#[case::in_other_letters("SPRING  FAIR 2026", &["ann@post.example"])]
#[case::letters_with_signs("frühling", &["ben@post.example"])]
#[case::another("Spring fair 2027", &[])]
fn who_had_a_mailing_is_held_from_it_alone(#[case] campaign: &str, #[case] meant: &[&str]) {
    let shelf = Shelf::new();
    let mut bank = shelf.bank();
    sent(&mut bank, EVERYONE, "spring fair 2026", &[(0, 3)]);
    sent(&mut bank, EVERYONE, "FRÜHLING", &[(1, 3)]);
    bank.scope_or_new(Some("larkfold"), NewScope::IsMeant).unwrap();
    for scope in [None, Some("larkfold".to_owned())] {
        let asked = Asked { campaign: Some(campaign.to_owned()), scope, ..Asked::default() };
        assert_eq!(
            held(&shelf.bank().into_memory(&asked).unwrap()),
            meant,
            "what was sent for everyone counts for all"
        );
    }
}

#[rstest]
#[case::until_yesterday(-1, false)]
#[case::until_today(0, true)]
#[case::until_tomorrow(1, true)]
fn an_entry_holds_until_its_last_day_and_on_it(#[case] days_from_now: i32, #[case] holds: bool) {
    let shelf = Shelf::new();
    let mut bank = shelf.bank();
    let mut staged = bank.stage(NewBatch::new(What::DoNotContact, EVERYONE, today())).unwrap();
    let until = Some(days_ago(-days_from_now));
    staged.add([NewEntry { until, ..NewEntry::new(Text::address(PEOPLE[0])) }]).unwrap();
    staged.ready().unwrap().commit().unwrap();
    let memory = shelf.memory(None);
    assert_eq!(held(&memory).len(), usize::from(holds));
    let counted: u64 =
        pebblebank_core::suppress::remembered::Remembered::holds(&memory).iter().map(|hold| hold.entries).sum();
    assert_eq!(counted, u64::from(holds), "what no longer holds is not counted either");
}
