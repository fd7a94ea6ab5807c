//! The promises of the README, one test each.

mod common;

use common::{Desk, job_with};
use rstest::rstest;
use std::fs;

const SHOP: &str = "email,first_name,status\n\
    ida@post.example,Ida,subscribed\n\
    IDA@post.example,Ida again,subscribed\n\
    ,Nobody,subscribed\n\
    wren@post.example,Wren,unsubscribed\n\
    hugo@post.example,Hugo,subscribed\n";

#[test]
fn every_row_read_is_written_merged_or_set_aside() {
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with(""))]);
    let tally = desk.json(&["run", "job.toml"]);
    let all = &tally["all"];
    assert_eq!(
        (&all["read"], &all["written"], &all["merged"], &all["set_aside"]),
        (&5.into(), &2.into(), &1.into(), &2.into())
    );
    assert_eq!(desk.sheet("out.csv").column("email"), ["ida@post.example", "hugo@post.example"]);
    let aside = desk.sheet("fair.receipt/set-aside.csv");
    assert_eq!(
        aside.columns(["pebblebank_reason", "pebblebank_row", "first_name"]),
        [["blank-address", "4", "Nobody"], ["opted-out", "5", "Wren"]]
    );
    let merged = desk.sheet("fair.receipt/merged.csv");
    assert_eq!(
        merged.columns(["pebblebank_row", "pebblebank_survivor_row", "email"]),
        [["3", "2", "IDA@post.example"]]
    );
}

#[test]
fn inputs_are_never_an_output_by_any_spelling_or_link() {
    let desk = Desk::with(&[("shop.csv", SHOP), ("sub/keep", "")]);
    fs::hard_link(desk.path("shop.csv"), desk.path("hard.csv")).unwrap();
    #[cfg(unix)]
    std::os::unix::fs::symlink(desk.path("shop.csv"), desk.path("soft.csv")).unwrap();
    for output in ["shop.csv", "./sub/../shop.csv", "hard.csv", "soft.csv"] {
        let ran = desk.run(&["clean", "shop.csv", "-o", output, "--replace"]);
        assert_eq!(ran.status, 2, "{output}: {}", ran.stderr);
        assert!(ran.stderr.contains("read by the job and would be written"), "{}", ran.stderr);
    }
    let aside = desk.run(&["clean", "shop.csv", "-o", "out.csv", "--set-aside", "soft.csv", "--replace"]);
    assert_eq!(aside.status, 2);
    assert_eq!(desk.text("shop.csv"), SHOP);
    assert_eq!(desk.names(), ["hard.csv", "shop.csv", "soft.csv", "sub"]);
}

#[rstest]
#[case::the_job_file(&["run", "job.toml", "--replace", "--receipt", "job.toml"], "written over")]
#[case::two_outputs_in_one(&["clean", "shop.csv", "-o", "new.csv", "--set-aside", "./new.csv"], "written twice")]
#[case::one_in_the_receipt(&["clean", "shop.csv", "-o", "r/new.csv", "--receipt", "./r"], "lie in the receipt")]
fn outputs_keep_out_of_each_others_way(#[case] arguments: &[&str], #[case] words: &str) {
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with(""))]);
    let ran = desk.run(arguments);
    assert!(ran.status == 2 && ran.stderr.contains(words), "{}", ran.stderr);
    assert_eq!(desk.names(), ["job.toml", "shop.csv"]);
}

#[test]
fn an_input_in_the_receipt_that_would_be_replaced_is_refused() {
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with(""))]);
    desk.done(&["run", "job.toml"]);
    let ran =
        desk.run(&["clean", "fair.receipt/set-aside.csv", "-o", "again.csv", "--receipt", "fair.receipt", "--replace"]);
    assert_eq!(ran.status, 2);
    assert!(ran.stderr.contains("lies in the receipt"), "{}", ran.stderr);
}

#[test]
fn what_was_written_aside_is_read_again_only_when_it_is_named() {
    let desk = Desk::with(&[("in/shop.csv", SHOP), ("job.toml", &job_with("").replace("shop.csv", "in/*.csv"))]);
    desk.done(&["clean", "in/shop.csv", "-o", "list.csv", "--set-aside", "in/list.set-aside.csv"]);
    let tally = desk.json(&["run", "job.toml"]);
    assert_eq!(tally["all"]["read"], 5);
    let findings = tally["findings"].as_array().unwrap();
    assert!(findings.iter().any(|finding| finding["code"] == "own-output-skipped"));
    let named = desk.json(&["clean", "in/list.set-aside.csv", "-o", "named.csv", "--accept", "write-at-least"]);
    assert_eq!(named["all"]["read"], 2);
    assert!(!desk.text("named.csv").contains("pebblebank_"), "its own columns do not travel along");
}

