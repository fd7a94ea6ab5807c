//! The account of a run for people: the result first, then where every row went, then what to look at.

mod changes;
mod differing;
mod entries;
mod remarks;
mod rows;

pub use entries::{NearMissAdvice, near_misses, suppression};
pub use remarks::{findings, first_rows, one_finding};
pub use rows::{other_lines_in_words, set_aside};

use crate::render::{Screen, Tone, WIDTH, counted, wrapped};
use changes::{repairs, suggestions};
use entries::{lists, near_miss_advice};
use pebblebank_core::run::finished::Finished;
use pebblebank_core::run::tally::{Outcome, TrippedGuard};
use remarks::{near_duplicates, where_to_look};
use rows::sources;
use std::path::PathBuf;

/// The whole report. `again` is the command to type after a dry run.
pub fn finished(finished: &Finished, again: &str, screen: &Screen) -> String {
    let tally = &finished.tally;
    let mut text = headline(finished, screen);
    if finished.completed_earlier {
        text.push_str("First, the outputs of an earlier run that was cut off were put in place.\n");
    }
    let preview = if tally.outcome == Outcome::DryRun { first_rows(&finished.preview, screen) } else { String::new() };
    let sections = [
        guards(&finished.tripped, screen),
        sources(tally, screen),
        set_aside(&tally.all, screen),
        suppression(tally, screen),
        near_misses(tally, &near_miss_advice(finished), screen),
        lists(tally, screen),
        repairs(tally, screen),
        suggestions(tally, screen),
        near_duplicates(finished, screen),
        findings(tally, screen),
        preview,
        where_to_look(finished, again, screen),
    ];
    for section in sections.iter().filter(|section| !section.is_empty()) {
        text.push('\n');
        text.push_str(section);
    }
    text
}

/// The report where the contacts went to standard output: in short.
pub fn to_output(finished: &Finished, screen: &Screen) -> String {
    let tally = &finished.tally;
    let contacts = counted(tally.all.written, "contact");
    let headline = match tally.outcome {
        Outcome::Stopped => screen.paint(Tone::Bad, "stopped by a guard; nothing was written"),
        _ => screen.paint(Tone::Good, &format!("{contacts} written")),
    };
    let sections = [
        guards(&finished.tripped, screen),
        sources(tally, screen),
        set_aside(&tally.all, screen),
        findings(tally, screen),
    ];
    let sections = sections.iter().filter(|section| !section.is_empty());
    sections.fold(format!("{}: {headline}\n", tally.job), |text, section| format!("{text}\n{section}"))
}

/// More files than this are not named one by one.
const FILES_NAMED: usize = 1;

fn headline(finished: &Finished, screen: &Screen) -> String {
    let tally = &finished.tally;
    let shown = |path: &PathBuf| path.display().to_string();
    let files = match finished.imports.as_slice() {
        [first, others @ ..] if others.len() + 1 > FILES_NAMED => {
            format!("{} and {}", shown(first), counted(others.len() as u64, "more file"))
        }
        files => files.iter().map(shown).collect::<Vec<_>>().join(", "),
    };
    let contacts = counted(tally.all.written, "contact");
    let (tone, text) = match tally.outcome {
        Outcome::Written => (Tone::Good, format!("{contacts} written to {files}")),
        Outcome::DryRun => (Tone::Good, format!("{contacts} would be written to {files} (a dry run: nothing was)")),
        Outcome::Stopped => (Tone::Bad, "stopped by a guard; no import file was written".to_owned()),
    };
    format!("{}: {}\n", tally.job, screen.paint(tone, &text))
}

/// The guards that stopped it, and how to say that it is meant.
pub fn guards(tripped: &[TrippedGuard], screen: &Screen) -> String {
    let mut text = String::new();
    for guard in tripped {
        let found = wrapped(&format!("{}: {}", guard.guard, guard.text), WIDTH - 8, "");
        let advice = wrapped(&guard.advice, WIDTH - 8, "");
        text.push_str(&format!("  {} {}\n", screen.paint(Tone::Bad, "guard"), found[0]));
        for line in found[1..].iter().chain(&advice) {
            text.push_str(&format!("        {line}\n"));
        }
    }
    text
}
