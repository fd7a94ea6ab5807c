//! Who is written, merged and held, and with which values, counted a second time the plain way: every rule as one sentence
//! over all rows, without keys, marks or passes. The program must come to the same, whatever the rows are.

#![allow(clippy::unwrap_used)] // a failure is a failed test

#[path = "../common/mod.rs"]
mod common;
mod rules;
mod world;

use common::{Desk, Ran};
use proptest::prelude::*;
use proptest::test_runner::{TestError, TestRunner};
use rules::{COLUMNS, Fate, World};
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::sync::Mutex;
use world::{By, Job, Row, SCOPES, Select, quoted};

/// How many jobs are tried whenever the tests run; the whole proof tries as many as `PEBBLEBANK_JOBS` says.
const JOBS: u32 = 200;

/// How often each fate occurred, so that nothing is proved of what never happens.
static OCCURRED: Mutex<BTreeMap<&str, u64>> = Mutex::new(BTreeMap::new());

/// A source's file; each row with its own number.
fn source(rows: &[(usize, &Row)], splits_names: bool) -> String {
    let names = if splits_names { "First name,Middle name,Last name" } else { "Full name" };
    let mut text = format!(
        "Email,Email 2,Phone,{names},Badge,City,Last seen,Subscription,Keep,Our own number,Joined,Tags,Website,Language,Visits\n"
    );
    for (own, row) in rows {
        let names = if splits_names { row.name.parts().to_vec() } else { vec![row.name.typed()] };
        let keep = if row.is_kept { "yes" } else { "no" };
        let number = format!("row {own:03}");
        let mut cells = vec![row.cell.typed(), row.second.typed(), row.phone.typed()];
        cells.extend(names);
        cells.extend([row.badge.0, row.city.0, row.seen.0, row.status, keep, &number].map(str::to_owned));
        cells.extend(row.values.map(|(typed, _)| typed.to_owned()));
        let cells: Vec<String> = cells.iter().map(|cell| quoted(cell)).collect();
        _ = writeln!(text, "{}", cells.join(","));
    }
    text
}

/// The job file.
fn job_file(job: &Job) -> String {
    let mut text = format!(
        "[job]\nname = \"plain\"\nreceipt = \"r\"\ncountry = \"GB\"\n[person]\nsame = {:?}\nsurvivor = \"{}\"\nfill = {}\n",
        job.same, job.survivor, job.fill
    );
    if uses_bank(job) {
        text = text.replacen("country", "scope = \"larkfold\"\ncountry", 1);
    }
    if let Some(campaign) = job.campaign {
        text = text.replacen("country", &format!("campaign = \"MAILING  {campaign}\"\ncountry"), 1);
    }
    if job.survivor == "newest" {
        text += "newest_by = \"last_seen\"\n";
    }
    text += "[fields]\nVisits = \"number\"\n";
    text += if job.ignores_tags { "[clean]\nidentity = \"ignore-tags\"\n" } else { "" };
    for (place, (_, splits_names)) in job.sources.iter().enumerate() {
        let names = if *splits_names {
            "first_name = \"First name\", middle_name = \"Middle name\", last_name = \"Last name\""
        } else {
            "full_name = \"Full name\""
        };
        _ = write!(
            text,
            "[[source]]\nname = \"s{place}\"\nfiles = [\"s{place}.csv\"]\ncolumns = {{ email = [\"Email\", \"Email 2\"], phone = \"Phone\", \
             city = \"City\", last_seen = \"Last seen\", consent = \"Subscription\", signed_up = \"Joined\", tags = \"Tags\", website = \"Website\", language = \"Language\", {names} }}\n{}",
            if job.leaves_out { "where = 'Keep is not no'\n" } else { "" }
        );
    }
    text += "[[list]]\nname = \"walks\"\nfiles = [\"walks.csv\"]\n";
    for (place, list) in job.lists.iter().enumerate() {
        let by = match list.by {
            By::Address => "",
            By::Phone => "by = \"phone\"\n",
            By::Name => "by = \"full_name\"\n",
            By::NameParts => "by = \"first_name + last_name\"\n",
            By::Badge => "by = \"Badge\"\n",
        };
        let reason = list.reason;
        _ = write!(text, "[[suppress]]\nname = \"l{place}\"\nfiles = [\"l{place}.csv\"]\nreason = \"{reason}\"\n{by}");
    }
    if let Some(address) = job.allow {
        _ = write!(text, "[[allow]]\naddresses = [{:?}]\nwhy = \"asked\"\n", address.written());
    }
    if !job.sent.is_empty() {
        _ = write!(text, "[limits]\nat_most = {}\nper_days = 7\n", job.at_most);
    }
    text += if job.needs_city { "[require]\nfields = [\"email\", \"city\"]\n" } else { "" };
    let condition = match job.select {
        Select::All => "",
        Select::OnWalks => "in walks",
        Select::NotOnWalks => "not in walks",
        Select::BadgeFilled => "Badge is filled",
        Select::BadgeIsNone => "Badge is none",
        Select::BadgeIsNot1 => "Badge is not B1",
    };
    if !condition.is_empty() {
        _ = write!(text, "[select]\nwhere = '{condition}'\n");
    }
    text += "[guard]\nwrite_at_least = 0\naccept = { holds-most = 9999, none-usable = 9999, unread-entries = 9999 }\n";
    text += "[[write]]\nfile = \"out.csv\"\nlayout = \"plain\"\n[layout.plain]\ncolumns = [\n";
    let filled = |name: &str| job.fill && name == "name";
    for (name, from) in std::iter::once(("number", "Our own number")).chain(COLUMNS) {
        if filled(name) {
            _ = writeln!(text, "  {{ name = \"name\", constant = \"\" }},");
            continue;
        }
        _ = writeln!(text, "  {{ name = \"{name}\", from = \"{from}\" }},");
    }
    text + "]\n"
}

