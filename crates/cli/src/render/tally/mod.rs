//! The account of a run for people: the result first, then where every row went, then what to look at.

mod brief;
mod changes;
mod differing;
mod entries;
mod headline;
mod remarks;
mod rows;

pub use brief::{LINES, Room, findings as findings_in_short, fitted, lists as lists_in_short, reasons};
pub use entries::{NearMissAdvice, near_misses, suppression};
pub use headline::guards;
pub use remarks::{cut_finding, findings, first_rows, one_finding};
pub use rows::{meaning, other_lines_in_words, set_aside};

use crate::render::{Screen, Tone, counted};
use changes::{repairs, suggestions};
use entries::{lists, near_miss_advice};
use headline::headline;
use pebblebank_core::run::finished::Finished;
use pebblebank_core::run::tally::Outcome;
use remarks::{near_duplicates, where_to_look};
use rows::sources;

/// The report: on one screen, or all of it with `--verbose`. `again` is the command to type after a dry run, `remembered` what the
/// bank keeps of the run.
pub fn finished(finished: &Finished, again: &str, remembered: &str, screen: &Screen) -> String {
    if screen.is_verbose {
        whole(finished, again, screen) + remembered
    } else {
        brief::report(finished, again, remembered, screen)
    }
}

fn whole(finished: &Finished, again: &str, screen: &Screen) -> String {
    let tally = &finished.tally;
    let mut text = headline(finished, screen);
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
