//! Keys and groups: the same persons whatever the memory.
#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_core::person::{Groups, IdentityHasher, KeyStore, Role};
use pebblebank_core::units::RowId;
use proptest::prelude::*;

/// All keys of a store, partition by partition, as they are settled.
fn settled_keys(memory: u64, identities: &[u16]) -> Vec<(Role, u32)> {
    let hasher = IdentityHasher::random();
    let mut store = KeyStore::new(memory, std::env::temp_dir().as_path());
    for (owner, identity) in identities.iter().enumerate() {
        store.add(hasher.hash(&identity.to_le_bytes()), Role::First, owner as u32).unwrap();
    }
    let (partitions, spilled) = store.into_partitions();
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
