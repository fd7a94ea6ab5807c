//! The same person: keys, survivors, switchboards.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use rstest::rstest;

fn run(shop: &str, person: &str) -> Desk {
    let desk = Desk::with(&[
        ("shop.csv", shop),
        ("job.toml", &job_with(&format!("[person]\n{person}\n[require]\nfields = []"))),
    ]);
    desk.done(&["run", "job.toml"]);
    desk
}

fn merged(desk: &Desk) -> Vec<[String; 3]> {
    let sheet = desk.sheet("fair.receipt/merged.csv");
    let columns = ["pebblebank_row", "pebblebank_survivor_row", "pebblebank_key"];
    sheet.columns(columns).into_iter().map(|row| row.map(str::to_owned)).collect()
}

#[test]
fn rows_with_any_key_in_common_are_one_person_and_so_on_transitively() {
    let shop = "email,phone,last_name,postcode\n\
        a@post.example,+442079460001,Moss,LF1 3AB\n\
        b@post.example,+442079460001,Moss,LF1 9ZZ\n\
        c@post.example,,MOSS,lf19zz\n\
        d@post.example,,Quill,\n";
    let desk = run(shop, "same = [\"email\", \"phone\", \"last_name + postal_code\"]");
    assert_eq!(desk.sheet("out.csv").column("email"), ["a@post.example", "d@post.example"]);
    let by = merged(&desk);
    assert_eq!(by, [["3", "2", "phone"].map(str::to_owned), ["4", "2", "last_name + postal_code"].map(str::to_owned)]);
}

#[test]
fn keys_with_a_blank_or_doubtful_part_do_not_exist() {
    let shop = "email,phone,last_name,postcode\n\
        a@post.example,4.42079E+11,Moss,\n\
        b@post.example,4.42079E+11,Moss,\n\
        c@post.example,n/a,,LF1 3AB\n\
        d@post.example,n/a,,LF1 3AB\n";
    let desk = run(shop, "same = [\"email\", \"phone\", \"last_name + postal_code\"]");
    assert_eq!(desk.sheet("out.csv").rows.len(), 4);
}

