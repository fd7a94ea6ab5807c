//! What is in files, for people: each file by itself, then which column of which file feeds which field.

use super::table::{Side, Table};
use super::tally::{cut_finding, one_finding, other_lines_in_words};
use super::{Screen, Tone, WIDTH, counted, number, safe, wrapped};
use crate::documents::document;
use crate::documents::lists::{SurveyDocument, UnreadableFile};
use crate::render::survey_tables::{columns, fields_by_file, in_words, safe_end, values_table};
use pebblebank_core::tasks::survey::found::{AddressSurvey, FileSurvey};
use pebblebank_formats::Format;
use pebblebank_table::Error;
use pebblebank_table::observe::Finding;

/// How many lines a screen has, less the one on which the command was typed.
const LINES: usize = 44;

/// How much of a file is shown.
#[derive(Clone, Copy)]
struct Room {
    columns: usize,
    findings: usize,
}

/// With `--verbose`.
const ALL: Room = Room { columns: 1_000, findings: 100 };

/// From much to little: the first that fits on a screen is taken.
const ROOMS: [Room; 5] = [
    Room { columns: 25, findings: 15 },
    Room { columns: 20, findings: 6 },
    Room { columns: 12, findings: 6 },
    Room { columns: 8, findings: 4 },
    Room { columns: 4, findings: 3 },
];

/// How many files are named where there are many.
const FILES_SHOWN: usize = 12;

/// What was seen: on one screen, or all of it. `arguments` are the files that could be read, as they were typed.
pub fn surveys(surveys: &[FileSurvey], arguments: &[String], screen: &Screen) -> String {
    let next = next(surveys, arguments, screen);
    match surveys {
        _ if screen.is_verbose => whole(surveys, screen) + &next,
        [only] => {
            let fits = |text: &String| text.lines().count() <= LINES;
            let mut in_rooms = ROOMS.iter().map(|room| one(only, *room, screen) + &next);
            in_rooms.find(fits).unwrap_or_else(|| one(only, ROOMS[ROOMS.len() - 1], screen) + &next)
        }
        several => in_short(several, screen) + &next,
    }
}

/// Several files on one screen.
fn in_short(surveys: &[FileSurvey], screen: &Screen) -> String {
    const FINDINGS: usize = 6;
    const NEXT_LINES: usize = 4;
    let mut text = overview(&surveys[..surveys.len().min(FILES_SHOWN)], screen);
    let more = surveys.len().saturating_sub(FILES_SHOWN);
    if more > 0 {
        text.push_str(&format!("  and {more} more files\n"));
    }
    let named = surveys.iter().flat_map(|survey| {
        findings_of(survey).into_iter().map(|finding| Finding { file: Some(survey.file.clone()), ..finding })
    });
    let mut findings: Vec<Finding> = named.collect();
    findings.sort_by_key(|finding| finding.weight);
    if !findings.is_empty() {
        text.push_str(&format!("\n  {}\n", screen.paint(Tone::Heading, "Worth a look")));
        findings.iter().take(FINDINGS).for_each(|finding| text.push_str(&cut_finding(finding, 2, screen)));
        let more = findings.len().saturating_sub(FINDINGS);
        if more > 0 {
            text.push_str(&format!("  and {more} more: --verbose shows them\n"));
        }
    }
    let fields = fields_by_file(surveys, screen);
    if text.lines().count() + fields.lines().count() + NEXT_LINES <= LINES {
        text.push('\n');
        text.push_str(&fields);
    }
    let columns = "the columns of each: pebblebank survey FILE, or --verbose";
    text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, columns)));
    text
}

fn whole(surveys: &[FileSurvey], screen: &Screen) -> String {
    let mut text = String::new();
    if surveys.len() > 1 {
        text.push_str(&overview(surveys, screen));
    }
    for survey in surveys {
        if !text.is_empty() {
            text.push('\n');
        }
        text.push_str(&one(survey, ALL, screen));
    }
    if surveys.len() > 1 {
        text.push('\n');
        text.push_str(&fields_by_file(surveys, screen));
    }
    text
}

/// The JSON document that `--json` prints, with all columns and all findings.
pub fn json(surveys: &[FileSurvey], errors: &[Error]) -> String {
    let errors = errors.iter().map(|error| UnreadableFile {
        file: error.place().file.as_deref(),
        what: error.what(),
        advice: error.advice(),
    });
    let body = SurveyDocument { files: surveys, errors: errors.collect() };
    document("pebblebank/survey/1", body)
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

fn one(survey: &FileSurvey, room: Room, screen: &Screen) -> String {
    let mut text = format!("{}\n", screen.paint(Tone::Heading, &safe(&survey.file, WIDTH)));
    text.push_str(&format!("  {}\n", how_it_is_read(survey)));
    let others = other_lines_in_words(&survey.other_lines);
    if !others.is_empty() {
        text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, &format!("not counted as rows: {others}"))));
    }
    if screen.is_verbose {
        text.push_str(&lines_at_top(survey, screen));
    }
    if let Some(addresses) = &survey.addresses {
        text.push_str(&address_lines(addresses, survey.domain_entries, screen));
    }
    text.push('\n');
    text.push_str(&columns(survey, room.columns, screen));
    for values in [&survey.domains, &survey.values].into_iter().flatten() {
        text.push('\n');
        text.push_str(&values_table(values, screen));
    }
    let findings = findings_of(survey);
    if !findings.is_empty() {
        text.push_str(&format!("\n  {}\n", screen.paint(Tone::Heading, "Worth a look")));
        for finding in findings.iter().take(room.findings) {
            text.push_str(&one_finding(finding, screen));
        }
        if findings.len() > room.findings {
            text.push_str(&format!("  and {} more: --verbose shows them\n", findings.len() - room.findings));
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
    let lines = wrapped(&format!("addresses: {}", parts.join(", ")), WIDTH - 2, "  ");
    let mut text: String = lines.iter().map(|line| format!("  {line}\n")).collect();
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
        ("typos that a run mends where it is told to (--apply, or apply in [clean])", &addresses.suggestions),
    ];
    for (what, rules) in lists.into_iter().filter(|(_, rules)| !rules.is_empty()) {
        for line in wrapped(&format!("{what}: {}", in_words(rules)), WIDTH - 2, "  ") {
            text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, &line)));
        }
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

fn next(surveys: &[FileSurvey], arguments: &[String], screen: &Screen) -> String {
    if arguments.is_empty() {
        return String::new();
    }
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
    let named = surveys.iter().flat_map(|survey| &survey.findings).filter(|finding| finding.code == "open-consent");
    let unnamed = surveys.iter().flat_map(|survey| &survey.columns);
    let unnamed = unnamed.filter(|column| column.findings.iter().any(|finding| finding.code == "yes-to-what"));
    let open =
        named.filter_map(|finding| finding.column.as_deref()).chain(unnamed.map(|column| column.header.as_str()));
    for header in open {
        options.push_str(&format!(" --opt-in/--opt-out/--not-consent {}", in_shell(header)));
    }
    let mut text = format!("\n  {}\n", screen.paint(Tone::Heading, "Next"));
    let is_mail = surveys.iter().all(|survey| survey.format == Format::Mail.name());
    let commands: Vec<(String, &str)> = if is_mail {
        let taking_in = "load what came back into the bank, which suppresses it from then on";
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
