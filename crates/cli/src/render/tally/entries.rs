//! What the suppression lists and the lists that are asked about did, and entries close to somebody.

use crate::render::table::{Side, Table};
use crate::render::tally::differing::from_difference;
use crate::render::{Screen, Tone, WIDTH, counted, number, safe, safe_ends, wrapped};
use pebblebank_core::run::finished::Finished;
use pebblebank_core::run::tally::{NearMissExample, SuppressionTally, Tally};

/// The suppression lists.
pub fn suppression(tally: &Tally, screen: &Screen) -> String {
    if tally.suppression.is_empty() {
        return String::new();
    }
    let right = Side::Right;
    let mut table = Table::new(&[
        ("Suppression list", Side::Left),
        ("entries", right),
        ("matched", right),
        ("unmatched", right),
        ("people", right),
        ("reason", Side::Left),
    ]);
    for SuppressionTally { list, reason, people_held } in &tally.suppression {
        let counts = [list.entries, list.matched, list.unmatched, *people_held].map(number);
        let cells = std::iter::once(safe(&list.name, 36)).chain(counts).chain([reason.name().to_owned()]);
        table.row(cells.collect());
    }
    let explained = "unmatched: entries that no contact has. people: suppressed by this list, perhaps by others too.";
    let mut lines = vec![explained.to_owned()];
    for SuppressionTally { list, .. } in tally.suppression.iter().filter(|counts| counts.list.unusable > 0) {
        let entries = counted(list.unusable, "entry");
        lines.push(format!(
            "{}: {entries} of it not an address, a domain or a hash, and skipped.",
            safe(&list.name, 36)
        ));
    }
    for allowed in &tally.allowed {
        let lifted = counted(allowed.lifted, "person");
        let addresses = if allowed.addresses == 1 { "address" } else { "addresses" };
        lines.push(format!(
            "allowed: {} {addresses} ({}); {lifted} written although a list suppresses them.",
            number(allowed.addresses),
            safe(&allowed.why, 60)
        ));
    }
    let lines = lines.iter().flat_map(|line| wrapped(line, WIDTH - 2, "  "));
    let lines = lines.map(|line| format!("  {}\n", screen.paint(Tone::Faint, &line)));
    table.render(screen) + &lines.collect::<String>()
}

/// What can be done about near misses, in the words of a command.
pub struct NearMissAdvice {
    /// Where those are that are not shown.
    pub more: &'static str,
    /// What looks for them among many entries.
    pub search: &'static str,
    /// What takes them out.
    pub take_out: &'static str,
}

pub(super) fn near_miss_advice(finished: &Finished) -> NearMissAdvice {
    NearMissAdvice {
        more: if finished.receipt.is_some() {
            "all of them are in near-misses.csv of the receipt"
        } else {
            "a receipt (--receipt DIR) lists all of them"
        },
        search: "near_miss = \"report\" in [[suppress]] does",
        take_out: "they stay; near_miss = \"set-aside\" in [[suppress]] takes them out.",
    }
}

/// Entries that no contact has and are close to a contact.
pub fn near_misses(tally: &Tally, advice: &NearMissAdvice, screen: &Screen) -> String {
    let near = &tally.near_misses;
    if near.pairs == 0 {
        if near.not_searched == 0 || tally.suppression.is_empty() {
            return String::new();
        }
        let in_files = near.not_searched - near.not_searched_in_bank;
        let text = if in_files == 0 {
            let entries = counted(near.not_searched_in_bank, "entry");
            format!("near misses were not looked for among the {entries} of the bank that no contact has: too many")
        } else {
            let entries = counted(near.not_searched, "entry");
            format!("near misses were not looked for among {entries}: too many; {}", advice.search)
        };
        let lines = wrapped(&text, WIDTH - 2, "  ");
        return lines.iter().map(|line| format!("  {}\n", screen.paint(Tone::Faint, line))).collect();
    }
    let left = Side::Left;
    let headings =
        [("Near miss: an unmatched entry", left), ("a contact close to it", left), ("", left), ("list", left)];
    let mut table = Table::new(&headings);
    for NearMissExample { list, entry, contact, why } in &near.examples {
        let [entry, contact] =
            from_difference(entry, contact, ADDRESS_WIDTH).map(|text| safe_ends(&text, ADDRESS_WIDTH));
        table.row(vec![entry, contact, in_short(why).to_owned(), safe(list, 12)]);
    }
    let more = near.pairs - near.examples.len() as u64;
    let mut text = table.render(screen);
    if more > 0 {
        text.push_str(&format!("  and {more} more; {}\n", advice.more));
    }
    let set_aside = match (near.set_aside, near.pairs) {
        (0, _) => advice.take_out,
        _ => "those whose list says near_miss = \"set-aside\" are set aside.",
    };
    text + &format!("  {}\n", screen.paint(Tone::Faint, set_aside))
}

/// How much of an address is shown beside one that is close to it.
pub(super) const ADDRESS_WIDTH: usize = 31;

/// What two addresses have in common, as a table has room for it.
pub(super) fn in_short(why: &str) -> &str {
    match why {
        "one typo before the @" => "typo before @",
        "one typo in the domain" => "typo in domain",
        "a tag or dots apart" => "tag or dots",
        "same name and domain" => "same name",
        other => other,
    }
}

/// The lists that can be asked about.
pub(super) fn lists(tally: &Tally, screen: &Screen) -> String {
    if tally.lists.is_empty() {
        return String::new();
    }
    let right = Side::Right;
    let headings =
        [("List", Side::Left), ("entries", right), ("matched", right), ("unmatched", right), ("contacts in it", right)];
    let mut table = Table::new(&headings);
    for list in &tally.lists {
        let counts = [list.entries, list.matched, list.unmatched, list.people].map(number);
        table.row(std::iter::once(safe(&list.name, 40)).chain(counts).collect());
    }
    let explanation =
        "contacts in it: people of all that were read, written or not. A list by itself suppresses nobody.";
    format!("{}  {}\n", table.render(screen), screen.paint(Tone::Faint, explanation))
}
