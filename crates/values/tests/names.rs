//! Full names of many countries and kinds, and the parts that a person would read in them (rules 18 to 20).

#![allow(clippy::unwrap_used)] // a failure here is a failed test

use pebblebank_values::comparable::FullName;
use pebblebank_values::name::{NameDoubt, NamePart, Naming, given_first, part, part_in};
use pebblebank_values::place::Country;
use rstest::rstest;

const PARTS: [NamePart; 5] = [NamePart::Title, NamePart::First, NamePart::Middle, NamePart::Last, NamePart::Suffix];

fn read(name: &str, country: &str) -> String {
    let name = part_in(name, Naming::of(Country::from_capitals(country), ""));
    PARTS.map(|part| name.part(part).to_owned()).join("|")
}

/// Name, country, and title | given | middle | family | suffix.
fn check(cases: &[(&str, &str, &str)]) {
    let wrong: Vec<String> = cases
        .iter()
        .filter(|(name, country, parts)| read(name, country) != *parts)
        .map(|(name, country, parts)| format!("{name} ({country}): {} instead of {parts}", read(name, country)))
        .collect();
    assert!(wrong.is_empty(), "{} of {}\n{}", wrong.len(), cases.len(), wrong.join("\n"));
}

#[test]
fn scripts_orders_and_short_forms_of_many_countries() {
    check(&[
        ("李小梅", "CN", "|小梅||李|"),
        ("欧阳小梅", "CN", "|小梅||欧阳|"),
        ("김하나", "", "|하나||김|"),
        ("남궁하나", "KR", "|하나||남궁|"),
        ("山田花子", "JP", "|山田花子|||"),
        ("LI Mei", "", "|Mei||LI|"),
        ("Ng Wai Man", "HK", "|Wai Man||Ng|"),
        ("AJ Moss", "US", "|AJ||Moss|"),
        ("JRR Moss", "GB", "|JRR||Moss|"),
        ("Петров Иван Иванович", "", "|Иван|Иванович|Петров|"),
        ("Мария Ивановна Петрова", "", "|Мария|Ивановна|Петрова|"),
        ("Orlov Ivan Petrovich", "RU", "|Ivan|Petrovich|Orlov|"),
        ("Ana Maria Petrovich", "US", "|Ana|Maria|Petrovich|"),
        ("Ana M.ª Quilla", "ES", "|Ana M.ª||Quilla|"),
        ("Ma. Guadalupe Quilla", "MX", "|Ma. Guadalupe||Quilla|"),
        ("José María Quilla", "ES", "|José María||Quilla|"),
        ("Ana Quilla Moreno", "ES", "|Ana||Quilla Moreno|"),
        ("De la Mora Maria", "ES", "|Maria||De la Mora|"),
        ("Rajesh s/o Kumar", "SG", "|Rajesh||s/o Kumar|"),
        ("Smt. Indira Quill", "IN", "Smt.|Indira||Quill|"),
        ("Me Luc Quillon", "FR", "Me|Luc||Quillon|"),
        ("DI Franz Quill", "AT", "DI|Franz||Quill|"),
        ("mgr inż. Jan Quillski", "PL", "mgr inż.|Jan||Quillski|"),
        ("Wg Cdr Ida Moss OBE", "GB", "Wg Cdr|Ida||Moss|OBE"),
        ("Prof Emeritus Ida Moss", "GB", "Prof Emeritus|Ida||Moss|"),
        ("Ida Moss, PA-C", "US", "|Ida||Moss|PA-C"),
        ("Dr. Ida Moss, MBBS, FRCGP", "GB", "Dr.|Ida||Moss|MBBS FRCGP"),
        ("Ida Moss - Treasurer", "GB", "|Ida||Moss|"),
        ("Ida Moss 2", "GB", "|Ida||Moss|"),
        ("\"Ida\" Moss", "GB", "|Ida||Moss|"),
        ("Ida and family", "GB", "|Ida|||"),
        ("Eheleute Klaus und Petra Quill", "DE", "Eheleute|Klaus||Quill|"),
    ]);
}

