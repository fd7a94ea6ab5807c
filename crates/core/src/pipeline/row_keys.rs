//! The keys of a row beside its address, and its rank among the copies of a person; in the first pass.

use super::open::OpenFiles;
use crate::clean::address::Address;
use crate::clean::blank::BlankWords;
use crate::clean::date::{Date, DateColumn, DateOf};
use crate::clean::plan::Wanted;
use crate::clean::text::comparable;
use crate::clean::{CleaningPlan, CleaningWishes, Kind, RowCleaner, place};
use crate::columns::fold::fold;
use crate::columns::{ColumnMap, Field};
use crate::job::layout::ColumnRef;
use crate::job::{EntriesFrom, Job, ListFiles, Remembering, Source};
use crate::person::decisions::{Decision, Decisions, Named};
use crate::person::{IdentityHash, IdentityHasher, Role, Survivor};
use crate::read::{Record, cell};
use crate::select::{Selection, SelectionPlan};
use crate::suppress::{Digest, DigestKind};
use crate::units::{ColumnIndex, ListId};
use crate::write::value::ValueSource;
use std::borrow::Cow;
use std::sync::Arc;

/// How the keys and ranks of one file's rows are found, and which of its rows count.
#[derive(Debug, Clone)]
pub struct RowKeys {
    cleaning: CleaningPlan,
    keys: Vec<(KeyOf, Vec<Part>)>,
    rank: Rank,
    condition: Option<SelectionPlan>,
}

/// What a key is compared with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum KeyOf {
    /// The same key of other contacts, by its place in the job.
    Person(u8),
    /// The entries of a list.
    List(ListId),
    /// People whom decisions name by this field.
    Decisions(Field),
}

impl KeyOf {
    /// What the text of a key begins with, so that different keys never meet.
    fn prefix(self) -> [u8; 3] {
        match self {
            KeyOf::Person(place) => [place, 0, 0],
            KeyOf::Decisions(field) => [u8::MAX - 1, field as u8, 0],
            KeyOf::List(list) => [u8::MAX, list.0 as u8, (list.0 >> 8) as u8],
        }
    }

    fn role(self) -> Role {
        match self {
            KeyOf::Person(place) => Role::Other(place),
            KeyOf::List(_) | KeyOf::Decisions(_) => Role::Compared,
        }
    }
}

/// What a row is found to be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RowSeen {
    /// What it is ranked by among the copies of a person; the higher survives.
    pub rank: u32,
    /// Whether the condition of its file holds.
    pub counts: bool,
}

/// A part of a key.
#[derive(Debug, Clone)]
enum Part {
    /// The identity of the usable address.
    Address,
    /// A value, as it is compared.
    Value { source: ValueSource, form: KeyForm },
    /// The first and the last name, where a file does not have the full one.
    Names([ValueSource; 2]),
}

/// How a value is compared.
#[derive(Debug, Clone, Copy)]
enum KeyForm {
    /// Letter case and the number of blanks do not count.
    Text,
    /// Nor do the words of streets in their usual forms.
    Street,
    /// Nor does anything but letters and digits.
    Code,
    /// Nor does the order of "Family, Given".
    FullName,
    /// The text itself is not shown: its keyed digest, by which the bank keeps the phones of those who were forgotten.
    Keyed([u8; 32]),
}

impl KeyForm {
    fn of(column: &ColumnRef) -> KeyForm {
        match column {
            ColumnRef::Field(Field::Street | Field::Street2) => KeyForm::Street,
            ColumnRef::Field(Field::PostalCode) => KeyForm::Code,
            ColumnRef::Field(Field::FullName) => KeyForm::FullName,
            _ => KeyForm::Text,
        }
    }

    fn key(self, value: &str) -> Cow<'_, str> {
        match self {
            KeyForm::Text => comparable(value),
            KeyForm::Street => place::street_key(value).into(),
            KeyForm::Code => fold(value).replace(' ', "").into(),
            KeyForm::FullName => match comparable(value).split_once(',') {
                Some((family, given)) if !given.contains(',') && !given.trim().is_empty() => {
                    format!("{} {}", given.trim(), family.trim()).into()
                }
                _ => comparable(value),
            },
            KeyForm::Keyed(_) if value.is_empty() => value.into(),
            KeyForm::Keyed(key) => DigestKind::Keyed.of(value.as_bytes(), Some(&key)).hex().into(),
        }
    }
}

