//! The bank: what went in, what is known of somebody, what would happen.

use super::survey::in_shell;
use super::table::{Side, Table};
use super::{Screen, Tone, WIDTH, counted, number, safe, safe_ends, wrapped};
use crate::documents::bank::{
    AddedDocument, BackupDocument, BankContents, BankDocument, BatchDocument, BatchesDocument, ExportedDocument,
    ForgottenDocument, VerdictsDocument,
};
use crate::documents::document;
use pebblebank_bank::batch::{Batch, What};
use pebblebank_bank::forget::Forgot;
use pebblebank_bank::held_in_files::HeldPrepared;
use pebblebank_bank::list::Held;
use pebblebank_bank::load::Preview;
use pebblebank_bank::record::Recorded;
use pebblebank_bank::verdicts::VerdictCounts;
use pebblebank_bank::{Leftover, Location};
use std::path::Path;

/// The bank's own words for what entries say of their people.
pub(super) fn says(what: What) -> &'static str {
    match what {
        What::Complained => "reported a mailing as unwanted",
        What::OptedOut => "opted out",
        What::DoNotContact => "must not be contacted",
        What::Bounced => "mail came back",
        What::Sent => "was sent a mailing",
        What::Prepared => "is in a file for the sending service",
    }
}

pub(super) fn day(moment: &str) -> &str {
    moment.get(..10).unwrap_or(moment)
}

pub(super) fn good(text: &str, screen: &Screen) -> String {
    format!("{}\n", screen.paint(Tone::Good, text))
}

pub(super) fn faint(text: &str, screen: &Screen) -> String {
    wrapped(text, WIDTH - 2, "  ").iter().map(|line| format!("  {}\n", screen.paint(Tone::Faint, line))).collect()
}

/// That there is no bank yet.
pub fn no_bank(location: &Location, screen: &Screen) -> String {
    let path = location.shown();
    if screen.json {
        return document("pebblebank/bank/1", BankDocument { file: path, exists: false, has: None });
    }
    let text = "\nIt remembers who must not be contacted, for whom (a client or brand, or everyone), and who was written to.\n\n  \
        pebblebank bank add ines@hotel.example            hold an address, a domain or a phone number\n  \
        pebblebank bank load opted-out.csv --as opted-out  take in a file\n";
    let made = match location.file() {
        Some(_) => String::new(),
        None => format!("  pebblebank bank init '{}'    make it, once\n", path.display()),
    };
    format!("There is no bank yet; it would be {}\n{text}{made}", path.display())
}

/// What is in it, and what went in last.
pub fn overview(path: &Path, counts: &[Held], verdicts: &VerdictCounts, batches: &[Batch], screen: &Screen) -> String {
    const SHOWN: usize = 5;
    if screen.json {
        let has = BankContents {
            entries: counts,
            verdicts: VerdictsDocument {
                mailboxes: verdicts.addresses,
                domains: verdicts.domains,
                awaited: verdicts.awaited,
            },
            latest: &batches[..batches.len().min(SHOWN)],
        };
        return document("pebblebank/bank/1", BankDocument { file: path, exists: true, has: Some(has) });
    }
    let mut text = good(&format!("The bank in {}", path.display()), screen);
    if counts.is_empty() {
        text.push_str("\n  It has no entries.\n");
    } else {
        let headings = [
            ("Scope", Side::Left),
            ("reason", Side::Left),
            ("entries", Side::Right),
            ("batches", Side::Right),
            ("", Side::Left),
        ];
        let mut table = Table::new(&headings);
        for held in counts {
            let cells =
                [safe(&held.scope, 30), held.what.name().to_owned(), number(held.entries), number(held.batches)];
            table.row(cells.into_iter().chain([says(held.what).to_owned()]).collect());
        }
        text.push('\n');
        text.push_str(&table.render(screen));
    }
    if let Some(line) = verdicts_in_words(verdicts) {
        text.push('\n');
        text.push_str(&faint(&line, screen));
    }
    text.push('\n');
    text.push_str(&batch_table("Latest", &batches[..batches.len().min(SHOWN)], screen));
    text.push_str(&faint(
        "all of them: pebblebank bank batches. About somebody: pebblebank bank find ADDRESS.",
        screen,
    ));
    text
}

fn batch_table(heading: &str, batches: &[Batch], screen: &Screen) -> String {
    let left = Side::Left;
    let headings = [
        (heading, Side::Right),
        ("day", left),
        ("reason", left),
        ("scope", left),
        ("entries", Side::Right),
        ("from", left),
        ("", left),
    ];
    let mut table = Table::new(&headings);
    for batch in batches {
        let state = batch.undone.as_ref().map_or(String::new(), |moment| match batch.what {
            What::Prepared => "replaced".to_owned(),
            _ => format!("undone {}", day(moment)),
        });
        let when = if batch.what == What::Sent { &batch.day } else { day(&batch.added) };
        table.row(vec![
            batch.id.0.to_string(),
            when.to_owned(),
            batch.what.name().to_owned(),
            safe(&batch.scope, 20),
            number(batch.entries),
            where_from(batch),
            state,
        ]);
    }
    table.render(screen)
}

