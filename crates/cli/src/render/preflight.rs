//! Whether a file is fit to be imported: the answer, what keeps it from being imported, and the command that mends it.

use super::table::{Side, Table};
use super::tally::{guards, one_finding, suppression};
use super::{Screen, Tone, WIDTH, counted, number, safe, wrapped};
use crate::arguments;
use crate::documents::document;
use crate::documents::runs::PreflightDocument;
use crate::file_names::beside;
use crate::render::survey::in_shell;
use pebblebank_core::tasks::preflight::Preflight;
use pebblebank_core::tasks::preflight::problem::{Kind, Problem, Since};
use std::path::Path;

/// How many problems are shown; the JSON document has them all.
const PROBLEMS_SHOWN: usize = 14;

/// How many findings are shown.
const FINDINGS_SHOWN: usize = 4;

/// The answer, with what it rests on.
pub fn finished(looked: &Preflight, asked: &arguments::Preflight, bank: Option<&Path>, screen: &Screen) -> String {
    let sections = [
        since(looked.since, screen),
        guards(&looked.tripped, screen),
        problems(looked, screen),
        suppression(&looked.tally, screen),
        findings(looked, screen),
        next(looked, asked, bank, screen),
    ];
    let mut text = headline(looked, screen);
    for section in sections.iter().filter(|section| !section.is_empty()) {
        text.push('\n');
        text.push_str(section);
    }
    text
}

fn headline(looked: &Preflight, screen: &Screen) -> String {
    let file = safe(&looked.file, 60);
    let contacts = counted(looked.rows, "contact");
    if looked.is_fit() && looked.tally.suppression.is_empty() {
        let nobody = if looked.tally.bank.applied { "the bank has no entries" } else { "no bank" };
        let text = format!(
            "{file} is fit as a file: {contacts}. Whether they may be contacted was not looked up: {nobody}, no list (--against)"
        );
        return wrapped(&text, WIDTH, "")
            .iter()
            .map(|line| format!("{}\n", screen.paint(Tone::Warning, line)))
            .collect();
    }
    if looked.is_fit() {
        return format!("{}\n", screen.paint(Tone::Good, &format!("{file} is fit to be imported: {contacts}")));
    }
    let refused: u64 = of_kind(looked, Kind::MustNotBeContacted).map(|problem| problem.rows).sum();
    let why = match (looked.tripped.is_empty(), refused) {
        (false, _) => "a guard stopped it, so nobody knows who must not be contacted".to_owned(),
        (true, 0) => format!("{} of {contacts} can be imported as they are", number(looked.fit_rows)),
        (true, 1) => format!("1 of {contacts} must not be contacted today"),
        (true, refused) => format!("{} of {contacts} must not be contacted today", number(refused)),
    };
    format!("{}\n", screen.paint(Tone::Bad, &format!("{file} is not fit to be imported: {why}")))
}

fn of_kind(looked: &Preflight, kind: Kind) -> impl Iterator<Item = &Problem> {
    looked.problems.iter().filter(move |problem| problem.kind == kind)
}

fn problems(looked: &Preflight, screen: &Screen) -> String {
    if looked.problems.is_empty() {
        return String::new();
    }
    let mut table = Table::new(&[("Not fit", Side::Left), ("rows", Side::Right), ("", Side::Left)]);
    for problem in looked.problems.iter().take(PROBLEMS_SHOWN) {
        let rows = if problem.rows == 0 { String::new() } else { number(problem.rows) };
        let column = problem.column.as_ref().map_or(String::new(), |column| format!("\"{}\": ", safe(column, 24)));
        let text = format!("{column}{}{}", safe(&problem.text, 200), examples(problem));
        let lines = wrapped(&text, WIDTH - 34, "");
        for (place, line) in lines.into_iter().enumerate() {
            let (code, rows) = if place == 0 { (problem.code.clone(), rows.clone()) } else { Default::default() };
            table.row(vec![code, rows, line]);
        }
    }
    let mut text = table.render(screen);
    let more = looked.problems.len().saturating_sub(PROBLEMS_SHOWN);
    if more > 0 {
        text.push_str(&format!("  and {more} more (--json has them all)\n"));
    }
    let fit =
        format!("{} of {} could be imported as they are.", number(looked.fit_rows), counted(looked.rows, "contact"));
    text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, &fit)));
    text
}

fn examples(problem: &Problem) -> String {
    let rows: Vec<String> = problem.examples.iter().map(u64::to_string).collect();
    let more = if problem.rows > rows.len() as u64 { ", …" } else { "" };
    match rows.len() {
        0 => String::new(),
        1 if more.is_empty() => format!(" (row {})", rows[0]),
        _ => format!(" (rows {}{more})", rows.join(", ")),
    }
}

fn since(since: Option<Since>, screen: &Screen) -> String {
    let Some(Since { written, rows, added, changed, first_changed, missing }) = since else { return String::new() };
    let contacts = counted(written, "contact");
    if added == 0 && missing == 0 && written == rows && changed.unwrap_or_default() == 0 {
        let what = match changed {
            Some(_) => format!("It has the {contacts} that the run wrote, every cell as it was."),
            None => {
                format!("It has the {contacts} that the run wrote; its receipt does not tell whether cells changed.")
            }
        };
        return format!("  {}\n", screen.paint(Tone::Faint, &what));
    }
    let first = first_changed.map_or(String::new(), |row| format!(" (the first is row {row})"));
    let changed = changed.map_or(String::new(), |rows| format!("{} changed{first}, ", counted(rows, "row")));
    let what = format!(
        "Changed since the run, which wrote {contacts}: {changed}{} added, {} missing.",
        number(added),
        number(missing)
    );
    format!("  {}\n", screen.paint(Tone::Warning, &what))
}

