//! Several commands at the bank at once, and commands that are cut off: nothing is lost, nothing half done.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::shop::{desk, refused, with_keys};
use common::{Desk, Ran};
use serde_json::Value;
use std::process::{Child, Stdio};
use std::time::Duration;

fn start(desk: &Desk, arguments: &[&str]) -> Child {
    let mut command = desk.command(arguments);
    command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap()
}

fn ended(child: Child) -> Ran {
    Ran::of(&child.wait_with_output().unwrap())
}

fn batches(desk: &Desk) -> Vec<Value> {
    desk.json(&["bank", "batches"])["batches"].as_array().unwrap().clone()
}

fn many(number: usize) -> String {
    let rows: String = (0..number).map(|number| format!("somebody{number}@far.example\n")).collect();
    format!("email\n{rows}")
}

#[test]
fn of_two_loads_of_the_same_file_at_once_one_goes_in() {
    let desk = desk();
    desk.done(&["bank", "add", "ann@post.example"]);
    desk.file("no.csv", many(20_000));
    let load = ["bank", "load", "no.csv", "--as", "opted-out", "--yes"];
    let both = [start(&desk, &load), start(&desk, &load)].map(ended);
    let mut statuses = both.each_ref().map(|ran| ran.status);
    statuses.sort_unstable();
    assert_eq!(statuses, [0, 3], "{}{}", both[0].stderr, both[1].stderr);
    let other = both.iter().find(|ran| ran.status == 3).unwrap();
    refused(other, 3, "--again");
    let loaded: Vec<Value> = batches(&desk).into_iter().filter(|batch| batch["what"] == "opted-out").collect();
    assert_eq!((loaded.len(), &loaded[0]["entries"]), (1, &20_000.into()));
}

#[test]
fn what_is_put_in_from_many_sides_at_once_is_all_there() {
    let desk = desk();
    let values: Vec<String> = (0..8).map(|number| format!("person{number}@far.example")).collect();
    let children: Vec<Child> = values.iter().map(|value| start(&desk, &["bank", "add", value])).collect();
    for child in children {
        let ran = ended(child);
        assert_eq!(ran.status, 0, "{}", ran.stderr);
    }
    assert_eq!(desk.json(&["bank", "list"])["count"], 8);
    let numbers: std::collections::BTreeSet<String> =
        batches(&desk).iter().map(|batch| batch["id"].to_string()).collect();
    assert_eq!(numbers.len(), 8, "each has a batch of its own");
}

#[test]
fn runs_and_loads_at_once_leave_what_each_would_leave_alone() {
    let desk = desk();
    desk.done(&["bank", "add", "ann@post.example", "--scope", "larkfold", "--new-scope"]);
    desk.file("no.csv", many(30_000));
    for name in ["spring", "summer", "autumn"] {
        let job = with_keys("scope = \"larkfold\"").replace("\"fair\"", &format!("\"{name}\""));
        desk.file(&format!("{name}.toml"), job.replace("out.csv", &format!("{name}.csv")));
    }
    let children = [
        start(&desk, &["run", "spring.toml"]),
        start(&desk, &["bank", "load", "no.csv", "--as", "opted-out", "--yes"]),
        start(&desk, &["run", "summer.toml"]),
        start(&desk, &["run", "autumn.toml"]),
    ];
    for ran in children.map(ended) {
        assert_eq!(ran.status, 0, "{}", ran.stderr);
    }
    let prepared: Vec<Value> = batches(&desk).into_iter().filter(|batch| batch["what"] == "prepared").collect();
    assert_eq!(prepared.len(), 3);
    for batch in &prepared {
        assert_eq!(batch["entries"], 3, "{batch}");
        let name = batch["job"].as_str().unwrap();
        assert_eq!(desk.sheet(&format!("{name}.csv")).rows.len(), 3);
    }
}

#[test]
fn a_run_that_is_killed_leaves_a_whole_file_or_none_and_a_bank_that_can_be_used() {
    let rows: String = (0..60_000).map(|number| format!("person{number}@far.example,Given{number}\n")).collect();
    let job = with_keys("scope = \"everyone\"") + "[remember]\nopted_out = true\n";
    let desk =
        Desk::with(&[("shop.csv", &format!("email,first_name\nann@post.example,Ann\n{rows}")), ("job.toml", &job)]);
    desk.done(&["bank", "add", "ann@post.example"]);
    let mut killed = 0;
    for milliseconds in [5, 60, 120, 200, 300, 420, 560] {
        let mut child = start(&desk, &["run", "job.toml", "--replace", "--quiet"]);
        std::thread::sleep(Duration::from_millis(milliseconds));
        killed += u32::from(child.try_wait().unwrap().is_none());
        child.kill().unwrap();
        child.wait().unwrap();
        if desk.has("out.csv") {
            assert_eq!(desk.sheet("out.csv").rows.len(), 60_000);
        }
        for batch in batches(&desk).iter().filter(|batch| batch["what"] == "prepared") {
            assert!(batch["entries"] == 60_000 || !batch["undone"].is_null(), "half a batch: {batch}");
        }
        assert_eq!(desk.json(&["bank", "find", "ann@post.example"])["held"], true);
    }
    assert!(killed > 0, "no run was cut off");
    desk.done(&["run", "job.toml", "--replace"]);
    let kept: Vec<Value> = batches(&desk).into_iter().filter(|batch| batch["undone"].is_null()).collect();
    assert_eq!(kept.len(), 2, "what was added, and what the last run prepared: {kept:?}");
    let left: Vec<String> = desk.names().into_iter().filter(|name| name.starts_with('.')).collect();
    assert_eq!(left, [""; 0], "what the killed ones left is cleared away");
}
