//! Cleaning of values, kind by kind: what becomes of what people type, and what must always hold.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_core::clean::plan::{CleaningPlan, CleaningWishes, Wanted};
use pebblebank_core::clean::row::RowCleaner;
use pebblebank_core::columns::locate::Table;
use pebblebank_core::columns::mapper::Unmapped;
use pebblebank_core::columns::mapping::map_columns;
use pebblebank_core::columns::sample::SampleRecords;
use pebblebank_core::columns::wishes::{ColumnWishes, ConsentQuestions};
use pebblebank_table::units::{ColumnIndex, RowNumber};
use pebblebank_table::{Chunk, Dialect, Records, Shape, cell};
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::blank::{BlankIn, BlankWords};
use pebblebank_values::date::{Date, DateOrder, DateSystem};
use pebblebank_values::date_column::{DateColumn, DateOf, OrderDecision, OrderEvidence};
use pebblebank_values::date_format::DateFormat;
use pebblebank_values::name::{NamePart, is_address, is_company, part, repaired_case};
use pebblebank_values::place::{self, Country, PlaceForm, street_key};
use pebblebank_values::suggest::{self, DomainTypos, has_known_top_level, mended};
use pebblebank_values::text::{LineEnds, tidy};
use pebblebank_values::{
    Cleaned, Doubt, Field, Kind, Rule, Rules, language, number, phone, place_parts, postal_code, region, tags, website,
    yes_no,
};
use proptest::prelude::*;
use rstest::rstest;
use std::path::Path;
use std::sync::Arc;

/// The value after cleaning; a doubt where it stays as it is.
fn after(text: &str, clean: impl Fn(&str, &mut String) -> Cleaned) -> Result<String, Doubt> {
    let mut out = String::new();
    match clean(text, &mut out) {
        Cleaned::AsItIs => Ok(text.to_owned()),
        Cleaned::Repaired(_) => Ok(out),
        Cleaned::Doubtful(doubt) => Err(doubt),
    }
}

fn country(code: &str) -> Option<Country> {
    Country::from_text(code)
}

const TODAY: Date = Date { year: 2026, month: 3, day: 2 };

fn dates(order: Option<DateOrder>, of: DateOf) -> DateColumn {
    DateColumn { order, system: DateSystem::default(), today: TODAY, of }
}

#[rstest]
#[case("IDA MOSS", NamePart::Full, "Ida Moss")]
#[case("ida van der moor", NamePart::Full, "Ida van der Moor")]
#[case("DE LA MOOR", NamePart::Last, "de la Moor")]
#[case("VAN", NamePart::Last, "Van")]
#[case("MCBRIDE", NamePart::Last, "McBride")]
#[case("O'HARA", NamePart::Last, "O'Hara")]
#[case("d’angelo", NamePart::Last, "D’Angelo")]
#[case("SMITH-HALE", NamePart::Last, "Smith-Hale")]
#[case("jean-luc", NamePart::First, "Jean-Luc")]
#[case("JOHN SMITH III", NamePart::Full, "John Smith III")]
#[case("ijsselmeer", NamePart::Last, "IJsselmeer")]
#[case("ST. JOHN", NamePart::Last, "St. John")]
#[case("МАРИЯ", NamePart::First, "Мария")]
#[case("j.r.", NamePart::First, "J.R.")]
#[case("PHD", NamePart::Suffix, "PhD")]
fn letter_case_is_repaired_where_all_is_upper_or_all_is_lower(
    #[case] typed: &str,
    #[case] part: NamePart,
    #[case] name: &str,
) {
    assert_eq!(repaired_case(typed, part).as_deref(), Some(name));
    assert_eq!(repaired_case(name, part), None, "twice");
}

#[rstest]
#[case("LeRoy", NamePart::First)]
#[case("van Dijk", NamePart::Last)]
#[case("JR", NamePart::First)]
#[case("KWB", NamePart::First)]
#[case("IŞIK", NamePart::Last)]
#[case("山田太郎", NamePart::Full)]
#[case("ida@post.example", NamePart::Full)]
fn mixed_case_initials_and_what_has_no_case_stay(#[case] typed: &str, #[case] part: NamePart) {
    assert_eq!(repaired_case(typed, part), None);
}