#[test]
fn an_existing_output_is_replaced_only_with_replace() {
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with("")), ("out.csv", "earlier\n")]);
    let ran = desk.run(&["run", "job.toml"]);
    assert_eq!(ran.status, 1);
    assert!(ran.stderr.contains("exists already") && ran.stderr.contains("--replace"), "{}", ran.stderr);
    assert_eq!(desk.text("out.csv"), "earlier\n");
    desk.done(&["run", "job.toml", "--replace"]);
    desk.done(&["run", "job.toml", "--replace"]);
    assert_eq!(desk.names(), ["fair.receipt", "fair.receipt.previous", "job.toml", "out.csv", "shop.csv"]);
}

#[test]
fn a_stopped_run_leaves_nothing_behind() {
    // The file grows beyond what the place allows, halfway through the writing: like a full disk.
    let rows: String = (0..20_000).map(|n| format!("person{n}@post.example,Ida,subscribed\n")).collect();
    let desk = Desk::with(&[("shop.csv", &format!("email,first_name,status\n{rows}")), ("out.csv", "earlier\n")]);
    let program = env!("CARGO_BIN_EXE_pebblebank");
    let limited = format!("trap '' XFSZ; ulimit -f 300; exec {program} clean shop.csv -o out.csv --replace");
    let output = std::process::Command::new("sh").args(["-c", &limited]).current_dir(desk.path("")).output().unwrap();
    let stderr = String::from_utf8_lossy(&output.stderr);
    assert_eq!(output.status.code(), Some(1), "{stderr}");
    assert!(stderr.contains("out.csv") && stderr.contains("larger than this place allows"), "{stderr}");
    assert_eq!(desk.text("out.csv"), "earlier\n");
    assert_eq!(desk.names(), ["out.csv", "shop.csv"]);
}

/// Rows in which everything occurs that a job may have to decide.
fn rows_of_everything(of: &str, rows: usize) -> String {
    let row = |n: usize| {
        let names = ["Ida Moss", "Mrs. Anna Rossi", "ROSSI Anna", "JosÃ© Reed", "", "Bo Clara Fern"];
        let (status, badge) =
            (["subscribed", "", "unsubscribed", "bounced"][n % 97 % 4], ["n/a", "B1", " b2", ""][n % 4]);
        let phone = if n.is_multiple_of(5) { format!("020 7946 {:04}", n % 900) } else { String::new() };
        let further = if n.is_multiple_of(11) { format!("; next{}@post.example", n % 300) } else { String::new() };
        let address = format!("person{}@post{}.example{further}", n * 7 % (rows * 2 / 3), n % 13);
        let seen = format!("{}.{}.2025", n % 28 + 1, n % 12 + 1);
        format!("\"{address}\",{},{phone},{badge},{status},{seen},{of} {n}\n", names[n % names.len()])
    };
    let all: String = (0..rows).map(row).collect();
    format!("Email,Full name,Phone,Badge,Status,Last seen,Our number\n{all}")
}

/// A job that asks for all of it.
const EVERYTHING: &str = r#"
[job]
name = "everything"
receipt = "r"
country = "GB"
today = "2026-03-05"
[person]
same = ["email", "phone", "full_name + Badge"]
survivor = "newest"
newest_by = "last_seen"
fill = true
near_duplicates = true
[[source]]
name = "shop"
files = ["shop.csv"]
columns = { consent = "Status" }
[[source]]
name = "walks"
files = ["walks.csv"]
columns = { consent = "Status" }
where = 'Badge is not B1'
[[replace]]
field = "Badge"
find = "b2"
with = "B2"
[[list]]
name = "members"
files = ["members.csv"]
take = ["Fee"]
[[suppress]]
name = "stop"
files = ["stop.txt"]
near_miss = "report"
[[suppress]]
name = "names"
files = ["names.csv"]
by = "full_name"
[[suppress]]
name = "bounced"
files = ["bounced.csv"]
reason = "bounced"
[[allow]]
addresses = ["person21@post3.example"]
why = "asked"
[guard]
accept = { holds-most = 99999 }
[[write]]
file = "out.csv"
layout = "sorted"
[[write]]
file = "all.csv"
[layout.sorted]
sort = "full_name, email descending"
columns = [{ name = "email", from = "email" }, { name = "name", from = "full_name" }, { name = "badge", from = "Badge", otherwise = "-" }, { name = "member", from = "in members" }, { name = "fee", from = "Fee" }]
"#;

