//! A template that the sending service offers, or the last import file that it accepted → the layout that the file shows, and
//! what it does not show.
//!
//! What a file does not show is said, never made up: a column whose meaning for consent is not clear stops the work, since a
//! wrong word there would subscribe or unsubscribe everybody.

mod column_form;
mod column_values;

use crate::job::sources::ReadFiles;
use crate::layout::{Content, Layout, LayoutColumn};
use crate::run::open::beginning::Beginning;
use crate::run::open::files::OpenFile;
use crate::run::open::recognise::{Part, open_file};
use column_form::{Shown, form_of};
use column_values::ColumnValues;
use encoding_rs::{UTF_8, WINDOWS_1252};
use pebblebank_formats::input::FoundFile;
use pebblebank_formats::writing::FileFormat;
use pebblebank_formats::writing::form::{LineEnd, Quoting};
use pebblebank_formats::writing::wishes::FormWishes;
use pebblebank_formats::{Format, Input};
use pebblebank_table::encoding::Knowledge;
use pebblebank_table::observe::Observer;
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Dialect, Error, ErrorKind, Result};
use pebblebank_values::consent::YesMeans;
use pebblebank_values::{ColumnRef, Field};
use std::path::{Path, PathBuf};

/// What a template shows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Template {
    /// The file.
    pub path: PathBuf,
    /// The layout, as far as the file shows it.
    pub layout: Layout,
    /// What it does not show.
    pub doubts: Vec<Doubt>,
}

/// Something that a template does not show.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Doubt {
    /// The column; none where it is about the file.
    pub column: Option<String>,
    /// What is not known, and what is done instead.
    pub text: String,
    /// When it matters.
    pub matters: Matters,
}

/// When something that a template does not show matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Matters {
    /// Nothing may be written before somebody decided it.
    First,
    /// What is written may not be what the service expects.
    Always,
    /// Somebody who writes the layout down should know.
    InProposal,
}

impl Template {
    /// The layout, for writing a file like the template.
    ///
    /// # Errors
    ///
    /// Where somebody must decide something first.
    pub fn into_layout(self) -> Result<Layout> {
        if let Some(doubt) = self.doubts.iter().find(|doubt| doubt.matters == Matters::First) {
            let path = self.path.display();
            let advice = format!(
                "pebblebank propose --layout {path} -o layout.toml writes the layout down; decide it there, then use \
                 --layout layout.toml"
            );
            let error = Error::new(ErrorKind::Columns, doubt.text.clone(), advice).in_file(&self.path);
            return Err(doubt.column.iter().fold(error, |error, column| error.in_column(column)));
        }
        let doubts = self.doubts.iter().filter(|doubt| doubt.matters == Matters::Always).map(Doubt::in_words).collect();
        Ok(Layout { like: Some((self.path.display().to_string(), doubts)), ..self.layout })
    }
}

impl Doubt {
    fn of_file(text: impl Into<String>) -> Doubt {
        Doubt { column: None, text: text.into(), matters: Matters::Always }
    }

    /// The column and what is not known about it.
    #[must_use]
    pub fn in_words(&self) -> String {
        self.column.as_ref().map_or(String::new(), |column| format!("\"{column}\": ")) + &self.text
    }
}

/// Reads the layout that a template shows. `spool_folder` takes what cannot be read twice.
///
/// # Errors
///
/// Where it is no table with a header, has no column of addresses, or calls two columns by one name.
pub fn read_template(path: &Path, read: &ReadFiles, spool_folder: &Path, observer: &dyn Observer) -> Result<Template> {
    let file = open(path, read, spool_folder, observer)?;
    let values = column_values::read(&file, observer)?;
    let beginning = Beginning::of(&file)?;
    let mut doubts = Vec::new();
    let form = form_wishes(&file, &values, beginning, &mut doubts);
    let mut columns: Vec<LayoutColumn> = Vec::new();
    for place in 0..file.table.headers.len() {
        let column = layout_column(&file, ColumnIndex(place), &values, read, &mut doubts);
        if columns.iter().any(|other| other.name == column.name) {
            let what = format!("the template has two columns \"{}\"", column.name);
            return Err(Error::new(ErrorKind::Columns, what, "rename one of them in a copy of it").in_file(path));
        }
        columns.push(column);
    }
    let layout = Layout { form, ..Layout::new(path.display().to_string(), columns) };
    Ok(Template { path: path.to_path_buf(), layout, doubts })
}

fn open(path: &Path, read: &ReadFiles, spool_folder: &Path, observer: &dyn Observer) -> Result<OpenFile<()>> {
    let wrong = |what: &str, advice: &str| Err(Error::new(ErrorKind::Input, what, advice).in_file(path));
    let found = FoundFile { path: path.to_path_buf(), member: None, shown: path.display().to_string() };
    let mut inputs = Input::open(&found, spool_folder, observer)?;
    let (Some(input), true) = (inputs.pop(), inputs.is_empty()) else {
        return wrong("a template is one file, and this holds several", "unpack it, and name one");
    };
    let file = open_file(input, Part::alone(), read, spool_folder, observer)?;
    if !matches!(file.format, Format::Delimited | Format::Workbook | Format::JsonLines) {
        let what = format!("a template is a table with a header, and this is {}", file.format_name);
        return wrong(&what, "name a CSV file, a workbook or JSON lines");
    }
    if file.is_empty || !file.table.has_header {
        return wrong(
            "no row of the template names its columns",
            "write their names in the first line of a copy of it; header = false in a layout leaves them out again",
        );
    }
    if file.map().column(Field::Email).is_none() {
        let what = "no column of the template was recognised as addresses";
        return wrong(what, "say which it is: pebblebank propose --layout FILE --field \"email=…\" -o layout.toml");
    }
    Ok(file)
}