fn findings(looked: &Preflight, screen: &Screen) -> String {
    if looked.findings.is_empty() {
        return String::new();
    }
    let mut text = format!("  {}\n", screen.paint(Tone::Heading, "Worth a look"));
    looked.findings.iter().take(FINDINGS_SHOWN).for_each(|finding| text.push_str(&one_finding(finding, screen)));
    let more = looked.findings.len().saturating_sub(FINDINGS_SHOWN);
    if more > 0 {
        text.push_str(&format!("  and {more} more (--json has them all)\n"));
    }
    text
}

fn next(looked: &Preflight, asked: &arguments::Preflight, bank: Option<&Path>, screen: &Screen) -> String {
    let heading = screen.paint(Tone::Heading, "Next");
    if looked.is_fit() {
        return format!(
            "  {heading}\n  import {}; once it was sent, pebblebank bank sent remembers it\n",
            safe(&looked.file, 60)
        );
    }
    let mut lines: Vec<String> = mending(looked, asked, bank).iter().map(|command| format!("  {command}\n")).collect();
    if of_kind(looked, Kind::Spoiled).next().is_some() && looked.tripped.is_empty() {
        // No command knows what stood there before.
        let by_hand = "  correct what was spoiled in the source and prepare the file again, or leave its column out\n";
        lines.push(by_hand.to_owned());
    }
    if lines.is_empty() { String::new() } else { format!("  {heading}\n{}", lines.concat()) }
}

/// The commands that make a file of it that is fit, as far as commands can.
fn mending(looked: &Preflight, asked: &arguments::Preflight, bank: Option<&Path>) -> Vec<String> {
    if !looked.tripped.is_empty() {
        return Vec::new();
    }
    let quoted = in_shell;
    let scope = match (&asked.remembered.scope, asked.remembered.without_bank) {
        (_, true) => " --without-bank".to_owned(),
        (Some(scope), false) => format!(" --scope {}", quoted(scope)),
        (None, false) => String::new(),
    };
    let bank = match bank.filter(|_| !asked.remembered.without_bank) {
        Some(path) => format!("{scope} --bank {}", quoted(&path.display().to_string())),
        None => scope,
    };
    let mut commands = Vec::new();
    let mut file = asked.file.clone();
    let target = |what: &str| beside(Path::new(&asked.file), what).display().to_string();
    let is_refused = of_kind(looked, Kind::MustNotBeContacted).next().is_some();
    let is_other = |kind: Kind| !matches!(kind, Kind::MustNotBeContacted | Kind::Spoiled);
    let others = looked.problems.iter().any(|problem| is_other(problem.kind));
    if is_refused && (!asked.against.is_empty() || !others) {
        let against = if asked.against.is_empty() {
            String::new()
        } else {
            format!(" --against {}", asked.against.iter().map(|list| quoted(list)).collect::<Vec<_>>().join(" "))
        };
        let output = target("allowed");
        commands.push(format!("pebblebank suppress {}{against}{bank} -o {}", quoted(&file), quoted(&output)));
        file = output;
    }
    if others {
        // Where the columns are those of the layout, they can stay as they are.
        let lacks_columns = of_kind(looked, Kind::Columns).next().is_some();
        let layout = match (&asked.layout, &asked.like) {
            (Some(layout), _) if lacks_columns => format!(" --layout {}", quoted(layout)),
            (_, Some(template)) if lacks_columns => format!(" --like {}", quoted(&template.display().to_string())),
            _ => same_columns(looked),
        };
        commands.push(format!("pebblebank clean {}{bank}{layout} -o {}", quoted(&file), quoted(&target("fit"))));
    }
    commands
}

/// How long the list of columns in a command may be; longer ones are those of the file itself.
const MOST_OF_COLUMNS: usize = 40;

/// The option that writes the columns of the file under their own names, where it can name them.
fn same_columns(looked: &Preflight) -> String {
    let can_be_named = |header: &String| {
        !header.trim().is_empty() && !header.contains([',', '=', '\'', '"', '{', '}']) && *header == safe(header, 60)
    };
    if looked.headers.is_empty() || !looked.headers.iter().all(can_be_named) {
        return String::new();
    }
    let columns = looked.headers.join(",");
    if columns.len() > MOST_OF_COLUMNS {
        return format!(" --like {}", in_shell(&looked.file));
    }
    if columns.contains(' ') { format!(" --columns '{columns}'") } else { format!(" --columns {columns}") }
}

/// The whole answer.
pub fn json(looked: &Preflight) -> String {
    let body = PreflightDocument {
        file: &looked.file,
        is_fit: looked.is_fit(),
        rows: looked.rows,
        fit_rows: looked.fit_rows,
        problems: &looked.problems,
        findings: &looked.findings,
        tripped_guards: &looked.tripped,
        since: looked.since.as_ref(),
        suppression: &looked.tally.suppression,
        bank: &looked.tally.bank,
    };
    document("pebblebank/preflight/1", body)
}