#[rstest]
#[case("Quillmere Theater GmbH", true)]
#[case("Moss S.A.", true)]
#[case("The Copper Kettle Limited", true)]
#[case("Ida & Bo Moss", false)]
#[case("Trust Okonkwo", false)]
#[case("Limited", false)]
fn companies_in_columns_of_names_are_seen(#[case] name: &str, #[case] is: bool) {
    assert_eq!(is_company(name), is);
}

#[rstest]
#[case("020 7946 0018", "GB", "+442079460018")]
#[case("+44 (0)20 7946 0018", "", "+442079460018")]
#[case("0044 20 7946 0018", "DE", "+442079460018")]
#[case("011 44 20 7946 0018", "US", "+442079460018")]
#[case("(201) 555-0123", "US", "+12015550123")]
#[case("1-201-555-0123", "US", "+12015550123")]
#[case("442079460018", "GB", "+442079460018")]
#[case("2079460018", "GB", "+442079460018")]
#[case("020 7946 0018 ext. 12", "GB", "+442079460018 ext. 12")]
#[case("020 7946 0018 x12", "GB", "+442079460018 ext. 12")]
#[case("+442079460018;ext=12", "", "+442079460018 ext. 12")]
#[case("030/23125 555", "DE", "+493023125555")]
#[case("020 7946 0018 / 07700 900123", "GB", "+442079460018")]
#[case("Tel.: 020 7946 0018", "GB", "+442079460018")]
#[case("1-800-FLOWERS", "US", "+18003569377")]
#[case("06 1 234 5678", "HU", "+3612345678")]
#[case("８００ 555 0123", "US", "+18005550123")]
#[case("06 12345678", "IT", "+390612345678")]
#[case("01632 96012", "GB", "+44163296012")]
#[case("0800 1111", "GB", "+448001111")]
#[case("0171 3920012", "DE", "+491713920012")]
#[case("+800 1234 5670", "", "+80012345670")]
fn phone_numbers_in_e_164(#[case] typed: &str, #[case] of: &str, #[case] number: &str) {
    let typed = pebblebank_values::text::ordinary_width(typed, &mut Rules::default()).into_owned();
    assert_eq!(after(&typed, |text, out| phone::clean(text, country(of), out)).as_deref(), Ok(number));
}

#[rstest]
#[case("4.42079E+11", "GB", Doubt::DamagedPhone)]
#[case("7946 0018", "GB", Doubt::DamagedPhone)]
#[case("5550123", "US", Doubt::DamagedPhone)]
#[case("+44 20 7946", "", Doubt::DamagedPhone)]
#[case("020 7946 0018 0018 0018", "GB", Doubt::DamagedPhone)]
#[case("020 7946 0018", "", Doubt::PhoneWithoutCountry)]
#[case("ask at the desk", "GB", Doubt::UnreadablePhone)]
#[case("020 7946 001", "GB", Doubt::DamagedPhone)]
#[case("+44 7700 90012", "", Doubt::DamagedPhone)]
#[case("0171 392001", "DE", Doubt::DamagedPhone)]
#[case("+49 171 392001234", "", Doubt::DamagedPhone)]
#[case("0491 570 00", "AU", Doubt::DamagedPhone)]
#[case("+55 11 5555 12", "", Doubt::DamagedPhone)]
#[case("+800 1234 567", "", Doubt::DamagedPhone)]
fn what_lacks_digits_or_a_country_is_never_guessed(#[case] typed: &str, #[case] of: &str, #[case] doubt: Doubt) {
    assert_eq!(after(typed, |text, out| phone::clean(text, country(of), out)), Err(doubt));
}

