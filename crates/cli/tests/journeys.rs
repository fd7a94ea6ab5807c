//! Whole journeys: what a user types, and what comes of it.

mod common;

use common::Desk;

#[test]
fn pebblebank_alone_says_what_to_do_first_in_ten_lines() {
    let ran = Desk::new().done(&[]);
    assert!(ran.stdout.lines().count() <= 10, "{}", ran.stdout);
    assert!(ran.stdout.contains("pebblebank demo") && ran.stdout.contains("pebblebank run JOB.toml"));
}

#[test]
fn clean_merges_files_of_different_shapes_into_one() {
    let desk = Desk::with(&[
        ("shop.csv", "Email Address,First Name,Surname,Basket\r\nIDA@post.example,Ida,Moss,\"ferns, small\"\r\n"),
        ("walks.csv", "Name;E-mail;Walk\nWren Larkin;wren@post.example;Bats\nida moss; ida@post.example ;Moss\n"),
        ("cards.tsv", "E-mail\tGiven name\nhugo@post.example\tHugo\nn/a\tNobody\n"),
    ]);
    let ran = desk.done(&["clean", "shop.csv", "walks.csv", "cards.tsv", "-o", "spring.csv"]);
    assert_eq!(
        desk.text("spring.csv"),
        "email,first_name,last_name,full_name,Basket,Walk\n\
         ida@post.example,Ida,Moss,Ida Moss,\"ferns, small\",\n\
         wren@post.example,Wren,Larkin,Wren Larkin,,Bats\n\
         hugo@post.example,Hugo,,,,\n"
    );
    let aside = desk.sheet("spring.set-aside.csv");
    assert_eq!(
        aside.columns(["pebblebank_reason", "pebblebank_source", "email", "first_name"]),
        [["blank-address", "cards", "n/a", "Nobody"]]
    );
    insta::assert_snapshot!(ran.stdout, @r#"
    clean: 3 contacts written to spring.csv

      Source   read   written   merged   set aside
      shop        1         1        0           0
      walks       2         1        1           0
      cards       2         1        0           1
      ────────────────────────────────────────────
      all         5         3        1           1
      merged: the same address as another row, 0 in the same source and 1 in another.
      Every row read is accounted for; 3 lines are no contacts, such as headers and empty lines.

      Set aside because   rows
      blank-address          1   no address

      Repairs: 2 values by 2 rules: --verbose

      Worth a look
      · there is no bank yet, so nobody is suppressed for what was remembered
      · no source has a column that says who may be written to, so everybody passes

      Written
      spring.csv             3 contacts to import
      spring.set-aside.csv   who was left out, and why
    "#);
}

#[test]
fn clean_takes_standard_input_and_says_which_columns_to_write() {
    let desk = Desk::new();
    let input = b"Contact|Town\nida@post.example|Larkfold\n";
    let ran = desk.run_with_input(
        &["clean", "-", "-o", "out.csv", "--field", "email=Contact", "--columns", "city, email", "--quiet"],
        input,
    );
    assert_eq!((ran.status, ran.stdout.as_str(), ran.stderr.as_str()), (0, "", ""));
    assert_eq!(desk.text("out.csv"), "city,email\nLarkfold,ida@post.example\n");
}

#[test]
fn a_list_without_a_header_is_read_from_its_first_line() {
    let desk = Desk::with(&[
        ("list.txt", "ida@post.example\rwren@post.example"),
        ("layout.toml", "columns = [{ name = \"To\", from = \"email\" }]"),
    ]);
    desk.done(&["clean", "list.txt", "-o", "out.csv", "--layout", "layout.toml"]);
    assert_eq!(desk.text("out.csv"), "To\nida@post.example\nwren@post.example\n");
}

#[test]
fn text_in_another_encoding_is_read_and_said_and_the_job_can_overrule_it() {
    let desk = Desk::new();
    let units = |text: &str| text.encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<u8>>();
    desk.file("wide.csv", [b"\xFF\xFE".as_slice(), &units("email\tcity\r\nida@post.example\tKöln\r\n")].concat());
    desk.file("old.csv", b"email;city\nwren@post.example;M\xFCnchen\nhugo@post.example;K\xF6ln\n");
    let tally = desk.json(&["clean", "wide.csv", "old.csv", "-o", "out.csv"]);
    assert_eq!(desk.sheet("out.csv").column("city"), ["Köln", "München", "Köln"]);
    let encodings = [0, 1].map(|source| tally["sources"][source]["files"][0]["encoding"].as_str().unwrap());
    assert_eq!(encodings, ["UTF-16LE", "windows-1252"]);
    let findings: Vec<&str> =
        tally["findings"].as_array().unwrap().iter().map(|finding| finding["weight"].as_str().unwrap()).collect();
    assert_eq!(findings[..2], ["doubt", "note"], "a guess is a doubt, a byte order mark is none");
    let job = common::job_with("").replace("[\"shop.csv\"]", "[\"old.csv\"]\nencoding = \"windows-1251\"");
    desk.file("job.toml", job.replace("out.csv", "said.csv"));
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("said.csv").column("city"), ["Mьnchen", "Kцln"]);
}

