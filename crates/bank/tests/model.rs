//! Whatever is done to the bank in whatever order, it holds whom a plain list of entries would hold, and its counts are
//! those of what is in it.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Keeper, Shelf, all_of, batch, today};
use pebblebank_bank::batch::{BatchId, What};
use pebblebank_bank::entry::NewEntry;
use pebblebank_bank::scope::NewScope;
use pebblebank_bank::{Bank, EVERYONE, ScopeId, Text};
use pebblebank_core::suppress::remembered::Among;
use proptest::prelude::*;
use std::collections::BTreeSet;

/// What somebody does.
#[derive(Debug, Clone)]
enum Step {
    /// Takes in entries: the reason, whether for the client alone, whom.
    Put(usize, bool, Vec<usize>),
    /// Takes back the batch of this place among those that there are.
    Undo(usize),
    Remove(usize),
    Forget(usize),
}

/// Two addresses at one domain, that domain, and a phone number.
const TEXTS: [&str; 5] =
    ["ann@hotel.example", "ben@hotel.example", "hotel.example", "+442079460001", "cy@post.example"];

fn step() -> impl Strategy<Value = Step> {
    prop_oneof![
        5 => (0..4usize, any::<bool>(), prop::collection::vec(0..TEXTS.len(), 1..4)).prop_map(|(what, own, whom)| Step::Put(what, own, whom)),
        2 => (0..8usize).prop_map(Step::Undo),
        2 => (0..TEXTS.len()).prop_map(Step::Remove),
        1 => (0..TEXTS.len()).prop_map(Step::Forget),
    ]
}

/// An entry of the plain list.
#[derive(Debug, Clone)]
struct Plain {
    text: usize,
    batch: BatchId,
    scope: ScopeId,
}

#[derive(Default)]
struct PlainBank {
    entries: Vec<Plain>,
    forgotten: BTreeSet<usize>,
}

fn text(number: usize) -> Text {
    Text::read(TEXTS[number], None).unwrap()
}

impl PlainBank {
    fn put(&mut self, bank: &mut Bank, what: What, scope: ScopeId, whom: &[usize]) {
        let mut staged = bank.stage(batch(what, scope)).unwrap();
        staged.add(whom.iter().map(|number| NewEntry::new(text(*number)))).unwrap();
        let new: BTreeSet<usize> = whom.iter().copied().filter(|number| !self.forgotten.contains(number)).collect();
        let id = staged.ready().unwrap().commit();
        assert_eq!(id.is_ok(), !new.is_empty(), "whoever was forgotten is not written down again");
        let Ok(id) = id else { return };
        self.entries.extend(new.into_iter().map(|text| Plain { text, batch: id, scope }));
    }

    fn remove(&mut self, bank: &mut Bank, number: usize) {
        let held = self.entries.iter().any(|entry| entry.text == number) || self.forgotten.contains(&number);
        let removed = bank.remove(&text(number), None, Some("came back"));
        assert_eq!(removed.is_ok(), held);
        self.entries.retain(|entry| entry.text != number);
        self.forgotten.remove(&number);
    }

    fn forget(&mut self, bank: &mut Bank, number: usize) {
        let can_be = TEXTS[number] != "hotel.example" && !self.forgotten.contains(&number);
        assert_eq!(bank.forget(&text(number)).is_ok(), can_be);
        if can_be {
            self.entries.retain(|entry| entry.text != number);
            self.forgotten.insert(number);
        }
    }

    fn undo(&mut self, bank: &mut Bank, place: usize) {
        let batches = bank.batches().unwrap();
        let Some(found) = batches.get(place) else { return };
        assert_eq!(bank.undo(found.id).is_ok(), found.undone.is_none() && !found.keeps_forgotten);
        self.entries.retain(|entry| entry.batch != found.id);
    }

    fn holds(&self, number: usize, scopes: &[ScopeId]) -> bool {
        let counts = |entry: &&Plain| scopes.contains(&entry.scope);
        let is_at_hotel = TEXTS[number].ends_with("@hotel.example");
        let mut entries = self.entries.iter().filter(counts);
        self.forgotten.contains(&number)
            || entries.any(|entry| entry.text == number || is_at_hotel && TEXTS[entry.text] == "hotel.example")
    }
}

fn among_all() -> Among {
    let mut among = Among::default();
    TEXTS.iter().filter(|text| text.contains('@')).for_each(|text| among.add(text));
    among
}

fn check(shelf: &Shelf, steps: Vec<Step>) -> Result<(), TestCaseError> {
    let mut bank = shelf.bank();
    let own = bank.scope_or_new(Some("larkfold"), NewScope::IsMeant).unwrap();
    let mut plain = PlainBank::default();
    for step in steps {
        match step {
            Step::Put(what, is_own, whom) => {
                plain.put(&mut bank, What::HOLDING[what], if is_own { own } else { EVERYONE }, &whom);
            }
            Step::Undo(place) => plain.undo(&mut bank, place),
            Step::Remove(number) => plain.remove(&mut bank, number),
            Step::Forget(number) => plain.forget(&mut bank, number),
        }
        for (number, shown) in TEXTS.into_iter().enumerate() {
            let found = bank.find(&text(number), &mut |_| ()).unwrap();
            let day = format!("{:04}-{:02}-{:02}", today().year, today().month, today().day);
            prop_assert_eq!(found.is_held(&day), plain.holds(number, &[own, EVERYONE]), "{}", shown);
            prop_assert_eq!(found.is_forgotten, plain.forgotten.contains(&number));
        }
        for kept in bank.batches().unwrap() {
            let mine = plain.entries.iter().filter(|entry| entry.batch == kept.id).count();
            prop_assert_eq!(kept.entries, mine as u64 + u64::from(kept.keeps_forgotten));
        }
        for (scope, scopes) in [(None, vec![EVERYONE]), (Some("larkfold"), vec![EVERYONE, own])] {
            let memory = shelf.memory(scope);
            let mine = plain.entries.iter().filter(|entry| scopes.contains(&entry.scope));
            let meant = mine.count() + plain.forgotten.len();
            prop_assert_eq!(all_of(&memory, None).len(), meant);
            let counted: u64 =
                pebblebank_core::suppress::remembered::Remembered::holds(&memory).iter().map(|hold| hold.entries).sum();
            prop_assert_eq!(counted, meant as u64);
            // Looked up one by one it is the same.
            let everybody = among_all();
            prop_assert_eq!(
                all_of(&shelf.memory(scope).looking_up(), Some(&everybody)),
                all_of(&memory, Some(&everybody))
            );
        }
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 128, ..ProptestConfig::default() })]

    #[test]
    fn the_bank_holds_whom_a_plain_list_would_hold(steps in prop::collection::vec(step(), 1..14), blocks_from in 1..4u64) {
        check(&Shelf::new().with_blocks_from(blocks_from), steps)?;
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    #[test]
    #[ignore = "needs a database: .ci/with-database"]
    fn a_bank_in_a_database_holds_whom_a_plain_list_would_hold(steps in prop::collection::vec(step(), 1..14), blocks_from in 1..4u64) {
        check(&Shelf::of(Keeper::Database).with_blocks_from(blocks_from), steps)?;
    }
}
