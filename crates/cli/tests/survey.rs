//! `survey` and `propose`: what is in files, and a job made of it.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::Desk;
use rstest::rstest;
use serde_json::Value;

/// A desk with the demo on it.
fn demo() -> Desk {
    let desk = Desk::new();
    for (file, bytes) in pebblebank_demo::files() {
        desk.file(file.name, bytes);
    }
    desk
}

fn column<'a>(file: &'a Value, header: &str) -> &'a Value {
    file["columns"].as_array().unwrap().iter().find(|column| column["header"] == header).unwrap()
}

#[rstest]
#[case::workbook("playhouse-members.xlsx", "workbook (XLSX)", 40, 39, 1)]
#[case::old_workbook("gartenfreunde.xls", "workbook (XLS)", 25, 25, 0)]
#[case::open_workbook("adherents.ods", "workbook (ODS)", 20, 20, 0)]
#[case::cards("address-book.vcf", "vCards", 24, 24, 0)]
#[case::recipients("helpers-recipients.txt", "recipient line", 18, 18, 0)]
#[case::objects("web-form.jsonl", "JSON Lines", 15, 15, 0)]
#[case::array("ticket-office.json", "JSON array", 12, 12, 0)]
#[case::gzip("gift-shop.csv.gz", "delimited text", 30, 30, 0)]
#[case::zstd("garden-cafe.csv.zst", "delimited text", 22, 22, 0)]
#[case::member("spring-exports.zip/plant-shop-north.csv", "delimited text", 16, 16, 0)]
#[case::mac_roman("old-address-book.csv", "delimited text", 14, 14, 0)]
#[case::two_lines_of_header("raffle.csv", "delimited text", 12, 12, 0)]
#[case::backslashes("library-loans.csv", "delimited text", 10, 10, 0)]
fn every_format_goes_through_survey_propose_and_run(
    #[case] name: &str,
    #[case] format: &str,
    #[case] rows: u64,
    #[case] usable: u64,
    #[case] set_aside: u64,
) {
    let desk = demo();
    let file = format!("formats/{name}");
    let survey = desk.json(&["survey", &file]);
    assert_eq!(survey["schema"], "pebblebank/survey/1");
    let seen = &survey["files"][0];
    assert_eq!((&seen["format"], &seen["rows"]), (&format.into(), &rows.into()));
    assert_eq!(seen["addresses"]["usable"], usable);
    desk.done(&["propose", &file, "-o", "job.toml", "--name", "fair"]);
    let tally = desk.json(&["run", "job.toml"]);
    let no_consent: u64 = tally["all"]["set_aside_by_reason"]["opted-out"].as_u64().unwrap_or(0);
    assert_eq!(tally["all"]["written"], usable - no_consent);
    assert_eq!(tally["all"]["set_aside"], set_aside + no_consent);
    // From standard input it is the same, but for an archive's member, which goes by its name.
    if !name.contains(".zip/") {
        let said = desk.run_with_input(&["survey", "-", "--json"], &desk.bytes(&file));
        let piped: Value = serde_json::from_str(&said.stdout).unwrap();
        assert_eq!(piped["files"][0]["columns"], seen["columns"]);
    }
}

#[test]
fn a_survey_says_how_each_column_was_recognised_and_what_looks_wrong() {
    let desk = Desk::with(&[(
        "shop.csv",
        "Contact,Name,Postcode,First order,Ref,Phone\n\
         ida@post.example,Ida,01234,31/12/2025,a,4.42E+11\n\
         bo@post.example;,n/a,12345,12/31/2025,b,\n\
         IDA@post.example,JosÃ©,2345,01/02/2026,,020 7946 0001\n\
         ,,12346,,c,020 7946 0002\n",
    )]);
    let file = &desk.json(&["survey", "shop.csv"])["files"][0];
    let recognised = |header: &str| {
        let column = column(file, header);
        (column["field"].clone(), column["recognised"].clone(), column["filled"].as_u64().unwrap())
    };
    assert_eq!(recognised("Contact"), ("email".into(), "by-values".into(), 3));
    assert_eq!(recognised("Name"), ("full_name".into(), "by-header".into(), 2));
    assert_eq!(recognised("Ref"), (Value::Null, "not".into(), 3));
    assert_eq!(column(file, "Ref")["reason"], "its header is no known word");
    assert_eq!(column(file, "Name")["blank_words"], 1);
    let codes = |header: &str| -> Vec<Value> {
        column(file, header)["findings"].as_array().unwrap().iter().map(|finding| finding["code"].clone()).collect()
    };
    assert_eq!(codes("Name"), ["double-encoded"]);
    assert_eq!(codes("Postcode"), ["lost-zeros"]);
    assert_eq!(codes("First order"), ["mixed-date-orders"]);
    assert_eq!(codes("Phone"), ["damaged-phone", "phone-without-country"]);
    assert_eq!(column(file, "Phone")["findings"][0]["rows"], serde_json::json!([2]));
    let addresses = &file["addresses"];
    assert_eq!(
        (&addresses["usable"], &addresses["distinct"], &addresses["repeated"]),
        (&3.into(), &2.into(), &1.into())
    );
}

