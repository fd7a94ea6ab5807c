//! Bad input: what is said, with which exit status, and that no output was touched.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use rstest::rstest;

const SHOP: &str = "email,first_name\nida@post.example,Ida\n";

/// Runs, expects a status and words, and that nothing appeared or changed.
fn refused(desk: &Desk, arguments: &[&str], status: i32, words: &[&str]) {
    let before = desk.names();
    let ran = desk.run(arguments);
    assert_eq!(ran.status, status, "{arguments:?}\n{}{}", ran.stdout, ran.stderr);
    for word in words {
        assert!(ran.stderr.contains(word), "no \"{word}\" in\n{}", ran.stderr);
    }
    assert!(ran.stderr.contains("to do:"), "every error says what to do:\n{}", ran.stderr);
    assert_eq!(desk.names(), before, "nothing appears");
    let error: serde_json::Value = serde_json::from_str(&desk.run(&[arguments, &["--json"]].concat()).stdout).unwrap();
    assert_eq!((&error["schema"], &error["exit_status"]), (&"pebblebank/error/1".into(), &status.into()));
}

fn utf_16(text: &str) -> Vec<u8> {
    text.encode_utf16().flat_map(u16::to_le_bytes).collect()
}

#[rstest]
#[case::missing("missing.csv", &["missing.csv", "no such file"])]
#[case::a_folder("folder", &["folder", "a folder, not a file"])]
#[case::a_cut_workbook("book.csv", &["book.csv", "damaged or cut short"])]
#[case::a_picture("image.csv", &["image.csv", "a picture"])]
#[case::binary("core.csv", &["core.csv", "not text"])]
#[case::a_stray_byte_far_down_in_utf_8("stray.csv", &["stray.csv, row 90002", "not UTF-8", "on_bad_bytes = "])]
#[case::half_a_character_of_utf_16("wide.csv", &["wide.csv", "line 3", "fit no character"])]
#[case::no_addresses("names.csv", &["names.csv", "no column", "\"column 1\", \"column 2\"", "--field"])]
#[case::two_address_columns("gift.csv", &["gift.csv", "several columns have addresses", "\"Buyer email\", \"Recipient email\""])]
#[case::yes_to_what("maybe.csv", &["maybe.csv, column \"Subscription\"", "yes (1)", "--opt-in", "--opt-out", "--not-consent"])]
fn a_file_that_cannot_be_taken(#[case] file: &str, #[case] words: &[&str]) {
    let desk = Desk::with(&[
        ("shop.csv", SHOP),
        ("folder/x.csv", SHOP),
        ("names.csv", "Given,Family\nIda,Moss\n"),
        ("gift.csv", "User email,Business email\na@x.example,b@x.example\n"),
        ("maybe.csv", "email,Subscription\nida@post.example,yes\n"),
    ]);
    desk.file("gift.csv", "Billing email,Work email\na@x.example,b@x.example\n");
    desk.file("book.csv", b"PK\x03\x04rest");
    desk.file("image.csv", b"\x89PNG\x00\x00");
    desk.file("wide.csv", [b"\xFF\xFE".as_slice(), &utf_16("email\na@x.example\n"), b"\x00\xD8a\x00\n\x00"].concat());
    desk.file("core.csv", b"\x7FELF\x00\x00");
    let zoes = "a@x.example,Zo\u{EB}\n".repeat(90_000);
    desk.file("stray.csv", [b"email\n".as_slice(), zoes.as_bytes(), b"b@x.example,Jos\xE9\n"].concat());
    let words: Vec<&str> = words
        .iter()
        .map(|word| match *word {
            "\"Buyer email\", \"Recipient email\"" => "\"Billing email\", \"Work email\"",
            word => word,
        })
        .collect();
    refused(&desk, &["clean", "shop.csv", file, "-o", "out.csv"], 1, &words);
}

