//! The tables of a survey: the columns of a file, the values of one column, the fields of several files.

use super::table::{Side, Table};
use super::{Screen, Tone, WIDTH, counted, number, safe, wrapped};
use crate::render::NO_BREAK;
use pebblebank_core::tasks::survey::column::{ColumnSurvey, Feeds, Recognised};
use pebblebank_core::tasks::survey::found::{Counted, FileSurvey};
use pebblebank_values::{Field, Rule};
use std::collections::BTreeMap;
use unicode_width::UnicodeWidthStr;

/// Rules with their counts, the most frequent first.
pub(super) fn in_words(rules: &BTreeMap<&'static str, u64>) -> String {
    let mut counted: Vec<(&&str, &u64)> = rules.iter().collect();
    counted.sort_by(|a, b| b.1.cmp(a.1).then(a.0.cmp(b.0)));
    let words = |(rule, count): &(&&str, &u64)| {
        together(&format!("{} ({})", Rule::from_name(rule).map_or("", Rule::says), number(**count)))
    };
    counted.iter().map(words).collect::<Vec<_>>().join("; ")
}

/// How many values or domains are shown.
pub(super) const VALUES_SHOWN: usize = 20;

/// How many files stand side by side in the table of fields.
pub(super) const FILES_ABREAST: usize = 4;

/// The columns; `room` is how many are shown of those that feed no field.
pub(super) fn columns(survey: &FileSurvey, room: usize, screen: &Screen) -> String {
    let mut table = Table::new(&[
        ("Column", Side::Left),
        ("taken for", Side::Left),
        ("filled", Side::Right),
        ("different", Side::Right),
        ("for example", Side::Left),
    ]);
    let mut extra = 0;
    let mut left_out = 0;
    for column in &survey.columns {
        let is_extra = column.feeds == Feeds::Nothing;
        extra += usize::from(is_extra);
        if is_extra && extra > room {
            left_out += 1;
            continue;
        }
        let about = if column.distinct_is_estimate { "~" } else { "" };
        let (header, field) = (safe(&column.header, 24), taken_for(column));
        let example_width = WIDTH - 2 - 24 - 17 - 6 - 9 - 4 * 3;
        table.row(vec![
            header,
            field,
            share(column.filled, survey.rows),
            format!("{about}{}", number(column.distinct)),
            examples(column, example_width),
        ]);
    }
    let mut text = table.render(screen);
    if left_out > 0 {
        text.push_str(&format!("  and {left_out} more columns that feed no field: --verbose shows them\n"));
    }
    let repaired = survey.columns.iter().filter(|column| !column.repairs.is_empty());
    for column in repaired {
        let line = format!("\"{}\", as a run writes it: {}", safe(&column.header, 40), in_words(&column.repairs));
        for line in wrapped(&line, WIDTH - 2, "  ") {
            text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, &line)));
        }
    }
    for line in travelling_along(survey).iter().flat_map(|line| wrapped(line, WIDTH - 2, "  ")) {
        text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, &line)));
    }
    text
}

/// Why columns feed no field, those with the same reason together.
pub(super) fn travelling_along(survey: &FileSurvey) -> Vec<String> {
    const NAMED: usize = 8;
    let mut reasons: Vec<(&str, Vec<String>)> = Vec::new();
    for column in survey.columns.iter().filter(|column| column.feeds == Feeds::Nothing && column.filled > 0) {
        let name = format!("\"{}\"", safe(&column.header, 30));
        match reasons.iter_mut().find(|(reason, _)| *reason == column.reason) {
            Some((_, names)) => names.push(name),
            None => reasons.push((&column.reason, vec![name])),
        }
    }
    let in_words = |(reason, names): (&str, Vec<String>)| {
        let more = names.len().saturating_sub(NAMED);
        let more = if more > 0 { format!(" and {more} more") } else { String::new() };
        let names = names[..names.len().min(NAMED)].join(", ");
        format!("– feeds no field and travels along as it is: {names}{more} ({reason})")
    };
    reasons.into_iter().map(in_words).collect()
}

pub(super) fn taken_for(column: &ColumnSurvey) -> String {
    let field = column.field.unwrap_or_default();
    match (column.feeds, column.recognised) {
        (Feeds::Nothing, _) => "–".to_owned(),
        (Feeds::Receipt, _) => "(own receipt)".to_owned(),
        (Feeds::SecondChoice, _) => format!("{field}, 2nd choice"),
        (Feeds::FurtherAddress, _) => "further address".to_owned(),
        (Feeds::FurtherConsent, _) => "consent as well".to_owned(),
        (Feeds::Field, Recognised::ByValues) => format!("{field} (by values)"),
        (Feeds::Field, _) => field.to_owned(),
    }
}

