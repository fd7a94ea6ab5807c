//! Who is who, found out: what the keys say partition by partition, put together into groups and marks.

use super::crossings::{Crossings, SharedValues};
use super::settled::{DECIDED, Decided, Namesakes, Switchboards};
use crate::columns::lines::Line;
use crate::job::Job;
use crate::job::lists::EntriesToCompare;
use crate::job::lists::JobList;
use crate::person::decisions::{Decisions, Verdict};
use crate::person::groups::Groups;
use crate::person::keys::{Key, Role};
use crate::person::runs::Runs;
use crate::person::same::{PersonWishes, Survivor};
use crate::run::gather::counts::{Entrants, ListCounts};
use crate::run::row_bits::{HAS_ADDRESS, LACKS_FIELD, LEFT_OUT, LINE_BITS};
use crate::run::row_set::RowSet;
use crate::suppress::allowed::{HitBy, gives_way};
use crate::suppress::marks::{Mark, MarkSet, MarkSets, Refusal};
use crate::suppress::reason::Reason;
use pebblebank_table::Result;
use pebblebank_table::units::{ListId, RowId, RowNumber, SourceId};
use std::collections::{BTreeMap, HashMap};

/// Whose an entry is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum EntryOwner {
    /// A list's.
    List(ListId),
    /// That of somebody whom a decision names.
    Decision,
    /// An address that the job allows, in the part of this number.
    Allowance(u16),
}

/// The entries of a run by number, and what their lists are.
pub(super) struct EntryNumbers {
    /// The first number of each stretch, and whose it is.
    starts: Vec<(u32, EntryOwner)>,
    lists: Vec<ListWishes>,
    has_allowances: bool,
    /// The mailing of entries that count mailings: the first entry of each stretch, and the number of its mailing.
    mailings: Vec<(u32, u32)>,
}

/// What is wanted of a list's matches.
struct ListWishes {
    /// Whether values are taken from it.
    gives_values: bool,
    about: About,
    reason: Option<Reason>,
}

/// What the entries of a list are about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum About {
    /// People, by any of their addresses.
    People,
    /// People, by another field.
    Fields,
    /// Whoever would be written at this address.
    Addresses,
    /// Mailings that went to an address, which are counted for each person.
    Mailings,
}

impl About {
    fn of(list: &JobList) -> About {
        match () {
            () if list.counts_mailings() => About::Mailings,
            () if list.is_of_addresses() => About::Addresses,
            () if list.by().is_some() => About::Fields,
            () => About::People,
        }
    }
}

impl EntryNumbers {
    pub fn new(entrants: &Entrants, job: &Job, mailings: Vec<(u32, u32)>) -> EntryNumbers {
        let lists = entrants.lists.iter().enumerate();
        let mut starts: Vec<(u32, EntryOwner)> = Vec::new();
        let mut add = |counts: &ListCounts, owner| {
            starts.extend(counts.entry_numbers.iter().map(|numbers| (numbers.start, owner)));
        };
        lists.for_each(|(list, counts)| add(counts, EntryOwner::List(ListId(list as u16))));
        add(&entrants.decided, EntryOwner::Decision);
        entrants.allowed.iter().enumerate().for_each(|(part, counts)| add(counts, EntryOwner::Allowance(part as u16)));
        starts.sort_by_key(|(start, _)| *start);
        let of_list = |list: &JobList| ListWishes {
            gives_values: !list.take().is_empty(),
            about: About::of(list),
            reason: list.hold().map(|hold| hold.reason),
        };
        EntryNumbers {
            starts,
            lists: job.lists.iter().map(of_list).collect(),
            has_allowances: !entrants.allowed.is_empty(),
            mailings,
        }
    }

    /// The mailing that an entry is of.
    fn mailing(&self, entry: u32) -> u32 {
        let after = self.mailings.partition_point(|(first, _)| *first <= entry);
        self.mailings[after - 1].1
    }

    fn owner(&self, entry: u32) -> EntryOwner {
        let after = self.starts.partition_point(|(start, _)| *start <= entry);
        self.starts[after - 1].1
    }
}

/// What the keys of one partition say.
#[derive(Default)]
pub(super) struct PartitionFindings {
    pub keys: u64,
    joins: Vec<(RowId, RowId)>,
    held: Vec<(RowId, Mark)>,
    /// Entries that matched.
    matched_entries: Vec<u32>,
    /// Entries of lists that go by another field, and the rows that they are of, where there are several.
    several: Crossings,
    /// Entries of lists that values are taken from, and the rows that they are of.
    taken: Crossings,
    /// Entries that count mailings, and the rows that they are of.
    mailed: Crossings,
    /// Who is named by a decision: the entry, and a row.
    decided: Vec<(u32, u32)>,
    /// Rows that share an identity and are not joined by it: runs, each after its length.
    shared: Vec<u32>,
    /// Rows that share the value of another key: runs, each after its length and the key's place.
    others: Vec<u32>,
    /// Rows with the same first address: the first of them, and another.
    same_address: Vec<(u32, u32)>,
    joins_by_address: bool,
    has_other_keys: bool,
}

