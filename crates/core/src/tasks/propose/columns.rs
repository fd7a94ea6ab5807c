//! What a proposed job says of a file's columns: what was recognised, and what the user must decide.

use crate::tasks::propose::job_text::{JobText, quoted};
use crate::tasks::survey::found::FileSurvey;
use crate::tasks::survey::{ColumnSurvey, Feeds, Recognised};
use pebblebank_table::observe::Finding;
use pebblebank_values::Field;
use std::fmt::Write;

/// Writes what is known of a file's columns, and what must be decided about them; gives the open questions.
pub(super) fn write_columns(text: &mut JobText, survey: &FileSurvey, name: &str) -> Vec<String> {
    let mut open = Vec::new();
    recognised_by_headers(text, survey);
    let address = open_address(text, survey, name);
    let is_address_open = address.is_some();
    open.extend(address);
    open.extend(open_date_order(text, survey, name));
    if !is_address_open {
        recognised_by_values(text, survey);
    }
    open.extend(open_consent(text, survey, name));
    others(text, survey);
    open
}

/// The columns that fill a field and were recognised so.
fn by(survey: &FileSurvey, recognised: Recognised) -> impl Iterator<Item = &ColumnSurvey> {
    let fills_field = move |column: &&ColumnSurvey| column.recognised == recognised && column.feeds == Feeds::Field;
    survey.columns.iter().filter(fills_field)
}

/// The findings of the file and of its columns that have this code.
fn of_code<'a>(survey: &'a FileSurvey, code: &'static str) -> impl Iterator<Item = &'a Finding> {
    let all = survey.findings.iter().chain(survey.columns.iter().flat_map(|column| &column.findings));
    all.filter(move |finding| finding.code == code)
}

fn recognised_by_headers(text: &mut JobText, survey: &FileSurvey) {
    let by_header: Vec<String> = by(survey, Recognised::ByHeader).filter_map(pair).collect();
    if !by_header.is_empty() {
        text.comment(&format!("recognised by their headers: {}", by_header.join(", ")));
    }
}

fn recognised_by_values(text: &mut JobText, survey: &FileSurvey) {
    let guessed = by(survey, Recognised::ByValues).chain(by(survey, Recognised::Said));
    let guessed: Vec<String> = guessed.filter(|column| column.has_header).filter_map(pair).collect();
    if !guessed.is_empty() {
        text.line(&format!("columns = {{ {} }}  # by their values", guessed.join(", ")));
    }
}

/// Asks which of several columns holds the contact's address.
fn open_address(text: &mut JobText, survey: &FileSurvey, name: &str) -> Option<String> {
    of_code(survey, "several-address-columns").next()?;
    let columns = survey.columns.iter().filter(|column| column.field == Some(Field::Email.name()));
    let addresses: Vec<String> = columns.map(|column| quoted(&column.header)).collect();
    text.comment(&format!("DECIDE: which column has the contact's address? One of {}", addresses.join(", ")));
    text.line("# columns = { email = \"…\" }");
    Some(format!("{name}: which column has the contact's address"))
}

/// Asks whether the day or the month comes first.
fn open_date_order(text: &mut JobText, survey: &FileSurvey, name: &str) -> Option<String> {
    let is_open = |column: &&ColumnSurvey| {
        let is_date = column.field.and_then(Field::from_name).is_some_and(Field::is_date);
        let codes = ["open-date-order", "mixed-date-orders"];
        is_date && column.findings.iter().any(|finding| codes.contains(&finding.code))
    };
    let header = quoted(&survey.columns.iter().find(is_open)?.header);
    text.comment(&format!("DECIDE: in {header}, does the day come first (dmy) or the month (mdy)?"));
    text.line("# date_order = \"dmy\"");
    Some(format!("{name}: whether the day or the month comes first in {header}"))
}

/// Asks what columns say about consent, and names those that are understood.
fn open_consent(text: &mut JobText, survey: &FileSurvey, name: &str) -> Vec<String> {
    let of_columns = |code| of_code(survey, code).filter_map(|finding| finding.column.as_deref()).map(quoted);
    let mut open: Vec<String> = of_columns("open-consent").chain(of_columns("yes-to-what")).collect();
    open.dedup();
    for header in &open {
        text.comment(&format!(
            "DECIDE: does a yes in {header} mean that the person may be contacted (opt_in), must not be (opt_out), or neither (not_consent)?"
        ));
        text.line(&format!("# opt_in = [{header}]"));
    }
    let guessed: Vec<String> = of_columns("consent-column").collect();
    if !guessed.is_empty() {
        text.comment(&format!(
            "about consent, by header and values: {}; not_consent = [\"…\"] says otherwise",
            guessed.join(", ")
        ));
    }
    open.into_iter().map(|header| format!("{name}: what {header} says about who may be contacted")).collect()
}

/// Names columns that stand in for others, and those that have no meaning.
fn others(text: &mut JobText, survey: &FileSurvey) {
    for column in survey.columns.iter().filter(|column| column.feeds == Feeds::SecondChoice) {
        if let Some(field) = column.field {
            text.comment(&format!("\"{}\" stands in where {field} is blank", column.header));
        }
    }
    let extra = survey.columns.iter().filter(|column| column.feeds == Feeds::Nothing && column.filled > 0);
    let extra: Vec<String> = extra.map(|column| format!("\"{}\" ({})", column.header, column.reason)).collect();
    if !extra.is_empty() {
        text.comment(&format!("travel along as they are: {}", shortened(&extra)));
    }
}

fn pair(column: &ColumnSurvey) -> Option<String> {
    column.field.map(|field| format!("{field} = {}", quoted(&column.header)))
}

fn shortened(texts: &[String]) -> String {
    const MOST: usize = 12;
    let mut text = texts.iter().take(MOST).cloned().collect::<Vec<_>>().join(", ");
    if texts.len() > MOST {
        let _ = write!(text, " and {} more", texts.len() - MOST);
    }
    text
}
