//! A layout fitted to the columns of one file, and the way of a row through it.

use super::sort::SortPlan;
use super::{Content, Form, Layout, Membership, Piece};
use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use crate::select::plan::JobFacts;
use crate::suppress::marks::Mark;
use pebblebank_table::csv::RawCells;
use pebblebank_table::{CsvBuffer, Record};
use pebblebank_values::blank::BlankWords;
use pebblebank_values::date::Date;
use pebblebank_values::date_format::DateFormat;
use pebblebank_values::place::{Country, PlaceForm};
use pebblebank_values::{ColumnRef, Field, region};
use std::borrow::Cow;
use std::sync::Arc;

/// A layout fitted to the columns of one file.
#[derive(Debug, Clone)]
pub struct LayoutPlan {
    columns: Vec<CellPlan>,
    has_required: bool,
    sort: SortPlan,
    blank_words: Arc<BlankWords>,
}

#[derive(Debug, Clone)]
struct CellPlan {
    name: String,
    content: ContentPlan,
    form: Option<FormPlan>,
    otherwise: Option<String>,
    required: bool,
}

#[derive(Debug, Clone)]
enum ContentPlan {
    Constant(String),
    Value(ValueSource),
    Template(Vec<PiecePlan>),
    /// One text for people who are marked with this, another one for those who are not.
    Membership(Mark, Membership),
    /// The cells that the header has no column for; it has this many.
    Surplus(usize),
}

#[derive(Debug, Clone)]
enum PiecePlan {
    Text(String),
    Value(ValueSource),
}

/// In what form a value is written, other than the cleaned one.
#[derive(Debug, Clone)]
enum FormPlan {
    Country(PlaceForm),
    Region { form: PlaceForm, country: ValueSource, otherwise: Option<Country> },
    Date(DateFormat),
    OptedIn(String),
}

impl LayoutPlan {
    /// Fits a layout of a job to the cleaned records of a file.
    pub fn new(layout: &Layout, map: &ColumnMap, is_receipt: bool, facts: JobFacts) -> LayoutPlan {
        let source = |column: &ColumnRef| ValueSource::new(column, map, is_receipt);
        let form = |form: &Form, content: &Content| match (form, content) {
            (Form::Place(form), Content::Column(ColumnRef::Field(Field::Region))) => {
                let of = source(&ColumnRef::Field(Field::Country));
                FormPlan::Region { form: *form, country: of, otherwise: facts.country }
            }
            (Form::Place(form), _) => FormPlan::Country(*form),
            (Form::Date(format), _) => FormPlan::Date(format.clone()),
            (Form::OptedIn(word), _) => FormPlan::OptedIn(word.clone()),
        };
        let columns: Vec<CellPlan> = layout
            .columns
            .iter()
            .map(|column| CellPlan {
                name: column.name.clone(),
                content: match &column.content {
                    Content::Constant(text) => ContentPlan::Constant(text.clone()),
                    Content::Surplus => ContentPlan::Surplus(map.width()),
                    Content::Membership(membership) => {
                        let mark =
                            facts.lists.mark_named(&membership.list).expect("the job was checked to have the list");
                        ContentPlan::Membership(mark, membership.clone())
                    }
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
                form: column.form.as_ref().map(|wanted| form(wanted, &column.content)),
                otherwise: column.otherwise.clone(),
                required: column.required,
            })
            .collect();
        let sort = SortPlan::new(&layout.sort, map, is_receipt, facts.blank_words);
        let blank_words = Arc::clone(facts.blank_words);
        LayoutPlan { has_required: columns.iter().any(|column| column.required), columns, sort, blank_words }
    }

    /// The name of the first required column that would stay blank.
    pub fn violation(&self, record: &Record, address: &[u8], marks: &[Mark]) -> Option<&str> {
        if !self.has_required {
            return None;
        }
        let row = Row { record, address, marks, blank_words: &self.blank_words };
        let stays_blank = |column: &&CellPlan| column.required && column.is_blank(&row);
        self.columns.iter().find(stays_blank).map(|column| column.name.as_str())
    }

    /// What its rows are sorted by.
    pub fn sort(&self) -> &SortPlan {
        &self.sort
    }

    /// Lays a contact out as a row of `out`; `marks` are those of its person.
    pub fn lay_out(&self, record: &Record, address: &[u8], marks: &[Mark], cells: RawCells, out: &mut CsvBuffer) {
        let row = Row { record, address, marks, blank_words: &self.blank_words };
        for column in &self.columns {
            match (&column.content, &column.otherwise, &column.form) {
                (ContentPlan::Value(ValueSource::Address), ..) if !address.is_empty() => out.address(address),
                (ContentPlan::Value(ValueSource::Column(plan)), None, None) if !plan.is_receipt => {
                    out.raw(record.raw_cell(plan.column.0), cells);
                }
                _ => match column.text(&row) {
                    CellText::OfJob(text) => out.own_text(text.as_bytes()),
                    CellText::OfRow(text) => out.value(&text),
                },
            }
        }
        out.end_row();
    }
}

/// A row that is laid out.
struct Row<'a> {
    record: &'a Record<'a>,
    address: &'a [u8],
    marks: &'a [Mark],
    blank_words: &'a BlankWords,
}

