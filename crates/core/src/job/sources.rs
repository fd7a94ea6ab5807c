//! Where contacts come from, and how their values are cleaned, as a job says it.

use super::pattern::FilePattern;
use super::row_range::RowRange;
use crate::columns::wishes::ColumnWishes;
use crate::person::same::PersonKey;
use crate::select::condition::Selection;
use pebblebank_formats::ReadWishes;
use pebblebank_values::Rules;
use pebblebank_values::audience::DisposableDomains;
use pebblebank_values::blank::BlankWords;
use pebblebank_values::date::DateOrder;
use pebblebank_values::identity::Identity;
use std::sync::Arc;

/// One or more files of the same shape that contacts come from.
#[derive(Debug, Clone)]
pub struct Source {
    /// What it is called in tables and receipts.
    pub name: String,
    /// Its files.
    pub read: ReadFiles,
    /// Which of its rows can be written; the others still bring what they say of their person. None for all.
    pub condition: Option<Selection>,
    /// Which rows of its file can be written, as for `condition`; none for all.
    pub rows: Option<RowRange>,
    /// The keys of people in the words of this source, where they differ from those of the job.
    pub same: Option<Vec<PersonKey>>,
    /// After how many days its files are too old to be relied on; none for never.
    pub stale_after: Option<u32>,
}

impl Source {
    /// The rows of its file that can be written.
    #[must_use]
    pub fn only_rows(self, rows: Option<RowRange>) -> Source {
        Source { rows, ..self }
    }

    /// Files of which every row can be written.
    pub fn new(name: impl Into<String>, read: ReadFiles) -> Source {
        Source { name: name.into(), read, condition: None, rows: None, same: None, stale_after: None }
    }
}

/// Files to read, and how.
#[derive(Debug, Clone, Default)]
pub struct ReadFiles {
    /// The files, or patterns for them.
    pub files: Vec<FilePattern>,
    /// The columns that are not recognised by themselves.
    pub columns: ColumnWishes,
    /// Where recognition is overruled.
    pub wishes: ReadWishes,
}

/// How values are cleaned, and which contacts are left out for their address.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct CleanWishes {
    /// The suggested rules that are applied.
    pub apply: Rules,
    /// Whether the day or the month comes first, in columns that may be read in both ways.
    pub date_order: Option<DateOrder>,
    /// Words that stand for nothing.
    pub blank_words: Arc<BlankWords>,
    /// What addresses are compared by.
    pub identity: Identity,
    /// What happens to role addresses, such as `info@`.
    pub role: Passing,
    /// What happens to addresses at disposable domains.
    pub disposable: Passing,
    /// Which domains those are, beside the known ones.
    pub disposable_domains: DisposableDomains,
}

/// Whether contacts of a kind are written.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Passing {
    /// They are.
    #[default]
    Pass,
    /// They are, with a tag.
    Tag,
    /// They are set aside.
    SetAside,
}