fn uses_bank(job: &Job) -> bool {
    !job.bank.is_empty() || !job.sent.is_empty()
}

/// Runs the job.
fn run(desk: &Desk, job: &Job, more: &[&str]) -> Ran {
    let new_scope: &[&str] = if uses_bank(job) { &["--new-scope"] } else { &[] };
    desk.run(&[&["run", "job.toml"], new_scope, more].concat())
}

/// Lays everything out that the job needs.
fn desk(job: &Job) -> Desk {
    let desk = Desk::new();
    let mut numbers = 0..;
    for (place, (rows, splits_names)) in job.sources.iter().enumerate() {
        let rows: Vec<(usize, &Row)> = (&mut numbers).zip(rows).collect();
        desk.file(&format!("s{place}.csv"), source(&rows, *splits_names));
    }
    let lines =
        |all: &[world::Address]| all.iter().map(|one| format!("{}\n", quoted(&one.spelled()))).collect::<String>();
    desk.file("walks.csv", format!("email\n{}", lines(&job.walks)));
    for (place, list) in job.lists.iter().enumerate() {
        desk.file(&format!("l{place}.csv"), list.file());
    }
    for (place, (address, scope)) in job.bank.iter().enumerate() {
        let file = format!("bank{place}.csv");
        desk.file(&file, format!("email\n{}", lines(&[*address])));
        let scope = SCOPES[*scope as usize];
        desk.done(&["bank", "load", &file, "--as", "opted-out", "--scope", scope, "--new-scope", "--yes", "--again"]);
    }
    for (place, mailing) in job.sent.iter().enumerate() {
        let (file, campaign) = (format!("sent{place}.csv"), format!("mailing {}", mailing.campaign));
        desk.file(&file, format!("email\n{}", lines(&mailing.addresses)));
        let scope = SCOPES[mailing.scope as usize];
        let load = ["bank", "load", &file, "--as", "sent", "--campaign", &campaign, "--scope", scope, "--new-scope"];
        desk.done(&[&load[..], &["--yes", "--again"]].concat());
    }
    desk.file("job.toml", job_file(job));
    desk
}

/// Lays the sources and the job file out anew, everything in the opposite order.
fn turn_round(desk: &Desk, job: &Job) {
    let mut numbers = 0..;
    let mut turned = Job { lists: job.lists.iter().rev().cloned().collect(), ..job.clone() };
    turned.same.reverse();
    turned.sources.reverse();
    let mut files: Vec<(Vec<(usize, &Row)>, bool)> =
        job.sources.iter().map(|(rows, splits)| ((&mut numbers).zip(rows).collect(), *splits)).collect();
    files.reverse();
    for (place, (rows, splits_names)) in files.iter_mut().enumerate() {
        rows.reverse();
        desk.file(&format!("s{place}.csv"), source(rows, *splits_names));
    }
    for (place, list) in turned.lists.iter_mut().enumerate() {
        list.entries.reverse();
        desk.file(&format!("l{place}.csv"), list.file());
    }
    desk.file("job.toml", job_file(&turned));
}

/// The numbers of the rows whose person must not be contacted.
fn suppressed(desk: &Desk) -> BTreeSet<String> {
    let refusals =
        ["complained", "opted-out", "no-consent", "do-not-contact", "already-sent", "too-often", "on-other-list"];
    let aside = desk.sheet("r/set-aside.csv");
    let columns = ["Our own number", "pebblebank_reason", "pebblebank_file", "pebblebank_row"];
    let held: Vec<[&str; 4]> =
        aside.columns(columns).into_iter().filter(|[_, reason, ..]| refusals.contains(reason)).collect();
    let mut all: BTreeSet<String> = held.iter().map(|[own, ..]| (*own).to_owned()).collect();
    let merged = desk.sheet("r/merged.csv");
    let columns = ["Our own number", "pebblebank_survivor_file", "pebblebank_survivor_row"];
    for [own, file, row] in merged.columns(columns) {
        if held.iter().any(|[.., other_file, other_row]| (*other_file, *other_row) == (file, row)) {
            all.insert(own.to_owned());
        }
    }
    all
}

