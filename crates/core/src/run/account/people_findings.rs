//! What to say about the people of a run: shared values, decisions that came to nothing, namesakes on lists.

use crate::job::Job;
use crate::job::lists::EntriesToCompare;
use crate::person::decisions::{DECISIONS_FILE, Decisions};
use crate::run::decide::Known;
use crate::run::decide::settled::{Namesakes, Switchboards};
use pebblebank_table::observe::{Finding, Weight, counted};
use pebblebank_table::units::RowId;
/// Values that too many addresses share to be those of one person.
pub fn of_switchboards(known: &Known, job: &Job) -> Vec<Finding> {
    known.settled.switchboards.iter().map(|boards| switchboard(known, boards, job)).collect()
}

/// What to say about the decisions about people; the numbers are those of the lines of their file.
pub fn of_decisions(known: &Known, job: &Job) -> Vec<Finding> {
    let Some(path) = &job.person.decisions else { return not_read(job).into_iter().collect() };
    let file = path.display().to_string();
    let decided = &known.settled.decided;
    let mut findings = Vec::new();
    if known.files.decisions.is_none() {
        let text = "the file of decisions is not there yet; pebblebank review makes it";
        findings.push(Finding::new("no-decisions-yet", Weight::Note, text).in_file(&file));
    }
    let nobody = "about somebody who is in no source; nothing came of it";
    let joined = "that two people are different, whom the keys in same = make one person all the same";
    let said = [
        ("decisions-about-nobody", Weight::Note, &decided.about_nobody, nobody),
        ("decision-against-keys", Weight::Doubt, &decided.joined_by_keys, joined),
    ];
    for (code, weight, met, what) in said.into_iter().filter(|(_, _, met, _)| met.count > 0) {
        let text = format!("{} {what}", counted(met.count, "decision", "", "").trim_end());
        findings.push(Finding::new(code, weight, text).in_file(&file).at_rows(met));
    }
    findings
}

/// Decisions that lie where `review` keeps them, and that the job does not name: who was taken out by hand may be written.
fn not_read(job: &Job) -> Option<Finding> {
    let path = job.receipt.as_ref()?.with_file_name(DECISIONS_FILE);
    let count = Decisions::read(&path).ok().flatten()?.all.len() as u64;
    let what = format!(
        "{} not read, so people whom somebody took out by hand may be written;",
        counted(count, "decision", "was", "were")
    );
    let finding = Finding::new("decisions-not-read", Weight::Warning, format!("{what} --decisions reads them"))
        .or_in_job(format!("{what} decisions = \"{DECISIONS_FILE}\" in [person], with its path, reads them"))
        .in_file(path.display().to_string());
    (count > 0).then_some(Finding { count, ..finding })
}

/// Entries of lists that go by another field, such as a name, and are several people, all of whom are suppressed.
pub fn of_namesakes(known: &Known, job: &Job) -> Vec<Finding> {
    let place = |row: &RowId| {
        let (file, number) = known.settled.place(*row);
        format!("{} row {number}", known.files.sources[file.0 as usize].input.name())
    };
    let finding = |namesakes: &Namesakes| {
        let list = &job.lists[namesakes.list.0 as usize];
        let what = if list.hold().is_some() { "all of whom are suppressed" } else { "all of whom are in it" };
        let text = format!(
            "{} of \"{}\" {} several people, {what}; for example in {}",
            counted(namesakes.entries, "value", "", "").trim_end(),
            list.name(),
            if namesakes.entries == 1 { "is that of" } else { "are those of" },
            namesakes.examples.iter().map(place).collect::<Vec<_>>().join(", ")
        );
        Finding { count: namesakes.people, ..Finding::new("namesakes", Weight::Doubt, text) }
    };
    known.settled.namesakes.iter().map(finding).collect()
}

fn switchboard(known: &Known, boards: &Switchboards, job: &Job) -> Finding {
    let place = |row: &RowId| {
        let (file, number) = known.settled.place(*row);
        format!("{} row {number}", known.files.sources[file.0 as usize].input.name())
    };
    let text = format!(
        "{} of {} shared by more than {} addresses (largest_group) did not make their {} one person; for example in {}",
        counted(boards.values, "value", "", "").trim_end(),
        job.person.same[boards.key].name(),
        job.person.largest_group,
        counted(boards.rows, "row", "", "").trim_end(),
        boards.examples.iter().map(place).collect::<Vec<_>>().join(", ")
    );
    Finding { count: boards.rows, ..Finding::new("switchboard", Weight::Doubt, text) }
}
