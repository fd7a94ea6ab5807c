//! The run as one HTML page: for a colleague who does not know the tool, on screen and on paper.
//!
//! The page is made of the receipt alone, but for how filled the columns of the import file are, which is read from that file
//! as long as it is there. It loads nothing from anywhere. The same receipt gives the same bytes.

mod crossings;
mod filled;
mod flow;
mod merges;
mod moved;
mod parts;

use crate::changes::Changes;
use crate::receipt::{Receipt, written};
use minijinja::Environment;
use parts::{PageTable, TALLY, list, number, percent, share, text};
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::observe::grouped;
use pebblebank_table::{Error, Result};
use pebblebank_values::look::mask_addresses;
use serde::Serialize;
use serde_json::Value;
use std::collections::HashMap;

/// What the page shows.
pub struct PageWishes<'a> {
    /// Whether addresses are shown whole; else as `i…@post.example`.
    pub shows_addresses: bool,
    /// What each reason means, in a few words.
    pub meaning: &'a dyn Fn(Reason) -> &'static str,
    /// What changed since the run before, if there was one.
    pub changes: Option<&'a Changes>,
    /// How many threads work.
    pub threads: usize,
}

/// One of the three numbers, and where its rows are.
#[derive(Debug, Serialize)]
struct PageNumber {
    name: &'static str,
    count: String,
    share: String,
    /// The part of the page that opens it.
    part: &'static str,
    /// The file of the receipt that has its rows.
    file: &'static str,
}

/// What the template shows, by the names that it uses.
#[derive(Serialize)]
struct Page<'a> {
    job: &'a str,
    day: Option<&'a str>,
    scope: Option<&'a str>,
    headline: String,
    tone: &'static str,
    /// The three numbers.
    numbers: [PageNumber; 3],
    read: String,
    /// The picture, as SVG.
    flow: String,
    sources: PageTable,
    files: PageTable,
    merges: PageTable,
    reasons: PageTable,
    lists: PageTable,
    near: PageTable,
    crossings: Option<crossings::Crossings>,
    filled: Option<PageTable>,
    domains: PageTable,
    repairs: PageTable,
    suggestions: PageTable,
    /// Whether the run went without the bank because somebody said so.
    without_bank: bool,
    /// The guards that stopped the run, and those that were accepted.
    tripped: Vec<(String, String)>,
    guards: Vec<(String, String)>,
    warnings: Vec<(String, String)>,
    findings: Vec<(String, String)>,
    changes: Option<moved::Moved>,
    decide: Vec<(String, &'static str)>,
    edited: &'a [String],
    receipt: Option<String>,
}

/// Makes the page of a receipt.
pub fn page(receipt: &Receipt, wishes: &PageWishes) -> Result<String> {
    let tally = &receipt.tally;
    let shown = |text: &str| {
        if wishes.shows_addresses { text.to_owned() } else { mask_addresses(text, |_| false) }
    };
    let example = |rule: &str, text: &str| match (wishes.shows_addresses, is_of_people(rule)) {
        (true, _) => text.to_owned(),
        (false, true) => shortened(text),
        (false, false) => mask_addresses(text, |_| false),
    };
    let (warnings, findings) =
        texts(&tally["findings"], &shown).into_iter().partition(|(weight, _)| weight == "warning");
    let mut environment = Environment::new();
    environment.set_auto_escape_callback(|_| minijinja::AutoEscape::Html);
    let damaged = |_| Error::defect();
    environment.add_template("page.html", include_str!("page.html")).map_err(damaged)?;
    let template = environment.get_template("page.html").map_err(damaged)?;
    let page = Page {
        job: receipt.job(),
        day: receipt.started.as_deref().and_then(|moment| moment.get(..10)),
        scope: tally["bank"]["scope"].as_str(),
        headline: headline(tally),
        tone: if receipt.has_written() { "good" } else { "stop" },
        numbers: numbers(receipt),
        read: grouped(number(&tally["all"], "read")),
        flow: flow::picture(tally),
        sources: sources(tally),
        files: files(tally),
        merges: merges::of(receipt)?,
        reasons: reasons(tally, wishes.meaning),
        lists: lists(tally),
        near: near_misses(tally, &shown),
        crossings: crossings::of(receipt, wishes.threads)?,
        filled: Some(filled::of(receipt)),
        domains: domains(receipt)?,
        repairs: repairs(tally, "repairs", Some("repairs.csv"), &example),
        suggestions: repairs(tally, "suggestions", Some("suggestions.csv"), &example),
        without_bank: tally["bank"]["switched_off"] == true,
        tripped: texts(&tripped_guards(receipt), &shown),
        guards: texts(&tally["accepted_guards"], &shown),
        warnings,
        findings,
        changes: wishes.changes.map(|found| moved::of(found, wishes.meaning)),
        decide: decide(tally),
        edited: &receipt.edited,
        receipt: receipt.folder.file_name().map(|name| name.to_string_lossy().into_owned()),
    };
    let page = serde_json::to_value(&page).and_then(serde_json::from_value::<minijinja::Value>);
    template.render(page.map_err(|_| Error::defect())?).map_err(damaged)
}

