//! What happens to each entry of a file: taken in, or counted as no bounce, as lapsed, or as forgotten elsewhere.

use pebblebank_bank::batch::What;
use pebblebank_bank::entry::NewEntry;
use pebblebank_bank::text::{Kind, Text};
use pebblebank_core::suppress::reason::Reason;
use pebblebank_core::suppress::status::StatusReason;
use pebblebank_core::tasks::found_entries::{FoundEntry, FoundText};
use pebblebank_values::date::Date;

/// What happens to the entries of a file.
pub(super) struct Taking {
    pub what: What,
    pub on: Option<Date>,
    pub until: Option<Date>,
    pub today: Date,
    /// Rows that are no bounce by their status.
    pub no_bounce: u64,
    pub softs: u64,
    /// Entries that no longer hold.
    pub lapsed: u64,
    /// What tells this bank's key from those of others.
    pub key_mark: String,
    /// People whom another bank has forgotten.
    pub forgotten_elsewhere: u64,
}

impl Taking {
    /// The entry as the bank takes it in; none where it is not what is loaded.
    pub fn entry(&mut self, found: FoundEntry) -> Option<NewEntry> {
        let mut is_soft = false;
        if self.what == What::Bounced {
            match found.status {
                Some(StatusReason::SoftBounce) => is_soft = true,
                Some(StatusReason::Is(Reason::Bounced)) | None => {}
                Some(_) => {
                    self.no_bounce += 1;
                    return None;
                }
            }
        } else if !self.is_meant(found.status) {
            self.no_bounce += 1;
            return None;
        }
        let until = found.until.or(self.until);
        if until.is_some_and(|until| until < self.today) {
            self.lapsed += 1;
            return None;
        }
        self.softs += u64::from(is_soft);
        let text = match found.text {
            FoundText::Address(identity) => Text::address(&identity),
            FoundText::Domain(domain) => Text { kind: Kind::Domain, value: domain.into_bytes() },
            FoundText::Phone(phone) => Text { kind: Kind::Phone, value: phone.into_bytes() },
            FoundText::Digest(digest) => Text::digest(&digest),
            // This bank holds its own forgotten people anyway; those of another one cannot be told by anybody.
            FoundText::Forgotten(mark) => {
                self.forgotten_elsewhere += u64::from(mark != self.key_mark);
                return None;
            }
        };
        Some(NewEntry { text, day: self.on.or(found.day), is_soft, until, file_day: found.file_day })
    }

    /// Whether a row with this status is what is loaded: an export that mixes several things gives only those that are
    /// asked for.
    fn is_meant(&self, status: Option<StatusReason>) -> bool {
        match (self.what, status) {
            (What::Complained, Some(StatusReason::Is(reason))) => reason == Reason::Complained,
            (What::OptedOut, Some(StatusReason::Is(reason))) => {
                matches!(reason, Reason::OptedOut | Reason::Complained | Reason::DoNotContact)
            }
            (What::OptedOut | What::Complained, Some(_)) => false,
            _ => true,
        }
    }
}
