//! The fine print: where two careful readers of the design would write different bytes.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use rstest::rstest;

fn reasons(desk: &Desk) -> Vec<[String; 2]> {
    let sheet = desk.sheet("fair.receipt/set-aside.csv");
    sheet.columns(["pebblebank_row", "pebblebank_reason"]).into_iter().map(|row| row.map(str::to_owned)).collect()
}

fn run(files: &[(&str, &str)], more: &str) -> Desk {
    let desk = Desk::with(files);
    desk.file("job.toml", job_with(more));
    desk.done(&["run", "job.toml"]);
    desk
}

#[test]
fn an_opt_out_counts_for_every_address_of_the_person_against_every_row() {
    let desk = run(
        &[(
            "shop.csv",
            "email,status\na@x.example; b@x.example,unsubscribed\nb@x.example,subscribed\nc@x.example; d@x.example,\nd@x.example; b@x.example,\n",
        )],
        "",
    );
    // Rows 2, 3 and 5 are one person by b; row 4 shares d with it.
    assert_eq!(desk.sheet("out.csv").rows.len(), 0);
    assert_eq!(reasons(&desk), [["2", "opted-out"]]);
    assert_eq!(desk.sheet("fair.receipt/merged.csv").column("pebblebank_survivor_row"), ["2", "2", "2"]);
}

#[test]
fn an_opt_out_under_a_shared_second_address_holds_both_people() {
    let desk = run(
        &[(
            "shop.csv",
            "email,status\na@x.example; s@x.example,unsubscribed\nb@x.example; s@x.example,subscribed\nc@x.example,subscribed\n",
        )],
        "",
    );
    assert_eq!(desk.sheet("out.csv").column("email"), ["c@x.example"]);
    let aside = desk.sheet("fair.receipt/set-aside.csv");
    assert_eq!(aside.column("pebblebank_details")[1], "opted out in shop under another of the person's addresses");
}

#[test]
fn a_suppressed_second_address_holds_the_person() {
    let files = [("shop.csv", "email\na@x.example; b@x.example\nc@x.example\n"), ("stop.csv", "email\nb@x.example\n")];
    let desk = run(&files, "[[suppress]]\nname = \"stop\"\nfiles = [\"stop.csv\"]");
    assert_eq!(desk.sheet("out.csv").column("email"), ["c@x.example"]);
}

#[test]
fn a_merged_row_stays_merged_when_its_survivor_is_set_aside() {
    let desk = run(&[("shop.csv", "email,status\na@x.example,pending\nA@x.example,subscribed\n")], "");
    assert_eq!(reasons(&desk), [["2", "no-consent"]]);
    assert_eq!(desk.sheet("fair.receipt/merged.csv").column("pebblebank_row"), ["3"]);
}

#[test]
fn a_survivor_stands_at_its_own_place_in_the_reading_order() {
    // Row 2 joins row 4 by its second column only, and has no usable first address.
    let desk = run(&[("shop.csv", "email,work email,n\nbroken,b@x.example,1\na@x.example,,2\nb@x.example,,3\n")], "");
    assert_eq!(desk.sheet("out.csv").columns(["email", "n"]), [["a@x.example", "2"], ["b@x.example", "3"]]);
    assert_eq!(desk.sheet("fair.receipt/merged.csv").column("pebblebank_row"), ["2"]);
}

#[rstest]
#[case::opted_out_before_all(&["subscribed", "unsubscribed", "pending"], "opted-out")]
#[case::pending_before_opted_in(&["subscribed", "pending"], "no-consent")]
#[case::an_unlisted_word_before_opted_in(&["subscribed", "frozen"], "no-consent")]
#[case::blank_yields(&["", "subscribed"], "")]
#[case::unknown_yields(&["unknown", "subscribed"], "")]
#[case::bounced_adds_its_own_reason(&["subscribed", "bounced"], "bounced")]
#[case::a_complaint_is_graver(&["unsubscribed", "spam complaint"], "complained")]
fn the_most_restrictive_consent_of_all_copies_holds(#[case] words: &[&str], #[case] reason: &str) {
    let rows: String = words.iter().map(|word| format!("ida@x.example,{word}\n")).collect();
    let desk = run(&[("shop.csv", &format!("email,consent status\n{rows}"))], "");
    let found = reasons(&desk);
    assert_eq!(found.first().map_or("", |row| row[1].as_str()), reason);
}

