//! What a job says about values, keys and columns, fitted to its files once their columns are known.

use super::files::{EntryStatus, OpenFile, OpenFiles};
use super::first_values::Glimpse;
use crate::clean::plan::{CleaningPlan, CleaningWishes, Wanted};
use crate::clean::replace::ReplacementPlan;
use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use crate::columns::wishes::ConsentQuestions;
use crate::job::Job;
use crate::job::lists::{EntriesToCompare, JobList};
use crate::job::sources::{Passing, ReadFiles};
use crate::layout::receipt::AllColumns;
use crate::person::decisions::{Decision, Decisions, Named};
use crate::person::same::Survivor;
use crate::run::contact::keys::{KeyedFile, RowKeys};
use crate::select::condition::Selection;
use pebblebank_formats::Format;
use pebblebank_table::units::{ColumnIndex, ListId, SourceId};
use pebblebank_values::address::AddressWishes;
use pebblebank_values::date::{DateOrder, DateSystem};
use pebblebank_values::suggest::DomainTypos;
use pebblebank_values::{ColumnRef, Field};
use std::sync::Arc;

impl OpenFiles {
    /// Fits what the job says about values to the files, once their columns are known.
    pub fn plan(&mut self, job: &Job) {
        let wishes = cleaning_wishes(job);
        let all = AllColumns::of(self.sources.iter().map(OpenFile::map));
        let newest_by = newest_by(job, self);
        self.supplied = supplied_columns(job, &all);
        let cleaning = |file| self.cleaning_of(file, job, &wishes, newest_by.as_ref(), &all);
        self.cleaning = self.sources.iter().map(cleaning).collect();
        let by = self.decisions.as_ref().map(fields_of).unwrap_or_default();
        let keys = |file| keys_of_source(file, job, &wishes, newest_by.as_ref(), &by);
        self.row_keys = self.sources.iter().map(keys).collect();
        self.list_keys = self.lists.iter().map(|file| keys_of_list(file, job, &wishes)).collect();
        self.list_status = self.lists.iter().map(|file| status_of(file, job)).collect();
        self.marks_sources = job.marks_sources();
        self.consent_stops = job.consent_questions == ConsentQuestions::Stop;
        for file in &mut self.sources {
            let source = &job.sources[file.owner.0 as usize];
            file.needs_first_column = job.needs_column(ColumnIndex(0), file.map(), source);
            file.replacements = ReplacementPlan::new(&job.replace_values, file.map());
        }
        let domains = self.sources.iter().flat_map(|file| file.glimpse.domains.iter().cloned());
        self.addresses = Arc::new(AddressWishes {
            blank_words: Arc::clone(&job.clean.blank_words),
            apply: job.clean.apply,
            typos: DomainTypos::new(domains),
        });
    }

    /// Which columns of a source are cleaned, and how.
    fn cleaning_of(
        &self,
        file: &OpenFile<SourceId>,
        job: &Job,
        wishes: &CleaningWishes,
        newest_by: Option<&ColumnRef>,
        all: &AllColumns,
    ) -> CleaningPlan {
        // A master's rows are written as they are, unless its blanks are filled.
        let is_kept = job.has_master() && file.owner == SourceId(0) && !job.person.fill;
        let mut wanted = if is_kept { Wanted::default() } else { wanted(job, newest_by, all, file.map()) };
        let condition = job.sources[file.owner.0 as usize].condition.as_ref();
        let of_keys = job.person.columns().cloned().chain(condition.iter().flat_map(|asked| asked.columns()));
        // The order of day and month is found out for columns that are cleaned.
        for column in of_keys.filter(ColumnRef::is_date) {
            wanted.add(&column, file.map());
        }
        let wishes = &of_read(wishes, &job.sources[file.owner.0 as usize].read);
        let mut plan = CleaningPlan::new(wishes, &wanted, file.map(), file.is_receipt, &file.glimpse.separators);
        self.supplied.iter().flat_map(|all| &all.columns).for_each(|column| plan.supply(column));
        plan
    }
}

