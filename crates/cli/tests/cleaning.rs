//! Values on their way through a run: what is repaired, derived, suggested, asked, and what is left as it was.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use rstest::rstest;

/// A desk with a shop's export and a job of the country GB with what else is wanted.
fn desk(shop: &str, more: &str) -> Desk {
    let job = job_with(more).replace("name = \"fair\"", "name = \"fair\"\ncountry = \"GB\"\ntoday = \"2026-03-02\"");
    Desk::with(&[("shop.csv", shop), ("job.toml", &job)])
}

fn written(desk: &Desk, columns: &[&str]) -> Vec<Vec<String>> {
    desk.done(&["run", "job.toml"]);
    let sheet = desk.sheet("out.csv");
    let places: Vec<usize> =
        columns.iter().map(|name| sheet.header.iter().position(|header| header == name).unwrap()).collect();
    sheet.rows.iter().map(|row| places.iter().map(|place| row[*place].clone()).collect()).collect()
}

fn layout(columns: &str) -> String {
    format!("[layout.wide]\ncolumns = [{columns}]\n")
}

/// Every field that is written is cleaned; what changes more than the written form is listed with before and after.
#[test]
fn every_kind_of_value_is_cleaned_and_what_is_more_than_form_is_listed() {
    let shop = "email,first_name,last_name,phone,city,postal_code,country,signed_up,tags,language,status\n\
        ida@post.example,IDA, MCBRIDE ,020 7946 0018 / 07700 900123,\"Larkfold, Larkfold\",lf13ab,UK,5 March 2025,bats|Bats|roses,Englisch,Subscribed\n";
    let desk = desk(shop, "");
    let row = [
        "first_name",
        "last_name",
        "phone",
        "city",
        "postal_code",
        "country",
        "signed_up",
        "tags",
        "language",
        "consent",
    ];
    let cleaned =
        ["Ida", "McBride", "+442079460018", "Larkfold", "LF1 3AB", "GB", "2025-03-05", "bats; roses", "en", "opted-in"];
    assert_eq!(written(&desk, &row), [cleaned]);
    let repairs = desk.sheet("fair.receipt/repairs.csv");
    let listed = repairs.columns(["pebblebank_rule", "pebblebank_field", "pebblebank_before", "pebblebank_after"]);
    assert_eq!(
        listed,
        [
            ["several-phones", "phone", "020 7946 0018 / 07700 900123", "+442079460018"],
            ["repeated-part", "city", "Larkfold, Larkfold", "Larkfold"],
            ["tags-form", "tags", "bats|Bats|roses", "bats; roses"],
        ]
    );
    let tally: serde_json::Value = serde_json::from_str(&desk.text("fair.receipt/tally.json")).unwrap();
    let counted: Vec<&str> =
        tally["repairs"].as_array().unwrap().iter().map(|repair| repair["rule"].as_str().unwrap()).collect();
    for rule in [
        "letter-case",
        "outer-spaces",
        "date-form",
        "postal-code-form",
        "country-code",
        "language-code",
        "consent-word",
    ] {
        assert!(counted.contains(&rule), "{rule} in {counted:?}");
    }
}

#[test]
fn a_column_that_is_neither_written_nor_required_nor_in_a_condition_is_not_looked_at() {
    let shop = "email,signed_up,phone\nida@post.example,01/02/2026,4.42079E+11\n";
    let desk = Desk::with(&[("shop.csv", shop)]);
    let ran = desk.done(&["clean", "shop.csv", "-o", "out.csv", "--columns", "email"]);
    assert!(!ran.stdout.contains("damaged"), "{}", ran.stdout);
    let asked = desk.run(&["clean", "shop.csv", "-o", "more.csv"]);
    assert_eq!(asked.status, 1);
    assert!(!desk.has("more.csv"));
}