#[rstest]
#[case::no_under_subscribed_is_opted_out("subscribed", "no", "", "opted-out")]
#[case::no_under_do_not_mail_states_nothing("do not mail", "no", "", "")]
#[case::yes_under_do_not_mail_is_opted_out("do not mail", "yes", "", "opted-out")]
#[case::blank_passes("subscribed", "", "", "")]
#[case::blank_does_not_pass_where_an_opt_in_is_required("subscribed", "", "consent = \"opted-in\"", "no-consent")]
#[case::no_under_do_not_mail_never_counts_as_opted_in("do not mail", "no", "consent = \"opted-in\"", "no-consent")]
#[case::an_opt_in_passes_there("subscribed", "yes", "consent = \"opted-in\"", "")]
fn the_direction_of_yes_and_no(#[case] header: &str, #[case] word: &str, #[case] require: &str, #[case] reason: &str) {
    let desk =
        run(&[("shop.csv", &format!("email,{header}\nida@x.example,{word}\n"))], &format!("[require]\n{require}"));
    assert_eq!(reasons(&desk).first().map_or("", |row| row[1].as_str()), reason);
}

#[test]
fn two_consent_columns_are_both_read_and_the_more_restrictive_holds() {
    let desk = run(&[("shop.csv", "email,subscribed,do not mail\na@x.example,yes,yes\nb@x.example,yes,no\n")], "");
    assert_eq!(desk.sheet("out.csv").column("email"), ["b@x.example"]);
}

#[rstest]
#[case::words_about_consent("subscribed\nunsubscribed\n", 1)]
#[case::words_about_orders("shipped\nrefunded\n", 2)]
fn a_column_headed_status_is_consent_only_where_most_of_its_words_are(#[case] words: &str, #[case] written: usize) {
    let rows: String = words.lines().enumerate().map(|(n, word)| format!("p{n}@x.example,{word}\n")).collect();
    let desk = run(&[("shop.csv", &format!("email,status\n{rows}"))], "");
    assert_eq!(desk.sheet("out.csv").rows.len(), written);
}

#[test]
fn a_guess_about_status_that_the_rest_of_the_file_refutes_is_corrected() {
    let rows: String = (0..9_000)
        .map(|n| {
            format!(
                "p{n}@x.example,{}\n",
                if n < 1_500 {
                    "shipped"
                } else if n % 2 == 0 {
                    "subscribed"
                } else {
                    "unsubscribed"
                }
            )
        })
        .collect();
    let desk = Desk::new();
    let ran = desk.run_with_input(&["clean", "-", "-o", "out.csv"], format!("email,status\n{rows}").as_bytes());
    assert_eq!(ran.status, 0, "{}", ran.stderr);
    let sheet = desk.sheet("out.csv");
    assert_eq!(sheet.rows.len(), 3_750);
    assert!(sheet.column("consent").iter().all(|word| *word == "opted-in"));
}

#[test]
fn an_invalid_address_is_compared_by_its_text_and_its_domain_where_none_is_required() {
    let shop =
        "email,first_name\nida moss@hotel.example,Ida\nnot one,Wren\nnoemail@x.example,Hugo\n,Zoe\nodd one,Piet\n";
    let files = [("shop.csv", shop), ("stop.csv", "email\nhotel.example\nNot One\nnoemail@x.example\n")];
    let desk = run(&files, "[[suppress]]\nname = \"stop\"\nfiles = [\"stop.csv\"]\n[require]\nfields = []");
    assert_eq!(desk.sheet("out.csv").columns(["email", "first_name"]), [["", "Hugo"], ["", "Zoe"], ["", "Piet"]]);
    let tally = desk.json(&["run", "job.toml", "--dry-run"]);
    let mut findings = tally["findings"].as_array().unwrap().iter();
    assert!(findings.any(|finding| finding["code"] == "address-written-blank"), "{tally}");
}

