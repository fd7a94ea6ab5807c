//! Entries and the people whom they are of, once it is known who is one person: mailings counted, values to be taken,
//! and names that several people have.

use super::crossings::SharedValues;
use super::entry_numbers::{EntryNumbers, EntryOwner};
use super::settled::Namesakes;
use super::who_is_who::WhoIsWho;
use crate::job::Job;
use crate::job::lists::JobList;
use crate::suppress::marks::Mark;
use pebblebank_table::units::{ListId, RowId};
use std::collections::HashMap;

impl WhoIsWho {
    /// Marks people who were sent as many mailings as the job allows, over all their addresses.
    pub fn count_mailings(&mut self, numbers: &EntryNumbers, job: &Job) {
        let list = job.lists.iter().position(JobList::counts_mailings);
        let (Some(list), Some(limits)) = (list, job.limits) else { return };
        let shared = std::mem::take(&mut self.mailed).by_people(self.groups.settled());
        let mut mailed: Vec<(u32, u32)> = Vec::new();
        for entries in shared.entries_by_value().chunk_by(|a, b| a.0 == b.0) {
            let mut mailings: Vec<u32> = entries.iter().map(|(_, entry)| numbers.mailing(*entry)).collect();
            mailings.sort_unstable();
            mailings.dedup();
            // So many are enough, whichever they are.
            mailings.truncate(limits.at_most as usize);
            for (_, person) in shared.people_with(entries[0].0) {
                mailed.extend(mailings.iter().map(|mailing| (*person, *mailing)));
            }
        }
        mailed.sort_unstable();
        mailed.dedup();
        for mailings in mailed.chunk_by(|a, b| a.0 == b.0) {
            if mailings.len() >= limits.at_most as usize {
                self.mark(RowId(mailings[0].0), Mark::On(ListId(list as u16)));
            }
        }
    }

    /// The entries that values are taken from, and the people whom they are of.
    pub fn people_of_entries(&mut self) -> SharedValues {
        std::mem::take(&mut self.taken).by_people(self.groups.settled())
    }

    /// Entries of lists that go by another field and are several people, by list.
    pub fn namesakes(&mut self, numbers: &EntryNumbers) -> Vec<Namesakes> {
        const EXAMPLES: usize = 6;
        let shared = std::mem::take(&mut self.several).by_people(self.groups.settled());
        let mut found: Vec<Namesakes> = Vec::new();
        // Many entries may have the same values: their people are looked up once.
        let mut known_people: HashMap<Vec<u32>, (u64, Vec<u32>)> = HashMap::new();
        for entries in shared.entries().chunk_by(|a, b| a.0 == b.0) {
            let values: Vec<u32> = entries.iter().map(|(_, value)| *value).collect();
            let (people, examples) = known_people.entry(values).or_insert_with_key(|values| {
                let mut people: Vec<u32> =
                    values.iter().flat_map(|value| shared.people_with(*value)).map(|(_, person)| *person).collect();
                people.sort_unstable();
                people.dedup();
                (people.len() as u64, people.into_iter().take(EXAMPLES).collect())
            });
            if *people < 2 {
                continue;
            }
            let EntryOwner::List(list) = numbers.owner(entries[0].0) else { continue };
            let known = found.iter().position(|known| known.list == list).unwrap_or_else(|| {
                found.push(Namesakes { list, entries: 0, people: 0, examples: Vec::new() });
                found.len() - 1
            });
            let namesakes = &mut found[known];
            namesakes.entries += 1;
            namesakes.people += *people;
            let room = EXAMPLES.saturating_sub(namesakes.examples.len());
            namesakes.examples.extend(examples.iter().take(room).map(|row| RowId(*row)));
        }
        found.sort_by_key(|namesakes| namesakes.list);
        found
    }
}
