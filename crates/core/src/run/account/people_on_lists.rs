//! How many people are on each list, are suppressed by it, or are allowed all the same; counted by their marks.

use crate::job::Job;
use crate::job::lists::Allowance;
use crate::run::decide::known::Known;
use crate::run::tally::AllowedTally;
use crate::run::write::rows::Counts;
use crate::suppress::marks::Mark;

/// Counts of people.
pub(super) struct PeopleOnLists {
    /// By list: who is on it.
    pub on: Vec<u64>,
    /// By list: whom it suppresses.
    pub suppressed: Vec<u64>,
    /// By `[[allow]]`: whom it names.
    pub allowed: Vec<AllowedTally>,
}

impl PeopleOnLists {
    /// Counts by what the second pass says of each source.
    pub fn count(job: &Job, known: &Known, counts: &[Counts]) -> PeopleOnLists {
        let mut people = PeopleOnLists {
            on: vec![0; job.lists.len()],
            suppressed: vec![0; job.lists.len()],
            allowed: job.allow.iter().map(allowed_tally).collect(),
        };
        for counted in counts {
            for (marks, count) in known.settled.all_marks().zip(&counted.people) {
                for mark in marks {
                    people.add(*mark, marks, *count, job);
                }
            }
        }
        people
    }

    /// Adds one mark of people who have all of these.
    fn add(&mut self, mark: Mark, marks: &[Mark], count: u64, job: &Job) {
        match mark {
            Mark::On(list) => {
                let list = list.0 as usize;
                self.on[list] += count;
                self.suppressed[list] += if job.lists[list].is_of_addresses() { 0 } else { count };
            }
            Mark::FirstOn(list) => self.suppressed[list.0 as usize] += count,
            Mark::Allowed(part) => {
                let is_lifted = marks.iter().any(|mark| matches!(mark, Mark::Lifted(_)));
                let allowed = &mut self.allowed[part as usize];
                allowed.people += count;
                allowed.lifted += if is_lifted { count } else { 0 };
            }
            _ => {}
        }
    }
}

fn allowed_tally(allowance: &Allowance) -> AllowedTally {
    AllowedTally { why: allowance.why.clone(), addresses: allowance.addresses.len() as u64, people: 0, lifted: 0 }
}