#[test]
fn required_fields_replace_the_address_and_any_alone_leaves_it() {
    let shop = "email,first_name,phone,street,city\n,Ida,1,,\na@x.example,,,Lane,Larkfold\nb@x.example,,,Lane,\n";
    let of = |require: &str| {
        run(&[("shop.csv", shop)], &format!("[require]\n{require}")).sheet("out.csv").column("city").join("|")
    };
    assert_eq!(of("fields = [\"first_name\"]"), "");
    assert_eq!(of("any = [\"phone\", \"street + city\"]"), "Larkfold");
    assert_eq!(of("fields = []"), "|Larkfold|");
}

#[test]
fn blank_words_are_written_empty_and_a_person_may_be_called_null() {
    let desk = run(&[("shop.csv", "email,first_name,last_name,city\na@x.example,n/a,Null,unknown\n")], "");
    assert_eq!(desk.sheet("out.csv").rows, [["a@x.example", "", "Null", ""]]);
    let repairs = desk.sheet("fair.receipt/repairs.csv");
    assert_eq!(
        repairs.columns(["pebblebank_rule", "pebblebank_field", "pebblebank_before"]),
        [["blank-word", "first_name", "n/a"], ["blank-word", "city", "unknown"]]
    );
}

#[test]
fn lines_that_are_no_contacts_are_counted_and_keep_their_row_number() {
    let shop =
        "Larkfold plant shop\n\nemail,name\na@x.example,Ida\n ,\u{200b}\nE-Mail:,NAME\n-,\nTotal,2\nb@x.example,Wren\n";
    let desk = run(&[("shop.csv", &shop.replace("E-Mail:", "Email"))], "");
    let tally = desk.json(&["run", "job.toml", "--dry-run"]);
    let lines = &tally["sources"][0]["files"][0]["other_lines"];
    assert_eq!(lines, &serde_json::json!({"title": 1, "header": 1, "repeated_header": 1, "empty": 2, "totals": 1}));
    assert_eq!(tally["all"]["read"], 3);
    assert_eq!(reasons(&desk), [["7", "blank-address"]]);
}

#[test]
fn a_template_takes_its_fallback_or_closes_up_the_blanks() {
    let layout = r#"
[layout.letter]
columns = [
  { name = "To", from = "email" },
  { name = "Dear", from = "{title} {first_name} {last_name}", otherwise = "Friend" },
  { name = "Name", from = "{title} {first_name} {last_name}" },
  { name = "Fair", constant = "spring, 2026" },
]"#;
    let desk = Desk::with(&[(
        "shop.csv",
        "email,title,first_name,last_name\na@x.example,Dr,Ida,Moss\nb@x.example,,Wren,n/a\n",
    )]);
    desk.file("job.toml", job_with(layout).replace("file = \"out.csv\"", "file = \"out.csv\"\nlayout = \"letter\""));
    desk.done(&["run", "job.toml"]);
    let expected = "To,Dear,Name,Fair\na@x.example,Dr Ida Moss,Dr Ida Moss,\"spring, 2026\"\nb@x.example,Friend,Wren n/a,\"spring, 2026\"\n";
    assert_eq!(desk.text("out.csv"), expected.replace("Wren n/a", "Wren"));
}