/// The three numbers that all rows are in.
fn numbers(receipt: &Receipt) -> [PageNumber; 3] {
    let all = &receipt.tally["all"];
    let written = if receipt.has_written() { "written" } else { "would have been written" };
    let read = number(all, "read");
    [
        ("written", written, "way", "written.csv"),
        ("merged", "merged into another row of the same person", "merges", "merged.csv"),
        ("set_aside", "set aside, and not written", "aside", "set-aside.csv"),
    ]
    .map(|(key, name, part, file)| {
        let count = number(all, key);
        PageNumber { name, count: grouped(count), share: share(count, read), part, file }
    })
}

/// The guards that stopped the run, as the receipt has them.
fn tripped_guards(receipt: &Receipt) -> Value {
    let document = std::fs::read(receipt.path("guards.json")).ok();
    let document = document.and_then(|bytes| serde_json::from_slice::<Value>(&bytes).ok());
    document.map_or(Value::Null, |mut document| document["tripped"].take())
}

fn headline(tally: &Value) -> String {
    let all = &tally["all"];
    let (written, read) = (grouped(number(all, "written")), grouped(number(all, "read")));
    let first = list(tally, "written").first().map(|file| text(file, "file")).unwrap_or_default();
    match tally["outcome"].as_str() {
        Some("written") => format!("{written} of {read} contacts were written to {first}."),
        Some("stopped") => format!("A guard stopped the run: none of {read} contacts was written."),
        _ => format!("This was a dry run: {written} of {read} contacts would be written."),
    }
}

fn sources(tally: &Value) -> PageTable {
    let mut table = PageTable::of(&["Source", "read", "written", "merged", "set aside"], Some(TALLY));
    for source in list(tally, "sources").iter().chain([&tally["all"]]) {
        let name = source["name"].as_str().unwrap_or("all");
        let cells = ["read", "written", "merged", "set_aside"].map(|key| grouped(number(source, key)));
        table.row(name, cells.to_vec(), None);
    }
    table
}

fn files(tally: &Value) -> PageTable {
    let mut table = PageTable::of(&["Import file", "contacts", "who is in it"], Some(TALLY));
    for file in list(tally, "written") {
        let who = file["where"].as_str().unwrap_or("everyone who is written").to_owned();
        table.row(text(file, "file"), vec![grouped(number(file, "rows")), who], None);
    }
    table
}

fn reasons(tally: &Value, meaning: &dyn Fn(Reason) -> &'static str) -> PageTable {
    let counts = &tally["all"]["set_aside_by_reason"];
    let all = Reason::ALL.into_iter().map(|reason| (reason, number(counts, reason.name())));
    let all: Vec<(Reason, u64)> = all.filter(|(_, count)| *count > 0).collect();
    let most = all.iter().map(|(_, count)| *count).max().unwrap_or_default();
    let mut table = PageTable::of(&["Reason", "rows", "what it means"], Some("set-aside.csv"));
    for (reason, count) in all {
        let cells = vec![grouped(count), meaning(reason).to_owned()];
        table.row(reason.name(), cells, Some(percent(count, most)));
    }
    table
}

fn lists(tally: &Value) -> PageTable {
    let head = ["Suppression list", "entries", "matched", "unmatched", "people", "reason"];
    let mut table = PageTable::of(&head, Some(TALLY));
    for list in list(tally, "suppression") {
        let mut cells: Vec<String> =
            ["entries", "matched", "unmatched", "people_held"].map(|key| grouped(number(list, key))).to_vec();
        cells.push(text(list, "reason"));
        table.row(text(list, "name"), cells, None);
    }
    table
}

fn near_misses(tally: &Value, shown: &dyn Fn(&str) -> String) -> PageTable {
    let mut table =
        PageTable::of(&["Entry that no contact has", "close contact", "why", "list"], Some("near-misses.csv"));
    for near in list(&tally["near_misses"], "examples") {
        let cells = vec![shown(&text(near, "contact")), text(near, "why"), text(near, "list")];
        table.row(shown(&text(near, "entry")), cells, None);
    }
    table
}