#[rstest]
#[case::silent("01/02/2025", "03/04/2025", "can be read with the day or the month first", "(rows 2, 3)")]
#[case::both("31/01/2025", "01/31/2025", "two orders of day and month", "(rows 2), the month in 1 date (rows 3)")]
fn a_column_of_dates_that_stays_open_stops_the_run_and_says_how_to_decide(
    #[case] one: &str,
    #[case] other: &str,
    #[case] what: &str,
    #[case] rows: &str,
) {
    let shop = format!("email,signed_up\na@post.example,{one}\nb@post.example,{other}\n");
    let desk = Desk::with(&[("shop.csv", &shop)]);
    let ran = desk.run(&["clean", "shop.csv", "-o", "out.csv"]);
    assert_eq!((ran.status, desk.has("out.csv")), (1, false));
    let said = ran.stderr.split_whitespace().collect::<Vec<_>>().join(" ");
    for part in [what, rows, "signed_up", "--date-order"] {
        assert!(said.contains(part), "{part} in {said}");
    }
    desk.done(&["clean", "shop.csv", "-o", "out.csv", "--date-order", "mdy"]);
    let dates = desk.sheet("out.csv");
    assert_eq!(dates.column("signed_up")[0], if one == "31/01/2025" { "31/01/2025" } else { "2025-01-02" });
}

#[test]
fn the_country_decides_about_dates_only_where_the_column_is_silent() {
    let desk = Desk::with(&[
        ("silent.csv", "email,signed_up\na@post.example,01/02/2025\n"),
        ("shown.csv", "email,signed_up\na@post.example,01/02/2025\nb@post.example,31/01/2025\n"),
    ]);
    let said = desk.done(&["clean", "silent.csv", "-o", "a.csv", "--country", "US"]).stdout;
    let said = said.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(said.contains("the month was taken, as is usual in US"), "{said}");
    assert_eq!(desk.sheet("a.csv").column("signed_up"), ["2025-01-02"]);
    desk.done(&["clean", "shown.csv", "-o", "b.csv", "--country", "US"]);
    assert_eq!(desk.sheet("b.csv").column("signed_up"), ["2025-02-01", "2025-01-31"]);
}

/// Each source has its own order, said in the job.
#[test]
fn each_source_says_its_own_order_of_dates() {
    let job = "[job]\nname = \"fair\"\n[[source]]\nname = \"a\"\nfiles = [\"a.csv\"]\ndate_order = \"dmy\"\n\
        [[source]]\nname = \"b\"\nfiles = [\"b.csv\"]\ndate_order = \"mdy\"\n[[write]]\nfile = \"out.csv\"\n";
    let desk = Desk::with(&[
        ("a.csv", "email,signed_up\na@post.example,01/02/2025\n"),
        ("b.csv", "email,signed_up\nb@post.example,01/02/2025\n"),
        ("job.toml", job),
    ]);
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").column("signed_up"), ["2025-02-01", "2025-01-02"]);
}

#[test]
fn a_value_that_cannot_be_cleaned_stays_and_is_reported_and_is_missing_where_it_is_required() {
    let shop = "email,phone\na@post.example,4.42079E+11\nb@post.example,020 7946 0018\nc@post.example,\n";
    let open = desk(shop, "");
    assert_eq!(written(&open, &["phone"]), [["4.42079E+11"], ["+442079460018"], [""]]);
    let tally: serde_json::Value = serde_json::from_str(&open.text("fair.receipt/tally.json")).unwrap();
    let findings = tally["findings"].as_array().unwrap();
    let finding = findings.iter().find(|finding| finding["code"] == "damaged-phone").unwrap();
    assert_eq!((&finding["column"], &finding["rows"]), (&"phone".into(), &serde_json::json!([2])));
    let strict = desk(shop, "[require]\nfields = [\"email\", \"phone\"]");
    assert_eq!(written(&strict, &["email"]), [["b@post.example"]]);
    let aside = strict.sheet("fair.receipt/set-aside.csv");
    assert_eq!(aside.column("pebblebank_details"), ["phone (unreadable)", "phone"]);
    assert_eq!(aside.column("phone"), ["4.42079E+11", ""]);
}