#[rstest]
#[case::no_folder("no/such/out.csv", 1, &["no/such", "does not exist"])]
#[case::a_file_for_a_folder("shop.csv/out.csv", 1, &["does not exist"])]
#[case::a_folder_for_a_file("folder", 1, &["this is a folder"])]
fn an_output_that_cannot_be_written(#[case] output: &str, #[case] status: i32, #[case] words: &[&str]) {
    let desk = Desk::with(&[("shop.csv", SHOP), ("folder/x", "")]);
    refused(&desk, &["clean", "shop.csv", "-o", output, "--replace"], status, words);
}

#[rstest]
#[case::a_receipt_beside_it(&["clean", "shop.csv", "-o", "-", "--receipt", "r"])]
#[case::groups(&["clean", "shop.csv", "-o", "-", "--only-duplicates"])]
#[case::a_master(&["top-up", "shop.csv", "--from", "shop.csv", "-o", "-"])]
fn standard_output_takes_contacts_and_nothing_beside_them(#[case] arguments: &[&str]) {
    let desk = Desk::with(&[("shop.csv", SHOP)]);
    refused(&desk, arguments, 2, &["standard output"]);
}

#[test]
fn a_receipt_never_replaces_what_is_no_receipt() {
    let desk = Desk::with(&[("shop.csv", SHOP), ("photos/garden.png", "")]);
    refused(&desk, &["clean", "shop.csv", "-o", "out.csv", "--receipt", "photos", "--replace"], 1, &["not a receipt"]);
    assert!(desk.has("photos/garden.png"));
}

#[test]
fn the_same_file_given_twice() {
    let desk = Desk::with(&[
        ("shop.csv", SHOP),
        ("job.toml", &job_with("[[suppress]]\nname = \"stop\"\nfiles = [\"./shop.csv\"]")),
    ]);
    std::fs::hard_link(desk.path("shop.csv"), desk.path("other.csv")).unwrap();
    refused(&desk, &["clean", "shop.csv", "shop.csv", "-o", "out.csv"], 2, &["shop.csv", "given twice"]);
    refused(
        &desk,
        &["clean", "shop.csv", "other.csv", "-o", "out.csv"],
        2,
        &["other.csv", "the same file as shop.csv"],
    );
    refused(&desk, &["run", "job.toml"], 2, &["the same file as shop.csv"]);
}

#[rstest]
#[case::unknown_key("[job]\nname = \"x\"\n[[source]]\nname = \"a\"\nfils = [\"a.csv\"]\n", &["line 5: fils = [\"a.csv\"]", "unknown key fils", "did you mean files?"])]
#[case::unknown_part("[job]\nname = \"x\"\n[supress]\nname = \"a\"\n", &["line 3", "unknown key supress", "did you mean suppress?"])]
#[case::an_unknown_reason("[job]\nname = \"x\"\n[[suppress]]\nname = \"s\"\nfiles = [\"s\"]\nreason = \"bounce\"\n", &["line 6", "bounce is no reason", "did you mean bounced?"])]
#[case::a_reason_not_for_lists("[job]\nname = \"x\"\n[[suppress]]\nname = \"s\"\nfiles = [\"s\"]\nreason = \"missing-field\"\n", &["line 6", "no reason for a suppression list"])]
#[case::unknown_field("[job]\nname = \"x\"\n[require]\nfields = [\"frist_name\"]\n", &["line 4", "unknown field frist_name", "did you mean first_name?"])]
#[case::unknown_layout("[job]\nname = \"x\"\n[[write]]\nfile = \"o.csv\"\nlayout = \"leter\"\n[layout.letter]\ncolumns = [{ name = \"To\", from = \"email\" }]\n", &["line 5", "no layout leter", "did you mean letter?"])]
#[case::half_a_template("[job]\nname = \"x\"\n[layout.l]\ncolumns = [{ name = \"To\", from = \"{email\" }]\n", &["line 4", "brace"])]
#[case::not_toml("[job\nname = \"x\"\n", &["line 1"])]
#[case::no_source("[job]\nname = \"x\"\n", &["no source", "[[source]]"])]
#[case::other_keys("[job]\nname = \"x\"\n[person]\nsame = [\"phone +\"]\n", &["line 4", "same = [\"email\"]"])]
#[case::no_share("[job]\nname = \"x\"\n[guard]\nset_aside_at_most = \"lots\"\n", &["line 4", "40%"])]
fn a_job_file_that_cannot_be_read(#[case] job: &str, #[case] words: &[&str]) {
    let desk = Desk::with(&[("job.toml", job)]);
    refused(&desk, &["run", "job.toml"], 2, &[&["job.toml"], words].concat());
}

