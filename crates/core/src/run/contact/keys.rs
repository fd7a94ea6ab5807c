//! The keys of a row beside its address, and its rank among the copies of a person; in the first pass.

use super::Contact;
pub use super::key_hashes::{decided_hashes, keyed_phone_hash, phone_hash};
pub use super::name_columns::has_column;
use crate::clean::plan::{CleaningPlan, CleaningWishes, Wanted};
use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use crate::job::Job;
use crate::job::lists::{EntriesToCompare, JobList, ListKey};
use crate::job::remembering::Remembering;
use crate::job::sources::Source;
use crate::person::keys::Role;
use crate::person::same::Survivor;
use crate::require::{Requirement, RequirementPlan};
use crate::run::contact::key_hashes::{KeyOf, Shown};
use crate::run::contact::name_columns::{
    PARTS_OF_NAME, has_given_and_family, is_given_or_family, names_given_and_family, names_stand_for,
};
use crate::run::contact::rank::Rank;
use crate::run::row_bits::LACKS_FIELD;
use crate::select::condition::Selection;
use crate::select::plan::SelectionPlan;
use crate::suppress::alike::Alike;
use pebblebank_table::Record;
use pebblebank_table::units::{ColumnIndex, ListId};
use pebblebank_values::address::Address;
use pebblebank_values::blank::BlankWords;
use pebblebank_values::comparable::{Form, FullName, digits_of_phone};
use pebblebank_values::identity::{IdentityHash, IdentityHasher};
use pebblebank_values::{ColumnRef, Doubt, Field};
use std::sync::Arc;

/// How the keys and ranks of one file's rows are found, and which of its rows count.
#[derive(Debug, Clone)]
pub struct RowKeys {
    cleaning: CleaningPlan,
    keys: Vec<FittedKey>,
    rank: Rank,
    condition: Option<SelectionPlan>,
    /// What a row must have so as not to rank below one that has it.
    required: Option<RequirementPlan>,
    blank_words: Arc<BlankWords>,
    /// Whether its rows are entries of a list.
    are_entries: bool,
}

/// What a row is found to be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RowSeen {
    /// What it is ranked by among the rows of a person; the higher survives. With [`LACKS_FIELD`] where a required field is
    /// blank or cannot be read.
    pub rank: u32,
    /// Whether the condition of its file holds.
    pub counts: bool,
}

/// A part of a key.
#[derive(Debug, Clone)]
enum Part {
    /// The identity of the usable address.
    Address,
    /// A value, in its comparable form.
    Value { source: ValueSource, form: Form },
    /// The first, middle and last name, where a file does not have the full one.
    Names([ValueSource; 3]),
    /// The given and the family name alone, of a key that names both: of their columns, or of the full name.
    GivenAndFamily(Vec<ValueSource>),
}

/// A key, as a job asks for it.
struct WantedKey {
    of: KeyOf,
    columns: Vec<ColumnRef>,
    /// The columns of the job that say how these are compared.
    like: Vec<ColumnRef>,
    shown: Shown,
}

/// A key, fitted to a file.
#[derive(Debug, Clone)]
struct FittedKey {
    of: KeyOf,
    parts: Vec<Part>,
    shown: Shown,
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
    fn keys(&self, wanted: &Wanted, keys: Vec<WantedKey>, condition: Option<&Selection>) -> RowKeys {
        let cleaning = CleaningPlan::new(self.wishes, wanted, self.map, self.is_receipt, self.separators);
        let source = |column: &ColumnRef| ValueSource::new(column, &cleaning.map, self.is_receipt);
        let part = |(column, like): (&ColumnRef, &ColumnRef)| match column {
            ColumnRef::Field(Field::Email) => Part::Address,
            ColumnRef::Field(Field::FullName) if names_stand_for(&cleaning.map) => {
                Part::Names(PARTS_OF_NAME.map(|field| source(&ColumnRef::Field(field))))
            }
            column => Part::Value { source: source(column), form: cleaning.map.form_of(like) },
        };
        let fitted = |key: WantedKey| {
            let names_both = names_given_and_family(&key.like);
            let given_and_family = || {
                let own = key.columns.iter().zip(&key.like).filter(|(_, like)| is_given_or_family(like));
                let own: Vec<ValueSource> = own.map(|(column, _)| source(column)).collect();
                let full = [source(&ColumnRef::Field(Field::FullName))];
                let has_parts = has_given_and_family(self.map) || full == [ValueSource::Nothing];
                Part::GivenAndFamily(if has_parts { own } else { full.to_vec() })
            };
            let columns = key.columns.iter().zip(&key.like);
            let others = columns.filter(|(_, like)| !(names_both && is_given_or_family(like))).map(part);
            let parts = names_both.then(given_and_family).into_iter().chain(others).collect();
            FittedKey { of: key.of, parts, shown: key.shown }
        };
        RowKeys {
            keys: keys.into_iter().map(fitted).collect(),
            rank: Rank::Equal,
            condition: condition
                .map(|selection| SelectionPlan::new(selection, &cleaning.map, self.is_receipt, self.job.facts())),
            required: None,
            blank_words: Arc::clone(&self.wishes.blank_words),
            are_entries: false,
            cleaning,
        }
    }

