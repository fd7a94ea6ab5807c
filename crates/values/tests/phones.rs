//! Phone numbers as people and programs write them.

use pebblebank_values::phone::{clean, is_placeholder};
use pebblebank_values::place::Country;
use rstest::rstest;

#[rstest]
#[case("020 7946 0018 ext 12", "GB", "+442079460018 ext. 12")]
#[case("tel:+442079460018;ext=12", "GB", "+442079460018 ext. 12")]
#[case("030 901820 App. 12", "DE", "+4930901820 ext. 12")]
#[case("01 5134567 Klappe 12", "AT", "+4315134567 ext. 12")]
#[case("01 42 68 53 00 poste 12", "FR", "+33142685300 ext. 12")]
#[case("(11) 3123-4567 ramal 12", "BR", "+551131234567 ext. 12")]
#[case("07946 000018 (home)", "GB", "+447946000018")]
#[case("1-800-FLOWERS", "US", "+18003569377")]
#[case("+54 9 11 2345-6789", "AR", "+5491123456789")]
#[case("011 15 2345-6789", "AR", "+5491123456789")]
#[case("11 15-2345-6789", "AR", "+5491123456789")]
#[case("0351 15 234-5678", "AR", "+5493512345678")]
#[case("011 4345-6789", "AR", "+541143456789")]
#[case("+52 1 55 1234 5678", "MX", "+525512345678")]
#[case("044 55 1234 5678", "MX", "+525512345678")]
#[case("045 55 1234 5678", "MX", "+525512345678")]
#[case("01 55 1234 5678", "MX", "+525512345678")]
#[case("55 1234 5678", "MX", "+525512345678")]
#[case("090-1234-5678", "JP", "+819012345678")]
fn a_number_is_read_in_its_countrys_way(#[case] typed: &str, #[case] country: &str, #[case] expected: &str) {
    let mut out = String::new();
    let cleaned = clean(typed, Country::from_capitals(country), &mut out);
    assert_eq!(out, expected, "{cleaned:?}");
}

#[rstest]
#[case("1234567890", true)]
#[case("0987654321", true)]
#[case("000-000-0000", true)]
#[case("+44 11111 11111", true)]
#[case("123456", true)]
#[case("090-1234-5678", false)]
#[case("020 7946 0018", false)]
fn placeholders_are_told_from_numbers(#[case] typed: &str, #[case] is: bool) {
    assert_eq!(is_placeholder(typed), is);
}