#[test]
fn equal_runs_give_equal_bytes_with_any_number_of_threads_and_any_memory() {
    let desk = Desk::with(&[
        ("shop.csv", &rows_of_everything("shop", 9_000)),
        ("walks.csv", &rows_of_everything("walks", 9_000)),
        ("members.csv", "email,Fee\nperson7@post7.example,12\nPerson7@post7.example,14\nperson8@post8.example,n/a\n"),
        (
            "stop.txt",
            "person7@post7.example\n@post3.example\npersn77@post12.example\n0bc83cb571cd1c50ba6f3e8a78ef1346\n",
        ),
        ("names.csv", "Full name\nFern, Bo\n"),
        ("bounced.csv", "email\nnext3@post.example\nperson14@post2.example\n"),
        ("job.toml", EVERYTHING),
    ]);
    let run = |threads: &str, memory: &str| -> Vec<(String, Vec<u8>)> {
        desk.done(&["run", "job.toml", "--replace", "--threads", threads, "--memory", memory]);
        let receipt = std::fs::read_dir(desk.path("r")).unwrap().map(|entry| entry.unwrap().file_name());
        let mut names: Vec<String> = receipt.map(|name| format!("r/{}", name.to_str().unwrap())).collect();
        // The times of the run stand in these two alone.
        names.retain(|name| !name.ends_with("run.json") && !name.ends_with("log.jsonl"));
        names.extend(["out.csv".to_owned(), "all.csv".to_owned()]);
        names.sort();
        names.into_iter().map(|name| (name.clone(), desk.bytes(&name))).collect()
    };
    let first = run("1", "1GiB");
    assert!(first.len() >= 9, "{:?}", first.iter().map(|(name, _)| name).collect::<Vec<_>>());
    let wishes = ["1", "2", "7"].into_iter().flat_map(|threads| [(threads, "64MiB"), (threads, "1GiB")]);
    for (number, (threads, memory)) in wishes.cycle().take(19).enumerate() {
        for ((name, bytes), (_, other)) in first.iter().zip(run(threads, memory)) {
            assert!(*bytes == other, "run {number}, {threads} threads, {memory}: {name}");
        }
    }
}

#[cfg(unix)]
#[test]
fn files_with_people_in_them_are_for_their_owner_only() {
    use std::os::unix::fs::PermissionsExt;
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with(""))]);
    desk.done(&["run", "job.toml"]);
    let mode = |name: &str| fs::metadata(desk.path(name)).unwrap().permissions().mode() & 0o777;
    assert_eq!(mode("fair.receipt"), 0o700);
    for name in ["out.csv", "fair.receipt/set-aside.csv", "fair.receipt/merged.csv", "fair.receipt/people.idx"] {
        assert_eq!(mode(name), 0o600, "{name}");
    }
}

#[test]
fn a_dry_run_shows_the_tally_and_the_first_rows_and_writes_nothing() {
    let desk = Desk::with(&[("shop.csv", SHOP), ("job.toml", &job_with(""))]);
    let ran = desk.done(&["run", "job.toml", "--dry-run"]);
    assert!(ran.stdout.contains("2 contacts would be written"), "{}", ran.stdout);
    assert!(ran.stdout.contains("ida@post.example,Ida,opted-in"), "{}", ran.stdout);
    assert_eq!(desk.names(), ["job.toml", "shop.csv"]);
}

#[test]
fn nobody_who_said_no_anywhere_is_written() {
    let desk = Desk::with(&[
        (
            "shop.csv",
            "email\nida@post.example\nwren@post.example\nhugo@hotel.example\nota@sub.hotel.example\nzoe@post.example\n",
        ),
        ("volunteers.csv", "contact,do not mail\nIda@Post.example,yes\nzoe@post.example,no\n"),
        ("stop.csv", "email;asked\n<WREN@post.example>;2025\n@hotel.example;2024\nnobody@post.example;2023\n"),
        (
            "job.toml",
            &job_with(
                "[[source]]\nname = \"volunteers\"\nfiles = [\"volunteers.csv\"]\ncolumns = { email = \"contact\" }\n\
                 [[suppress]]\nname = \"stop\"\nfiles = [\"stop.csv\"]",
            ),
        ),
    ]);
    let tally = desk.json(&["run", "job.toml"]);
    assert_eq!(desk.sheet("out.csv").column("email"), ["zoe@post.example"]);
    let list = &tally["suppression"][0];
    assert_eq!((&list["entries"], &list["matched"], &list["unmatched"]), (&3.into(), &2.into(), &1.into()));
    let aside = desk.sheet("fair.receipt/set-aside.csv");
    assert_eq!(
        aside.columns(["email", "pebblebank_reason", "pebblebank_details"]),
        [
            ["ida@post.example", "opted-out", "opted out in volunteers"],
            ["wren@post.example", "do-not-contact", "stop"],
            ["hugo@hotel.example", "do-not-contact", "stop"],
            ["ota@sub.hotel.example", "do-not-contact", "stop"],
        ]
    );
}

#[test]
fn keys_that_do_not_fit_into_memory_give_the_same_result() {
    let rows: String = (0..900_000).map(|n| format!("p{}@x.example\n", n * 7 % 600_011)).collect();
    let desk = Desk::with(&[
        ("shop.csv", &format!("email\n{rows}")),
        ("stop.csv", "email\np5@x.example\n"),
        ("job.toml", &job_with("[[suppress]]\nname = \"stop\"\nfiles = [\"stop.csv\"]")),
    ]);
    let results = ["1GiB", "64MiB"].map(|memory| {
        let tally = desk.json(&["run", "job.toml", "--replace", "--memory", memory]);
        (tally["all"].clone(), desk.bytes("out.csv"), desk.bytes("fair.receipt/merged.csv"))
    });
    assert_eq!(results[0].0["read"], 900_000);
    assert_eq!(results[0].0["written"], 600_010);
    assert!(results[0] == results[1], "{} and {}", results[0].0, results[1].0);
}