fn domains(receipt: &Receipt) -> Result<PageTable> {
    let mut counts: HashMap<String, u64> = HashMap::new();
    let mut in_all = 0_u64;
    written::each_address(receipt, &mut |address| {
        in_all += 1;
        let domain = memchr::memrchr(b'@', address).map(|at| String::from_utf8_lossy(&address[at + 1..]));
        if let Some(domain) = domain {
            match counts.get_mut(domain.as_ref()) {
                Some(count) => *count += 1,
                None => _ = counts.insert(domain.into_owned(), 1),
            }
        }
    })?;
    let mut counts: Vec<(String, u64)> = counts.into_iter().collect();
    counts.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
    let most = counts.first().map_or(0, |(_, count)| *count);
    let mut table = PageTable::of(&["Domain", "contacts", "share"], Some("written.csv"));
    for (domain, count) in counts {
        let cells = vec![grouped(count), share(count, in_all)];
        table.row(domain, cells, Some(percent(count, most)));
    }
    Ok(table)
}

/// Whether values that a rule repairs are those of people: names, phone numbers, addresses.
fn is_of_people(rule: &str) -> bool {
    const OF_OTHERS: [&str; 16] = [
        "date-form",
        "postal-code-form",
        "country-code",
        "region-form",
        "language-code",
        "consent-word",
        "yes-no-form",
        "number-form",
        "leading-zeros",
        "spreadsheet-date",
        "place-parts",
        "repeated-part",
        "tags-form",
        "blank-word",
        "website-form",
        "replacement",
    ];
    !OF_OTHERS.contains(&rule)
}

/// A value of which the kind can be seen, and not whose it is: `I… M…`, `+•• •••• ••••`, `i…@post.example`.
fn shortened(text: &str) -> String {
    let mut short = String::new();
    // The domain of an address says nothing of the person.
    let domain = text.rfind('@').unwrap_or(text.len());
    let mut is_inside = false;
    for (at, sign) in text.char_indices() {
        let is_letter = sign.is_alphabetic();
        let is_digit = sign.is_ascii_digit();
        match (at >= domain, is_letter, is_digit) {
            (true, ..) => short.push(sign),
            (false, true, _) if !is_inside => short.extend([sign, '…']),
            (false, false, true) if !is_inside => short.push('•'),
            (false, false, false) if !is_inside || !"._-+".contains(sign) => short.push(sign),
            (false, ..) => {}
        }
        is_inside = is_letter || (is_inside && (is_digit || "._-+".contains(sign)));
    }
    short
}

fn repairs(tally: &Value, key: &str, file: Option<&'static str>, shown: &dyn Fn(&str, &str) -> String) -> PageTable {
    let mut table = PageTable::of(&["Rule", "values", "before", "after"], file);
    for rule in list(tally, key) {
        let example = &rule["examples"][0];
        let name = text(rule, "rule");
        let [before, after] = ["before", "after"].map(|key| shown(&name, &text(example, key)));
        table.row(name, vec![grouped(number(rule, "rows")), before, after], None);
    }
    table
}

fn texts(findings: &Value, shown: &dyn Fn(&str) -> String) -> Vec<(String, String)> {
    let all = findings.as_array().map(Vec::as_slice).unwrap_or_default();
    let one = |finding: &Value| {
        let place = finding["file"].as_str().map_or(String::new(), |file| format!("{file}: "));
        let weight = finding["weight"].as_str().or(finding["guard"].as_str()).unwrap_or_default();
        (weight.to_owned(), shown(&format!("{place}{}", text(finding, "text"))))
    };
    all.iter().map(one).collect()
}

/// What somebody should decide before the next run, with the command that leads on.
fn decide(tally: &Value) -> Vec<(String, &'static str)> {
    let pairs = number(&tally["near_duplicates"], "pairs");
    let suggested: u64 = list(tally, "suggestions").iter().map(|rule| number(rule, "rows")).sum();
    let near = number(&tally["near_misses"], "pairs");
    let open = [
        (pairs, "pairs of rows may be the same person", "review.csv; pebblebank review RECEIPT"),
        (near, "entries of suppression lists are close to a contact who is written", "near-misses.csv"),
        (suggested, "addresses look like a typo and were kept as they are", "suggestions.csv"),
    ];
    let open = open.into_iter().filter(|(count, ..)| *count > 0);
    open.map(|(count, what, place)| (format!("{} {what}", grouped(count)), place)).collect()
}
