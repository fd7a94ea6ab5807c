//! Entries of lists, held domains, marks: who is held, and why.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_core::suppress::domains::HeldDomains;
use pebblebank_core::suppress::marks::{ListReason, Mark, MarkSet, MarkSets, reason_of};
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::units::{ListId, SourceId};
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::consent::Consent;
use pebblebank_values::entry::{Entry, read};
use pebblebank_values::identity::IdentityHasher;
use proptest::prelude::*;
use rstest::rstest;

#[rstest]
#[case("Ida@Post.example;", Some(Entry::Address(b"ida@post.example")))]
#[case("@hotel.example", Some(Entry::Domain("hotel.example".to_owned())))]
#[case(" Hotel.Example. ", Some(Entry::Domain("hotel.example".to_owned())))]
#[case("bücher.example", Some(Entry::Domain("xn--bcher-kva.example".to_owned())))]
#[case("", None)]
#[case("n/a", None)]
#[case("noemail@post.example", None)]
#[case("example", Some(Entry::Unusable(b"example")))]
#[case("Not An Address", Some(Entry::Unusable(b"not an address")))]
#[case("ida@@post.example", Some(Entry::Unusable(b"ida@@post.example")))]
fn what_a_cell_of_a_list_stands_for(#[case] cell: &str, #[case] entry: Option<Entry>) {
    let mut found = None;
    read(cell.as_bytes(), &mut AddressCleaner::default(), &mut |entry| found = Some(format!("{entry:?}")));
    assert_eq!(found, entry.map(|entry| format!("{entry:?}")));
}

fn holding(domains: &HeldDomains, hasher: &IdentityHasher, domain: &str) -> Vec<u16> {
    let mut lists = Vec::new();
    domains.for_each_match(domain.as_bytes(), hasher, |list| lists.push(list.0));
    lists.sort_unstable();
    lists
}

#[test]
fn a_domain_entry_holds_the_domain_and_all_below_it() {
    let hasher = IdentityHasher::random();
    let mut domains = HeldDomains::default();
    for (domain, list) in [("hotel.example", 0), ("hotel.example", 1), ("bar.hotel.example", 2), ("hotel.example", 0)] {
        domains.add(domain, ListId(list), &hasher);
    }
    assert_eq!(holding(&domains, &hasher, "hotel.example"), [0, 1]);
    assert_eq!(holding(&domains, &hasher, "the.bar.hotel.example"), [0, 1, 2]);
    for other in ["grandhotel.example", "hotel.example.com", "example", ""] {
        assert_eq!(holding(&domains, &hasher, other), [0u16; 0], "{other}");
    }
    assert_eq!([0, 1, 2, 3].map(|list| domains.matched_entries(ListId(list))), [2, 1, 1, 0]);
}

proptest! {
    #[test]
    fn held_domains_are_found_like_by_their_endings(
        entries in prop::collection::vec("[ab]{1,2}(\\.[ab]{1,2}){1,2}", 0..8),
        domain in "[ab]{1,2}(\\.[ab]{1,2}){1,3}",
    ) {
        let hasher = IdentityHasher::random();
        let mut domains = HeldDomains::default();
        for entry in &entries {
            domains.add(entry, ListId(0), &hasher);
        }
        let is_held = entries.iter().any(|entry| domain == *entry || domain.ends_with(&format!(".{entry}")));
        prop_assert_eq!(!holding(&domains, &hasher, &domain).is_empty(), is_held);
    }

    #[test]
    fn marks_unite_like_sets(a in prop::collection::btree_set(0u16..6, 0..5), b in prop::collection::btree_set(0u16..6, 0..5)) {
        let mut sets = MarkSets::default();
        let marks = |lists: &std::collections::BTreeSet<u16>| lists.iter().map(|list| Mark::On(ListId(*list))).collect::<Vec<_>>();
        let (first, second) = (sets.number(marks(&a)), sets.number(marks(&b)));
        let union = sets.union(first, second);
        prop_assert_eq!(sets.marks(union), marks(&a.union(&b).copied().collect()));
        prop_assert_eq!((sets.union(second, first), sets.union(union, MarkSet::NONE)), (union, union));
    }
}

#[rstest]
#[case::a_list_of_people(Mark::On(ListId(0)), Some(Reason::DoNotContact))]
#[case::any_address_on_a_list_of_bounces(Mark::On(ListId(1)), None)]
#[case::the_address_that_would_be_written(Mark::FirstOn(ListId(1)), Some(Reason::Bounced))]
#[case::said_of_that_address(Mark::FirstBounced(SourceId(0)), Some(Reason::Bounced))]
#[case::said_in_any_row(Mark::Said(Consent::Bounced, SourceId(0)), None)]
#[case(Mark::Said(Consent::OptedIn, SourceId(0)), None)]
#[case(Mark::Said(Consent::Pending, SourceId(0)), Some(Reason::NoConsent))]
#[case(Mark::Said(Consent::Unlisted, SourceId(0)), Some(Reason::NoConsent))]
#[case(Mark::Said(Consent::OptedOut, SourceId(0)), Some(Reason::OptedOut))]
#[case(Mark::RefusedElsewhere(Consent::Complained, SourceId(0)), Some(Reason::Complained))]
fn what_a_mark_means(#[case] mark: Mark, #[case] reason: Option<Reason>) {
    let list = |reason| Some(ListReason { reason, is_of_address: reason == Reason::Bounced });
    assert_eq!(reason_of(mark, &[list(Reason::DoNotContact), list(Reason::Bounced)]), reason);
}

#[test]
fn reasons_are_in_the_order_of_their_gravity() {
    let names = Reason::ALL.map(Reason::name);
    let gravest_first = [
        "complained",
        "opted-out",
        "no-consent",
        "do-not-contact",
        "bounced",
        "already-sent",
        "too-often",
        "on-other-list",
        "blank-address",
        "invalid-address",
        "placeholder-address",
        "missing-field",
        "role-address",
        "disposable-domain",
        "failed-check",
        "near-miss",
        "not-selected",
        "over-limit",
        "layout-violation",
        "removed-by-hand",
        "unreadable-row",
    ];
    assert_eq!(names, gravest_first);
    assert!(Reason::ALL.is_sorted());
}
