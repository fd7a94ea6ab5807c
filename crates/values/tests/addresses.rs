//! Addresses as people type them → as they are written, or why they cannot be used.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_values::address::{AddressCleaner, State};
use pebblebank_values::address_syntax::{Fault, domain_forms};
use pebblebank_values::{Rule, Rules, look};
use proptest::prelude::*;
use rstest::rstest;

/// State, text, identity, rules, further identities.
type Owned = (State, String, String, Rules, Vec<String>);

fn owned(address: pebblebank_values::address::Address) -> Owned {
    let text = |bytes: &[u8]| String::from_utf8(bytes.to_vec()).unwrap();
    (address.state, text(address.text), text(address.identity), address.rules, further(&address))
}

fn further(address: &pebblebank_values::address::Address) -> Vec<String> {
    address.further.iter().map(|further| further.identity.clone()).collect()
}

/// The state of a cell, and what lists may hold it by beside its usable addresses.
fn state_and_held_by(typed: &str) -> (bool, Vec<String>) {
    let mut cleaner = AddressCleaner::default();
    let address = cleaner.clean(typed.as_bytes());
    (address.is_usable(), address.held_by.to_vec())
}

fn clean(typed: &str) -> Owned {
    owned(AddressCleaner::default().clean(typed.as_bytes()))
}

#[rstest]
#[case::as_it_is("ida@post.example", "ida@post.example", &[])]
#[case::letter_case("Ida.Moss@Post.EXAMPLE", "ida.moss@post.example", &[Rule::LetterCase])]
#[case::tags_are_kept("ida+fair@post.example", "ida+fair@post.example", &[])]
#[case::blanks_of_every_kind(" \u{a0}ida@post.example\u{3000}", "ida@post.example", &[Rule::OuterSpaces])]
#[case::invisible("ida\u{200b}@post\u{ad}.example\u{feff}", "ida@post.example", &[Rule::InvisibleCharacters])]
#[case::semicolon("ida@post.example;", "ida@post.example", &[Rule::TrailingPunctuation])]
#[case::full_stop_and_blank("ida@post.example. ", "ida@post.example", &[Rule::OuterSpaces, Rule::TrailingPunctuation])]
#[case::name_and_address("Ida Moss <ida@post.example>", "ida@post.example", &[Rule::NameAndAddress])]
#[case::quoted_name("\"Moss, Ida\" <ida@post.example>", "ida@post.example", &[Rule::NameAndAddress])]
#[case::angle_brackets("<ida@post.example>", "ida@post.example", &[Rule::Enclosure])]
#[case::typographic_quotes("“ida@post.example”", "ida@post.example", &[Rule::Enclosure])]
#[case::mailto("mailto:ida%2Bfair@post.example?subject=Hello", "ida+fair@post.example", &[Rule::Mailto])]
#[case::full_width("ｉｄａ＠ｐｏｓｔ．ｅｘａｍｐｌｅ", "ida@post.example", &[Rule::FullWidth])]
#[case::one_after_the_other("<mailto:IDA@post.example>;", "ida@post.example",
    &[Rule::LetterCase, Rule::Mailto, Rule::Enclosure, Rule::TrailingPunctuation])]
#[case::decomposed_letters("jose\u{301}@post.example", "josé@post.example", &[Rule::ComposedForm])]
fn safe_repairs(#[case] typed: &str, #[case] written: &str, #[case] rules: &[Rule]) {
    let (state, text, _, repaired, _) = clean(typed);
    assert_eq!((state, text.as_str()), (State::Usable, written));
    assert_eq!(repaired.iter().collect::<Vec<_>>(), rules);
}