impl PartitionFindings {
    /// Looks at each run of equal hashes; `keys` are sorted.
    pub fn of(
        keys: &[Key],
        numbers: &EntryNumbers,
        bounced: &[(u32, SourceId)],
        joins_by_address: bool,
        has_other_keys: bool,
    ) -> PartitionFindings {
        let mut found =
            PartitionFindings { keys: keys.len() as u64, joins_by_address, has_other_keys, ..Default::default() };
        for run in keys.chunk_by(|a, b| a.is_same_identity(*b)) {
            found.look_at(run, numbers, bounced);
        }
        found
    }

    fn look_at(&mut self, run: &[Key], numbers: &EntryNumbers, bounced: &[(u32, SourceId)]) {
        if run.len() == 1 {
            return;
        }
        if let Role::Other(place) = run[0].role() {
            self.others.extend([run.len() as u32, u32::from(place)]);
            self.others.extend(run.iter().map(|key| key.owner()));
            return;
        }
        let entries = run.partition_point(|key| key.role() == Role::Entry);
        let (entries, rows) = run.split_at(entries);
        if rows.is_empty() {
            return;
        }
        self.compare(entries, rows, numbers);
        let firsts = rows.partition_point(|key| key.role() == Role::First);
        let joining = rows.partition_point(|key| key.role() <= Role::Further);
        if firsts > 1 && !bounced.is_empty() {
            self.spread_bounces(&rows[..firsts], bounced);
        }
        if self.has_other_keys && firsts > 1 {
            self.same_address.extend(rows[1..firsts].iter().map(|row| (rows[0].owner(), row.owner())));
        }
        let joins = firsts > 0 && self.joins_by_address;
        if joins {
            let first = RowId(rows[0].owner());
            self.joins.extend(rows[1..joining].iter().map(|row| (first, RowId(row.owner()))));
        }
        let joined = if joins { joining } else { 0 };
        if rows.len() > 1 && joined < rows.len() && rows[0].role() < Role::Compared {
            self.shared.push(rows.len() as u32);
            self.shared.extend(rows.iter().map(|row| row.owner()));
        }
    }

    /// Mail to one address came back: that holds every row that would be written there.
    fn spread_bounces(&mut self, rows: &[Key], bounced: &[(u32, SourceId)]) {
        let source = |row: &Key| {
            let place = bounced.binary_search_by_key(&row.owner(), |(row, _)| *row).ok()?;
            Some(bounced[place].1)
        };
        if let Some(source) = rows.iter().find_map(source) {
            self.held.extend(rows.iter().map(|row| (RowId(row.owner()), Mark::FirstBounced(source))));
        }
    }

    /// Rows that are what some entries say.
    fn compare(&mut self, entries: &[Key], rows: &[Key], numbers: &EntryNumbers) {
        let owner = |entry: &Key| numbers.owner(entry.owner());
        let is_allowed =
            numbers.has_allowances && entries.iter().any(|entry| matches!(owner(entry), EntryOwner::Allowance(_)));
        let mut before = None;
        let (mut mailed, mut taken, mut several) = (Vec::new(), Vec::new(), Vec::new());
        for entry in entries {
            let of_rows = || rows.iter().map(|row| (entry.owner(), row.owner()));
            let mark_all = |mark| rows.iter().map(move |row| (RowId(row.owner()), mark));
            self.matched_entries.push(entry.owner());
            let list = match owner(entry) {
                EntryOwner::Decision => {
                    self.decided.extend(of_rows());
                    continue;
                }
                EntryOwner::Allowance(part) => {
                    self.held.extend(mark_all(Mark::Allowed(part)));
                    continue;
                }
                EntryOwner::List(list) => list,
            };
            let wishes = &numbers.lists[list.0 as usize];
            let lifted = is_allowed && wishes.reason.is_some_and(|reason| gives_way(reason, HitBy::Address));
            if wishes.about == About::Mailings {
                mailed.extend((!lifted).then_some(entry.owner()));
                continue;
            }
            if wishes.gives_values {
                taken.push(entry.owner());
            }
            if wishes.about == About::Fields && rows.len() > 1 {
                several.push(entry.owner());
            }
            if before.replace(list) != Some(list) {
                self.held.extend(mark_all(if lifted { Mark::Lifted(list) } else { Mark::On(list) }));
                if wishes.about == About::Addresses {
                    let firsts = rows.iter().filter(|row| matches!(row.role(), Role::First | Role::FirstHash));
                    self.held.extend(firsts.map(|row| (RowId(row.owner()), Mark::FirstOn(list))));
                }
            }
        }
        for (found, entries) in [(&mut self.mailed, mailed), (&mut self.taken, taken), (&mut self.several, several)] {
            found.add(&entries, rows.iter().map(|row| row.owner()));
        }
    }
}

