//! The columns of one file → fields, consent columns, further addresses, extra columns.

use super::field::Field;
use super::fold::fold;
use super::headers::{self, Meaning};
use super::locate::{SampleRecords, Table};
use crate::clean::consent::{self, YesMeans};
use crate::clean::date::DateOrder;
use crate::clean::{Kind, address};
use crate::error::{Error, ErrorKind, Result, closest};
use crate::observe::{Finding, Weight};
use crate::units::ColumnIndex;
use crate::write::receipt::RESERVED_PREFIX;
use std::collections::BTreeMap;
use std::path::Path;

/// What the job says about the columns of a source or list.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ColumnWishes {
    /// Which header feeds which field; wins over what is recognised.
    pub headers: BTreeMap<Field, String>,
    /// What yes means in its consent columns.
    pub yes_means: Option<YesMeans>,
    /// Whether the day or the month comes first in its dates.
    pub date_order: Option<DateOrder>,
    /// The fields of the job's own.
    pub own: Vec<OwnField>,
}

/// A field that a job declares for itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OwnField {
    /// Its name; a header that reads the same is recognised.
    pub name: String,
    /// What its values are.
    pub kind: Kind,
    /// The header that feeds it, where the job says one.
    pub header: Option<String>,
}

/// A column that says who may be written to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ConsentColumn {
    /// Where it is.
    pub column: ColumnIndex,
    /// What yes means in it, where that is clear.
    pub yes_means: Option<YesMeans>,
}

/// What the columns of one file are.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ColumnMap {
    /// The headers, made different from each other and never empty.
    pub headers: Vec<String>,
    fields: [Option<ColumnIndex>; Field::COUNT],
    /// What is taken where the column of a field is blank.
    second_choices: [Option<ColumnIndex>; Field::COUNT],
    /// Columns that say who may be written to; the most restrictive holds.
    pub consents: Vec<ConsentColumn>,
    /// A column headed "status" that was not taken for consent, to be watched.
    pub watched_status: Option<ColumnIndex>,
    /// Columns of second addresses.
    pub further_addresses: Vec<ColumnIndex>,
    /// Columns without a known meaning, and those of the job's own fields.
    pub extras: Vec<ColumnIndex>,
    /// The columns of the job's own fields, and what their values are.
    pub own: Vec<(ColumnIndex, Kind)>,
}

impl ColumnMap {
    /// Columns that go by their headers alone.
    pub fn of_extras(headers: Vec<String>) -> ColumnMap {
        ColumnMap {
            extras: (0..headers.len()).map(ColumnIndex).collect(),
            headers,
            fields: [None; Field::COUNT],
            second_choices: [None; Field::COUNT],
            consents: Vec::new(),
            watched_status: None,
            further_addresses: Vec::new(),
            own: Vec::new(),
        }
    }

    /// The column of a field.
    #[inline]
    pub fn column(&self, field: Field) -> Option<ColumnIndex> {
        self.fields[field as usize]
    }

    /// The column that is taken where that of the field is blank.
    pub fn second_choice(&self, field: Field) -> Option<ColumnIndex> {
        self.second_choices[field as usize]
    }

    /// The field that a column feeds, if any: as its first or its second choice.
    pub fn field_of(&self, column: ColumnIndex) -> Option<Field> {
        let feeds = |field: &Field| {
            self.fields[*field as usize] == Some(column) || self.second_choices[*field as usize] == Some(column)
        };
        Field::ALL.into_iter().find(feeds)
    }

    /// Adds a column for a field that follows from others.
    pub fn derive(&mut self, field: Field) {
        self.fields[field as usize] = Some(ColumnIndex(self.headers.len()));
        self.headers.push(field.name().to_owned());
    }

    /// Adds an extra column that follows from others.
    pub fn derive_extra(&mut self, header: String) {
        self.headers.push(header);
    }

    /// The header of a column.
    pub fn header(&self, column: ColumnIndex) -> &str {
        &self.headers[column.0]
    }

    /// How many columns the header has.
    pub fn width(&self) -> usize {
        self.headers.len()
    }
}

/// A map, and what should be said about it.
#[derive(Debug, Clone)]
pub struct Mapping {
    /// The map.
    pub map: ColumnMap,
    /// What was taken, and could be otherwise.
    pub findings: Vec<Finding>,
}