/// What stands in a cell.
enum CellText<'a> {
    /// A text that the job says, the same in many rows.
    OfJob(&'a str),
    /// A value of the row.
    OfRow(Cow<'a, [u8]>),
}

impl CellPlan {
    /// Whether the column stays blank; a word that stands for nothing is blank too.
    fn is_blank(&self, row: &Row) -> bool {
        match self.text(row) {
            CellText::OfJob(text) => text.is_empty(),
            CellText::OfRow(text) => {
                let is_word = |source: &ValueSource| source.is_blank_word(&text, row.blank_words);
                text.is_empty() || matches!(&self.content, ContentPlan::Value(source) if is_word(source))
            }
        }
    }

    /// What stands in the column for this row.
    fn text<'a>(&'a self, row: &Row<'a>) -> CellText<'a> {
        let Row { record, address, marks, blank_words } = *row;
        let text: Cow<[u8]> = match &self.content {
            ContentPlan::Constant(text) => return CellText::OfJob(text),
            ContentPlan::Membership(mark, membership) => {
                let text = if mark.is_in(marks) { &membership.yes } else { &membership.no };
                let otherwise = self.otherwise.as_ref().filter(|_| text.is_empty());
                return CellText::OfJob(otherwise.unwrap_or(text));
            }
            ContentPlan::Surplus(width) => record.raw_from(*width).into(),
            ContentPlan::Value(source) => {
                let value = match &self.otherwise {
                    Some(_) => source.filled(record, address, blank_words),
                    None => source.value(record, address),
                };
                match &self.form {
                    Some(form) => form.of(value, record),
                    None => value,
                }
            }
            ContentPlan::Template(pieces) => fill(pieces, self.otherwise.is_some(), row).into(),
        };
        match &self.otherwise {
            Some(otherwise) if text.is_empty() => CellText::OfJob(otherwise),
            _ => CellText::OfRow(text),
        }
    }
}

/// How a cleaned status says that somebody opted in.
const OPTED_IN: &str = "opted-in";

impl FormPlan {
    /// The value in this form; as it is where it is none of the kind.
    fn of<'a>(&self, value: Cow<'a, [u8]>, record: &Record) -> Cow<'a, [u8]> {
        let Ok(text) = std::str::from_utf8(&value) else { return value };
        let formed = match self {
            FormPlan::Country(PlaceForm::Code) => Country::from_text(text).map(|country| country.code().to_owned()),
            FormPlan::Country(PlaceForm::Name) => Country::from_text(text).map(|country| country.name().to_owned()),
            FormPlan::Region { form, country, otherwise } => {
                let own = country.value(record, b"");
                let own = Country::from_text(&String::from_utf8_lossy(&own));
                own.or(*otherwise).and_then(|country| region::region(text, country, Some(*form))).map(str::to_owned)
            }
            FormPlan::OptedIn(word) => Some(if text == OPTED_IN { word.clone() } else { String::new() }),
            FormPlan::Date(format) => text.get(..10).and_then(Date::from_iso).map(|date| format.of(date)),
        };
        formed.map_or(value, |formed| formed.into_bytes().into())
    }
}

/// Fills a template. Empty where `all_or_nothing` and one of its values is blank; else the blanks that
/// empty values leave are closed up.
fn fill(pieces: &[PiecePlan], all_or_nothing: bool, row: &Row) -> Vec<u8> {
    let mut filled = Vec::new();
    let mut has_blank = false;
    for piece in pieces {
        match piece {
            PiecePlan::Text(text) => filled.extend_from_slice(text.as_bytes()),
            PiecePlan::Value(source) => {
                let value = source.filled(row.record, row.address, row.blank_words);
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