#[test]
fn a_survey_never_asks_it_shows_what_would_have_to_be_decided() {
    let desk = Desk::with(&[
        ("gift.csv", "Billing email,Work email,Subscription\na@x.example,b@x.example,yes\n"),
        ("names.csv", "Given,Family\nIda,Moss\n"),
    ]);
    let ran = desk.done(&["survey", "gift.csv", "names.csv"]);
    for words in [
        "several columns have addresses",
        "may say who must not be contacted",
        "no column was recognised as addresses",
        "Next",
    ] {
        assert!(ran.stdout.contains(words), "no \"{words}\" in\n{}", ran.stdout);
    }
    desk.done(&["propose", "gift.csv", "-o", "job.toml"]);
    let job = desk.text("job.toml");
    assert!(job.contains("# columns = { email = \"…\" }") && job.contains("# opt_in = [\"Subscription\"]"), "{job}");
    let stopped = desk.run(&["run", "job.toml"]);
    assert_eq!(stopped.status, 1, "{}", stopped.stdout);
}

#[test]
fn a_file_that_cannot_be_read_does_not_hide_the_others() {
    let desk = Desk::with(&[("shop.csv", "email\nida@post.example\n"), ("page.csv", "<html></html>")]);
    let ran = desk.run(&["survey", "page.csv", "shop.csv", "missing.csv"]);
    assert_eq!(ran.status, 1);
    assert!(ran.stdout.contains("1 usable"), "{}", ran.stdout);
    assert!(ran.stderr.contains("page.csv") && ran.stderr.contains("missing.csv"), "{}", ran.stderr);
}

#[test]
fn domains_and_values_are_counted_where_they_are_asked_for() {
    let desk = Desk::with(&[("shop.csv", "email,city\na@x.example,Q\nb@x.example,Q\nc@y.example,\n")]);
    let file = &desk.json(&["survey", "shop.csv", "--domains", "--values", "city"])["files"][0];
    assert_eq!(file["domains"]["values"], serde_json::json!([["x.example", 2], ["y.example", 1]]));
    assert_eq!(file["values"]["values"], serde_json::json!([["Q", 2], ["", 1]]));
}

#[test]
fn a_survey_fits_a_terminal_of_a_hundred_columns_however_wide_the_file_is() {
    let headers: Vec<String> = (0..300).map(|n| format!("a rather long header of column {n}")).collect();
    let cells = vec!["some text of no meaning"; 300].join(",");
    let desk = Desk::with(&[("wide.csv", &format!("email,{}\nida@post.example,{cells}\n", headers.join(",")))]);
    desk.file("other.csv", "email,city\nbo@post.example,Quillmere\n");
    for typed in
        [&["survey", "wide.csv", "other.csv"][..], &["survey", "wide.csv"], &["survey", "wide.csv", "--verbose"]]
    {
        let printed = desk.done(typed).stdout;
        let widest = printed.lines().map(|line| line.chars().count()).max().unwrap();
        assert!(widest <= 100, "{widest}");
        // Whatever is not shown is counted.
        let shown = printed.lines().filter(|line| line.starts_with("  a rather long header")).count();
        let is_counted = typed.len() != 2 || printed.contains(&format!("and {} more columns", 300 - shown));
        assert!(is_counted, "{printed}");
    }
}

