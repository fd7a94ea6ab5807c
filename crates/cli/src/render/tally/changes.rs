//! What was repaired and what could be, each with an example.

use crate::render::table::{Side, Table};
use crate::render::tally::differing::from_difference;
use crate::render::{Screen, Tone, number, safe_ends};
use pebblebank_core::run::tally::{RepairTally, Tally};

pub(super) fn repairs(tally: &Tally, screen: &Screen) -> String {
    if tally.repairs.is_empty() {
        return String::new();
    }
    let mut table = Table::new(&[("Repair", Side::Left), ("rows", Side::Right), ("for example", Side::Left)]);
    for repair in &tally.repairs {
        table.row(vec![repair.rule.to_owned(), number(repair.rows), example(repair)]);
    }
    table.render(screen)
}

pub(super) fn example(repair: &RepairTally) -> String {
    let first = repair.examples.first();
    first.map_or(String::new(), |example| {
        let [before, after] = from_difference(&example.before, &example.after, EXAMPLE_WIDTH);
        format!("{}  →  {}", quoted(&before), quoted(&after))
    })
}

/// How much of an example is shown.
pub(super) const EXAMPLE_WIDTH: usize = 29;

pub(super) fn suggestions(tally: &Tally, screen: &Screen) -> String {
    if tally.suggestions.is_empty() {
        return String::new();
    }
    let mut table =
        Table::new(&[("Suggested, not made", Side::Left), ("rows", Side::Right), ("for example", Side::Left)]);
    for suggestion in &tally.suggestions {
        table.row(vec![suggestion.rule.to_owned(), number(suggestion.rows), example(suggestion)]);
    }
    let explanation =
        "to make one: apply = [\"domain-typo\"] in [clean], or --apply. Receipts list all (suggestions.csv).";
    format!("{}  {}\n", table.render(screen), screen.paint(Tone::Faint, explanation))
}

pub(super) fn quoted(text: &str) -> String {
    format!("\"{}\"", safe_ends(text, EXAMPLE_WIDTH))
}
