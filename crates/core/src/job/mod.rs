//! What is wanted: the job, its parts and their defaults.
//!
//! A [`Job`] is complete and consistent in itself before any file is opened; [`file`] makes one from TOML.

mod date_parts;
pub mod file;
pub mod guard;
mod guard_parts;
mod known_names;
mod layout_parts;
pub mod lists;
pub mod memory;
pub mod named;
mod one_or_several;
mod parts;
pub mod pattern;
pub mod remembering;
pub mod row_range;
pub mod schema;
pub mod sources;
pub mod verdict_rules;

use crate::job::lists::{Allowance, BankEntries, EntriesToCompare, Hold, JobList, ListKey, NearMisses};
use crate::job::remembering::{BankNamed, Limits, Remember, Remembering};
use crate::job::sources::{CleanWishes, Source};
use crate::job::verdict_rules::VerdictRules;
pub use crate::layout::{Content, Layout, LayoutColumn, OnViolation, SortColumn, Template};
use crate::require::Requirement;

pub use guard::{Accepted, AtMost, Guard};
pub use pattern::FilePattern;
use pebblebank_formats::writing::{FileForm, FileFormat, file_writer::first_name, form::format_of};
use pebblebank_values::ColumnRef;

use crate::clean::replace::Replacement;
use crate::columns::map::ColumnMap;
use crate::columns::value::ValueSource;
use crate::columns::wishes::ConsentQuestions;
use crate::person::same::PersonWishes;
use crate::select::condition::Selection;
use crate::select::plan::JobFacts;
use crate::suppress::marks::{Mark, NamedMarks};
use crate::suppress::reason::Reason;
use crate::suppress::remembered::HeldBy;
use pebblebank_table::error::closest;
use pebblebank_table::units::{ColumnIndex, ListId, SourceId};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::Date;
use pebblebank_values::place::Country;
use pebblebank_values::{Field, NamedHeaders};
use std::path::{Path, PathBuf};

/// A repeatable piece of work.
#[derive(Debug, Clone)]
pub struct Job {
    /// What it is called.
    pub name: String,
    /// The day of the run.
    pub today: Date,
    /// The country of contacts that name none.
    pub country: Option<Country>,
    /// Where contacts come from, in order of trust.
    pub sources: Vec<Source>,
    /// What is replaced in the values of sources, before anything else.
    pub replace_values: Vec<Replacement>,
    /// How values are cleaned, and which contacts are left out for their address.
    pub clean: CleanWishes,
    /// Who is the same person, and which row of a person survives.
    pub person: PersonWishes,
    /// Lists to ask about, and lists of those who must not be contacted.
    pub lists: Vec<JobList>,
    /// Whom the job writes to although a list holds them for a lesser reason.
    pub allow: Vec<Allowance>,
    /// Which client or brand it is for; none for one that has no entries of its own in the bank.
    pub scope: Option<String>,
    /// The mailing that it prepares, by the name under which it is remembered as sent.
    pub campaign: Option<String>,
    /// Where the bank is, as far as the job says it.
    pub bank: BankNamed,
    /// How often a person may be written to; none for any number.
    pub limits: Option<Limits>,
    /// What the bank learns from the run.
    pub remember: Remember,
    /// Who is remembered from earlier work.
    pub remembered: Remembering,
    /// What happens to contacts by the verdicts on their addresses; none where these do not count.
    pub check: Option<VerdictRules>,
    /// What a usable contact must have.
    pub require: Requirement,
    /// Who is picked of those; none for all.
    pub select: Option<Selection>,
    /// How many of those; none for all.
    pub pick: Option<Pick>,
    /// Tags that people are given for the files that are written.
    pub tags: Vec<TagRule>,
    /// What is written.
    pub writes: Vec<Write>,
    /// Limits that stop the run.
    pub guards: Guards,
    /// The folder that the run leaves; none for none.
    pub receipt: Option<PathBuf>,
    /// What is sorted by where a file has no layout.
    pub sort: Vec<SortColumn>,
    /// What kind of work it is.
    pub mode: Mode,
    /// What happens where a column of a source may be about consent and leaves several readings.
    pub consent_questions: ConsentQuestions,
    /// A file for the rows set aside, outside any receipt.
    pub set_aside: Option<PathBuf>,
    /// Whether existing outputs are replaced.
    pub replace: bool,
    /// Whether CSV files have semicolons and a byte order mark, as spreadsheet programs want them where the comma is the
    /// decimal sign: the receipt, rows set aside, and import files whose layout says no delimiter.
    pub for_spreadsheet: bool,
    /// Whether it comes from a job file; what to say about it then names keys instead of options.
    pub is_from_file: bool,
    /// The text of its file; none for a command.
    pub text: Option<String>,
    /// The files that the job itself was read from, which no output may be.
    pub read_from: Vec<PathBuf>,
}