#[rstest]
#[case::a_header_that_is_not_there("columns = { city = \"Twon\" }", "Town", &["shop.csv", "no column \"Twon\"", "did you mean \"Town\"?"])]
#[case::a_pattern_for_nothing("", "none-*.csv", &["none-*.csv", "no file fits"])]
fn a_job_that_does_not_fit_its_files(#[case] source: &str, #[case] word: &str, #[case] words: &[&str]) {
    let desk = Desk::with(&[("shop.csv", "email,Town\na@x.example,Larkfold\n")]);
    let job = job_with("").replace("[[write]]", &format!("{source}\n[[write]]"));
    desk.file("job.toml", if word.contains('*') { job.replace("shop.csv", word) } else { job });
    refused(&desk, &["run", "job.toml"], 1, words);
}

#[test]
fn a_layout_that_names_a_column_that_no_source_has() {
    let desk = Desk::with(&[("shop.csv", "email,Basket\na@x.example,ferns\n")]);
    refused(
        &desk,
        &["clean", "shop.csv", "-o", "out.csv", "--columns", "email,Baskets"],
        1,
        &["\"Baskets\"", "did you mean \"Basket\"?"],
    );
    refused(
        &desk,
        &["clean", "shop.csv", "-o", "out.csv", "--require", "phone"],
        1,
        &["\"phone\"", "--field \"phone=…\""],
    );
    refused(
        &desk,
        &["clean", "shop.csv", "-o", "out.csv", "--field", "mail=Basket"],
        2,
        &["unknown field mail", "did you mean email?"],
    );
}

#[test]
fn too_little_memory_is_said_at_once() {
    let rows = "ida@post.example\n".repeat(2_000_000);
    let desk = Desk::with(&[("shop.csv", &format!("email\n{rows}"))]);
    refused(&desk, &["clean", "shop.csv", "-o", "out.csv", "--memory", "64MiB"], 1, &["64 MiB", "--memory \""]);
}

#[test]
fn a_guard_stops_the_run_and_leaves_a_receipt_to_look_at() {
    let guard = job_with("[guard]\nset_aside_at_most = \"40%\"");
    let desk = Desk::with(&[("shop.csv", "email\na@x.example\nbroken\n\"\"\n-\n"), ("job.toml", &guard)]);
    let ran = desk.run(&["run", "job.toml"]);
    assert_eq!(ran.status, 3, "{}", ran.stderr);
    assert!(
        ran.stdout.contains("66.7% of the contacts would be set aside, and the job allows 40.0%"),
        "{}",
        ran.stdout
    );
    assert_eq!(desk.names(), ["fair.receipt.stopped", "job.toml", "shop.csv"]);
    assert_eq!(desk.sheet("fair.receipt.stopped/set-aside.csv").rows.len(), 2);
}

#[test]
fn a_row_of_a_million_commas_and_an_empty_file_are_no_trouble() {
    let desk = Desk::with(&[
        ("shop.csv", &format!("email,x\na@x.example{}\nb@x.example,\n", ",".repeat(1_000_000))),
        ("empty.csv", ""),
    ]);
    let tally = desk.json(&["clean", "shop.csv", "empty.csv", "-o", "out.csv"]);
    assert_eq!(tally["all"]["written"], 2);
    assert!(tally["findings"].as_array().unwrap().iter().any(|finding| finding["code"] == "empty-file"));
}

