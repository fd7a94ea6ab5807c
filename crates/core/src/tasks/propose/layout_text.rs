//! A layout as TOML, with comments that say what the template does not show.

use super::job_text::{JobText, quoted};
use crate::layout::{Content, Form, LayoutColumn, LetterCase};
use crate::tasks::template::{Matters, Template};
use pebblebank_formats::writing::FileFormat;
use pebblebank_formats::writing::form::{LineEnd, Quoting};
use pebblebank_values::ColumnRef;
use pebblebank_values::place::PlaceForm;

/// What stands for the content of a column that somebody must decide; no column has that name, so that nothing is written before.
const UNDECIDED: &str = "DECIDE";

/// The layout of a template, as a file of its own.
#[must_use]
pub fn layout_file(template: &Template) -> String {
    let mut text = JobText::default();
    text.comment("A layout for --layout, or for layout = in a [[write]]. Every line can be changed; docs/job-file.md has all keys.");
    write_layout(&mut text, template);
    text.into_text()
}

/// What must be decided in it before anything can be written.
pub fn open_questions(template: &Template) -> Vec<String> {
    let open = template.doubts.iter().filter(|doubt| doubt.matters == Matters::First);
    open.map(|doubt| format!("the layout: {}", doubt.in_words())).collect()
}

/// Writes the keys of a layout.
pub(super) fn write_layout(text: &mut JobText, template: &Template) {
    text.comment(&format!("As {} has it.", template.path.display()));
    text.comment(
        "A template does not show which columns must be filled, which values are allowed, and how long they may be:",
    );
    text.comment("required = true, allowed = [\"…\"], longest = 50");
    for doubt in template.doubts.iter().filter(|doubt| doubt.column.is_none()) {
        text.comment(&format!("not shown: {}", doubt.text));
    }
    write_form(text, template);
    text.line("columns = [");
    for column in &template.layout.columns {
        for doubt in template.doubts.iter().filter(|doubt| doubt.column.as_deref() == Some(&column.name)) {
            let decide = if doubt.matters == Matters::First { "DECIDE: " } else { "" };
            text.comment(&format!("{decide}{}", doubt.in_words()));
        }
        text.line(&format!("  {{ {} }},", keys_of(column).join(", ")));
    }
    text.line("]");
}

fn write_form(text: &mut JobText, template: &Template) {
    let form = &template.layout.form;
    if let Some(format) = form.format.filter(|format| *format != FileFormat::Csv) {
        text.line(&format!("format = {}", quoted(format.name())));
    }
    if let Some(delimiter) = form.delimiter {
        text.line(&format!("delimiter = {}", quoted(&char::from(delimiter).to_string())));
    }
    if form.quoting == Some(Quoting::All) {
        text.line("quoting = \"all\"");
    }
    if form.line_end == Some(LineEnd::CrLf) {
        text.line("line_end = \"crlf\"");
    }
    if let Some(encoding) = form.encoding {
        text.line(&format!("encoding = {}", quoted(&encoding.name().to_lowercase())));
    }
    if form.byte_order_mark == Some(true) {
        text.line("byte_order_mark = true");
    }
}

fn keys_of(column: &LayoutColumn) -> Vec<String> {
    let mut keys = vec![format!("name = {}", quoted(&column.name))];
    match &column.content {
        Content::Column(ColumnRef::Field(field)) => keys.push(format!("from = {}", quoted(field.name()))),
        Content::Column(ColumnRef::Extra(extra)) => keys.push(format!("from = {}", quoted(&extra.header))),
        _ => keys.push(format!("from = {}", quoted(UNDECIDED))),
    }
    match &column.form {
        Some(Form::Date(format)) => keys.push(format!("form = {}", quoted(format.text()))),
        Some(Form::Place(PlaceForm::Code)) => keys.push("form = \"code\"".to_owned()),
        Some(Form::Place(PlaceForm::Name)) => keys.push("form = \"name\"".to_owned()),
        Some(Form::Case(LetterCase::Upper)) => keys.push("form = \"upper\"".to_owned()),
        Some(Form::Case(LetterCase::Lower)) => keys.push("form = \"lower\"".to_owned()),
        Some(Form::Case(LetterCase::Title)) => keys.push("form = \"title\"".to_owned()),
        Some(Form::YesNo { yes, no }) => {
            keys.extend([format!("yes = {}", quoted(yes)), format!("no = {}", quoted(no))]);
        }
        Some(Form::OptedIn(_) | Form::ALabel) | None => {}
    }
    if column.required {
        keys.push("required = true".to_owned());
    }
    keys
}
