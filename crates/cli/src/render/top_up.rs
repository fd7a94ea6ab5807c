//! A master list, topped up.

use super::table::{Side, Table};
use super::tally::{findings, first_rows, set_aside, suppression};
use super::{Screen, Tone, WIDTH, counted, number, safe, wrapped};
use crate::documents::document;
use pebblebank_core::run::tally::Outcome;
use pebblebank_core::tasks::top_up::wishes::ToppedUp;

/// Who was added, who was there already, who was left out and why.
pub fn finished(done: &ToppedUp, screen: &Screen) -> String {
    let sections = [
        numbers(done, screen),
        set_aside(&done.tally.all, screen),
        suppression(&done.tally, screen),
        left(done),
        findings(&done.tally, screen),
        if done.tally.outcome == Outcome::DryRun { first_rows(&done.preview, screen) } else { String::new() },
        where_to_look(done, screen),
    ];
    let mut text = headline(done, screen);
    for section in sections.iter().filter(|section| !section.is_empty()) {
        text.push('\n');
        text.push_str(section);
    }
    text
}

fn headline(done: &ToppedUp, screen: &Screen) -> String {
    let contacts = counted(done.added, "contact");
    let what = match (&done.output, done.tally.outcome) {
        (Some(output), Outcome::Written) => format!("{contacts} added behind the master, in {}", output.display()),
        _ => format!("{contacts} would be added behind the master (a dry run: nothing was written)"),
    };
    format!("{}\n", screen.paint(Tone::Good, &what))
}

fn numbers(done: &ToppedUp, screen: &Screen) -> String {
    let right = Side::Right;
    let headings =
        [("Source", Side::Left), ("read", right), ("added", right), ("known or repeated", right), ("set aside", right)];
    let mut table = Table::new(&headings);
    for source in done.tally.sources.iter().skip(1) {
        let account = &source.account;
        let counts = [account.read, account.written, account.merged, account.set_aside_in_all()].map(number);
        table.row(std::iter::once(safe(&source.name, 40)).chain(counts).collect());
    }
    let mut text = table.render(screen);
    let mut lines = vec![
        format!("the master's {} stay as they are, in their order.", counted(done.master_rows, "row")),
        format!("known: {} whose person the master has already.", counted(done.known_already, "new row")),
    ];
    if done.tally.fill.is_some() || done.cells_filled > 0 {
        lines[0] = format!(
            "the master's {} stay in their order, with {} filled.",
            counted(done.master_rows, "row"),
            counted(done.cells_filled, "blank cell")
        );
    }
    if done.values_differing > 0 {
        let values = counted(done.values_differing, "value");
        lines.push(format!("{values} of the new files differ from the master's, which were kept."));
    }
    for line in lines.iter().flat_map(|line| wrapped(line, WIDTH - 2, "  ")) {
        text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, &line)));
    }
    text
}

/// What was not taken over.
fn left(done: &ToppedUp) -> String {
    if done.columns_left.is_empty() {
        return String::new();
    }
    let names: Vec<String> = done.columns_left.iter().map(|name| format!("\"{}\"", safe(name, 40))).collect();
    let text = format!("Not taken over, since the master has no column for it: {}", names.join(", "));
    wrapped(&text, WIDTH - 2, "  ").iter().map(|line| format!("  {line}\n")).collect()
}

fn where_to_look(done: &ToppedUp, screen: &Screen) -> String {
    let mut table = Table::new(&[("Where to look next", Side::Left), ("", Side::Left)]).keeping(0);
    let Some(output) = &done.output else { return String::new() };
    let all = done.master_rows + done.added;
    table.row(vec![output.display().to_string(), format!("{} in all", counted(all, "row"))]);
    if let Some(file) = &done.set_aside {
        table.row(vec![file.display().to_string(), "new rows that were not added, and why".to_owned()]);
    }
    if let Some(file) = &done.repairs {
        table.row(vec![file.display().to_string(), "which cells of the master were filled".to_owned()]);
    }
    table.render(screen)
}

/// The JSON document that `--json` prints.
pub fn json(done: &ToppedUp) -> String {
    document("pebblebank/top-up/1", done)
}