#[rstest]
#[case::it_is_set_aside("", 0, "b@x.example")]
#[case::or_stops_the_run("on_violation = \"stop\"\n", 3, "")]
fn a_required_column_that_stays_blank_breaks_the_layout(
    #[case] more: &str,
    #[case] status: i32,
    #[case] written: &str,
) {
    let layout = format!(
        "[layout.l]\n{more}columns = [{{ name = \"To\", from = \"email\" }}, {{ name = \"Town\", from = \"city\", required = true }}]"
    );
    let desk = Desk::with(&[("shop.csv", "email,city\na@x.example,\nb@x.example,Larkfold\n")]);
    desk.file("job.toml", job_with(&layout).replace("file = \"out.csv\"", "file = \"out.csv\"\nlayout = \"l\""));
    let ran = desk.run(&["run", "job.toml"]);
    assert_eq!(ran.status, status, "{}", ran.stderr);
    if status == 0 {
        assert_eq!(desk.sheet("out.csv").column("To"), [written]);
        assert_eq!(reasons(&desk), [["2", "layout-violation"]]);
    } else {
        assert!(ran.stderr.contains("shop.csv, row 2"), "{}", ran.stderr);
        assert!(!desk.has("out.csv"));
    }
}

#[test]
fn a_cell_that_a_spreadsheet_would_run_is_defused_but_for_numbers_and_phones() {
    let shop = "email,notes\na@x.example,=1+1\nb@x.example,+44 20 7946 0000\nc@x.example,-5.5\nd@x.example,@cmd\n-e@x.example,- a dash\n";
    let desk = run(&[("shop.csv", shop)], "");
    let sheet = desk.sheet("out.csv");
    assert_eq!(sheet.column("notes"), ["'=1+1", "+44 20 7946 0000", "-5.5", "'@cmd", "'- a dash"]);
    assert_eq!(sheet.column("email")[4], "-e@x.example");
}

