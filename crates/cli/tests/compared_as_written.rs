//! What is compared is what is written, and every row of a person counts: rules of whom a list holds, who is one person, and
//! what stands in the import file, each with the spelling that once went wrong.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use rstest::rstest;

/// The numbers of the rows that a run writes; the source has a column "No".
fn written(desk: &Desk) -> Vec<String> {
    let ran = desk.run(&["run", "job.toml", "--replace", "--accept", "write-at-least", "--accept", "holds-most"]);
    assert_eq!(ran.status, 0, "{}{}", ran.stdout, ran.stderr);
    desk.sheet("out.csv").column("No").into_iter().map(str::to_owned).collect()
}

fn desk(source: &str, list: &str, keys: &str) -> Desk {
    let desk = Desk::with(&[("shop.csv", source), ("list.csv", list)]);
    desk.file("job.toml", job_with(keys));
    desk
}

/// The reasons of the rows set aside, by number.
fn reasons(desk: &Desk) -> Vec<(String, String)> {
    let sheet = desk.sheet("fair.receipt/set-aside.csv");
    sheet.columns(["No", "pebblebank_reason"]).into_iter().map(|[no, why]| (no.to_owned(), why.to_owned())).collect()
}

#[rstest]
#[case::a_title("Mrs. Anna Rossi", true)]
#[case::a_degree("Anna Rossi PhD", true)]
#[case::several_degrees("Anna Rossi, MBA, PhD", true)]
#[case::capitals_first("ROSSI Anna", true)]
#[case::family_first("Rossi, Anna", true)]
#[case::spaces_and_capitals("  ANNA   ROSSI ", true)]
#[case::a_nickname("Anna \"\"Nan\"\" Rossi", true)]
#[case::a_middle_name("Anna Clara Rossi", true)]
#[case::another("Anna Rossini", false)]
fn a_list_by_name_holds_every_spelling_of_the_name(#[case] name: &str, #[case] is_held: bool) {
    let source = format!("email,Full name,No\nanna@post.example,\"{name}\",1\n");
    let keys = "[[suppress]]\nname = \"names\"\nfiles = [\"list.csv\"]\nby = \"full_name\"";
    assert_eq!(written(&desk(&source, "Full name\nAnna Rossi\n", keys)).is_empty(), is_held);
    assert_eq!(written(&desk(&source, "First name,Last name\nAnna,Rossi\n", keys)).is_empty(), is_held);
    let by_both = keys.replace("full_name", "first_name + last_name");
    assert_eq!(written(&desk(&source, "Full name\nAnna Rossi\n", &by_both)).is_empty(), is_held);
}

#[test]
fn a_wrongly_decoded_name_is_the_name_it_was_meant_to_be() {
    let keys = "[[suppress]]\nname = \"names\"\nfiles = [\"list.csv\"]\nby = \"full_name\"";
    let desk = desk(
        "email,Full name,No\nj@post.example,José Reed,1\nb@post.example,Bo Reed,2\n",
        "Full name\nJosÃ© Reed\n",
        keys,
    );
    assert_eq!(written(&desk), ["2"]);
}

#[test]
fn names_and_phones_that_are_close_to_an_entry_are_shown() {
    let source = "email,Full name,Phone,No\na@post.example,Ana Rossi,,1\nb@post.example,Bo Reed,+44 20 7946 00181,2\nc@post.example,Cy Fern,020 7946 0019,3\n";
    let by = |field: &str, list: &str| {
        let keys =
            format!("[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\nby = \"{field}\"\nnear_miss = \"report\"");
        let desk = desk(source, list, &keys);
        assert_eq!(written(&desk), ["1", "2", "3"]);
        let sheet = desk.sheet("fair.receipt/near-misses.csv");
        sheet
            .columns(["pebblebank_contact", "pebblebank_why"])
            .into_iter()
            .map(|pair| pair.map(str::to_owned))
            .collect::<Vec<_>>()
    };
    assert_eq!(by("full_name", "Full name\nROSSI Anna\n"), [["Ana Rossi", "one typo in the name"]]);
    // Without a country a number stays as it is.
    assert_eq!(by("phone", "Phone\n+442079460019\n"), [["02079460019", "same number but for its prefix"]]);
    assert_eq!(by("phone", "Phone\n+442079460018\n"), [["+4420794600181", "one digit more or less"]]);
}