#[test]
fn middle_names() {
    check(&[
        ("Ida Moss", "", "|Ida||Moss|"),
        ("Ida Anna Moss", "", "|Ida|Anna|Moss|"),
        ("Ida Anna Clara Moss", "GB", "|Ida|Anna Clara|Moss|"),
        ("Ida B. Moss", "US", "|Ida|B.|Moss|"),
        ("J. R. Moss", "", "|J.|R.|Moss|"),
        ("J.R. Moss", "", "|J.R.||Moss|"),
        ("Hans Peter Quill", "DE", "|Hans|Peter|Quill|"),
        ("Hans-Peter Quill", "DE", "|Hans-Peter||Quill|"),
        ("Jean-Luc Quill", "FR", "|Jean-Luc||Quill|"),
        ("Anna Maria De Luca", "IT", "|Anna|Maria|De Luca|"),
        ("Ida", "", "|Ida|||"),
        ("Ida B.", "", "|Ida||B.|"),
        ("Søren  Weiß", "", "|Søren||Weiß|"),
        ("Yo-Yo Ma", "", "|Yo-Yo||Ma|"),
        ("Иван Петрович Соколов", "", "|Иван|Петрович|Соколов|"),
    ]);
}

#[test]
fn particles_begin_the_family_name() {
    check(&[
        ("Ida van der Moor", "NL", "|Ida||van der Moor|"),
        ("Jan Pieter van den Berg", "NL", "|Jan|Pieter|van den Berg|"),
        ("Kees van 't Veld", "NL", "|Kees||van 't Veld|"),
        ("Ida de la Moor", "", "|Ida||de la Moor|"),
        ("Karl Freiherr von Moor", "DE", "|Karl||Freiherr von Moor|"),
        ("Otto Graf zu Quill", "DE", "|Otto||Graf zu Quill|"),
        ("Georg von und zu Moor", "DE", "|Georg||von und zu Moor|"),
        ("Khalid bin Omar Al Farsi", "", "|Khalid||bin Omar Al Farsi|"),
        ("Omar al-Farsi", "", "|Omar||al-Farsi|"),
        ("Abdul Rahman Khan", "", "|Abdul Rahman||Khan|"),
        ("Seán Ó Briain", "IE", "|Seán||Ó Briain|"),
        ("Ida St. John", "GB", "|Ida||St. John|"),
        ("van der Moor", "", "|||van der Moor|"),
        ("de la Moor", "", "|||de la Moor|"),
        ("Maria del Mar Quill", "", "|Maria del Mar||Quill|"),
        ("Ludwig van Quill", "", "|Ludwig||van Quill|"),
        ("Ida E. Moss", "", "|Ida|E.|Moss|"),
        ("Anh Do", "", "|Anh||Do|"),
        ("Joao da Silva", "", "|Joao||da Silva|"),
        ("José Ortega y Gasset", "", "|José||Ortega y Gasset|"),
    ]);
}

