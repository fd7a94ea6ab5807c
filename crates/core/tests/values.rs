//! Single values: consent words, blank words, names, headers, sizes, and how cells are written.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_core::job::memory::parse;
use pebblebank_table::csv::{Defusing, RawCells, is_formula, without_defusing};
use pebblebank_table::split::RawCell;
use pebblebank_table::unseen::is_invisible;
use pebblebank_table::{CsvBuffer, cell};
use pebblebank_values::Field;
use pebblebank_values::blank::{is_blank, is_blank_name};
use pebblebank_values::consent::{Consent, Statement, YesMeans, is_listed, read};
use pebblebank_values::fold::fold;
use pebblebank_values::headers::{Meaning, recognise};
use proptest::prelude::*;
use rstest::rstest;

#[rstest]
#[case("Subscribed", Consent::OptedIn)]
#[case("opt_in", Consent::OptedIn)]
#[case(" ACTIVE ", Consent::OptedIn)]
#[case("Unsubscribed", Consent::OptedOut)]
#[case("opted  out", Consent::OptedOut)]
#[case("no email", Consent::OptedOut)]
#[case("Withdrawn", Consent::OptedOut)]
#[case("awaiting confirmation", Consent::Pending)]
#[case("Hard Bounce", Consent::Bounced)]
#[case("Spam complaint", Consent::Complained)]
#[case("on holiday", Consent::Unlisted)]
#[case("subscribed to a list with a name that is longer than any word", Consent::Unlisted)]
fn status_words_and_what_they_say(#[case] word: &str, #[case] consent: Consent) {
    assert_eq!(read(word, None), Statement::Says(consent));
    assert_eq!(is_listed(word), consent != Consent::Unlisted);
}

#[rstest]
#[case("", None, Statement::Nothing)]
#[case("n/a", None, Statement::Nothing)]
#[case("unknown", Some(YesMeans::OptedIn), Statement::Nothing)]
#[case("yes", None, Statement::YesOrNo)]
#[case("0", None, Statement::YesOrNo)]
#[case("TRUE", Some(YesMeans::OptedIn), Statement::Says(Consent::OptedIn))]
#[case("x", Some(YesMeans::OptedOut), Statement::Says(Consent::OptedOut))]
#[case("false", Some(YesMeans::OptedIn), Statement::Says(Consent::OptedOut))]
#[case("No", Some(YesMeans::OptedOut), Statement::Nothing)]
fn yes_and_no_need_a_direction(#[case] word: &str, #[case] yes_means: Option<YesMeans>, #[case] says: Statement) {
    assert_eq!(read(word, yes_means), says);
}

#[rstest]
#[case("", true, true)]
#[case(" \u{a0}\u{200b}", true, true)]
#[case("N/A", true, true)]
#[case("-", true, true)]
#[case("#N/A", true, true)]
#[case("none", true, false)]
#[case("NULL", true, false)]
#[case("unknown", true, false)]
#[case("–", true, false)]
#[case("Nonesuch", false, false)]
#[case("0", false, false)]
fn blank_words_are_fewer_for_names(#[case] value: &str, #[case] in_other_fields: bool, #[case] in_names: bool) {
    assert_eq!((is_blank(value), is_blank_name(value)), (in_other_fields, in_names));
}

#[test]
fn blanks_are_no_invisible_characters() {
    assert!(['\u{200b}', '\u{ad}', '\u{feff}', '\u{202e}', '\0', '\u{7f}'].into_iter().all(is_invisible));
    assert!([' ', '\t', '\n', '\u{a0}', '\u{3000}', 'a', 'é'].into_iter().all(|c| !is_invisible(c)));
}

#[rstest]
#[case("E-Mail Address", Some(Meaning::Field(Field::Email)))]
#[case("  EMAIL_ADDRESS: ", Some(Meaning::Field(Field::Email)))]
#[case("Surname", Some(Meaning::Field(Field::LastName)))]
#[case("first_name", Some(Meaning::Field(Field::FirstName)))]
#[case("Post-code", Some(Meaning::Field(Field::PostalCode)))]
#[case("Member No.", Some(Meaning::Field(Field::ContactId)))]
#[case("Opt-in", Some(Meaning::Consent(Some(YesMeans::OptedIn))))]
#[case("Do NOT mail", Some(Meaning::Consent(Some(YesMeans::OptedOut))))]
#[case("Don't email", Some(Meaning::Consent(Some(YesMeans::OptedOut))))]
#[case("Consent", Some(Meaning::Consent(None)))]
#[case("Status", Some(Meaning::MaybeConsent))]
#[case("Basket", None)]
#[case("", None)]
fn headers_are_recognised_by_their_words(#[case] header: &str, #[case] meaning: Option<Meaning>) {
    assert_eq!(recognise(header), meaning);
}