/// What a row is ranked by; the higher survives.
#[derive(Debug, Clone)]
pub enum Rank {
    /// By nothing but the order of reading.
    Equal,
    /// By the minutes of a date.
    Newest(ValueSource),
    /// By how many of these are filled.
    Fullest(Vec<(ColumnIndex, Kind)>, Arc<BlankWords>),
}

/// A file whose keys are to be found.
pub struct KeyedFile<'a> {
    /// The job.
    pub job: &'a Job,
    /// How values are cleaned.
    pub wishes: &'a CleaningWishes,
    /// What its columns are.
    pub map: &'a ColumnMap,
    /// Whether an earlier run wrote it aside.
    pub is_receipt: bool,
    /// What stands between the tags of its columns.
    pub separators: &'a [(ColumnIndex, char)],
}

impl KeyedFile<'_> {
    fn keys(
        &self,
        wanted: &Wanted,
        keys: &[(KeyOf, Vec<ColumnRef>, Vec<KeyForm>)],
        condition: Option<&Selection>,
    ) -> RowKeys {
        let cleaning = CleaningPlan::new(self.wishes, wanted, self.map, self.is_receipt, self.separators);
        let part = |(column, form): (&ColumnRef, &KeyForm)| match column {
            ColumnRef::Field(Field::Email) => Part::Address,
            ColumnRef::Field(Field::FullName) if names_stand_for(&cleaning.map) => {
                let source = |field| ValueSource::new(&ColumnRef::Field(field), &cleaning.map, self.is_receipt);
                Part::Names([Field::FirstName, Field::LastName].map(source))
            }
            column => {
                let source = ValueSource::new(column, &cleaning.map, self.is_receipt);
                Part::Value { source, form: *form }
            }
        };
        let keys = keys.iter().map(|(of, columns, forms)| (*of, columns.iter().zip(forms).map(part).collect()));
        RowKeys {
            keys: keys.collect(),
            rank: Rank::Equal,
            condition: condition
                .map(|selection| SelectionPlan::new(selection, &cleaning.map, self.is_receipt, self.job)),
            cleaning,
        }
    }

    fn wanted<'b>(&self, columns: impl Iterator<Item = &'b ColumnRef>, condition: Option<&Selection>) -> Wanted {
        let mut wanted = Wanted::default();
        columns.for_each(|column| match column {
            ColumnRef::Field(Field::FullName) if names_stand_for(self.map) => {
                for field in [Field::FirstName, Field::LastName] {
                    wanted.add(&ColumnRef::Field(field), self.map);
                }
            }
            column => wanted.add(column, self.map),
        });
        for column in condition.iter().flat_map(|selection| selection.columns()) {
            wanted.add(&column, self.map);
        }
        wanted
    }
}

impl RowKeys {
    /// Fits what a job says about persons and lists to a file of a source; none where the address alone decides, the
    /// first read survives and every row counts.
    /// `decided_by` are the fields by which decisions name people.
    pub fn of_source(
        file: &KeyedFile,
        source: &Source,
        newest_by: Option<&ColumnRef>,
        decided_by: &[Field],
    ) -> Option<RowKeys> {
        let persons = &file.job.person;
        let by_lists = file.job.lists.iter().enumerate();
        let by_lists: Vec<_> = by_lists.filter_map(|(list, files)| Some((list, files.by.as_ref()?))).collect();
        let needs_rank = matches!(persons.survivor, Survivor::Newest | Survivor::Fullest);
        let condition = source.condition.as_ref();
        let is_plain = !persons.has_other_keys() && !needs_rank && by_lists.is_empty() && decided_by.is_empty();
        if is_plain && condition.is_none() {
            return None;
        }
        let own = source.same.as_ref().unwrap_or(&persons.same);
        let secret = match &file.job.remembered {
            Remembering::From(memory) => memory.key(),
            _ => None,
        };
        let mut keys = Vec::new();
        for (place, (key, own)) in persons.same.iter().zip(own).enumerate() {
            if !key.is_address() || !own.is_address() {
                let forms = key.columns.iter().map(KeyForm::of).collect();
                keys.push((KeyOf::Person(place as u8), own.columns.clone(), forms));
            }
        }
        for (list, key) in by_lists {
            let forms = vec![KeyForm::of(&key.ours)];
            let of = KeyOf::List(ListId(list as u16));
            keys.push((of, vec![key.ours.clone()], forms));
            if let (Some(secret), EntriesFrom::Memory(_)) = (secret, file.job.lists[list].entries_from) {
                keys.push((of, vec![key.ours.clone()], vec![KeyForm::Keyed(secret)]));
            }
        }
        for field in decided_by {
            let column = ColumnRef::Field(*field);
            keys.push((KeyOf::Decisions(*field), vec![column.clone()], vec![KeyForm::of(&column)]));
        }
        let newest_by = newest_by.filter(|_| persons.survivor == Survivor::Newest);
        let wanted = file.wanted(keys.iter().flat_map(|(_, columns, _)| columns).chain(newest_by), condition);
        let mut found = file.keys(&wanted, &keys, condition);
        found.rank = match (persons.survivor, newest_by) {
            (Survivor::Newest, Some(column)) => {
                Rank::Newest(ValueSource::new(column, &found.cleaning.map, file.is_receipt))
            }
            (Survivor::Fullest, _) => Rank::fullest(file.map, &file.wishes.blank_words),
            _ => Rank::Equal,
        };
        Some(found)
    }

