//! What is in files, for people: each file by itself, then which column of which file feeds which field.

use super::table::{Side, Table};
use super::tally::{one_finding, other_lines_in_words};
use super::{NO_BREAK, Screen, Tone, WIDTH, counted, number, safe, wrapped};
use pebblebank_core::tasks::survey::column::{ColumnSurvey, Feeds, Recognised};
use pebblebank_core::tasks::survey::found::{AddressSurvey, Counted, FileSurvey};
use pebblebank_formats::Format;
use pebblebank_table::Error;
use pebblebank_table::observe::Finding;
use pebblebank_values::{Field, Rule};
use serde_json::json;
use std::collections::BTreeMap;
use unicode_width::UnicodeWidthStr;

/// How many columns of a file are shown, beside those that feed a field.
const EXTRA_COLUMNS_SHOWN: usize = 25;

/// How many values or domains are shown.
const VALUES_SHOWN: usize = 20;

/// How many findings of a file are shown.
const FINDINGS_SHOWN: usize = 15;

/// How many files stand side by side in the table of fields.
const FILES_ABREAST: usize = 4;

/// All that was seen. `arguments` are the files as they were typed.
pub fn surveys(surveys: &[FileSurvey], arguments: &[String], verbose: bool, screen: &Screen) -> String {
    let mut text = String::new();
    if surveys.len() > 1 {
        text.push_str(&overview(surveys, screen));
    }
    for survey in surveys {
        if !text.is_empty() {
            text.push('\n');
        }
        text.push_str(&one(survey, verbose, screen));
    }
    if surveys.len() > 1 {
        text.push('\n');
        text.push_str(&fields_by_file(surveys, screen));
    }
    text.push_str(&next(surveys, arguments, screen));
    text
}

/// The JSON document that `--json` prints, with all columns and all findings.
pub fn json(surveys: &[FileSurvey], errors: &[Error]) -> String {
    let errors: Vec<_> = errors
        .iter()
        .map(|error| json!({ "file": error.place().file, "what": error.what(), "advice": error.advice() }))
        .collect();
    let document = json!({ "schema": "pebblebank/survey/1", "files": surveys, "errors": errors });
    format!("{document:#}\n")
}

fn overview(surveys: &[FileSurvey], screen: &Screen) -> String {
    let mut table = Table::new(&[
        ("File", Side::Left),
        ("format", Side::Left),
        ("rows", Side::Right),
        ("usable addresses", Side::Right),
        ("to look at", Side::Right),
    ]);
    for survey in surveys {
        let addresses = survey.addresses.as_ref().map_or("no column".to_owned(), |addresses| number(addresses.usable));
        table.row(vec![
            safe_end(&survey.file, 44),
            survey.format.to_owned(),
            number(survey.rows),
            addresses,
            number(findings_of(survey).len() as u64),
        ]);
    }
    table.render(screen)
}

fn one(survey: &FileSurvey, verbose: bool, screen: &Screen) -> String {
    let mut text = format!("{}\n", screen.paint(Tone::Heading, &safe(&survey.file, WIDTH)));
    text.push_str(&format!("  {}\n", how_it_is_read(survey)));
    let others = other_lines_in_words(&survey.other_lines);
    if !others.is_empty() {
        text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, &format!("not counted as rows: {others}"))));
    }
    if verbose {
        text.push_str(&lines_at_top(survey, screen));
    }
    if let Some(addresses) = &survey.addresses {
        text.push_str(&address_lines(addresses, survey.domain_entries, screen));
    }
    text.push('\n');
    text.push_str(&columns(survey, screen));
    for values in [&survey.domains, &survey.values].into_iter().flatten() {
        text.push('\n');
        text.push_str(&values_table(values, screen));
    }
    let findings = findings_of(survey);
    if !findings.is_empty() {
        text.push_str(&format!("\n  {}\n", screen.paint(Tone::Heading, "Worth a look")));
        for finding in findings.iter().take(FINDINGS_SHOWN) {
            text.push_str(&one_finding(finding, screen));
        }
        if findings.len() > FINDINGS_SHOWN {
            text.push_str(&format!("  and {} more: --json has all\n", findings.len() - FINDINGS_SHOWN));
        }
    }
    text
}

