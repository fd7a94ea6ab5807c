//! The parts of a list: of which part a contact is, and which file each part becomes.

use super::part_name::PartNames;
use super::wishes::{Every, SplitBy, SplitFile, SplitWishes};
use crate::clean::plan::{CleaningPlan, CleaningWishes, Wanted};
use crate::columns::headers::named_in_error;
use crate::columns::value::ValueSource;
use crate::run::contact::Contact;
use crate::run::open::files::OpenFile;
use pebblebank_table::error::closest;
use pebblebank_table::units::SourceId;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::blank::BlankWords;
use pebblebank_values::date::Date;
use pebblebank_values::text::comparable;
use pebblebank_values::{ColumnRef, Field};
use std::collections::HashMap;
use std::sync::Arc;

/// More files than these are hardly meant.
pub const MOST_FILES: usize = 400;

/// A column with more different values tells contacts apart rather than parts.
const MOST_VALUES: usize = 100_000;

/// What the value is of which the part of a contact is made.
pub(super) struct PartValue<'a> {
    by: &'a SplitBy,
    /// How the values of the column are cleaned; none where the list is not split by a column.
    pub cleaning: Option<CleaningPlan>,
    source: ValueSource,
    blank_words: Arc<BlankWords>,
}

impl<'a> PartValue<'a> {
    /// Fits what is asked to the columns of a list.
    pub fn new(file: &OpenFile<SourceId>, wishes: &'a SplitWishes) -> Result<PartValue<'a>> {
        let blank_words: Arc<BlankWords> = Arc::default();
        let mut part = PartValue { by: &wishes.by, cleaning: None, source: ValueSource::Nothing, blank_words };
        match &wishes.by {
            SplitBy::Domain if file.map().column(Field::Email).is_none() => {
                return Err(no_such_column(&ColumnRef::Field(Field::Email), file));
            }
            SplitBy::Domain | SplitBy::Rows(_) | SplitBy::Parts { .. } => return Ok(part),
            SplitBy::Column(column, _) => {
                let mut wanted = Wanted::default();
                wanted.add(column, file.map());
                let words = Arc::clone(&part.blank_words);
                let (country, today) = (wishes.country, wishes.today);
                let asked = CleaningWishes {
                    country,
                    today,
                    date_system: wishes.read.columns.date_system,
                    blank_words: words,
                    tags_roles: false,
                    gives_tags: false,
                };
                let separators = &file.glimpse.separators;
                let mut cleaning = CleaningPlan::new(&asked, &wanted, file.map(), file.is_receipt, separators);
                for (column, seen) in &file.glimpse.dates {
                    if let Some(order) = wishes.read.columns.date_order.or(seen.shown()) {
                        cleaning.set_order(*column, order);
                    }
                }
                part.source = ValueSource::new(column, &cleaning.map, file.is_receipt);
                if part.source == ValueSource::Nothing {
                    return Err(no_such_column(column, file));
                }
                part.cleaning = Some(cleaning);
            }
        }
        Ok(part)
    }

    /// The value; empty where a contact has none, and where parts do not go by values.
    pub fn of(&self, contact: &Contact) -> String {
        match self.by {
            SplitBy::Domain if contact.address.is_usable() => {
                String::from_utf8_lossy(contact.address.domain()).into_owned()
            }
            SplitBy::Domain | SplitBy::Rows(_) | SplitBy::Parts { .. } => String::new(),
            SplitBy::Column(_, every) => {
                let value = self.source.filled(&contact.cleaned, contact.address.text, &self.blank_words);
                let value = String::from_utf8_lossy(&value).trim().to_owned();
                let length = match every {
                    Every::Value => return value,
                    Every::Year => 4,
                    Every::Month => 7,
                    Every::Day => 10,
                };
                // What is no date is gathered with the blanks.
                let is_date = value.get(..10).is_some_and(|day| Date::from_iso(day).is_some());
                if is_date { value[..length].to_owned() } else { String::new() }
            }
        }
    }
}

/// Which part each contact is in.
pub(super) struct Parts<'a> {
    by: &'a SplitBy,
    rows: u64,
    /// The parts by what is compared.
    places: HashMap<String, usize>,
    shuffled: Shuffled,
    /// The parts in the order of their first rows: the value and how many rows have it.
    pub sizes: Vec<(String, u64)>,
}

