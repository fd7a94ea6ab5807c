//! Lists compared: who is in which.

use super::table::{Side, Table};
use super::tally::{first_rows, one_finding, other_lines_in_words};
use super::{Screen, Tone, WIDTH, counted, number, safe, wrapped};
use crate::documents::document;
use crate::documents::lists::CompareDocument;
use pebblebank_core::run::tally::OtherLines;
use pebblebank_core::tasks::compare::{Compared, ListCount};
use pebblebank_table::observe::{Finding, Weight};

/// How many characters of a list's name are shown.
const NAME_WIDTH: usize = 28;

/// More lists than these do not fit beside each other; then pairs are listed instead.
const MOST_BESIDE: usize = 6;

/// How many pairs are listed.
const PAIRS_SHOWN: usize = 30;

/// The numbers, most important first, and what to type next.
pub fn finished(compared: &Compared, marks: bool, screen: &Screen) -> String {
    let lists = &compared.lists;
    let mut text = headline(compared, marks, screen);
    for section in [
        two(compared),
        people(compared, screen),
        overlaps(compared, screen),
        empty_lists(lists, screen),
        findings(compared, screen),
        if compared.written.is_none() { first_rows(&compared.preview, screen) } else { String::new() },
        next(compared, screen),
    ] {
        if !section.is_empty() {
            text.push('\n');
            text.push_str(&section);
        }
    }
    text
}

fn headline(compared: &Compared, marks: bool, screen: &Screen) -> String {
    let people = counted_people(compared.people);
    let lists = counted(compared.lists.len() as u64, "list");
    let what = format!("{people} in {lists}, compared by {}", safe(&compared.by, 60));
    let mut text = format!("{}\n", screen.paint(Tone::Good, &what));
    let picked = if marks {
        format!("{} of {}", counted(compared.picked, "row"), safe(&compared.lists[0].name, NAME_WIDTH))
    } else {
        counted_people(compared.picked)
    };
    match (&compared.written, &compared.condition) {
        (Some(file), Some(condition)) => {
            text.push_str(&format!("{picked} written to {}: {}\n", file.display(), safe(condition, 80)));
        }
        (Some(file), None) => text.push_str(&format!("{picked} written to {}\n", file.display())),
        (None, Some(condition)) => text.push_str(&format!("{picked} picked by {}\n", safe(condition, 80))),
        (None, None) => {}
    }
    text
}

fn counted_people(count: u64) -> String {
    if count == 1 { "1 person".to_owned() } else { format!("{} people", number(count)) }
}

/// Of two lists: the three numbers that are asked for most.
fn two(compared: &Compared) -> String {
    let [a, b] = compared.lists.as_slice() else { return String::new() };
    let names = [safe(&a.name, NAME_WIDTH), safe(&b.name, NAME_WIDTH)];
    let width = number(compared.people).len();
    let line = |count: u64, what: String| format!("  {:>width$}  {what}\n", number(count));
    [
        line(
            compared.in_all,
            format!(
                "in both ({} of {}, {} of {})",
                share(compared.in_all, a.people),
                names[0],
                share(compared.in_all, b.people),
                names[1]
            ),
        ),
        line(a.only_here, format!("in {} and not in {}", names[0], names[1])),
        line(b.only_here, format!("in {} and not in {}", names[1], names[0])),
    ]
    .concat()
}

fn share(part: u64, whole: u64) -> String {
    match (part, whole) {
        (_, 0) => "–".to_owned(),
        (0, _) => "0 %".to_owned(),
        (part, whole) if part * 100 < whole => "under 1 %".to_owned(),
        // Only all of them are 100 %.
        (part, whole) if part < whole => {
            format!("{} %", (part * 100 + whole / 2) / whole).replace("100 %", "over 99 %")
        }
        _ => "all".to_owned(),
    }
}

fn people(compared: &Compared, screen: &Screen) -> String {
    let lists = &compared.lists;
    let lacks = if compared.by == "email" { "without address" } else { "without key" };
    let right = Side::Right;
    let headings = [
        ("", Side::Left),
        ("List", Side::Left),
        ("rows", right),
        ("people", right),
        ("repeats", right),
        (lacks, right),
        ("in no other list", right),
    ];
    let mut table = Table::new(&headings);
    for (place, list) in lists.iter().enumerate() {
        let counts = [list.rows, list.people, list.repeats, list.without_key, list.only_here].map(number);
        table.row([mark(compared, place), safe(&list.name, NAME_WIDTH)].into_iter().chain(counts).collect());
    }
    let mut others = OtherLines::default();
    for list in lists {
        others.add(list.other_lines);
    }
    let mut text = table.render(screen);
    let explanation = format!("rows = people + repeats + rows {lacks}, which nothing can be compared by.");
    text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, &explanation)));
    let others = other_lines_in_words(&others);
    if !others.is_empty() {
        text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, &format!("not counted as rows: {others}"))));
    }
    text
}

/// What a list is called in tables: a letter, or a number where a list is named like a letter.
fn mark(compared: &Compared, place: usize) -> String {
    let is_letter = |name: &str| name.len() == 1 && name.bytes().all(|byte| byte.is_ascii_alphabetic());
    if compared.lists.iter().any(|list| is_letter(&list.name)) {
        return (place + 1).to_string();
    }
    char::from(b'A' + place as u8).to_string()
}

