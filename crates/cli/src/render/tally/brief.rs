//! The account of a run on one screen: what does not fit is counted, and is in the receipt and behind `--verbose`.

use super::headline::{guards, headline};
use super::remarks::{cut_finding, first_rows, in_several_files, near_duplicates, written_files};
use super::rows::{meaning, merged_in_words};
use crate::render::table::{Side, Table};
use crate::render::{Screen, Tone, WIDTH, counted, number, safe};
use pebblebank_core::run::finished::Finished;
use pebblebank_core::run::tally::{Account, Outcome, SuppressionTally, Tally};
use pebblebank_table::observe::{Finding, Weight};

/// How many lines a report may have.
pub const LINES: usize = 45;

/// How much of each part is shown.
pub struct Room {
    sources: usize,
    reasons: usize,
    reason_columns: usize,
    lists: usize,
    findings: usize,
    /// Whether findings have two lines, and what is rarely needed is said.
    pub is_roomy: bool,
}

/// From much to little: the first that fits is taken.
const ROOMS: [Room; 5] = [
    Room { sources: 12, reasons: 21, reason_columns: 1, lists: 10, findings: 6, is_roomy: true },
    Room { sources: 8, reasons: 21, reason_columns: 2, lists: 8, findings: 4, is_roomy: true },
    Room { sources: 6, reasons: 10, reason_columns: 2, lists: 6, findings: 3, is_roomy: false },
    Room { sources: 5, reasons: 8, reason_columns: 2, lists: 5, findings: 2, is_roomy: false },
    Room { sources: 4, reasons: 6, reason_columns: 2, lists: 4, findings: 1, is_roomy: false },
];

/// The report with what the bank remembers of it behind.
pub(super) fn report(finished: &Finished, again: &str, remembered: &str, screen: &Screen) -> String {
    // What stopped a run is read first, whatever the terminal wraps.
    let most = if finished.tripped.is_empty() { LINES } else { LINES - 4 };
    fitted(most, |room| in_room(room, finished, again, remembered, screen))
}

/// The fullest report that has at most `most_lines` lines; the shortest one if none fits.
pub fn fitted(most_lines: usize, report: impl Fn(&Room) -> String) -> String {
    let mut shortest = String::new();
    for room in &ROOMS {
        shortest = report(room);
        if shortest.lines().count() <= most_lines {
            break;
        }
    }
    shortest
}

fn in_room(room: &Room, finished: &Finished, again: &str, remembered: &str, screen: &Screen) -> String {
    let tally = &finished.tally;
    let preview = if tally.outcome == Outcome::DryRun { first_rows(&finished.preview, screen) } else { String::new() };
    let sections = [
        guards(&finished.tripped, screen),
        sources(tally, room, screen),
        reasons(&tally.all, room, screen),
        lists(tally, room, screen) + &in_short(finished, room, screen),
        findings(&tally.findings, room, screen),
        preview,
        next(finished, room, again, screen) + remembered,
    ];
    let mut text = headline(finished, screen);
    for section in sections.iter().filter(|section| !section.is_empty()) {
        text.push('\n');
        text.push_str(section);
    }
    text
}

fn faint(line: &str, screen: &Screen) -> String {
    format!("  {}\n", screen.paint(Tone::Faint, &safe(line, WIDTH - 2)))
}

fn sources(tally: &Tally, room: &Room, screen: &Screen) -> String {
    let headings = [("Source", Side::Left), ("read", Side::Right), ("written", Side::Right), ("merged", Side::Right)];
    let mut table = Table::new(&[&headings[..], &[("set aside", Side::Right)]].concat());
    let row = |name: &str, counts: [u64; 4]| std::iter::once(safe(name, 40)).chain(counts.map(number)).collect();
    let counts = |account: &Account| [account.read, account.written, account.merged, account.set_aside_in_all()];
    let (shown, rest) = tally.sources.split_at(room_for(tally.sources.len(), room.sources));
    for source in shown {
        table.row(row(&source.name, counts(&source.account)));
    }
    if !rest.is_empty() {
        let sum = |at: usize| rest.iter().map(|source| counts(&source.account)[at]).sum();
        table.row(row(&format!("{} more sources", number(rest.len() as u64)), [0, 1, 2, 3].map(sum)));
    }
    table.sum(row("all", counts(&tally.all)));
    let mut lines = vec![merged_in_words(tally)];
    let mut given = Vec::new();
    if let Some(fill) = tally.fill.filter(|_| room.is_roomy) {
        given.push(format!("{} of {} from copies", counted(fill.values, "blank value"), people(fill.people)));
    }
    for taken in tally.taken.iter().take(usize::from(room.is_roomy)) {
        let more = tally.taken.len() - 1;
        let more = if more > 0 { format!(" and {more} more lists") } else { String::new() };
        given.push(format!("values for {} from {}{more}", people(taken.people), safe(&taken.list, 30)));
    }
    if !given.is_empty() {
        lines.push(format!("filled: {}.", given.join("; ")));
    }
    let files = tally.sources.iter().flat_map(|source| &source.files);
    let others: u64 = files.flat_map(|file| file.other_lines.iter()).map(|(_, count)| count).sum();
    lines.push(match others {
        0 => "Every row read is accounted for.".to_owned(),
        1 => "Every row read is accounted for; 1 line is no contact, such as a header.".to_owned(),
        others => format!(
            "Every row read is accounted for; {} lines are no contacts, such as headers and empty lines.",
            number(others)
        ),
    });
    table.render(screen) + &lines.iter().map(|line| faint(line, screen)).collect::<String>()
}