#[test]
fn every_field_is_recognised_by_its_own_name_and_found_by_it() {
    for field in Field::ALL {
        assert_eq!(Field::from_name(field.name()), Some(field));
        assert!(recognise(field.name()).is_some(), "{field}");
        assert_eq!(field as usize, Field::ALL.iter().position(|other| *other == field).unwrap());
    }
}

#[rstest]
#[case("Straße & Ort", "straße ort")]
#[case("Prénom", "prenom")]
#[case("--Name--", "name")]
#[case("Ｅｍａｉｌ", "email")]
#[case("***", "")]
fn headers_are_folded_alike(#[case] header: &str, #[case] folded: &str) {
    assert_eq!(fold(header), folded);
}

#[rstest]
#[case("64MiB", Some(64 << 20))]
#[case("1 g", Some(1 << 30))]
#[case("123", Some(123))]
#[case("", None)]
#[case("-1", None)]
#[case("1.5 GiB", Some(3 << 29))]
#[case("99999999999999999999", None)]
fn sizes_of_memory(#[case] text: &str, #[case] bytes: Option<u64>) {
    assert_eq!(parse(text), bytes);
}

#[rstest]
#[case("=1+1", true)]
#[case("@SUM(A1)", true)]
#[case("+cmd", true)]
#[case("- a dash", true)]
#[case("\tx", true)]
#[case("+44 (0)20 7946-0000", false)]
#[case("-12.50", false)]
#[case("-1,5", false)]
#[case("a=b", false)]
#[case("", false)]
fn what_a_spreadsheet_would_run(#[case] value: &str, #[case] runs: bool) {
    assert_eq!(is_formula(value.as_bytes()), runs);
}

fn written(cell: &[u8], cells: RawCells, defusing: Defusing) -> String {
    let mut buffer = CsvBuffer::new(defusing);
    buffer.raw(RawCell { bytes: cell, window: None }, cells);
    buffer.value(b"end");
    buffer.end_row();
    String::from_utf8(buffer.bytes).unwrap()
}

#[rstest]
#[case::plain("Ida", "Ida,end\n")]
#[case::empty("", ",end\n")]
#[case::quoted_stays_as_it_is("\"Moss, Ida\"", "\"Moss, Ida\",end\n")]
#[case::a_comma_from_another_dialect_gets_quotes("1,5", "\"1,5\",end\n")]
#[case::a_quote_inside_is_doubled("12\" pot", "\"12\"\" pot\",end\n")]
#[case::text_after_a_quote_is_kept("\"Moss, Ida\" <x>", "\"\"\"Moss, Ida\"\" <x>\",end\n")]
#[case::a_formula_is_defused("=1+1", "'=1+1,end\n")]
#[case::a_quoted_formula_is_defused("\"=A1,B1\"", "\"'=A1,B1\",end\n")]
fn a_cell_is_written_so_that_it_is_read_back(#[case] cell: &str, #[case] line: &str) {
    assert_eq!(written(cell.as_bytes(), RawCells::NeedALook, Defusing::On), line);
}

#[test]
fn a_row_of_one_empty_cell_is_no_empty_line() {
    let mut buffer = CsvBuffer::new(Defusing::On);
    buffer.value(b"");
    buffer.end_row();
    buffer.value(b"a");
    buffer.end_row();
    assert_eq!((buffer.bytes.as_slice(), buffer.rows()), (&b"\"\"\na\n"[..], 2));
}

