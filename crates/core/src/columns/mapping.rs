//! The columns of one file → fields, consent columns, further addresses, extra columns.

use super::addresses::Whose;
use super::consent::{self, Judged, ValuesSay};
use super::locate::Table;
use super::sample::SampleRecords;
use crate::columns::map::ColumnMap;
use crate::columns::map::ConsentColumn;
use crate::columns::map::OpenConsent;
use crate::columns::map::distinct_headers;
use crate::columns::map::is_address_alone;
use crate::columns::map::is_domain_entry;
use crate::columns::wishes::ColumnWishes;
use crate::columns::wishes::ConsentQuestions;
use pebblebank_table::error::closest;
use pebblebank_table::observe::{Finding, Weight};
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::consent::YesMeans;
use pebblebank_values::fold::fold;
use pebblebank_values::headers::{self, Meaning, RESERVED_PREFIX};
use pebblebank_values::look::{self, Look};
use pebblebank_values::{Field, consent as words};
use std::collections::BTreeMap;
use std::path::Path;

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
    /// Columns that all of the file showed to be about consent, although its beginning did not.
    pub found_consent: &'a [ColumnIndex],
    /// What happens where a column may be about consent and leaves several readings.
    pub consent_questions: ConsentQuestions,
    /// Whether a question that only the user can answer is an error; else it is a finding.
    pub asks: bool,
}

