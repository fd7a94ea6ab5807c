//! The documentation says of the program what is so: options, keys of job files, keys of documents, codes, reasons.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use serde_json::Value;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

fn project() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn text(name: &str) -> String {
    std::fs::read_to_string(project().join(name)).unwrap()
}

/// The pages for users, by name.
fn pages() -> Vec<(String, String)> {
    let docs = std::fs::read_dir(project().join("docs")).unwrap().map(|entry| entry.unwrap().path());
    let pages = docs.filter(|path| path.extension().is_some_and(|ending| ending == "md"));
    let names = pages.map(|path| format!("docs/{}", path.file_name().unwrap().to_string_lossy()));
    names.chain(["README.md".to_owned()]).map(|name| (name.clone(), text(&name))).collect()
}

/// The `--options` that a text names.
fn options(text: &str) -> BTreeSet<String> {
    let is_part = |sign: char| sign.is_ascii_lowercase() || sign == '-';
    let named = text.match_indices("--").filter(|(at, _)| {
        let before = text[..*at].chars().next_back();
        before.is_none_or(|sign| !sign.is_alphanumeric() && !"-|`".contains(sign) || sign == '`')
    });
    let named = named.map(|(at, _)| text[at..].chars().take_while(|sign| is_part(*sign)).collect::<String>());
    named.map(|name| name.trim_end_matches('-').to_owned()).filter(|name| name.len() > 2).collect()
}

/// What every command says of itself.
fn all_help() -> String {
    let desk = Desk::new();
    let help = |arguments: &[&str]| desk.done(&[arguments, &["--help"]].concat()).stdout;
    let commands = |help: &str| -> Vec<String> {
        let lines = help.lines().skip_while(|line| *line != "Commands:").skip(1);
        let lines = lines.take_while(|line| line.starts_with("  ")).filter(|line| !line.starts_with("   "));
        lines.filter_map(|line| line.split_whitespace().next()).map(str::to_owned).collect()
    };
    let top = help(&[]);
    let mut all = top.clone();
    for command in commands(&top) {
        let own = help(&[&command]);
        for inner in commands(&own) {
            all += &help(&[&command, &inner]);
        }
        all += &own;
    }
    all
}

#[test]
fn every_option_that_a_page_names_is_there() {
    // Those of other programs that the pages name.
    let others = ["--release", "--workspace", "--path"];
    let known = options(&all_help());
    for (name, page) in pages() {
        let unknown: Vec<String> = options(&page)
            .into_iter()
            .filter(|option| !known.contains(option) && !others.contains(&option.as_str()))
            .collect();
        assert_eq!(unknown, [""; 0], "{name}");
    }
}

#[test]
fn every_option_is_explained() {
    let help = all_help();
    let mut lines = help.lines().peekable();
    while let Some(line) = lines.next() {
        let option = line.trim_start();
        if option.starts_with("--") && line.starts_with("      --") {
            let next = lines.peek().copied().unwrap_or_default();
            assert!(next.starts_with("          ") && !next.trim().is_empty(), "{option} is not explained");
        }
    }
}

/// The sections of the page about job files that are tables of keys, with their keys.
fn documented_keys() -> Vec<(String, Vec<String>)> {
    let page = text("docs/job-file.md");
    let mut sections: Vec<(String, Vec<String>)> = Vec::new();
    let mut is_of_keys = false;
    for line in page.lines() {
        if line.starts_with("| ") && !line.starts_with("| `") {
            is_of_keys = line.starts_with("| key |");
        }
        if let Some(title) = line.strip_prefix("## `") {
            sections.push((title.split('`').next().unwrap().to_owned(), Vec::new()));
        } else if line == "A column:" {
            sections.push(("[column]".to_owned(), Vec::new()));
        } else if let (true, Some(row), Some((_, keys))) = (is_of_keys, line.strip_prefix("| `"), sections.last_mut()) {
            let cell = row.split(" |").next().unwrap();
            keys.extend(cell.split("`, `").map(|key| key.trim_end_matches('`').to_owned()));
        }
    }
    sections
}

#[test]
fn every_key_of_a_job_file_that_the_page_explains_is_known() {
    let desk = Desk::with(&[("shop.csv", "email\nida@post.example\n")]);
    let mut asked = 0;
    for (section, keys) in documented_keys() {
        let is_table = section.starts_with('[') && !section.contains("fields");
        for key in
            keys.iter().filter(|key| is_table && key.bytes().all(|byte| byte.is_ascii_lowercase() || byte == b'_'))
        {
            let header = section.replace("NAME", "newsletter");
            let value = format!("{key} = {{ is = \"of no such kind\" }}");
            // Of what is wrong with the job, an unknown key is said first.
            let wrong = match header.as_str() {
                "[column]" => format!("[layout.newsletter]\ncolumns = [{{ {value} }}]\n"),
                header => format!("{header}\n{value}\n"),
            };
            desk.file("job.toml", format!("{}\n{wrong}", job_without(&header)));
            let ran = desk.run(&["run", "job.toml"]);
            assert!(!ran.stderr.contains("unknown key"), "{section} {key}\n{}", ran.stderr);
            asked += 1;
        }
    }
    assert!(asked > 60, "only {asked} keys were found on the page");
}

/// A job that lacks the section.
fn job_without(header: &str) -> String {
    let job = job_with("");
    let inner = header.trim_matches(['[', ']']);
    let start = job.find(&format!("[{inner}]"));
    match (header, start) {
        ("[job]", Some(_)) => job.split_once("\n\n").unwrap().1.to_owned(),
        _ => job,
    }
}

