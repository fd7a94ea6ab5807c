//! A layout fitted to the columns of one file, and the way of a row through it.

use super::demands::{Demands, TooLong, Unfit};
use super::sort::SortPlan;
use super::{Content, Form, Layout, LetterCase, Membership, OnViolation, Piece};
use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use crate::select::plan::JobFacts;
use crate::suppress::marks::Mark;
use pebblebank_formats::writing::encode::{has_all_characters, has_all_of, written_form};
use pebblebank_formats::writing::form::Lacking;
use pebblebank_formats::writing::row_buffer::RowBuffer;
use pebblebank_formats::writing::sheet::fits_cell;
use pebblebank_formats::writing::{FileForm, FileFormat};
use pebblebank_table::Record;
use pebblebank_table::csv::RawCells;
use pebblebank_values::address_syntax;
use pebblebank_values::blank::BlankWords;
use pebblebank_values::date::Date;
use pebblebank_values::date_format::DateFormat;
use pebblebank_values::place::{Country, PlaceForm};
use pebblebank_values::{ColumnRef, Field, Kind, region, tags, yes_no};
use std::borrow::Cow;
use std::sync::Arc;

/// A layout fitted to the columns of one file.
#[derive(Debug, Clone)]
pub struct LayoutPlan {
    columns: Vec<CellPlan>,
    /// Whether a row can fail to fit.
    is_demanding: bool,
    /// Whether the form of the file cannot hold every text.
    limits_texts: bool,
    on_violation: OnViolation,
    form: FileForm,
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
    demands: Option<Demands>,
}

/// What is wrong with a required column that has nothing.
pub const WOULD_STAY_BLANK: &str = "would stay blank";

/// Why a row does not fit a layout.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Violation {
    /// The column and what is wrong, for the receipt.
    pub details: String,
    /// The column.
    pub column: String,
    /// What is wrong with it.
    pub fault: String,
    /// Whether the run stops at it.
    pub stops: bool,
}

#[derive(Debug, Clone)]
enum ContentPlan {
    Constant(String),
    Value(ValueSource),
    Template(Vec<PiecePlan>),
    /// One text for people who are marked with this, another one for those who are not.
    Membership(Mark, Membership),
    /// The contact's tags, and those that the job gives it.
    Tags(ValueSource),
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
    YesNo { yes: String, no: String, is_consent: bool },
    Case(LetterCase),
    ALabel,
    DecimalComma,
}