/// What is known of people so far.
pub(super) struct Settling {
    pub groups: Groups,
    pub marks: Vec<MarkSet>,
    pub mark_sets: MarkSets,
    pub shared: Vec<u32>,
    pub others: Runs,
    /// The first row with each row's first address, itself where there is none; empty where the address alone decides.
    pub first_with_address: Vec<u32>,
    pub key_of: Vec<u8>,
    pub address_key: u8,
    pub taken: Crossings,
    pub mailed: Crossings,
    pub decided: Vec<(u32, u32)>,
    /// The entries that matched.
    pub matched_entries: RowSet,
    pub several: Crossings,
}

impl Settling {
    pub fn take(&mut self, found: &PartitionFindings) -> Result<()> {
        for (row, mark) in &found.held {
            self.mark(*row, *mark);
        }
        found.matched_entries.iter().for_each(|entry| self.matched_entries.add(RowId(*entry)));
        self.several.append(&found.several);
        self.taken.append(&found.taken);
        self.mailed.append(&found.mailed);
        self.decided.extend_from_slice(&found.decided);
        self.shared.extend_from_slice(&found.shared);
        self.others.add(&found.others)?;
        for (first, row) in &found.same_address {
            self.first_with_address[*row as usize] = *first;
        }
        for (a, b) in &found.joins {
            self.join(*a, *b, self.address_key);
        }
        Ok(())
    }

    /// Makes two rows one person. Of several keys by which a row equals others of its person, the first of the job is kept.
    fn join(&mut self, a: RowId, b: RowId, key: u8) {
        self.groups.join(a, b, |a, b| a < b);
        if a != b {
            for row in [a, b] {
                if let Some(known) = self.key_of.get_mut(row.index()) {
                    *known = key.min(*known);
                }
            }
        }
    }

    /// Joins rows that share the value of another key, unless it is a switchboard.
    pub fn join_by_other_keys(
        &mut self,
        others: Runs,
        lines: &[u8],
        persons: &PersonWishes,
    ) -> Result<Vec<Switchboards>> {
        const EXAMPLES: usize = 5;
        let several = persons.same.len() > 1;
        let mut switchboards: Vec<Switchboards> = Vec::new();
        let mut addresses: Vec<u32> = Vec::new();
        others.for_each(|place, run| {
            // Footnotes were found out after their keys.
            let contacts: Vec<u32> = run
                .iter()
                .copied()
                .filter(|row| Line::from_byte(lines[*row as usize] & LINE_BITS) == Line::Contact)
                .collect();
            let Some((first, copies)) = contacts.split_first() else { return };
            addresses.clear();
            addresses.extend(contacts.iter().map(|row| self.first_with_address[*row as usize]));
            addresses.sort_unstable();
            addresses.dedup();
            if several && addresses.len() > persons.largest_group as usize {
                let key = usize::from(place);
                let known = switchboards.iter().position(|known| known.key == key);
                let known = known.unwrap_or_else(|| {
                    switchboards.push(Switchboards { key, ..Switchboards::default() });
                    switchboards.len() - 1
                });
                let board = &mut switchboards[known];
                board.values += 1;
                board.rows += contacts.len() as u64;
                board.examples.push(RowId(*first));
                board.examples.sort_unstable();
                board.examples.truncate(EXAMPLES);
                return;
            }
            for row in copies {
                self.join(RowId(*first), RowId(*row), place);
            }
        })?;
        switchboards.sort_by_key(|board| board.key);
        Ok(switchboards)
    }

    fn mark(&mut self, row: RowId, mark: Mark) {
        let number = self.mark_sets.number_of(mark);
        let marks = &mut self.marks[row.index()];
        *marks = self.mark_sets.union(*marks, number);
    }