/// How rows and cells are in the file.
fn form_wishes(
    file: &OpenFile<()>,
    values: &ColumnValues,
    beginning: Beginning,
    doubts: &mut Vec<Doubt>,
) -> FormWishes {
    let format = match file.format {
        Format::Workbook => FileFormat::Xlsx,
        Format::JsonLines => FileFormat::Jsonl,
        _ if file.dialect.delimiter == b'\t' => FileFormat::Tsv,
        _ => FileFormat::Csv,
    };
    let mut form = FormWishes { format: Some(format), ..FormWishes::default() };
    if !format.is_delimited() {
        return form;
    }
    let usual = if format == FileFormat::Tsv { b'\t' } else { b',' };
    let delimiter = file.dialect.delimiter;
    form.delimiter = (delimiter != Dialect::NO_DELIMITER && delimiter != usual).then_some(delimiter);
    form.line_end = (beginning.line_end == "\r\n").then_some(LineEnd::CrLf);
    form.byte_order_mark = beginning.has_mark.then_some(true);
    form.quoting = values.all_are_quoted.then_some(Quoting::All);
    form.encoding = file.encoding.standard().filter(|encoding| *encoding != UTF_8);
    if file.encoding.standard().is_none() {
        let text = format!("it is in {}, in which nothing is written; UTF-8 is", file.encoding.name());
        doubts.push(Doubt::of_file(&text));
    }
    if beginning.line_end == "\r" {
        doubts.push(Doubt::of_file("its lines end in carriage returns alone; line feeds are written"));
    }
    if delimiter == Dialect::NO_DELIMITER {
        doubts.push(Doubt::of_file("with one column nobody sees the delimiter; a comma is written"));
    }
    if file.knowledge == Knowledge::Guessed && file.encoding == WINDOWS_1252 {
        doubts.push(Doubt::of_file("its encoding was guessed by its letters: windows-1252"));
    } else if values.is_ascii && file.encoding == UTF_8 && !beginning.has_mark {
        doubts.push(Doubt::of_file("it has no letter that would show its encoding; UTF-8 is written"));
    }
    form
}

/// One column as the template shows it.
fn layout_column(
    file: &OpenFile<()>,
    place: ColumnIndex,
    values: &ColumnValues,
    read: &ReadFiles,
    doubts: &mut Vec<Doubt>,
) -> LayoutColumn {
    let map = file.map();
    let name = file.table.headers[place.0].clone();
    let mut doubt = |text: String, matters| doubts.push(Doubt { column: Some(name.clone()), text, matters });
    let of_extra = || LayoutColumn::of_column(&name);
    let consent = map.consents.iter().find(|consent| consent.column == place);
    if map.open_consents.iter().any(|open| open.column == place) {
        let text = "this may be about consent, and nobody sees whether a yes means opted in or opted out";
        doubt(text.to_owned(), Matters::First);
        return LayoutColumn { content: Content::Constant(String::new()), ..of_extra() };
    }
    if let Some(consent) = consent {
        let is_first = map.column(Field::Consent) == Some(place);
        if consent.yes_means == Some(YesMeans::OptedOut) || !is_first {
            let text = if is_first {
                "this tells who opted out, and nobody sees which word stands there for people who did not"
            } else {
                "this is a second column about consent, and nobody sees what of a person's consent it tells"
            };
            doubt(text.to_owned(), Matters::First);
            return LayoutColumn { content: Content::Constant(String::new()), ..of_extra() };
        }
    }
    // What stands in where a field is blank is a column of its own in a file that is written.
    let field = map.field_of(place).filter(|field| map.column(*field) == Some(place));
    let Some(field) = field else {
        let seen = values.of(place.0);
        let text = match seen.only_value() {
            Some(only) => format!(
                "not recognised; filled from a column of that name, else blank. Every row has \"{only}\": write constant = \
                 \"{only}\" in a layout if all shall have it"
            ),
            None => "not recognised; filled from a column of that name, else blank".to_owned(),
        };
        doubt(text, Matters::InProposal);
        return LayoutColumn { content: Content::Column(ColumnRef::extra(&name)), ..of_extra() };
    };
    let yes_means = consent.and_then(|consent| consent.yes_means);
    let Shown { form, doubt: unclear } = form_of(field, values.of(place.0), yes_means, read.columns.date_order);
    if let (Some(text), Field::Consent) = (&unclear, field) {
        doubt(text.clone(), Matters::First);
        return LayoutColumn { content: Content::Constant(String::new()), ..of_extra() };
    }
    if let Some(text) = unclear {
        doubt(text, Matters::Always);
    }
    LayoutColumn {
        content: Content::Column(ColumnRef::Field(field)),
        form,
        required: field == Field::Email,
        ..of_extra()
    }
}
