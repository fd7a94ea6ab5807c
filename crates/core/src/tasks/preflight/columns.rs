//! Whether the columns and the text of a file are those of a layout.

use super::problem::{Kind, Problem};
use crate::columns::lines::Line;
use crate::layout::{Content, Layout, LayoutColumn};
use crate::run::open::files::OpenFile;
use encoding_rs::UTF_8;
use pebblebank_formats::Format;
use pebblebank_formats::writing::{FileForm, FileFormat};
use pebblebank_table::dialect::Dialect;
use pebblebank_table::units::SourceId;
use pebblebank_values::{ColumnRef, Field};

/// The format that a file was recognised as, among those that are written.
pub(super) fn written_format(format: Format) -> FileFormat {
    match format {
        Format::Workbook => FileFormat::Xlsx,
        Format::JsonLines => FileFormat::Jsonl,
        Format::Recipients => FileFormat::RecipientLine,
        Format::Delimited | Format::JsonArray | Format::VCard | Format::Mail => FileFormat::Csv,
    }
}

/// What of a file's columns and text is not as the layout has it.
pub(super) fn problems(
    layout: Option<&Layout>,
    form: Option<&FileForm>,
    file: &OpenFile<SourceId>,
    is_ascii: bool,
) -> Vec<Problem> {
    let headers = &file.table.headers;
    let mut problems = repeated(headers);
    let names_columns = !matches!(file.format, Format::JsonLines | Format::Recipients);
    if names_columns && !file.table.has_header && form.is_none_or(|form| form.has_header) && !file.is_empty {
        problems.push(of_columns("no-header", "no row names the columns".to_owned()));
    }
    let (Some(layout), Some(form)) = (layout, form) else { return problems };
    if form.has_header && file.table.has_header {
        problems.extend(of_header(layout, headers));
    } else if headers.len() != layout.columns.len() {
        let text = format!("it has {} columns, and the layout has {}", headers.len(), layout.columns.len());
        problems.push(of_columns("columns", text));
    }
    problems.extend(of_text(form, file, is_ascii));
    problems
}

/// Nobody can be looked up by the address where no column was recognised as addresses.
pub(super) fn no_address_column(layout: Option<&Layout>, file: &OpenFile<SourceId>) -> Option<Problem> {
    let is_address = |column: &LayoutColumn| column.content == Content::Column(ColumnRef::Field(Field::Email));
    let is_wanted = layout.is_none_or(|layout| layout.columns.iter().any(is_address));
    let is_there = file.map().column(Field::Email).is_some();
    (is_wanted && !is_there && !file.is_empty).then(|| {
        let text = "no column was recognised as addresses, so nobody could be looked up; --field \"email=HEADER\" says which it is";
        of_columns("no-address-column", text.to_owned())
    })
}

/// Lines that a service would import as people.
pub(super) fn other_lines(counts: &[u64; Line::OTHERS.len()]) -> Vec<Problem> {
    let found = Line::OTHERS.into_iter().zip(counts).filter_map(|(line, count)| {
        let what = match line {
            Line::Title => "title lines above the header",
            Line::Header if *count > 1 => "lines in the header",
            Line::RepeatedHeader => "repeated headers",
            Line::Totals => "totals lines",
            Line::Footnote => "footnotes",
            Line::Header | Line::Empty | Line::Contact | Line::Unreadable => return None,
        };
        let text = format!("{what}: {count}, which a service would take for people");
        (*count > 0).then(|| Problem::of_file(Kind::Form, "other-lines", text))
    });
    found.collect()
}

fn of_columns(code: &str, text: String) -> Problem {
    Problem::of_file(Kind::Columns, code, text)
}

fn repeated(headers: &[String]) -> Vec<Problem> {
    let is_repeated = |place: &usize| headers[..*place].contains(&headers[*place]) && !headers[*place].is_empty();
    let repeated = (0..headers.len()).filter(is_repeated);
    repeated
        .map(|place| of_columns("repeated-column", format!("two columns are called \"{}\"", headers[place])))
        .collect()
}

fn of_header(layout: &Layout, headers: &[String]) -> Vec<Problem> {
    let wanted: Vec<&str> = layout.columns.iter().map(|column| column.name.as_str()).collect();
    let quoted = |names: &[&str]| names.iter().map(|name| format!("\"{name}\"")).collect::<Vec<_>>().join(", ");
    let missing: Vec<&str> =
        wanted.iter().filter(|name| !headers.iter().any(|header| header == *name)).copied().collect();
    let unknown: Vec<&str> = headers.iter().map(String::as_str).filter(|header| !wanted.contains(header)).collect();
    let mut problems = Vec::new();
    if !missing.is_empty() {
        problems.push(of_columns(
            "missing-column",
            format!("the layout has columns that the file lacks: {}", quoted(&missing)),
        ));
    }
    if !unknown.is_empty() {
        problems.push(of_columns(
            "unknown-column",
            format!("the file has columns that the layout lacks: {}", quoted(&unknown)),
        ));
    }
    if problems.is_empty() && headers.iter().map(String::as_str).ne(wanted.iter().copied()) {
        problems
            .push(of_columns("column-order", format!("the columns stand in another order than {}", quoted(&wanted))));
    }
    problems
}

fn of_text(form: &FileForm, file: &OpenFile<SourceId>, is_ascii: bool) -> Vec<Problem> {
    let of_form = |code: &str, text: String| Problem::of_file(Kind::Form, code, text);
    let is_delimited = file.format == Format::Delimited;
    let found = written_format(file.format);
    if form.format != found && !(form.format.is_delimited() && is_delimited) {
        let text = format!("it is {}, and the layout says {}", file.format_name, form.format.name());
        return vec![of_form("format", text)];
    }
    let mut problems = Vec::new();
    let has_delimiter = is_delimited && file.dialect.delimiter != Dialect::NO_DELIMITER;
    if has_delimiter && file.dialect.delimiter != form.delimiter {
        let wanted = Dialect { delimiter: form.delimiter, line_end: b'\n' }.delimiter_name();
        let text = format!("its cells are parted by a {}, and the layout says {wanted}", file.dialect.delimiter_name());
        problems.push(of_form("delimiter", text));
    }
    // What is ASCII alone reads alike in most encodings.
    let is_plain = file.encoding == UTF_8 && form.encoding.is_ascii_compatible() && is_ascii;
    if is_delimited && file.encoding != form.encoding && !is_plain {
        let text = format!("it is in {}, and the layout says {}", file.encoding.name(), form.encoding.name());
        problems.push(of_form("encoding", text));
    }
    problems
}
