//! What to say about lists: what was not read of them, words that are not known, entries that no longer count.

use crate::job::lists::{EntriesToCompare, JobList};
use crate::run::account::reports::Reports;
use crate::run::gather::counts::ListCounts;
use crate::run::tally::{ListTally, SuppressionTally, UnreadTally};
use crate::run::write::rows::Counts;
use pebblebank_table::observe::{EXAMPLE_ROWS, Finding, Weight, counted};
use pebblebank_table::units::ListId;

/// How what was not read of a list is read: options, and keys of its `[[suppress]]`.
pub const READS_MORE: [&str; 2] = [
    "--field \"email=…\", once for each column, reads further columns, --sheet all all sheets",
    "columns = { email = [\"…\", \"…\"] } in its [[suppress]] reads further columns, sheet = \"all\" all sheets",
];

impl Reports<'_> {
    /// What was not read of the suppression lists, and whom it names.
    pub(super) fn unread(&self, counts: &[Counts]) -> Vec<UnreadTally> {
        let mut all = Vec::new();
        for (place, list) in self.job.lists.iter().enumerate() {
            let Some(owner) = list.unread_of() else { continue };
            let (unread, list) = (&self.known.entrants.lists[owner].unread, &self.job.lists[owner]);
            if unread.count == 0 {
                continue;
            }
            let named = counts.iter().filter_map(|counts| counts.unread.get(&ListId(place as u16)));
            let (mut about_to_be_written, mut contacts) = (0, Vec::new());
            for named in named {
                about_to_be_written += named.count;
                contacts.extend(named.rows.iter().map(|row| {
                    let (file, number) = self.known.settled.place(*row);
                    format!("{} row {number}", self.known.files.sources[file.0 as usize].input.name())
                }));
            }
            contacts.truncate(EXAMPLE_ROWS);
            all.push(UnreadTally {
                list: list.hold().map_or(list.name(), |hold| &hold.name).to_owned(),
                texts: unread.count,
                phones: unread.phones,
                incomparable: unread.incomparable,
                places: unread.in_words(),
                about_to_be_written,
                contacts,
            });
        }
        all
    }

    /// What the status columns of lists say that is no refusal, or not known.
    pub(super) fn list_statuses(&self) -> Vec<Finding> {
        let mut findings = Vec::new();
        for (list, counts) in self.job.lists.iter().zip(&self.known.entrants.lists) {
            let count: u64 = counts.unlisted_words.values().sum();
            if count > 0 {
                let words = counts.unlisted_words.iter().take(5).map(|(word, count)| format!("\"{word}\" {count}"));
                let reason = list.hold().map_or("", |hold| hold.reason.name());
                let text = format!(
                    "the status column of the suppression list {} has words whose meaning is not known, taken as {reason}: {}",
                    list.name(),
                    words.collect::<Vec<_>>().join(", ")
                );
                let finding = Finding::new("unlisted-status-words", Weight::Warning, text);
                findings.push(Finding { count, ..finding });
            }
            if counts.soft_bounces > 0 {
                let text = format!(
                    "{} {} whose mail came back for a reason that may pass; by itself that suppresses nobody (the bank counts them: pebblebank bank load)",
                    counted(counts.soft_bounces, "entry", "of the suppression list", "of the suppression list"),
                    list.name(),
                );
                findings.push(Finding::new("soft-bounces", Weight::Note, text));
            }
        }
        findings
    }

    /// Entries of lists that no longer hold anybody, since the bank remembers that the person came back.
    pub(super) fn returned(&self) -> Vec<Finding> {
        let lists = self.job.lists.iter().zip(&self.known.entrants.lists).filter(|(_, counts)| counts.voided > 0);
        let finding = |(list, counts): (&JobList, &ListCounts)| {
            let text = format!(
                "{} of the suppression list \"{}\" no longer {}: the person came back after the file was last changed (pebblebank bank history)",
                counted(counts.voided, "entry", "", "").trim_end(),
                list.name(),
                if counts.voided == 1 { "counts" } else { "count" },
            );
            Finding { count: counts.voided, ..Finding::new("returned", Weight::Warning, text) }
        };
        lists.map(finding).collect()
    }

    /// Lists in which nothing can be compared; what the bank and mixed lists hold may be nothing.
    pub(super) fn unusable_lists(&self, suppression: &[SuppressionTally], lists: &[ListTally]) -> Vec<Finding> {
        let is_remembered = |held: &SuppressionTally| {
            let spec = self.job.lists.iter().find(|spec| spec.name() == held.list.name);
            spec.is_some_and(|spec| spec.place_in_bank().is_some() || spec.reason_from().is_some())
        };
        let is_asked = |held: &SuppressionTally| lists.iter().any(|list| list.name == held.list.name);
        let suppressing = suppression.iter().filter(|held| !is_remembered(held) && !is_asked(held));
        let suppressing = suppressing.filter_map(|held| nothing_usable("suppression list", &held.list));
        suppressing.chain(lists.iter().filter_map(|list| nothing_usable("list", list))).collect()
    }
}

/// Says what was not read of a list, where nobody about to be written is named by it.
pub(super) fn unread_finding(unread: &UnreadTally) -> Finding {
    let named = match unread.about_to_be_written {
        0 => "none of it names a contact about to be written".to_owned(),
        count => format!("it names {} about to be written", counted(count, "contact", "", "").trim_end()),
    };
    let what = format!(
        "the suppression list \"{}\" has {} outside its entries ({}); {named}",
        unread.list,
        if unread.texts == 1 {
            "1 text that looks like an entry".to_owned()
        } else {
            format!("{} texts that look like entries", unread.texts)
        },
        unread.places,
    );
    let weight = if unread.about_to_be_written > 0 { Weight::Warning } else { Weight::Doubt };
    let [text, in_job] = READS_MORE.map(|reads| format!("{what}. {reads}"));
    Finding { count: unread.texts, ..Finding::new("unread-entries", weight, text).or_in_job(in_job) }
}

/// A list that holds nobody because nothing in it can be read, or because it is empty.
fn nothing_usable(what: &str, list: &ListTally) -> Option<Finding> {
    let usable = list.entries - list.unusable;
    // Whatever they are, they held somebody.
    if list.matched > 0 {
        return None;
    }
    let text = match (usable, list.entries + list.blank + list.left_out) {
        (0, 0) => format!("the {what} {} is empty", list.name),
        (0, _) if list.left_out > 0 && list.entries + list.blank == 0 => {
            format!("the condition of the {what} {} leaves out all of its rows", list.name)
        }
        (0, _) => format!("the {what} {} has nothing that can be compared; is it the right column?", list.name),
        _ => return None,
    };
    Some(Finding::new("list-without-entries", Weight::Warning, text))
}