/// Where the entries of a batch come from.
fn where_from(batch: &Batch) -> String {
    if batch.keeps_forgotten {
        return "somebody was forgotten".to_owned();
    }
    let file = batch.file.as_ref().map(|file| safe_ends(file.rsplit('/').next().unwrap_or(file), 30));
    let mailing = batch.campaign.as_ref().map(|campaign| safe(campaign, 30));
    let note = batch.note.as_ref().map(|note| safe(note, if file.is_some() { 24 } else { 52 }));
    [mailing, file, note].into_iter().flatten().collect::<Vec<_>>().join(", ")
}

/// All batches.
pub fn batches(batches: &[Batch], screen: &Screen) -> String {
    if screen.json {
        return document("pebblebank/bank-batches/1", BatchesDocument { batches });
    }
    if batches.is_empty() {
        return "Nothing went into the bank yet.\n".to_owned();
    }
    let mut text = batch_table("Batch", batches, screen);
    text.push_str(&faint("to undo one: pebblebank bank undo NUMBER", screen));
    text
}

/// What was added by hand.
pub fn added(batch: &Batch, preview: &Preview, unreadable: &[String], screen: &Screen) -> String {
    if screen.json {
        return document("pebblebank/bank-add/1", AddedDocument { batch, seen: preview, unreadable });
    }
    let entries = counted(batch.entries, "entry");
    let known = match preview.known {
        0 => String::new(),
        count => format!(" ({} known before)", number(count)),
    };
    let text = format!("{entries} added as {}, for {}{known}: batch {}", batch.what.name(), batch.scope, batch.id.0);
    let mut text = good(&text, screen);
    for value in unreadable {
        let sign = screen.paint(Tone::Warning, "!");
        text.push_str(&format!(
            "  {sign} not added: neither an address nor a domain nor a phone number: {}\n",
            safe(value, 60)
        ));
    }
    text.push_str(&held_table(&preview.held, screen));
    text.push_str(&faint(&format!("to undo it: pebblebank bank undo {}", batch.id.0), screen));
    text
}

/// Who is in files for the sending service and must not be contacted.
pub(super) fn held_table(held: &[HeldPrepared], screen: &Screen) -> String {
    if held.is_empty() {
        return String::new();
    }
    let headings = [
        ("Of those prepared or sent lately", Side::Left),
        ("scope", Side::Left),
        ("day", Side::Left),
        ("contacts", Side::Right),
        ("suppressed now", Side::Right),
    ];
    let mut table = Table::new(&headings);
    for file in held {
        let name = if file.is_sent { format!("{} (sent)", file.job) } else { file.job.clone() };
        table.row(vec![
            safe(&name, 40),
            safe(&file.scope, 20),
            file.day.clone(),
            number(file.contacts),
            number(file.held),
        ]);
    }
    let mut text = format!("\n{}", table.render(screen));
    if held.iter().any(|file| file.is_sent) {
        text.push_str(&faint(
            "take those of a file that was handed over out at the sending service: --take-out FILE writes them.",
            screen,
        ));
    } else {
        text.push_str(&faint(
            "run the job again, so that they are not in its file; --take-out FILE writes who they are.",
            screen,
        ));
    }
    text
}

/// What was taken back.
pub fn undone(batch: &Batch, screen: &Screen) -> String {
    if screen.json {
        return document("pebblebank/bank-undo/1", BatchDocument { batch });
    }
    let text = format!(
        "batch {} undone: {} as {}, for {}",
        batch.id.0,
        counted(batch.entries, "entry"),
        batch.what.name(),
        batch.scope
    );
    good(&text, screen)
}

/// What was said to be sent.
pub fn sent(batch: &Batch, screen: &Screen) -> String {
    if screen.json {
        return document("pebblebank/bank-sent/1", BatchDocument { batch });
    }
    let campaign = batch.campaign.as_deref().unwrap_or_default();
    good(
        &format!(
            "{} remembered as sent on {}, in {campaign}: batch {}",
            counted(batch.entries, "contact"),
            batch.day,
            batch.id.0
        ),
        screen,
    )
}

