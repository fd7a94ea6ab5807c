//! Where the rows of each source went, what people were given, and why rows were set aside.

use crate::render::table::{Side, Table};
use crate::render::{Screen, Tone, WIDTH, counted, number, safe, wrapped};
use pebblebank_core::columns::lines::Line;
use pebblebank_core::run::tally::{Account, OtherLines, Tally};
use pebblebank_core::suppress::reason::Reason;

pub(super) fn sources(tally: &Tally, screen: &Screen) -> String {
    let right = Side::Right;
    let mut table = Table::new(&[
        ("Source", Side::Left),
        ("read", right),
        ("written", right),
        ("merged", right),
        ("set aside", right),
    ]);
    let row = |name: &str, account: &Account| {
        let counts = [account.read, account.written, account.merged, account.set_aside_in_all()];
        std::iter::once(safe(name, 40)).chain(counts.map(number)).collect::<Vec<_>>()
    };
    for source in &tally.sources {
        table.row(row(&source.name, &source.account));
    }
    table.sum(row("all", &tally.all));
    let mut text = table.render(screen);
    let merged = wrapped(&merged_in_words(tally), WIDTH - 2, "  ");
    let given = given_in_words(tally);
    let lines = merged.iter().chain(&given).map(String::as_str);
    for line in lines.chain(["Every row read is accounted for."]) {
        text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, line)));
    }
    text.push_str(&other_lines(tally, screen));
    text
}

/// What made rows one person, and how many copies stood in one source and in several.
pub(super) fn merged_in_words(tally: &Tally) -> String {
    let what = match tally.same.as_slice() {
        [only] if only == "email" => "the same address as another row".to_owned(),
        keys => format!("the same person as another row, by {}", keys.join(" or ")),
    };
    let within: u64 = tally.sources.iter().map(|source| source.merged_within).sum();
    let between = tally.all.merged - within;
    let counts = match (tally.sources.len(), tally.all.merged) {
        (0 | 1, _) | (_, 0) => String::new(),
        _ => format!(", {} in the same source and {} in another", number(within), number(between)),
    };
    format!("merged: {what}{counts}.")
}

/// What people were given from their copies and from lists.
pub(super) fn given_in_words(tally: &Tally) -> Vec<String> {
    let mut given = Vec::new();
    if let Some(fill) = tally.fill {
        let conflicts = match fill.conflicts {
            0 => String::new(),
            count => format!("; {} of copies differ from what was kept (conflicts.csv)", counted(count, "value")),
        };
        let values = counted(fill.values, "blank value");
        given.push(format!("filled: {values} of {} from merged rows{conflicts}.", counted(fill.people, "person")));
    }
    for taken in &tally.taken {
        let several = match taken.several {
            0 => String::new(),
            count => format!("; {} have several rows there that differ, and the survivor rule decided", number(count)),
        };
        let people = counted(taken.people, "person");
        given.push(format!("taken from {}: values for {people}{several}.", safe(&taken.list, 40)));
    }
    given.iter().flat_map(|line| wrapped(line, WIDTH - 2, "  ")).collect()
}

pub(super) fn other_lines(tally: &Tally, screen: &Screen) -> String {
    let mut all = OtherLines::default();
    for file in tally.sources.iter().flat_map(|source| &source.files) {
        all.add(file.other_lines);
    }
    let kinds = other_lines_in_words(&all);
    if kinds.is_empty() {
        return String::new();
    }
    let line = format!("not counted as rows: {kinds}");
    format!("  {}\n", screen.paint(Tone::Faint, &line))
}

/// The lines that are no contacts, by kind.
pub fn other_lines_in_words(lines: &OtherLines) -> String {
    let of_kind = |(line, count)| match line {
        Line::Title => counted(count, "title line"),
        Line::Header => counted(count, "header"),
        Line::RepeatedHeader => counted(count, "repeated header"),
        Line::Empty => counted(count, "empty line"),
        Line::Totals => counted(count, "totals line"),
        Line::Footnote => counted(count, "footnote"),
        Line::Contact | Line::Unreadable => counted(count, "contact"),
    };
    lines.iter().map(of_kind).collect::<Vec<_>>().join(", ")
}

/// The reasons, with what each means.
pub fn set_aside(all: &Account, screen: &Screen) -> String {
    if all.set_aside_in_all() == 0 {
        return String::new();
    }
    let mut table = Table::new(&[("Set aside because", Side::Left), ("rows", Side::Right), ("", Side::Left)]);
    for (reason, count) in all.reasons() {
        table.row(vec![reason.name().to_owned(), number(count), meaning(reason).to_owned()]);
    }
    table.render(screen)
}

/// What a reason means, in a few words.
pub fn meaning(reason: Reason) -> &'static str {
    match reason {
        Reason::Complained => "reported a mailing as unwanted",
        Reason::OptedOut => "opted out, in a source or on a list",
        Reason::NoConsent => "pending, or a word about consent that is not known",
        Reason::DoNotContact => "on a do-not-contact list",
        Reason::Bounced => "mail to this address came back",
        Reason::AlreadySent => "has had this mailing",
        Reason::TooOften => "was written to often enough",
        Reason::OnOtherList => "on another list",
        Reason::BlankAddress => "no address",
        Reason::InvalidAddress => "not a valid e-mail address",
        Reason::PlaceholderAddress => "typed instead of an address, like noemail@…",
        Reason::MissingField => "a required field is blank or cannot be read",
        Reason::RoleAddress => "an office's address, like info@…, which the job leaves out",
        Reason::DisposableDomain => "a mailbox that is thrown away after use",
        Reason::FailedCheck => "mail would not arrive, as a check of the address found",
        Reason::NearMiss => "one typo from somebody who must not be contacted",
        Reason::NotSelected => "not in the audience that the job picks",
        Reason::OverLimit => "above the number that the job picks",
        Reason::RemovedByHand => "taken out by hand, in the file of decisions",
        Reason::UnreadableRow => "a remark with an address in it, outside the table",
        Reason::LayoutViolation => "does not fit the layout: blank where it must not be, too long …",
    }
}
