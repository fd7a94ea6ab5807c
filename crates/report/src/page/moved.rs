//! What changed since the run before.

use super::parts::{PageTable, TALLY};
use crate::changes::{Changes, FileChange, Gone, ListCounts};
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::observe::grouped;
use serde::Serialize;
use std::collections::BTreeMap;

/// What the template shows of it.
#[derive(Serialize)]
pub(super) struct Moved {
    new: String,
    gone: String,
    /// How many are written at another address than before.
    moved: u64,
    before: String,
    /// Why people are gone.
    because: PageTable,
    reasons: PageTable,
    lists: PageTable,
    files: PageTable,
}

pub(super) fn of(found: &Changes, meaning: &dyn Fn(Reason) -> &'static str) -> Moved {
    let mut gone: BTreeMap<Gone, u64> = BTreeMap::new();
    found.gone.iter().for_each(|(_, why)| *gone.entry(*why).or_default() += 1);
    let mut because = PageTable::of(&["Gone because", "people", "what it means"], Some("people.idx"));
    for (why, count) in gone {
        let phrase = match why {
            Gone::SetAside(reason) => meaning(reason),
            Gone::AnotherAddress => "written at another address now",
            Gone::InNoSource => "in no row of any source any more",
        };
        because.row(why.name(), vec![grouped(count), phrase.to_owned()], None);
    }
    let mut reasons = PageTable::of(&["Set aside as", "before", "now"], Some(TALLY));
    for (reason, (before, now)) in found.reasons.iter().filter(|(_, (before, now))| before != now) {
        reasons.row(reason.clone(), vec![grouped(*before), grouped(*now)], None);
    }
    Moved {
        new: people(found.new_people()),
        gone: people(found.gone_people()),
        moved: found.moved,
        before: grouped(found.written_before),
        because,
        reasons,
        lists: lists(found),
        files: files(found),
    }
}

fn lists(found: &Changes) -> PageTable {
    let head = ["Suppression list", "entries before", "entries now", "matched before", "matched now"];
    let mut table = PageTable::of(&head, Some(TALLY));
    let shown = |counts: &Option<ListCounts>, of: fn(&ListCounts) -> u64| {
        counts.as_ref().map_or_else(|| "–".to_owned(), |counts| grouped(of(counts)))
    };
    for (name, (before, now)) in found.lists.iter().filter(|(_, (before, now))| before != now) {
        let cells = vec![
            shown(before, |counts| counts.entries),
            shown(now, |counts| counts.entries),
            shown(before, |counts| counts.matched),
            shown(now, |counts| counts.matched),
        ];
        table.row(name.clone(), cells, None);
    }
    table
}

fn files(found: &Changes) -> PageTable {
    let mut table = PageTable::of(&["File", "compared with the run before"], Some("inputs.json"));
    for (file, change) in &found.files {
        let what = match change {
            FileChange::Same => "the same",
            FileChange::Changed => "changed",
            FileChange::New => "not read before",
            FileChange::Gone => "not read any more",
        };
        table.row(file.clone(), vec![what.to_owned()], None);
    }
    table
}

fn people(count: u64) -> String {
    if count == 1 { "1 person is".to_owned() } else { format!("{} people are", grouped(count)) }
}