/// What kind of work a job is.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Mode {
    /// It prepares a mailing, or cleans a list.
    #[default]
    Prepares,
    /// Its sources are lists that are compared: nobody is held back, values stay as they are read.
    Compares,
    /// Its first source is a master, whose rows survive before all others and are written whatever they are.
    TopsUp,
}

/// A file to write and its shape.
#[derive(Debug, Clone)]
pub struct Write {
    /// Where to; where a file may hold only so much, what the numbered files are named after.
    pub file: PathBuf,
    /// As receipts name it.
    pub shown: String,
    /// The shape; none for the known fields that any source has, then the extra columns.
    pub layout: Option<Layout>,
    /// The form of the file.
    pub form: FileForm,
    /// The first of the files that are written; the only one unless a file may hold only so much.
    pub first_file: PathBuf,
    /// Who of those that are written is in this file; none for all.
    pub condition: Option<Selection>,
}

impl Write {
    /// A file in the form that `said`, its name and its layout ask for.
    ///
    /// # Errors
    ///
    /// Where they contradict each other, or the layout asks for what the format does not have.
    pub fn new(
        file: PathBuf,
        shown: impl Into<String>,
        layout: Option<Layout>,
        said: Option<FileFormat>,
    ) -> Result<Write> {
        let wishes = layout.as_ref().map(|layout| layout.form.clone()).unwrap_or_default();
        if let (Some(said), Some(of_layout)) = (said, wishes.format.filter(|format| Some(*format) != said)) {
            let what = format!("the format is said to be {}, and the layout says {}", said.name(), of_layout.name());
            return Err(Error::new(ErrorKind::Job, what, "take one of them out"));
        }
        let form = wishes.form(format_of(&file, said.or(wishes.format))?)?;
        if let Some(layout) = &layout {
            layout.fits(&form)?;
        }
        let first_file = first_name(&file, &form);
        Ok(Write { file, shown: shown.into(), layout, form, first_file, condition: None })
    }

    fn for_spreadsheet(&mut self) {
        let says_delimiter = self.layout.as_ref().is_some_and(|layout| layout.form.delimiter.is_some());
        if self.form.format == FileFormat::Csv && !says_delimiter {
            self.form.delimiter = b';';
            self.form.has_byte_order_mark = self.form.encoding == encoding_rs::UTF_8 || self.form.has_byte_order_mark;
        }
    }

    /// A file that holds rows as the command writes them itself: delimited text, whatever its name.
    pub fn as_copied(file: PathBuf, shown: impl Into<String>) -> Write {
        let first_file = file.clone();
        Write { file, shown: shown.into(), layout: None, form: FileForm::default(), first_file, condition: None }
    }
}

/// A tag that some people are given.
#[derive(Debug, Clone)]
pub struct TagRule {
    /// The tag.
    pub name: String,
    /// Who gets it.
    pub condition: Selection,
}

/// How many of those who could be written are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Pick {
    /// This many contacts, the first in reading order.
    First(u64),
    /// A number of people at random; a seed gives the same people again, as far as they are there.
    Sample {
        /// How many.
        count: u64,
        /// What decides who.
        seed: u64,
    },
}

/// Limits that stop a run before anything is put in place.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Guards {
    /// How many of the contacts read may be set aside: in all, or for one reason.
    pub set_aside_at_most: Vec<(Option<Reason>, AtMost)>,
    /// The fewest contacts that must be written.
    pub write_at_least: u64,
    /// The most contacts that may be written.
    pub write_at_most: Option<u64>,
    /// How many contacts must be written.
    pub write_exactly: Option<u64>,
    /// By how much the number of contacts may differ from that of the run before, from 0 to 1.
    pub change_at_most: Option<f64>,
    /// Whether no source may hold the same as in the run before.
    pub not_same_as_last_time: bool,
    /// Whether no source may have fewer rows than in the run before.
    pub not_fewer_than_last_time: bool,
    /// Whether every source must have rows.
    pub no_empty_source: bool,
    /// The numbers of contacts at which the sending service costs more.
    pub steps: Vec<u64>,
    /// The guards that do not stop the run.
    pub accept: Accepted,
}