/// By what the rows of a source are joined and ranked beside the address.
fn keys_of_source(
    file: &OpenFile<SourceId>,
    job: &Job,
    wishes: &CleaningWishes,
    newest_by: Option<&ColumnRef>,
    by: &[Field],
) -> Option<RowKeys> {
    let source = &job.sources[file.owner.0 as usize];
    let wishes = &of_read(wishes, &source.read);
    let mut keys = RowKeys::of_source(&keyed(file, job, wishes), source, newest_by, by)?;
    set_orders(&mut keys, &file.glimpse, source.read.columns.date_order, job);
    Some(keys)
}

/// By what a list is compared, where that is not the address.
fn keys_of_list(file: &OpenFile<ListId>, job: &Job, wishes: &CleaningWishes) -> Option<RowKeys> {
    let list = &job.lists[file.owner.0 as usize];
    let read = list.files().map(|files| &files.read);
    let wishes = &read.map_or_else(|| wishes.clone(), |read| of_read(wishes, read));
    let mut keys = RowKeys::of_list(&keyed(file, job, wishes), file.owner, list)?;
    set_orders(&mut keys, &file.glimpse, read.and_then(|read| read.columns.date_order), job);
    Some(keys)
}

/// The column that says of each entry of a list what happened.
fn status_of(file: &OpenFile<ListId>, job: &Job) -> Option<EntryStatus> {
    let list = &job.lists[file.owner.0 as usize];
    let source = |column: &ColumnRef| ValueSource::new(column, file.map(), file.is_receipt);
    match list.reason_from() {
        Some(column) => Some(EntryStatus { source: source(column), gives_reasons: true }),
        // Of mail that came back only what came back for good holds.
        None if file.format == Format::Mail && list.hold().is_some() => {
            Some(EntryStatus { source: source(&ColumnRef::extra("status")), gives_reasons: false })
        }
        None => None,
    }
}

/// The fields by which decisions name people.
fn fields_of(decisions: &Decisions) -> Vec<Field> {
    let field = |named: &Named| match named {
        Named::By(field, _) => Some(*field),
        Named::Address(_) => None,
    };
    let mut fields: Vec<Field> = decisions.all.iter().flat_map(Decision::people).filter_map(field).collect();
    fields.sort_unstable();
    fields.dedup();
    fields
}

/// The same for files that are read so.
fn of_read(wishes: &CleaningWishes, read: &ReadFiles) -> CleaningWishes {
    CleaningWishes { date_system: read.columns.date_system, ..wishes.clone() }
}

/// What cleaning needs to know of a job beside the columns.
pub(crate) fn cleaning_wishes(job: &Job) -> CleaningWishes {
    CleaningWishes {
        country: job.country,
        today: job.today,
        date_system: DateSystem::default(),
        blank_words: Arc::clone(&job.clean.blank_words),
        tags_roles: job.clean.role == Passing::Tag,
        gives_tags: job.gives_tags(),
    }
}

/// The columns that people may be given values in.
fn supplied_columns(job: &Job, all: &AllColumns) -> Option<AllColumns> {
    let taken = job.lists.iter().flat_map(JobList::take).map(|taken| &taken.ours);
    let mut supplied = AllColumns::default();
    let needed = if job.person.fill { needed_columns(job, all) } else { Vec::new() };
    let needed = needed.iter().filter(|column| **column != ColumnRef::Field(Field::Email));
    for column in needed.chain(taken) {
        if !supplied.columns.contains(column) {
            supplied.columns.push(column.clone());
        }
    }
    (!supplied.columns.is_empty()).then_some(supplied)
}

fn keyed<'a, Owner>(file: &'a OpenFile<Owner>, job: &'a Job, wishes: &'a CleaningWishes) -> KeyedFile<'a> {
    let separators = &file.glimpse.separators;
    KeyedFile { job, wishes, map: file.map(), is_receipt: file.is_receipt, separators }
}