    /// Fits what a job says about a list to one of its files; none where its entries are addresses and all count.
    pub fn of_list(file: &KeyedFile, id: ListId, list: &ListFiles) -> Option<RowKeys> {
        let condition = list.condition.as_ref();
        if list.by.is_none() && condition.is_none() {
            return None;
        }
        let by = list.by.iter();
        let keys: Vec<_> =
            by.map(|key| (KeyOf::List(id), vec![key.theirs.clone()], vec![KeyForm::of(&key.ours)])).collect();
        let wanted = file.wanted(keys.iter().flat_map(|(_, columns, _)| columns), condition);
        Some(file.keys(&wanted, &keys, condition))
    }

    /// The columns that its keys are read from.
    pub fn columns(&self) -> impl Iterator<Item = ColumnIndex> + '_ {
        self.keys.iter().flat_map(|(_, parts)| parts).flat_map(|part| {
            let sources: Vec<&ValueSource> = match part {
                Part::Address => Vec::new(),
                Part::Value { source, .. } => vec![source],
                Part::Names(sources) => sources.iter().collect(),
            };
            sources.into_iter().flat_map(ValueSource::columns).collect::<Vec<_>>()
        })
    }

    /// Whether it has keys of its own, beside addresses.
    pub fn has_keys(&self) -> bool {
        !self.keys.is_empty()
    }

    /// How values are cleaned before they are compared.
    pub fn cleaning(&self) -> &CleaningPlan {
        &self.cleaning
    }

    /// The same, to be told the order of dates.
    pub fn cleaning_mut(&mut self) -> &mut CleaningPlan {
        &mut self.cleaning
    }

    /// Hands the row's keys to `add`, each with its role, and says what the row is.
    pub fn read(
        &self,
        record: &Record,
        address: &Address,
        cleaner: &mut RowCleaner,
        hasher: &IdentityHasher,
        mut add: impl FnMut(Role, IdentityHash),
    ) -> RowSeen {
        cleaner.clean(&self.cleaning, record, address);
        let after = cleaner.after(record);
        let is_doubtful = |source: &ValueSource| {
            let doubts = cleaner.doubts().iter().filter(|(_, doubt)| doubt.is_unusable());
            doubts.clone().any(|(column, _)| source.columns().any(|own| own == *column))
        };
        for (of, parts) in &self.keys {
            let mut text = of.prefix().to_vec();
            let is_whole = parts.iter().all(|part| {
                let mut push = |key: &[u8]| {
                    // With its length, so that parts cannot run into each other.
                    text.extend_from_slice(&(key.len() as u32).to_le_bytes());
                    text.extend_from_slice(key);
                };
                match part {
                    Part::Address => {
                        push(address.identity);
                        address.is_usable()
                    }
                    Part::Names(sources) => {
                        let names = sources.map(|source| source.value(&after, address.text).into_owned());
                        let name = names.iter().map(|name| String::from_utf8_lossy(name).into_owned());
                        let name = name.filter(|name| !name.is_empty()).collect::<Vec<_>>().join(" ");
                        let key = KeyForm::FullName.key(&name);
                        push(key.as_bytes());
                        !key.is_empty()
                    }
                    Part::Value { source, form } => {
                        let value = source.value(&after, address.text);
                        let value = String::from_utf8_lossy(&value);
                        let key = form.key(&value);
                        push(key.as_bytes());
                        !key.is_empty() && !is_doubtful(source)
                    }
                }
            });
            if is_whole {
                add(of.role(), hasher.hash(&text));
            }
        }
        let usable = if address.is_usable() { address.text } else { b"" };
        RowSeen {
            rank: self.rank.of(record, &after, address),
            counts: self.condition.as_ref().is_none_or(|condition| condition.holds(&after, usable, &[])),
        }
    }
}