/// What was forgotten.
pub fn forgotten(forgot: &Forgot, screen: &Screen) -> String {
    let Forgot { entries, words, renamed, leftover } = forgot;
    if screen.json {
        let body = ForgottenDocument {
            entries: *entries,
            words: *words,
            renamed,
            server_may_keep: *leftover == Leftover::OfTheServer,
        };
        return document("pebblebank/bank-forget/1", body);
    }
    let words = match words {
        0 => String::new(),
        1 => " and 1 note or name that spelt it".to_owned(),
        several => format!(" and {} notes and names that spelt it", number(*several)),
    };
    let text =
        format!("forgotten: {}{words} gone; a hash stays, so that it is not contacted", counted(*entries, "entry"));
    let names: String = renamed
        .iter()
        .map(|name| format!("  a name spelt it and was changed: {name}; use the new one in jobs and commands\n"))
        .collect();
    let elsewhere = match leftover {
        Leftover::Nothing => "copies of the bank, receipts and your own files may still have it; look there, too.",
        Leftover::OfTheServer => {
            "the server's write-ahead log, its backups and standby servers keep it until they are recycled (ask whoever runs \
             it); copies of the bank, receipts and your own files may still have it, too."
        }
    };
    good(&text, screen) + &names + &faint(elsewhere, screen)
}

/// What was exported.
pub fn exported(file: &Path, count: u64, forgotten: u64, screen: &Screen) -> String {
    if screen.json {
        return document("pebblebank/bank-export/1", ExportedDocument { file, entries: count, forgotten });
    }
    let mut text = good(&format!("{} in {}", counted(count, "entry"), file.display()), screen);
    if forgotten > 0 {
        let people = if forgotten == 1 {
            "1 of them stands for somebody who was"
        } else {
            "some of them stand for people who were"
        };
        text.push_str(&format!(
            "  {people} forgotten ({}): no other bank can keep them uncontacted;\n  pebblebank bank backup copies the whole bank, and keeps them\n",
            number(forgotten)
        ));
    }
    text
}

/// What was copied.
pub fn backed_up(file: &Path, bytes: u64, screen: &Screen) -> String {
    if screen.json {
        return document("pebblebank/bank-backup/1", BackupDocument { file, bytes });
    }
    good(&format!("a whole copy of the bank is in {} ({} KiB)", file.display(), number(bytes / 1024)), screen)
}

/// What the bank learned from a run.
pub fn recorded(recorded: &Recorded, receipt: Option<&Path>, bank: Option<&Path>, screen: &Screen) -> String {
    let mut lines = Vec::new();
    if !screen.is_verbose {
        return recorded_in_short(recorded, receipt, bank);
    }
    if let Some((batch, contacts)) = recorded.prepared {
        lines.push(format!("Remembered in the bank: {} prepared (batch {}).", counted(contacts, "contact"), batch.0));
    }
    for (what, batch, count) in &recorded.refused {
        lines.push(format!(
            "Learned from the sources: {} as {} (batch {}).",
            counted(*count, "address"),
            what.name(),
            batch.0
        ));
    }
    if let (Some(receipt), Some(_)) = (receipt, recorded.prepared) {
        let bank = bank.map_or(String::new(), |bank| format!(" --bank {}", in_shell(&bank.display().to_string())));
        lines.push("Once the file was sent:".to_owned());
        lines.push(format!("  pebblebank bank sent {}{bank}", receipt.display()));
    }
    if lines.is_empty() {
        return String::new();
    }
    let lines: String = lines.iter().map(|line| format!("  {line}\n")).collect();
    format!("\n{lines}")
}

/// The same in two lines.
fn recorded_in_short(recorded: &Recorded, receipt: Option<&Path>, bank: Option<&Path>) -> String {
    let mut parts = Vec::new();
    if let Some((batch, contacts)) = recorded.prepared {
        parts.push(format!("{} prepared (batch {})", counted(contacts, "contact"), batch.0));
    }
    let learned: u64 = recorded.refused.iter().map(|(.., count)| *count).sum();
    match recorded.refused.as_slice() {
        [] => {}
        [(_, batch, _)] => {
            parts.push(format!("{} learned (batch {})", counted(learned, "address"), batch.0));
        }
        [(_, first, _), .., (_, last, _)] => {
            parts.push(format!("{} learned (batches {} to {})", counted(learned, "address"), first.0, last.0));
        }
    }
    if parts.is_empty() {
        return String::new();
    }
    let sent = match (receipt, recorded.prepared) {
        (Some(receipt), Some(_)) => {
            let bank = bank.map_or(String::new(), |bank| format!(" --bank {}", in_shell(&bank.display().to_string())));
            format!("  once it was sent: pebblebank bank sent {}{bank}\n", receipt.display())
        }
        _ => String::new(),
    };
    format!("  Remembered in the bank: {}\n{sent}", parts.join(", "))
}

/// What the bank has, in a line; nothing where it has none.
fn verdicts_in_words(counts: &VerdictCounts) -> Option<String> {
    let VerdictCounts { domains, addresses, awaited } = *counts;
    let awaited =
        if awaited > 0 { format!("; {} given out to be checked", counted(awaited, "address")) } else { String::new() };
    let some = domains + addresses > 0 || !awaited.is_empty();
    some.then(|| {
        format!("Verdicts of checks: {}, {}{awaited}.", counted(addresses, "mailbox"), counted(domains, "domain"))
    })
}