/// Sets the order of day and month in keys by what the beginning of the file shows; the first pass starts over where the
/// rest shows otherwise.
fn set_orders(keys: &mut RowKeys, glimpse: &Glimpse, said: Option<DateOrder>, job: &Job) {
    let usual = job.country.map(|country| DateOrder::of_country(country.code()));
    for (column, seen) in &glimpse.dates {
        if let Some(order) = said.or(job.clean.date_order).or(seen.shown()).or(usual) {
            keys.cleaning_mut().set_order(*column, order);
        }
    }
}

/// What a job writes, requires, or has conditions on, of a file with these columns.
fn wanted(job: &Job, newest_by: Option<&ColumnRef>, all: &AllColumns, map: &ColumnMap) -> Wanted {
    let mut wanted = Wanted::default();
    let newest_by = newest_by.filter(|_| job.person.survivor == Survivor::Newest);
    let needed = needed_columns(job, all);
    let followed = if job.person.fill { fields_that_others_follow(&needed) } else { Vec::new() };
    for column in needed.iter().chain(newest_by).chain(&followed) {
        wanted.add(column, map);
    }
    wanted
}

/// The fields that some of these follow from where a file has no column for them, and that are not among these: the parts of
/// a whole name, the whole of parts, the city of a region.
pub(crate) fn fields_that_others_follow(columns: &[ColumnRef]) -> Vec<ColumnRef> {
    const PARTS: [Field; 3] = [Field::FirstName, Field::MiddleName, Field::LastName];
    let has = |field: Field| columns.contains(&ColumnRef::Field(field));
    let mut fields = Vec::new();
    if has(Field::FullName) || PARTS.into_iter().any(has) || has(Field::Title) || has(Field::NameSuffix) {
        fields.extend(PARTS);
        fields.push(Field::FullName);
    }
    if has(Field::Region) || has(Field::PostalCode) {
        fields.push(Field::City);
    }
    fields.into_iter().filter(|field| !has(*field)).map(ColumnRef::Field).collect()
}

/// What a job writes, requires, or has conditions on.
fn needed_columns(job: &Job, all: &AllColumns) -> Vec<ColumnRef> {
    let mut columns: Vec<ColumnRef> = Vec::new();
    // What is compared is written as it was read.
    for write in job.writes.iter().filter(|_| !job.compares()) {
        match &write.layout {
            Some(layout) => {
                columns.extend(layout.columns.iter().flat_map(|column| column.content.columns()).cloned());
                columns.extend(layout.sort.iter().map(|sorted| sorted.column.clone()));
            }
            None => columns.extend(all.columns.iter().cloned()),
        }
    }
    columns.extend(job.sort.iter().map(|sorted| sorted.column.clone()));
    let required = job.require.fields.iter().chain(job.require.any.iter().flatten());
    columns.extend(required.map(|field| ColumnRef::Field(*field)));
    columns.extend(job.conditions_of_people().flat_map(Selection::columns));
    if job.clean.role == Passing::Tag || job.gives_tags() {
        columns.push(ColumnRef::Field(Field::Tags));
    }
    // Who has a middle name that is not written is said.
    if job.leaves_out_middle_names() {
        columns.push(ColumnRef::Field(Field::MiddleName));
    }
    // The form of a region depends on the country.
    if columns.contains(&ColumnRef::Field(Field::Region)) {
        columns.push(ColumnRef::Field(Field::Country));
    }
    columns
}

/// The date that `newest` goes by: as said, else the last time seen if any source has it, else the sign-up.
pub fn newest_by(job: &Job, files: &OpenFiles) -> Option<ColumnRef> {
    let has = |field: Field| files.sources.iter().any(|file| file.map().column(field).is_some());
    let known = [Field::LastSeen, Field::SignedUp].into_iter().find(|field| has(*field)).map(ColumnRef::Field);
    job.person.newest_by.clone().or(known)
}