#[test]
fn names_are_built_as_their_country_builds_them() {
    check(&[
        ("Ana García López", "ES", "|Ana||García López|"),
        ("Ana García López", "", "|Ana|García|López|"),
        ("Juan Carlos García López", "MX", "|Juan Carlos||García López|"),
        ("María del Carmen García", "ES", "|María del Carmen||García|"),
        ("María del Carmen García López", "AR", "|María del Carmen||García López|"),
        ("João Pedro da Silva", "BR", "|João Pedro||da Silva|"),
        ("Maria da Silva Santos", "PT", "|Maria||da Silva Santos|"),
        ("Ana Sofia Costa e Silva", "PT", "|Ana Sofia||Costa e Silva|"),
        ("Juan García de la Vega", "ES", "|Juan||García de la Vega|"),
        ("Ana García", "CO", "|Ana||García|"),
        ("García López, Juan Carlos", "ES", "|Juan Carlos||García López|"),
        ("Nagy János", "HU", "|János||Nagy|"),
        ("Nagy János Péter", "HU", "|János|Péter|Nagy|"),
        ("Dr. Kovács Réka", "HU", "Dr.|Réka||Kovács|"),
        ("Wang Xiao Ming", "CN", "|Xiao Ming||Wang|"),
        ("Chen Mei-ling", "TW", "|Mei-ling||Chen|"),
        ("Kim Min Su", "KR", "|Min Su||Kim|"),
        ("Nguyễn Văn An", "VN", "|An|Văn|Nguyễn|"),
        ("Tanaka Haruto", "JP", "|Haruto||Tanaka|"),
        ("山田 太郎", "", "|太郎||山田|"),
        ("Anna Fischer", "HU", "|Anna||Fischer|"),
        ("Fatima Silva", "HU", "|Fatima||Silva|"),
        ("Kenji Tanaka", "JP", "|Kenji||Tanaka|"),
        ("Tanaka Kenji", "JP", "|Kenji||Tanaka|"),
        ("Kovács Katalin", "HU", "|Katalin||Kovács|"),
    ]);
}

#[test]
fn titles_stand_in_front() {
    check(&[
        ("Herr Quill", "DE", "Herr|||Quill|"),
        ("Mrs. Moss", "GB", "Mrs.|||Moss|"),
        ("Frau van der Moor", "DE", "Frau|||van der Moor|"),
        ("Prof. Dr. Ida Moss", "DE", "Prof. Dr.|Ida||Moss|"),
        ("Dr. rer. nat. Ida Moss", "DE", "Dr. rer. nat.|Ida||Moss|"),
        ("Prof. Dr. Dr. h.c. Otto Quill", "DE", "Prof. Dr. Dr. h.c.|Otto||Quill|"),
        ("Dipl.-Ing. Karl Quill", "AT", "Dipl.-Ing.|Karl||Quill|"),
        ("Mag. Eva Quill", "AT", "Mag.|Eva||Quill|"),
        ("Herrn Dr. Otto Quill", "DE", "Herrn Dr.|Otto||Quill|"),
        ("Lt. Col. Hugo Moss", "US", "Lt. Col.|Hugo||Moss|"),
        ("Rev. Dr. Grace Moss", "GB", "Rev. Dr.|Grace||Moss|"),
        ("The Rt Hon Ida Moss", "GB", "The Rt Hon|Ida||Moss|"),
        ("Sir Hugo Moss", "GB", "Sir|Hugo||Moss|"),
        ("Sra. Ana García López", "ES", "Sra.|Ana||García López|"),
        ("Don Hugo García", "ES", "Don|Hugo||García|"),
        ("Don Moss", "US", "|Don||Moss|"),
        ("Don Hugo Moss", "", "|Don|Hugo|Moss|"),
        ("Mme Claire Quill", "FR", "Mme|Claire||Quill|"),
        ("M. Jean Quill", "FR", "M.|Jean||Quill|"),
        ("M. Moss", "GB", "|M.||Moss|"),
        ("Dott.ssa Giulia De Luca", "IT", "Dott.ssa|Giulia||De Luca|"),
        ("Dhr. Jan van den Berg", "NL", "Dhr.|Jan||van den Berg|"),
        ("Dr.", "", "|Dr.|||"),
        ("Mag Moss", "", "|Mag||Moss|"),
        ("Graf Otto von Quill", "DE", "Graf|Otto||von Quill|"),
        ("Ing. Petr Novák", "CZ", "Ing.|Petr||Novák|"),
        ("MUDr. Jana Nováková", "CZ", "MUDr.|Jana||Nováková|"),
    ]);
}