/// Every example number of the library, as written at home and abroad, is read as the library reads it, or not at all.
#[test]
fn no_example_number_of_the_reference_library_is_read_otherwise() {
    use phonenumber::{Mode, country::Id, metadata::DATABASE};
    let plans = include_str!("../../values/src/data/phone_plans.txt");
    let (mut tried, mut read) = (0, 0);
    let mut otherwise = Vec::new();
    for region in plans.lines().filter(|line| !line.starts_with('#')).filter_map(|line| line.get(..2)) {
        let Ok(id) = region.parse::<Id>() else { continue };
        let Some(metadata) = DATABASE.by_id(region) else { continue };
        let descriptors = metadata.descriptors();
        let kinds = [descriptors.fixed_line(), descriptors.mobile(), descriptors.toll_free()];
        for example in kinds.into_iter().flatten().filter_map(phonenumber::metadata::Descriptor::example) {
            let Ok(number) = phonenumber::parse(Some(id), example) else { continue };
            let expected = number.format().mode(Mode::E164).to_string();
            for mode in [Mode::National, Mode::International] {
                let typed = number.format().mode(mode).to_string();
                tried += 1;
                match after(&typed, |text, out| phone::clean(text, country(region), out)) {
                    Ok(ours) => {
                        read += 1;
                        if ours != expected {
                            otherwise.push(format!("{typed} in {region}: {ours} instead of {expected}"));
                        }
                    }
                    Err(doubt) => assert_eq!(doubt, Doubt::DamagedPhone, "{typed} in {region}"),
                }
            }
        }
    }
    assert!(otherwise.is_empty(), "{}", otherwise.join("\n"));
    assert!(tried > 1_000 && read * 100 >= tried * 97, "{read} of {tried} were read");
}

#[rstest]
#[case("lf11ab", "GB", "LF1 1AB")]
#[case("SW1A1AA", "GB", "SW1A 1AA")]
#[case("1234ab", "NL", "1234 AB")]
#[case("NL-1234 AB", "NL", "NL-1234 AB")]
#[case("k1a0b1", "CA", "K1A 0B1")]
#[case("2134", "US", "02134")]
#[case("501", "US", "00501")]
#[case("62704 1234", "US", "62704-1234")]
#[case("2134.0", "US", "02134")]
#[case("1067", "DE", "01067")]
#[case("D-04103", "DE", "04103")]
#[case("8001", "ES", "08001")]
#[case("100", "IT", "00100")]
#[case("1000123", "PT", "1000-123")]
#[case("00950", "PL", "00-950")]
#[case("11122", "SE", "111 22")]
#[case("1010", "AT", "1010")]
#[case("ab12", "", "AB12")]
fn postal_codes_as_their_country_writes_them(#[case] typed: &str, #[case] of: &str, #[case] code: &str) {
    let cleaned = after(typed, |text, out| postal_code::clean_postal_code(text, country(of), out));
    assert_eq!(cleaned.unwrap_or_else(|_| typed.to_owned()), code);
}

#[rstest]
#[case("12", "GB")]
#[case("123456", "US")]
#[case("101", "AT")]
#[case("67", "DE")]
#[case("none of it", "NL")]
fn a_postal_code_that_its_country_cannot_have_stays(#[case] typed: &str, #[case] of: &str) {
    let cleaned = after(typed, |text, out| postal_code::clean_postal_code(text, country(of), out));
    assert_eq!(cleaned, Err(Doubt::UnfitPostalCode));
}

#[rstest]
#[case("Deutschland", "DE")]
#[case("Allemagne", "DE")]
#[case("alemania", "DE")]
#[case("Royaume-Uni", "GB")]
#[case("uk", "GB")]
#[case("U.S.A.", "US")]
#[case("the Netherlands", "NL")]
#[case("España", "ES")]
#[case("Côte d’Ivoire", "CI")]
#[case("BRA", "BR")]
#[case("756", "CH")]
fn countries_by_code_or_name_in_seven_languages(#[case] typed: &str, #[case] code: &str) {
    assert_eq!(after(typed, place::clean_country).as_deref(), Ok(code));
}

#[rstest]
#[case("California", "US", PlaceForm::Code, Some("CA"))]
#[case("us-ca", "US", PlaceForm::Name, Some("California"))]
#[case("Bavaria", "DE", PlaceForm::Name, Some("Bayern"))]
#[case("Baviera", "DE", PlaceForm::Code, Some("BY"))]
#[case("Québec", "CA", PlaceForm::Code, Some("QC"))]
#[case("Wien", "AT", PlaceForm::Code, Some("9"))]
#[case("Narnia", "US", PlaceForm::Code, None)]
fn regions_by_code_or_name(#[case] typed: &str, #[case] of: &str, #[case] form: PlaceForm, #[case] is: Option<&str>) {
    assert_eq!(region::region(typed, country(of).unwrap(), Some(form)), is);
}

