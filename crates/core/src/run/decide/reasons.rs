//! What combinations of marks mean for being written to.

use crate::job::Job;
use crate::job::lists::{EntriesToCompare, JobList};
use crate::suppress::allowed::{HitBy, gives_way};
use crate::suppress::marks::{ListReason, Mark, MarkSet, MarkSets, reason_of};
use crate::suppress::reason::Reason;
use pebblebank_table::units::SourceId;
use pebblebank_values::consent::Consent;

/// The rows of which a source says that mail to their address came back, in their order, each with the source.
pub(super) fn bounced_rows(marks: &[MarkSet], mark_sets: &MarkSets) -> Vec<(u32, SourceId)> {
    let source = |marks: &[Mark]| {
        marks.iter().find_map(|mark| if let Mark::FirstBounced(source) = mark { Some(*source) } else { None })
    };
    let of_set: Vec<Option<SourceId>> = mark_sets.all().map(source).collect();
    if of_set.iter().all(Option::is_none) {
        return Vec::new();
    }
    let rows = marks.iter().enumerate();
    rows.filter_map(|(row, set)| Some((row as u32, of_set[set.0 as usize]?))).collect()
}

/// The gravest reason of each combination of marks.
pub(super) fn gravest_reasons(sets: &MarkSets, job: &Job) -> Vec<Option<Reason>> {
    let list_reason =
        |list: &JobList| Some(ListReason { reason: list.hold()?.reason, is_of_address: list.is_of_addresses() });
    let list_reasons: Vec<Option<ListReason>> = job.lists.iter().map(list_reason).collect();
    let of_set = |marks: &[Mark]| {
        let is_allowed = marks.iter().any(|mark| matches!(mark, Mark::Allowed(_)));
        let reason = |mark: &Mark| {
            let reason = reason_of(*mark, &list_reasons)?;
            let by_field = matches!(mark, Mark::On(list) if job.lists[list.0 as usize].by().is_some());
            // Where another field was hit, any of the person's addresses will do.
            let is_lifted = is_allowed && by_field && gives_way(reason, HitBy::Field);
            (!is_lifted).then_some(reason)
        };
        let gravest = marks.iter().filter_map(reason).min();
        let opted_in = marks.iter().any(|mark| matches!(mark, Mark::Said(Consent::OptedIn, _)));
        let lacks_opt_in = (job.require.opted_in && !opted_in).then_some(Reason::NoConsent);
        gravest.into_iter().chain(lacks_opt_in).min()
    };
    sets.all().map(of_set).collect()
}