#[test]
fn a_header_of_known_words_decides_between_two_delimiters() {
    let desk =
        Desk::with(&[("shop.csv", "email;basket, size\nida@post.example;1,5\n"), ("b.csv", "status,email\na\t\n\t\n")]);
    let tally = desk.json(&["clean", "shop.csv", "b.csv", "-o", "out.csv"]);
    let delimiters = [0, 1].map(|source| tally["sources"][source]["files"][0]["delimiter"].as_str().unwrap());
    assert_eq!(delimiters, ["semicolon", "comma"]);
}

#[test]
fn files_by_pattern_are_read_in_the_order_of_their_names() {
    let desk = Desk::with(&[
        ("in/b.csv", "email,n\nida@post.example,b\n"),
        ("in/a.csv", "n,email\na,ida@post.example\n"),
        ("in/A.csv", "email,n\nwren@post.example,A\n"),
    ]);
    desk.file("jobs/job.toml", "[job]\nname = \"by pattern\"\ntoday = \"2026-03-02\"\n[[source]]\nname = \"all\"\nfiles = [\"../in/*.csv\"]\n[[write]]\nfile = \"../list-{date}.csv\"\n");
    desk.done(&["run", "jobs/job.toml"]);
    assert_eq!(desk.text("list-2026-03-02.csv"), "email,n\nwren@post.example,A\nida@post.example,a\n");
    assert_eq!(desk.names(), ["by-pattern.receipt", "in", "jobs", "list-2026-03-02.csv"]);
}

#[test]
fn json_is_one_document_with_its_schema_and_nothing_else() {
    let desk = Desk::with(&[("shop.csv", "email\nida@post.example\n")]);
    let document = desk.json(&["clean", "shop.csv", "-o", "out.csv", "--receipt", "r"]);
    assert_eq!(document["schema"], "pebblebank/tally/1");
    let tally: serde_json::Value = serde_json::from_slice(&desk.bytes("r/tally.json")).unwrap();
    assert_eq!(tally["all"], document["all"]);
    let inputs: serde_json::Value = serde_json::from_slice(&desk.bytes("r/inputs.json")).unwrap();
    assert_eq!(inputs["schema"], "pebblebank/inputs/1");
    // printf 'email\nida@post.example\n' | b3sum
    assert_eq!(inputs["inputs"][0]["bytes"], 23);
    assert_eq!(inputs["inputs"][0]["blake3"].as_str().unwrap().len(), 64);
    let run: serde_json::Value = serde_json::from_slice(&desk.bytes("r/run.json")).unwrap();
    assert_eq!(run["schema"], "pebblebank/run/1");
}

#[test]
fn what_a_file_holds_cannot_write_to_the_terminal() {
    let desk = Desk::with(&[("shop.csv", "email,n\n\u{1b}[31mida@post.example\u{202e},x\n")]);
    let ran = desk.done(&["clean", "shop.csv", "-o", "out.csv", "--accept", "write-at-least", "--verbose"]);
    assert!(!ran.stdout.contains('\u{1b}') && !ran.stdout.contains('\u{202e}'), "{}", ran.stdout);
    assert!(ran.stdout.contains("‹U+001B›"), "{}", ran.stdout);
}

#[test]
fn colour_only_where_it_is_wanted() {
    let desk = Desk::with(&[("shop.csv", "email\nida@post.example\n")]);
    assert!(!desk.done(&["clean", "shop.csv", "-o", "out.csv", "--dry-run"]).stdout.contains('\u{1b}'));
    assert!(
        desk.done(&["clean", "shop.csv", "-o", "out.csv", "--dry-run", "--color", "always"]).stdout.contains('\u{1b}')
    );
}

#[test]
fn a_closed_pipe_is_no_error() {
    let desk = Desk::with(&[("shop.csv", "email\nida@post.example\n")]);
    let mut command = desk.command(&["clean", "shop.csv", "-o", "out.csv"]);
    let mut child = command.stdout(std::process::Stdio::piped()).spawn().unwrap();
    drop(child.stdout.take());
    assert_eq!(child.wait().unwrap().code(), Some(0));
    assert!(desk.has("out.csv"));
}

#[test]
fn the_demo_gives_the_numbers_that_were_counted_apart_from_the_program() {
    let desk = Desk::new();
    let document = desk.json(&["demo", "world"]);
    let expected: serde_json::Value = serde_json::from_str(include_str!("../../../demo/expected-tally.json")).unwrap();
    for key in ["all", "sources", "suppression"] {
        assert_eq!(document[key], expected[key], "{key}");
    }
    let ran = desk.done(&["demo", "world"]);
    assert!(ran.stdout.contains("Every row read is accounted for"), "the demo can be run again");
    // But for commands and paths to copy, which are as long as they are.
    let is_long = |line: &&str| line.chars().count() > 100 && !line.contains("pebblebank ") && !line.contains("world/");
    assert_eq!(ran.stdout.lines().filter(is_long).collect::<Vec<_>>(), [""; 0]);
    desk.file("mine/notes.txt", "mine");
    let refused = desk.run(&["demo", "mine"]);
    assert!(refused.status == 1 && refused.stderr.contains("not the demo's"), "{}", refused.stderr);
}