/// A share in per cent that is 0 or 100 only where it is exactly so.
pub(super) fn share(part: u64, all: u64) -> String {
    match (part, all) {
        (_, 0) => "–".to_owned(),
        (0, _) => "0 %".to_owned(),
        (part, all) if part == all => "100 %".to_owned(),
        (part, all) => {
            let per_mille = part * 1_000 / all;
            if per_mille < 10 { "<1 %".to_owned() } else { format!("{} %", (per_mille / 10).min(99)) }
        }
    }
}

pub(super) fn examples(column: &ColumnSurvey, room: usize) -> String {
    let mut text = String::new();
    for example in &column.examples {
        let example = safe(example, room);
        let longer = if text.is_empty() { example.clone() } else { format!("{text}, {example}") };
        if longer.width() > room {
            break;
        }
        text = longer;
    }
    text
}

pub(super) fn values_table(values: &Counted, screen: &Screen) -> String {
    let name = safe(&values.of, 40);
    let heading =
        if values.of == "domain" { "Domain of the address".to_owned() } else { format!("Value of \"{name}\"") };
    let mut table = Table::new(&[(heading.as_str(), Side::Left), ("rows", Side::Right), ("share", Side::Right)]);
    let all: u64 = values.values.iter().map(|(_, count)| count).sum::<u64>() + values.of_further_values;
    for (value, count) in values.values.iter().take(VALUES_SHOWN) {
        let shown = if value.is_empty() { "(blank)".to_owned() } else { safe(value, 60) };
        table.row(vec![shown, number(*count), share(*count, all)]);
    }
    let mut text = table.render(screen);
    let more = values.values.len().saturating_sub(VALUES_SHOWN);
    if more > 0 {
        let rows: u64 = values.values.iter().skip(VALUES_SHOWN).map(|(_, count)| count).sum();
        text.push_str(&format!("  and {more} more in {}: --json has all\n", counted(rows, "row")));
    }
    if values.of_further_values > 0 {
        text.push_str(&format!(
            "  {} more rows have values beyond those counted one by one\n",
            counted(values.of_further_values, "row")
        ));
    }
    text
}

/// Which column of which file feeds which field, and which are left over.
pub(super) fn fields_by_file(surveys: &[FileSurvey], screen: &Screen) -> String {
    let mut text = String::new();
    for (block, abreast) in surveys.chunks(FILES_ABREAST).enumerate() {
        if block > 0 {
            text.push('\n');
        }
        let names: Vec<String> =
            abreast.iter().map(|survey| safe_end(short_name(&survey.file), room(abreast.len()))).collect();
        let mut headings = vec![("Field", Side::Left)];
        headings.extend(names.iter().map(|name| (name.as_str(), Side::Left)));
        let mut table = Table::new(&headings);
        let cell = |survey: &FileSurvey, is_it: &dyn Fn(&ColumnSurvey) -> bool| {
            let headers: Vec<&str> =
                survey.columns.iter().filter(|column| is_it(column)).map(|column| column.header.as_str()).collect();
            safe(&headers.join(", "), room(abreast.len()))
        };
        for field in Field::ALL {
            let feeds = |column: &ColumnSurvey| column.field == Some(field.name());
            if abreast.iter().any(|survey| survey.columns.iter().any(feeds)) {
                let cells = abreast.iter().map(|survey| cell(survey, &feeds));
                table.row(std::iter::once(field.name().to_owned()).chain(cells).collect());
            }
        }
        let left_over = |column: &ColumnSurvey| column.feeds == Feeds::Nothing;
        if abreast.iter().any(|survey| survey.columns.iter().any(left_over)) {
            let cells = abreast.iter().map(|survey| {
                let count = survey.columns.iter().filter(|column| left_over(column)).count();
                let names = cell(survey, &left_over);
                if count > 3 { safe(&format!("{count}: {names}"), room(abreast.len())) } else { names }
            });
            table.row(std::iter::once("(left over)".to_owned()).chain(cells).collect());
        }
        text.push_str(&table.render(screen));
    }
    text
}

pub(super) fn room(files: usize) -> usize {
    (WIDTH - 2 - 12 - 3 * files) / files.max(1)
}

pub(super) fn short_name(file: &str) -> &str {
    file.rsplit('/').next().unwrap_or(file)
}

/// The end of a long name, which tells more than its beginning.
pub(super) fn safe_end(text: &str, most: usize) -> String {
    let text = safe(text, usize::MAX);
    let count = text.chars().count();
    if count <= most { text } else { std::iter::once('…').chain(text.chars().skip(count + 1 - most)).collect() }
}

/// A text that is not to be broken into lines.
pub(super) fn together(text: &str) -> String {
    text.replace(' ', NO_BREAK)
}