/// What the lines at the top were taken for, and why.
fn lines_at_top(survey: &FileSurvey, screen: &Screen) -> String {
    let mut table = Table::new(&[("Row", Side::Right), ("taken for", Side::Left), ("because", Side::Left)]);
    for seen in &survey.lines_at_top {
        table.row(vec![number(seen.row), seen.line.to_owned(), seen.why.clone()]);
    }
    if survey.lines_at_top.is_empty() { String::new() } else { format!("\n{}\n", table.render(screen)) }
}

fn how_it_is_read(survey: &FileSurvey) -> String {
    let mut parts = vec![survey.format.to_owned()];
    parts.extend(survey.packed.map(|packing| format!("packed with {packing}")));
    parts.extend(survey.sheet.as_ref().map(|sheet| format!("sheet \"{}\"", safe(sheet, 30))));
    parts.extend(survey.delimiter.map(|delimiter| format!("{delimiter} between cells")));
    parts.extend(survey.encoding.map(|encoding| {
        if survey.encoding_is_guessed { format!("{encoding} (a guess)") } else { encoding.to_owned() }
    }));
    parts.push(match survey.header_row {
        Some(row) => format!("header in row {row}"),
        None if survey.columns.iter().any(|column| column.has_header) => "its own column names".to_owned(),
        None => "no header".to_owned(),
    });
    format!("{}; {}", parts.join(", "), counted(survey.rows, "row"))
}

fn address_lines(addresses: &AddressSurvey, domain_entries: u64, screen: &Screen) -> String {
    let mut parts = vec![match addresses.repaired {
        0 => format!("{} usable", number(addresses.usable)),
        repaired => format!("{} usable ({} of them after a repair)", number(addresses.usable), number(repaired)),
    }];
    // In a list of people not to be contacted a domain is an entry; elsewhere it is an address without its beginning.
    let domains = if domain_entries * 2 > addresses.invalid { domain_entries.min(addresses.invalid) } else { 0 };
    for (count, what) in [
        (domains, "whole domains"),
        (addresses.invalid - domains, "invalid"),
        (addresses.placeholder, "typed instead of an address"),
        (addresses.blank, "blank"),
    ] {
        if count > 0 {
            parts.push(format!("{} {what}", number(count)));
        }
    }
    let mut text = format!("  addresses: {}\n", parts.join(", "));
    if addresses.repeated > 0 {
        let about = if addresses.repeated_is_estimate { "about " } else { "" };
        let repeat = if addresses.repeated == 1 { "repeats" } else { "repeat" };
        text.push_str(&format!(
            "  {about}{} {repeat} an address that stands above; {about}{} different ones\n",
            number(addresses.repeated),
            number(addresses.distinct)
        ));
    }
    let kinds =
        [(addresses.role, "belong to an office, like info@…"), (addresses.disposable, "are at disposable domains")];
    for (count, what) in kinds.into_iter().filter(|(count, _)| *count > 0) {
        text.push_str(&format!("  {} {what}\n", number(count)));
    }
    let lists = [
        ("repairs that a run makes", &addresses.repairs),
        ("slips that a run mends where it is told to (--apply, or apply in [clean])", &addresses.suggestions),
    ];
    for (what, rules) in lists.into_iter().filter(|(_, rules)| !rules.is_empty()) {
        for line in wrapped(&format!("{what}: {}", in_words(rules)), WIDTH - 2, "  ") {
            text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, &line)));
        }
    }
    text
}

/// Rules with their counts, the most frequent first.
fn in_words(rules: &BTreeMap<&'static str, u64>) -> String {
    let mut counted: Vec<(&&str, &u64)> = rules.iter().collect();
    counted.sort_by(|a, b| b.1.cmp(a.1).then(a.0.cmp(b.0)));
    let words = |(rule, count): &(&&str, &u64)| {
        together(&format!("{} {}", number(**count), Rule::from_name(rule).map_or("", Rule::says)))
    };
    counted.iter().map(words).collect::<Vec<_>>().join("; ")
}