#[test]
fn the_proposal_for_the_demo_runs_without_an_edit() {
    let desk = demo();
    desk.done(&["propose", "exports/*", "lists/[abdo]*", "-o", "spring.toml"]);
    let job = desk.text("spring.toml");
    let parts: Vec<&str> = job.lines().filter(|line| line.starts_with("[[") || line.starts_with("name = \"")).collect();
    let expected = [
        "name = \"spring\"",
        "[[source]]",
        "name = \"gift cards\"",
        "[[source]]",
        "name = \"guided walks\"",
        "[[source]]",
        "name = \"plant shop\"",
        "[[source]]",
        "name = \"sign ups\"",
        "[[source]]",
        "name = \"volunteers\"",
        "[[suppress]]",
        "name = \"already invited\"",
        "[[suppress]]",
        "name = \"bounced\"",
        "[[suppress]]",
        "name = \"do not contact\"",
        "[[suppress]]",
        "name = \"opted out\"",
        "[[write]]",
    ];
    assert_eq!(parts, expected);
    for line in
        ["reason = \"already-sent\"", "reason = \"bounced\"", "columns = { email = \"Contact\" }  # by their values"]
    {
        assert!(job.contains(line), "no {line} in\n{job}");
    }
    let tally = desk.json(&["run", "spring.toml"]);
    // The same people as in the job made by hand, but for the typos that it has mended.
    let by_hand = desk.text("spring-fair.toml").replace("apply = [", "apply = [] # ").replace("decisions =", "# ");
    let by_hand = by_hand.replace("sandford_ida99@hotel", "nobody@hotel");
    desk.file("by-hand.toml", by_hand);
    let by_hand = desk.json(&["run", "by-hand.toml", "--dry-run"]);
    assert_eq!(tally["all"]["read"], by_hand["all"]["read"]);
    assert_eq!(tally["all"]["written"], by_hand["all"]["written"]);
    let again = desk.run(&["propose", "exports/*", "-o", "spring.toml"]);
    assert_eq!((again.status, desk.text("spring.toml")), (1, job), "a job file is not replaced unasked");
}

#[test]
fn reading_can_be_overruled_by_options_and_by_the_job() {
    let desk = Desk::new();
    desk.file("odd.csv", b"email|name\nida@post.example|Jos\xE9\nbo@post.example|B\xFF\x81o\n");
    let stopped = desk.run(&["clean", "odd.csv", "-o", "out.csv", "--encoding", "utf-8", "--delimiter", "|"]);
    assert_eq!(stopped.status, 1);
    assert!(stopped.stderr.contains("odd.csv, row 2") && stopped.stderr.contains("on_bad_bytes"), "{}", stopped.stderr);
    desk.done(&[
        "clean",
        "odd.csv",
        "-o",
        "out.csv",
        "--encoding",
        "utf-8",
        "--replace-bad-bytes",
        "--header-row",
        "1",
    ]);
    assert_eq!(desk.sheet("out.csv").column("full_name"), ["Jos\u{FFFD}", "B\u{FFFD}\u{FFFD}o"]);
    desk.file(
        "job.toml",
        common::job_with("")
            .replace("[\"shop.csv\"]", "[\"odd.csv\"]\nencoding = \"utf-8\"\non_bad_bytes = \"replace\""),
    );
    let tally = desk.json(&["run", "job.toml", "--replace"]);
    let finding = tally["findings"].as_array().unwrap().iter().find(|one| one["code"] == "bad-bytes-replaced").unwrap();
    assert_eq!((&finding["count"], &finding["rows"]), (&3.into(), &serde_json::json!([2, 3, 3])));
}

#[test]
fn a_file_that_begins_as_utf_8_and_is_not_is_read_in_the_encoding_that_all_of_it_suggests() {
    let desk = Desk::new();
    let ascii = b"ida@post.example,Ida Moss\n".repeat(60_000);
    desk.file("late.csv", [b"email,name\n".as_slice(), &ascii, b"zoe@post.example,Zo\xEB M\xFCller\n"].concat());
    let tally = desk.json(&["clean", "late.csv", "-o", "out.csv"]);
    assert_eq!(tally["sources"][0]["files"][0]["encoding"], "windows-1252");
    assert_eq!(desk.sheet("out.csv").column("full_name"), ["Ida Moss", "Zoë Müller"]);
    assert_eq!(desk.json(&["survey", "late.csv"])["files"][0]["rows"], 60_001);
}