#[test]
fn suffixes_and_degrees_stand_behind_and_are_no_given_names() {
    check(&[
        ("Ida Moss, PhD", "", "|Ida||Moss|PhD"),
        ("Ida Moss, Ph.D.", "", "|Ida||Moss|Ph.D."),
        ("Ida Moss Ph. D.", "", "|Ida||Moss|Ph. D."),
        ("Ida Moss, Ph. D.", "", "|Ida||Moss|Ph. D."),
        ("Ida Moss (MBA)", "", "|Ida||Moss|MBA"),
        ("Ida Moss, MBA, MSc", "", "|Ida||Moss|MBA MSc"),
        ("Ida Moss,MBA,MSc", "", "|Ida||Moss|MBA MSc"),
        ("Ida Moss M.B.A.", "", "|Ida||Moss|M.B.A."),
        ("Hugo Moss Jr", "US", "|Hugo||Moss|Jr"),
        ("Hugo Moss, Jr.", "US", "|Hugo||Moss|Jr."),
        ("Hugo Moss III", "US", "|Hugo||Moss|III"),
        ("Hugo Moss 3rd", "US", "|Hugo||Moss|3rd"),
        ("Moss, Hugo, Jr.", "US", "|Hugo||Moss|Jr."),
        ("Moss, Jr., Hugo", "US", "|Hugo||Moss|Jr."),
        ("Moss Jr., Hugo", "US", "|Hugo||Moss|Jr."),
        ("Moss, Ida, PhD, MBA", "", "|Ida||Moss|PhD MBA"),
        ("Dr. Ida Moss, MD, FACS", "", "Dr.|Ida||Moss|MD FACS"),
        ("Ida Moss M.A.", "", "|Ida||Moss|M.A."),
        ("Ida Moss MA", "", "|Ida||Moss|MA"),
        ("Ida Moss, OBE", "GB", "|Ida||Moss|OBE"),
        ("Ida Moss LL.M.", "DE", "|Ida||Moss|LL.M."),
        ("Ida Quill B.Sc. M.Sc.", "", "|Ida||Quill|B.Sc. M.Sc."),
    ]);
}

#[test]
fn a_comma_parts_a_family_name_from_given_names_and_nothing_else() {
    check(&[
        ("Moss, Ida", "", "|Ida||Moss|"),
        ("Moss, Ida Anna", "", "|Ida|Anna|Moss|"),
        ("van der Moor, Ida", "NL", "|Ida||van der Moor|"),
        ("Moor, Ida van der", "NL", "|Ida||van der Moor|"),
        (" de la Moor ,  Ida Maria ", "", "|Ida|Maria|de la Moor|"),
        ("García López, Ana", "", "|Ana||García López|"),
        ("Moss, Dr. Ida B.", "", "Dr.|Ida|B.|Moss|"),
        ("Moss, Mrs Ida", "", "Mrs|Ida||Moss|"),
        ("Ida Moss, Treasurer", "", "|Ida||Moss|"),
        ("Ida Moss, 2nd Floor", "", "|Ida||Moss|"),
        ("Ida Moss, Head Gardener", "", "|Ida||Moss|"),
        ("Otto Quill, Geschäftsführer", "DE", "|Otto||Quill|"),
        ("Moss, Ida, Treasurer", "", "|Ida||Moss|"),
        ("QUILL, Otto", "", "|Otto||QUILL|"),
        ("Moss,", "", "|Moss|||"),
    ]);
}

