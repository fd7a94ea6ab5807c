//! The rows of one person, folded into the values that the survivor is filled with.

use super::copies::sort_copies;
use super::known::Known;
use crate::clean::plan::CleaningPlan;
use crate::columns::value::ValueSource;
use crate::job::Job;
use crate::run::decide::supply::{put_text, take_text, take_u32};
use crate::run::open::files::OpenFile;
use crate::run::setting::Setting;
use crate::run::tally::FillTally;
use pebblebank_table::csv::Defusing;
use pebblebank_table::observe::Observer;
use pebblebank_table::sorter::{Sorted, Sorter};
use pebblebank_table::units::{RowId, SourceId};
use pebblebank_table::{CsvBuffer, Result};
use pebblebank_values::name::{self, Naming};
use pebblebank_values::place::Country;
use pebblebank_values::text::comparable;
use pebblebank_values::{ColumnRef, Field, Kind, tags};
use std::collections::HashSet;

/// Folds the rows of each person into what its survivor is given.
pub(crate) struct Folding<'a> {
    pub(super) known: &'a Known,
    pub(super) job: &'a Job,
    /// The columns that are filled, then those that some of them follow from.
    pub(super) columns: &'a [ColumnRef],
    /// How many of these are filled.
    pub(super) filled: usize,
    pub(super) supplies: &'a mut Sorter,
    pub(super) tally: &'a mut FillTally,
    pub(super) conflicts: &'a mut dyn FnMut(&[u8]) -> Result<()>,
}

impl Folding<'_> {
    pub fn fold(&mut self, mut copies: Sorted) -> Result<()> {
        let mut person: Vec<Copy> = Vec::new();
        let mut survivor = Vec::new();
        while let Some((key, payload)) = copies.next()? {
            if survivor != key[..4] {
                self.person(&person)?;
                person.clear();
                survivor = key[..4].to_vec();
            }
            person.extend(Copy::read(payload, self.columns.len()));
        }
        self.person(&person)
    }

    /// `copies` are in the survivor's ranking, itself first.
    fn person(&mut self, copies: &[Copy]) -> Result<()> {
        let [survivor, others @ ..] = copies else { return Ok(()) };
        let filled = Filled::new(self.columns, copies);
        let mut given = Vec::new();
        let mut taken: Vec<Vec<&str>> = vec![Vec::new(); others.len()];
        for (place, column) in self.columns[..self.filled].iter().enumerate() {
            let own = &survivor.values[place];
            match column {
                ColumnRef::Field(Field::Email) => {}
                ColumnRef::Field(Field::Tags) => {
                    let united = united_tags(copies.iter().map(|copy| &copy.values[place][..]));
                    if united.as_bytes() != own.as_slice() {
                        self.give(place, united.as_bytes(), &mut given);
                        for (other, taken) in others.iter().zip(&mut taken) {
                            if !other.values[place].is_empty() {
                                taken.push(column.name());
                            }
                        }
                    }
                }
                column => match self.following(column, survivor, &filled) {
                    Some(value) if !value.is_empty() => {
                        if value != *own {
                            self.give(place, &value, &mut given);
                        }
                        self.conflicts_in(column, place, (survivor.row, &value), others)?;
                    }
                    _ => {
                        let Some(kept) = filled.kept[place] else { continue };
                        let value = &copies[kept].values[place];
                        if kept > 0 {
                            self.give(place, value, &mut given);
                            taken[kept - 1].push(column.name());
                        }
                        self.conflicts_in(column, place, (copies[kept].row, value), &copies[kept + 1..])?;
                    }
                },
            }
        }
        if !given.is_empty() {
            self.tally.people += 1;
            self.supplies.push(&[&survivor.row.0.to_be_bytes()[..], &[0]].concat(), &given)?;
        }
        for (other, names) in others.iter().zip(taken).filter(|(_, names)| !names.is_empty()) {
            self.supplies.push(&[&other.row.0.to_be_bytes()[..], &[1]].concat(), names.join("; ").as_bytes())?;
        }
        Ok(())
    }

    fn give(&mut self, place: usize, value: &[u8], given: &mut Vec<u8>) {
        given.extend_from_slice(&(place as u32).to_le_bytes());
        put_text(given, value);
        self.tally.values += 1;
    }

    /// A field that follows from others in the survivor's file, out of the filled ones, so that it does not contradict them;
    /// none for a column of the file.
    fn following(&self, column: &ColumnRef, survivor: &Copy, filled: &Filled) -> Option<Vec<u8>> {
        let ColumnRef::Field(field) = column else { return None };
        let (file, _) = self.known.settled.place(survivor.row);
        if !self.known.files.cleaning[file.0 as usize].derives(*field) {
            return None;
        }
        let text = |field| String::from_utf8_lossy(filled.value(field)).into_owned();
        let value = match (field, Kind::of_field(*field)) {
            (Field::FullName, _) => {
                let parts = [Field::FirstName, Field::MiddleName, Field::LastName].map(text);
                parts.iter().filter(|part| !part.is_empty()).map(String::as_str).collect::<Vec<_>>().join(" ")
            }
            (_, Kind::Name(part)) => {
                let naming = Naming::of(Country::from_text(&text(Field::Country)), &text(Field::Language));
                name::part_in(&text(Field::FullName), naming).part(part).to_owned()
            }
            // What was in the city's cell was split before; where another row gave the city, it gives its region too.
            _ => String::from_utf8_lossy(filled.beside(Field::City, *field)).into_owned(),
        };
        Some(value.into_bytes())
    }

    /// Lists values that differ from the one that is kept, which is of the row with it.
    fn conflicts_in(
        &mut self,
        column: &ColumnRef,
        place: usize,
        (kept_row, kept): (RowId, &[u8]),
        others: &[Copy],
    ) -> Result<()> {
        let compared = |value: &[u8]| comparable(&String::from_utf8_lossy(value)).into_owned();
        let mut seen = HashSet::from([compared(kept)]);
        for other in others.iter().filter(|other| !other.values[place].is_empty()) {
            if !seen.insert(compared(&other.values[place])) {
                continue;
            }
            self.tally.conflicts += 1;
            let mut out = CsvBuffer::new(Defusing::On);
            out.value(column.name().as_bytes());
            for (row, value) in [(kept_row, kept), (other.row, &other.values[place])] {
                out.value(value);
                let (file, number) = self.known.settled.place(row);
                let file = &self.known.files.sources[file.0 as usize];
                out.value(self.job.sources[file.owner.0 as usize].name.as_bytes());
                out.value(file.input.name().as_bytes());
                out.value(number.to_string().as_bytes());
            }
            out.end_row();
            (self.conflicts)(&out.bytes)?;
        }
        Ok(())
    }
}

