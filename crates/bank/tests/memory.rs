//! What a run sees of the bank: by one scan, or by look-ups for few people, which find the same.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Shelf, all_of, put};
use pebblebank_bank::EVERYONE;
use pebblebank_bank::batch::What;
use pebblebank_bank::scope::NewScope;
use pebblebank_core::suppress::remembered::{Among, Remembered};
use proptest::prelude::*;

fn value() -> impl Strategy<Value = String> {
    let address =
        ("[ab]{1,2}", "[xy]{1,2}\\.[xy]{1,2}\\.example").prop_map(|(local, domain)| format!("{local}@{domain}"));
    let domain = "[xy]{1,2}\\.example|[xy]{1,2}\\.[xy]{1,2}\\.example";
    prop_oneof![3 => address, 1 => domain, 1 => "\\+4420794600[0-9]{2}", 1 => "[0-9a-f]{32}"]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn look_ups_find_of_somebody_what_a_scan_finds(
        batches in prop::collection::vec((0usize..4, any::<bool>(), any::<bool>(), prop::collection::vec(value(), 1..6)), 1..6),
        people in prop::collection::vec(("[ab]{1,2}", "[xy]{1,2}\\.[xy]{1,2}\\.example"), 0..6),
        blocks_from in 1..4u64,
    ) {
        let shelf = Shelf::new().with_blocks_from(blocks_from);
        let mut bank = shelf.bank();
        let own = bank.scope_or_new(Some("larkfold"), NewScope::IsMeant).unwrap();
        for (what, is_own, is_undone, values) in &batches {
            let values: Vec<&str> = values.iter().map(String::as_str).collect();
            let id = put(&mut bank, What::HOLDING[*what], if *is_own { own } else { EVERYONE }, &values);
            if *is_undone {
                bank.undo(id).unwrap();
            }
        }
        let mut among = Among::default();
        for (local, domain) in &people {
            among.add(&format!("{local}@{domain}"));
        }
        for scope in [None, Some("larkfold")] {
            let memory = shelf.memory(scope);
            let scanned = all_of(&memory, None);
            let meant: Vec<_> = scanned.iter().filter(|(_, text)| {
                let is_shown = text.contains('.');
                !is_shown || among.identities.contains(text) || among.domains.contains(text)
            }).cloned().collect();
            prop_assert_eq!(&all_of(&memory, Some(&among)), &meant);
            prop_assert_eq!(all_of(&shelf.memory(scope).looking_up(), Some(&among)), meant);
            // The holds count what a scan gives.
            let counted: u64 = memory.holds().iter().map(|hold| hold.entries).sum();
            prop_assert_eq!(counted, scanned.len() as u64);
            if scope.is_none() {
                prop_assert!(scanned.iter().all(|(name, _)| name.contains("everyone")));
            }
        }
    }
}