#[rstest]
#[case("ida", Fault::NoAtSign)]
#[case("Ida Moss", Fault::SpaceInside)]
#[case("ida@@post.example", Fault::SeveralAtSigns)]
#[case("@post.example", Fault::NoLocalPart)]
#[case("ida@", Fault::NoDomain)]
#[case("\"ida moss\"@post.example", Fault::QuotedLocalPart)]
#[case("ida moss@post.example", Fault::SpaceInside)]
#[case("ida..moss@post.example", Fault::MisplacedDot)]
#[case(".ida@post.example", Fault::MisplacedDot)]
#[case("ida@post..example", Fault::MisplacedDot)]
#[case("ida(moss@post.example", Fault::LocalCharacter)]
#[case("ida@po_st.example", Fault::DomainCharacter)]
#[case("ida@localhost", Fault::OneLabelDomain)]
#[case("ida@-post.example", Fault::MisplacedHyphen)]
#[case("ida@[192.0.2.1]", Fault::NumericDomain)]
#[case("ida@192.0.2.1", Fault::NumericDomain)]
#[case("ida@post.c0m", Fault::DomainCharacter)]
#[case("ida@post.c", Fault::DomainCharacter)]
#[case("ida@ab--cd.example", Fault::MisplacedHyphen)]
#[case("ida@AB--cd.example", Fault::MisplacedHyphen)]
#[case("ida@post.ex-ample", Fault::DomainCharacter)]
#[case("ida@post.-example", Fault::MisplacedHyphen)]
#[case("ida@post.example-", Fault::MisplacedHyphen)]
#[case("ida@xn--a.example", Fault::DomainCharacter)]
#[case("a123456789012345678901234567890123456789012345678901234567890abcde@post.example", Fault::TooLong)]
fn what_is_no_address_and_why(#[case] typed: &str, #[case] fault: Fault) {
    assert_eq!(clean(typed).0, State::Invalid(fault));
}

#[rstest]
#[case::empty("")]
#[case::blanks(" \t\u{a0}")]
#[case::invisible("\u{200b}")]
#[case::only_a_separator(";")]
#[case::word("N/A")]
#[case::dash("-")]
#[case::unknown("unknown")]
fn what_is_no_address_at_all(#[case] typed: &str) {
    assert_eq!(clean(typed).0, State::Blank);
}

#[rstest]
#[case("noemail@post.example", true)]
#[case("none@none.com", true)]
#[case("test@test.com", true)]
#[case("X@x.x", true)]
#[case("test@post.example", false)]
#[case("nadia@na.example", false)]
fn what_people_type_instead_of_an_address(#[case] typed: &str, #[case] is_placeholder: bool) {
    assert_eq!(clean(typed).0 == State::Placeholder, is_placeholder);
}

#[rstest]
#[case::at_semicolons_and_line_ends("a@x.example; b@x.example\nc@x.example", "a@x.example", &["b@x.example", "c@x.example"])]
#[case::at_commas_between_addresses("a@x.example, b@x.example", "a@x.example", &["b@x.example"])]
#[case::at_blanks_between_addresses("a@x.example b@x.example", "a@x.example", &["b@x.example"])]
#[case::not_in_quotes("\"b@x.example; x\" <a@x.example>", "a@x.example", &[])]
#[case::the_first_usable_one("nobody; a@x.example; b@@x.example", "a@x.example", &[])]
fn a_cell_parts_only_where_the_parts_are_addresses(#[case] typed: &str, #[case] first: &str, #[case] further: &[&str]) {
    let (state, text, _, _, others) = clean(typed);
    assert_eq!((state, text.as_str()), (State::Usable, first));
    assert_eq!(others, further);
}

#[rstest]
#[case::at_a_line_end("ida.\nmoss@post.example", false, &["moss@post.example"])]
#[case::at_a_semicolon_and_a_line_end("ida;\nmoss@post.example", false, &["moss@post.example"])]
#[case::behind_a_line_end("ida@post.example\nmoss", false, &["ida@post.example"])]
#[case::touching_with_a_sign("ida_; moss@post.example", false, &["moss@post.example"])]
#[case::touched_by_a_sign("ida@post.example; +moss", false, &["ida@post.example"])]
#[case::text_at_a_semicolon("ida; moss@post.example", true, &["ida"])]
#[case::a_dot_behind_an_address("ida@post.example.; Moss", true, &["moss"])]
#[case::a_word_that_stands_for_nothing("n/a\nmoss@post.example", true, &[])]
#[case::an_invalid_address_beside("ida@post.example; moss..x@post.example", true, &["moss..x@post.example"])]
fn text_that_may_be_a_piece_of_an_address_makes_the_cell_unusable(
    #[case] typed: &str,
    #[case] is_usable: bool,
    #[case] held_by: &[&str],
) {
    let (usable, others) = state_and_held_by(typed);
    assert_eq!((usable, others), (is_usable, held_by.iter().map(|text| (*text).to_owned()).collect()));
}

