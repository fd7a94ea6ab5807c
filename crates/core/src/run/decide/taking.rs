//! The values that people are given from lists: the lists are read again, and of the rows that have a value in common with
//! somebody the one that ranks first gives its values.

use super::crossings::SharedValues;
use super::known::Known;
use crate::clean::plan::{CleaningPlan, Wanted};
use crate::columns::value::ValueSource;
use crate::job::Job;
use crate::job::lists::EntriesToCompare;
use crate::layout::receipt::AllColumns;
use crate::person::same::Survivor;
use crate::run::contact::rank::{Rank, newest_of_list};
use crate::run::contact::{ContactReader, ContactWishes};
use crate::run::decide::supply::{put_text, take_text};
use crate::run::gather::chunks::Reading;
use crate::run::gather::list_chunk::{EntryScratch, ListPlan, read_list_chunk};
use crate::run::open::files::OpenFile;
use crate::run::open::fit::cleaning_wishes;
use crate::run::tally::TakenTally;
use pebblebank_table::observe::{Observer, Stage};
use pebblebank_table::sorter::{Sorted, Sorter};
use pebblebank_table::units::ListId;
use pebblebank_table::{Error, Records, Result};
use pebblebank_values::ColumnRef;
use pebblebank_values::date::DateOrder;

/// Reads the lists again that values are taken from, and finds the value of each person.
pub(crate) fn take_from_lists(
    job: &Job,
    known: &Known,
    columns: &AllColumns,
    memory: u64,
    supplies: &mut Sorter,
    observer: &dyn Observer,
) -> Result<Vec<TakenTally>> {
    if job.lists.iter().all(|list| list.take().is_empty()) {
        return Ok(Vec::new());
    }
    let mut rows = Sorter::new(memory, &known.spool_folder);
    read_list_rows(job, known, &mut rows, observer)?;
    let mut tallies: Vec<TakenTally> =
        job.lists.iter().map(|list| TakenTally { list: list.name().to_owned(), ..TakenTally::default() }).collect();
    let place_of = |column: &ColumnRef| columns.columns.iter().position(|known| known == column).unwrap_or_default();
    let places: Vec<Vec<usize>> =
        job.lists.iter().map(|list| list.take().iter().map(|taken| place_of(&taken.ours)).collect()).collect();
    let mut of_people = Sorter::new(memory, &known.spool_folder);
    give_to_people(rows.finish()?, &known.settled.taken, &mut of_people)?;
    let mut sorted = of_people.finish()?;
    let mut person = Vec::new();
    let mut found = BestValues::default();
    let mut give = |person: &[u8], found: &BestValues| -> Result<()> {
        let [a, b, c, d, high, low] = *person else { return Ok(()) };
        let list = usize::from(u16::from_be_bytes([high, low]));
        let mut payload = Vec::new();
        for (best, place) in found.columns.iter().zip(&places[list]).filter(|(best, _)| !best.value.is_empty()) {
            payload.extend_from_slice(&(*place as u32).to_le_bytes());
            put_text(&mut payload, &best.value);
        }
        tallies[list].people += u64::from(!payload.is_empty());
        tallies[list].several += u64::from(found.columns.iter().any(|best| best.differs));
        supplies.push(&[a, b, c, d, 2, high, low], &payload)
    };
    while let Some((key, payload)) = sorted.next()? {
        if person != key[..6] {
            give(&person, &found)?;
            found = BestValues::default();
            person = key[..6].to_vec();
        }
        found.unite(&BestValues::from_bytes(payload)?);
    }
    give(&person, &found)?;
    Ok(tallies
        .into_iter()
        .zip(&job.lists)
        .filter(|(_, list)| !list.take().is_empty())
        .map(|(tally, _)| tally)
        .collect())
}

/// For each column that is taken from a list: the value of the row that ranks first among those in which it is filled.
#[derive(Default)]
pub(crate) struct BestValues {
    columns: Vec<BestValue>,
}

impl BestValues {
    /// Takes over what ranks before its own values.
    fn unite(&mut self, other: &BestValues) {
        self.columns.resize(other.columns.len().max(self.columns.len()), BestValue::default());
        for (own, other) in self.columns.iter_mut().zip(&other.columns).filter(|(_, other)| !other.value.is_empty()) {
            let differs = own.differs || other.differs || (!own.value.is_empty() && own.value != other.value);
            if own.value.is_empty() || other.rank < own.rank {
                own.clone_from(other);
            }
            own.differs = differs;
        }
    }

    /// The values of one row of a list.
    fn of_row(rank: [u8; 8], mut values: &[u8]) -> BestValues {
        let mut columns = Vec::new();
        while let Some((value, after)) = take_text(values) {
            columns.push(BestValue { rank, value: value.to_vec(), differs: false });
            values = after;
        }
        BestValues { columns }
    }

    fn to_bytes(&self) -> Vec<u8> {
        let mut bytes = Vec::new();
        for BestValue { rank, value, differs } in &self.columns {
            bytes.extend_from_slice(rank);
            bytes.push(u8::from(*differs));
            put_text(&mut bytes, value);
        }
        bytes
    }

    fn from_bytes(mut bytes: &[u8]) -> Result<BestValues> {
        let mut columns = Vec::new();
        while let Some((head, rest)) = bytes.split_first_chunk::<9>() {
            let [rank @ .., differs] = *head;
            let (value, after) = take_text(rest).ok_or_else(Error::defect)?;
            columns.push(BestValue { rank, value: value.to_vec(), differs: differs == 1 });
            bytes = after;
        }
        Ok(BestValues { columns })
    }
}