/// A file whose columns are to be mapped.
pub struct Unmapped<'a> {
    /// Its path, for errors.
    pub path: &'a Path,
    /// Where its table is.
    pub table: &'a Table,
    /// Its beginning.
    pub sample: &'a SampleRecords,
    /// What the job says.
    pub wishes: &'a ColumnWishes,
    /// A list: its values may be domains.
    pub is_list: bool,
    /// Whether a column headed "status" is consent: decided by the sample unless said.
    pub status_is_consent: Option<bool>,
    /// Whether a question that only the user can answer is an error; else it is a finding.
    pub asks: bool,
}

/// Maps the columns of a file.
pub fn map_columns(file: &Unmapped) -> Result<Mapping> {
    let mut mapper = Mapper {
        file,
        map: ColumnMap {
            headers: distinct_headers(&file.table.headers),
            fields: [None; Field::COUNT],
            second_choices: [None; Field::COUNT],
            consents: Vec::new(),
            watched_status: None,
            further_addresses: Vec::new(),
            extras: Vec::new(),
            own: Vec::new(),
        },
        taken: vec![false; file.table.headers.len()],
        findings: Vec::new(),
    };
    mapper.drop_receipt_columns();
    mapper.take_wishes()?;
    mapper.take_own()?;
    mapper.take_recognised()?;
    mapper.find_address_by_values();
    let Mapper { mut map, taken, findings, .. } = mapper;
    let is_own = |column: &usize| map.own.iter().any(|(own, _)| own.0 == *column);
    map.extras = (0..map.width()).filter(|column| !taken[*column] || is_own(column)).map(ColumnIndex).collect();
    Ok(Mapping { map, findings })
}

struct Mapper<'a> {
    file: &'a Unmapped<'a>,
    map: ColumnMap,
    taken: Vec<bool>,
    findings: Vec<Finding>,
}