impl LayoutPlan {
    /// Fits a layout of a job, which gives a file of this form, to the cleaned records of a file.
    pub fn new(
        layout: &Layout,
        form_of_file: &FileForm,
        map: &ColumnMap,
        is_receipt: bool,
        facts: JobFacts,
    ) -> LayoutPlan {
        let source = |column: &ColumnRef| ValueSource::new(column, map, is_receipt);
        let form = |form: &Form, content: &Content| match (form, content) {
            (Form::Place(form), Content::Column(ColumnRef::Field(Field::Region))) => {
                let of = source(&ColumnRef::Field(Field::Country));
                FormPlan::Region { form: *form, country: of, otherwise: facts.country }
            }
            (Form::Place(form), _) => FormPlan::Country(*form),
            (Form::Date(format), _) => FormPlan::Date(format.clone()),
            (Form::OptedIn(word), _) => FormPlan::OptedIn(word.clone()),
            (Form::YesNo { yes, no }, content) => {
                let is_consent = *content == Content::Column(ColumnRef::Field(Field::Consent));
                FormPlan::YesNo { yes: yes.clone(), no: no.clone(), is_consent }
            }
            (Form::Case(case), _) => FormPlan::Case(*case),
            (Form::ALabel, _) => FormPlan::ALabel,
        };
        let is_number = |content: &Content| match content {
            Content::Column(ColumnRef::Extra(extra)) => map
                .headers
                .column(&extra.folded)
                .is_some_and(|column| map.own.iter().any(|(own, kind)| *own == column && *kind == Kind::Number)),
            _ => false,
        };
        let decimal =
            |content: &Content| (layout.decimal_comma && is_number(content)).then_some(FormPlan::DecimalComma);
        let columns: Vec<CellPlan> = layout
            .columns
            .iter()
            .enumerate()
            .map(|(place, column)| CellPlan {
                name: column.name.clone(),
                content: match &column.content {
                    Content::Constant(text) => ContentPlan::Constant(text.clone()),
                    Content::Surplus => ContentPlan::Surplus(map.width()),
                    Content::Membership(membership) => {
                        let mark =
                            facts.lists.mark_named(&membership.list).expect("the job was checked to have the list");
                        ContentPlan::Membership(mark, membership.clone())
                    }
                    Content::Column(column) if facts.gives_tags && *column == ColumnRef::Field(Field::Tags) => {
                        ContentPlan::Tags(source(column))
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
                form: column
                    .form
                    .as_ref()
                    .map(|wanted| form(wanted, &column.content))
                    .or_else(|| decimal(&column.content)),
                otherwise: column.otherwise.clone(),
                // A recipient without an address is none.
                required: column.required || (place == 0 && form_of_file.format == FileFormat::RecipientLine),
                demands: (!column.demands.is_nothing()).then(|| column.demands.clone()),
            })
            .collect();
        let sort = SortPlan::new(&layout.sort, map, is_receipt, facts.blank_words);
        let blank_words = Arc::clone(facts.blank_words);
        let limits_texts = !has_all_characters(form_of_file.encoding) || form_of_file.format == FileFormat::Xlsx;
        let is_demanding = limits_texts || columns.iter().any(|column| column.required || column.demands.is_some());
        let (on_violation, form) = (layout.on_violation, form_of_file.clone());
        LayoutPlan { columns, is_demanding, limits_texts, on_violation, form, sort, blank_words }
    }

    /// The first column that the row would not fit.
    pub fn violation(&self, row: &Row) -> Option<Violation> {
        if !self.is_demanding {
            return None;
        }
        self.columns.iter().find_map(|column| self.violation_of(column, row))
    }

    fn violation_of(&self, column: &CellPlan, row: &Row) -> Option<Violation> {
        let stops = self.on_violation == OnViolation::Stop;
        let violation = |fault: String, stops: bool| {
            let name = &column.name;
            let details = if fault.is_empty() { name.clone() } else { format!("{name}: {fault}") };
            let fault = if fault.is_empty() { WOULD_STAY_BLANK.to_owned() } else { fault };
            Some(Violation { details, column: name.clone(), fault, stops })
        };
        if column.required && column.is_blank(row, &self.blank_words) {
            return violation(String::new(), stops);
        }
        if column.demands.is_none() && !self.limits_texts {
            return None;
        }
        let bytes = match column.text(row, &self.blank_words) {
            CellText::OfJob(_) if column.demands.is_none() => return None,
            CellText::OfJob(text) => Cow::Borrowed(text.as_bytes()),
            CellText::OfRow(text) => text,
        };
        let text = std::str::from_utf8(&bytes).unwrap_or_default();
        match column.demands.as_ref().and_then(|demands| demands.unfit(text)) {
            Some(Unfit::NotAllowed) => return violation("none of the values that are allowed".to_owned(), stops),
            Some(Unfit::Pattern) => return violation("does not look as it must".to_owned(), stops),
            Some(Unfit::TooLong(most, then)) => {
                return violation(format!("longer than {most} characters"), then == TooLong::Stop);
            }
            None => {}
        }
        if self.form.format == FileFormat::Xlsx && !fits_cell(text) {
            return violation("cannot stand in a cell of a workbook".to_owned(), stops);
        }
        let lacking = if column.is_address() { Lacking::SetAside } else { self.form.lacking };
        let fits = text.is_ascii()
            || match lacking {
                Lacking::SetAside => has_all_of(text, self.form.encoding),
                Lacking::Nearest => written_form(text, self.form.encoding, lacking).is_some(),
            };
        if fits { None } else { violation(format!("has characters that {} lacks", self.form.encoding.name()), stops) }
    }

    /// What its rows are sorted by.
    pub fn sort(&self) -> &SortPlan {
        &self.sort
    }

    /// Lays a contact out as a row of `out`. `cells` says whether its cells can be copied as they are.
    pub fn lay_out(&self, row: &Row, cells: RawCells, out: &mut impl RowBuffer) {
        let Row { record, address, .. } = *row;
        for column in &self.columns {
            match (&column.content, &column.otherwise, &column.form) {
                (ContentPlan::Value(ValueSource::Address), _, None)
                    if !address.is_empty() && column.demands.is_none() =>
                {
                    out.address(address);
                }
                (ContentPlan::Value(ValueSource::Column(plan)), None, None)
                    if !plan.is_receipt && column.demands.is_none() =>
                {
                    out.raw(record.raw_cell(plan.column.0), cells);
                }
                _ => match column.text(row, &self.blank_words) {
                    CellText::OfJob(text) => out.own_text(text.as_bytes()),
                    CellText::OfRow(text) if column.is_address() => out.address(&text),
                    CellText::OfRow(text) => out.value(&text),
                },
            }
        }
        out.end_row();
    }
}

/// A contact that is laid out.
#[derive(Debug, Clone, Copy)]
pub struct Row<'a> {
    /// Its record, cleaned and filled.
    pub record: &'a Record<'a>,
    /// Its address; empty where it cannot be used.
    pub address: &'a [u8],
    /// What its person is marked with.
    pub marks: &'a [Mark],
    /// The tags that the job gives it.
    pub tags: &'a [&'a str],
}

