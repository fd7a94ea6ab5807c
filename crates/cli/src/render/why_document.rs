//! What became of one person, for programs.

use super::why::{BankSaid, NotOpened, Told, what_matches};
use crate::documents::document;
use crate::documents::receipts::{
    BankToday, CellDocument, EntryDocument, ImportLine, ListDocument, NearMissDocument, NotOpenedDocument,
    NotReadDocument, PlaceDocument, RepairDocument, RowDocument, StatedDocument, StoryDocument, WhyDocument,
};
use pebblebank_core::run::decide::why::words;
use pebblebank_core::run::retrace::{MatchedBy, NotRead, Stated};
use pebblebank_report::receipt::people::Fate;
use pebblebank_report::story::{ListEntry, RowStory, Story};

/// The stories for programs.
pub fn json(who: &str, told: &[Told], not_opened: &[NotOpened], bank: Option<&BankSaid>) -> String {
    let body = WhyDocument {
        asked: who,
        runs: told.iter().map(run).collect(),
        not_opened: not_opened
            .iter()
            .map(|one| NotOpenedDocument { receipt: &one.folder, what: one.error.what() })
            .collect(),
        bank: bank.filter(|bank| bank.silence.is_none()).map(|bank| BankToday {
            file: &bank.path,
            held: bank.found.iter().any(|found| found.is_held(&bank.today) || found.is_forgotten),
            entries: bank.all_entries(),
        }),
    };
    document("pebblebank/why/1", body)
}

fn run(told: &Told) -> StoryDocument<'_> {
    let (receipt, story) = (&told.receipt, &told.story);
    let near_misses = story.near_misses.iter();
    let near_misses = near_misses.map(|near| NearMissDocument { list: &near.list, entry: &near.entry, why: &near.why });
    StoryDocument {
        receipt: &receipt.folder,
        job: receipt.job(),
        started: receipt.started.as_deref(),
        edited: &receipt.edited,
        is_unsealed: receipt.is_unsealed,
        is_written: story.is_written(),
        reason: story.reason(),
        rows_in_all: story.rows_in_all,
        people: story.people,
        written_people: story.written_people,
        rows: story.rows.iter().map(|row| row_of(told, row)).collect(),
        lists: lists(story),
        allowed: story.allowed.as_deref(),
        not_read: story.not_read.iter().map(|(file, why)| not_read(file, why)).collect(),
        near_misses: near_misses.collect(),
        import_line: story.import_line.as_ref().map(|(file, line)| ImportLine { file, line: *line }),
        closest: &story.closest,
    }
}

/// The entries by their lists, in the order in which these were read.
fn lists(story: &Story) -> Vec<ListDocument<'_>> {
    let mut lists: Vec<ListDocument> = Vec::new();
    for ListEntry { file, suppresses, entry } in &story.entries {
        let is_near = matches!(entry.by, MatchedBy::Near(_));
        let document = EntryDocument {
            file,
            row: entry.row,
            entry: what_matches(&entry.by),
            is_near_miss: is_near,
            read: cells(&entry.cells),
        };
        match lists.iter_mut().find(|list| list.list == entry.list) {
            Some(list) => list.entries.push(document),
            None => lists.push(ListDocument { list: &entry.list, suppresses: *suppresses, entries: vec![document] }),
        }
    }
    lists
}

fn not_read<'a>(file: &'a str, why: &'a NotRead) -> NotReadDocument<'a> {
    let (why, what) = match why {
        NotRead::Gone => ("gone", None),
        NotRead::Changed => ("changed", None),
        NotRead::TooLarge => ("too-large", None),
        NotRead::Unreadable(what) => ("unreadable", Some(what.as_str())),
    };
    NotReadDocument { file, why, what }
}

fn cells(cells: &[(String, String)]) -> Vec<CellDocument<'_>> {
    cells.iter().map(|(header, value)| CellDocument { header, value }).collect()
}

fn row_of<'a>(told: &'a Told, row: &'a RowStory) -> RowDocument<'a> {
    let (fate, reason) = match row.fate {
        Fate::Written => ("written", None),
        Fate::Merged => ("merged", None),
        Fate::SetAside(reason) => ("set-aside", Some(reason)),
    };
    let survivor = row.survivor.as_ref();
    let survivor = survivor.map(|place| PlaceDocument { file: &told.receipt.inputs[place.input].file, row: place.row });
    let repairs = row.repairs.iter().map(|repair| RepairDocument {
        rule: &repair.rule,
        field: &repair.field,
        before: &repair.before,
        after: &repair.after,
    });
    RowDocument {
        source: &row.source,
        file: &row.file,
        row: row.place.row,
        fate,
        reason,
        details: &row.details,
        key: &row.key,
        survivor,
        taken: &row.taken,
        note: &row.note,
        read: cells(&row.read),
        consent: row.consent.iter().map(stated).collect(),
        repairs: repairs.collect(),
    }
}

fn stated(stated: &Stated) -> StatedDocument<'_> {
    StatedDocument { header: &stated.header, value: &stated.value, says: words(stated.consent) }
}