#[test]
fn rows_that_are_too_short_or_too_long_are_kept_and_said() {
    let desk =
        run(&[("shop.csv", "email,first_name,city\na@x.example\nb@x.example,Wren,Larkfold,extra,\"more, yet\"\n")], "");
    assert_eq!(
        desk.sheet("out.csv").rows,
        [["a@x.example", "", "", ""], ["b@x.example", "Wren", "Larkfold", "extra,\"more, yet\""]]
    );
    let tally = desk.json(&["run", "job.toml", "--dry-run"]);
    let findings: Vec<(&str, u64)> = tally["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|finding| (finding["code"].as_str().unwrap(), finding["rows"][0].as_u64().unwrap_or(0)))
        .collect();
    assert_eq!(findings, [("short-rows", 2), ("long-rows", 3), ("no-bank", 0), ("no-consent-column", 0)]);
}

const AUDIENCE: &str = "email,Town,Favourite walk,date of birth,signed_up,orders,tags\n\
    a@x.example,Larkfold,bats,2000-03-02,2026-01-01,3,member; bats\n\
    b@y.example,Upper Meresby,,2010-03-03,5 March 2025,\"1.250,50\",\n\
    c@x.example,n/a,Bats,,,,friend\n\
    d@post.x.example,Quillmere,Bats,1961-07-01,2026-03-01,12,Member\n";

#[rstest]
#[case("city is Larkfold", "a")]
#[case("city is not \"larkfold\"", "bcd")]
#[case("city is one of larkfold, \"UPPER  Meresby\"", "ab")]
#[case("city is not one of larkfold, quillmere", "bc")]
#[case("city is blank", "c")]
#[case("city is filled and \"Favourite walk\" is Bats", "ad")]
#[case("city contains mere", "bd")]
#[case("city starts with \"upper m\" or city ends with fold", "ab")]
#[case("not city is larkfold and not city is blank", "bd")]
#[case("not (city is larkfold or city is blank)", "bd")]
#[case("city is larkfold or city is blank and orders at least 1", "a")]
#[case("(city is larkfold or city is blank) and orders at least 1", "a")]
#[case("domain is x.example", "ac")]
#[case("tags has member", "ad")]
#[case("not tags has member", "bc")]
#[case("signed_up since 2026-01-01", "ad")]
#[case("signed_up before 2026-01-01", "b")]
#[case("signed_up between 2025-03-05 and 2026-01-01", "ab")]
#[case("signed_up within 1 day", "d")]
#[case("orders at least 3", "abd")]
#[case("orders more than 3", "bd")]
#[case("orders at most 12", "ad")]
#[case("orders less than 12", "a")]
#[case("orders between 3 and 12", "ad")]
#[case("age at least 18", "ad")]
#[case("age at most 15", "b")]
#[case("age is 26", "a")]
fn the_audience_is_picked_by_conditions(#[case] condition: &str, #[case] picked: &str) {
    let job = job_with(&format!("[select]\nwhere = '{condition}'"))
        .replace("name = \"fair\"", "name = \"fair\"\ntoday = \"2026-03-02\"");
    let desk = Desk::with(&[("shop.csv", AUDIENCE), ("job.toml", &job)]);
    desk.done(&["run", "job.toml"]);
    let sheet = desk.sheet("out.csv");
    let written: String = sheet.column("email").into_iter().map(|address| &address[..1]).collect();
    assert_eq!(written, picked);
    assert!(reasons(&desk).iter().all(|row| row[1] == "not-selected"));
}

#[test]
fn clean_picks_with_where() {
    let desk = Desk::with(&[("shop.csv", AUDIENCE)]);
    desk.done(&["clean", "shop.csv", "-o", "out.csv", "--where", "city is Larkfold"]);
    assert_eq!(desk.sheet("out.csv").column("email"), ["a@x.example"]);
    let unknown = desk.run(&["clean", "shop.csv", "-o", "more.csv", "--where", "nickname is Ida"]);
    assert!(unknown.status == 1 && unknown.stderr.contains("no source has \"nickname\", which the condition needs"));
}

#[rstest]
#[case("city", "the end is no comparison", "a comparison is missing")]
#[case("city contans mere", "\"contans\" is no comparison", "did you mean contains?")]
#[case("city is Upper Meresby", "\"Meresby\" cannot stand here", "where = 'city is \"Upper Meresby\"'")]
#[case("city is one of a b", "\"b\" cannot stand here", "where = 'city is one of \"a b\"'")]
#[case("city is \"open", "a quote is not closed", "where = 'city is \"open\"'")]
#[case("(city is a", "a ) is missing before the end", "where = '(city is a)'")]
#[case("city is a)", "closes nothing", "take it out")]
#[case("city is a and", "a field or column is missing before the end", "where = 'city is a'")]
#[case("signed_up since spring", "\"spring\" is no day", "2026-01-31")]
#[case("orders at least many", "\"many\" is no number", "such as 3")]
#[case("orders between 1 and x", "neither two days nor two numbers", "between 1 and 5")]
#[case("signed_up within 90", "days is missing before the end", "within 90 days")]
fn a_condition_that_cannot_be_read_points_at_the_word(
    #[case] condition: &str,
    #[case] why: &str,
    #[case] advice: &str,
) {
    let job = job_with(&format!("[select]\nwhere = '{condition}'"));
    let desk = Desk::with(&[("shop.csv", "email,city\na@x.example,\n"), ("job.toml", &job)]);
    let ran = desk.run(&["run", "job.toml"]);
    let said = ran.stderr.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(
        ran.status == 2 && said.contains(why) && said.contains(advice) && said.contains("job.toml, line"),
        "{said}"
    );
}

#[rstest]
#[case::letter_case_only("", &["ida+fair@post.example", "i.da@gmail.com", "ida@gmail.com", "ida@post.example"])]
#[case::tags_and_dots_too("[clean]\nidentity = \"ignore-tags\"", &["ida+fair@post.example", "i.da@gmail.com"])]
fn tags_are_ignored_where_the_job_says_so_and_what_is_written_keeps_them(
    #[case] clean: &str,
    #[case] written: &[&str],
) {
    let shop = "email\nida+fair@post.example\ni.da@gmail.com\nida@gmail.com\nida@post.example\n";
    let desk = Desk::with(&[("shop.csv", shop), ("job.toml", &job_with(clean))]);
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").column("email"), written);
}

#[test]
fn a_refusal_under_another_tag_holds_where_tags_are_ignored() {
    let suppress = "[clean]\nidentity = \"ignore-tags\"\n[[suppress]]\nname = \"no\"\nfiles = [\"no.csv\"]\nreason = \"opted-out\"";
    let desk = Desk::with(&[
        ("shop.csv", "email\nida@post.example\nbo@post.example\n"),
        ("no.csv", "email\nida+walks@post.example\n"),
        ("job.toml", &job_with(suppress)),
    ]);
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").column("email"), ["bo@post.example"]);
}

#[test]
fn role_addresses_and_disposable_domains_are_set_aside_where_the_job_says_so() {
    let shop = "email\ninfo@post.example\nKontakt+fair@post.example\nida@mail.throwaway.example\nida@yopmail.com\nida@post.example\n";
    let clean =
        "[clean]\nrole = \"set-aside\"\ndisposable = \"set-aside\"\ndisposable_domains = [\"throwaway.example\"]";
    let desk = Desk::with(&[
        ("shop.csv", shop),
        ("job.toml", &job_with(clean)),
        ("pass.toml", &job_with("").replace("out.csv", "all.csv")),
    ]);
    let tally = desk.json(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").column("email"), ["ida@post.example"]);
    let reasons = &tally["all"]["set_aside_by_reason"];
    assert_eq!((&reasons["role-address"], &reasons["disposable-domain"]), (&2.into(), &2.into()));
    assert_eq!(desk.json(&["run", "pass.toml", "--replace"])["all"]["written"], 5, "unless said they pass");
    let addresses = &desk.json(&["survey", "shop.csv"])["files"][0]["addresses"];
    assert_eq!((&addresses["role"], &addresses["disposable"]), (&2.into(), &1.into()));
}

#[test]
fn replacements_come_first_are_counted_and_leave_the_original_in_what_is_set_aside() {
    let shop = "email,city,ref\nida(at)post.example, qmere,a-1\nbo@post.example,Quillmere,b-2\nIDA@post.example,x,c-3\n,Qmere,d-4\n";
    let replace = "[[replace]]\nfield = \"email\"\npart = \"(at)\"\nwith = \"@\"\n\
        [[replace]]\nfield = \"city\"\nfind = \"Qmere\"\nwith = \"Quillmere\"\n\
        [[replace]]\nfield = \"ref\"\npattern = \"?-2\"\nwith = \"two, \\\"2\\\"\"\n\
        [[replace]]\nfield = \"ref\"\nfind = \"nowhere\"\nwith = \"\"\n\
        [job]\nreceipt = \"receipt\"";
    let job = job_with(&replace.replace("[job]\nreceipt = \"receipt\"", ""))
        .replace("name = \"fair\"\n", "name = \"fair\"\nreceipt = \"receipt\"\n");
    let desk = Desk::with(&[("shop.csv", shop), ("job.toml", &job)]);
    let tally = desk.json(&["run", "job.toml"]);
    let written = desk.sheet("out.csv");
    let expected = [["ida@post.example", "Quillmere", "a-1"], ["bo@post.example", "Quillmere", "two, \"2\""]];
    assert_eq!(written.columns(["email", "city", "ref"]), expected, "and the copy of Ida is merged");
    assert_eq!(desk.sheet("receipt/set-aside.csv").column("city"), ["Qmere"]);
    let counts: Vec<(u64, bool)> = tally["findings"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|finding| finding["code"] == "replacement")
        .map(|finding| (finding["count"].as_u64().unwrap(), finding["text"].as_str().unwrap().contains("no row")))
        .collect();
    assert_eq!(counts, [(0, true), (1, false), (2, false), (1, false)]);
    let listed = desk.sheet("receipt/repairs.csv");
    assert_eq!(listed.column("pebblebank_rule").iter().filter(|rule| **rule == "replacement").count(), 3);
}

#[test]
fn a_replacement_in_a_column_that_no_source_has_is_an_error() {
    let replace = "[[replace]]\nfield = \"town\"\nfind = \"a\"\nwith = \"b\"";
    let desk = Desk::with(&[("shop.csv", "email\nida@post.example\n"), ("job.toml", &job_with(replace))]);
    let ran = desk.run(&["run", "job.toml"]);
    assert!(ran.status == 1 && ran.stderr.contains("no source has \"town\""), "{}", ran.stderr);
}
