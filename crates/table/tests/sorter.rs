//! Sorting more than fits into memory gives what sorting in memory gives.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_table::sorter::Sorter;
use proptest::prelude::*;

fn sorted(most_bytes: u64, records: &[(Vec<u8>, Vec<u8>)]) -> Vec<(Vec<u8>, Vec<u8>)> {
    let mut sorter = Sorter::new(most_bytes, &std::env::temp_dir());
    for (key, payload) in records {
        sorter.push(key, payload).unwrap();
    }
    assert_eq!(sorter.len(), records.len() as u64);
    let mut in_order = sorter.finish().unwrap();
    let mut all = Vec::new();
    while let Some((key, payload)) = in_order.next().unwrap() {
        all.push((key.to_vec(), payload.to_vec()));
    }
    all
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn records_come_in_the_order_of_their_keys_whatever_the_memory(
        keys in prop::collection::btree_set(prop::collection::vec(any::<u8>(), 0..14), 0..400)
            .prop_map(Vec::from_iter)
            .prop_shuffle(),
        common in prop::collection::vec(any::<u8>(), 0..12),
        size in 0usize..900,
    ) {
        let record = |key: Vec<u8>| ([&common[..], &key].concat(), vec![key.len() as u8; size]);
        let records: Vec<(Vec<u8>, Vec<u8>)> = keys.into_iter().map(record).collect();
        let mut expected = records.clone();
        expected.sort();
        prop_assert_eq!(&sorted(1 << 30, &records), &expected);
        prop_assert_eq!(&sorted(0, &records), &expected);
    }
}

#[test]
fn so_many_that_both_cores_sort_come_in_order_too_and_alike_ones_as_they_were_pushed() {
    let records: Vec<(Vec<u8>, Vec<u8>)> = (0..100_000u32)
        .map(|number| {
            let key = format!("somebody.{}", number.wrapping_mul(2_654_435_761) % 50_000);
            (key.into_bytes(), number.to_le_bytes().to_vec())
        })
        .collect();
    let mut expected = records.clone();
    expected.sort_by(|a, b| a.0.cmp(&b.0));
    assert_eq!(sorted(1 << 30, &records), expected);
}
