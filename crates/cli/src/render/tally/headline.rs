//! The result in one sentence, and the guards that stopped the run.

use crate::render::{Screen, Tone, WIDTH, counted, wrapped};
use pebblebank_core::run::finished::Finished;
use pebblebank_core::run::tally::Outcome;
use pebblebank_core::run::tripped_guard::TrippedGuard;
use std::path::PathBuf;

/// More files than this are not named one by one.
const FILES_NAMED: usize = 1;

/// The result.
pub(super) fn headline(finished: &Finished, screen: &Screen) -> String {
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
        Outcome::DryRun => (Tone::Heading, format!("{contacts} would be written to {files} (a dry run: nothing was)")),
        Outcome::Stopped => (Tone::Bad, "stopped by a guard; no import file was written".to_owned()),
    };
    let put_in_place = "First, the outputs of an earlier run that was cut off were put in place.\n";
    let earlier = if finished.completed_earlier { put_in_place } else { "" };
    format!("{}: {}\n{earlier}", tally.job, screen.paint(tone, &text))
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