#[rstest]
#[case("Springfield, IL 62704", "US", Some(("Springfield", Some("IL"), "62704")))]
#[case("12345 Musterstadt", "DE", Some(("Musterstadt", None, "12345")))]
#[case("Larkfold LF1 3AB", "GB", Some(("Larkfold", None, "LF1 3AB")))]
#[case("1234 AB Oudemeer", "NL", Some(("Oudemeer", None, "1234 AB")))]
#[case("Larkfold", "GB", None)]
#[case("12345", "DE", None)]
#[case("Route 66", "US", None)]
fn city_region_and_postal_code_in_one_cell(
    #[case] text: &str,
    #[case] of: &str,
    #[case] parts: Option<(&str, Option<&str>, &str)>,
) {
    let found = place_parts::place_parts(text, country(of));
    let found = found.as_ref().map(|parts| (parts.city.as_str(), parts.region.as_deref(), parts.postal_code.as_str()));
    assert_eq!(found, parts);
}

#[rstest]
#[case("12 Mill Street", "12 mill st.", true)]
#[case("Gartenstraße 5", "Garten Str. 5", true)]
#[case("Garten-Strasse 5", "Gartenstr 5", true)]
#[case("12 Mill Street", "12 Mill Road", false)]
fn street_words_are_compared_alike(#[case] one: &str, #[case] other: &str, #[case] is_same: bool) {
    assert_eq!(street_key(one) == street_key(other), is_same);
}

#[rstest]
#[case("2026-03-01", "2026-03-01")]
#[case("2026/3/1", "2026-03-01")]
#[case("20260301", "2026-03-01")]
#[case("1 March 2026", "2026-03-01")]
#[case("March 1st, 2026", "2026-03-01")]
#[case("1. März 2026", "2026-03-01")]
#[case("1er mars 2026", "2026-03-01")]
#[case("1 de marzo de 2026", "2026-03-01")]
#[case("1 mrt. 2026", "2026-03-01")]
#[case("1-Mar-26", "2026-03-01")]
#[case("Sunday, 1 March 2026", "2026-03-01")]
#[case("2026-03-01 00:00:00", "2026-03-01")]
#[case("2026-03-01T14:30:05Z", "2026-03-01T14:30:05Z")]
#[case("2026-03-01 14:30:05.123 +0100", "2026-03-01T14:30:05+01:00")]
#[case("1 March 2026 2:30 pm", "2026-03-01T14:30:00")]
#[case("1.3.2026 14:30", "2026-03-01T14:30:00")]
#[case("1.3.26, 14.30 Uhr", "2026-03-01T14:30:00")]
#[case("Sun Mar 01 2026 14:30:00 GMT+0100 (Central European Standard Time)", "2026-03-01T14:30:00+01:00")]
#[case("46082", "2026-03-01")]
#[case("46082.5", "2026-03-01T12:00:00")]
#[case("1772323200", "2026-03-01")]
fn many_written_forms_of_dates(#[case] typed: &str, #[case] date: &str) {
    let column = dates(Some(DateOrder::DayFirst), DateOf::Past);
    assert_eq!(after(typed, |text, out| column.clean(text, out)).as_deref(), Ok(date));
}

#[rstest]
#[case("31.06.2025", DateOf::Any, Doubt::ImpossibleDate)]
#[case("29.02.2025", DateOf::Any, Doubt::ImpossibleDate)]
#[case("1900-01-00", DateOf::Any, Doubt::ImpossibleDate)]
#[case("12/31/2025", DateOf::Any, Doubt::ImpossibleDate)]
#[case("2031-01-01", DateOf::Birth, Doubt::FarOffDate)]
#[case("1876-01-01", DateOf::Birth, Doubt::FarOffDate)]
#[case("1876-01-01", DateOf::Past, Doubt::FarOffDate)]
#[case("next spring", DateOf::Any, Doubt::UnreadableDate)]
#[case("March 2026", DateOf::Any, Doubt::UnreadableDate)]
#[case("1985", DateOf::Birth, Doubt::UnreadableDate)]
fn impossible_far_off_and_unreadable_dates_stay(#[case] typed: &str, #[case] of: DateOf, #[case] doubt: Doubt) {
    let column = dates(Some(DateOrder::DayFirst), of);
    assert_eq!(after(typed, |text, out| column.clean(text, out)), Err(doubt));
}

