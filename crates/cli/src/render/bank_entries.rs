//! What the bank knows of somebody: entries and what happened to them.

use super::table::{Side, Table};
use super::{Screen, Tone, number, safe, safe_ends};
use crate::documents::bank::{FoundDocument, HistoryDocument, ListedDocument, RemovedDocument};
use crate::documents::document;
use crate::render::bank::{day, faint, good};
use pebblebank_bank::batch::What;
use pebblebank_bank::change::Removed;
use pebblebank_bank::find::{Found, KnownEntry, KnownVerdict};
use pebblebank_bank::history::Happened;
use pebblebank_bank::scope::EVERYONE_NAME;

/// What no longer holds somebody.
pub fn removed(removed: &[Removed], found: &Found, today: &str, screen: &Screen) -> String {
    if screen.json {
        let body = RemovedDocument { removed, still_held: found.is_held(today) };
        return document("pebblebank/bank-remove/1", body);
    }
    let what: Vec<&str> = removed.iter().map(|removed| removed.what.name()).collect();
    let mut text = good(&format!("{} no longer suppressed as {}", found.asked, what.join(", ")), screen);
    if found.is_held(today) {
        let sign = screen.paint(Tone::Warning, "!");
        text.push_str(&format!("  {sign} other entries still suppress it: pebblebank bank find {}\n", found.asked));
    }
    text
}

/// What is known of somebody.
pub fn found(found: &Found, today: &str, screen: &Screen) -> String {
    if screen.json {
        return document("pebblebank/bank-find/1", FoundDocument { held: found.is_held(today), found });
    }
    let is_held = found.is_held(today);
    let nothing =
        found.entries.is_empty() && found.by_domain.is_empty() && found.by_hash.is_empty() && found.verdict.is_none();
    let headline = match (is_held, nothing) {
        (true, _) => {
            let scopes = found.held_for(today);
            let whom =
                if scopes.contains(&EVERYONE_NAME) { String::new() } else { format!(", for {}", scopes.join(", ")) };
            screen.paint(Tone::Bad, &format!("{} must not be contacted{whom}", found.asked))
        }
        (false, true) => format!("{}: the bank knows nothing of this {}", found.asked, found.kind),
        (false, false) => screen.paint(Tone::Good, &format!("{}: no entry of the bank suppresses it", found.asked)),
    };
    let mut text = format!("{headline}\n");
    let parts =
        [("About it", &found.entries), ("By its domain", &found.by_domain), ("Without showing it", &found.by_hash)];
    for (heading, entries) in parts.into_iter().filter(|(_, entries)| !entries.is_empty()) {
        text.push('\n');
        text.push_str(&entry_table(heading, entries, heading == "By its domain", screen));
    }
    if found.is_forgotten {
        text.push_str(&faint("It was forgotten: only a hash is left, and it stays uncontacted.", screen));
    }
    if let Some(KnownVerdict { verdict, why, day }) = &found.verdict {
        text.push_str(&faint(&format!("Checked on {day}: {verdict} ({why})."), screen));
    }
    if !found.history.is_empty() {
        text.push('\n');
        text.push_str(&history_table("What was done about it", &found.history, screen));
    }
    text
}

pub(super) fn entry_table(heading: &str, entries: &[KnownEntry], shows_text: bool, screen: &Screen) -> String {
    let left = Side::Left;
    let has_until = entries.iter().any(|entry| entry.until.is_some());
    let mut headings = vec![(heading, left)];
    headings.extend(shows_text.then_some(("reason", left)));
    headings.extend([("scope", left), ("since", left)]);
    headings.extend(has_until.then_some(("until", left)));
    headings.extend([("from", left), ("batch", Side::Right), ("", left)]);
    let mut table = Table::new(&headings);
    // What counts comes first.
    let (gone, counting): (Vec<_>, Vec<_>) = entries.iter().partition(|entry| entry.gone.is_some());
    for entry in counting.into_iter().chain(gone) {
        let what = if entry.is_soft { "bounced softly".to_owned() } else { entry.what.name().to_owned() };
        let from = entry.campaign.as_ref().or(entry.file.as_ref()).or(entry.note.as_ref()).or(entry.job.as_ref());
        let state = match (&entry.gone, entry.what) {
            (Some(gone), _) => format!("no longer, since {}", day(gone)),
            (None, What::Sent | What::Prepared) => "suppresses nobody by itself".to_owned(),
            _ => String::new(),
        };
        let mut cells = Vec::new();
        cells.extend(shows_text.then(|| safe_ends(&entry.text, 36)));
        cells.extend([what, safe(&entry.scope, 20), entry.day.clone()]);
        cells.extend(has_until.then(|| entry.until.clone().unwrap_or_default()));
        cells.extend([from.map_or(String::new(), |text| safe_ends(text, 30)), entry.batch.0.to_string(), state]);
        table.row(cells);
    }
    table.render(screen)
}

pub(super) fn history_table(heading: &str, history: &[Happened], screen: &Screen) -> String {
    let left = Side::Left;
    // A bank in a file knows no users.
    let has_users = history.iter().any(|happened| happened.who.is_some());
    let mut headings = vec![(heading, left), ("done", left), ("batch", Side::Right), ("entries", Side::Right)];
    headings.extend(has_users.then_some(("by", left)));
    headings.push(("about", left));
    let mut table = Table::new(&headings);
    for happened in history {
        let about = [&happened.text, &happened.scope, &happened.note].into_iter().flatten();
        let about: Vec<String> = about.map(|text| safe(text, 44)).collect();
        let mut cells = vec![
            happened.moment.get(..16).unwrap_or(&happened.moment).replace('T', " "),
            happened.what.clone(),
            happened.batch.map_or(String::new(), |batch| batch.to_string()),
            happened.count.map_or(String::new(), |count| number(count.unsigned_abs())),
        ];
        cells.extend(has_users.then(|| happened.who.as_deref().map_or(String::new(), |who| safe(who, 24))));
        cells.push(about.join(", "));
        table.row(cells);
    }
    table.render(screen)
}

/// What was done to the bank.
pub fn history(history: &[Happened], screen: &Screen) -> String {
    if screen.json {
        return document("pebblebank/bank-history/1", HistoryDocument { history });
    }
    if history.is_empty() {
        return "Nothing like that was done to the bank yet.\n".to_owned();
    }
    history_table("When (UTC)", history, screen)
}

/// Entries, listed.
pub fn listed(entries: &[KnownEntry], count: u64, screen: &Screen) -> String {
    if screen.json {
        return document("pebblebank/bank-list/1", ListedDocument { count, entries });
    }
    if count == 0 {
        return "No entry is like that.\n".to_owned();
    }
    let mut text = entry_table("Entry", entries, true, screen);
    let more = count - entries.len() as u64;
    if more > 0 {
        text.push_str(&faint(
            &format!("and {} more; --most 0 shows all, bank export writes them to a file", number(more)),
            screen,
        ));
    }
    text
}