/// How many of `all` are shown where there is room for `most`, and one more line for the rest.
fn room_for(all: usize, most: usize) -> usize {
    if all <= most { all } else { most - 1 }
}

fn people(count: u64) -> String {
    if count == 1 { "1 person".to_owned() } else { format!("{} people", number(count)) }
}

/// Why rows were set aside.
pub fn reasons(all: &Account, room: &Room, screen: &Screen) -> String {
    let found: Vec<_> = all.reasons().collect();
    if found.is_empty() {
        return String::new();
    }
    // The rarest are taken together, so that the frequent ones are seen.
    let mut by_count = found.clone();
    by_count.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
    let (_, rare) = by_count.split_at(room_for(found.len(), room.reasons));
    let (rest, shown): (Vec<_>, Vec<_>) = found.iter().copied().partition(|found| rare.contains(found));
    let cells = |name: &str, count: u64| vec![name.to_owned(), number(count)];
    if room.reason_columns == 1 {
        let mut table = Table::new(&[("Set aside because", Side::Left), ("rows", Side::Right), ("", Side::Left)]);
        for (reason, count) in &shown {
            table.row([cells(reason.name(), *count), vec![meaning(*reason).to_owned()]].concat());
        }
        return table.render(screen);
    }
    let mut all: Vec<_> = shown.iter().map(|(reason, count)| cells(reason.name(), *count)).collect();
    if !rest.is_empty() {
        all.push(cells("other reasons", rest.iter().map(|(_, count)| count).sum()));
    }
    let column = [("Set aside because", Side::Left), ("rows", Side::Right)];
    let mut table = Table::new(&[column, [("", Side::Left), column[1]]].concat());
    let half = all.len().div_ceil(2);
    for place in 0..half {
        let right = all.get(half + place).cloned().unwrap_or_default();
        table.row([all[place].clone(), right].concat());
    }
    table.render(screen)
}

/// What the suppression lists did.
pub fn lists(tally: &Tally, room: &Room, screen: &Screen) -> String {
    if tally.suppression.is_empty() {
        return String::new();
    }
    let right = Side::Right;
    let headings = [("Suppression list", Side::Left), ("entries", right), ("matched", right), ("unmatched", right)];
    let mut table = Table::new(&[&headings[..], &[("people", right), ("reason", Side::Left)]].concat());
    let (shown, rest) = tally.suppression.split_at(room_for(tally.suppression.len(), room.lists));
    for SuppressionTally { list, reason, people_held } in shown {
        let counts = [list.entries, list.matched, list.unmatched, *people_held].map(number);
        let cells = std::iter::once(safe(&list.name, 36)).chain(counts).chain([reason.name().to_owned()]);
        table.row(cells.collect());
    }
    if !rest.is_empty() {
        let sum = |of: &dyn Fn(&SuppressionTally) -> u64| number(rest.iter().map(of).sum());
        table.row(vec![
            format!("{} more lists", number(rest.len() as u64)),
            sum(&|list| list.list.entries),
            sum(&|list| list.list.matched),
            sum(&|list| list.list.unmatched),
            sum(&|list| list.people_held),
            String::new(),
        ]);
    }
    let mut lines = Vec::new();
    let unusable: Vec<_> = tally.suppression.iter().filter(|counts| counts.list.unusable > 0).collect();
    if let [first, others @ ..] = unusable.as_slice() {
        let count = unusable.iter().map(|counts| counts.list.unusable).sum();
        let whose = match others.len() {
            0 => safe(&first.list.name, 24),
            more => format!("{} and {more} more", safe(&first.list.name, 24)),
        };
        let verb = if count == 1 { "is" } else { "are" };
        lines.push(format!("{} of {whose} {verb} no address, domain or hash", counted(count, "entry")));
    }
    let allowed: u64 = tally.allowed.iter().map(|allowed| allowed.addresses).sum();
    if allowed > 0 {
        let lifted = tally.allowed.iter().map(|allowed| allowed.lifted).sum();
        lines.push(format!("{} allowed by the job, {} written for it", counted(allowed, "address"), people(lifted)));
    }
    let mut text = table.render(screen);
    let explained = "unmatched: entries that no contact has. people: suppressed by this list, perhaps by others too.";
    text.push_str(&faint(explained, screen));
    if !lines.is_empty() {
        text.push_str(&faint(&format!("{}.", lines.join("; ")), screen));
    }
    text
}