#[test]
fn a_full_name_feeds_its_parts_and_the_parts_a_full_name() {
    let columns = "{ name = \"T\", from = \"title\" }, { name = \"F\", from = \"first_name\" }, { name = \"L\", from = \"last_name\" }, { name = \"S\", from = \"name_suffix\" }";
    let parts = desk("email,name\na@post.example,\"MOOR, DR. IDA, PHD\"\nb@post.example,Bo\n", "");
    let job = parts.text("job.toml").replace("file = \"out.csv\"", "file = \"out.csv\"\nlayout = \"wide\"");
    parts.file("job.toml", job + &layout(columns));
    assert_eq!(written(&parts, &["T", "F", "L", "S"]), [["Dr.", "Ida", "Moor", "PhD"], ["", "Bo", "", ""]]);
    let whole = desk("email,first_name,surname\na@post.example,ida,de la moor\n", "");
    let job = whole.text("job.toml").replace("file = \"out.csv\"", "file = \"out.csv\"\nlayout = \"wide\"");
    whole.file("job.toml", job + &layout("{ name = \"N\", from = \"full_name\" }"));
    assert_eq!(written(&whole, &["N"]), [["Ida de la Moor"]]);
}

#[test]
fn a_title_in_the_first_name_moves_to_the_column_of_titles() {
    let desk = desk(
        "email,title,first_name\na@post.example,,Dr. Ida\nb@post.example,Dr,Dr. Bo\nc@post.example,Ms,Dr. Wren\n",
        "",
    );
    let rows = written(&desk, &["title", "first_name"]);
    assert_eq!(rows, [["Dr.", "Ida"], ["Dr", "Bo"], ["Ms", "Dr. Wren"]]);
}

#[test]
fn city_and_postal_code_in_one_cell_are_parted_where_the_postal_code_is_blank_or_has_no_column() {
    let with_column =
        desk("email,city,postcode\na@post.example,Larkfold LF1 3AB,\nb@post.example,Larkfold LF1 3AB,LF9 9ZZ\n", "");
    let rows = written(&with_column, &["city", "postal_code"]);
    assert_eq!(rows, [["Larkfold", "LF1 3AB"], ["Larkfold LF1 3AB", "LF9 9ZZ"]]);
    let short = desk("email,city,note,postcode\na@post.example,Larkfold LF1 3AB\n", "");
    assert_eq!(written(&short, &["city", "postal_code"]), [["Larkfold", "LF1 3AB"]], "a row that ends early");
    let without = desk("email,town\na@post.example,Larkfold LF1 3AB\n", "");
    let job = without.text("job.toml").replace("file = \"out.csv\"", "file = \"out.csv\"\nlayout = \"wide\"");
    let columns = "{ name = \"C\", from = \"city\" }, { name = \"P\", from = \"postal_code\" }";
    without.file("job.toml", job + &layout(columns));
    assert_eq!(written(&without, &["C", "P"]), [["Larkfold", "LF1 3AB"]]);
}

#[test]
fn a_layout_says_the_form_of_countries_regions_and_dates() {
    let shop = "email,country,state,signed_up\na@post.example,USA,california,5 March 2025\nb@post.example,,,\n";
    let desk = desk(shop, "");
    let job = desk.text("job.toml").replace("file = \"out.csv\"", "file = \"out.csv\"\nlayout = \"wide\"");
    let columns = "{ name = \"C\", from = \"country\", form = \"name\", otherwise = \"here\" }, { name = \"R\", from = \"region\", form = \"name\" }, { name = \"D\", from = \"signed_up\", form = \"d.m.yy\" }";
    desk.file("job.toml", job + &layout(columns));
    assert_eq!(written(&desk, &["C", "R", "D"]), [["United States", "California", "5.3.25"], ["here", "", ""]]);
}