#[rstest]
#[case("03/04/61", DateOf::Birth, "1961-04-03")]
#[case("03/04/24", DateOf::Birth, "2024-04-03")]
#[case("03/04/98", DateOf::Past, "1998-04-03")]
fn years_of_two_digits_lie_in_the_past(#[case] typed: &str, #[case] of: DateOf, #[case] date: &str) {
    let column = dates(Some(DateOrder::DayFirst), of);
    assert_eq!(after(typed, |text, out| column.clean(text, out)).as_deref(), Ok(date));
}

#[rstest]
#[case(&["2026-01-02", "5 March 2026"], OrderDecision::NotAsked)]
#[case(&["03/03/2026"], OrderDecision::NotAsked)]
#[case(&["01/02/2026", "03.04.2026"], OrderDecision::Silent)]
#[case(&["01/02/2026", "13/04/2026"], OrderDecision::Shown(DateOrder::DayFirst))]
#[case(&["01/02/2026", "04/13/2026"], OrderDecision::Shown(DateOrder::MonthFirst))]
#[case(&["13/04/2026", "04/13/2026"], OrderDecision::Contradicts)]
fn the_whole_column_decides_about_day_and_month(#[case] values: &[&str], #[case] decision: OrderDecision) {
    let mut seen = OrderEvidence::default();
    for (row, value) in values.iter().enumerate() {
        seen.look(value.as_bytes(), RowNumber(row as u64 + 2));
    }
    assert_eq!(seen.decision(), decision);
}

#[rstest]
#[case("1.234,50", Ok("1234.50"))]
#[case("€ 1,234.50", Ok("1234.50"))]
#[case("-12,5", Ok("-12.5"))]
#[case("1'234'567", Ok("1234567"))]
#[case("0.125", Ok("0.125"))]
#[case("1,234", Err(Doubt::UnreadableNumber))]
#[case("1.234", Err(Doubt::UnreadableNumber))]
#[case("12 apples", Err(Doubt::UnreadableNumber))]
#[case("1,23,4", Err(Doubt::UnreadableNumber))]
fn numbers_with_a_decimal_point(#[case] typed: &str, #[case] number: Result<&str, Doubt>) {
    assert_eq!(after(typed, number::clean), number.map(str::to_owned));
}

#[rstest]
#[case("ja", Ok("yes"))]
#[case("NON", Ok("no"))]
#[case("✓", Ok("yes"))]
#[case("0", Ok("no"))]
#[case("maybe", Err(Doubt::UnreadableYesNo))]
fn yes_and_no_in_seven_languages(#[case] typed: &str, #[case] word: Result<&str, Doubt>) {
    assert_eq!(after(typed, yes_no::clean), word.map(str::to_owned));
}

#[rstest]
#[case("HTTP://Quillmere.Example/Plays?Year=2026", Ok("http://quillmere.example/Plays?Year=2026"))]
#[case("www.quillmere.example", Ok("https://www.quillmere.example"))]
#[case("ftp://quillmere.example", Err(Doubt::UnreadableWebsite))]
#[case("on the web", Err(Doubt::UnreadableWebsite))]
fn websites_with_their_scheme(#[case] typed: &str, #[case] site: Result<&str, Doubt>) {
    assert_eq!(after(typed, website::clean), site.map(str::to_owned));
}

#[rstest]
#[case("Neerlandés", Ok("nl"))]
#[case("deu", Ok("de"))]
#[case("pt_BR", Ok("pt-BR"))]
#[case("Klingon", Err(Doubt::UnknownLanguage))]
fn languages_by_code(#[case] typed: &str, #[case] code: Result<&str, Doubt>) {
    assert_eq!(after(typed, language::clean), code.map(str::to_owned));
}