/// The value of the row that ranks first, the row's rank and number, and whether others differ from it.
#[derive(Default, Clone)]
pub(crate) struct BestValue {
    /// The smaller ranks first.
    rank: [u8; 8],
    value: Vec<u8>,
    differs: bool,
}

/// Puts the rows of lists that have a value in common together, and hands what comes of them to everybody who has the value,
/// by person and list.
pub(crate) fn give_to_people(mut rows: Sorted, shared: &SharedValues, of_people: &mut Sorter) -> Result<()> {
    let mut at = Vec::new();
    let mut found = BestValues::default();
    let mut give = |at: &[u8], found: &BestValues| -> Result<()> {
        let Some((value, list)) = at.split_first_chunk::<4>() else { return Ok(()) };
        let payload = found.to_bytes();
        let people = shared.people_with(u32::from_be_bytes(*value)).iter();
        people.into_iter().try_for_each(|(_, person)| {
            of_people.push(&[&person.to_be_bytes()[..], list, &value[..]].concat(), &payload)
        })
    };
    while let Some((key, payload)) = rows.next()? {
        if at != key[..6] {
            give(&at, &found)?;
            found = BestValues::default();
            at = key[..6].to_vec();
        }
        let rank = key[6..].first_chunk::<8>().ok_or_else(Error::defect)?;
        found.unite(&BestValues::of_row(*rank, payload));
    }
    give(&at, &found)
}

/// How the values that are taken from one list file are found, and what its rows are ranked by.
pub(crate) struct TakePlan {
    cleaning: CleaningPlan,
    sources: Vec<ValueSource>,
    rank: Rank,
}

impl TakePlan {
    fn new(job: &Job, file: &OpenFile<ListId>) -> TakePlan {
        let list = &job.lists[file.owner.0 as usize];
        let newest_by = newest_of_list(job, file.map());
        let mut wanted = Wanted::default();
        for column in list.take().iter().map(|taken| &taken.theirs).chain(&newest_by) {
            wanted.add(column, file.map());
        }
        let separators = &file.glimpse.separators;
        let mut cleaning = CleaningPlan::new(&cleaning_wishes(job), &wanted, file.map(), file.is_receipt, separators);
        let said = list.files().and_then(|files| files.read.columns.date_order).or(job.clean.date_order);
        let usual = job.country.map(|country| DateOrder::of_country(country.code()));
        for (column, seen) in &file.glimpse.dates {
            if let Some(order) = said.or(seen.shown()).or(usual) {
                cleaning.set_order(*column, order);
            }
        }
        let source = |column: &ColumnRef| ValueSource::new(column, &cleaning.map, file.is_receipt);
        let rank = match (job.person.survivor, newest_by) {
            (Survivor::Newest, Some(column)) => Rank::newest(&column, &cleaning.map, file.is_receipt, job.today),
            (Survivor::Fullest, _) => Rank::fullest(file.map(), &job.clean.blank_words),
            _ => Rank::Equal,
        };
        TakePlan { sources: list.take().iter().map(|taken| source(&taken.theirs)).collect(), rank, cleaning }
    }
}

/// Hands each row of a list that somebody is in, with the values that are taken from it, to `rows`: by the value that both
/// have, list, rank.
pub(crate) fn read_list_rows(job: &Job, known: &Known, rows: &mut Sorter, observer: &dyn Observer) -> Result<()> {
    let files = &known.files;
    let plans: Vec<TakePlan> = files.lists.iter().map(|file| TakePlan::new(job, file)).collect();
    let mut scratch = EntryScratch::new(files);
    let mut contacts = ContactReader::new(&files.addresses);
    let mut records = Records::default();
    let mut reading = Reading::new(&files.lists, Stage::Filling, observer);
    let (mut entry, mut at) = (0u32, 0usize);
    let matches = known.settled.taken.entries();
    while let Some(chunk) = reading.next()? {
        let file = &files.lists[chunk.file.0 as usize];
        let read = read_list_chunk(
            file,
            &ListPlan::of(files, chunk.file.0 as usize),
            &chunk.chunk,
            &known.settled.hasher,
            &mut scratch,
        );
        records.split(&chunk.chunk, file.dialect);
        let plan = &plans[chunk.file.0 as usize];
        let mut before = 0;
        for (index, entries) in read.entries_after_row.iter().enumerate() {
            let own = entry + before..entry + *entries;
            before = *entries;
            let first = at;
            while matches.get(at).is_some_and(|(known, _)| own.contains(known)) {
                at += 1;
            }
            if first == at {
                continue;
            }
            let record = records.get(index, &chunk.chunk.bytes, file.dialect);
            let contact = file.contact(&mut contacts, record, ContactWishes::values(&plan.cleaning));
            let mut payload = Vec::new();
            for source in &plan.sources {
                put_text(&mut payload, &source.filled(&contact.cleaned, contact.address.text, &job.clean.blank_words));
            }
            let order = match job.person.survivor {
                Survivor::LastRead => !own.start,
                _ => !plan.rank.of(&record, &contact.cleaned, &contact.address),
            };
            for (_, value) in &matches[first..at] {
                let list = file.owner.0.to_be_bytes();
                let key = [&value.to_be_bytes()[..], &list, &order.to_be_bytes(), &own.start.to_be_bytes()];
                rows.push(&key.concat(), &payload)?;
            }
        }
        entry += read.shares.iter().map(|share| share.compared.len() as u32).sum::<u32>();
        chunk.give_back();
    }
    known.check_lists_again(&reading.files_read())
}