#[test]
fn fields_of_the_jobs_own_are_cleaned_by_their_kind_and_found_by_name_or_as_said() {
    let job = "[job]\nname = \"fair\"\n[fields]\nlast_order = \"date\"\nseats = \"number\"\n\
        [[source]]\nname = \"a\"\nfiles = [\"a.csv\"]\n\
        [[source]]\nname = \"b\"\nfiles = [\"b.csv\"]\ncolumns = { last_order = \"Zuletzt\" }\n[[write]]\nfile = \"out.csv\"\n";
    let desk = Desk::with(&[
        ("a.csv", "email,Last Order,Seats\na@post.example,5 March 2025,\"1.250,00\"\n"),
        ("b.csv", "email,Zuletzt\nb@post.example,06.03.2025 10:00\nc@post.example,31.12.2024\n"),
        ("job.toml", job),
    ]);
    desk.done(&["run", "job.toml"]);
    let sheet = desk.sheet("out.csv");
    assert_eq!(sheet.column("last_order"), ["2025-03-05", "2025-03-06T10:00:00", "2024-12-31"]);
    assert_eq!(sheet.column("seats"), ["1250.00", "", ""]);
}

#[test]
fn further_addresses_can_be_written_each_once() {
    let shop = "email,E-Mail privat\na@post.example; b@post.example,B@post.example\nc@post.example,d@post.example\n";
    let desk = Desk::with(&[("shop.csv", shop)]);
    desk.done(&["clean", "shop.csv", "-o", "out.csv", "--columns", "email,email_2,email_3", "--field", "email=email"]);
    let rows = desk.sheet("out.csv").rows;
    assert_eq!(rows, [["a@post.example", "b@post.example", ""], ["c@post.example", "d@post.example", ""]]);
}

#[test]
fn typos_are_suggested_and_made_only_where_the_job_says_so() {
    let frequent: String = (0..30).map(|n| format!("p{n}@postbox.example\n")).collect();
    let shop = format!("email\n{frequent}ida@potsbox.example\n\"bo@postbox,example\"\nIDA@postbox.example\n");
    let careful = desk(&shop, "");
    assert_eq!(written(&careful, &["email"]).len(), 32);
    let suggested = careful.sheet("fair.receipt/suggestions.csv");
    assert_eq!(
        suggested.columns(["pebblebank_rule", "pebblebank_row", "pebblebank_after"]),
        [["domain-typo", "32", "ida@postbox.example"], ["comma-for-dot", "33", "bo@postbox.example"]]
    );
    let bold = desk(&shop, "[clean]\napply = [\"domain-typo\", \"comma-for-dot\"]");
    let rows = written(&bold, &["email"]);
    assert_eq!(rows.len(), 32, "the typo and the right address are one person");
    assert!(
        rows.contains(&vec!["ida@postbox.example".to_owned()]) && rows.contains(&vec!["bo@postbox.example".to_owned()])
    );
    assert_eq!(bold.sheet("fair.receipt/merged.csv").column("pebblebank_row"), ["34"]);
}

#[test]
fn a_mended_list_entry_holds_too() {
    let desk = desk(
        "email\nida@postbox.example\nbo@postbox.example\n",
        "[clean]\napply = [\"comma-for-dot\"]\n[[suppress]]\nname = \"stop\"\nfiles = [\"stop.csv\"]",
    );
    desk.file("stop.csv", "email\n\"ida@postbox,example\"\n");
    assert_eq!(written(&desk, &["email"]), [["bo@postbox.example"]]);
}

#[test]
fn role_addresses_can_be_tagged() {
    let desk = desk("email,tags\ninfo@post.example,bats\nida@post.example,bats\n", "[clean]\nrole = \"tag\"");
    assert_eq!(written(&desk, &["tags"]), [["bats; role-address"], ["bats"]]);
    let without = self::desk(
        "email\ninfo@post.example\n",
        "[clean]\nrole = \"tag\"\n[layout.wide]\ncolumns = [{ name = \"Labels\", from = \"tags\" }]",
    );
    let job = without.text("job.toml").replace("file = \"out.csv\"", "file = \"out.csv\"\nlayout = \"wide\"");
    without.file("job.toml", job);
    assert_eq!(written(&without, &["Labels"]), [["role-address"]]);
}