/// Who of which list is in which other one. Of two lists that was said above.
fn overlaps(compared: &Compared, screen: &Screen) -> String {
    let lists = &compared.lists;
    if lists.len() == 2 {
        return String::new();
    }
    let mut text = if lists.len() <= MOST_BESIDE { matrix(compared, screen) } else { pairs(compared, screen) };
    let in_how_many =
        compared.by_number_of_lists.iter().zip(1..).filter(|(people, _)| **people > 0).map(|(people, count)| {
            let people = number(*people);
            match count {
                1 => format!("in exactly one list {people}"),
                all if all == lists.len() => format!("in all {all} lists {people}"),
                count => format!("in {count} {people}"),
            }
        });
    let line = format!("people {}", in_how_many.collect::<Vec<_>>().join(", "));
    for line in wrapped(&line, WIDTH - 2, "  ") {
        text.push_str(&format!("  {line}\n"));
    }
    text
}

fn matrix(compared: &Compared, screen: &Screen) -> String {
    let headings: Vec<String> =
        (0..compared.lists.len()).map(|place| format!("in {}", mark(compared, place))).collect();
    let mut columns = vec![("Of the people in", Side::Left)];
    columns.extend(headings.iter().map(|heading| (heading.as_str(), Side::Right)));
    let mut table = Table::new(&columns);
    for (place, (list, shared)) in compared.lists.iter().zip(&compared.shared).enumerate() {
        let cell = |(other, count): (usize, &u64)| {
            if other == place {
                "·".to_owned()
            } else {
                format!("{} ({})", number(*count), share(*count, list.people))
            }
        };
        let name = format!("{} {}", mark(compared, place), safe(&list.name, NAME_WIDTH));
        table.row(std::iter::once(name).chain(shared.iter().enumerate().map(cell)).collect());
    }
    let explanation = "each row goes by its own list: the share is of that list's people.";
    format!("{}  {}\n", table.render(screen), screen.paint(Tone::Faint, explanation))
}

fn pairs(compared: &Compared, screen: &Screen) -> String {
    let mut pairs = Vec::new();
    for (place, shared) in compared.shared.iter().enumerate() {
        pairs.extend(shared[place + 1..].iter().enumerate().map(|(after, count)| (*count, place, place + 1 + after)));
    }
    pairs.sort_by_key(|(count, a, b)| (std::cmp::Reverse(*count), *a, *b));
    let right = Side::Right;
    let headings = [("In both", Side::Left), ("people", right), ("of the first", right), ("of the second", right)];
    let mut table = Table::new(&headings);
    for (count, a, b) in pairs.iter().take(PAIRS_SHOWN) {
        let [first, second] = [a, b].map(|place| &compared.lists[*place]);
        let name =
            |place: usize| format!("{} {}", mark(compared, place), safe(&compared.lists[place].name, NAME_WIDTH));
        let shares = [share(*count, first.people), share(*count, second.people)];
        table.row([format!("{} · {}", name(*a), name(*b)), number(*count)].into_iter().chain(shares).collect());
    }
    let mut text = table.render(screen);
    if pairs.len() > PAIRS_SHOWN {
        text.push_str(&format!("  and {} pairs with fewer: --json has all\n", pairs.len() - PAIRS_SHOWN));
    }
    text
}

/// A list without anybody is allowed, and said loudly.
fn empty_lists(lists: &[ListCount], screen: &Screen) -> String {
    let empty = lists.iter().filter(|list| list.people == 0).map(|list| {
        let name = safe(&list.name, NAME_WIDTH);
        let what = if list.rows == 0 {
            format!("{name} is empty: nobody can be in it")
        } else {
            format!("{name} has nobody who can be compared; is it the right column?")
        };
        format!("  {} {what}\n", screen.paint(Tone::Warning, "!"))
    });
    empty.collect()
}

/// What bears on the comparison; how values would be repaired does not.
fn findings(compared: &Compared, screen: &Screen) -> String {
    let bears = |finding: &&Finding| {
        finding.weight != Weight::Note && !matches!(finding.code, "no-consent-column" | "status-column")
    };
    compared.findings.iter().filter(bears).map(|finding| one_finding(finding, screen)).collect()
}

fn next(compared: &Compared, screen: &Screen) -> String {
    if compared.written.is_some() || compared.condition.is_some() {
        return String::new();
    }
    let [a, b, ..] = compared.lists.as_slice() else { return String::new() };
    let heading = screen.paint(Tone::Heading, "Next");
    let condition = format!("in {} and not in {}", in_condition(&a.name), in_condition(&b.name));
    format!(
        "  {heading}\n  to write some of them, a row each: add --where '{condition}' -o new.csv\n  to see it beside each row of {}: add --mark -o marked.csv\n",
        safe(&a.name, NAME_WIDTH)
    )
}

/// A name as a condition has it: in quotes where it has blanks.
fn in_condition(name: &str) -> String {
    let is_plain = name.chars().all(|c| c.is_alphanumeric() || matches!(c, '-' | '_' | '.'));
    if is_plain { name.to_owned() } else { format!("\"{name}\"") }
}

/// The JSON document that `--json` prints.
pub fn json(compared: &Compared, marks: bool) -> String {
    document("pebblebank/compare/1", CompareDocument { rows_of_first_list: marks, compared })
}