#[test]
fn an_address_that_cannot_be_one_is_a_near_miss_of_the_one_that_was_meant() {
    let keys = "[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\n[clean]\nidentity = \"ignore-tags\"";
    let list = "email\nida..moss@postbox.example\nwren+x@postbox.example\n";
    let desk = desk("email,No\nida.moss@postbox.example,1\nwrem+fair@postbox.example,2\n", list, keys);
    assert_eq!(written(&desk), ["1", "2"]);
    let entries = desk.sheet("fair.receipt/near-misses.csv");
    assert_eq!(entries.column("pebblebank_entry"), ["ida..moss@postbox.example", "wren+x@postbox.example"]);
}

#[rstest]
#[case::blanks_of_a_key("same = [\"email\", \"Badge\"]", &["1", "2", "3", "4"])]
#[case::blanks_with_a_name("same = [\"email\", \"full_name + Badge\"]", &["1", "2", "3", "4"])]
#[case::placeholders_of_phones("same = [\"email\", \"phone\"]", &["1", "2", "3", "4"])]
fn words_that_stand_for_nothing_make_nobody_the_same(#[case] person: &str, #[case] numbers: &[&str]) {
    let source = "email,Full name,Phone,Badge,No\na@post.example,Ida Moss,000-000-0000,n/a,1\nb@post.example,Ida Moss,000 000 0000,N/A,2\n\
                  c@post.example,Ida Moss,+44 1234567890,-,3\nd@post.example,Ida Moss,+441234567890,none,4\n";
    assert_eq!(written(&desk(source, "", &format!("[person]\n{person}"))), numbers);
}

#[test]
fn words_that_stand_for_nothing_are_blank_on_lists_in_conditions_and_for_fill_and_written_as_read() {
    let source =
        "email,Badge,No\na@post.example,-,1\nb@post.example,none,2\nc@post.example,B7,3\na@post.example,B9,4\n";
    let by_badge = "[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\nby = \"Badge\"";
    assert_eq!(written(&desk(source, "Badge\n-\nn/a\nb7 \n", by_badge)), ["1", "2"]);
    for (condition, numbers) in
        [("Badge is blank", &["1", "2"][..]), ("Badge is filled", &["3"]), ("Badge is none", &["2"])]
    {
        assert_eq!(written(&desk(source, "", &format!("[select]\nwhere = '{condition}'"))), numbers, "{condition}");
    }
    let filled = desk(source, "", "[person]\nfill = true");
    assert_eq!(written(&filled), ["1", "2", "3"]);
    assert_eq!(filled.sheet("out.csv").column("Badge"), ["B9", "none", "B7"]);
}

#[test]
fn who_is_allowed_is_still_on_the_list_for_columns_and_conditions() {
    let keys = "[[list]]\nname = \"walks\"\nfiles = [\"list.csv\"]\n[[suppress]]\nname = \"walkers\"\nlist = \"walks\"\n\
                [[allow]]\naddresses = [\"a@post.example\"]\nwhy = \"asked\"\n[select]\nwhere = 'in walks'";
    assert_eq!(
        written(&desk(
            "email,No\na@post.example,1\nb@post.example,2\n",
            "email\na@post.example\nb@post.example\n",
            keys
        )),
        ["1"]
    );
}

