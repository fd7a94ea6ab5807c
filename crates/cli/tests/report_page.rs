//! The page of a run: what it shows, what it keeps to itself, and how it looks in a browser.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Desk, job_with};
use std::process::Command;

const FAIR: &str = "pebblebank-demo/out/spring-fair-invitation.receipt";
const PAGE: &str = "pebblebank-demo/out/spring-fair-invitation.html";

fn demo() -> Desk {
    let desk = Desk::new();
    desk.done(&["demo"]);
    desk
}

/// Texts between tags, as a reader sees them.
fn visible(page: &str) -> String {
    let body = page.split_once("<body>").unwrap().1.replace("&#x2f;", "/");
    let texts = body.split('<').filter_map(|part| part.split_once('>')).map(|(_, text)| text.trim());
    texts.filter(|text| !text.is_empty()).collect::<Vec<_>>().join(" | ")
}

#[test]
fn the_page_of_the_demo_has_its_numbers_and_a_table_behind_the_picture() {
    let desk = demo();
    let page = desk.text(PAGE);
    let seen = visible(&page);
    for words in [
        "Spring fair invitation",
        "1,192 of 3,005 contacts were written to out/spring-fair.csv.",
        "1,340 | merged into another row of the same person | (45 %) | merged.csv",
        "email | 1,340",
        "3,005 rows were read, and each of them is in exactly one of these numbers.",
        "opted-out | 99 | opted out, in a source or on a list",
        "plant shop | 837 | 590 | 48 | 199",
        "all of it: set-aside.csv",
        "pairs of rows may be the same person",
        "postbox.example | ",
    ] {
        assert!(seen.contains(words), "{words}\n{seen}");
    }
    let (before, after) = page.split_once("</svg>").unwrap();
    assert!(before.contains("role=\"img\" aria-label=\"") && after.trim_start().starts_with("<figcaption>"));
    assert!(after.contains("The numbers of this picture</summary>"));
    // Every table has a caption and headings that say what they head.
    let tables = page.matches("<table>").count();
    assert!(tables > 8 && page.matches("<caption>").count() == tables);
    assert!(!page.contains("<th>"), "a heading without a scope");
    // Every table says which file of the receipt has all of it, and can be scrolled by keys.
    assert_eq!(page.matches("<span class=\"file\">all of it: ").count(), tables);
    assert_eq!(page.matches("class=\"scroll\" role=\"region\" aria-label=\"").count(), tables);
    // Every number at the top leads to its part of the page.
    let links: Vec<&str> = page.split("<a href=\"#").skip(1).filter_map(|rest| rest.split('"').next()).collect();
    assert!(links.len() == 3 && links.iter().all(|part| page.contains(&format!("id=\"{part}\""))), "{links:?}");
}

#[test]
fn nothing_is_loaded_and_no_address_is_shown_unless_asked_for() {
    let desk = demo();
    let page = desk.text(PAGE);
    for foreign in ["http:", "https:", "src=", "<script", "@import", "url("] {
        assert!(!page.contains(foreign), "{foreign}");
    }
    let written = desk.text(&format!("{FAIR}/written.csv"));
    let set_aside = desk.sheet(&format!("{FAIR}/set-aside.csv"));
    let people: Vec<&str> = written.lines().skip(1).chain(set_aside.column("email")).map(str::trim).collect();
    let is_shown = |page: &str, address: &&&str| address.contains('@') && page.contains(**address);
    let shown: Vec<&&str> = people.iter().filter(|address| is_shown(&page, address)).collect();
    assert!(shown.is_empty(), "{shown:?}");
    desk.done(&["report", FAIR, "-o", "whole.html", "--show-addresses"]);
    let whole = desk.text("whole.html");
    assert!(people.iter().filter(|address| is_shown(&whole, address)).count() > 3);
}

#[test]
fn the_same_receipt_gives_the_same_bytes_and_a_page_is_replaced_only_on_demand() {
    let desk = demo();
    desk.done(&["report", FAIR, "-o", "again.html"]);
    assert_eq!(desk.text("again.html"), desk.text(PAGE));
    let ran = desk.run(&["report", FAIR]);
    assert!(ran.status == 1 && ran.stderr.contains("--replace"), "{}", ran.stderr);
    desk.done(&["report", FAIR, "--replace"]);
}

#[test]
fn names_from_files_are_text_and_never_tags() {
    let job = job_with("").replace("\"fair\"", "\"<b>fair</b> & co\"").replace("name = \"shop\"", "name = \"<i>shop\"");
    let desk = Desk::with(&[("shop.csv", "email\nida@<u>.example\nida@post.example\n"), ("job.toml", &job)]);
    desk.done(&["run", "job.toml", "--receipt", "fair.receipt", "--report"]);
    let page = desk.text("fair.html");
    for tag in ["<b>fair", "<i>shop", "<u>"] {
        assert!(!page.contains(tag), "{tag}");
    }
    assert!(page.contains("&lt;b&gt;fair&lt;&#x2f;b&gt; &amp; co"), "{page}");
}

