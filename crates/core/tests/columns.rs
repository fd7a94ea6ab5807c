//! Where a table begins, and which column is which field.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_core::columns::lines::Line;
use pebblebank_core::columns::locate::{Table, locate_table};
use pebblebank_core::columns::mapper::Unmapped;
use pebblebank_core::columns::mapping::{Mapping, map_columns};
use pebblebank_core::columns::sample::SampleRecords;
use pebblebank_core::columns::wishes::{ColumnWishes, ConsentQuestions};
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Error, ErrorKind, recognise_dialect};
use pebblebank_values::consent::YesMeans;
use pebblebank_values::{Field, NamedHeaders};
use proptest::prelude::*;
use rstest::rstest;
use std::path::Path;

fn located(text: &str, header_row: Option<u64>) -> (SampleRecords, Table) {
    let sample = SampleRecords::new(text.as_bytes(), recognise_dialect(text.as_bytes()), true);
    let table = locate_table(&sample, header_row, &NamedHeaders::default());
    (sample, table)
}

fn mapped(text: &str, wishes: &ColumnWishes, is_list: bool) -> Result<Mapping, Error> {
    let (sample, table) = located(text, None);
    let path = Path::new("shop.csv");
    map_columns(&Unmapped {
        path,
        table: &table,
        sample: &sample,
        wishes,
        is_list,
        found_consent: &[],
        consent_questions: ConsentQuestions::Stop,
        asks: true,
    })
}

fn map(text: &str) -> Mapping {
    mapped(text, &ColumnWishes::default(), false).unwrap()
}

fn codes(mapping: &Mapping) -> Vec<&str> {
    mapping.findings.iter().map(|finding| finding.code).collect()
}

#[rstest]
#[case::in_the_first_row("email,name\na@x.example,Ida\n", 1, true)]
#[case::below_titles("Our people\n\nemail,name\na@x.example,Ida\n", 3, true)]
#[case::of_unknown_words("Adresse,Haus\nIda,4\n", 1, true)]
#[case::none_where_the_first_row_holds_an_address("a@x.example,Ida\nb@x.example,Wren\n", 0, false)]
#[case::none_in_a_list_of_domains("hotel.example\nsandbar.example\n", 0, false)]
#[case::a_single_known_word("email\na@x.example\n", 1, true)]
#[case::a_title_that_is_a_known_word("Contacts\nemail,name\na@x.example,Ida\n", 2, true)]
#[case::a_title_about_consent(
    "Do not contact\nWho;Kontakt;Werbesperre\na@x.example;Ida;Y\nb@x.example;Wren;N\n",
    2,
    true
)]
#[case::above_a_status_that_comes_twice_in_a_row("status,email\nunsubscribed,unsubscribed\n,email\n", 1, true)]
#[case::above_a_status_that_comes_three_times_in_a_row(
    "status,email\nunsubscribed,unsubscribed,unsubscribed\n",
    1,
    true
)]
#[case::above_statuses_wider_than_itself("status,email\nbounced,bounced,bounced,bounced,email\n", 1, true)]
#[case::above_rows_of_statuses_alone("status,email\nunsubscribed,unsubscribed,a\n", 1, true)]
fn the_header_is_found(#[case] text: &str, #[case] above: u64, #[case] has_header: bool) {
    let (_, table) = located(text, None);
    assert_eq!((table.records_above, table.has_header), (above, has_header), "{table:?}");
}

#[test]
fn a_contact_above_the_header_is_no_upper_line_of_it() {
    let (_, table) = located("c@y.example;City;Ash\nEmail Address;company;notes\nida@x.example;Moss;\n", None);
    assert_eq!((table.above.len(), table.above[0].is_row()), (2, true), "{table:?}");
}

#[test]
fn the_job_decides_where_the_header_is() {
    let text = "email,name\nold,old\nReal email,Real name\na@x.example,Ida\n";
    assert_eq!(located(text, Some(3)).1.headers, ["Real email", "Real name"]);
    let without = located(text, Some(0)).1;
    assert_eq!((without.records_above, without.has_header, without.headers.len()), (0, false, 2));
}

#[test]
fn headers_are_made_different_and_never_empty() {
    let headers = map("email,Notes,,notes,NOTES!\na@x.example,1,2,3,4\n").map.headers;
    assert_eq!(headers.to_vec(), ["email", "Notes", "column 3", "notes (2)", "NOTES! (3)"]);
}

#[test]
fn what_has_no_known_meaning_travels_along() {
    let map = map("Basket,Email,Town\nferns,a@x.example,Larkfold\n").map;
    assert_eq!(map.column(Field::Email), Some(ColumnIndex(1)));
    assert_eq!(map.column(Field::City), Some(ColumnIndex(2)));
    assert_eq!(map.extras, [ColumnIndex(0)]);
}