impl Rank {
    /// By how many known fields are filled.
    pub fn fullest(map: &ColumnMap, blank_words: &Arc<BlankWords>) -> Rank {
        let filled = |field: Field| map.column(field).map(|column| (column, Kind::of_field(field)));
        Rank::Fullest(Field::ALL.into_iter().filter_map(filled).collect(), Arc::clone(blank_words))
    }

    /// The rank of a record, which is also there as `cleaned`.
    pub fn of(&self, record: &Record, cleaned: &Record, address: &Address) -> u32 {
        match self {
            Rank::Equal => 0,
            Rank::Newest(source) => minutes_of(&source.value(cleaned, address.text)),
            Rank::Fullest(columns, blank_words) => {
                let is_filled = |(column, kind): &&(ColumnIndex, Kind)| {
                    let raw = record.raw(column.0);
                    !raw.is_empty() && !blank_words.holds(&cell::text(raw), kind.blank_in())
                };
                columns.iter().filter(is_filled).count() as u32
            }
        }
    }
}

/// Whether the first and the last name stand for the full one, which is not there.
fn names_stand_for(map: &ColumnMap) -> bool {
    let has = |field| map.column(field).is_some();
    !has(Field::FullName) && has(Field::FirstName) && has(Field::LastName)
}

/// Whether a file has something for a column.
pub fn has_column(column: &ColumnRef, map: &ColumnMap) -> bool {
    let is_name = *column == ColumnRef::Field(Field::FullName) && names_stand_for(map);
    is_name || ValueSource::new(column, map, false) != ValueSource::Nothing
}

/// What an entry that is remembered by its phone is compared by, in the list at this place.
pub fn phone_hash(list: ListId, phone: &str, hasher: &IdentityHasher) -> IdentityHash {
    hash_of_value(KeyOf::List(list), Field::Phone, phone, hasher)
}

/// The same for one whose phone is not shown.
pub fn keyed_phone_hash(list: ListId, digest: &Digest, hasher: &IdentityHasher) -> IdentityHash {
    hash_of_key(KeyOf::List(list), &digest.hex(), hasher)
}

fn hash_of_value(of: KeyOf, field: Field, value: &str, hasher: &IdentityHasher) -> IdentityHash {
    hash_of_key(of, &KeyForm::of(&ColumnRef::Field(field)).key(value), hasher)
}

fn hash_of_key(of: KeyOf, key: &str, hasher: &IdentityHasher) -> IdentityHash {
    let mut text = of.prefix().to_vec();
    text.extend_from_slice(&(key.len() as u32).to_le_bytes());
    text.extend_from_slice(key.as_bytes());
    hasher.hash(&text)
}

/// What the people whom decisions name are compared by, in their order.
pub fn decided_hashes(decisions: &Decisions, hasher: &IdentityHasher) -> Vec<IdentityHash> {
    let hash = |named: &Named| match named {
        Named::Address(address) => hasher.hash_address(address.as_bytes()),
        Named::By(field, value) => hash_of_value(KeyOf::Decisions(*field), *field, value, hasher),
    };
    decisions.all.iter().flat_map(Decision::persons).map(hash).collect()
}

/// Minutes since the year 0; 0 where there is no date.
fn minutes_of(value: &[u8]) -> u32 {
    let text = String::from_utf8_lossy(value);
    let column = DateColumn { order: None, today: Date { year: 2100, month: 1, day: 1 }, of: DateOf::Any };
    match column.moment(&text) {
        Ok((moment, _)) => {
            let time = moment.time.map_or(0, |time| time.seconds / 60);
            moment.date.day_number().unsigned_abs() * 1_440 + time
        }
        Err(_) => 0,
    }
}

/// The same for a list that values are taken from.
pub fn newest_of_list(job: &Job, map: &ColumnMap) -> Option<ColumnRef> {
    let has = |column: &ColumnRef| ValueSource::new(column, map, false) != ValueSource::Nothing;
    let known = [Field::LastSeen, Field::SignedUp].map(ColumnRef::Field);
    job.person.newest_by.iter().chain(&known).find(|column| has(column)).cloned()
}

/// The date that `newest` goes by: as said, else the last time seen if any source has it, else the sign-up.
pub fn newest_by(job: &Job, files: &OpenFiles) -> Option<ColumnRef> {
    let has = |field: Field| files.sources.iter().any(|file| file.map().column(field).is_some());
    let known = [Field::LastSeen, Field::SignedUp].into_iter().find(|field| has(*field)).map(ColumnRef::Field);
    job.person.newest_by.clone().or(known)
}
