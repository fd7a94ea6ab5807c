//! What became of one person, for programs.

use super::why::{BankSaid, ListedIn, Told};
use crate::documents::document;
use crate::documents::receipts::{
    BankToday, CellDocument, EntryDocument, ImportLine, ListDocument, NearMissDocument, PlaceDocument, RepairDocument,
    RowDocument, StoryDocument, WhyDocument,
};
use pebblebank_report::receipt::people::Fate;
use pebblebank_report::story::RowStory;

/// The stories for programs.
pub fn json(who: &str, told: &[Told], bank: Option<&BankSaid>) -> String {
    let body = WhyDocument {
        asked: who,
        runs: told.iter().map(run).collect(),
        bank: bank
            .filter(|bank| bank.silence.is_none())
            .map(|bank| BankToday { file: &bank.path, held: bank.found.is_held(&bank.today) }),
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
        lists: told.lists.iter().map(list).collect(),
        near_misses: near_misses.collect(),
        import_line: story.import_line.as_ref().map(|(file, line)| ImportLine { file, line: *line }),
        closest: &story.closest,
        not_searched: &story.not_searched,
    }
}

fn list(list: &ListedIn) -> ListDocument<'_> {
    let entries = list.entries.iter().map(|(file, row, entry)| EntryDocument { file, row: *row, entry });
    ListDocument { list: &list.list, has_changed: list.has_changed, entries: entries.collect() }
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
        read: row.read.iter().map(|(header, value)| CellDocument { header, value }).collect(),
        repairs: repairs.collect(),
    }
}