#[test]
fn a_wish_wins_over_what_is_recognised() {
    let wishes =
        ColumnWishes { headers: [(Field::Email, vec!["contact".to_owned()])].into(), ..ColumnWishes::default() };
    let mapping = mapped("Email,Contact\nold@x.example,a@x.example\n", &wishes, false).unwrap();
    assert_eq!(mapping.map.column(Field::Email), Some(ColumnIndex(1)));
    assert_eq!(mapping.map.further_addresses, [ColumnIndex(0)]);
}

#[test]
fn a_wish_for_a_missing_header_names_the_closest() {
    let wishes = ColumnWishes { headers: [(Field::City, vec!["Twon".to_owned()])].into(), ..ColumnWishes::default() };
    let error = mapped("Email,Town\na@x.example,Larkfold\n", &wishes, false).unwrap_err();
    assert_eq!((error.kind(), error.advice()), (ErrorKind::Columns, "did you mean \"Town\"?"));
}

#[test]
fn a_column_of_addresses_is_email_under_whatever_header() {
    let mapping = map("Wer,Was\nIda,a@x.example\nWren,b@x.example\n,n/a\n");
    assert_eq!(mapping.map.column(Field::Email), Some(ColumnIndex(1)));
    assert_eq!(codes(&mapping), ["address-by-values"]);
}

#[test]
fn a_list_may_hold_domains() {
    let text = "When,What\n2025,hotel.example\n2026,@sandbar.example\n";
    let mapping = mapped(text, &ColumnWishes::default(), true).unwrap();
    assert_eq!(mapping.map.column(Field::Email), Some(ColumnIndex(1)));
    assert_eq!(map(text).map.column(Field::Email), None, "a source of domains is none of addresses");
}

#[test]
fn a_plain_address_column_is_first_and_a_work_one_further() {
    let mapping = map("Work email,Email\nw@x.example,a@x.example\n");
    assert_eq!(mapping.map.column(Field::Email), Some(ColumnIndex(1)));
    assert_eq!(mapping.map.further_addresses, [ColumnIndex(0)]);
    assert_eq!(codes(&mapping), ["further-addresses"]);
}

#[test]
fn of_two_address_columns_neither_plain_the_user_must_say_which() {
    let text = "Billing email,Work email\nw@x.example,a@x.example\n";
    assert_eq!(mapped(text, &ColumnWishes::default(), false).unwrap_err().kind(), ErrorKind::Question);
}

#[rstest]
#[case::parted_by_an_empty_line(
    "Month,Sent out,Opened\nJan,10,5\nFeb,20,6\n\nEmail,Name,City\nida@post.example,Ida,Quillmere\n",
    true
)]
#[case::not_parted(
    "Month,Sent out,Opened\nJan,10,5\nFeb,20,6\nEmail,Name,City\nida@post.example,Ida,Quillmere\n",
    false
)]
#[case::of_people(
    "Name,Age,Points\nIda Moss,42,5\nBo Quill,20,6\n\nEmail,Name,City\nida@post.example,Ida,Quillmere\n",
    false
)]
#[case::of_several_texts(
    "Month,Place,Sent out\nJan,Quillmere,5\n\nEmail,Name,City\nida@post.example,Ida,Quillmere\n",
    false
)]
#[case::with_a_phone(
    "Month,Sent out,Opened\nJan,10,+44 20 7946 0001\n\nEmail,Name,City\nida@post.example,Ida,Quillmere\n",
    false
)]
fn a_table_of_figures_above_the_header_is_no_row_of_contacts(#[case] text: &str, #[case] is_title: bool) {
    let (_, table) = located(text, None);
    assert_eq!(table.headers[0], "Email");
    let figures: Vec<Line> = table.above.iter().copied().take(2).collect();
    assert_eq!(figures == [Line::Title, Line::Title], is_title, "{:?}", table.above);
}

#[test]
fn of_two_columns_for_one_field_the_fuller_is_taken_and_said() {
    let mapping = map("email,Phone,Mobile\na@x.example,,020 7946 0001\nb@x.example,,020 7946 0002\n");
    assert_eq!(mapping.map.column(Field::Phone), Some(ColumnIndex(2)));
    assert_eq!((codes(&mapping), mapping.map.extras.as_slice()), (vec!["second-column"], &[ColumnIndex(1)][..]));
}

#[test]
fn words_of_a_subscription_leave_the_field_to_its_second_column() {
    let mapping = map("email,city,town\na@x.example,unsubscribed,Larkfold\nb@x.example,subscribed,\n");
    let city = mapping.map.column(Field::City).unwrap();
    assert_eq!((mapping.map.header(city), mapping.map.consents.len()), ("town", 1));
}