fn columns(survey: &FileSurvey, screen: &Screen) -> String {
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
        if is_extra && extra > EXTRA_COLUMNS_SHOWN {
            left_out += 1;
            continue;
        }
        let about = if column.distinct_is_estimate { "~" } else { "" };
        let (header, field) = (safe(&column.header, 24), taken_for(column));
        let room = WIDTH - 2 - 24 - 17 - 6 - 9 - 4 * 3;
        table.row(vec![
            header,
            field,
            share(column.filled, survey.rows),
            format!("{about}{}", number(column.distinct)),
            examples(column, room),
        ]);
    }
    let mut text = table.render(screen);
    if left_out > 0 {
        text.push_str(&format!("  and {left_out} more columns that feed no field: --json has all\n"));
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
fn travelling_along(survey: &FileSurvey) -> Vec<String> {
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

fn taken_for(column: &ColumnSurvey) -> String {
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
fn share(part: u64, all: u64) -> String {
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

fn examples(column: &ColumnSurvey, room: usize) -> String {
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

fn values_table(values: &Counted, screen: &Screen) -> String {
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
            "  {} more hold values beyond those counted one by one\n",
            counted(values.of_further_values, "row")
        ));
    }
    text
}

/// The findings of a file and of its columns, the weightiest first, without the file's name.
fn findings_of(survey: &FileSurvey) -> Vec<Finding> {
    let of_file = survey.findings.iter().cloned().map(|finding| {
        let is_about_file = ["is ", "was ", "begins "].iter().any(|verb| finding.text.starts_with(verb));
        let text = if is_about_file { format!("the file {}", finding.text) } else { finding.text };
        Finding { file: None, text, ..finding }
    });
    let of_columns = survey.columns.iter().flat_map(|column| {
        column.findings.iter().cloned().map(|finding| {
            let text = format!("\"{}\": {}", safe(&column.header, 40), finding.text);
            Finding { text, ..finding }
        })
    });
    let mut findings: Vec<Finding> = of_file.chain(of_columns).collect();
    findings.sort_by_key(|finding| finding.weight);
    findings
}

/// Which column of which file feeds which field, and which are left over.
fn fields_by_file(surveys: &[FileSurvey], screen: &Screen) -> String {
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

fn room(files: usize) -> usize {
    (WIDTH - 2 - 12 - 3 * files) / files.max(1)
}

fn short_name(file: &str) -> &str {
    file.rsplit('/').next().unwrap_or(file)
}

/// The end of a long name, which tells more than its beginning.
fn safe_end(text: &str, most: usize) -> String {
    let text = safe(text, usize::MAX);
    let count = text.chars().count();
    if count <= most { text } else { std::iter::once('…').chain(text.chars().skip(count + 1 - most)).collect() }
}

fn next(surveys: &[FileSurvey], arguments: &[String], screen: &Screen) -> String {
    let files = arguments.iter().map(|file| in_shell(file)).collect::<Vec<_>>().join(" ");
    let asks = |code: &str| {
        surveys.iter().any(|survey| {
            survey
                .findings
                .iter()
                .chain(survey.columns.iter().flat_map(|column| &column.findings))
                .any(|finding| finding.code == code)
        })
    };
    let mut options = String::new();
    if asks("several-address-columns") || asks("no-address-column") {
        options.push_str(" --field \"email=…\"");
    }
    if asks("yes-to-what") {
        options.push_str(" --yes-means …");
    }
    let mut text = format!("\n  {}\n", screen.paint(Tone::Heading, "Next"));
    let is_mail = surveys.iter().all(|survey| survey.format == Format::Mail.name());
    let commands: Vec<(String, &str)> = if is_mail {
        let taking_in = "what came back goes into the bank, which holds it from then on";
        vec![(format!("pebblebank bank load {files} --as bounced"), taking_in)]
    } else if surveys.len() == 1 {
        vec![
            (format!("pebblebank clean {files}{options} -o cleaned.csv"), "clean it, drop blanks and duplicates"),
            (format!("pebblebank propose {files} -o job.toml"), "a job file, to do more and to repeat it"),
        ]
    } else {
        vec![(format!("pebblebank propose {files} -o job.toml"), "a job file made of what was seen here")]
    };
    for (command, what) in commands {
        text.push_str(&format!("  {}\n    {command}\n", screen.paint(Tone::Faint, what)));
    }
    text
}

/// A name as a shell takes it.
pub fn in_shell(name: &str) -> String {
    let is_plain = |c: char| c.is_alphanumeric() || matches!(c, '/' | '.' | '-' | '_' | '+' | ',' | ':' | '@' | '%');
    if !name.is_empty() && name.chars().all(is_plain) {
        name.to_owned()
    } else {
        format!("'{}'", name.replace('\'', "'\\''"))
    }
}

/// A text that is not to be broken into lines.
fn together(text: &str) -> String {
    text.replace(' ', NO_BREAK)
}
