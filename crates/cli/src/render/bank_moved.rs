//! Banks that were made, or copied elsewhere.

use super::bank::{faint, good};
use super::{Screen, counted, number};
use crate::documents::bank::{CopiedDocument, MadeDocument, SnapshotDocument};
use crate::documents::document;
use pebblebank_bank::Location;
use pebblebank_bank::Made;
use pebblebank_bank::copying::Copied;
use pebblebank_bank::snapshot::Written;
use std::path::Path;

/// What was made.
pub fn made(location: &Location, made: &Made, screen: &Screen) -> String {
    let place = location.shown();
    if screen.json {
        let body = MadeDocument { bank: place, is_new: made.is_new, has_roles: made.has_roles };
        return document("pebblebank/bank-init/1", body);
    }
    let place = place.display();
    let what = if made.is_new { "a new bank is in" } else { "up to date: the bank in" };
    let mut text = good(&format!("{what} {place}"), screen);
    match made.has_roles {
        Some(true) => text.push_str(&faint(
            "it has three roles, for those who run jobs, load and forget: grant one to each user. bank init --print-sql shows \
             what each may do.",
            screen,
        )),
        Some(false) => text.push_str(&faint(
            "its roles could not be made, since this user may make none; whoever runs the server can carry out what bank init \
             --print-sql prints",
            screen,
        )),
        None => {}
    }
    text.push_str(&faint(&format!("to use it: --bank '{place}', or PEBBLEBANK_BANK in the environment"), screen));
    text
}

fn in_words(copied: &Copied) -> String {
    format!(
        "{} in {}, with {} of history",
        counted(copied.entries, "entry"),
        counted(copied.batches, "batch"),
        counted(copied.happened, "line")
    )
}

/// What was copied.
pub fn copied(to: &Location, copied: &Copied, screen: &Screen) -> String {
    let place = to.shown();
    if screen.json {
        let Copied { entries, batches, happened, went_on } = *copied;
        let body = CopiedDocument { bank: place, entries, batches, history: happened, went_on };
        return document("pebblebank/bank-copy/1", body);
    }
    let went_on = if copied.went_on { ", which an earlier command had begun" } else { "" };
    let text = format!("the whole bank is in {}{went_on}: {}", place.display(), in_words(copied));
    good(&text, screen)
        + &faint("both were read to the end and are the same. From now on use the new one alone.", screen)
}

/// What stands for a bank.
pub fn written(file: &Path, written: &Written, screen: &Screen) -> String {
    if screen.json {
        let body = SnapshotDocument { file, entries: written.copied.entries, bytes: written.bytes };
        return document("pebblebank/bank-snapshot/1", body);
    }
    let kib = number(written.bytes / 1024);
    good(&format!("a copy of the bank is in {} ({kib} KiB): {}", file.display(), in_words(&written.copied)), screen)
        + &faint(
            &format!("where the bank cannot be reached, a run goes on with it: --bank-copy {}", file.display()),
            screen,
        )
        + &faint("make it anew each day; one that is more than a day old stops a run", screen)
}