/// What the program says becomes of each row.
fn fates_by_program(desk: &Desk, rows: usize) -> Vec<Fate> {
    let mut fates: BTreeMap<usize, Fate> = BTreeMap::new();
    let mut add = |own: &str, fate| {
        let number = own.trim_start_matches("row ").parse::<usize>().unwrap();
        assert!(fates.insert(number, fate).is_none(), "row {number} has two fates");
    };
    for row in desk.sheet("out.csv").rows {
        add(&row[0], Fate::Written(row[1..].to_vec()));
    }
    for [own, reason] in desk.sheet("r/set-aside.csv").columns(["Our own number", "pebblebank_reason"]) {
        add(own, Fate::SetAside(Box::leak(reason.to_owned().into_boxed_str())));
    }
    for [own, key] in desk.sheet("r/merged.csv").columns(["Our own number", "pebblebank_key"]) {
        add(own, Fate::Merged(key.to_owned()));
    }
    assert_eq!(fates.len(), rows, "each row has one fate");
    fates.into_values().collect()
}

fn holds_for(job: &Job) -> Result<(), TestCaseError> {
    let desk = desk(job);
    let ran = run(&desk, job, &[]);
    prop_assert_eq!(ran.status, 0, "{}{}\n{}\n{}", ran.stdout, ran.stderr, job_file(job), files(&desk));
    let meant = World::of(job).fates();
    let found = fates_by_program(&desk, meant.len());
    for fate in &meant {
        let name = match fate {
            Fate::Written(_) => "written",
            Fate::Merged(_) => "merged",
            Fate::SetAside(reason) => reason,
        };
        *OCCURRED.lock().unwrap().entry(name).or_default() += 1;
    }
    for (row, (meant, found)) in meant.iter().zip(&found).enumerate() {
        prop_assert_eq!(found, meant, "row {} of\n{}\n{}", row, job_file(job), files(&desk));
    }
    Ok(())
}

/// The files of a job that came out otherwise.
fn files(desk: &Desk) -> String {
    let is_shown = |name: &String| name.as_str() != "out.csv" && name.split('.').next_back() == Some("csv");
    let names = desk.names().into_iter().filter(is_shown);
    names.map(|name| format!("{name}:\n{}", desk.text(&name))).collect()
}

fn try_jobs(jobs: u32) {
    let mut runner = TestRunner::new(ProptestConfig {
        cases: jobs,
        max_shrink_iters: 800,
        failure_persistence: None,
        ..ProptestConfig::default()
    });
    match runner.run(&world::job(), |job| holds_for(&job)) {
        Ok(()) => {}
        // The reason shows the files; the values that they were made from say no more.
        Err(TestError::Fail(reason, _)) => panic!("{reason}"),
        Err(error) => panic!("{error}"),
    }
}

#[test]
fn the_program_comes_to_what_the_rules_say_in_plain_words() {
    try_jobs(JOBS);
}

#[test]
fn the_order_of_rows_sources_lists_and_keys_never_changes_who_is_suppressed() {
    const TRIED: u32 = 60;
    let mut runner =
        TestRunner::new(ProptestConfig { cases: TRIED, failure_persistence: None, ..ProptestConfig::default() });
    let tried = runner.run(&world::job(), |job| {
        // A bounce concerns the address that would be written, which the order may decide.
        let lists = job.lists.iter().filter(|list| list.reason != "bounced").cloned().collect();
        let mut job = Job { lists, ..job };
        for row in job.sources.iter_mut().flat_map(|(rows, _)| rows) {
            row.status = if row.status == "bounced" { "" } else { row.status };
        }
        let desk = desk(&job);
        prop_assert_eq!(run(&desk, &job, &[]).status, 0);
        let first = suppressed(&desk);
        turn_round(&desk, &job);
        let again = run(&desk, &job, &["--replace", "--accept", "matches-nobody", "--accept", "shrunk"]);
        prop_assert_eq!(again.status, 0, "{}{}", again.stdout, again.stderr);
        prop_assert_eq!(suppressed(&desk), first, "{}\n{}", job_file(&job), files(&desk));
        Ok(())
    });
    match tried {
        Err(TestError::Fail(reason, _)) => panic!("{reason}"),
        other => other.unwrap(),
    }
}

/// The whole proof: `cargo test -p pebblebank --test plain_account -- --ignored`.
#[test]
#[ignore = "takes minutes; for changes to who is who and who is held"]
fn ten_thousand_jobs() {
    const ALL: u32 = 10_000;
    let half = std::env::var("PEBBLEBANK_JOBS").ok().and_then(|jobs| jobs.parse().ok()).unwrap_or(ALL) / 2;
    let other = std::thread::spawn(move || try_jobs(half));
    try_jobs(half);
    other.join().unwrap();
    let occurred = OCCURRED.lock().unwrap();
    eprintln!("{occurred:#?}");
    for reason in rules::REASONS {
        assert!(occurred.contains_key(reason), "no job of all had a row that was set aside as {reason}");
    }
}
