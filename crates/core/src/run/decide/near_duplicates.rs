//! Near duplicates among the people of a run: looked for once it is settled who is who, listed for a person to decide.
//!
//! Two readings of the sources. The first gives keys of what people have in common; the second the values of those who
//! share one, so that each pair can be judged. Nothing of it changes what is written.

use super::known::Known;
use super::near_values::COMPARED;
use super::read_again::{RowAgain, Wants, read_again};
use crate::clean::plan::{CleaningPlan, Wanted};
use crate::columns::value::ValueSource;
use crate::job::Job;
use crate::layout::receipt::AllColumns;
use crate::person::keys::{KeyStore, Role};
use crate::person::near::NearPerson;
use crate::person::near::judge::{Judged, THRESHOLD, judge};
use crate::person::near::keys::{TypoDomains, keys};
use crate::run::contact::Contact;
use crate::run::decide::near_values::{PersonValues, Values};
use crate::run::decide::supply::put_text;
use crate::run::gather::kept;
use crate::run::open::files::OpenFile;
use crate::run::open::fit::cleaning_wishes;
use crate::run::row_set::RowSet;
use crate::run::setting::Setting;
use crate::run::tally::NearTally;
use pebblebank_table::csv::Defusing;
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::units::{RowId, SourceId};
use pebblebank_table::{CsvBuffer, Error, Record, Result};
use pebblebank_values::address::{Address, State};
use pebblebank_values::{ColumnRef, Field};
use std::collections::HashSet;

/// Unless the job asks for it, near duplicates are looked for among no more people than these, so that a large run is
/// as quick as it can be.
pub const QUICK_PEOPLE: u64 = 200_000;

/// What the compared values may depend on when they are cleaned: parts that move from cell to cell, and where somebody lives.
const BEARING_ON_COMPARED: [Field; 7] =
    [Field::Title, Field::MiddleName, Field::NameSuffix, Field::City, Field::Region, Field::Country, Field::Language];

/// A key that more people share says nothing of any two of them.
const MOST_WITH_KEY: usize = 60;

/// More pairs than these are nobody's to go through; the likeliest are kept.
const MOST_PAIRS: usize = 100_000;

/// How many pairs a thread judges at once.
const PAIRS_AT_ONCE: usize = 16_384;

/// A likely pair: its score, its rows, and why.
type Likely = (std::cmp::Reverse<u8>, u32, u32, String);

/// The receipt's own columns of `review.csv`: a row for each of the two, one below the other.
pub const REVIEW: [&str; 8] = [
    "pebblebank_pair",
    "pebblebank_score",
    "pebblebank_why",
    "pebblebank_person",
    "pebblebank_standing",
    "pebblebank_source",
    "pebblebank_file",
    "pebblebank_row",
];

/// The pairs that were found, as rows of `review.csv`, likeliest first.
pub struct NearDuplicates {
    /// How many.
    pub tally: NearTally,
    /// The rows.
    pub rows: Vec<u8>,
}

/// Looks for near duplicates, if the job wants it.
pub fn search(job: &Job, known: &Known, setting: &Setting, observer: &dyn Observer) -> Result<NearDuplicates> {
    let people = known.settled.people();
    let is_wanted = job.person.near_duplicates.unwrap_or(job.receipt.is_some() && people <= QUICK_PEOPLE);
    let tally = NearTally { searched: is_wanted, people, ..NearTally::default() };
    if !is_wanted {
        return Ok(NearDuplicates { tally, rows: Vec::new() });
    }
    let search = Search::new(job, known, setting, observer);
    let pairs = search.pairs()?;
    let values = search.values(&pairs)?;
    search.judged(&pairs, &values, tally)
}