#[test]
fn blank_words_of_the_job_are_blank_everywhere() {
    let more = "[clean]\nblank_words = { add = [\"t.b.a.\"], drop = [\"none\"] }";
    let desk =
        desk("email,city,first_name\na@post.example,T.B.A.,t.b.a.\nt.b.a.,None,Bo\nc@post.example,none,Wren\n", more);
    assert_eq!(written(&desk, &["city", "first_name"]), [["", ""], ["none", "Wren"]]);
    assert_eq!(desk.sheet("fair.receipt/set-aside.csv").column("pebblebank_reason"), ["blank-address"]);
}

#[test]
fn names_swapped_in_one_file_against_another_are_a_finding() {
    let names = ["Ida", "Bo", "Wren", "Hugo", "Agnes", "Odile"];
    let lasts = ["Moss", "Quill", "Larkin", "Hollis", "Garrow", "Heron"];
    let rows = |swapped: bool| -> String {
        let row = |place: usize| {
            let (first, last) = if swapped { (lasts[place], names[place]) } else { (names[place], lasts[place]) };
            format!("p{place}{swapped}@post.example,{first},{last}\n")
        };
        "email,first_name,last_name\n".to_owned() + &(0..6).map(row).collect::<String>()
    };
    let desk = Desk::with(&[("a.csv", &rows(false)), ("b.csv", &rows(true)), ("c.csv", &rows(false))]);
    let tally = desk.json(&["clean", "a.csv", "b.csv", "-o", "out.csv"]);
    let codes: Vec<&str> =
        tally["findings"].as_array().unwrap().iter().map(|finding| finding["code"].as_str().unwrap()).collect();
    assert!(codes.contains(&"swapped-names"), "{codes:?}");
    let tally = desk.json(&["clean", "a.csv", "c.csv", "-o", "other.csv"]);
    assert!(!tally["findings"].to_string().contains("swapped-names"));
}

#[test]
fn a_survey_shows_what_the_rules_would_do() {
    let shop = "email,name,phone,signed_up\nida@post.example,IDA MOSS,020 7946 0018,5 March 2025\nbo@post,example,Bo,7946 0018,46082\n";
    let desk = Desk::with(&[("shop.csv", &shop.replace("bo@post,example", "\"bo@post,example\""))]);
    let survey = desk.json(&["survey", "shop.csv", "--country", "GB"]);
    let file = &survey["files"][0];
    assert_eq!(file["columns"][1]["repairs"], serde_json::json!({ "letter-case": 1 }));
    assert_eq!(file["columns"][2]["repairs"], serde_json::json!({ "phone-form": 1 }));
    assert_eq!(file["columns"][3]["repairs"], serde_json::json!({ "date-form": 1, "spreadsheet-date": 1 }));
    assert_eq!(file["columns"][2]["findings"][0]["code"], "damaged-phone");
    assert_eq!(file["addresses"]["suggestions"], serde_json::json!({ "comma-for-dot": 1 }));
}

#[rstest]
#[case("[clean]\napply = [\"domain-typos\"]", "domain-typos is no suggested rule", "did you mean domain-typo?")]
#[case("[clean]\ndate_order = \"ymd\"", "unknown value ymd", "dmy")]
#[case("[fields]\nlast_order = \"datum\"", "datum is no kind of field", "date")]
#[case("[fields]\nphone = \"phone\"", "phone is a known field already", "another name")]
#[case(
    "[layout.wide]\ncolumns = [{ name = \"D\", from = \"signed_up\", form = \"day\" }]",
    "no form of a date",
    "dd.mm.yyyy"
)]
#[case(
    "[layout.wide]\ncolumns = [{ name = \"C\", from = \"country\", form = \"flag\" }]",
    "no form of a country",
    "code"
)]
fn mistakes_about_cleaning_are_named_with_their_line(#[case] more: &str, #[case] what: &str, #[case] advice: &str) {
    let desk = Desk::with(&[("shop.csv", "email\na@post.example\n"), ("job.toml", &job_with(more))]);
    let ran = desk.run(&["run", "job.toml"]);
    let said = ran.stderr.split_whitespace().collect::<Vec<_>>().join(" ");
    assert_eq!(ran.status, 2, "{said}");
    assert!(said.contains(what) && said.contains(advice) && said.contains("line"), "{said}");
}