#[rstest]
#[case::a_dead_second_address("email\nold@post.example\n", true)]
#[case::the_one_that_is_written("email\nida@post.example\n", false)]
#[case::its_domain("email\n@post.example\n", false)]
fn a_bounce_holds_the_address_that_would_be_written(#[case] list: &str, #[case] is_written: bool) {
    let keys = "[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\nreason = \"bounced\"";
    assert_eq!(!written(&desk("email,No\nida@post.example; old@post.example,1\n", list, keys)).is_empty(), is_written);
}

#[test]
fn a_source_that_says_bounced_means_the_address_and_not_the_person() {
    let source = "email,Phone,Status,No\nold@post.example,+442079460001,bounced,1\nida@post.example,+442079460001,subscribed,2\n\
                  bo@post.example,,bounced,3\nbo@post.example,,subscribed,4\n";
    let keys = "[person]\nsame = [\"email\", \"phone\"]\nsurvivor = \"last-read\"";
    assert_eq!(written(&desk(source, "", keys)), ["2"]);
}

#[test]
fn a_part_that_cannot_be_used_is_held_against_lists_beside_one_that_can() {
    let keys = "[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]";
    let source =
        "email,No\nida@post.example; bo..x@post.example,1\nwren@post.example,2\n\"robin.\nmoss@post.example\",3\n";
    let desk = desk(source, "email\nbo..x@post.example\n", keys);
    assert_eq!(written(&desk), ["2"]);
    assert_eq!(
        reasons(&desk),
        [("1".to_owned(), "do-not-contact".to_owned()), ("3".to_owned(), "invalid-address".to_owned())]
    );
    // The piece with an address still carries a refusal.
    let source = "email,Status,No\n\"robin.\nmoss@post.example\",unsubscribed,1\nmoss@post.example,subscribed,2\n";
    assert_eq!(written(&self::desk(source, "", "")), [""; 0]);
}

#[test]
fn text_that_is_no_address_says_nothing_of_others() {
    let source = "email,Phone,Status,No\nkeine mailadresse,1,unsubscribed,1\nkeine mailadresse,2,subscribed,2\nida@@post.example,3,unsubscribed,3\nida@@post.example,4,subscribed,4\n";
    assert_eq!(written(&desk(source, "", "[require]\nfields = []")), ["2"]);
}

#[test]
fn a_complete_row_is_never_merged_into_one_that_lacks_a_required_field() {
    let source = "email,Phone,City,No\nida@post.example,+442079460001,,1\nida@post.example,+442079460001,Larkfold,2\n;,+442079460002,Larkfold,3\nbo@post.example,+442079460002,Larkfold,4\n";
    let person =
        "[person]\nsame = [\"email\", \"phone\"]\nsurvivor = \"fullest\"\n[require]\nfields = [\"email\", \"city\"]";
    assert_eq!(written(&desk(source, "", person)), ["2", "4"]);
    assert_eq!(written(&desk(source, "", &person.replace("fullest", "first-read"))), ["2", "4"]);
}