/// All keys of a document, wherever they stand; but for words and names that stand as keys with their counts.
fn keys_of(document: &Value, found: &mut BTreeSet<String>) {
    const COUNTED: [&str; 6] = ["fields", "filled", "set_aside_by_reason", "consent", "repairs", "suggestions"];
    match document {
        Value::Object(object) => {
            for (key, value) in object {
                found.insert(key.clone());
                if !(COUNTED.contains(&key.as_str()) && value.is_object()) {
                    keys_of(value, found);
                }
            }
        }
        Value::Array(values) => values.iter().for_each(|value| keys_of(value, found)),
        _ => {}
    }
}

#[test]
fn every_key_of_the_documents_is_explained() {
    let desk = Desk::with(&[
        (
            "shop.csv",
            "email,first_name,Status\nIda@post.example,Ida,subscribed\nida@post.example,,\n,Nobody,\nbenjamin@post.example,Ben,\n",
        ),
        ("no.csv", "email\nbenjamim@post.example\nx@far.example\n"),
        (
            "job.toml",
            &job_with(
                "[[suppress]]\nname = \"no\"\nfiles = [\"no.csv\"]\n[[allow]]\naddresses = [\"ida@post.example\"]\nwhy = \"she asked\"\n[person]\nfill = true\n",
            ),
        ),
    ]);
    let page = text("docs/json.md");
    let documents = [
        &["survey", "shop.csv", "--domains"][..],
        &["bank", "add", "zoe@far.example", "hotel.example", "--note", "rang"],
        &["run", "job.toml"],
        &["why", "benjamin@post.example"],
        &["why", "Ida"],
        &["run", "job.toml", "--replace"],
        &["changes", "fair.receipt", "-o", "changes"],
        &["bank"],
        &["bank", "find", "zoe@far.example"],
        &["bank", "find", "cy@hotel.example"],
        &["bank", "load", "no.csv", "--as", "opted-out", "--yes"],
        &["bank", "batches"],
        &["bank", "history"],
        &["bank", "list"],
        &["bank", "undo", "1"],
        &["bank", "remove", "x@far.example", "--note", "came back"],
        &["bank", "forget", "zoe@far.example", "--yes"],
        &["bank", "export", "all.csv"],
        &["bank", "backup", "copy.sqlite"],
        &["suppress", "shop.csv", "--against", "no.csv", "-o", "clear.csv"],
        &["compare", "shop.csv", "no.csv"],
        &["split", "shop.csv", "--rows-per-file", "2", "-o", "parts"],
        &["preflight", "out.csv", "--without-bank"],
        &["top-up", "shop.csv", "--from", "no.csv", "-o", "more.csv"],
    ];
    for arguments in documents {
        let document = desk.json(arguments);
        let schema = document["schema"].as_str().unwrap();
        let short = schema.trim_start_matches("pebblebank/");
        assert!(page.contains(schema) || page.contains(&format!("`{short}`")), "{schema} is not explained");
        let mut keys = BTreeSet::new();
        keys_of(&document, &mut keys);
        let missing: Vec<&String> =
            keys.iter().filter(|key| *key != "schema" && !page.contains(&format!("`{key}`"))).collect();
        assert!(missing.is_empty(), "{schema}: {missing:?}");
    }
}

#[test]
fn every_reason_is_explained_and_every_picture_is_there_and_shown() {
    let rules = text("docs/rules.md");
    for reason in pebblebank_core::suppress::reason::Reason::ALL {
        let name = reason.name();
        assert!(rules.contains(&format!("`{name}`")), "{name}");
    }
    let readme = text("README.md");
    let pictures = std::fs::read_dir(project().join("docs/screenshots")).unwrap();
    let pictures: Vec<String> =
        pictures.map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned()).collect();
    assert!(pictures.len() < 20);
    for name in &pictures {
        assert!(readme.contains(&format!("docs/screenshots/{name}")), "{name} is not shown");
    }
    for (page, text) in pages() {
        for (at, _) in text.match_indices("](") {
            let target: String = text[at + 2..].chars().take_while(|sign| !")#".contains(*sign)).collect();
            let folder = project().join(&page).parent().unwrap().to_path_buf();
            let is_elsewhere = target.is_empty() || target.starts_with("http");
            assert!(is_elsewhere || folder.join(&target).exists(), "{page} leads to {target}, which is not there");
        }
    }
}

#[test]
fn shells_complete_fields_and_reasons_and_every_command_has_a_man_page() {
    let desk = Desk::new();
    for shell in ["bash", "zsh", "fish", "powershell", "elvish"] {
        let script = desk.done(&["completions", shell]).stdout;
        for word in ["top-up", "without-bank", "do-not-contact", "signed_up", "recipient-line"] {
            assert!(script.contains(word), "{shell}: {word}");
        }
    }
    desk.done(&["man", "man"]);
    let help = desk.done(&["--help"]).stdout;
    let commands =
        help.lines().skip_while(|line| *line != "Commands:").skip(1).take_while(|line| line.starts_with("  "));
    let commands: Vec<&str> = commands
        .filter(|line| !line.starts_with("   "))
        .filter_map(|line| line.split_whitespace().next())
        .filter(|name| *name != "help")
        .collect();
    assert!(commands.len() > 15);
    for command in commands {
        let page = desk.text(&format!("man/pebblebank-{command}.1"));
        assert!(page.contains(".TH") && page.contains("With the demo") || page.contains(".SH OPTIONS"), "{command}");
    }
    assert!(desk.has("man/pebblebank.1") && desk.has("man/pebblebank-bank-load.1"));
}