#[test]
fn text_that_was_double_encoded_is_put_right_and_listed_and_the_original_is_kept_of_who_is_set_aside() {
    let desk = Desk::with(&[(
        "shop.csv",
        "email,name,note\nida@post.example,\"MÃ¼ller, JosÃ©\",Oâ€™Neill\nbo@post.example,São João,SÃ£o\n,JosÃ©,\n",
    )]);
    desk.done(&["clean", "shop.csv", "-o", "out.csv", "--receipt", "receipt", "--columns", "email,full_name,notes"]);
    let names = ["José Müller", "São João"];
    assert_eq!(desk.sheet("out.csv").column("full_name"), names);
    assert_eq!(desk.sheet("out.csv").column("notes"), ["O’Neill", "São"]);
    let repairs = desk.sheet("receipt/repairs.csv");
    let listed = repairs.columns(["pebblebank_rule", "pebblebank_row", "pebblebank_field", "pebblebank_after"]);
    assert_eq!(listed.iter().filter(|row| row[0] == "double-encoded").count(), 3, "{listed:?}");
    assert_eq!(desk.sheet("receipt/set-aside.csv").column("name"), ["JosÃ©"]);
}

#[test]
fn a_quote_that_never_closes_swallows_nobody_and_is_said() {
    let desk = Desk::with(&[("shop.csv", "email,name\nida@post.example,\"Ida\nbo@post.example,Bo\n")]);
    let tally = desk.json(&["clean", "shop.csv", "-o", "out.csv"]);
    assert_eq!(tally["all"]["written"], 2);
    let finding = tally["findings"].as_array().unwrap().iter().find(|one| one["code"] == "open-quotes").unwrap();
    assert_eq!(finding["rows"], serde_json::json!([2]));
}

#[test]
fn remarks_below_the_table_are_footnotes_and_lone_names_are_people() {
    let table = "email,name\nida@post.example,Ida\nbo@post.example,Bo\n";
    for (below, footnotes, rows) in [
        ("\nExported by the office on 2 March\n* without test orders\n", 2, 2),
        ("* without test orders\n", 0, 3),
        ("\n* without test orders\n", 1, 2),
        ("\nWren\n", 0, 3),
        ("Exported by the office on 2 March\n", 0, 3),
        ("\nExported by the office on 2 March\nzoe@post.example,Zoë\n", 0, 4),
    ] {
        let desk = Desk::with(&[("shop.csv", &format!("{table}{below}"))]);
        let tally = desk.json(&["clean", "shop.csv", "-o", "out.csv"]);
        let file = &tally["sources"][0]["files"][0];
        let counted = file["other_lines"]["footnote"].as_u64().unwrap_or(0);
        assert_eq!((counted, file["rows"].as_u64().unwrap()), (footnotes, rows), "{below}");
        assert_eq!(desk.json(&["survey", "shop.csv"])["files"][0]["rows"], rows, "{below}");
    }
}

#[test]
fn members_of_an_archive_are_sources_by_pattern_and_the_archive_is_never_written() {
    let desk = demo();
    desk.done(&["clean", "formats/spring-exports.zip/plant-shop*.csv", "-o", "out.csv"]);
    assert_eq!(desk.sheet("out.csv").rows.len(), 32);
    let names = desk.names();
    let missing = desk.run(&["clean", "formats/spring-exports.zip/nobody*.csv", "-o", "new.csv"]);
    assert!(missing.stderr.contains("one of plant-shop-north.csv"), "{}", missing.stderr);
    let over = desk.run(&["clean", "formats/spring-exports.zip", "-o", "formats/spring-exports.zip", "--replace"]);
    assert_eq!((over.status, desk.names()), (2, names), "{}", over.stderr);
    assert!(desk.bytes("formats/spring-exports.zip").starts_with(b"PK"));
}