#[rstest]
#[case(&["bats, orchard", "roses"], ',')]
#[case(&["bats, small; roses", "bats"], ';')]
#[case(&["bats|roses", "a, b"], '|')]
#[case(&["bats"], ';')]
fn tags_part_at_the_separator_that_the_column_uses(#[case] values: &[&str], #[case] separator: char) {
    assert_eq!(tags::separator_of(values.iter().copied()), separator);
}

#[test]
fn blank_words_are_data_and_can_be_changed() {
    let words = BlankWords::changed(&["T.B.A.".to_owned()], &["none".to_owned()]);
    assert!(words.holds("t.b.a.", BlankIn::Names) && words.holds("Keine Angabe", BlankIn::Others));
    assert!(!words.holds("none", BlankIn::Others) && !words.holds("null", BlankIn::Names));
    let standard = BlankWords::default();
    assert!(standard.holds("NA", BlankIn::Others) && !standard.holds("NA", BlankIn::Places));
    assert!(standard.holds("0000-00-00", BlankIn::Dates) && !standard.holds("0", BlankIn::Others));
}

#[rstest]
#[case("ida@potsbox.example", &[Rule::DomainTypo], "ida@postbox.example")]
#[case("ida@postbox,example", &[Rule::CommaForDot], "ida@postbox.example")]
#[case("ida..moss@postbox.example", &[Rule::DoubledDot], "ida.moss@postbox.example")]
#[case("ida@postboxexample", &[Rule::MissingDot], "ida@postbox.example")]
#[case("ida @ postbox.example", &[Rule::SpaceInside], "ida@postbox.example")]
#[case("ida (at) postbox (dot) example", &[Rule::SpelledOutSigns], "ida@postbox.example")]
#[case("ida@postbox.con", &[Rule::DomainTypo], "ida@postbox.com")]
fn typos_in_addresses_are_suggested(#[case] typed: &str, #[case] rules: &[Rule], #[case] meant: &str) {
    let typos = DomainTypos::new(std::iter::repeat_n("postbox.example".to_owned(), 40));
    let found = mended(typed, suggest::ALL, &typos);
    assert_eq!(found, Some((meant.to_owned(), Rules::of(rules))));
    assert_eq!(mended(meant, suggest::ALL, &typos), None, "twice");
}

#[test]
fn a_domain_that_is_frequent_itself_is_no_typo() {
    let domains = ["postbox.example", "postbax.example"].map(|domain| std::iter::repeat_n(domain.to_owned(), 40));
    let typos = DomainTypos::new(domains.into_iter().flatten());
    assert_eq!(typos.meant("postbax.example"), None);
    assert_eq!(typos.meant("hotel.example"), None);
    assert!(has_known_top_level("post.example") && !has_known_top_level("post.exampel"));
}

#[test]
fn a_layout_writes_dates_in_its_own_format() {
    let formats = ["dd.mm.yyyy", "m/d/yy", "yyyy"].map(|format| DateFormat::new(format).unwrap().of(TODAY));
    assert_eq!(formats, ["02.03.2026", "3/2/26", "2026"]);
    assert_eq!(DateFormat::new("day"), None);
}