#[test]
fn wrong_use_of_the_command_line_is_status_2() {
    let desk = Desk::new();
    assert_eq!(desk.run(&["clean", "a.csv"]).status, 2);
    assert_eq!(desk.run(&["tidy"]).status, 2);
    assert_eq!(desk.run(&["clean", "a.csv", "-o", "b.csv", "--memory", "plenty"]).status, 2);
}

/// A row of a contact that the job says is the header.
#[rstest]
#[case::no_such_column(&["clean", "shop.csv", "-o", "out.csv", "--field", "email=Mail"])]
#[case::no_such_column_to_split_by(&["split", "shop.csv", "--by", "Town"])]
#[case::no_such_column_in_a_list(&["bank", "load", "shop.csv", "--as", "opted-out", "--field", "email=Mail", "--yes"])]
#[case::a_job(&["run", "job.toml"])]
fn an_error_names_no_address_and_no_number_of_a_row_that_is_not_a_header(#[case] command: &[&str]) {
    let desk = Desk::with(&[("shop.csv", "ida.moss@post.example,+44 20 7946 0001,Larkfold\nben@post.example,,\n")]);
    desk.file(
        "job.toml",
        job_with("")
            .replace("files = [\"shop.csv\"]", "files = [\"shop.csv\"]\nheader_row = 1\ncolumns = { email = \"ida\" }"),
    );
    for json in [&[][..], &["--json"]] {
        let ran = desk.run(&[command, json].concat());
        assert_ne!(ran.status, 0, "{}", ran.stdout);
        let said = ran.stdout + &ran.stderr;
        assert!(!said.contains("ida.moss") && !said.contains("7946") && said.contains("column"), "{said}");
    }
}

#[test]
fn an_address_that_was_typed_stands_in_an_error_as_it_was_typed() {
    let desk = Desk::with(&[("shop.csv", "email\nida@post.example\n")]);
    let ran = desk.run(&["clean", "shop.csv", "-o", "out.csv", "--field", "email=ida.moss@post.example"]);
    assert!(ran.status != 0 && ran.stderr.contains("no column \"ida.moss@post.example\""), "{}", ran.stderr);
}

/// Each would take minutes if a cell were read again for each of its signs.
#[rstest]
fn a_long_cell_of_one_sign_is_read_once(
    #[values(
        "<",
        ">",
        "\"a",
        "(",
        "[",
        "a@",
        "a@b.example;",
        "<a@b.example> ",
        "„",
        "«",
        "+",
        "0",
        "-",
        "'",
        "\u{301}"
    )]
    sign: &str,
    #[values("email", "name", "phone", "joined", "city", "Marketing OK?")] header: &str,
) {
    let cell = sign.repeat((1 << 20) / sign.len()).replace('"', "\"\"");
    let desk =
        Desk::with(&[("shop.csv", &format!("id,email,{header}\n1,x@post.example,\"{cell}\"\n2,y@post.example,yes\n"))]);
    let arguments = ["clean", "shop.csv", "-o", "out.csv", "--accept", "write-at-least", "--country", "GB", "--json"];
    let ran = desk.run(&arguments);
    assert!([0, 1].contains(&ran.status), "{}", ran.stderr);
    desk.done(&["survey", "shop.csv"]);
}