impl Mapper<'_> {
    fn drop_receipt_columns(&mut self) {
        for (column, header) in self.map.headers.iter().enumerate() {
            self.taken[column] = header.starts_with(RESERVED_PREFIX);
        }
    }

    fn take(&mut self, field: Field, column: ColumnIndex) {
        self.map.fields[field as usize] = Some(column);
        self.taken[column.0] = true;
    }

    fn take_consent(&mut self, column: ColumnIndex, yes_means: Option<YesMeans>) {
        let yes_means = self.file.wishes.yes_means.or(yes_means);
        self.map.consents.push(ConsentColumn { column, yes_means });
        if self.map.column(Field::Consent).is_none() {
            self.take(Field::Consent, column);
        }
    }

    fn take_wishes(&mut self) -> Result<()> {
        for (field, header) in &self.file.wishes.headers {
            let column = self.column_named(field.name(), header)?;
            if *field == Field::Consent {
                let yes_means = match headers::recognise(header) {
                    Some(Meaning::Consent(yes_means)) => yes_means,
                    _ => None,
                };
                self.take_consent(column, yes_means);
            } else {
                self.take(*field, column);
            }
        }
        Ok(())
    }

    /// A column of a job's own field goes by the field's name from here on.
    fn take_own(&mut self) -> Result<()> {
        for own in &self.file.wishes.own {
            let column = match &own.header {
                Some(header) => self.column_named(&own.name, header)?,
                None => match self.map.headers.iter().position(|header| fold(header) == fold(&own.name)) {
                    Some(column) => ColumnIndex(column),
                    None => continue,
                },
            };
            self.taken[column.0] = true;
            self.map.headers[column.0].clone_from(&own.name);
            self.map.own.push((column, own.kind));
        }
        Ok(())
    }

    fn column_named(&self, field: &str, header: &str) -> Result<ColumnIndex> {
        let headers = &self.map.headers;
        let exactly = headers.iter().position(|candidate| candidate.trim() == header.trim());
        let folded = || headers.iter().position(|candidate| fold(candidate) == fold(header));
        exactly.or_else(folded).map(ColumnIndex).ok_or_else(|| {
            let list = headers.iter().map(|header| format!("\"{header}\"")).collect::<Vec<_>>().join(", ");
            let advice = match closest(header, headers.iter().map(String::as_str)) {
                Some(near) => format!("did you mean \"{near}\"?"),
                None => format!("say which of its columns holds {field}"),
            };
            Error::new(ErrorKind::Columns, format!("there is no column \"{header}\" for the field {field}"), advice)
                .in_file(self.file.path)
                .expected(format!("one of {list}"))
        })
    }

    fn take_recognised(&mut self) -> Result<()> {
        if !self.file.table.has_header {
            return Ok(());
        }
        let mut by_field: BTreeMap<Field, Vec<ColumnIndex>> = BTreeMap::new();
        for index in 0..self.map.width() {
            let column = ColumnIndex(index);
            if self.taken[index] {
                continue;
            }
            match headers::recognise(self.map.header(column)) {
                // "Contact" may head names or addresses; the values decide.
                Some(Meaning::Field(field)) if field != Field::Email && self.holds_addresses(column) => {}
                // "Member" may head names or numbers.
                Some(Meaning::Field(Field::FullName)) if self.holds_numbers(column) => {
                    by_field.entry(Field::ContactId).or_default().push(column);
                }
                Some(Meaning::Field(field)) => by_field.entry(field).or_default().push(column),
                Some(Meaning::Consent(yes_means)) => self.take_consent(column, yes_means),
                Some(Meaning::MaybeConsent) => self.judge_status(column),
                None => {}
            }
        }
        self.part_of_a_name(&mut by_field);
        for (field, columns) in by_field {
            if field == Field::Email {
                self.take_addresses(&columns)?;
            } else if self.map.column(field).is_none() {
                self.take_fullest(field, &columns);
            }
        }
        Ok(())
    }

    /// Whether most of the filled values are addresses.
    fn holds_addresses(&self, column: ColumnIndex) -> bool {
        self.mostly(column, |value| value.contains('@'))
    }

    /// Whether most of the filled values are numbers.
    fn holds_numbers(&self, column: ColumnIndex) -> bool {
        self.mostly(column, |value| value.trim().bytes().all(|byte| byte.is_ascii_digit() || byte == b'-'))
    }

    fn mostly(&self, column: ColumnIndex, is_one: impl Fn(&str) -> bool) -> bool {
        const LOOKED_AT: usize = 200;
        let (mut filled, mut found) = (0, 0);
        for value in self.file.sample.column(column.0, self.file.table.records_above).take(LOOKED_AT) {
            filled += 1;
            found += usize::from(is_one(&value));
        }
        found * 2 > filled
    }

    /// "Name" beside "Vorname" is the last name, beside "Surname" the first.
    fn part_of_a_name(&self, by_field: &mut BTreeMap<Field, Vec<ColumnIndex>>) {
        let has = |field| by_field.contains_key(&field) || self.map.column(field).is_some();
        let part = match (has(Field::FirstName), has(Field::LastName)) {
            (true, false) => Field::LastName,
            (false, true) => Field::FirstName,
            _ => return,
        };
        let is_bare = |column: &ColumnIndex| {
            matches!(fold(self.map.header(*column)).as_str(), "name" | "naam" | "nom" | "nome" | "nombre")
        };
        if let Some([only]) = by_field.get(&Field::FullName).map(Vec::as_slice)
            && is_bare(only)
        {
            let columns = by_field.remove(&Field::FullName).unwrap_or_default();
            by_field.insert(part, columns);
        }
    }

    /// A column headed only "status" is consent only where most of its filled values are status words.
    fn judge_status(&mut self, column: ColumnIndex) {
        let (mut filled, mut listed) = (0, 0);
        for value in self.file.sample.column(column.0, self.file.table.records_above) {
            filled += 1;
            listed += usize::from(consent::is_listed(&value));
        }
        let is_consent = self.file.status_is_consent.unwrap_or(listed * 2 > filled);
        let header = self.map.header(column).to_owned();
        let text = if is_consent {
            self.take_consent(column, None);
            format!("\"{header}\" was taken for consent, since most of its values are words like subscribed")
        } else {
            self.map.watched_status = Some(column);
            format!("\"{header}\" was not taken for consent, since most of its values are no words like subscribed")
        };
        self.findings.push(Finding::new("status-column", Weight::Doubt, text).in_column(header));
    }

    /// One plain address column is the contact's; others beside it hold further addresses.
    fn take_addresses(&mut self, columns: &[ColumnIndex]) -> Result<()> {
        if self.map.column(Field::Email).is_some() {
            self.take_further_addresses(columns);
            return Ok(());
        }
        let is_plain = |column: &&ColumnIndex| {
            let words = fold(self.map.header(**column));
            matches!(words.as_str(), "email" | "e mail" | "email address" | "e mail address" | "mail" | "primary email")
        };
        let plain: Vec<ColumnIndex> = columns.iter().filter(is_plain).copied().collect();
        let first = match (columns, plain.as_slice()) {
            ([only], _) | (_, [only]) => *only,
            _ => {
                let names: Vec<_> = columns.iter().map(|column| format!("\"{}\"", self.map.header(*column))).collect();
                let what = format!("several columns hold addresses: {}", names.join(", "));
                let advice = "say which is the contact's: --field \"email=…\", in a job columns = { email = \"…\" }";
                if self.file.asks {
                    return Err(Error::new(ErrorKind::Question, what, advice).in_file(self.file.path));
                }
                self.findings.push(Finding::new(
                    "several-address-columns",
                    Weight::Warning,
                    format!("{what}; {advice}"),
                ));
                columns[0]
            }
        };
        self.take(Field::Email, first);
        let others: Vec<ColumnIndex> = columns.iter().filter(|column| **column != first).copied().collect();
        self.take_further_addresses(&others);
        Ok(())
    }

    fn take_further_addresses(&mut self, columns: &[ColumnIndex]) {
        for column in columns {
            let header = self.map.header(*column).to_owned();
            let text = format!("\"{header}\" was taken for a further address of the same contact");
            self.findings.push(Finding::new("further-addresses", Weight::Note, text).in_column(header));
            self.map.further_addresses.push(*column);
        }
    }

    /// Of several columns for one field the fullest is taken, the next is its second choice; all but the first travel
    /// along besides.
    fn take_fullest(&mut self, field: Field, columns: &[ColumnIndex]) {
        let above = self.file.table.records_above;
        let filled = |column: &ColumnIndex| self.file.sample.column(column.0, above).count();
        let mut columns = columns.to_vec();
        columns.sort_by_key(|column| std::cmp::Reverse(filled(column)));
        let Some((taken, others)) = columns.split_first() else { return };
        self.take(field, *taken);
        self.map.second_choices[field as usize] = others.first().copied();
        for (rank, other) in others.iter().enumerate() {
            let (header, chosen) = (self.map.header(*other).to_owned(), self.map.header(*taken));
            let text = if rank == 0 {
                format!("\"{chosen}\" was taken for {field}; \"{header}\", less filled, stands in where it is blank")
            } else {
                format!("\"{chosen}\" was taken for {field}; \"{header}\", less filled, travels along as it is")
            };
            self.findings.push(Finding::new("second-column", Weight::Doubt, text).in_column(header));
        }
    }

    /// A column of addresses is `email` under whatever header.
    fn find_address_by_values(&mut self) {
        if self.map.column(Field::Email).is_some() {
            return;
        }
        let looks_right =
            |value: &String| value.contains('@') || (self.file.is_list && address::domain(value).is_some());
        let share = |column: usize| {
            let values: Vec<String> = self.file.sample.column(column, self.file.table.records_above).collect();
            let right = values.iter().filter(|value| looks_right(value)).count();
            (right * 2 > values.len()).then_some(right)
        };
        let untaken = (0..self.map.width()).filter(|column| !self.taken[*column]);
        let best =
            untaken.filter_map(|column| share(column).map(|right| (right, column))).rev().max_by_key(|best| best.0);
        let Some((_, column)) = best else { return };
        let column = ColumnIndex(column);
        self.take(Field::Email, column);
        if self.file.table.has_header {
            let header = self.map.header(column).to_owned();
            let text = format!("\"{header}\" was taken for email, since it holds addresses");
            self.findings.push(Finding::new("address-by-values", Weight::Doubt, text).in_column(header));
        }
    }
}

/// Headers without blanks around, never empty, and different from each other even when folded.
fn distinct_headers(headers: &[String]) -> Vec<String> {
    let mut seen = std::collections::HashSet::new();
    let mut distinct = Vec::with_capacity(headers.len());
    for (index, header) in headers.iter().enumerate() {
        let name = match header.trim() {
            "" => format!("column {}", index + 1),
            name => name.to_owned(),
        };
        let mut candidate = name.clone();
        let mut copy = 2;
        while !seen.insert(fold(&candidate)) {
            candidate = format!("{name} ({copy})");
            copy += 1;
        }
        distinct.push(candidate);
    }
    distinct
}