#[rstest]
#[case("email,status\na@x.example,subscribed\nb@x.example,\n", 1)]
#[case("email,status\na@x.example,shipped\nb@x.example,subscribed\n", 0)]
#[case("email,subscribed,do not mail\na@x.example,yes,no\n", 2)]
fn consent_columns(#[case] text: &str, #[case] count: usize) {
    let map = map(text).map;
    assert_eq!(map.consents.len(), count);
    assert_eq!(!map.watched.is_empty(), count == 0);
}

#[test]
fn the_direction_comes_from_the_header_unless_the_job_says_it() {
    let text = "email,subscribed\na@x.example,yes\n";
    assert_eq!(map(text).map.consents[0].yes_means, Some(YesMeans::OptedIn));
    let wishes = ColumnWishes { opt_out: vec!["subscribed".to_owned()], ..ColumnWishes::default() };
    assert_eq!(mapped(text, &wishes, false).unwrap().map.consents[0].yes_means, Some(YesMeans::OptedOut));
}

#[test]
fn the_columns_of_an_earlier_receipt_are_dropped() {
    let map = map("pebblebank_reason,pebblebank_row,email\nopted-out,4,a@x.example\n").map;
    assert_eq!((map.extras.len(), map.column(Field::Email)), (0, Some(ColumnIndex(2))));
}

#[rstest]
#[case::german("Vorname;Nachname;E-Mail-Adresse;PLZ;Ort", &[Field::FirstName, Field::LastName, Field::Email, Field::PostalCode, Field::City])]
#[case::french("Prénom;Nom;Courriel;Code postal;Ville", &[Field::FirstName, Field::LastName, Field::Email, Field::PostalCode, Field::City])]
#[case::spanish("Nombre;Apellidos;Correo electrónico;Código postal;Ciudad", &[Field::FirstName, Field::LastName, Field::Email, Field::PostalCode, Field::City])]
#[case::italian("Nome;Cognome;Indirizzo e-mail;CAP;Città", &[Field::FirstName, Field::LastName, Field::Email, Field::PostalCode, Field::City])]
#[case::dutch("Voornaam;Achternaam;E-mailadres;Postcode;Woonplaats", &[Field::FirstName, Field::LastName, Field::Email, Field::PostalCode, Field::City])]
#[case::portuguese("Nome;Apelido;Endereço de e-mail;Código postal;Cidade", &[Field::FirstName, Field::LastName, Field::Email, Field::PostalCode, Field::City])]
#[case::a_bare_name_beside_nothing("Nom;Courriel", &[Field::FullName, Field::Email])]
#[case::a_bare_name_beside_a_first_name("Vorname;Name;E-Mail", &[Field::FirstName, Field::LastName, Field::Email])]
fn headers_are_recognised_in_seven_languages(#[case] header: &str, #[case] fields: &[Field]) {
    let mapping = map(&format!("{header}\n"));
    let found: Vec<Option<Field>> = (0..fields.len()).map(|column| mapping.map.field_of(ColumnIndex(column))).collect();
    assert_eq!(found, fields.iter().copied().map(Some).collect::<Vec<_>>());
}

#[rstest]
#[case::groups_above("Contact,,Address,\nFirst name,E-mail,Street,City\nIda,ida@post.example,1 Fern Lane,Quillmere\n", 2, &["First name", "E-mail", "Street", "City"])]
#[case::words_broken_in_two("E-mail,First,Postal\naddress,name,code\nida@post.example,Ida,QM1\n", 2, &["E-mail address", "First name", "Postal code"])]
#[case::the_header_repeated("email,name\nemail,name\nida@post.example,Ida\n", 1, &["email", "name"])]
#[case::one_cell_over_both_lines("Email,City,Consent,\nEmail,City,Newsletter,SMS\nida@post.example,Quillmere,yes,no\n", 2, &["Email", "City", "Newsletter", "Consent SMS"])]
#[case::a_contact_without_address("name,city\nCity,Street\n", 1, &["name", "city"])]
#[case::a_sep_line("sep=;\nemail;name\nida@post.example;Ida\n", 2, &["email", "name"])]
fn a_header_may_stand_over_two_lines(#[case] text: &str, #[case] above: u64, #[case] headers: &[&str]) {
    let (_, table) = located(text, None);
    assert_eq!(
        (table.records_above, table.headers.as_slice()),
        (above, &headers.iter().map(|h| (*h).to_owned()).collect::<Vec<_>>()[..])
    );
}

#[test]
fn of_two_columns_for_one_field_the_fuller_is_first_and_the_other_stands_in() {
    let mapping = map("email,Mobile,Telephone,Tel\na@x.example,,1,\nb@x.example,2,,\nc@x.example,,3,\n");
    let map = &mapping.map;
    assert_eq!(
        (map.column(Field::Phone), map.second_choice(Field::Phone)),
        (Some(ColumnIndex(2)), Some(ColumnIndex(1)))
    );
    assert_eq!(map.extras, [ColumnIndex(1), ColumnIndex(3)]);
}