#[test]
fn an_archive_of_very_many_members_is_refused_and_one_of_many_is_read() {
    let archive = |members: usize| {
        let mut archive = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
        for n in 0..members {
            archive.start_file(format!("m{n}.csv"), zip::write::SimpleFileOptions::default()).unwrap();
            std::io::Write::write_all(&mut archive, format!("email\np{n}@post.example\n").as_bytes()).unwrap();
        }
        archive.finish().unwrap().into_inner()
    };
    let desk = Desk::new();
    desk.file("many.zip", archive(10_001));
    let ran = desk.run(&["clean", "many.zip", "-o", "out.csv"]);
    assert!(ran.status == 1 && ran.stderr.contains("10001 members, more than 10000"), "{}", ran.stderr);
    desk.file("some.zip", archive(1_200));
    assert_eq!(desk.json(&["clean", "some.zip", "-o", "out.csv"])["all"]["written"], 1_200);
}

#[test]
fn what_a_run_might_take_and_what_it_took_stand_in_its_receipt() {
    let desk = Desk::with(&[("shop.csv", "email\nida@post.example\n"), ("job.toml", &job_with(""))]);
    desk.done(&["run", "job.toml", "--memory", "200MiB"]);
    let run: serde_json::Value = serde_json::from_slice(&desk.bytes("fair.receipt/run.json")).unwrap();
    assert_eq!(run["memory_bytes"], 200 << 20);
    // Elsewhere the system does not tell.
    if cfg!(target_os = "linux") {
        let peak = run["peak_memory_bytes"].as_u64().unwrap();
        assert!((1 << 20..200 << 20).contains(&peak), "{run}");
    }
}

#[test]
fn a_message_with_a_line_longer_than_any_is_read_as_far_as_that_and_the_next_one_whole() {
    let long = "a".repeat(17 << 20);
    let bounce = "From: mailer-daemon@post.example\nSubject: Undelivered Mail Returned to Sender\n\n\
        The following address had permanent fatal errors:\n<ida@far.example>\n550 5.1.1 user unknown\n";
    let desk = Desk::new();
    desk.file(
        "bounces.mbox",
        format!(
            "From a Mon\n{bounce}\nFrom b Mon\nSubject: {long}\n\nhello\n\nFrom c Mon\n{}",
            bounce.replace("ida", "ben")
        ),
    );
    let loaded = desk.json(&["bank", "load", "bounces.mbox", "--as", "bounced", "--yes"]);
    assert_eq!(loaded["batch"]["entries"], 2, "{loaded}");
}

#[rstest]
#[case::no_addresses("name,town\nIda,Leeds\n", "--field \"email=…\"", "columns = { email = \"…\" }")]
#[case::an_open_consent_column(
    "email,Privacy\nida@post.example,yes\nwren@post.example,no\n",
    "--opt-in \"Privacy\"",
    "opt_in = [\"Privacy\"]"
)]
fn advice_names_the_option_or_the_key_and_its_line(#[case] shop: &str, #[case] option: &str, #[case] key: &str) {
    let desk = Desk::with(&[("shop.csv", shop), ("job.toml", &job_with(""))]);
    let words = |arguments: &[&str]| {
        let ran = desk.run(arguments);
        assert_eq!(ran.status, 1, "{}", ran.stderr);
        ran.stderr.split_whitespace().collect::<Vec<_>>().join(" ")
    };
    let typed = words(&["clean", "shop.csv", "-o", "out.csv"]);
    assert!(typed.contains(option) && !typed.contains(key), "{typed}");
    let in_job = words(&["run", "job.toml"]);
    assert!(in_job.contains(key) && !in_job.contains(option), "{in_job}");
    assert!(in_job.contains("in the [[source]] of job.toml, line 4:"), "{in_job}");
}

#[test]
fn a_delimiter_that_was_meant_for_writing_is_told_from_one_for_reading() {
    let desk = Desk::with(&[("shop.csv", "email,first name,city\nida@post.example,Ida,Leeds\n")]);
    let ran = desk.run(&["clean", "shop.csv", "-o", "out.csv", "--delimiter", ";"]);
    assert!(ran.status == 1 && ran.stderr.contains("--for-spreadsheet writes semicolons"), "{}", ran.stderr);
}