#[test]
fn a_cell_with_no_usable_part_takes_the_gravest_fault_of_its_parts() {
    assert_eq!(clean("noemail@x.example; b@@x.example").0, State::Invalid(Fault::SeveralAtSigns));
}

#[test]
fn a_unicode_domain_is_compared_as_a_label_and_written_as_read() {
    let (state, text, identity, ..) = clean("ida@BÜCHER.example");
    assert_eq!(
        (state, text.as_str(), identity.as_str()),
        (State::Usable, "ida@bücher.example", "ida@xn--bcher-kva.example")
    );
    assert_eq!(clean("ida@xn--bcher-kva.example").2, identity);
}

fn typed_addresses() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        4 => "[a-z0-9]{1,4}", 1 => "[A-Z]{1,2}", 3 => Just("@".to_owned()), 3 => Just(".".to_owned()),
        1 => "[-_+'%]", 1 => "[;,:<>\"() \n]", 1 => Just("mailto:".to_owned()), 2 => Just("@post.example".to_owned()),
        1 => "[\u{a0}\u{200b}é＠ß]",
    ];
    prop::collection::vec(piece, 0..10).prop_map(|pieces| pieces.concat())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(2_000))]

    #[test]
    fn the_quick_way_finds_what_the_careful_way_finds(typed in typed_addresses()) {
        let carefully = owned(AddressCleaner::default().clean_carefully(typed.as_bytes()));
        let quickly = clean(&typed);
        prop_assert_eq!(&quickly.0, &carefully.0);
        if quickly.0 == State::Usable {
            prop_assert_eq!(quickly, carefully);
        }
    }

    #[test]
    fn cleaning_twice_changes_nothing(typed in typed_addresses()) {
        let (state, text, identity, ..) = clean(&typed);
        if state == State::Usable {
            prop_assert_eq!(clean(&text), (state, text, identity, Rules::NONE, Vec::new()));
        }
    }

    #[test]
    fn a_clean_ascii_address_stays_as_it_is(local in "[a-z0-9]([a-z0-9._+-]{0,20}[a-z0-9])?", label in "[a-z]{1,10}") {
        prop_assume!(!local.contains("..") && local != label);
        let address = format!("{local}@{label}.example");
        let cleaned = clean(&address);
        if cleaned.0 == State::Usable {
            prop_assert_eq!((cleaned.1, cleaned.3), (address, Rules::NONE));
        }
    }
}

proptest! {
    #[test]
    fn no_address_of_a_text_is_left_whole_once_it_is_masked(
        parts in prop::collection::vec(prop_oneof![
            "[a-z]{2,6}(\\.[a-z]{1,4})?(\\+[a-z]{1,3})?@[a-z]{1,6}\\.example", "[a-z ]{0,8}", Just("\"".to_owned()), Just("<".to_owned()),
            Just("müller@straße.example".to_owned()), Just(", ".to_owned()), Just("mailto:".to_owned()), Just("=".to_owned()),
        ], 0..12),
    ) {
        let text = parts.join(" ");
        let masked = look::mask_addresses(&text, |_| false);
        for address in look::addresses_in(&text) {
            prop_assert!(!masked.to_lowercase().contains(&address), "{} in {}", address, masked);
        }
        prop_assert_eq!(look::mask_addresses(&text, |_| true), text, "what is shown stays as it is");
        prop_assert_eq!(look::mask_addresses(&masked, |_| false), masked.clone(), "masking twice changes nothing");
    }

    #[test]
    fn both_forms_of_a_domain_lead_to_both(local in "[a-z]{1,5}", domain in "[a-zäöüßé]{1,8}\\.example") {
        let address = format!("{local}@{domain}");
        let forms: std::collections::BTreeSet<String> = domain_forms(&address).into_iter().collect();
        for form in &forms {
            let again: std::collections::BTreeSet<String> = domain_forms(form).into_iter().collect();
            prop_assert!(again.is_subset(&forms), "{:?} of {}, but {:?}", again, form, forms);
            let mut cleaner = AddressCleaner::default();
            let mut other = AddressCleaner::default();
            prop_assert_eq!(cleaner.clean(form.as_bytes()).identity, other.clean(address.as_bytes()).identity);
        }
    }
}