#[test]
fn a_column_of_addresses_is_no_name_whatever_its_header() {
    let mapping = map("Person,Contact\nIda,ida@post.example\n");
    assert_eq!(mapping.map.column(Field::Email), Some(ColumnIndex(1)));
    assert_eq!(mapping.map.second_choice(Field::FullName), None);
}

/// Words of headers, of which a table has some, besides that of the addresses.
const OTHER_HEADERS: [&str; 10] =
    ["name", "first name", "Telefon", "city", "postcode", "status", "company", "Land", "Mi columna", "notes"];

/// What the headers of addresses are, in some of the languages.
const ADDRESS_HEADERS: [&str; 6] =
    ["email", "E-Mail-Adresse", "Adresse e-mail", "correo electrónico", "Email Address", "indirizzo email"];

/// A cell of a contact: also words that are headers elsewhere.
fn cell_of_a_contact() -> impl Strategy<Value = String> {
    prop_oneof![
        3 => "[A-Z][a-z]{2,7}",
        2 => Just(String::new()),
        1 => prop::sample::select(vec!["unsubscribed", "bounced", "Total", "n/a", "City", "email", "Name", "12", "2026-01-02", "LF1 3AB"])
            .prop_map(str::to_owned),
    ]
}

/// A row: mostly with an address in its column, and wider or narrower than the header.
fn row_of_a_contact(columns: usize, of_addresses: usize) -> impl Strategy<Value = Vec<String>> {
    let address = prop_oneof![8 => "[a-d]{1,3}@[x-z]\\.example", 1 => Just(String::new())];
    (prop::collection::vec(cell_of_a_contact(), columns.max(1)), address, 0..3usize).prop_map(
        move |(mut cells, address, more)| {
            cells[of_addresses] = address;
            cells.extend(std::iter::repeat_n(String::new(), more));
            cells
        },
    )
}

prop_compose! {
    /// Title lines, a header, rows with at least one address; the header's row from 1 and the column of the addresses.
    fn table_with_header()(
        header in prop::sample::subsequence(OTHER_HEADERS.to_vec(), 1..6).prop_shuffle(),
        of_addresses in prop::sample::select(ADDRESS_HEADERS.to_vec()),
        place in any::<prop::sample::Index>(),
        titles in prop::collection::vec(prop::sample::select(vec!["", "Spring fair", "as of 2026-03-02", "Contacts"]), 0..3),
    )(
        rows in prop::collection::vec(row_of_a_contact(header.len() + 1, place.index(header.len() + 1)), 0..12),
        header in Just(header), of_addresses in Just(of_addresses), place in Just(place), titles in Just(titles),
    ) -> (String, u64, usize) {
        let place = place.index(header.len() + 1);
        let mut header: Vec<String> = header.into_iter().map(str::to_owned).collect();
        header.insert(place, of_addresses.to_owned());
        let mut certain = vec!["Ida".to_owned(); header.len()];
        "ida@x.example".clone_into(&mut certain[place]);
        let lines = titles.iter().map(|title| (*title).to_owned());
        let lines = lines.chain([header.join(";"), certain.join(";")]).chain(rows.iter().map(|row| row.join(";")));
        (lines.map(|line| line + "\n").collect(), titles.len() as u64 + 1, place)
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn a_header_of_known_words_is_found_whatever_stands_below_it((text, header_row, place) in table_with_header()) {
        let (_, table) = located(&text, None);
        prop_assert!(table.has_header, "{}", text);
        prop_assert_eq!(table.records_above, header_row, "{}", text);
        // Where a status holds odd words the user is asked; a list is asked nothing.
        let mapping = mapped(&text, &ColumnWishes::default(), true);
        let mapping = mapping.map_err(|error| TestCaseError::fail(format!("{}\n{text}", error.what())))?;
        prop_assert_eq!(mapping.map.column(Field::Email), Some(ColumnIndex(place)), "{}", text);
    }

    #[test]
    fn no_row_with_an_address_in_its_column_is_ever_above_the_table(
        (text, ..) in table_with_header(),
        shuffled in any::<prop::sample::Index>(),
    ) {
        // The same lines with one row of the table moved to the top.
        let mut lines: Vec<&str> = text.lines().collect();
        let row = shuffled.index(lines.len());
        let moved = lines.remove(row);
        lines.insert(0, moved);
        let text = lines.join("\n") + "\n";
        let (_, table) = located(&text, None);
        let contacts_above = table.above.iter().filter(|line| line.is_row()).count();
        let with_address = lines.iter().take(table.above.len()).filter(|line| line.contains('@')).count();
        prop_assert!(contacts_above >= with_address, "{}\n{:?}", text, table);
    }
}