impl Job {
    /// A job that does nothing yet, on this day.
    pub fn new(name: impl Into<String>, today: Date) -> Job {
        Job {
            name: name.into(),
            today,
            country: None,
            sources: Vec::new(),
            replace_values: Vec::new(),
            clean: CleanWishes::default(),
            person: PersonWishes::default(),
            lists: Vec::new(),
            allow: Vec::new(),
            scope: None,
            campaign: None,
            bank: BankNamed::default(),
            limits: None,
            remember: Remember::default(),
            remembered: Remembering::default(),
            check: None,
            require: Requirement::default(),
            select: None,
            pick: None,
            tags: Vec::new(),
            writes: Vec::new(),
            guards: Guards::default(),
            receipt: None,
            sort: Vec::new(),
            mode: Mode::default(),
            consent_questions: ConsentQuestions::Stop,
            set_aside: None,
            replace: false,
            for_spreadsheet: false,
            is_from_file: false,
            text: None,
            read_from: Vec::new(),
        }
    }

    /// Whether some import file has the family name, and no column for middle names.
    pub fn leaves_out_middle_names(&self) -> bool {
        let mut layouts = self.writes.iter().filter_map(|write| write.layout.as_ref());
        !self.compares() && layouts.any(Layout::leaves_out_middle_names)
    }

    /// The job with its CSV files written for spreadsheet programs where `is_wanted`.
    #[must_use]
    pub fn written_for_spreadsheet(mut self, is_wanted: bool) -> Job {
        if is_wanted {
            self.for_spreadsheet = true;
            self.writes.iter_mut().for_each(Write::for_spreadsheet);
        }
        self
    }

    /// Whether people are given tags by it.
    pub(crate) fn gives_tags(&self) -> bool {
        !self.tags.is_empty() || self.check.as_ref().is_some_and(|rules| rules.tag.is_some())
    }

    /// Whether its sources are lists that are compared.
    pub fn compares(&self) -> bool {
        self.mode == Mode::Compares
    }

    /// Whether its first source is a master.
    pub fn has_master(&self) -> bool {
        self.mode == Mode::TopsUp
    }

    /// This job with a list for each hold of the bank, so that from here on it is like any other list.
    #[must_use]
    pub fn with_remembered_lists(&self) -> Job {
        let mut job = self.clone();
        let Remembering::From(memory) = &self.remembered else { return job };
        for (place, hold) in memory.holds().iter().enumerate() {
            let by = (hold.by == HeldBy::Phone).then(|| ListKey::of(ColumnRef::Field(Field::Phone)));
            let mut hold = Hold::new(&hold.name, hold.reason);
            if self.compares() {
                hold.near_miss = NearMisses::Ignored;
            }
            job.lists.push(JobList::Bank(BankEntries { place, hold, by }));
        }
        job
    }

    /// This job with a list for what is not read of each suppression list that has files.
    #[must_use]
    pub fn with_unread_lists(mut self) -> Job {
        let unread = |(place, list): (usize, &JobList)| list.unread_part(place).map(JobList::from);
        let unread: Vec<JobList> = self.lists.iter().enumerate().filter_map(unread).collect();
        self.lists.extend(unread);
        self
    }

    /// Checks what no single part can: names used twice, outputs that are one file.
    pub fn check(&self) -> Result<()> {
        let no = |what: &str, advice: &str| Err(Error::new(ErrorKind::Job, what.to_owned(), advice));
        if self.sources.is_empty() {
            return no("the job has no source", "add a [[source]] with a name and files");
        }
        if self.writes.is_empty() && !self.compares() {
            return no("the job writes nothing", "add a [[write]] with a file");
        }
        let mut seen = std::collections::HashSet::new();
        for name in self.names() {
            if !seen.insert(name.to_lowercase()) {
                let what = format!("the name \"{name}\" is used twice among sources, lists and suppression lists");
                return no(&what, "give each its own name, since tables and receipts go by it");
            }
        }
        self.check_lists()?;
        let mut seen = std::collections::HashSet::new();
        for output in self.outputs() {
            let place = place_of(output);
            if self.receipt.as_ref().is_some_and(|receipt| receipt != output && place.starts_with(place_of(receipt))) {
                let what = format!("{} would lie in the receipt, which is replaced as a whole", output.display());
                return no(&what, "write it beside the receipt, not into it");
            }
            if !seen.insert(place) {
                let what = format!("{} would be written twice", output.display());
                return no(&what, "give each output its own name");
            }
        }
        Ok(())
    }