/// A row of a person, with its values by column.
pub(crate) struct Copy {
    row: RowId,
    values: Vec<Vec<u8>>,
}

impl Copy {
    fn read(payload: &[u8], columns: usize) -> Option<Copy> {
        let (row, mut rest) = take_u32(payload)?;
        let mut values = Vec::with_capacity(columns);
        for _ in 0..columns {
            let (value, after) = take_text(rest)?;
            values.push(value.to_vec());
            rest = after;
        }
        Some(Copy { row: RowId(row), values })
    }
}

/// The rows of a person, the survivor first, with the first of them that has a value, by column.
pub(crate) struct Filled<'a> {
    columns: &'a [ColumnRef],
    copies: &'a [Copy],
    kept: Vec<Option<usize>>,
}

impl<'a> Filled<'a> {
    fn new(columns: &'a [ColumnRef], copies: &'a [Copy]) -> Filled<'a> {
        let kept = |place: usize| copies.iter().position(|copy| !copy.values[place].is_empty());
        Filled { columns, copies, kept: (0..columns.len()).map(kept).collect() }
    }

    fn place(&self, field: Field) -> Option<usize> {
        self.columns.iter().position(|column| *column == ColumnRef::Field(field))
    }

    /// The value of a field; empty where no row has one.
    fn value(&self, field: Field) -> &'a [u8] {
        self.beside(field, field)
    }

    /// The value of another field in the row that gives this one.
    fn beside(&self, field: Field, other: Field) -> &'a [u8] {
        let (Some(place), Some(other)) = (self.place(field), self.place(other)) else { return b"" };
        self.kept[place].map_or(b"", |kept| &self.copies[kept].values[other])
    }
}

/// The tags of all, in their order, each once whatever its letter case.
pub(crate) fn united_tags<'a>(values: impl Iterator<Item = &'a [u8]>) -> String {
    let all = values.map(|value| String::from_utf8_lossy(value).into_owned()).collect::<Vec<_>>().join(tags::BETWEEN);
    let mut united = String::new();
    tags::clean(&all, ';', &mut united);
    united
}

/// The rows of people with several, with their values by column, sorted by person and then by rank.
pub(crate) fn sorted_copies(
    job: &Job,
    known: &Known,
    columns: &[ColumnRef],
    setting: &Setting,
    memory: u64,
    observer: &dyn Observer,
) -> Result<Sorted> {
    let files = &known.files;
    let of_file = |(file, plan): (&OpenFile<SourceId>, &CleaningPlan)| {
        let source = |column| ValueSource::new(column, &plan.map, file.is_receipt);
        columns.iter().map(source).collect::<Vec<_>>()
    };
    let sources: Vec<Vec<ValueSource>> = files.sources.iter().zip(&files.cleaning).map(of_file).collect();
    sort_copies(job, known, setting, memory, observer, |copy, payload| {
        if known.settled.is_left_out(copy.row) {
            return;
        }
        payload.extend_from_slice(&copy.row.0.to_le_bytes());
        for source in &sources[copy.file] {
            put_text(payload, &source.filled(&copy.contact.cleaned, copy.contact.address.text, &job.clean.blank_words));
        }
    })
}