#[test]
fn a_run_writes_its_page_at_once_and_shows_what_changed() {
    let desk = Desk::with(&[("shop.csv", "email\nida@post.example\nwren@post.example\n"), ("job.toml", &job_with(""))]);
    let ran = desk.done(&["run", "job.toml", "--report"]);
    assert!(ran.stdout.contains("The same as a page: fair.html"), "{}", ran.stdout);
    desk.file("shop.csv", "email\nida@post.example\nhugo@post.example\nada@post.example\n");
    let refused = desk.run(&["run", "job.toml", "--report"]);
    assert!(refused.status == 1 && refused.stderr.contains("--replace"), "{}", refused.stderr);
    desk.done(&["run", "job.toml", "--replace", "--report"]);
    let seen = visible(&desk.text("fair.html"));
    assert!(seen.contains("2 people are new") && seen.contains("1 person is gone"), "{seen}");
}

#[test]
fn a_run_without_the_bank_says_so_on_its_page() {
    let desk = Desk::with(&[("shop.csv", "email\nida@post.example\n"), ("job.toml", &job_with(""))]);
    desk.done(&["bank", "add", "ida@post.example", "--as", "opted-out"]);
    desk.done(&["run", "job.toml", "--report", "--without-bank"]);
    let seen = visible(&desk.text("fair.html"));
    assert!(seen.contains("This run went without the bank"), "{seen}");
    let told = desk.done(&["why", "ida@post.example"]).stdout;
    assert!(told.contains("This run went without the bank"), "{told}");
}

/// Where Chromium is installed, the page is opened at several widths: nothing is wider than the window.
#[test]
fn in_a_browser_nothing_overflows_and_nothing_is_requested() {
    let browser = ["chromium", "chromium-browser"].into_iter();
    let Some(browser) = browser
        .into_iter()
        .find(|name| Command::new(name).arg("--version").output().is_ok_and(|ran| ran.status.success()))
    else {
        return;
    };
    let desk = demo();
    let frames: String =
        [1280, 390].map(|width| format!("<iframe width={width} height=800 src=\"{PAGE}\"></iframe>")).concat();
    let script = "onload=()=>{document.title=[...document.querySelectorAll('iframe')].map(frame=>{const page=frame.contentDocument.documentElement;\
        return page.scrollWidth<=page.clientWidth&&page.querySelectorAll('svg').length==1}).join()+','+\
        [...document.querySelectorAll('iframe')].map(frame=>frame.contentWindow.performance.getEntriesByType('resource').length).join()}";
    desk.file("frames.html", format!("<!doctype html><title>?</title>{frames}<script>{script}</script>"));
    let profile = tempfile::tempdir().unwrap();
    let ran = Command::new(browser)
        .args([
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--allow-file-access-from-files",
            "--virtual-time-budget=3000",
        ])
        .arg(format!("--user-data-dir={}", profile.path().display()))
        .args(["--dump-dom", &format!("file://{}", desk.path("frames.html").display())])
        .output()
        .unwrap();
    let page = String::from_utf8_lossy(&ran.stdout);
    assert!(page.contains("<title>true,true,0,0</title>"), "{}", &page[..page.len().min(300)]);
}

#[test]
fn the_page_of_a_stopped_run_says_that_nobody_was_written() {
    let shop = "email\nida@post.example\nwren@post.example\n";
    let desk = Desk::with(&[("shop.csv", shop), ("job.toml", &job_with("[guard]\nwrite_at_least = 0\n"))]);
    desk.done(&["run", "job.toml"]);
    desk.file("job.toml", job_with("[guard]\nwrite_at_least = 9\n"));
    assert_eq!(desk.run(&["run", "job.toml", "--replace"]).status, 3);
    desk.done(&["report", "fair.receipt.stopped", "-o", "stopped.html"]);
    let seen = visible(&desk.text("stopped.html"));
    assert!(seen.contains("A guard stopped the run: none of 2 contacts was written."), "{seen}");
    assert!(seen.contains("2 | would have been written"), "{seen}");
    assert!(seen.contains("write-at-least | : 2 contacts would be written, and 9 must be at least"), "{seen}");
    assert!(!seen.contains("How filled the columns are"), "the file is that of the run before: {seen}");
    let ran = desk.done(&["why", "ida@post.example", "--receipt", "fair.receipt.stopped"]);
    assert!(
        ran.stdout.starts_with("ida@post.example: would have been written, but the run wrote nothing"),
        "{}",
        ran.stdout
    );
    assert!(!ran.stdout.contains("out.csv line"), "{}", ran.stdout);
}