    /// Makes the best row of each group its survivor, and gives it the marks of all copies.
    pub fn unite_persons(&mut self, lines: &[u8], ranks: &[u32], survivor: Survivor, master_ends: u32) {
        self.groups.settle();
        let is_usable = |row: RowId| lines[row.index()] & HAS_ADDRESS != 0;
        let may_survive = |row: RowId| lines[row.index()] & LEFT_OUT == 0;
        let rank = |row: RowId| match survivor {
            Survivor::FirstRead => 0,
            Survivor::LastRead => row.0,
            Survivor::Newest | Survivor::Fullest => ranks.get(row.index()).copied().unwrap_or_default(),
        };
        let lacks_field = |row: RowId| ranks.get(row.index()).is_some_and(|rank| rank & LACKS_FIELD != 0);
        let standing = |row: RowId| {
            let is_of_master = row.0 < master_ends;
            let ranked = if is_of_master { (true, 0) } else { (!lacks_field(row), rank(row) & !LACKS_FIELD) };
            (is_of_master, may_survive(row), is_usable(row), ranked)
        };
        self.groups.elect(|row, other| standing(row) > standing(other));
        for row in 0..lines.len() {
            let survivor = self.groups.settled()[row] as usize;
            if survivor != row && self.marks[row] != MarkSet::NONE {
                let of_person = self.mark_sets.of_person(self.marks[row]);
                self.marks[survivor] = self.mark_sets.union(self.marks[survivor], of_person);
            }
        }
    }

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

    /// Does what somebody decided. `first_entry` is the number of the first person that the decisions name.
    pub fn decide(&mut self, decisions: &Decisions, first_entry: u32) -> Decided {
        let mut decided = std::mem::take(&mut self.decided);
        decided.sort_unstable();
        decided.dedup();
        let rows_of = |entry: u32| -> Vec<RowId> {
            let start = decided.partition_point(|(known, _)| *known < entry);
            decided[start..].iter().take_while(|(known, _)| *known == entry).map(|(_, row)| RowId(*row)).collect()
        };
        let mut done = Decided::default();
        let mut kept_apart = Vec::new();
        let mut entry = first_entry;
        for decision in &decisions.all {
            let mut rows: Vec<Vec<RowId>> = Vec::new();
            for _ in decision.persons() {
                rows.push(rows_of(entry));
                entry += 1;
            }
            if rows.iter().any(Vec::is_empty) {
                done.about_nobody.at(RowNumber(decision.line as u64));
                continue;
            }
            match (decision.verdict, rows.as_slice()) {
                (Verdict::Same, [ours, theirs]) => {
                    done.same += 1;
                    ours.iter().chain(theirs).for_each(|row| self.join(ours[0], *row, DECIDED));
                }
                (Verdict::Different, [ours, theirs]) => kept_apart.push((decision.line, ours[0], theirs[0])),
                _ => {
                    done.taken_out += 1;
                    rows[0].iter().for_each(|row| self.mark(*row, Mark::RemovedByHand));
                }
            }
        }
        for (line, ours, theirs) in kept_apart {
            if self.groups.survivor(ours) == self.groups.survivor(theirs) {
                done.joined_by_keys.at(RowNumber(line as u64));
            }
        }
        done
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
            let (persons, examples) = known_people.entry(values).or_insert_with_key(|values| {
                let mut people: Vec<u32> =
                    values.iter().flat_map(|value| shared.people_with(*value)).map(|(_, person)| *person).collect();
                people.sort_unstable();
                people.dedup();
                (people.len() as u64, people.into_iter().take(EXAMPLES).collect())
            });
            if *persons < 2 {
                continue;
            }
            let EntryOwner::List(list) = numbers.owner(entries[0].0) else { continue };
            let known = found.iter().position(|known| known.list == list).unwrap_or_else(|| {
                found.push(Namesakes { list, entries: 0, persons: 0, examples: Vec::new() });
                found.len() - 1
            });
            let namesakes = &mut found[known];
            namesakes.entries += 1;
            namesakes.persons += *persons;
            let room = EXAMPLES.saturating_sub(namesakes.examples.len());
            namesakes.examples.extend(examples.iter().take(room).map(|row| RowId(*row)));
        }
        found.sort_by_key(|namesakes| namesakes.list);
        found
    }

    /// A refusal counts for every identity of the person, against every row that has one of them.
    pub fn spread_refusals(&mut self) {
        let shared = std::mem::take(&mut self.shared);
        let mut spread: Vec<(u32, Refusal)> = Vec::new();
        let mut rest = &shared[..];
        while let [length, after @ ..] = rest {
            let (run, next) = after.split_at(*length as usize);
            rest = next;
            let mut people: Vec<u32> = run.iter().map(|row| self.groups.settled()[*row as usize]).collect();
            people.sort_unstable();
            people.dedup();
            self.refusals_among(&people, &mut spread);
        }
        for (person, Refusal { consent, source }) in spread {
            self.mark(RowId(person), Mark::RefusedElsewhere(consent, source));
        }
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
