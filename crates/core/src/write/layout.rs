//! A layout fitted to the columns of one file, and the way of a row through it.

use super::csv::{CsvBuffer, RawCells};
use super::value::ValueSource;
use crate::columns::ColumnMap;
use crate::job::layout::{ColumnRef, Content, Layout, Piece};
use crate::pipeline::settle::Cleared;
use crate::read::Record;
use crate::read::cell::is_empty;

/// A layout fitted to the columns of one file.
#[derive(Debug, Clone)]
pub struct LayoutPlan {
    columns: Vec<CellPlan>,
    has_required: bool,
}

#[derive(Debug, Clone)]
struct CellPlan {
    name: String,
    content: ContentPlan,
    otherwise: Option<String>,
    required: bool,
}

#[derive(Debug, Clone)]
enum ContentPlan {
    Constant(String),
    Value(ValueSource),
    Template(Vec<PiecePlan>),
    /// The cells that the header has no column for; it has this many.
    Surplus(usize),
}

#[derive(Debug, Clone)]
enum PiecePlan {
    Text(String),
    Value(ValueSource),
}

/// A value that was a blank word and is written empty.
#[derive(Debug, Clone, Copy)]
pub struct BlankWordWritten<'a> {
    /// The column's header in the layout.
    pub column: &'a str,
    /// The cell as it stood in its file.
    pub raw: &'a [u8],
}

impl LayoutPlan {
    /// Fits a layout to a file.
    pub fn new(layout: &Layout, map: &ColumnMap, is_receipt: bool) -> LayoutPlan {
        let source = |column: &ColumnRef| ValueSource::new(column, map, is_receipt);
        let columns: Vec<CellPlan> = layout
            .columns
            .iter()
            .map(|column| CellPlan {
                name: column.name.clone(),
                content: match &column.content {
                    Content::Constant(text) => ContentPlan::Constant(text.clone()),
                    Content::Surplus => ContentPlan::Surplus(map.width()),
                    Content::Column(column) => ContentPlan::Value(source(column)),
                    Content::Template(template) => ContentPlan::Template(
                        template
                            .pieces
                            .iter()
                            .map(|piece| match piece {
                                Piece::Text(text) => PiecePlan::Text(text.clone()),
                                Piece::Column(column) => PiecePlan::Value(source(column)),
                            })
                            .collect(),
                    ),
                },
                otherwise: column.otherwise.clone(),
                required: column.required,
            })
            .collect();
        LayoutPlan { has_required: columns.iter().any(|column| column.required), columns }
    }

    /// The name of the first required column that would stay blank.
    pub fn violation(&self, record: &Record, address: &[u8]) -> Option<&str> {
        if !self.has_required {
            return None;
        }
        let stays_blank = |column: &&CellPlan| column.required && column.is_blank(record, address);
        self.columns.iter().find(stays_blank).map(|column| column.name.as_str())
    }

    /// Writes a contact that may be written to. Calls `blank_word` for every blank word that is written empty.
    pub fn write<'a>(
        &'a self,
        _cleared: Cleared,
        record: &Record<'a>,
        address: &'a [u8],
        cells: RawCells,
        out: &mut CsvBuffer,
        mut blank_word: impl FnMut(BlankWordWritten<'a>),
    ) {
        for column in &self.columns {
            if let ContentPlan::Value(ValueSource::Address) = column.content
                && !address.is_empty()
            {
                out.address(address);
                continue;
            }
            if let (ContentPlan::Value(ValueSource::Column(plan)), None) = (&column.content, &column.otherwise) {
                let cell = record.raw_cell(plan.column.0);
                let raw = cell.bytes;
                if plan.is_blank_word(raw) {
                    if !is_empty(raw) {
                        blank_word(BlankWordWritten { column: &column.name, raw });
                    }
                    out.value(b"");
                } else if plan.is_receipt {
                    out.value(&plan.value(record));
                } else {
                    out.raw(cell, cells);
                }
                continue;
            }
            out.value(&column.text(record, address));
        }
        out.end_row();
    }
}

impl CellPlan {
    fn is_blank(&self, record: &Record, address: &[u8]) -> bool {
        self.text(record, address).is_empty()
    }

    /// What stands in the column for this record.
    fn text<'a>(&'a self, record: &Record<'a>, address: &'a [u8]) -> std::borrow::Cow<'a, [u8]> {
        let text = match &self.content {
            ContentPlan::Constant(text) => return text.as_bytes().into(),
            ContentPlan::Surplus(width) => record.raw_from(*width).into(),
            ContentPlan::Value(source) => source.value(record, address),
            ContentPlan::Template(pieces) => fill(pieces, self.otherwise.is_some(), record, address).into(),
        };
        match (&self.otherwise, text.is_empty()) {
            (Some(otherwise), true) => otherwise.as_bytes().into(),
            _ => text,
        }
    }
}

/// Fills a template. Empty where `all_or_nothing` and one of its values is blank; else the blanks that
/// empty values leave are closed up.
fn fill(pieces: &[PiecePlan], all_or_nothing: bool, record: &Record, address: &[u8]) -> Vec<u8> {
    let mut filled = Vec::new();
    let mut has_blank = false;
    for piece in pieces {
        match piece {
            PiecePlan::Text(text) => filled.extend_from_slice(text.as_bytes()),
            PiecePlan::Value(source) => {
                let value = source.value(record, address);
                has_blank |= value.is_empty();
                filled.extend_from_slice(&value);
            }
        }
    }
    match (has_blank, all_or_nothing) {
        (false, _) => filled,
        (true, true) => Vec::new(),
        (true, false) => close_up(&filled),
    }
}

/// One blank for each run of blanks, none at the ends.
fn close_up(text: &[u8]) -> Vec<u8> {
    text.split(|byte| *byte == b' ').filter(|word| !word.is_empty()).collect::<Vec<_>>().join(&b' ')
}
