//! A pair of rows side by side, and what was decided.

use super::{Screen, Tone, counted, number, safe};
use crate::documents::document;
use crate::documents::proposals::ReviewDocument;
use pebblebank_core::tasks::review::{Pair, ReviewRow, Session};
use std::path::Path;
use unicode_width::UnicodeWidthStr;

/// How wide a value is shown.
const VALUE_WIDTH: usize = 36;

/// How wide the name of a column is shown.
const NAME_WIDTH: usize = 16;

/// Both rows, what differs marked, and the keys.
pub fn pair(columns: &[String], pair: &Pair, place: usize, count: usize, can_decide: bool, screen: &Screen) -> String {
    let heading = format!("Pair {} of {}: {}", number(place as u64), number(count as u64), safe(&pair.why, 90));
    let mut text = format!("{}\n", screen.paint(Tone::Heading, &heading));
    text.push_str(&screen.paint(Tone::Faint, &format!("score {} of 100; pairs from 60 on are shown", pair.score)));
    text.push_str("\n\n");
    let [first, second] = &pair.rows;
    let shown = |row: &ReviewRow| format!("{}, row {}", row.place[0], row.place[2]);
    text.push_str(&line(" ", "", "1", "2", Tone::Heading, screen));
    text.push_str(&line(" ", "from", &shown(first), &shown(second), Tone::Faint, screen));
    for (column, (a, b)) in columns.iter().zip(first.values.iter().zip(&second.values)) {
        match (a.is_empty(), b.is_empty(), a.to_lowercase() == b.to_lowercase()) {
            (true, true, _) => {}
            (false, false, true) => text.push_str(&plain_line(" ", column, a, b)),
            (false, false, false) => text.push_str(&differing_line(column, a, b, screen)),
            _ => text.push_str(&plain_line("·", column, a, b)),
        }
    }
    if !first.standing.is_empty() || !second.standing.is_empty() {
        let standing = |row: &ReviewRow| {
            if row.standing.is_empty() { "may be written to".to_owned() } else { row.standing.clone() }
        };
        text.push_str(&line("!", "suppressed", &standing(first), &standing(second), Tone::Bad, screen));
    }
    text.push_str("\n  ≠ differs   · only one has it\n\n");
    if !can_decide {
        text.push_str("  one of the rows has nothing to name it by, so it cannot be decided here\n\n");
    }
    let key = |key: char, what: &str| format!("{} {what}", screen.paint(Tone::Good, &key.to_string()));
    let keys = [
        key('s', "same person"),
        key('d', "different people"),
        key('l', "later"),
        key('t', "take one out"),
        key('u', "undo"),
        key('q', "stop"),
    ];
    text.push_str(&format!("  {}\n", keys.join("   ")));
    text
}

/// A line of two values that differ, with what differs in them painted.
fn differing_line(column: &str, a: &str, b: &str, screen: &Screen) -> String {
    let (a, b): (Vec<char>, Vec<char>) =
        (safe(a, VALUE_WIDTH).chars().collect(), safe(b, VALUE_WIDTH).chars().collect());
    let begin = a.iter().zip(&b).take_while(|(a, b)| a == b).count();
    let most = a.len().min(b.len()) - begin;
    let end = a.iter().rev().zip(b.iter().rev()).take(most).take_while(|(a, b)| a == b).count();
    let cell = |value: &[char]| {
        let text: String = value.iter().collect();
        let gap = " ".repeat(VALUE_WIDTH.saturating_sub(text.width()));
        let part = |part: &[char]| part.iter().collect::<String>();
        let differs = screen.paint(Tone::Warning, &part(&value[begin..value.len() - end]));
        format!("{}{differs}{}{gap}", part(&value[..begin]), part(&value[value.len() - end..]))
    };
    let name = safe(column, NAME_WIDTH);
    let gap = " ".repeat(NAME_WIDTH.saturating_sub(name.width()));
    let line = format!("{} {name}{gap}  {}  {}", screen.paint(Tone::Warning, "≠"), cell(&a), cell(&b));
    format!("{}\n", line.trim_end())
}

fn plain_line(sign: &str, name: &str, a: &str, b: &str) -> String {
    let cell = |text: &str, width: usize| {
        let text = safe(text, width);
        let gap = " ".repeat(width.saturating_sub(text.width()));
        format!("{text}{gap}")
    };
    let line = format!("{sign} {}  {}  {}", cell(name, NAME_WIDTH), cell(a, VALUE_WIDTH), cell(b, VALUE_WIDTH));
    format!("{}\n", line.trim_end())
}

fn line(sign: &str, name: &str, a: &str, b: &str, tone: Tone, screen: &Screen) -> String {
    let line = plain_line(sign, name, a, b);
    format!("{}\n", screen.paint(tone, line.trim_end()))
}

/// What was decided, and what makes use of it.
pub fn finished(session: &Session, file: &Path, is_named: bool, screen: &Screen) -> String {
    let answered = session.answered();
    let decided = answered.same + answered.different + answered.taken_out;
    if decided == 0 && session.left() == 0 && answered.later == 0 {
        let before = match session.decided_before {
            0 => "no pair of this run is likely to be one person".to_owned(),
            count => format!("all pairs were decided before ({})", number(count)),
        };
        return format!("{}\n", screen.paint(Tone::Good, &before));
    }
    let what = format!(
        "{} decided: {} the same person, {} different people, {} taken out",
        number(decided),
        number(answered.same),
        number(answered.different),
        number(answered.taken_out)
    );
    let mut text = format!("{}\n", screen.paint(Tone::Good, &what));
    let left = session.left() as u64 + answered.later;
    if left > 0 {
        text.push_str(&format!("  {} left for another time\n", counted(left, "pair")));
    }
    if decided > 0 {
        text.push_str(&next(file, is_named));
    }
    text
}

fn next(file: &Path, is_named: bool) -> String {
    let kept = format!("  {}: every decision, to be read and changed with any editor\n", file.display());
    let name = file.file_name().unwrap_or_default().to_string_lossy();
    if is_named {
        format!("{kept}  run the job again: it reads them\n")
    } else {
        format!(
            "{kept}  for the next run: decisions = \"{name}\" in [person] of the job, with its path from there; \
             pebblebank clean reads it with --decisions {}\n",
            file.display()
        )
    }
}

/// That one person was taken out.
pub fn taken_out(person: &str, file: &Path, is_named: bool, screen: &Screen) -> String {
    let what = format!("{} is taken out of the next run", safe(person, 80));
    format!("{}\n{}", screen.paint(Tone::Good, &what), next(file, is_named))
}

/// That it was undone that one person was taken out.
pub fn taken_back(person: &str, file: &Path, is_named: bool, screen: &Screen) -> String {
    let what = format!("{} is no longer taken out by hand; the next run judges it like all others", safe(person, 80));
    format!("{}\n{}", screen.paint(Tone::Good, &what), next(file, is_named))
}

/// The JSON document that `--json` prints.
pub fn json(session: &Session, file: &Path) -> String {
    let answered = session.answered();
    let body = ReviewDocument {
        decisions: file,
        same: answered.same,
        different: answered.different,
        taken_out: answered.taken_out,
        later: answered.later,
        left: session.left(),
        decided_before: session.decided_before,
    };
    document("pebblebank/review/1", body)
}