/// Near misses, lists, repairs, suggestions and likely duplicates: a line each, with the file that has them.
fn in_short(finished: &Finished, room: &Room, screen: &Screen) -> String {
    let tally = &finished.tally;
    let mut lines = Vec::new();
    let in_receipt = |name: &str| match finished.receipt {
        Some(_) => name.to_owned(),
        None => "--verbose".to_owned(),
    };
    let near = &tally.near_misses;
    if near.pairs > 0 {
        let what = match (near.set_aside, near.pairs) {
            (0, 1) => "1 entry is close to a contact who stays written".to_owned(),
            (0, pairs) => format!("{} entries are close to contacts who stay written", number(pairs)),
            (set_aside, pairs) => {
                format!("{} close to contacts, {} of whom set aside", counted(pairs, "entry"), number(set_aside))
            }
        };
        lines.push(format!("Near misses: {what}: {}", in_receipt("near-misses.csv")));
    }
    for list in tally.lists.iter().take(if room.is_roomy { 2 } else { 0 }) {
        lines.push(format!(
            "List {}: {}, {} in it, written or not",
            safe(&list.name, 36),
            counted(list.entries, "entry"),
            people(list.people)
        ));
    }
    if !tally.repairs.is_empty() {
        let rows = tally.repairs.iter().map(|repair| repair.rows).sum();
        let rules = tally.repairs.len() as u64;
        lines.push(format!(
            "Repairs: {} by {}: {}",
            counted(rows, "value"),
            counted(rules, "rule"),
            in_receipt("repairs.csv")
        ));
    }
    if !tally.suggestions.is_empty() {
        let rows = tally.suggestions.iter().map(|suggestion| suggestion.rows).sum();
        let suggested = format!("{} suggested, not made: {}", counted(rows, "repair"), in_receipt("suggestions.csv"));
        match lines.last_mut().filter(|line| line.starts_with("Repairs")) {
            Some(line) => line.push_str(&format!("; {}", suggested.replacen("repairs ", "more ", 1))),
            None => lines.push(suggested),
        }
    }
    let lines: String = lines.iter().map(|line| format!("  {}\n", safe(line, WIDTH - 2))).collect();
    lines + &near_duplicates_in_short(finished, screen)
}

fn near_duplicates_in_short(finished: &Finished, screen: &Screen) -> String {
    let text = near_duplicates(finished, screen);
    let pairs = finished.tally.near_duplicates.pairs;
    match &finished.receipt {
        // What a guard stopped is run again before anybody decides.
        _ if finished.tally.outcome == Outcome::Stopped => String::new(),
        Some(receipt) if pairs > 0 => {
            let pairs = if pairs == 1 { "1 pair is".to_owned() } else { format!("{} pairs are", number(pairs)) };
            format!("  Likely duplicates: {pairs} to be decided: pebblebank review {}\n", receipt.display())
        }
        _ => text,
    }
}

/// What should be looked at, gravest first; the rest is counted.
pub fn findings(findings: &[Finding], room: &Room, screen: &Screen) -> String {
    let of = |weight: Weight| findings.iter().filter(move |finding| finding.weight == weight);
    let by_weight = of(Weight::Warning).chain(of(Weight::Doubt)).chain(of(Weight::Note));
    let shown: Vec<&Finding> = by_weight.take(room.findings).collect();
    let more = (findings.len() - shown.len()) as u64;
    if shown.is_empty() {
        return String::new();
    }
    let lines = if room.is_roomy { 2 } else { 1 };
    let text: String = shown.iter().map(|finding| cut_finding(finding, lines, screen)).collect();
    let more = if more > 0 { format!(" ({} more: --verbose)", number(more)) } else { String::new() };
    format!("  {}{more}\n{text}", screen.paint(Tone::Heading, "Worth a look"))
}

fn next(finished: &Finished, room: &Room, again: &str, screen: &Screen) -> String {
    if finished.tally.outcome == Outcome::DryRun {
        return format!("  {}\n  to write it: {again}\n", screen.paint(Tone::Heading, "Next"));
    }
    let mut table = Table::new(&[("Written", Side::Left), ("", Side::Left)]).keeping(0);
    let mut is_empty = true;
    for (file, what) in written_files(finished) {
        is_empty = false;
        table.row(vec![file, what]);
    }
    let set_aside = finished.tally.all.set_aside_in_all() > 0;
    if let Some(file) = finished.set_aside.as_ref().filter(|_| set_aside) {
        is_empty = false;
        table.row(vec![file.display().to_string(), "who was left out, and why".to_owned()]);
    }
    if let Some(receipt) = &finished.receipt {
        is_empty = false;
        table.row(vec![receipt.display().to_string(), "the receipt (see its README.txt)".to_owned()]);
    }
    if is_empty {
        return String::new();
    }
    let also = if room.is_roomy { in_several_files(&finished.tally.written, screen) } else { String::new() };
    table.render(screen) + &also
}