    /// What sources, lists and suppression lists are called.
    fn names(&self) -> impl Iterator<Item = &str> {
        let holds = self.lists.iter().filter(|list| list.is_asked()).filter_map(JobList::hold);
        let lists = self.lists.iter().map(JobList::name);
        self.sources.iter().map(|source| source.name.as_str()).chain(lists).chain(holds.map(|hold| hold.name.as_str()))
    }

    /// What conditions and layouts need to know of the job.
    pub fn facts(&self) -> JobFacts<'_> {
        let (blank_words, gives_tags) = (&self.clean.blank_words, self.gives_tags());
        JobFacts { today: self.today, country: self.country, blank_words, lists: self, gives_tags }
    }

    /// The names of lists and sources that conditions and layouts ask about.
    fn asked_names(&self) -> impl Iterator<Item = &str> {
        let layouts = self.writes.iter().filter_map(|write| write.layout.as_ref());
        let of_layouts = layouts.flat_map(|layout| &layout.columns).filter_map(|column| match &column.content {
            Content::Membership(membership) => Some(membership.list.as_str()),
            _ => None,
        });
        self.conditions_of_people().flat_map(Selection::lists).chain(of_layouts)
    }

    /// The conditions on people: whom the job picks, who stands in which file, and who gets which tag.
    pub fn conditions_of_people(&self) -> impl Iterator<Item = &Selection> {
        let of_files = self.writes.iter().filter_map(|write| write.condition.as_ref());
        self.select.iter().chain(of_files).chain(self.tags.iter().map(|tag| &tag.condition))
    }

    /// Whether it matters which sources a person is in.
    pub fn marks_sources(&self) -> bool {
        self.compares() || self.asked_names().any(|name| matches!(self.mark_named(name), Some(Mark::From(_))))
    }

    /// The headers that it names anywhere, so that they count as words of headers.
    pub fn named_headers(&self) -> NamedHeaders {
        let reads = self
            .sources
            .iter()
            .map(|source| &source.read)
            .chain(self.lists.iter().filter_map(|list| Some(&list.files()?.read)));
        let columns = reads.flat_map(|read| read.columns.named_headers()).map(str::to_owned);
        let layouts = self.writes.iter().filter_map(|write| write.layout.as_ref());
        let written = layouts.flat_map(|layout| &layout.columns).flat_map(|column| column.content.columns());
        let conditions = self.sources.iter().filter_map(|source| source.condition.as_ref());
        let conditions = conditions.chain(self.lists.iter().filter_map(|list| list.files()?.condition.as_ref()));
        let conditions = conditions.chain(self.conditions_of_people());
        let asked = conditions.flat_map(Selection::columns).map(|column| column.name().to_owned());
        let keys = self.sources.iter().filter_map(|source| source.same.as_ref()).flatten();
        let keys = keys.flat_map(|key| &key.columns).chain(self.person.columns());
        let by = self.lists.iter().filter_map(JobList::by).flat_map(|key| key.ours.iter().chain(&key.theirs));
        let taken = self.lists.iter().flat_map(JobList::take).flat_map(|taken| [&taken.ours, &taken.theirs]);
        let reasons = self.lists.iter().filter_map(JobList::reason_from);
        let replaced = self.replace_values.iter().map(|replacement| &replacement.column);
        let sorted = self.sort.iter().map(|sorted| &sorted.column);
        let named = written.into_iter().chain(keys).chain(by).chain(taken).chain(reasons).chain(replaced).chain(sorted);
        columns.chain(asked).chain(named.map(|column| column.name().to_owned())).collect()
    }

    /// Whether it needs a column for more than writing it: as a key, a requirement, or a condition of the source.
    pub fn needs_column(&self, column: ColumnIndex, map: &ColumnMap, source: &Source) -> bool {
        let required = self.require.fields.iter().chain(self.require.any.iter().flatten());
        let required = required.filter(|field| **field != Field::Email).map(|field| ColumnRef::Field(*field));
        let own = source.same.iter().flatten().flat_map(|key| &key.columns);
        let by = self.lists.iter().filter_map(JobList::by).flat_map(|key| &key.ours);
        let keys = self.person.columns().chain(own).chain(by).filter(|key| **key != ColumnRef::Field(Field::Email));
        let asked = source.condition.iter().flat_map(Selection::columns);
        let mut needed = required.chain(keys.cloned()).chain(asked);
        let is_name = |field: &Field| matches!(field, Field::FirstName | Field::LastName | Field::FullName);
        let is_this = |wanted: &ColumnRef| {
            ValueSource::new(wanted, map, false).columns().any(|own| own == column)
                // A whole name may be made of its parts.
                || (*wanted == ColumnRef::Field(Field::FullName) && map.field_of(column).as_ref().is_some_and(is_name))
        };
        map.consents.iter().any(|consent| consent.column == column) || needed.any(|wanted| is_this(&wanted))
    }

    /// Advice to write `near` in place of the list `name`, with the condition where one asks for it.
    fn with_list(&self, name: &str, near: &str) -> String {
        let condition = self.conditions_of_people().find(|condition| condition.lists().any(|list| list == name));
        let option = if self.is_from_file { "where =" } else { "--where" };
        match condition.and_then(|condition| condition.with_name(name, near)) {
            Some(meant) => format!("did you mean \"{near}\"? {option} '{meant}'"),
            None => format!("did you mean \"{near}\"?"),
        }
    }

    /// Every list that is asked about must be there, and no row can be judged by lists before all are read.
    fn check_lists(&self) -> Result<()> {
        let wrong = |what: String, advice: String| Err(Error::new(ErrorKind::Job, what, advice));
        for name in self.asked_names() {
            if self.mark_named(name).is_none() {
                let sources = self.sources.iter().map(|source| source.name.as_str());
                let known: Vec<&str> = self.lists.iter().map(JobList::name).chain(sources).collect();
                let advice = match closest(name, known.iter().copied()) {
                    Some(near) => self.with_list(name, near),
                    None => {
                        format!("add a [[list]] with name = \"{name}\" and files, or name one of those that are there")
                    }
                };
                let error = Error::new(ErrorKind::Job, format!("there is no list \"{name}\""), advice);
                return Err(error.expected(format!("one of {}", known.join(", "))));
            }
        }
        let of_sources = self.sources.iter().map(|source| (source.name.as_str(), source.condition.as_ref()));
        let of_list = |list| (JobList::name(list), list.files().and_then(|files| files.condition.as_ref()));
        let of_lists = self.lists.iter().map(of_list);
        for (name, condition) in of_sources.chain(of_lists) {
            if let Some(list) = condition.into_iter().flat_map(Selection::lists).next() {
                let what = format!("where = of {name} asks whether somebody is in \"{list}\"");
                return wrong(what, "ask that in [select], once all files are read".to_owned());
            }
        }
        Ok(())
    }

    /// All that the job writes, the receipt last.
    pub fn outputs(&self) -> impl Iterator<Item = &PathBuf> {
        self.writes.iter().map(|write| &write.first_file).chain(&self.set_aside).chain(&self.receipt)
    }
}

/// A path in one spelling, whether or not there is something at it yet.
fn place_of(path: &Path) -> PathBuf {
    let folder = match path.parent() {
        Some(folder) if folder != Path::new("") => folder,
        Some(_) => Path::new("."),
        None => return path.to_path_buf(),
    };
    let folder = std::fs::canonicalize(folder).unwrap_or_else(|_| place_of(folder));
    path.file_name().map_or(folder.clone(), |name| folder.join(name))
}

impl NamedMarks for Job {
    fn mark_named(&self, name: &str) -> Option<Mark> {
        let is_it = |other: &str| other.to_lowercase() == name.trim().to_lowercase();
        let list = self.lists.iter().position(|list| is_it(list.name()));
        let source = || self.sources.iter().position(|source| is_it(&source.name));
        let list = list.map(|place| Mark::On(ListId(place as u16)));
        list.or_else(|| source().map(|place| Mark::From(SourceId(place as u16))))
    }
}
