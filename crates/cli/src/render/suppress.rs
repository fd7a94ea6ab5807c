//! A list compared with others.

use super::table::{Side, Table};
use super::tally::{
    LINES, NearMissAdvice, Room, findings, findings_in_short, first_rows, fitted, guards, lists_in_short, near_misses,
    reasons, set_aside, suppression,
};
use super::{Screen, Tone, WIDTH, counted, number, wrapped};
use crate::documents::document;
use crate::documents::runs::SuppressDocument;
use pebblebank_core::run::tally::{Outcome, Tally};
use pebblebank_core::tasks::suppress::{AgainstWishes, HeldAgainst};

/// What can be done about near misses, as options.
const NEAR_MISSES: NearMissAdvice = NearMissAdvice {
    more: "--near-miss set-aside puts all of them aside, with what they are close to",
    search: "--near-miss set-aside does",
    take_out: "they stay; --near-miss set-aside takes them out.",
};

/// Who was taken out, by which list, and where both parts are.
pub fn finished(done: &HeldAgainst, wishes: &AgainstWishes, screen: &Screen) -> String {
    if !screen.is_verbose {
        return fitted(LINES, |room| in_short(done, wishes, room, screen));
    }
    let sections = [
        guards(&done.tripped, screen),
        numbers(done, wishes, screen),
        set_aside(&done.tally.all, screen),
        suppression(&done.tally, screen),
        near_misses(&done.tally, &NEAR_MISSES, screen),
        findings(&done.tally, screen),
        if done.tally.outcome == Outcome::DryRun { first_rows(&done.preview, screen) } else { String::new() },
        where_to_look(done, wishes, screen),
    ];
    together(headline(done, wishes, screen), &sections)
}

fn in_short(done: &HeldAgainst, wishes: &AgainstWishes, room: &Room, screen: &Screen) -> String {
    let near = if room.is_roomy {
        near_misses(&done.tally, &NEAR_MISSES, screen)
    } else {
        near_misses_in_a_line(&done.tally, screen)
    };
    let sections = [
        guards(&done.tripped, screen),
        numbers(done, wishes, screen),
        reasons(&done.tally.all, room, screen),
        lists_in_short(&done.tally, room, screen),
        near,
        findings_in_short(&done.tally.findings, room, screen),
        if done.tally.outcome == Outcome::DryRun { first_rows(&done.preview, screen) } else { String::new() },
        where_to_look(done, wishes, screen),
    ];
    together(headline(done, wishes, screen), &sections)
}

fn near_misses_in_a_line(tally: &Tally, screen: &Screen) -> String {
    if tally.near_misses.pairs == 0 {
        return String::new();
    }
    let pairs = counted(tally.near_misses.pairs, "near miss");
    let line =
        format!("{pairs}: entries close to rows that stay; --verbose shows them, --near-miss set-aside takes them out");
    format!("  {}\n", screen.paint(Tone::Warning, &line))
}

fn together(headline: String, sections: &[String]) -> String {
    let sections = sections.iter().filter(|section| !section.is_empty());
    sections.fold(headline, |text, section| format!("{text}\n{section}"))
}

fn headline(done: &HeldAgainst, wishes: &AgainstWishes, screen: &Screen) -> String {
    let held = counted(done.held, "row");
    let text = match (done.tally.outcome, wishes.marks) {
        (Outcome::Stopped, _) => {
            return format!("{}\n", screen.paint(Tone::Bad, "stopped by a guard; nothing was written"));
        }
        (Outcome::DryRun, true) => format!("{held} would be marked (a dry run: nothing was written)"),
        (Outcome::DryRun, false) => format!("{held} would be taken out (a dry run: nothing was written)"),
        (Outcome::Written, true) => format!("{held} marked in {}", wishes.output.display()),
        (Outcome::Written, false) => {
            let kept = counted(done.tally.all.written, "row");
            format!("{held} taken out, {kept} left in {}", wishes.output.display())
        }
    };
    format!("{}\n", screen.paint(Tone::Good, &text))
}

fn numbers(done: &HeldAgainst, wishes: &AgainstWishes, screen: &Screen) -> String {
    let right = Side::Right;
    let all = &done.tally.all;
    let held = if wishes.marks { "marked" } else { "taken out" };
    let mut table = Table::new(&[("List", Side::Left), ("rows", right), (held, right), ("left", right)]);
    table.row(vec![wishes.name.clone(), number(all.read), number(done.held), number(all.read - done.held)]);
    let explanation = "rows stay as they are read, in their order; repeated rows are not merged.";
    let lines = wrapped(explanation, WIDTH - 2, "  ");
    let lines = lines.iter().map(|line| format!("  {}\n", screen.paint(Tone::Faint, line)));
    table.render(screen) + &lines.collect::<String>()
}

pub(super) fn where_to_look(done: &HeldAgainst, wishes: &AgainstWishes, screen: &Screen) -> String {
    if done.output.is_none() {
        return String::new();
    }
    let mut table = Table::new(&[("Where to look next", Side::Left), ("", Side::Left)]).keeping(0);
    let what = if wishes.marks { "all rows, with reason and list" } else { "the rows that are left" };
    table.row(vec![wishes.output.display().to_string(), what.to_owned()]);
    if let Some(file) = &done.set_aside {
        table.row(vec![file.display().to_string(), "who was taken out, and why".to_owned()]);
    }
    table.render(screen)
}

/// The tally, and where things are.
pub fn json(done: &HeldAgainst) -> String {
    let body = SuppressDocument {
        held: done.held,
        output: done.output.as_deref(),
        set_aside_file: done.set_aside.as_deref(),
        tripped_guards: &done.tripped,
        tally: &done.tally,
    };
    document("pebblebank/suppress/1", body)
}
