//! The exact shape of a file to be written, as the job says it.

pub mod demands;
pub mod plan;
pub mod receipt;
pub mod sort;

use demands::Demands;
use pebblebank_formats::writing::sheet::SHEET_COLUMNS;
use pebblebank_formats::writing::wishes::FormWishes;
use pebblebank_formats::writing::{FileForm, FileFormat};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date_format::DateFormat;
use pebblebank_values::place::PlaceForm;
use pebblebank_values::{ColumnRef, Field};

/// Columns in order, and how they are written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Layout {
    /// What it is called, for errors.
    pub name: String,
    /// The columns.
    pub columns: Vec<LayoutColumn>,
    /// Whether a cell that a spreadsheet would run as a formula gets an apostrophe in front.
    pub defuse: bool,
    /// What happens to a row in which a required column stays blank.
    pub on_violation: OnViolation,
    /// What rows are sorted by; empty for the order in which they were read.
    pub sort: Vec<SortColumn>,
    /// The format of the file, and how rows and cells stand in it.
    pub form: FormWishes,
    /// Whether numbers have a comma before their decimals.
    pub decimal_comma: bool,
    /// The template that it was read from, and what that does not show; none for a layout that somebody wrote. A column of a
    /// template may stay blank in all rows.
    pub like: Option<(String, Vec<String>)>,
}

impl Layout {
    /// Whether it has the family name, and no column for middle names.
    pub fn leaves_out_middle_names(&self) -> bool {
        let columns: Vec<&ColumnRef> = self.columns.iter().flat_map(|column| column.content.columns()).collect();
        let has = |field| columns.contains(&&ColumnRef::Field(field));
        has(Field::LastName) && !has(Field::MiddleName) && !has(Field::FullName)
    }

    /// A layout of these columns, as CSV.
    pub fn new(name: impl Into<String>, columns: Vec<LayoutColumn>) -> Layout {
        Layout {
            name: name.into(),
            columns,
            defuse: true,
            on_violation: OnViolation::SetAside,
            sort: Vec::new(),
            form: FormWishes::default(),
            decimal_comma: false,
            like: None,
        }
    }

    /// Checks whether its columns can are in a file of this form.
    pub fn fits(&self, form: &FileForm) -> Result<()> {
        let wrong = |what: String, advice: &str| Err(Error::new(ErrorKind::Job, what, advice));
        if form.format == FileFormat::Xlsx && self.columns.len() > SHEET_COLUMNS {
            let what = format!("{} has {} columns, and a sheet holds {SHEET_COLUMNS}", self.name, self.columns.len());
            return wrong(what, "write .csv, or fewer columns");
        }
        let is_address = |column: &LayoutColumn| column.content == Content::Column(ColumnRef::Field(Field::Email));
        let is_line = matches!(self.columns.as_slice(), [first] | [first, _] if is_address(first));
        if form.format == FileFormat::RecipientLine && !is_line {
            let what =
                format!("a recipient line has addresses, and names if you want them; {} has other columns", self.name);
            return wrong(
                what,
                "write email as the first column, and at most a name as the second, as in \"email, full_name\"",
            );
        }
        Ok(())
    }
}

/// A column that rows are sorted by, and in which direction.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SortColumn {
    /// The column.
    pub column: ColumnRef,
    /// Whether the last comes first. Blanks come last in both directions.
    pub is_descending: bool,
}

/// What happens to a row that does not fit the layout.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum OnViolation {
    /// It is set aside as `layout-violation`.
    #[default]
    SetAside,
    /// The run stops.
    Stop,
}

/// One column of a layout.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LayoutColumn {
    /// The header.
    pub name: String,
    /// What stands in it.
    pub content: Content,
    /// In what form, where not in the cleaned one.
    pub form: Option<Form>,
    /// What stands in it where a field of the content is blank.
    pub otherwise: Option<String>,
    /// Whether it must be filled.
    pub required: bool,
    /// What its texts must be, and what happens to others.
    pub demands: Demands,
}

impl LayoutColumn {
    /// A column as it is said in few words: `email`, `in walkers`, or under another name `Email Address=email`.
    ///
    /// ```
    /// use pebblebank_core::layout::LayoutColumn;
    /// assert_eq!(LayoutColumn::parse("Email Address = email").unwrap().name, "Email Address");
    /// assert_eq!(LayoutColumn::parse("city").unwrap().name, "city");
    /// assert!(LayoutColumn::parse("=email").is_err());
    /// ```
    pub fn parse(text: &str) -> Result<LayoutColumn> {
        let (name, from) = text.split_once('=').unwrap_or((text, text));
        let (name, from) = (name.trim(), from.trim());
        if name.is_empty() || from.is_empty() {
            let what = format!("\"{text}\" names no column");
            return Err(Error::new(ErrorKind::Job, what, "write email, or \"Email Address=email\" for another name"));
        }
        Ok(LayoutColumn { content: Content::from_text(from)?, ..LayoutColumn::of_column(name) })
    }

    /// Whether it is the column of that name as it is.
    #[must_use]
    pub fn is_just(&self, name: &str) -> bool {
        matches!(&self.content, Content::Column(column) if column.name() == name)
    }

