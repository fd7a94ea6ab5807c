//! Why somebody must not be contacted, in words: for receipts and whoever reads them.

use crate::job::Job;
use crate::job::lists::EntriesToCompare;
use crate::suppress::marks::Mark;
use pebblebank_table::units::SourceId;
use pebblebank_values::consent::Consent;

/// Every list that holds a person and everything that refuses contact, in words.
pub fn describe(job: &Job, marks: &[Mark]) -> String {
    let source = |id: &SourceId| &job.sources[id.0 as usize].name;
    let of_mark = |mark: &Mark| match mark {
        Mark::On(list) if job.lists[list.0 as usize].is_of_addresses() => None,
        Mark::On(list) | Mark::FirstOn(list) => job.lists[list.0 as usize].hold().map(|hold| hold.name.clone()),
        Mark::FirstBounced(id) => Some(format!("bounced in {}", source(id))),
        Mark::Said(Consent::OptedIn | Consent::Bounced, _)
        | Mark::From(_)
        | Mark::RemovedByHand
        | Mark::UnreadableRow
        | Mark::Lifted(_)
        | Mark::Allowed(_) => None,
        Mark::Said(consent, id) => Some(format!("{} in {}", words(*consent), source(id))),
        Mark::RefusedElsewhere(consent, id) => {
            Some(format!("{} in {} under another of the person's addresses", words(*consent), source(id)))
        }
    };
    marks.iter().filter_map(of_mark).collect::<Vec<_>>().join("; ")
}

/// What a cell says of consent, in words.
pub fn words(consent: Consent) -> &'static str {
    match consent {
        Consent::OptedIn => "opted in",
        Consent::Pending => "pending",
        Consent::Unlisted => "an unknown word about consent",
        Consent::OptedOut => "opted out",
        Consent::Complained => "complained",
        Consent::Bounced => "bounced",
    }
}