/// The value of the only column of a file after its record is cleaned.
fn cleaned_in_a_record(field: Field, value: &str) -> String {
    let quoted = format!("\"{}\"", value.replace('"', "\"\""));
    // A value that needs no quotes stands without them, as most do.
    let needs_quotes = value.is_empty() || value.contains([',', '"', '\n', '\r']);
    let bytes = format!("{},x\n", if needs_quotes { &quoted } else { value }).into_bytes();
    let chunk = Chunk { bytes, shape: Shape::Unusual, is_first: true };
    let mut records = Records::default();
    records.split(&chunk, Dialect::COMMA);
    let record = records.get(0, &chunk.bytes, Dialect::COMMA);
    let table = Table::with_headers(vec![field.name().to_owned(), "x".to_owned()]);
    let unmapped = Unmapped {
        path: Path::new("values.csv"),
        table: &table,
        sample: &SampleRecords::new(b"", Dialect::COMMA, true),
        wishes: &ColumnWishes::default(),
        is_list: false,
        found_consent: &[],
        consent_questions: ConsentQuestions::Stop,
        asks: false,
    };
    let map = map_columns(&unmapped).unwrap().map;
    let wishes = CleaningWishes {
        country: country("GB"),
        today: TODAY,
        date_system: DateSystem::default(),
        blank_words: Arc::default(),
        tags_roles: false,
        gives_tags: false,
    };
    let wanted = Wanted { fields: vec![field], ..Wanted::default() };
    let mut plan = CleaningPlan::new(&wishes, &wanted, &map, false, &[]);
    plan.set_order(ColumnIndex(0), DateOrder::DayFirst);
    let mut cleaner = RowCleaner::default();
    let mut outcome = || {
        cleaner.clean(&plan, &record, &AddressCleaner::default().clean(b""));
        let own =
            |(column, rules, before, after): (_, _, &str, &str)| (column, rules, before.to_owned(), after.to_owned());
        let repairs: Vec<_> = cleaner.repairs().map(own).collect();
        (cell::text(cleaner.after(&record).raw(0)).into_owned(), cleaner.doubts().to_vec(), repairs)
    };
    let (first, again) = (outcome(), outcome());
    assert_eq!(format!("{first:?}"), format!("{again:?}"), "what is remembered of a cell is what became of it");
    first.0
}

/// The same by the rules of its kind alone, without any quick test before them.
fn cleaned_carefully(field: Field, value: &str) -> String {
    let kind = Kind::of_field(field);
    let meant = pebblebank_core::clean::double_encoded::repaired(value);
    let value = meant.as_deref().unwrap_or(value);
    if BlankWords::default().holds(value, kind.blank_in()) {
        return String::new();
    }
    let line_ends = match field {
        Field::City => LineEnds::AreCommas,
        Field::Phone => LineEnds::Stay,
        _ => LineEnds::AreBlanks,
    };
    let text = tidy(value, line_ends, &mut Rules::default()).into_owned();
    if field == Field::Phone && phone::is_placeholder(&text) {
        return String::new();
    }
    let plain = pebblebank_values::text::ordinary_width(&text, &mut Rules::default()).into_owned();
    let column = dates(Some(DateOrder::DayFirst), DateOf::Past);
    let cleaned = match field {
        Field::Phone => after(&plain, |text, out| phone::clean(text, country("GB"), out)),
        Field::PostalCode => after(&plain, |text, out| postal_code::clean_postal_code(text, country("GB"), out)),
        Field::SignedUp => after(&plain, |text, out| column.clean(text, out)),
        Field::City => Ok(place_parts::without_repeated_parts(&text).unwrap_or(text)),
        _ if is_address(&text) => Err(Doubt::AddressInName),
        _ if is_company(&text) => Ok(text),
        _ => Ok(repaired_case(&text, NamePart::Last).unwrap_or(text)),
    };
    cleaned.unwrap_or_else(|_| value.to_owned())
}

/// A value of each kind that is clean as it stands.
fn example_of(field: Field) -> &'static str {
    match field {
        Field::Phone => "+442079460018",
        Field::Birthday => "1980-02-02",
        Field::SignedUp | Field::LastSeen => "2026-02-02",
        Field::Tags => "choir; bats",
        Field::Website => "https://www.quillmere.example",
        Field::Language => "nl",
        Field::Country => "GB",
        Field::PostalCode => "LF1 3AB",
        Field::Region => "Kent",
        Field::Consent => "opted-in",
        _ => "Moss",
    }
}

/// What people type, and worse.
fn typed() -> impl Strategy<Value = String> {
    let words = "[A-Za-zÀ-ÿ0-9 .,;:/()@+'’|\u{a0}\u{200b}-]{0,24}";
    prop_oneof![words, "[0-9 +()/.-]{5,20}", "[0-9]{1,2}[./-][0-9]{1,2}[./-][0-9]{2,4}", any::<String>()]
}

/// A kind by name, and how it is cleaned.
type Clean<'a> = (&'a str, Box<dyn Fn(&str, &mut String) -> Cleaned + 'a>);