    /// The field or column of that name, under its name.
    pub fn of_column(name: &str) -> LayoutColumn {
        let content = Content::Column(ColumnRef::new(name));
        let demands = Demands::default();
        LayoutColumn { name: name.to_owned(), content, form: None, otherwise: None, required: false, demands }
    }
}

/// In what form a value is written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Form {
    /// A country or region by code or name.
    Place(PlaceForm),
    /// A date, such as dd.mm.yyyy.
    Date(DateFormat),
    /// Consent: this word for people who opted in, nothing for all others.
    OptedIn(String),
    /// A yes or no, or consent: in these words.
    YesNo {
        /// For a yes, and for people who opted in.
        yes: String,
        /// For a no, and for people who refused.
        no: String,
    },
    /// In this letter case.
    Case(LetterCase),
    /// An address with its domain as A-labels (RFC 5890).
    ALabel,
}

/// The letter case of a text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LetterCase {
    /// CAPITALS.
    Upper,
    /// Small letters.
    Lower,
    /// A Capital Before Each Word; the other letters small.
    Title,
}

impl LetterCase {
    /// The text in this case.
    ///
    /// ```
    /// use pebblebank_core::layout::LetterCase;
    /// assert_eq!(LetterCase::Title.of("anne-marie o'BRIEN"), "Anne-Marie O'Brien");
    /// ```
    pub fn of(self, text: &str) -> String {
        match self {
            LetterCase::Upper => text.to_uppercase(),
            LetterCase::Lower => text.to_lowercase(),
            LetterCase::Title => {
                let mut titled = String::with_capacity(text.len());
                let mut is_inside = false;
                for character in text.chars() {
                    if is_inside {
                        titled.extend(character.to_lowercase());
                    } else {
                        titled.extend(character.to_uppercase());
                    }
                    is_inside = character.is_alphanumeric();
                }
                titled
            }
        }
    }
}

/// What is in a column.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Content {
    /// One text in all rows.
    Constant(String),
    /// The value of one column.
    Column(ColumnRef),
    /// Text with values in it.
    Template(Template),
    /// Whether the person is in a list.
    Membership(Membership),
    /// The cells that a row has beyond its header.
    Surplus,
}

/// Whether the person is in a list, and what is written then.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Membership {
    /// The list's or source's name.
    pub list: String,
    /// What stands there for people who are in it.
    pub yes: String,
    /// What stands there for the others.
    pub no: String,
}

impl Membership {
    /// Yes or no.
    pub fn of(list: impl Into<String>) -> Membership {
        Membership { list: list.into(), yes: "yes".to_owned(), no: "no".to_owned() }
    }
}

/// Text with values in it: `"{first_name} {last_name}"`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Template {
    /// The pieces, in order.
    pub pieces: Vec<Piece>,
}

/// A piece of a template.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Piece {
    /// As it stands.
    Text(String),
    /// The value of a column.
    Column(ColumnRef),
}

impl Content {
    /// Reads what stands behind `from =`: a field, a header, or a template with names in braces.
    pub fn from_text(text: &str) -> Result<Content> {
        if let Some(list) = list_asked(text) {
            Ok(Content::Membership(Membership::of(list)))
        } else if text.contains(['{', '}']) {
            Template::parse(text).map(Content::Template)
        } else {
            Ok(Content::Column(ColumnRef::new(text)))
        }
    }

    /// The columns that it needs.
    pub fn columns(&self) -> Vec<&ColumnRef> {
        match self {
            Content::Constant(_) | Content::Surplus | Content::Membership(_) => Vec::new(),
            Content::Column(column) => vec![column],
            Content::Template(template) => template
                .pieces
                .iter()
                .filter_map(|piece| match piece {
                    Piece::Column(column) => Some(column),
                    Piece::Text(_) => None,
                })
                .collect(),
        }
    }
}

/// The list that `in "guided walks"` asks about; none for anything else.
fn list_asked(text: &str) -> Option<&str> {
    let (word, name) = text.trim().split_once(' ')?;
    let name = name.trim();
    let name = name.strip_prefix('"').map_or(Some(name), |rest| rest.strip_suffix('"'))?;
    (word.eq_ignore_ascii_case("in") && !name.is_empty()).then_some(name)
}

impl Template {
    /// Reads a template. A brace that has no other half is an error.
    pub fn parse(text: &str) -> Result<Template> {
        let unpaired = || {
            Error::new(
                ErrorKind::Job,
                format!("the template \"{text}\" has a brace without its other half"),
                "write each field between { and }, as in \"{first_name} {last_name}\"",
            )
        };
        let mut pieces = Vec::new();
        let mut rest = text;
        while let Some(open) = rest.find(['{', '}']) {
            if rest[open..].starts_with('}') {
                return Err(unpaired());
            }
            if open > 0 {
                pieces.push(Piece::Text(rest[..open].to_owned()));
            }
            let inner = &rest[open + 1..];
            let close = inner.find(['{', '}']).filter(|close| inner[*close..].starts_with('}')).ok_or_else(unpaired)?;
            pieces.push(Piece::Column(ColumnRef::new(&inner[..close])));
            rest = &inner[close + 1..];
        }
        if !rest.is_empty() {
            pieces.push(Piece::Text(rest.to_owned()));
        }
        Ok(Template { pieces })
    }
}
