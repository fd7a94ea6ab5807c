//! `pebblebank schema`: JSON Schemas of job files and documents. Every document that any test asks for is checked against its
//! schema ([`common::Desk::json`]); here are those of files, and job files.

#![allow(clippy::unwrap_used)] // a failure here is a failed test

mod common;

use common::Desk;
use common::json_schema::{check, faults, schema};
use rstest::rstest;
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::path::Path;

fn project() -> &'static Path {
    Path::new(env!("CARGO_MANIFEST_DIR")).ancestors().nth(2).unwrap()
}

fn job_faults(text: &str) -> Vec<String> {
    faults(&schema("job"), &toml::from_str::<Value>(text).unwrap())
}

#[test]
fn the_documents_of_a_receipt_are_as_their_schemas_say() {
    let desk = Desk::with(&[("shop.csv", "email\nida@post.example\nx\n"), ("job.toml", &common::job_with(""))]);
    desk.done(&["run", "job.toml"]);
    for name in ["tally.json", "guards.json", "inputs.json", "receipt.json", "run.json"] {
        check(&serde_json::from_slice(&desk.bytes(&format!("fair.receipt/{name}"))).unwrap());
    }
}

#[test]
fn an_error_and_a_stopped_run_are_as_their_schemas_say() {
    let guard = common::job_with("[guard]\nwrite_at_least = 9\naccept = { stale = 1 }\n")
        .replace("[guard]\nwrite_at_least = 0\n", "");
    let desk = Desk::with(&[("shop.csv", "email\nida@post.example\n"), ("job.toml", &guard)]);
    let of = |arguments: &[&str]| serde_json::from_str::<Value>(&desk.run(arguments).stdout).unwrap();
    check(&of(&["run", "job.toml", "--json"]));
    check(&of(&["run", "other.toml", "--json"]));
    check(&of(&["run", "--jsn", "--json"]));
    let guards: Value = serde_json::from_slice(&desk.bytes("fair.receipt.stopped/guards.json")).unwrap();
    check(&guards);
    assert_eq!(guards["tripped"][0]["guard"], "write-at-least");
}

#[test]
fn job_files_of_the_demo_and_proposed_ones_fit_their_schema() {
    for file in ["spring-fair.toml", "season-opening.toml"] {
        let text = std::fs::read_to_string(project().join("demo/src").join(file)).unwrap();
        assert_eq!(job_faults(&text), Vec::<String>::new(), "{file}");
    }
    let desk = Desk::with(&[
        ("shop.csv", "email,first_name\nida@post.example,Ida\n"),
        ("opted-out.csv", "email\nhugo@post.example\n"),
    ]);
    desk.done(&["propose", "shop.csv", "opted-out.csv", "-o", "job.toml"]);
    let text = desk.text("job.toml");
    assert_eq!(text.lines().next(), Some("#:schema pebblebank-job.schema.json"));
    assert_eq!(job_faults(&text), Vec::<String>::new());
    desk.done(&["run", "job.toml", "--dry-run"]);
}

#[rstest]
#[case::an_unknown_key("[job]\nname = \"x\"\nscop = \"a\"\n", "scop")]
#[case::an_unknown_reason("[job]\nname = \"x\"\n[[suppress]]\nname = \"no\"\nreason = \"gone\"\n", "gone")]
#[case::an_unknown_survivor("[job]\nname = \"x\"\n[person]\nsurvivor = \"best\"\n", "best")]
#[case::a_guard_that_there_is_not("[job]\nname = \"x\"\n[guard]\naccept = { nothing = 1 }\n", "nothing")]
#[case::no_name("[job]\n", "name is missing")]
#[case::a_number_for_a_text("[job]\nname = 3\n", "3 is not")]
fn a_job_file_that_a_run_refuses_does_not_fit_its_schema(#[case] text: &str, #[case] says: &str) {
    let desk = Desk::with(&[("job.toml", text)]);
    assert_ne!(desk.run(&["run", "job.toml", "--dry-run"]).status, 0);
    let found = job_faults(text);
    assert!(found.iter().any(|fault| fault.contains(says)), "{found:?}");
}

/// The names of all keys that the schema has for objects with fixed keys.
fn keys_of(schema: &Value, keys: &mut BTreeSet<String>) {
    if let Some(properties) = schema["properties"].as_object() {
        keys.extend(properties.keys().cloned());
    }
    match schema {
        Value::Object(parts) => parts.values().for_each(|part| keys_of(part, keys)),
        Value::Array(parts) => parts.iter().for_each(|part| keys_of(part, keys)),
        _ => {}
    }
}

#[test]
fn every_key_of_the_job_schema_is_explained_in_the_docs() {
    let page = std::fs::read_to_string(project().join("docs/job-file.md")).unwrap();
    let mut keys = BTreeSet::new();
    keys_of(&schema("job"), &mut keys);
    let missing: Vec<&String> = keys.iter().filter(|key| !page.contains(key.as_str())).collect();
    assert!(missing.is_empty() && keys.len() > 100, "{missing:?}");
}

#[test]
fn a_schema_is_written_and_one_that_there_is_not_is_an_error() {
    let desk = Desk::new();
    desk.done(&["schema", "job", "-o", "pebblebank-job.schema.json"]);
    let written: Value = serde_json::from_slice(&desk.bytes("pebblebank-job.schema.json")).unwrap();
    assert_eq!(written["title"], json!("pebblebank/job/1"));
    assert_eq!(written["$schema"], json!("https://json-schema.org/draft/2020-12/schema"));
    let again = desk.run(&["schema", "job", "-o", "pebblebank-job.schema.json"]);
    assert!(again.status == 1 && again.stderr.contains("--replace"), "{}", again.stderr);
    let unknown = desk.run(&["schema", "taly"]);
    assert!(unknown.status == 2 && unknown.stderr.contains("did you mean tally?"), "{}", unknown.stderr);
    let listed = desk.done(&["schema"]).stdout;
    for name in listed.lines().filter_map(|line| line.strip_prefix("  ")) {
        assert!(schema(name)["title"].as_str().unwrap().contains(name), "{name}");
    }
}

#[test]
fn the_log_says_what_the_stages_did_and_no_address() {
    let list = "[[suppress]]\nname = \"no\"\nfiles = [\"of-hugo@post.example.csv\"]\n";
    let desk = Desk::with(&[
        ("shop.csv", "email,name\nida@post.example,Ida\nhugo@post.example,Hugo\nbo@far.example,Bo\n"),
        ("of-hugo@post.example.csv", "email\nhugo@post.example\n"),
        ("job.toml", &common::job_with(list)),
    ]);
    let ran = desk.done(&["run", "job.toml", "--verbose"]);
    let log = desk.text("fair.receipt/log.jsonl");
    let lines: Vec<Value> = log.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let what: Vec<&str> = lines.iter().filter_map(|line| line["what"].as_str()).collect();
    assert_eq!(what.first(), Some(&"files opened"));
    assert!(what.contains(&"file read") && what.last() == Some(&"account balances"), "{what:?}");
    assert!(lines.iter().any(|line| line["rows"] == 3) && lines.iter().any(|line| line["written"] == 2), "{log}");
    for text in [&log, &ran.stderr] {
        assert!(["ida@", "hugo@", "bo@"].iter().all(|address| !text.contains(address)), "{text}");
    }
    assert!(ran.stderr.contains("account balances"), "--verbose says it on stderr: {}", ran.stderr);
}