proptest! {
    #![proptest_config(ProptestConfig::with_cases(2_000))]

    #[test]
    fn cleaning_twice_changes_nothing_more_and_what_is_doubtful_stays_doubtful(typed in typed(), of in 0usize..4) {
        let of = [country("GB"), country("US"), country("DE"), None][of];
        let column = dates(Some(DateOrder::DayFirst), DateOf::Any);
        let text = tidy(&typed, LineEnds::AreBlanks, &mut Rules::default()).into_owned();
        prop_assert_eq!(&*tidy(&text, LineEnds::AreBlanks, &mut Rules::default()), &text);
        let kinds: [Clean; 9] = [
            ("phone", Box::new(|text, out| phone::clean(text, of, out))),
            ("postal code", Box::new(|text, out| postal_code::clean_postal_code(text, of, out))),
            ("region", Box::new(|text, out| region::clean_region(text, of, out))),
            ("country", Box::new(place::clean_country)),
            ("date", Box::new(|text, out| column.clean(text, out))),
            ("number", Box::new(number::clean)),
            ("tags", Box::new(|text, out| tags::clean(text, '|', out))),
            ("website", Box::new(website::clean)),
            ("language", Box::new(language::clean)),
        ];
        for (kind, clean) in kinds {
            if let Ok(cleaned) = after(&text, &clean) {
                prop_assert_eq!(after(&cleaned, &clean), Ok(cleaned.clone()), "{}", kind);
            }
        }
        for part in [NamePart::First, NamePart::Last, NamePart::Full] {
            if let Some(repaired) = repaired_case(&text, part) {
                prop_assert_eq!(repaired_case(&repaired, part), None, "{}", repaired);
            }
        }
    }

    #[test]
    fn a_value_of_any_kind_is_clean_after_one_cleaning_and_spaces_around_it_change_nothing(typed in typed(), field in 0..Field::ALL.len()) {
        // The address is cleaned in a way of its own.
        let field = Some(Field::ALL[field]).filter(|field| *field != Field::Email).unwrap_or(Field::City);
        // Carriage returns at a record's end belong to its line end.
        let typed = typed.replace('\r', "");
        for value in [typed.clone(), example_of(field).to_owned()] {
            let once = cleaned_in_a_record(field, &value);
            prop_assert_eq!(&cleaned_in_a_record(field, &once), &once, "{} {:?}", field, value);
            // What is doubtful stays as it was read, with its spaces.
            let around = cleaned_in_a_record(field, &format!(" {value} "));
            prop_assert_eq!(around.trim(), once.trim(), "{} {:?}", field, value);
        }
    }

    #[test]
    fn what_a_quick_test_lets_pass_the_rules_leave_alone(value in typed(), field in 0usize..5) {
        let field = [Field::LastName, Field::City, Field::Phone, Field::PostalCode, Field::SignedUp][field];
        // Carriage returns at a record's end belong to its line end.
        prop_assume!(!value.contains('\r'));
        prop_assert_eq!(cleaned_in_a_record(field, &value), cleaned_carefully(field, &value), "{} {:?}", field, value);
    }

    #[test]
    fn no_word_of_a_name_is_lost_in_its_parts(words in prop::collection::vec("[A-Z][a-zà-ÿ]{1,8}", 1..5)) {
        let full = words.join(" ");
        let name = part(&full);
        let parts = [&*name.title, &*name.first, &*name.middle, &*name.last, &*name.suffix];
        let again: Vec<&str> = parts.iter().flat_map(|part| part.split_whitespace()).collect();
        prop_assert_eq!(again, words);
    }

    #[test]
    fn two_valid_ascii_addresses_stay_two(a in "[a-z0-9]{1,5}(\\.[a-z0-9]{1,3})?@[a-z]{2,6}\\.(example|com)",
                                         b in "[a-z0-9]{1,5}(\\.[a-z0-9]{1,3})?@[a-z]{2,6}\\.(example|com)") {
        let identity = |text: &str| {
            let mut cleaner = pebblebank_values::address::AddressCleaner::default();
            String::from_utf8(cleaner.clean(text.as_bytes()).identity.to_vec()).unwrap()
        };
        prop_assert_eq!(identity(&a) == identity(&b), a == b);
    }
}
