//! The guards of sources: files that are too old, empty, shorter than last time, or just those of last time.

use super::earlier_run::EarlierRun;
use crate::job::Job;
use crate::job::guard::Guard;
use crate::job::sources::Source;
use crate::run::decide::known::Known;
use crate::run::tripped_guard::TrippedGuard;
use pebblebank_table::observe::{counted, grouped};

/// The guards that sources trip.
pub fn check(job: &Job, known: &Known, earlier: &EarlierRun) -> Vec<TrippedGuard> {
    let look = |(place, source): (usize, &Source)| {
        let look = Look { job, known, earlier, source, place };
        [look.stale(), look.empty(), look.same_as_last_time(), look.fewer_than_last_time()]
    };
    job.sources.iter().enumerate().flat_map(look).flatten().collect()
}

/// A source that is looked at.
struct Look<'a> {
    job: &'a Job,
    known: &'a Known,
    earlier: &'a EarlierRun,
    source: &'a Source,
    place: usize,
}

impl Look<'_> {
    /// The places of its files.
    fn files(&self) -> impl Iterator<Item = usize> {
        let files = self.known.files.sources.iter().enumerate();
        files.filter(|(_, file)| usize::from(file.owner.0) == self.place).map(|(file, _)| file)
    }

    fn rows(&self) -> u64 {
        self.files().map(|file| self.known.source_counts[file].contacts).sum()
    }

    fn trip(&self, guard: Guard, count: u64, text: &str, advice: &str) -> TrippedGuard {
        TrippedGuard::new(guard, count, format!("the source \"{}\": {text}", self.source.name), advice)
    }

    fn stale(&self) -> Option<TrippedGuard> {
        let most = i64::from(self.source.stale_after?);
        self.files().find_map(|file| {
            let file = &self.known.files.sources[file];
            let days = i64::from(self.job.today.day_number() - file.changed_on?);
            (days > most).then(|| {
                let text = format!("{} is {days} days old, and the job relies on it for {most}", file.input.name());
                self.trip(Guard::Stale, days.unsigned_abs(), &text, "export it anew")
            })
        })
    }

    fn empty(&self) -> Option<TrippedGuard> {
        let is_empty = self.job.guards.no_empty_source && self.rows() == 0;
        is_empty
            .then(|| self.trip(Guard::EmptySource, 1, "it has no rows", "export it anew, or take it out of the job"))
    }

    fn same_as_last_time(&self) -> Option<TrippedGuard> {
        let before = self.earlier.source(&self.source.name).filter(|_| self.job.guards.not_same_as_last_time)?;
        let now = self.files().map(|file| self.known.source_counts[file].fingerprint.as_str());
        let is_same = self.rows() > 0 && before.fingerprints.iter().map(String::as_str).eq(now);
        is_same.then(|| {
            let text = "its files are the same as in the run before";
            self.trip(
                Guard::SameAsLastTime,
                self.rows(),
                text,
                "export it anew; perhaps last month's file was taken again",
            )
        })
    }

    fn fewer_than_last_time(&self) -> Option<TrippedGuard> {
        let before = self.earlier.source(&self.source.name).filter(|_| self.job.guards.not_fewer_than_last_time)?;
        let missing = before.rows.saturating_sub(self.rows());
        (missing > 0).then(|| {
            let now = counted(self.rows(), "row", "now", "now");
            let text =
                format!("it has {now}, and had {} in the run before; is the export whole?", grouped(before.rows));
            self.trip(Guard::FewerThanLastTime, missing, &text, "export the whole list")
        })
    }
}
