//! An opt-out or a complaint counts for every identity of the person, against every row that has one of them, also where
//! that identity makes no two rows one person.

use super::who_is_who::WhoIsWho;
use crate::suppress::marks::{Mark, Refusal};
use pebblebank_table::Result;
use pebblebank_table::units::RowId;
use std::collections::BTreeMap;

impl WhoIsWho {
    /// A refusal counts for every identity of the person, against every row that has one of them.
    pub fn spread_refusals(&mut self) -> Result<()> {
        let shared = self.shared.take();
        let mut spread: Vec<(u32, Refusal)> = Vec::new();
        shared.for_each(|_, rows| {
            let mut people: Vec<u32> = rows.iter().map(|row| self.groups.settled()[*row as usize]).collect();
            people.sort_unstable();
            people.dedup();
            self.refusals_among(&people, &mut spread);
            // What is heard elsewhere spreads no further.
            for (person, Refusal { consent, source }) in spread.drain(..) {
                self.mark(RowId(person), Mark::RefusedElsewhere(consent, source));
            }
        })
    }

    /// What each of these people is to be marked with for the refusals of the others; in a time that grows with their number.
    fn refusals_among(&self, people: &[u32], spread: &mut Vec<(u32, Refusal)>) {
        // Each refusal with who said it, if it is one alone: whoever it is hears of it from nobody else.
        let mut said: BTreeMap<Refusal, Option<u32>> = BTreeMap::new();
        for person in people {
            for refusal in self.mark_sets.refusals(self.marks[*person as usize]) {
                said.entry(refusal).and_modify(|alone| *alone = None).or_insert(Some(*person));
            }
        }
        for (refusal, alone) in said {
            let others = people.iter().filter(|person| alone != Some(**person));
            spread.extend(others.map(|person| (*person, refusal)));
        }
    }
}