#[test]
fn values_are_compared_as_cleaned() {
    let job = job_with("[person]\nsame = [\"email\", \"phone\", \"street + city\"]")
        .replace("name = \"fair\"", "name = \"fair\"\ncountry = \"GB\"");
    let shop = "email,phone,street,city\n\
        a@post.example,020 7946 0001,12 Mill Street,Larkfold\n\
        b@post.example,+44 (0)20 7946 0001,,\n\
        c@post.example,,\"12, mill st.\",LARKFOLD\n";
    let desk = Desk::with(&[("shop.csv", shop), ("job.toml", &job)]);
    desk.done(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").column("email"), ["a@post.example"]);
}

#[test]
fn a_list_may_be_deduplicated_by_company_alone_and_equal_addresses_then_stay() {
    let shop = "email,company\na@post.example,Moss Ltd\na@post.example,Quill Ltd\nb@post.example,moss  ltd\n";
    let desk = run(shop, "same = [\"company\"]\nlargest_group = 1");
    assert_eq!(desk.sheet("out.csv").column("company"), ["Moss Ltd", "Quill Ltd"]);
    assert_eq!(merged(&desk), [["4", "2", "company"].map(str::to_owned)]);
}

/// The values of the rows: c has no usable address, b is the newest, d the fullest.
#[rstest]
#[case("first-read", "a@post.example")]
#[case("last-read", "d@post.example")]
#[case("newest", "b@post.example")]
#[case("fullest", "d@post.example")]
fn the_survivor_by_each_rule_but_a_usable_address_comes_first(#[case] rule: &str, #[case] survivor: &str) {
    let shop = "email,phone,last_name,city,last_seen\n\
        a@post.example,+442079460001,,,05.03.2024\n\
        b@post.example,+442079460001,,n/a,31.03.2025\n\
        none,+442079460001,Moss,Larkfold,01.01.2026\n\
        d@post.example,+442079460001,Moss,Larkfold,\n";
    let desk = run(shop, &format!("same = [\"email\", \"phone\"]\nsurvivor = \"{rule}\""));
    assert_eq!(desk.sheet("out.csv").column("email"), [survivor]);
}

#[test]
fn newest_goes_by_the_order_that_the_whole_column_shows() {
    // Only the last row shows that the month comes first: beyond what is looked at to begin with.
    let filler: String = (0..1_200).map(|n| format!("p{n}@post.example,,2025-01-01\n")).collect();
    let shop = format!(
        "email,phone,last_seen\na@post.example,1234567,01/12/2025\nb@post.example,1234567,02/01/2025\n{filler}z@post.example,,01/31/2025\n"
    );
    let job = job_with("[person]\nsame = [\"email\", \"phone\"]\nsurvivor = \"newest\"")
        .replace("name = \"fair\"", "name = \"fair\"\ncountry = \"GB\"");
    let shop = shop.replace("1234567", "+442079460001");
    let desk = Desk::with(&[("shop.csv", &shop), ("job.toml", &job)]);
    desk.done(&["run", "job.toml"]);
    let written = desk.sheet("out.csv");
    assert!(
        written.column("email").contains(&"b@post.example") && !written.column("email").contains(&"a@post.example")
    );
}

#[test]
fn a_value_that_many_addresses_share_is_a_switchboard_and_no_person() {
    let office: String = (0..4).map(|n| format!("p{n}@post.example,+442079460001\n")).collect();
    let shop = format!("email,phone\n{office}x@post.example,+442079460002\ny@post.example,+442079460002\n");
    let desk = run(&shop, "same = [\"email\", \"phone\"]\nlargest_group = 3");
    assert_eq!(desk.sheet("out.csv").rows.len(), 5);
    let tally: serde_json::Value = serde_json::from_str(&desk.text("fair.receipt/tally.json")).unwrap();
    let findings = tally["findings"].as_array().unwrap();
    let finding = findings.iter().find(|finding| finding["code"] == "switchboard").unwrap();
    assert_eq!(finding["count"], 4);
    assert_eq!(tally["sources"][0]["merged_within"], 1);
}

#[test]
fn a_refusal_holds_whoever_shares_any_key() {
    let shop =
        "email,phone,status\na@post.example,+442079460001,subscribed\nb@post.example,+442079460001,unsubscribed\n";
    let desk = run(shop, "same = [\"email\", \"phone\"]");
    assert_eq!(desk.sheet("out.csv").rows.len(), 0);
    assert_eq!(desk.sheet("fair.receipt/set-aside.csv").column("pebblebank_reason"), ["opted-out"]);
}

#[test]
fn clean_takes_keys_and_the_survivor_as_options() {
    let shop =
        "email,phone,signed_up\na@post.example,+442079460001,2024-01-01\nb@post.example,+442079460001,2025-01-01\n";
    let desk = Desk::with(&[("shop.csv", shop)]);
    desk.done(&["clean", "shop.csv", "-o", "out.csv", "--same", "email,phone", "--survivor", "newest"]);
    assert_eq!(desk.sheet("out.csv").column("email"), ["b@post.example"]);
}

#[rstest]
#[case("same = []", "same names no key", "same =")]
#[case("same = [\"email\", \"phone +\"]", "lacks a part", "last_name + postal_code")]
#[case("same = [\"phone\", \"phone\"]", "stands twice", "same =")]
#[case("survivor = \"oldest\"", "oldest is no survivor rule", "newest")]
#[case("survivor = \"newest\"", "needs a date", "newest_by")]
#[case("same = [\"email\", \"nick name\"]", "no source has \"nick name\"", "[person]")]
fn mistakes_about_people_are_named(#[case] person: &str, #[case] what: &str, #[case] advice: &str) {
    let more = format!("[person]\n{person}");
    let desk = Desk::with(&[("shop.csv", "email\na@post.example\n"), ("job.toml", &job_with(&more))]);
    let ran = desk.run(&["run", "job.toml"]);
    let said = ran.stderr.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(ran.status == 1 || ran.status == 2, "{said}");
    assert!(said.contains(what) && said.contains(advice), "{said}");
}

/// The first row survives; what it lacks comes from the others in their ranking.
#[test]
fn blank_fields_are_filled_tags_united_and_differing_values_listed() {
    let shop = "email,first name,city,tags,Order\n\
        a@post.example,Ann,,seeds,\n\
        b@post.example,Ben,,,\n\
        a@post.example,Anna,n/a,Bats; SEEDS,\"12, b\"\n\
        a@post.example,,Quillmere,,13\n";
    let desk = run(shop, "fill = true");
    assert_eq!(desk.text("out.csv").lines().nth(1), Some("a@post.example,Ann,Quillmere,seeds; Bats,\"12, b\""));
    let merged = desk.sheet("fair.receipt/merged.csv");
    assert_eq!(merged.columns(["pebblebank_row", "pebblebank_taken"]), [["4", "tags; Order"], ["5", "city"]]);
    let conflicts = desk.sheet("fair.receipt/conflicts.csv");
    let columns = ["pebblebank_field", "pebblebank_kept", "pebblebank_row", "pebblebank_other", "pebblebank_other_row"];
    assert_eq!(
        conflicts.columns(columns),
        [["first_name", "Ann", "2", "Anna", "4"], ["Order", "12, b", "4", "13", "5"]]
    );
}

#[test]
fn requirements_conditions_and_layouts_see_the_filled_row() {
    let shop = "email,city,phone\na@post.example,,\na@post.example,Larkfold,+442079460001\n";
    let desk = Desk::with(&[("shop.csv", shop)]);
    let picked =
        ["clean", "shop.csv", "-o", "out.csv", "--fill", "--require", "email,phone", "--where", "city is Larkfold"];
    desk.done(&picked);
    assert_eq!(desk.text("out.csv"), "email,phone,city\na@post.example,+442079460001,Larkfold\n");
}

#[test]
fn duplicates_can_be_looked_at_before_anything_is_merged() {
    let shop =
        "email,phone\na@post.example,+442079460001\nc@post.example,\nA@post.example,\nb@post.example,+442079460001\n";
    let desk = Desk::with(&[("shop.csv", shop)]);
    let found = desk.json(&["clean", "shop.csv", "-o", "groups.csv", "--same", "email,phone", "--only-duplicates"]);
    assert_eq!((&found["groups"], &found["rows"], &found["read"]), (&1.into(), &3.into(), &4.into()));
    let groups = desk.sheet("groups.csv");
    let columns = ["pebblebank_group", "pebblebank_survives", "pebblebank_key", "pebblebank_row", "email"];
    assert_eq!(
        groups.columns(columns),
        [
            ["1", "yes", "", "2", "a@post.example"],
            ["1", "no", "email", "4", "A@post.example"],
            ["1", "no", "phone", "5", "b@post.example"],
        ]
    );
    assert_eq!(desk.names(), ["groups.csv", "shop.csv"]);
}

/// Blanks come last in both directions; equal values stay as they were read.
#[rstest]
#[case("last_name", &["d", "b", "a", "e", "c"])]
#[case("last_name descending", &["a", "e", "b", "d", "c"])]
#[case("Orders, email", &["e", "b", "d", "a", "c"])]
#[case("Orders descending", &["a", "d", "b", "e", "c"])]
fn files_are_sorted_by_fields_and_numbers(#[case] sort: &str, #[case] order: &[&str]) {
    let shop = "email,last name,Orders\na@post.example,Quill,10\nb@post.example,Öst,2\nc@post.example,,\n\
        d@post.example,moss,9\ne@post.example,QUILL,-1\n";
    let desk = Desk::with(&[("shop.csv", shop)]);
    desk.done(&["clean", "shop.csv", "-o", "out.csv", "--sort", sort, "--columns", "email"]);
    let written = desk.sheet("out.csv");
    let first: Vec<&str> = written.column("email").into_iter().map(|address| &address[..1]).collect();
    assert_eq!(first, order, "{sort}");
}

#[test]
fn the_first_or_a_sample_is_picked_of_those_who_lack_nothing() {
    let shop: String = (0..50).map(|n| format!("p{n}@post.example\nnone\n")).collect();
    let desk = Desk::with(&[("shop.csv", &format!("email\n{shop}"))]);
    let pick = |options: &[&str]| {
        desk.done(&[&["clean", "shop.csv", "-o", "out.csv", "--replace"], options].concat());
        let aside = desk.sheet("out.set-aside.csv");
        let over = aside.column("pebblebank_reason").into_iter().filter(|reason| *reason == "over-limit").count();
        let written: Vec<String> = desk.sheet("out.csv").column("email").into_iter().map(str::to_owned).collect();
        assert_eq!(written.len() + over, 50);
        written
    };
    assert_eq!(pick(&["--first", "3"]), ["p0@post.example", "p1@post.example", "p2@post.example"]);
    let sample = pick(&["--sample", "7"]);
    assert_eq!((sample.len(), &sample), (7, &pick(&["--sample", "7", "--threads", "1"])));
    assert_ne!(sample, pick(&["--sample", "7", "--seed", "2"]));
    assert_eq!(pick(&["--sample", "60"]).len(), 50);
}