    fn wanted<'b>(&self, columns: impl Iterator<Item = &'b ColumnRef>, condition: Option<&Selection>) -> Wanted {
        let mut wanted = Wanted::default();
        let columns: Vec<&ColumnRef> = columns.collect();
        if columns.iter().any(|column| is_given_or_family(column)) && self.map.column(Field::FullName).is_some() {
            wanted.add(&ColumnRef::Field(Field::FullName), self.map);
        }
        let columns = columns.into_iter();
        columns.for_each(|column| match column {
            ColumnRef::Field(Field::FullName) if names_stand_for(self.map) => {
                for field in PARTS_OF_NAME {
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
    /// Fits what a job says about people and lists to a file of a source; none where the address alone decides, the
    /// first read survives and every row counts.
    /// `decided_by` are the fields by which decisions name people.
    pub fn of_source(
        file: &KeyedFile,
        source: &Source,
        newest_by: Option<&ColumnRef>,
        decided_by: &[Field],
    ) -> Option<RowKeys> {
        let people = &file.job.person;
        let by_lists = file.job.lists.iter().enumerate();
        let by_lists: Vec<_> = by_lists.filter_map(|(list, files)| Some((list, files.by()?))).collect();
        let needs_rank = matches!(people.survivor, Survivor::Newest | Survivor::Fullest);
        let condition = source.condition.as_ref();
        let required = required_beside_address(file.job);
        let is_plain = !people.has_other_keys() && !needs_rank && by_lists.is_empty() && decided_by.is_empty();
        if is_plain && condition.is_none() && required.fields.is_empty() {
            return None;
        }
        let own = source.same.as_ref().unwrap_or(&people.same);
        let secret = match &file.job.remembered {
            Remembering::From(memory) => memory.key(),
            _ => None,
        };
        let mut keys = Vec::new();
        for (place, (key, own)) in people.same.iter().zip(own).enumerate() {
            if !key.is_address() || !own.is_address() {
                let of = KeyOf::Person(place as u8);
                let (columns, like) = (own.columns.clone(), key.columns.clone());
                keys.push(WantedKey { of, columns, like, shown: Shown::Plainly });
            }
        }
        for (list, key) in by_lists {
            let of = KeyOf::List(ListId(list as u16));
            let wanted = |shown| WantedKey { of, columns: key.ours.clone(), like: key.ours.clone(), shown };
            keys.push(wanted(Shown::Plainly));
            if let (Some(secret), Some(_)) = (secret, file.job.lists[list].place_in_bank()) {
                keys.push(wanted(Shown::Keyed(secret)));
            }
        }
        for field in decided_by {
            let columns = vec![ColumnRef::Field(*field)];
            let of = KeyOf::Decisions(*field);
            keys.push(WantedKey { of, like: columns.clone(), columns, shown: Shown::Plainly });
        }
        let newest_by = newest_by.filter(|_| people.survivor == Survivor::Newest);
        let fields: Vec<ColumnRef> = required.fields.iter().copied().map(ColumnRef::Field).collect();
        let of_keys = keys.iter().flat_map(|key| &key.columns);
        let wanted = file.wanted(of_keys.chain(newest_by).chain(&fields), condition);
        let mut found = file.keys(&wanted, keys, condition);
        found.rank = match (people.survivor, newest_by) {
            (Survivor::Newest, Some(column)) => {
                Rank::newest(column, &found.cleaning.map, file.is_receipt, file.wishes.today)
            }
            (Survivor::Fullest, _) => Rank::fullest(file.map, &file.wishes.blank_words),
            _ => Rank::Equal,
        };
        if !required.fields.is_empty() {
            found.required = Some(RequirementPlan::new(&required, &found.cleaning.map, file.is_receipt));
        }
        Some(found)
    }

    /// Fits what a job says about a list to one of its files; none where its entries are addresses and all count.
    pub fn of_list(file: &KeyedFile, id: ListId, list: &JobList) -> Option<RowKeys> {
        let condition = list.files().and_then(|files| files.condition.as_ref());
        if list.by().is_none() && condition.is_none() {
            return None;
        }
        let of = KeyOf::List(id);
        let wanted = |key: &ListKey| WantedKey {
            of,
            columns: key.theirs.clone(),
            like: key.ours.clone(),
            shown: Shown::Plainly,
        };
        let keys: Vec<WantedKey> = list.by().into_iter().map(wanted).collect();
        let wanted = file.wanted(keys.iter().flat_map(|key| &key.columns), condition);
        Some(RowKeys { are_entries: true, ..file.keys(&wanted, keys, condition) })
    }

    /// The columns that its keys are read from.
    pub fn columns(&self) -> impl Iterator<Item = ColumnIndex> + '_ {
        self.keys.iter().flat_map(|key| &key.parts).flat_map(|part| {
            let sources: Vec<&ValueSource> = match part {
                Part::Address => Vec::new(),
                Part::Value { source, .. } => vec![source],
                Part::Names(sources) => sources.iter().collect(),
                Part::GivenAndFamily(sources) => sources.iter().collect(),
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

    /// How values are cleaned, to be told the order of dates.
    pub fn cleaning_mut(&mut self) -> &mut CleaningPlan {
        &mut self.cleaning
    }

    /// What may be close to the row's key of a list: a whole name, or a phone number. None where the list goes by something
    /// else, or the row has none.
    pub fn alike(&self, list: ListId, contact: &Contact) -> Option<Alike> {
        let is_of_list = |key: &&FittedKey| key.of == KeyOf::List(list) && matches!(key.shown, Shown::Plainly);
        let key = self.keys.iter().find(is_of_list)?;
        let row = CleanedRow { record: contact.cleaned, doubts: contact.doubts(), address: &contact.address };
        let value = |source: &ValueSource| row.value(source, &self.blank_words);
        let name = |shown: String| {
            let name = FullName::of(&shown);
            // One word alone is no whole name.
            (name.core.len() > 1).then_some(Alike::Name { name, shown })
        };
        let joined = |sources: &[ValueSource]| {
            let filled = sources.iter().map(value).filter(|value| !value.is_empty());
            filled.collect::<Vec<_>>().join(" ")
        };
        match key.parts.as_slice() {
            [Part::Names(sources)] => name(joined(sources)),
            [Part::GivenAndFamily(sources)] => name(joined(sources)),
            [Part::Value { source, form: Form::FullName }] => name(value(source)),
            [Part::Value { source, form: Form::Phone }] if row.is_doubtful(source) => {
                let value = value(source);
                let plus = if value.trim_start().starts_with('+') { "+" } else { "" };
                digits_of_phone(&value).map(|digits| Alike::Phone(format!("{plus}{}", digits.trim_start_matches('?'))))
            }
            [Part::Value { source, form: Form::Phone }] => {
                let number = value(source);
                let number = number.split(' ').next().unwrap_or_default();
                (!number.is_empty()).then(|| Alike::Phone(number.to_owned()))
            }
            _ => None,
        }
    }

    /// Hands the keys of a contact whose values were cleaned by [`Self::cleaning`] to `add`, each with its role, and says
    /// what its row is.
    pub fn read(&self, contact: &Contact, hasher: &IdentityHasher, mut add: impl FnMut(Role, IdentityHash)) -> RowSeen {
        let row = CleanedRow { record: contact.cleaned, doubts: contact.doubts(), address: &contact.address };
        for key in &self.keys {
            for text in key.texts(&row, self).into_iter().flatten() {
                add(key.of.role(), hasher.hash(&text));
            }
        }
        let usable = contact.usable_address();
        let lacks =
            self.required.as_ref().is_some_and(|required| required.lacks(&row.record, row.doubts, usable).is_some());
        RowSeen {
            rank: self.rank.of(&contact.as_meant, &row.record, row.address) | if lacks { LACKS_FIELD } else { 0 },
            counts: self.condition.as_ref().is_none_or(|condition| condition.holds(&row.record, usable, &[])),
        }
    }
}

/// A row whose values were cleaned.
struct CleanedRow<'a> {
    record: Record<'a>,
    doubts: &'a [(ColumnIndex, Doubt)],
    address: &'a Address<'a>,
}

impl CleanedRow<'_> {
    fn value(&self, source: &ValueSource, words: &BlankWords) -> String {
        String::from_utf8_lossy(&source.filled(&self.record, self.address.text, words)).into_owned()
    }

    /// Whether a value is no better than none: half a phone number, no date.
    fn is_doubtful(&self, source: &ValueSource) -> bool {
        let mut doubts = self.doubts.iter().filter(|(_, doubt)| doubt.is_unusable());
        doubts.any(|(column, _)| source.columns().any(|own| own == *column))
    }
}

/// What a part of a key comes to: one text, or two of which either will do.
type Alternatives = [Option<String>; 2];

impl FittedKey {
    /// The texts that the row is compared by under this key; none where a part of it is blank.
    fn texts(&self, row: &CleanedRow, keys: &RowKeys) -> [Option<Vec<u8>>; 2] {
        let mut texts = [Some(self.of.prefix().to_vec()), None];
        for part in &self.parts {
            let [first, second] = self.alternatives(part, row, keys);
            let Some(first) = first else { return [None, None] };
            if let (Some(second), [Some(text), None]) = (second, &mut texts) {
                let mut other = text.clone();
                self.shown.push(&mut other, &second);
                self.shown.push(text, &first);
                texts[1] = Some(other);
                continue;
            }
            texts.iter_mut().flatten().for_each(|text| self.shown.push(text, &first));
        }
        texts
    }

    fn alternatives(&self, part: &Part, row: &CleanedRow, keys: &RowKeys) -> Alternatives {
        let filled = |text: String| (!text.is_empty()).then_some(text);
        let is_of_list = matches!(self.of, KeyOf::List(_));
        match part {
            Part::Address => {
                let identity = || String::from_utf8_lossy(row.address.identity).into_owned();
                [row.address.is_usable().then(identity), None]
            }
            Part::Names(sources) => {
                let names = sources.iter().map(|source| row.value(source, &keys.blank_words));
                let whole = names.filter(|name| !name.is_empty()).collect::<Vec<_>>().join(" ");
                self.of_name(&FullName::of(&whole), keys)
            }
            Part::GivenAndFamily(sources) => {
                let names = sources.iter().map(|source| row.value(source, &keys.blank_words));
                let names: Vec<String> = names.collect();
                let name = FullName::of(&names.join(" "));
                // Of two columns both must be filled, as in any key of several.
                let is_whole = names.iter().all(|name| !name.is_empty());
                [filled(name.core.join(" ")).filter(|_| is_whole), None]
            }
            Part::Value { source, form } => {
                let value = row.value(source, &keys.blank_words);
                match form {
                    Form::Phone if is_of_list && row.is_doubtful(source) => [digits_of_phone(&value), None],
                    _ if row.is_doubtful(source) => [None, None],
                    Form::FullName => self.of_name(&FullName::of(&value), keys),
                    form => [filled(form.of_value(&value).into_owned()), None],
                }
            }
        }
    }

    /// What a whole name is compared by: all of it among the rows of people; with its middle name only where both sides have
    /// one, in lists.
    fn of_name(&self, name: &FullName, keys: &RowKeys) -> Alternatives {
        if name.is_blank() {
            return [None, None];
        }
        if !matches!(self.of, KeyOf::List(_)) {
            return [Some(name.as_it_stands()), None];
        }
        let mut texts = if keys.are_entries { name.found_by() } else { name.asked_for().into() }.into_iter();
        [texts.next(), texts.next()]
    }
}

/// What a job requires that a row may lack beside a usable address. With `fill` other rows may give it.
fn required_beside_address(job: &Job) -> Requirement {
    let mut fields = if job.person.fill || job.compares() { Vec::new() } else { job.require.fields.clone() };
    fields.retain(|field| *field != Field::Email);
    Requirement { fields, any: Vec::new(), opted_in: false }
}
