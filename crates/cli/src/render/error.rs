//! What stopped a run, in words: what, where, what was expected, what to do.

use super::{Screen, Tone, safe};
use pebblebank_core::Error;

/// The error as a few lines.
pub fn error(error: &Error, screen: &Screen) -> String {
    let place = error.place();
    let mut text = screen.paint(Tone::Bad, "stopped: ");
    text.push_str(&safe(error.what(), 400));
    text.push('\n');
    if let Some(file) = &place.file {
        let mut line = format!("  where:    {}", safe(&file.display().to_string(), 300));
        if let Some(row) = place.row {
            line.push_str(&format!(", row {row}"));
        }
        if let Some(column) = &place.column {
            line.push_str(&format!(", column \"{}\"", safe(column, 80)));
        }
        if let Some((number, written)) = &place.line {
            line.push_str(&format!(", line {number}: {}", safe(written, 120)));
        }
        text.push_str(&line);
        text.push('\n');
    }
    if let Some(expected) = error.expectation() {
        text.push_str(&format!("  expected: {}\n", safe(expected, 600)));
    }
    text.push_str(&format!("  to do:    {}\n", safe(error.advice(), 400)));
    text
}