impl<'a> Parts<'a> {
    /// The parts of a list of this many contacts. Those that go by values are found by [`Self::count`].
    pub fn new(by: &'a SplitBy, rows: u64) -> Parts<'a> {
        let of_size = |sizes: &mut dyn Iterator<Item = u64>| sizes.map(|size| (String::new(), size)).collect();
        let sizes = match by {
            SplitBy::Rows(most) => of_size(&mut (0..rows.div_ceil(*most)).map(|k| (*most).min(rows - k * most))),
            SplitBy::Parts { count, .. } => {
                of_size(&mut (0..*count).map(|k| rows / count + u64::from(k < rows % count)))
            }
            SplitBy::Column(..) | SplitBy::Domain => Vec::new(),
        };
        Parts { by, rows, places: HashMap::new(), shuffled: Shuffled::default(), sizes }
    }

    /// Whether parts go by values.
    pub fn go_by_value(&self) -> bool {
        matches!(self.by, SplitBy::Column(..) | SplitBy::Domain)
    }

    /// Counts a contact with this value. Fails where there are too many different ones.
    pub fn count(&mut self, value: String, file: &OpenFile<SourceId>) -> Result<()> {
        let place = self.of(&value, 0);
        if place == MOST_VALUES {
            return Err(too_many_values(file));
        }
        if place == self.sizes.len() {
            self.sizes.push((value, 0));
        }
        self.sizes[place].1 += 1;
        Ok(())
    }

    /// The place of the part of the contact with this value that so many come before.
    pub fn of(&mut self, value: &str, before: u64) -> usize {
        match self.by {
            SplitBy::Rows(most) => (before / most) as usize,
            SplitBy::Parts { count, seed } => self.shuffled.part_of(before, self.rows, *count, *seed),
            SplitBy::Column(..) | SplitBy::Domain => {
                let next = self.places.len();
                *self.places.entry(comparable(value).into_owned()).or_insert(next)
            }
        }
    }
}

/// Which files there will be.
pub(super) struct FilePlan {
    pub files: Vec<SplitFile>,
    /// The file of each part.
    pub file_of_part: Vec<usize>,
    /// How many parts were gathered for being small.
    pub gathered: u64,
}

impl FilePlan {
    pub fn new(parts: &Parts, file: &OpenFile<SourceId>, wishes: &SplitWishes) -> Result<FilePlan> {
        let stem = file.input.path().file_stem().map(|stem| stem.to_string_lossy().into_owned());
        let mut names = PartNames::new(&stem.unwrap_or_else(|| "list".to_owned()), wishes.format);
        let by_value = parts.go_by_value();
        let mut order: Vec<usize> = (0..parts.sizes.len()).collect();
        match wishes.by {
            // Periods are in their order.
            SplitBy::Column(_, Every::Year | Every::Month | Every::Day) => {
                order.sort_by(|a, b| parts.sizes[*a].0.cmp(&parts.sizes[*b].0));
            }
            _ if by_value => order.sort_by_key(|part| std::cmp::Reverse(parts.sizes[*part].1)),
            _ => {}
        }
        let mut plan = FilePlan { files: Vec::new(), file_of_part: vec![0; parts.sizes.len()], gathered: 0 };
        let small: Vec<usize> =
            order.iter().copied().filter(|part| by_value && parts.sizes[*part].1 < wishes.at_least).collect();
        let gathers = small.len() > 1;
        let own = order.len() - if gathers { small.len() } else { 0 } + usize::from(gathers);
        if own > MOST_FILES {
            let what = format!("this would write {own} files, more than {MOST_FILES}");
            let advice = "gather the small ones: --at-least 100; or part by something with fewer values";
            return Err(Error::new(ErrorKind::Output, what, advice).in_file(file.input.path()));
        }
        for (number, part) in order.iter().enumerate() {
            if gathers && small.contains(part) {
                continue;
            }
            let (value, rows) = &parts.sizes[*part];
            let name = if by_value { names.of_value(value) } else { names.of_number(number + 1, order.len()) };
            plan.file_of_part[*part] = plan.files.len();
            let value = by_value.then(|| value.clone());
            plan.files.push(SplitFile { file: wishes.folder.join(name), value, rows: *rows });
        }
        if gathers {
            let rows = small.iter().map(|part| parts.sizes[*part].1).sum();
            for part in &small {
                plan.file_of_part[*part] = plan.files.len();
            }
            plan.gathered = small.len() as u64;
            plan.files.push(SplitFile { file: wishes.folder.join(names.of_value("others")), value: None, rows });
        }
        Ok(plan)
    }
}

/// Parts at random: of each run of as many contacts as there are parts, one goes to each, in an order of the seed, so
/// that sizes differ by one at most and the first parts have the larger ones.
#[derive(Default)]
struct Shuffled {
    /// The run whose order is known.
    run: Option<u64>,
    order: Vec<usize>,
}

impl Shuffled {
    /// The part of the contact that so many of all `rows` come before.
    fn part_of(&mut self, before: u64, rows: u64, count: u64, seed: u64) -> usize {
        let run = before / count;
        if self.run != Some(run) {
            self.run = Some(run);
            let in_run = count.min(rows.saturating_sub(run * count));
            self.order = (0..in_run as usize).collect();
            let mut state = seed ^ run.wrapping_mul(0x9E37_79B9_7F4A_7C15);
            for end in (1..self.order.len()).rev() {
                self.order.swap(end, (next_random(&mut state) % (end as u64 + 1)) as usize);
            }
        }
        self.order.get((before % count) as usize).copied().unwrap_or_default()
    }
}

/// `SplitMix64`.
fn next_random(state: &mut u64) -> u64 {
    *state = state.wrapping_add(0x9E37_79B9_7F4A_7C15);
    let mut mixed = *state;
    mixed = (mixed ^ (mixed >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
    mixed ^ (mixed >> 31)
}

fn no_such_column(column: &ColumnRef, file: &OpenFile<SourceId>) -> Error {
    let headers: Vec<&str> = file.map().headers.iter().map(String::as_str).collect();
    let advice = match closest(column.name(), headers.iter().copied().chain(Field::ALL.map(Field::name))) {
        Some(near) => format!("did you mean \"{near}\"?"),
        None => format!("say which column it is: --field \"{}=…\"", column.name()),
    };
    let expected = named_in_error(headers);
    Error::new(ErrorKind::Columns, format!("the list has no \"{}\"", column.name()), advice)
        .in_file(file.input.path())
        .expected(format!("a known field or one of {expected}"))
}

fn too_many_values(file: &OpenFile<SourceId>) -> Error {
    let what = format!("there are more than {MOST_VALUES} different values, each of which would be a part");
    Error::new(ErrorKind::Columns, what, "part by a column with fewer values, or by --rows-per-file or --parts")
        .in_file(file.input.path())
}