/// What is in a cell.
enum CellText<'a> {
    /// A text that the job says, the same in many rows.
    OfJob(&'a str),
    /// A value of the row.
    OfRow(Cow<'a, [u8]>),
}

impl CellPlan {
    fn is_address(&self) -> bool {
        matches!(self.content, ContentPlan::Value(ValueSource::Address))
    }

    /// Whether the column stays blank; a word that stands for nothing is blank too.
    fn is_blank(&self, row: &Row, blank_words: &BlankWords) -> bool {
        match self.text(row, blank_words) {
            CellText::OfJob(text) => text.is_empty(),
            CellText::OfRow(text) => {
                let is_word = |source: &ValueSource| source.is_blank_word(&text, blank_words);
                text.is_empty() || matches!(&self.content, ContentPlan::Value(source) if is_word(source))
            }
        }
    }

    /// What is in the column for this row.
    fn text<'a>(&'a self, row: &Row<'a>, blank_words: &BlankWords) -> CellText<'a> {
        let Row { record, address, marks, tags } = *row;
        let text: Cow<[u8]> = match &self.content {
            ContentPlan::Constant(text) => return CellText::OfJob(text),
            ContentPlan::Membership(mark, membership) => {
                let text = if mark.is_in(marks) { &membership.yes } else { &membership.no };
                let otherwise = self.otherwise.as_ref().filter(|_| text.is_empty());
                return CellText::OfJob(otherwise.unwrap_or(text));
            }
            ContentPlan::Tags(source) => with_tags(&source.value(record, address), tags).into(),
            ContentPlan::Surplus(width) => record.raw_from(*width).into(),
            ContentPlan::Value(source) => match &self.otherwise {
                Some(_) => source.filled(record, address, blank_words),
                None => source.value(record, address),
            },
            ContentPlan::Template(pieces) => fill(pieces, self.otherwise.is_some(), row, blank_words).into(),
        };
        let text = match &self.form {
            Some(form) => form.of(text, record),
            None => text,
        };
        let text = match &self.demands {
            Some(demands) => demands.apply(text),
            None => text,
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
            FormPlan::YesNo { .. } if text.is_empty() => None,
            // Whatever a status says, only who opted in is a yes.
            FormPlan::YesNo { yes, no, is_consent: true } => Some(if text == OPTED_IN { yes } else { no }.clone()),
            FormPlan::YesNo { yes, no, .. } => yes_no::read(text).map(|is_yes| if is_yes { yes } else { no }.clone()),
            FormPlan::Case(case) => Some(case.of(text)),
            FormPlan::ALabel => address_syntax::with_a_labels(text),
            FormPlan::DecimalComma => Some(text.replace('.', ",")),
            FormPlan::Date(format) => text.get(..10).and_then(Date::from_iso).map(|date| format.of(date)),
        };
        formed.map_or(value, |formed| formed.into_bytes().into())
    }
}

/// Fills a template. Empty where `all_or_nothing` and one of its values is blank; else the blanks that
/// empty values leave are closed up.
fn fill(pieces: &[PiecePlan], all_or_nothing: bool, row: &Row, blank_words: &BlankWords) -> Vec<u8> {
    let mut filled = Vec::new();
    let mut has_blank = false;
    for piece in pieces {
        match piece {
            PiecePlan::Text(text) => filled.extend_from_slice(text.as_bytes()),
            PiecePlan::Value(source) => {
                let value = source.filled(row.record, row.address, blank_words);
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

/// Tags with those that are new to them added.
fn with_tags(tags: &[u8], added: &[&str]) -> Vec<u8> {
    let mut all = String::from_utf8_lossy(tags).into_owned();
    for tag in added {
        if !all.is_empty() {
            all.push_str(tags::BETWEEN);
        }
        all.push_str(tag);
    }
    let mut united = String::with_capacity(all.len());
    tags::clean(&all, ';', &mut united);
    united.into_bytes()
}

/// One blank for each run of blanks, none at the ends.
fn close_up(text: &[u8]) -> Vec<u8> {
    text.split(|byte| *byte == b' ').filter(|word| !word.is_empty()).collect::<Vec<_>>().join(&b' ')
}