/// What the readings share.
struct Search<'a> {
    job: &'a Job,
    known: &'a Known,
    setting: &'a Setting,
    observer: &'a dyn Observer,
    /// For each file, what people are compared by, and how those values are cleaned.
    compared: Vec<Compared>,
    compared_cleaning: Vec<CleaningPlan>,
    /// For each file, what is shown of people besides, and how all of it is cleaned.
    shown: Vec<Shown>,
    shown_cleaning: Vec<CleaningPlan>,
    columns: AllColumns,
}

/// How the compared values of one file's rows are found.
struct Compared {
    fields: [ValueSource; COMPARED.len()],
}

/// How all values of one file's rows are found.
struct Shown {
    compared: Compared,
    columns: Vec<ValueSource>,
}

impl<'a> Search<'a> {
    fn new(job: &'a Job, known: &'a Known, setting: &'a Setting, observer: &'a dyn Observer) -> Search<'a> {
        let wishes = cleaning_wishes(job);
        let columns = known.all_columns();
        let cleaning = |file: &OpenFile<SourceId>, planned: &CleaningPlan, more: &[ColumnRef]| {
            let mut wanted = Wanted::default();
            for column in COMPARED.map(ColumnRef::Field).iter().chain(more) {
                wanted.add(column, file.map());
            }
            let separators = &file.glimpse.separators;
            let mut cleaning = CleaningPlan::new(&wishes, &wanted, file.map(), file.is_receipt, separators);
            for column in planned.columns() {
                if let Some(order) = column.order {
                    cleaning.set_order(column.column, order);
                }
            }
            cleaning
        };
        let files = || known.files.sources.iter().zip(&known.files.cleaning);
        let compared = files().map(|(file, planned)| {
            let cleaning = cleaning(file, planned, &BEARING_ON_COMPARED.map(ColumnRef::Field));
            (Compared::new(file, &cleaning), cleaning)
        });
        let shown = files().map(|(file, planned)| {
            let cleaning = cleaning(file, planned, &columns.columns);
            let source = |column: &ColumnRef| ValueSource::new(column, &cleaning.map, file.is_receipt);
            let columns = columns.columns.iter().map(source).collect();
            (Shown { compared: Compared::new(file, &cleaning), columns }, cleaning)
        });
        let (compared, compared_cleaning) = compared.unzip();
        let (shown, shown_cleaning) = shown.unzip();
        Search { job, known, setting, observer, compared, compared_cleaning, shown, shown_cleaning, columns }
    }

    /// Reads the people again that `wanted` says; `each` makes of them what `take` gets, in order.
    fn read<R: Send + Default>(
        &self,
        wanted: impl Fn(RowId) -> bool + Sync,
        values: Option<&[CleaningPlan]>,
        each: impl Fn(&RowAgain, &mut R) + Sync,
        take: impl FnMut(R) -> Result<()> + Send,
    ) -> Result<()> {
        let settled = &self.known.settled;
        let is_person = |row: RowId| settled.survivor_of(row) == row && !settled.is_left_out(row) && wanted(row);
        let wants = Wants { rows: is_person, values, stage: Stage::Comparing };
        read_again(self.known, self.setting, self.observer, &wants, each, take)
    }

    /// The pairs of people that share a key, each once.
    fn pairs(&self) -> Result<Vec<(u32, u32)>> {
        let typos = self.typo_domains()?;
        let hasher = &self.known.settled.hasher;
        let memory = self.setting.memory.saturating_sub(kept::MEMORY_FOR_BUFFERS) / 2;
        let mut store = KeyStore::new(memory, &self.known.spool_folder);
        self.read(
            |_| true,
            Some(&self.compared_cleaning),
            |again, found: &mut Vec<_>| {
                let person = self.compared[again.file].person(&again.contact.cleaned, &again.contact.address);
                keys(&person, &typos, |key| found.push((again.row, hasher.hash(key))));
            },
            |found| found.iter().try_for_each(|(row, hash)| store.add(*hash, Role::Other(0), row.0)),
        )?;
        let (partitions, spilled) = store.into_partitions()?;
        let mut partitions = partitions.into_iter().enumerate();
        let mut pairs: Vec<(u32, u32)> = Vec::new();
        in_order(
            self.setting.threads,
            || if self.observer.wants_stop() { Err(Error::interrupted()) } else { Ok(partitions.next()) },
            || (),
            |(partition, mut keys), ()| {
                spilled.load(partition, &mut keys)?;
                let mut found = Vec::new();
                for alike in keys.chunk_by(|a, b| a.is_same_identity(*b)).filter(|alike| alike.len() > 1) {
                    let mut rows: Vec<u32> = alike.iter().map(|key| key.owner()).collect();
                    rows.dedup();
                    if rows.len() > MOST_WITH_KEY {
                        continue;
                    }
                    for (place, a) in rows.iter().enumerate() {
                        found.extend(rows[place + 1..].iter().map(|b| (*a, *b)));
                    }
                }
                found.sort_unstable();
                found.dedup();
                Ok(found)
            },
            |found: Vec<(u32, u32)>| {
                pairs.extend(found);
                Ok(())
            },
        )?;
        pairs.sort_unstable();
        pairs.dedup();
        Ok(pairs)
    }

    /// The domains that occur and are one typo from another.
    fn typo_domains(&self) -> Result<TypoDomains> {
        let mut domains: HashSet<String> = HashSet::new();
        self.read(
            |_| true,
            None,
            |RowAgain { contact: Contact { address, .. }, .. }, found: &mut HashSet<String>| {
                if address.is_usable() && !found.contains(&*String::from_utf8_lossy(address.domain())) {
                    found.insert(String::from_utf8_lossy(address.domain()).into_owned());
                }
            },
            |found| {
                domains.extend(found);
                Ok(())
            },
        )?;
        Ok(TypoDomains::new(domains))
    }

    /// The values of everybody in a pair.
    fn values(&self, pairs: &[(u32, u32)]) -> Result<Values> {
        let mut wanted = RowSet::new(self.known.settled.records());
        for (a, b) in pairs {
            wanted.add(RowId(*a));
            wanted.add(RowId(*b));
        }
        let mut values = Values::new(self.setting.memory / 3, &self.known.spool_folder);
        self.read(
            |row| wanted.holds(row),
            Some(&self.shown_cleaning),
            |again, found: &mut Vec<(RowId, Vec<u8>)>| {
                let RowAgain { row, contact: Contact { cleaned: record, address, .. }, .. } = again;
                let plan = &self.shown[again.file];
                let mut bytes = Vec::new();
                let usable: &[u8] = if address.is_usable() { address.identity } else { b"" };
                // What cannot be used as an address still names its row.
                let named = matches!(address.state, State::Usable | State::Invalid(_));
                put_text(&mut bytes, if named { address.identity } else { b"" });
                put_text(&mut bytes, usable);
                plan.compared.fields.iter().for_each(|source| put_text(&mut bytes, &source.value(record, usable)));
                plan.columns.iter().for_each(|source| put_text(&mut bytes, &source.value(record, address.text)));
                found.push((*row, bytes));
            },
            |found| found.into_iter().try_for_each(|(row, bytes)| values.add(row, &bytes)),
        )?;
        values.finish()?;
        Ok(values)
    }

    /// Judges all pairs, and lists those that are likely.
    fn judged(&self, pairs: &[(u32, u32)], values: &Values, mut tally: NearTally) -> Result<NearDuplicates> {
        let mut likely: Vec<Likely> = Vec::new();
        let mut parts = pairs.chunks(PAIRS_AT_ONCE);
        in_order(
            self.setting.threads,
            || if self.observer.wants_stop() { Err(Error::interrupted()) } else { Ok(parts.next()) },
            || (),
            |part, ()| self.likely_of(part, values),
            |(found, decided): (Vec<Likely>, u64)| {
                tally.decided += decided;
                likely.extend(found);
                if likely.len() > MOST_PAIRS * 2 {
                    likely.sort_unstable();
                    likely.truncate(MOST_PAIRS);
                }
                Ok(())
            },
        )?;
        likely.sort_unstable();
        likely.truncate(MOST_PAIRS);
        tally.pairs = likely.len() as u64;
        let mut rows = self.columns.header(&REVIEW);
        for (number, (score, a, b, why)) in likely.iter().enumerate() {
            for row in [a, b] {
                let value = PersonValues::read(&values.of(*row)?);
                rows.extend_from_slice(&self.review_row(number + 1, score.0, why, RowId(*row), &value));
            }
        }
        Ok(NearDuplicates { tally, rows })
    }

    /// Those of some pairs that are likely one person, and how many of those were decided before.
    fn likely_of(&self, pairs: &[(u32, u32)], values: &Values) -> Result<(Vec<Likely>, u64)> {
        let (mut likely, mut decided) = (Vec::new(), 0);
        let settled = &self.known.settled;
        let mut first: Option<(u32, PersonValues, NearPerson)> = None;
        for (a, b) in pairs {
            // Between two who are both held nothing is to be decided.
            if settled.copied(RowId(*a)).refusal().is_some() && settled.copied(RowId(*b)).refusal().is_some() {
                continue;
            }
            // Pairs are in the order of their first rows.
            let (_, ours, our_person) = match first.take() {
                Some(known) if known.0 == *a => first.insert(known),
                _ => {
                    let ours = PersonValues::read(&values.of(*a)?);
                    let person = ours.person();
                    first.insert((*a, ours, person))
                }
            };
            let theirs = PersonValues::read(&values.of(*b)?);
            let Judged { score, why } = judge(our_person, &theirs.person());
            if score < THRESHOLD {
                continue;
            }
            let is_decided = match (&self.known.files.decisions, ours.named(), theirs.named()) {
                (Some(decisions), Some(a), Some(b)) => decisions.decides(&a, &b),
                _ => false,
            };
            if is_decided {
                decided += 1;
            } else {
                likely.push((std::cmp::Reverse(score), *a, *b, why));
            }
        }
        Ok((likely, decided))
    }

    fn review_row(&self, pair: usize, score: u8, why: &str, row: RowId, value: &PersonValues) -> Vec<u8> {
        let (file, number) = self.known.settled.place(row);
        let file = &self.known.files.sources[file.0 as usize];
        let mut out = CsvBuffer::new(Defusing::On);
        out.value(pair.to_string().as_bytes());
        out.value(score.to_string().as_bytes());
        out.value(why.as_bytes());
        out.value(value.named().map_or(String::new(), |named| named.text().into_owned()).as_bytes());
        let refusal = self.known.settled.copied(row).refusal();
        out.value(refusal.map_or("", crate::suppress::reason::Reason::name).as_bytes());
        out.value(self.job.sources[file.owner.0 as usize].name.as_bytes());
        out.value(file.input.name().as_bytes());
        out.value(number.to_string().as_bytes());
        value.shown().into_iter().for_each(|cell| out.value(cell));
        if self.columns.has_surplus {
            out.value(b"");
        }
        out.end_row();
        out.bytes
    }
}

impl Compared {
    fn new(file: &OpenFile<SourceId>, cleaning: &CleaningPlan) -> Compared {
        let source = |field| ValueSource::new(&ColumnRef::Field(field), &cleaning.map, file.is_receipt);
        Compared { fields: COMPARED.map(source) }
    }

    fn person(&self, record: &Record, address: &Address) -> NearPerson {
        let usable: &[u8] = if address.is_usable() { address.identity } else { b"" };
        let [first, last, postal_code, phone, birthday] =
            self.fields.map(|source| String::from_utf8_lossy(&source.value(record, usable)).into_owned());
        NearPerson::new(&String::from_utf8_lossy(usable), &first, &last, &postal_code, &phone, &birthday)
    }
}
