//! What stopped a run, in words: what, where, what was expected, what to do.

use super::{Screen, Tone, WIDTH, safe, wrapped};
use pebblebank_table::Error;

/// The error as a few lines.
pub fn error(error: &Error, screen: &Screen) -> String {
    let mut text = screen.paint(Tone::Bad, "stopped:");
    text.push_str(&format!(" {}\n", safe(error.what(), 400)));
    let lines = [
        ("where:", place(error)),
        ("expected:", error.expectation().map(|expected| safe(expected, 600))),
        ("to do:", Some(safe(error.advice(), 400))),
    ];
    for (label, line) in lines {
        if let Some(line) = line {
            text.push_str(&format!(
                "  {label:<9} {}\n",
                wrapped(&line, WIDTH - 12, "").join(&format!("\n{}", " ".repeat(12)))
            ));
        }
    }
    text
}

fn place(error: &Error) -> Option<String> {
    let place = error.place();
    let mut line = safe(&place.file.as_ref()?.display().to_string(), 300);
    if let Some(row) = place.row {
        line.push_str(&format!(", row {row}"));
    }
    if let Some(column) = &place.column {
        line.push_str(&format!(", column \"{}\"", safe(column, 80)));
    }
    if let Some((number, written)) = &place.line {
        line.push_str(&format!(", line {number}"));
        if !written.is_empty() {
            line.push_str(&format!(": {}", safe(written, 120)));
        }
    }
    Some(line)
}