#[test]
fn merged_rows_name_the_first_key_of_the_job_by_which_they_equal_another() {
    let source = "email,Phone,Badge,No\na@post.example,+442079460001,B1,1\na@post.example,+442079460001,B1,2\nb@post.example,+442079460001,B1,3\nc@post.example,,B1,4\n";
    let keys = |same: &str| {
        let desk = desk(source, "", &format!("[person]\nsame = [{same}]"));
        assert_eq!(written(&desk), ["1"]);
        desk.sheet("fair.receipt/merged.csv")
            .column("pebblebank_key")
            .into_iter()
            .map(str::to_owned)
            .collect::<Vec<_>>()
    };
    assert_eq!(keys(r#""email", "phone", "Badge""#), ["email", "phone", "Badge"]);
    assert_eq!(keys(r#""Badge", "phone", "email""#), ["Badge", "Badge", "Badge"]);
    assert_eq!(keys(r#""phone", "email", "Badge""#), ["phone", "phone", "Badge"]);
}

#[test]
fn a_date_still_to_come_is_written_reported_and_never_the_newest() {
    let source = "email,signed_up,No\nida@post.example,2026-01-05,1\nida@post.example,31.12.9999,2\nida@post.example,1850-01-01,3\nbo@post.example,31.12.2099,4\n";
    let desk = desk(source, "", "[person]\nsurvivor = \"newest\"");
    assert_eq!(written(&desk), ["1", "4"]);
    assert_eq!(desk.sheet("out.csv").column("signed_up"), ["2026-01-05", "2099-12-31"]);
    assert!(desk.text("fair.receipt/tally.json").contains("date-to-come"));
}

#[test]
fn values_that_are_clean_but_for_spaces_around_them_are_written_once() {
    let source = "email,signed_up,tags,website,language,No\nida@post.example, 2026-02-02 , choir , https://moss.example , nl ,1\n";
    let desk = desk(source, "", "");
    assert_eq!(written(&desk), ["1"]);
    let sheet = desk.sheet("out.csv");
    assert_eq!(
        sheet.columns(["signed_up", "tags", "website", "language"]),
        [["2026-02-02", "choir", "https://moss.example", "nl"]]
    );
}

#[test]
fn a_full_name_follows_from_the_filled_names_and_a_second_address_stays_as_it_was_read() {
    let shop =
        "email,First name,Last name,No\nida@post.example; bo@bücher.example,Ida,,1\nida@post.example,Idda,Moss,2\n";
    let keys = "[person]\nfill = true\n[layout.names]\ncolumns = [{ name = \"No\", from = \"No\" }, { name = \"name\", from = \"full_name\" }, { name = \"other\", from = \"email_2\" }]";
    let desk = desk(shop, "", &keys.replace("[layout", "[guard]\nwrite_at_least = 1\n[layout"));
    let job = desk.text("job.toml").replace("file = \"out.csv\"", "file = \"out.csv\"\nlayout = \"names\"");
    desk.file("job.toml", job);
    assert_eq!(written(&desk), ["1"]);
    assert_eq!(desk.sheet("out.csv").columns(["name", "other"]), [["Ida Moss", "bo@bücher.example"]]);
}

#[test]
fn layouts_write_what_the_job_says_as_it_stands_and_stop_only_by_themselves() {
    let source = "email,City,Badge,No\nida@post.example,,-,1\nbo@post.example,Larkfold,B1,2\n";
    let column = |name: &str, more: &str| format!("{{ name = \"{name}\", from = \"{name}\"{more} }}");
    let aside =
        [column("No", ""), column("city", ", required = true"), column("Badge", ", otherwise = \"-\"")].join(", ");
    let stops = [column("No", ""), "{ name = \"city\", from = \"email\", required = true }".to_owned()].join(", ");
    let keys = format!(
        "[[write]]\nfile = \"other.csv\"\nlayout = \"stops\"\n[layout.aside]\ncolumns = [{aside}]\n[layout.stops]\non_violation = \"stop\"\ncolumns = [{stops}]"
    );
    let desk = desk(source, "", &keys);
    desk.file(
        "job.toml",
        desk.text("job.toml").replacen("file = \"out.csv\"", "file = \"out.csv\"\nlayout = \"aside\"", 1),
    );
    assert_eq!(written(&desk), ["2"]);
    assert_eq!(reasons(&desk), [("1".to_owned(), "layout-violation".to_owned())]);
    let always = desk.text("job.toml").replace(", required = true }, { name = \"Badge\"", " }, { name = \"Badge\"");
    desk.file("job.toml", always);
    assert_eq!(written(&desk), ["1", "2"]);
    assert_eq!(desk.sheet("out.csv").column("Badge"), ["-", "B1"]);
}

#[test]
fn the_bank_learns_addresses_as_they_were_mended_and_statuses_as_they_were_replaced() {
    let source = "email,email 2,Status,No\nida@post.example,,left us,1\nbo@post.example,bo@exmaple.com,unsubscribed,2\n\
                  cy@post.example,,bounced,3\ndee@post.example,,soft bounce,4\neve@example.com,,subscribed,5\n";
    let keys = "[clean]\napply = [\"comma-for-dot\"]\n[[replace]]\nfield = \"Status\"\nfind = \"left us\"\nwith = \"unsubscribed\"\n[remember]\nopted_out = true\nbounced = true";
    let desk = desk(&source.replace("bo@exmaple.com", "\"bo@hotel,example\""), "", keys);
    let job = desk.text("job.toml").replacen("name = \"fair\"", "name = \"fair\"\nscope = \"larkfold\"", 1);
    let both = "files = [\"shop.csv\"]\ncolumns = { email = [\"email\", \"email 2\"] }";
    desk.file("job.toml", job.replacen("files = [\"shop.csv\"]", both, 1));
    let ran = desk.run(&["run", "job.toml", "--new-scope", "--accept", "holds-most"]);
    assert_eq!(ran.status, 0, "{}{}", ran.stdout, ran.stderr);
    let held = desk.json(&["bank", "list"]);
    let entries = held["entries"].as_array().unwrap();
    let of = |reason: &str| {
        let mut all: Vec<String> = entries
            .iter()
            .filter(|entry| entry["what"] == reason)
            .map(|entry| format!("{} {}", entry["text"].as_str().unwrap(), entry["scope"].as_str().unwrap()))
            .collect();
        all.sort();
        all
    };
    assert_eq!(of("opted-out"), ["bo@hotel.example larkfold", "bo@post.example larkfold", "ida@post.example larkfold"]);
    assert_eq!(of("bounced"), ["cy@post.example everyone", "dee@post.example larkfold"]);
}

#[test]
fn what_is_said_of_odd_requests_and_lists_is_right() {
    let desk = desk(
        "email,No\nbo..x@post.example,1\nida@post.example,2\n",
        "email\nbo..x@post.example\n",
        "[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]",
    );
    assert_eq!(written(&desk), ["2"]);
    assert!(
        !desk.text("fair.receipt/tally.json").contains("list-without-entries"),
        "an entry that held somebody is one"
    );
    let split = desk.run(&["split", "shop.csv", "--by", "city"]);
    assert!(split.status != 0 && !split.stderr.contains("did you mean \"city\""), "{}", split.stderr);
    let memory = desk.run(&["run", "job.toml", "--replace", "--memory", "17179869185GiB"]);
    assert_eq!(memory.status, 2, "{}", memory.stderr);
}

#[test]
fn a_list_by_phone_with_reasons_of_its_own_holds_for_each_of_them() {
    let source = "email,Phone,No\na@post.example,+442079460001,1\nb@post.example,+442079460002,2\nc@post.example,,3\n";
    let list = "phone,Status\n+442079460001,hard bounce\n+442079460002,unsubscribed\n";
    let keys = "[[suppress]]\nname = \"list\"\nfiles = [\"list.csv\"]\nby = \"phone\"\nreason_from = \"Status\"";
    let desk = desk(source, list, keys);
    assert_eq!(written(&desk), ["3"]);
    assert_eq!(reasons(&desk), [("1".to_owned(), "bounced".to_owned()), ("2".to_owned(), "opted-out".to_owned())]);
}

#[test]
fn a_large_bank_is_asked_about_addresses_outside_their_column_too() {
    let source = "email,Phone,Remark,No\n,+442079460001,held@far.example,1\nok@post.example,+442079460001,,2\nbo@post.example,,,3\n";
    let desk = desk(source, "", "[person]\nsame = [\"email\", \"phone\"]");
    // With 100,000 entries and more, a short run looks its people up.
    let others: String = (0..100_000).map(|n| format!("n{n}@far.example\n")).collect();
    desk.file("out.txt", format!("email\nheld@far.example\n{others}"));
    desk.done(&["bank", "load", "out.txt", "--as", "opted-out", "--yes"]);
    assert_eq!(written(&desk), ["3"]);
}