proptest! {
    #[test]
    fn a_written_cell_is_read_back_as_it_was(value in "[a-c,\"\r\n=+ é]{0,12}", tail in "[a-z ,\"]{32}") {
        let mut buffer = CsvBuffer::new(Defusing::Off);
        buffer.value(value.as_bytes());
        buffer.value(b"end");
        buffer.end_row();
        let mut reader = csv::ReaderBuilder::new().has_headers(false).from_reader(&buffer.bytes[..]);
        let record = reader.records().next().unwrap().unwrap();
        prop_assert_eq!(&record[0], value.as_str());

        // With what stands behind it in a chunk, a cell is copied as it is without it.
        let plain: String = value.chars().filter(char::is_ascii_alphabetic).collect();
        let chunk = format!("{plain}{tail}");
        let mut copied = CsvBuffer::new(Defusing::On);
        let window = chunk.as_bytes().first_chunk();
        copied.raw(RawCell { bytes: plain.as_bytes(), window }, RawCells::FitAsTheyAre);
        copied.value(b"end");
        copied.end_row();
        prop_assert_eq!(String::from_utf8(copied.bytes).unwrap(), format!("{plain},end\n"));
    }

    #[test]
    fn defusing_is_undone(value in "[=+@-][a-z0-9]{0,5}") {
        let line = written(value.as_bytes(), RawCells::NeedALook, Defusing::On);
        let cell = line.strip_suffix(",end\n").unwrap();
        prop_assert_eq!(without_defusing(cell::value(cell.as_bytes())), value.as_bytes());
    }
}

#[rstest]
#[case::two_signs("Ñ€", None)]
#[case::after_a_latin_letter("aÖ€", None)]
#[case::a_name_in_cyrillic("ÐœÐ°Ñ€Ð¸Ñ", None)]
#[case::a_whole_name_in_cyrillic("ÐžÐ»ÐµÐ³", Some("Олег"))]
fn letters_of_another_script_are_put_right_where_there_are_several(#[case] text: &str, #[case] meant: Option<&str>) {
    assert_eq!(pebblebank_core::clean::double_encoded::repaired(text).as_deref(), meant);
}

proptest! {
    #[test]
    fn text_double_encoded_is_put_right_and_what_is_right_stays(text in "[a-zA-Z àáâäçèéêëíîñóôöùúûüßÀÉÖÜÑ’–€]{1,20}", rounds in 1..3usize) {
        use pebblebank_core::clean::double_encoded::repaired;
        prop_assert_eq!(repaired(&text), None, "right text stays");
        let wrongly = |text: &str| encoding_rs::WINDOWS_1252.decode_without_bom_handling(text.as_bytes()).0.into_owned();
        let damaged = (0..rounds).fold(text.clone(), |text, _| wrongly(&text));
        if text.is_ascii() {
            prop_assert_eq!(repaired(&damaged), None);
        } else {
            prop_assert_eq!(repaired(&damaged), Some(text));
        }
    }
}

#[rstest]
#[case::english("Unsubscribed", Statement::Says(Consent::OptedOut))]
#[case::german("abgemeldet", Statement::Says(Consent::OptedOut))]
#[case::german_pending("nicht bestätigt", Statement::Says(Consent::Pending))]
#[case::french("Désabonnée", Statement::Says(Consent::OptedOut))]
#[case::french_yes("OUI", Statement::YesOrNo)]
#[case::spanish("dado de baja", Statement::Says(Consent::OptedOut))]
#[case::spanish_yes("Sí", Statement::YesOrNo)]
#[case::italian("Iscritto", Statement::Says(Consent::OptedIn))]
#[case::dutch("uitgeschreven", Statement::Says(Consent::OptedOut))]
#[case::dutch_bounce("onbestelbaar", Statement::Says(Consent::Bounced))]
#[case::portuguese("não inscrito", Statement::Says(Consent::OptedOut))]
#[case::a_tick("✔", Statement::YesOrNo)]
#[case::nothing_known("unbekannt", Statement::Nothing)]
#[case::a_word_that_nobody_listed("frozen", Statement::Says(Consent::Unlisted))]
fn status_words_are_understood_in_seven_languages(#[case] word: &str, #[case] statement: Statement) {
    assert_eq!(read(word, None), statement);
}

#[rstest]
#[case::no_under_subscribed("nein", YesMeans::OptedIn, Statement::Says(Consent::OptedOut))]
#[case::no_under_do_not_mail("non", YesMeans::OptedOut, Statement::Nothing)]
#[case::yes_under_do_not_mail("sim", YesMeans::OptedOut, Statement::Says(Consent::OptedOut))]
fn yes_and_no_have_a_direction_in_every_language(
    #[case] word: &str,
    #[case] yes_means: YesMeans,
    #[case] says: Statement,
) {
    assert_eq!(read(word, Some(yes_means)), says);
}
