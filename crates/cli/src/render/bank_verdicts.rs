//! What `bank load --as verdicts` says, and what the bank has of verdicts.

use super::bank::{faint, good};
use super::table::{Side, Table};
use super::{Screen, counted, number, safe};
use crate::documents::bank::{ResultWord, ResultsDocument};
use crate::documents::document;
use pebblebank_bank::verdicts::ResultsTaken;
use pebblebank_core::tasks::check_results::Results;
use pebblebank_values::verdict::Why;
use std::collections::BTreeMap;

/// The most words that are shown.
const WORDS_SHOWN: usize = 12;

/// What the results were, and what they changed.
pub struct ResultsSeen {
    file: String,
    rows: u64,
    column: String,
    also: Vec<String>,
    words: BTreeMap<String, (Why, u64)>,
    without_address: u64,
    without_word: u64,
    /// What they changed.
    pub taken: ResultsTaken,
    /// Addresses with verdicts that contradict each other.
    pub contradicting: u64,
}

impl ResultsSeen {
    /// What was read.
    pub fn of(read: &Results, words: BTreeMap<String, (Why, u64)>) -> ResultsSeen {
        ResultsSeen {
            file: read.file.clone(),
            rows: read.rows,
            column: read.column.clone(),
            also: read.also.clone(),
            words,
            without_address: read.without_address,
            without_word: read.without_word,
            taken: ResultsTaken::default(),
            contradicting: 0,
        }
    }
}

/// What was taken in, or would be.
pub fn taken_in(seen: &ResultsSeen, dry_run: bool, screen: &Screen) -> String {
    let taken = &seen.taken;
    if screen.json {
        return json_of(seen, dry_run);
    }
    let kept = taken.addresses - taken.forgotten;
    let verb = if dry_run { "would be remembered" } else { "remembered" };
    let mut text = good(&format!("verdicts on {} {verb}", counted(kept, "address")), screen);
    let mut table =
        Table::new(&[("Word", Side::Left), ("read as", Side::Left), ("", Side::Left), ("rows", Side::Right)]);
    for (word, (why, rows)) in seen.words.iter().take(WORDS_SHOWN) {
        let read_as = [why.verdict().name().to_owned(), why.name().to_owned(), number(*rows)];
        table.row(std::iter::once(safe(word, 40)).chain(read_as).collect());
    }
    text.push('\n');
    text.push_str(&table.render(screen));
    let more = seen.words.len().saturating_sub(WORDS_SHOWN);
    let lines = [
        (more > 0).then(|| format!("and {more} more words (--json has them all)")),
        Some(format!(
            "{} of {}, by its column \"{}\".",
            counted(seen.rows, "row"),
            safe(&seen.file, 60),
            safe(&seen.column, 40)
        )),
        (!seen.also.is_empty()).then(|| {
            format!(
                "Also with such words: \"{}\". --status COLUMN takes another one.",
                safe(&seen.also.join("\", \""), 80)
            )
        }),
        (taken.came_back + taken.still_awaited > 0).then(|| {
            format!(
                "{} of those given out came back; {} are still awaited.",
                number(taken.came_back),
                number(taken.still_awaited)
            )
        }),
        (taken.came_back + taken.still_awaited == 0).then(|| {
            "Nothing had been given out with check --to-check, so it was not compared with anything.".to_owned()
        }),
        (seen.without_address > 0).then(|| format!("{} had no usable address.", counted(seen.without_address, "row"))),
        (seen.without_word > 0).then(|| format!("{} had no verdict.", counted(seen.without_word, "row"))),
        (seen.contradicting > 0).then(|| {
            format!("{} had verdicts that contradict each other: unknown.", counted(seen.contradicting, "address"))
        }),
        (taken.forgotten > 0).then(|| {
            format!("{} of people who were forgotten, of whom nothing is kept.", counted(taken.forgotten, "address"))
        }),
    ];
    text.push('\n');
    lines.iter().flatten().for_each(|line| text.push_str(&faint(line, screen)));
    text
}

fn json_of(seen: &ResultsSeen, dry_run: bool) -> String {
    let words = seen.words.iter();
    let words = words.map(|(word, (why, rows))| ResultWord {
        word,
        verdict: why.verdict().name(),
        why: why.name(),
        rows: *rows,
    });
    let body = ResultsDocument {
        file: &seen.file,
        dry_run,
        rows: seen.rows,
        column: &seen.column,
        also: &seen.also,
        words: words.collect(),
        addresses: seen.taken.addresses,
        came_back: seen.taken.came_back,
        still_awaited: seen.taken.still_awaited,
        forgotten: seen.taken.forgotten,
        contradicting: seen.contradicting,
        without_address: seen.without_address,
        without_verdict: seen.without_word,
    };
    document("pebblebank/bank-verdicts/1", body)
}
