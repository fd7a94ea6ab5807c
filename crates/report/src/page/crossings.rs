//! How many people each source shares with each other source.

use super::parts::share;
use crate::receipt::Receipt;
use crate::receipt::people::Person;
use pebblebank_table::Result;
use pebblebank_table::observe::grouped;
use serde::Serialize;
use std::sync::atomic::{AtomicU16, Ordering};

/// The most sources of which the crossings are shown.
const MOST: usize = 12;

/// For each source: its people, and how many of them each source has.
#[derive(Debug, Serialize)]
pub(super) struct Crossings {
    names: Vec<String>,
    rows: Vec<CrossingsRow>,
}

#[derive(Debug, Serialize)]
struct CrossingsRow {
    name: String,
    people: String,
    /// Number and share, by source; the source itself has none.
    shared: Vec<Option<(String, String)>>,
}

/// Counts them; nothing for a single source, or for more than a page has room for.
pub(super) fn of(receipt: &Receipt, threads: usize) -> Result<Option<Crossings>> {
    let mut names: Vec<String> = Vec::new();
    for input in receipt.inputs.iter().filter(|input| input.part == "source") {
        if !names.contains(&input.of) {
            names.push(input.of.clone());
        }
    }
    if names.len() < 2 || names.len() > MOST {
        return Ok(None);
    }
    // The source of a row, by where its file ends among all rows.
    let mut ends: Vec<(u64, usize)> = Vec::new();
    for input in receipt.inputs.iter().filter(|input| input.part == "source") {
        let before = ends.last().map_or(0, |(end, _)| *end);
        let source = names.iter().position(|name| *name == input.of).unwrap_or_default();
        ends.push((before + input.records, source));
    }
    let source_of = |row: u32| {
        let file = ends.partition_point(|(end, _)| *end <= u64::from(row));
        ends.get(file).map_or(0, |(_, source)| *source)
    };
    // By the row that survives for a person: the sources that have the person.
    let rows = ends.last().map_or(0, |(end, _)| *end);
    let mut people: Vec<AtomicU16> = Vec::new();
    // A damaged receipt may say anything.
    if people.try_reserve_exact(usize::try_from(rows).unwrap_or(usize::MAX)).is_err() {
        return Ok(None);
    }
    people.extend((0..rows).map(|_| AtomicU16::new(0)));
    let each = |person: Person, (): &mut ()| {
        if let Some(sources) = people.get(person.survivor as usize) {
            sources.fetch_or(1 << source_of(person.row), Ordering::Relaxed);
        }
    };
    receipt.scan(threads, &each)?;
    let mut counts = vec![vec![0_u64; names.len()]; names.len()];
    for sources in people.into_iter().map(AtomicU16::into_inner).filter(|sources| *sources != 0) {
        for (a, row) in counts.iter_mut().enumerate().filter(|(a, _)| sources & (1 << a) != 0) {
            row.iter_mut().enumerate().filter(|(b, _)| sources & (1 << b) != 0).for_each(|(_, count)| *count += 1);
            debug_assert!(row[a] > 0);
        }
    }
    let row = |(a, name): (usize, &String)| {
        let own = counts[a][a];
        let cell = |(b, count): (usize, &u64)| (a != b).then(|| (grouped(*count), share(*count, own)));
        let shared = counts[a].iter().enumerate().map(cell).collect();
        CrossingsRow { name: name.clone(), people: grouped(own), shared }
    };
    let rows = names.iter().enumerate().map(row).collect();
    Ok(Some(Crossings { names, rows }))
}