/// Maps the columns of a file.
pub fn map_columns(file: &Unmapped) -> Result<Mapping> {
    let mut mapper = Mapper {
        file,
        map: ColumnMap::unknown(distinct_headers(&file.table.headers), usual_cells(file)),
        taken: vec![false; file.table.headers.len()],
        findings: Vec::new(),
    };
    mapper.drop_receipt_columns();
    mapper.take_wishes()?;
    mapper.take_own()?;
    mapper.take_recognised()?;
    mapper.find_addresses_by_values();
    if file.consent_questions != ConsentQuestions::Ignore {
        mapper.judge_consent()?;
    }
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
        if self.map.consents.iter().any(|known| known.column == column) {
            return;
        }
        let is_ticks = yes_means == Some(YesMeans::OptedIn) && self.values_say(column).are_ticks();
        self.map.consents.push(ConsentColumn { column, yes_means, is_ticks });
        self.taken[column.0] = true;
        if self.map.column(Field::Consent).is_none() {
            self.take(Field::Consent, column);
        }
    }

    fn take_wishes(&mut self) -> Result<()> {
        let wishes = self.file.wishes;
        for (field, headers) in &wishes.headers {
            let columns: Vec<ColumnIndex> =
                headers.iter().map(|header| self.column_named(field.name(), header)).collect::<Result<_>>()?;
            let [first, others @ ..] = columns.as_slice() else { continue };
            match field {
                Field::Consent => {
                    for column in &columns {
                        let yes_means = consent::direction_of(self.map.header(*column));
                        self.take_consent(*column, yes_means);
                    }
                }
                Field::Email => {
                    self.take(Field::Email, *first);
                    self.take_further_addresses(others);
                }
                _ => {
                    self.take(*field, *first);
                    self.map.second_choices[*field as usize] = others.first().copied();
                    for column in others {
                        self.taken[column.0] = true;
                    }
                }
            }
        }
        let said = [(&wishes.opt_in, YesMeans::OptedIn), (&wishes.opt_out, YesMeans::OptedOut)];
        for (headers, yes_means) in said {
            for header in headers {
                // One of several files may be without it; a header that no file has is an error later.
                if let Ok(column) = self.column_named("consent", header) {
                    self.map.consents.retain(|known| known.column != column);
                    self.take_consent(column, Some(yes_means));
                }
            }
        }
        Ok(())
    }

    /// A column of a job's own field goes by the field's name from here on.
    fn take_own(&mut self) -> Result<()> {
        for own in &self.file.wishes.own {
            let column = match &own.header {
                Some(header) => self.column_named(&own.name, header)?,
                None => match self.map.headers.column(&fold(&own.name)) {
                    Some(column) => column,
                    None => continue,
                },
            };
            self.taken[column.0] = true;
            self.map.headers.rename(column, &own.name);
            self.map.own.push((column, own.kind));
        }
        Ok(())
    }

    fn column_named(&self, field: &str, header: &str) -> Result<ColumnIndex> {
        let headers = &self.map.headers;
        let exactly = headers.iter().position(|candidate| candidate.trim() == header.trim());
        let folded = || headers.column(&fold(header));
        exactly.map(ColumnIndex).or_else(folded).ok_or_else(|| {
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
            if self.taken[index] || self.is_not_consent(column) {
                continue;
            }
            // A second column of the same header has a number behind it.
            let of_consent = |meaning: &Meaning| !matches!(meaning, Meaning::Field(_));
            let unnumbered = || headers::recognise(&self.file.table.headers[index]).filter(of_consent);
            match headers::recognise(self.map.header(column)).or_else(unnumbered) {
                // "Contact" may head names or addresses; the values decide.
                Some(Meaning::Field(field)) if field != Field::Email && self.holds_addresses(column) => {}
                // "Member" may head names or numbers.
                Some(Meaning::Field(Field::FullName)) if self.holds_numbers(column) => {
                    by_field.entry(Field::ContactId).or_default().push(column);
                }
                // "State" may head regions, or what became of a subscription.
                Some(Meaning::Field(Field::Region)) if self.speaks_of_consent(column) => {}
                Some(Meaning::Field(field)) => by_field.entry(field).or_default().push(column),
                Some(Meaning::Consent(_)) if self.holds_addresses(column) => {}
                Some(Meaning::Consent(yes_means)) => {
                    let header = self.map.header(column);
                    let yes_means = yes_means.or_else(|| consent::direction_of(header));
                    self.take_consent(column, yes_means);
                }
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

    /// Whether most of the filled values hold addresses.
    fn holds_addresses(&self, column: ColumnIndex) -> bool {
        // Of a list some are enough: a note or a totals line may stand below few of them.
        if self.file.is_list {
            self.share_of(column, |value| look::holds_address(value) || is_domain_entry(value)) >= ENOUGH_OF_A_LIST
        } else {
            self.mostly(column, look::holds_address)
        }
    }

    /// Whether most of the filled values are numbers.
    fn holds_numbers(&self, column: ColumnIndex) -> bool {
        self.mostly(column, |value| {
            let value = value.trim().as_bytes();
            value.iter().all(|byte| byte.is_ascii_digit() || *byte == b'-') && value.iter().any(u8::is_ascii_digit)
        })
    }

    fn mostly(&self, column: ColumnIndex, is_one: impl Fn(&str) -> bool) -> bool {
        self.share_of(column, is_one) > 0.5
    }

    /// The share of the filled values that are such, as far as they are looked at; 0 where nothing is filled.
    fn share_of(&self, column: ColumnIndex, is_one: impl Fn(&str) -> bool) -> f64 {
        const LOOKED_AT: usize = 200;
        let (mut filled, mut found) = (0, 0);
        for value in self.file.sample.column(column.0, self.file.table.records_above).take(LOOKED_AT) {
            filled += 1;
            found += u32::from(is_one(&value));
        }
        if filled == 0 { 0.0 } else { f64::from(found) / f64::from(filled) }
    }

    /// What the values of a column say, the blank ones included.
    fn values_say(&self, column: ColumnIndex) -> ValuesSay {
        ValuesSay::of(self.file.sample.all_of_column(column.0, self.file.table.records_above))
    }

    fn speaks_of_consent(&self, column: ColumnIndex) -> bool {
        let values = self.values_say(column);
        matches!(consent::judge("", &values), Judged::Consent { .. })
    }

    fn is_not_consent(&self, column: ColumnIndex) -> bool {
        let header = fold(self.map.header(column));
        self.file.wishes.not_consent.iter().any(|said| fold(said) == header)
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
            listed += usize::from(words::is_listed(&value));
        }
        let is_consent = self.file.found_consent.contains(&column) || listed * 2 > filled;
        let header = self.map.header(column).to_owned();
        let text = if is_consent {
            self.take_consent(column, None);
            format!("\"{header}\" was taken for consent, since most of its values are words like subscribed")
        } else {
            self.map.watched.push(column);
            self.taken[column.0] = false;
            format!("\"{header}\" was not taken for consent, since most of its values are not words like subscribed")
        };
        self.findings.push(Finding::new("status-column", Weight::Warning, text).in_column(header));
    }

    /// Judges the columns that nobody mapped: which of them say who must not be contacted.
    fn judge_consent(&mut self) -> Result<()> {
        let mut subjects: Vec<(ColumnIndex, Vec<String>)> = Vec::new();
        for index in 0..self.map.width() {
            let column = ColumnIndex(index);
            if self.is_not_consent(column) || self.map.watched.contains(&column) {
                continue;
            }
            if self.taken[index] {
                self.judge_recognised(column);
                continue;
            }
            let values = self.values_say(column);
            let header = if self.file.table.has_header { self.map.header(column).to_owned() } else { String::new() };
            let judged = match consent::judge(&header, &values) {
                Judged::Nothing if self.file.found_consent.contains(&column) => {
                    Judged::Consent { yes_means: consent::direction_of(&header), by_values: true }
                }
                judged => judged,
            };
            match judged {
                Judged::Nothing => {
                    if values.filled == 0 || values.are_few() {
                        self.map.watched.push(column);
                    }
                }
                Judged::OtherChannel => {
                    let text = format!("\"{header}\" is about another channel than e-mail, and travels along");
                    self.findings.push(Finding::new("other-channel", Weight::Note, text).in_column(&header));
                }
                Judged::Open => self.map.open_consents.push(OpenConsent { column, values: values.shown() }),
                Judged::Consent { yes_means, by_values } => {
                    if yes_means == Some(YesMeans::OptedIn) && values.needs_direction() {
                        subjects.push((column, consent::subject(&header)));
                    }
                    self.take_consent(column, yes_means);
                    if values.filled > 0 {
                        self.say_consent(column, yes_means, by_values, &values);
                    }
                }
            }
        }
        self.ask_about_subjects(&subjects);
        self.ask()
    }

    /// Words of a subscription under a header of something else, "State" or "Group": the words decide, unless the job
    /// named the column.
    fn judge_recognised(&mut self, column: ColumnIndex) {
        let Some(field) = self.map.field_of(column) else { return };
        let named = self.file.wishes.headers.contains_key(&field);
        let is_own = self.map.own.iter().any(|(own, _)| *own == column);
        if named || is_own || matches!(field, Field::Email | Field::Consent) {
            return;
        }
        let values = self.values_say(column);
        if values.filled == 0 && !self.file.found_consent.contains(&column) {
            self.map.watched.push(column);
            return;
        }
        let judged = consent::judge("", &values);
        if !matches!(judged, Judged::Consent { .. } | Judged::Open) && !self.file.found_consent.contains(&column) {
            return;
        }
        let second = self.map.second_choices[field as usize].take();
        if self.map.column(field) == Some(column) {
            self.map.fields[field as usize] = None;
            if let Some(second) = second {
                self.take(field, second);
            }
        }
        if judged == Judged::Open {
            self.taken[column.0] = false;
            self.map.open_consents.push(OpenConsent { column, values: values.shown() });
        } else {
            self.take_consent(column, None);
            self.say_consent(column, None, true, &values);
        }
    }

    fn say_consent(&mut self, column: ColumnIndex, yes_means: Option<YesMeans>, by_values: bool, values: &ValuesSay) {
        let header = self.map.header(column).to_owned();
        let reading = match yes_means {
            _ if !values.needs_direction() => "its words say who opted out",
            Some(YesMeans::OptedIn) => "yes is an opt-in, no an opt-out",
            Some(YesMeans::OptedOut) => "yes, a tick or a date is an opt-out",
            None => "its words say who opted out",
        };
        let why = if by_values { "by its values" } else { "by its header" };
        let text = format!(
            "\"{header}\" was taken for consent {why}: {reading} ({}); --opt-in, --opt-out or --not-consent \"{header}\" says otherwise",
            values.shown()
        );
        self.findings.push(Finding::new("consent-column", Weight::Warning, text).in_column(header));
    }

    /// Opt-ins to different things: which of them this mailing is about, only the user knows.
    fn ask_about_subjects(&mut self, subjects: &[(ColumnIndex, Vec<String>)]) {
        let named: Vec<_> = subjects.iter().filter(|(_, subject)| !subject.is_empty()).collect();
        let differ = named.windows(2).any(|pair| pair[0].1 != pair[1].1);
        if !differ {
            return;
        }
        for (column, _) in named {
            self.map.consents.retain(|known| known.column != *column);
            if self.map.column(Field::Consent) == Some(*column) {
                self.map.fields[Field::Consent as usize] = self.map.consents.first().map(|known| known.column);
            }
            self.taken[column.0] = false;
            let header = self.map.header(*column).to_owned();
            self.findings
                .retain(|finding| finding.code != "consent-column" || finding.column.as_ref() != Some(&header));
            let values = self.values_say(*column).shown();
            self.map.open_consents.push(OpenConsent { column: *column, values });
        }
    }

    /// Asks about the columns that leave several readings; stops where a wrong one would write to people.
    fn ask(&mut self) -> Result<()> {
        let Some(first) = self.map.open_consents.first() else { return Ok(()) };
        let questions =
            self.map.open_consents.iter().map(|open| (self.map.header(open.column).to_owned(), &open.values));
        let questions: Vec<(String, &String)> = questions.collect();
        if self.file.consent_questions == ConsentQuestions::Stop {
            let header = questions[0].0.clone();
            let others = questions.len() - 1;
            let more = if others == 0 {
                String::new()
            } else {
                let names: Vec<String> =
                    questions[1..].iter().take(4).map(|(header, _)| format!("\"{header}\"")).collect();
                format!("; the same is open for {}", names.join(", "))
            };
            let what = format!("this column may say who must not be contacted, and it is not clear how{more}");
            let answers = &self.file.wishes;
            let answered = answers.opt_in.iter().chain(&answers.opt_out).chain(&answers.not_consent);
            let elsewhere = answered.filter(|named| self.map.headers.column(&fold(named)).is_none());
            let mistyped = elsewhere.into_iter().find(|named| closest(named, [header.as_str()]).is_some());
            let meant = mistyped
                .map_or_else(String::new, |named| format!("did you mean \"{header}\" by \"{named}\"? If not, "));
            let advice = format!(
                "{meant}say what it is: --opt-in \"{header}\" (a yes may be contacted), --opt-out \"{header}\" (a yes must not be), or --not-consent \"{header}\"; in a job opt_in, opt_out or not_consent = [\"{header}\"] in its [[source]]"
            );
            return Err(Error::new(ErrorKind::Question, what, advice)
                .in_file(self.file.path)
                .in_column(&header)
                .expected(format!("an answer to what its values mean: {}", first.values)));
        }
        for (header, values) in questions {
            let text = format!(
                "\"{header}\" may say who must not be contacted, and it is not clear how ({values}): --opt-in, --opt-out or --not-consent \"{header}\""
            );
            self.findings.push(Finding::new("open-consent", Weight::Warning, text).in_column(header));
        }
        Ok(())
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
            // Of a list every address is an entry, so that it does not matter which comes first.
            _ if self.file.is_list => columns[0],
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
            // It travels along as it is, and is no other field.
            self.taken[column.0] |= self.map.field_of(*column).is_some();
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

    /// Columns of addresses are found under whatever header: the contact's, and further ones.
    fn find_addresses_by_values(&mut self) {
        let is_first = |value: &str| {
            let look = Look::of(value);
            look == Look::Address
                || (self.file.is_list && (matches!(look, Look::Domain | Look::Hash) || is_domain_entry(value)))
        };
        // A further one holds nothing else; a text may mention an address.
        let is_further = |value: &str| is_first(value) && (!value.contains('@') || is_address_alone(value));
        let has_first = self.map.column(Field::Email).is_some();
        let above = self.file.table.records_above;
        let has_header = self.file.table.has_header;
        let headers = self.map.headers.iter();
        let owners: Vec<Whose> =
            headers.map(|header| if has_header { Whose::of(header) } else { Whose::Unknown }).collect();
        let whose = |column: &ColumnIndex| owners[column.0];
        let found = (0..self.map.width()).map(ColumnIndex).filter(|column| {
            let is_filled = self.file.sample.column(column.0, above).next().is_some();
            // Of a column without a value so far, its header decides.
            let is_one = match (is_filled, has_first) {
                (false, _) => whose(column) == Whose::ContactFurther,
                // Of a list a column with some addresses is read as a whole; one too many costs a contact.
                (true, _) if self.file.is_list && self.share_of(*column, is_further) >= ENOUGH_OF_A_LIST => true,
                (true, true) => self.mostly(*column, is_further),
                (true, false) => self.mostly(*column, is_first),
            };
            is_one && !self.taken[column.0] && !self.map.further_addresses.contains(column)
        });
        let found: Vec<ColumnIndex> = found.collect();
        let (others, own): (Vec<ColumnIndex>, Vec<ColumnIndex>) =
            found.into_iter().partition(|column| whose(column) == Whose::SomebodyElse);
        let mut own = own;
        if self.map.column(Field::Email).is_none() {
            let fullness = |column: &ColumnIndex| self.file.sample.column(column.0, above).count();
            let rank = |column: &&ColumnIndex| {
                (whose(column) == Whose::Contact, fullness(column), std::cmp::Reverse(column.0))
            };
            // Of a list the column with the most addresses, if no column is full of them.
            let fallback = || {
                let found = |column: &ColumnIndex| {
                    self.file.sample.column(column.0, above).filter(|value| is_first(value)).count()
                };
                let free = |column: &ColumnIndex| self.file.is_list && !self.taken[column.0];
                let columns = (0..self.map.width()).map(ColumnIndex).filter(free).filter(|column| found(column) > 0);
                columns.max_by_key(|column| (found(column), std::cmp::Reverse(column.0)))
            };
            let best = own.iter().max_by_key(rank).or_else(|| others.iter().max_by_key(|column| fullness(column)));
            let best = best.copied().or_else(fallback);
            let Some(best) = best else { return };
            own.retain(|column| *column != best);
            self.take(Field::Email, best);
            if has_header {
                let header = self.map.header(best).to_owned();
                let text = format!("\"{header}\" was taken for email, since it holds addresses");
                // Who is held hangs on a list's column of addresses.
                let weight = if self.file.is_list { Weight::Warning } else { Weight::Doubt };
                self.findings.push(Finding::new("address-by-values", weight, text).in_column(header));
            }
        }
        let is_contacts = |column: &ColumnIndex| self.file.is_list || whose(column) != Whose::Unknown || !has_header;
        let (further, unknown): (Vec<ColumnIndex>, Vec<ColumnIndex>) = own.into_iter().partition(is_contacts);
        self.take_further_addresses(&further);
        let email = self.map.column(Field::Email);
        for (columns, says) in [
            (unknown, "holds addresses, and it is not clear whose: they are compared with lists, and join nobody"),
            (others, "holds addresses of somebody else, by its header: they count for nobody"),
        ] {
            for column in columns.into_iter().filter(|column| email != Some(*column)) {
                let header = self.map.header(column).to_owned();
                let text = format!("\"{header}\" {says}; --field \"email=…\" twice reads further addresses");
                let is_compared = whose(&column) == Whose::Unknown;
                let weight = if is_compared { Weight::Warning } else { Weight::Doubt };
                self.findings.push(Finding::new("other-addresses", weight, text).in_column(header));
                if is_compared {
                    self.map.compared_addresses.push(column);
                } else {
                    self.map.others_addresses.push(column);
                }
            }
        }
    }
}

/// The most cells that many rows of a file have, its header included.
fn usual_cells(file: &Unmapped) -> usize {
    const MANY: usize = 4;
    let first = file.table.records_above as usize;
    let mut rows: Vec<usize> = (first..file.sample.len()).map(|index| file.sample.cells(index)).collect();
    rows.sort_unstable();
    let many = rows.len().div_ceil(MANY);
    let usual = if many == 0 { 0 } else { rows[rows.len() - many] };
    usual.max(file.table.headers.len())
}

/// The share of addresses from which on a column of a list is one of addresses.
const ENOUGH_OF_A_LIST: f64 = 0.3;