#[test]
fn nicknames_couples_families_and_capitals() {
    check(&[
        ("Ida \"Birdie\" Moss", "", "|Ida||Moss|"),
        ("Ida (Birdie) Moss", "", "|Ida||Moss|"),
        ("Ida 'Birdie' Moss", "", "|Ida||Moss|"),
        ("Ida “Birdie” Moss", "", "|Ida||Moss|"),
        ("Moss, Ida (Birdie)", "", "|Ida||Moss|"),
        ("Hugo O'Hara", "", "|Hugo||O'Hara|"),
        ("Ida Moss née Quill", "", "|Ida||Moss|"),
        ("Ida Moss (née Quill)", "", "|Ida||Moss|"),
        ("Eva Moss geb. Quill", "DE", "|Eva||Moss|"),
        ("Mr & Mrs Moss", "", "Mr & Mrs|||Moss|"),
        ("Mr. & Mrs. Hugo Moss", "", "Mr. & Mrs.|Hugo||Moss|"),
        ("Mr and Mrs Hugo Moss", "", "Mr & Mrs|Hugo||Moss|"),
        ("Herr und Frau Quill", "DE", "Herr & Frau|||Quill|"),
        ("Ida and Hugo Moss", "", "|Ida||Moss|"),
        ("Ida & Hugo Moss", "", "|Ida||Moss|"),
        ("Eva und Otto Quill", "DE", "|Eva||Quill|"),
        ("Marie et Jean Quill", "FR", "|Marie||Quill|"),
        ("Ida Moss & Hugo Quill", "", "|Ida||Moss|"),
        ("Moss, Ida & Hugo", "", "|Ida||Moss|"),
        ("Sr. y Sra. García", "ES", "Sr. & Sra.|||García|"),
        ("Familie Quill", "DE", "Familie|||Quill|"),
        ("The Moss Family", "", "Family|||Moss|"),
        ("MOSS Ida", "", "|Ida||MOSS|"),
        ("Ida Anna MOSS", "", "|Ida|Anna|MOSS|"),
        ("VAN DER MOOR Ida", "", "|Ida||VAN DER MOOR|"),
        ("Ida van der MOOR", "", "|Ida||van der MOOR|"),
        ("LI Wei", "", "|Wei||LI|"),
    ]);
}

#[rstest]
#[case("Moss, Ida", Some("Ida Moss"))]
#[case("Moss, Ida, PhD", Some("Ida Moss, PhD"))]
#[case("Moor, Ida van der", Some("Ida van der Moor"))]
#[case("García López, Ana", Some("Ana García López"))]
#[case("Ida Moss, PhD", None)]
#[case("Ida Moss, Treasurer", None)]
#[case("Moss, Ida, Treasurer", None)]
#[case("Moss, Ida \"Birdie\"", None)]
#[case("Moss, Ida & Hugo", None)]
#[case("Ida Moss", None)]
#[case("Moss,", None)]
fn only_family_comma_given_is_turned_round_and_nothing_is_lost(#[case] typed: &str, #[case] turned: Option<&str>) {
    assert_eq!(given_first(typed).as_deref(), turned);
}

#[rstest]
#[case("Ida and Hugo Moss", Some(NameDoubt::Couple))]
#[case("Mr & Mrs Moss", Some(NameDoubt::Couple))]
#[case("Familie Quill", Some(NameDoubt::Couple))]
#[case("Ida Moss, Gardener", Some(NameDoubt::Comma))]
#[case("Moss, Ida", None)]
#[case("Ida Moss, PhD", None)]
#[case("Ida Anna Moss", None)]
fn what_is_not_certain_is_doubted(#[case] name: &str, #[case] doubt: Option<NameDoubt>) {
    assert_eq!(part(name).doubt, doubt);
}

#[rstest]
#[case("Ida and Hugo Moss", "Ida Moss")]
#[case("Ida & Hugo Moss", "Ida Moss")]
#[case("Eva und Otto Quill", "Eva Quill")]
fn a_couple_is_not_one_of_the_two_and_a_list_that_has_it_has_the_first(#[case] couple: &str, #[case] one: &str) {
    let (couple, one) = (FullName::of(couple), FullName::of(one));
    assert_ne!(couple.as_it_stands(), one.as_it_stands());
    let asked = one.asked_for();
    assert!(couple.found_by().iter().any(|text| asked.contains(text)));
    assert!(couple.found_by().iter().any(|text| couple.asked_for().contains(text)));
}
