//! One column: what it was recognised as, how filled it is, what its values look like.

use super::distinct::{Distinct, hash};
use crate::columns::map::ColumnMap;
use crate::job::sources::ReadFiles;
use crate::run::open::files::OpenFile;
use crate::tasks::looks::Looks;
use pebblebank_table::cell;
use pebblebank_table::observe::{Finding, Met, Weight, counted};
use pebblebank_table::units::{ColumnIndex, RowNumber};
use pebblebank_values::blank::{is_blank, is_blank_name};
use pebblebank_values::consent::{self, Consent, Statement, YesMeans};
use pebblebank_values::fold::fold;
use pebblebank_values::headers::{self, Meaning, RESERVED_PREFIX};
use pebblebank_values::{Doubt, Field, Rule, Rules};
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// Up to how many values of a column are counted exactly.
const MOST_EXACT: usize = 1 << 16;

/// How many words that nobody listed are kept of a column.
const MOST_UNLISTED_WORDS: usize = 8;

/// How many examples are kept of a column.
const EXAMPLES: usize = 3;

/// What a column feeds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, JsonSchema, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Feeds {
    /// A field.
    Field,
    /// A field where its first column is blank.
    SecondChoice,
    /// Further addresses of the same contact.
    FurtherAddress,
    /// What is known about consent, beside another column.
    FurtherConsent,
    /// Nothing that is known: it travels along.
    Nothing,
    /// Nothing: an earlier run wrote it beside the row.
    Receipt,
}

/// How a column came to be recognised.
#[derive(Debug, Clone, Copy, PartialEq, Eq, JsonSchema, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Recognised {
    /// The job or an option says it.
    Said,
    /// By the words of its header.
    ByHeader,
    /// By its values.
    ByValues,
    /// Not at all.
    Not,
}

/// What is known of one column.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct ColumnSurvey {
    /// Its header; "column 3" and the like where there is none.
    pub header: String,
    /// Whether the file has a header for it.
    pub has_header: bool,
    /// The field that it feeds.
    pub field: Option<&'static str>,
    /// In what way.
    pub feeds: Feeds,
    /// How that is known.
    pub recognised: Recognised,
    /// Why it was not recognised; empty where it was.
    pub reason: String,
    /// Rows in which it is filled; words that stand for nothing do not count.
    pub filled: u64,
    /// Rows in which a word stands for nothing, such as n/a.
    pub blank_words: u64,
    /// Different values among the filled.
    pub distinct: u64,
    /// Whether that is an estimate.
    pub distinct_is_estimate: bool,
    /// The first different values.
    pub examples: Vec<String>,
    /// By the name of the rule, how many values a run would repair, where it writes the field.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub repairs: BTreeMap<&'static str, u64>,
    /// What looks wrong.
    pub findings: Vec<Finding>,
    /// Of a column about consent: how many values say what.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub consent: Option<ConsentWords>,
}

/// What the values of a column about consent say.
#[derive(Debug, Clone, Default, PartialEq, Eq, JsonSchema, Serialize)]
pub struct ConsentWords {
    /// May be written to.
    pub opted_in: u64,
    /// Said no, or complained.
    pub opted_out: u64,
    /// Not answered yet.
    pub pending: u64,
    /// Mail came back.
    pub bounced: u64,
    /// Complained.
    pub complained: u64,
    /// Words that nobody listed.
    pub unlisted: u64,
    /// Some of them.
    pub unlisted_words: BTreeSet<String>,
    /// Yes or no where nothing says to what.
    pub yes_or_no: u64,
    /// State nothing.
    pub nothing: u64,
}

impl ConsentWords {
    fn count(&mut self, statement: Statement) {
        let count = match statement {
            Statement::Nothing => &mut self.nothing,
            Statement::YesOrNo => &mut self.yes_or_no,
            Statement::Says(Consent::OptedIn) => &mut self.opted_in,
            Statement::Says(Consent::OptedOut) => &mut self.opted_out,
            Statement::Says(Consent::Pending) => &mut self.pending,
            Statement::Says(Consent::Bounced) => &mut self.bounced,
            Statement::Says(Consent::Complained) => &mut self.complained,
            Statement::Says(Consent::Unlisted) => &mut self.unlisted,
        };
        *count += 1;
    }

    fn add(&mut self, more: &ConsentWords) {
        self.opted_in += more.opted_in;
        self.opted_out += more.opted_out;
        self.pending += more.pending;
        self.bounced += more.bounced;
        self.complained += more.complained;
        self.unlisted += more.unlisted;
        let room = MOST_UNLISTED_WORDS.saturating_sub(self.unlisted_words.len());
        self.unlisted_words.extend(more.unlisted_words.iter().take(room).cloned());
        self.yes_or_no += more.yes_or_no;
        self.nothing += more.nothing;
    }
}

/// One column of one chunk.
#[derive(Debug)]
pub(super) struct ColumnChunk {
    field: Option<Field>,
    /// The column's direction, if it is about consent.
    consent: Option<(Option<YesMeans>, ConsentWords)>,
    filled: u64,
    blank_words: u64,
    hashes: Vec<u64>,
    examples: Vec<String>,
    looks: Looks,
    repairs: BTreeMap<&'static str, u64>,
    doubts: BTreeMap<Doubt, Met>,
}

impl ColumnChunk {
    pub(super) fn new(map: &ColumnMap, column: ColumnIndex) -> ColumnChunk {
        let consent = map.consents.iter().find(|consent| consent.column == column);
        ColumnChunk {
            field: map.field_of(column),
            consent: consent.map(|consent| (consent.yes_means, ConsentWords::default())),
            filled: 0,
            blank_words: 0,
            hashes: Vec::new(),
            examples: Vec::new(),
            looks: Looks::default(),
            repairs: BTreeMap::new(),
            doubts: BTreeMap::new(),
        }
    }

    /// A run would repair a value by these rules.
    pub(super) fn repaired(&mut self, rules: Rules) {
        // Blank words are counted by themselves.
        for rule in rules.iter().filter(|rule| *rule != Rule::BlankWord) {
            *self.repairs.entry(rule.name()).or_default() += 1;
        }
    }

    /// A value could not be cleaned, or looks like something else.
    pub(super) fn doubt(&mut self, doubt: Doubt, row: RowNumber) {
        self.doubts.entry(doubt).or_default().at(row);
    }

    /// Looks at a cell as it is in the file; `row` counts from 1 in the chunk.
    pub(super) fn look(&mut self, raw: &[u8], row: u64) {
        const LONGEST_BLANK_WORD: usize = 24;
        if raw.is_empty() {
            return;
        }
        let value = cell::value(raw);
        let trimmed = value.trim_ascii();
        if trimmed.len() <= LONGEST_BLANK_WORD {
            // Most values begin with a letter that no blank word begins with.
            let may_be_blank = !trimmed.first().is_some_and(|first| {
                first.is_ascii_alphanumeric() && !matches!(first.to_ascii_lowercase(), b'n' | b'u')
            });
            if may_be_blank {
                if cell::is_empty(raw) {
                    return;
                }
                let text = String::from_utf8_lossy(trimmed);
                let is_name = self.field.is_some_and(Field::is_name_like);
                if if is_name { is_blank_name(&text) } else { is_blank(&text) } {
                    self.blank_words += 1;
                    return;
                }
            }
        }
        self.filled += 1;
        if let Some((yes_means, words)) = &mut self.consent {
            let word = String::from_utf8_lossy(trimmed);
            let statement = consent::read(&word, *yes_means);
            if statement == Statement::Says(Consent::Unlisted) && words.unlisted_words.len() < MOST_UNLISTED_WORDS {
                words.unlisted_words.insert(word.chars().take(40).collect());
            }
            words.count(statement);
        }
        self.hashes.push(hash(trimmed));
        if self.examples.len() < EXAMPLES && !self.examples.iter().any(|example| example.as_bytes() == trimmed) {
            self.examples.push(String::from_utf8_lossy(trimmed).chars().take(200).collect());
        }
        self.looks.look(trimmed, self.field, row);
    }

    /// The chunk is at its end: each value is kept once.
    pub(super) fn finish(&mut self) {
        self.hashes.sort_unstable();
        self.hashes.dedup();
    }
}

/// One column of the whole file.
#[derive(Debug)]
pub(super) struct ColumnCount {
    consent: Option<ConsentWords>,
    filled: u64,
    blank_words: u64,
    distinct: Distinct,
    examples: Vec<String>,
    looks: Looks,
    repairs: BTreeMap<&'static str, u64>,
    doubts: BTreeMap<Doubt, Met>,
}

impl ColumnCount {
    pub(super) fn new() -> ColumnCount {
        ColumnCount {
            consent: None,
            filled: 0,
            blank_words: 0,
            distinct: Distinct::new(MOST_EXACT),
            examples: Vec::new(),
            looks: Looks::default(),
            repairs: BTreeMap::new(),
            doubts: BTreeMap::new(),
        }
    }

    /// Goes on with a chunk before which the file has `first_row` records.
    pub(super) fn add(&mut self, chunk: &ColumnChunk, first_row: u64) {
        if let Some((_, words)) = &chunk.consent {
            self.consent.get_or_insert_default().add(words);
        }
        self.filled += chunk.filled;
        self.blank_words += chunk.blank_words;
        chunk.hashes.iter().for_each(|hash| {
            self.distinct.add(*hash);
        });
        for example in &chunk.examples {
            if self.examples.len() < EXAMPLES && !self.examples.contains(example) {
                self.examples.push(example.clone());
            }
        }
        self.looks.append(&chunk.looks.moved(first_row));
        for (rule, count) in &chunk.repairs {
            *self.repairs.entry(rule).or_default() += count;
        }
        for (doubt, met) in &chunk.doubts {
            self.doubts.entry(*doubt).or_default().append(&met.moved(first_row));
        }
    }

    /// Adds one cell as it is in the file.
    pub(super) fn add_one(&mut self, raw: &[u8]) {
        self.filled += 1;
        self.distinct.add(hash(cell::value(raw).trim_ascii()));
    }

    /// What to say about the column once all of the file was seen.
    pub(super) fn finish(&self, file: &OpenFile<()>, column: ColumnIndex, rows: u64, read: &ReadFiles) -> ColumnSurvey {
        let map = file.map();
        let header = map.header(column).to_owned();
        let (feeds, field) = feeds(map, column);
        let has_header = file.table.has_header && !file.table.headers[column.0].trim().is_empty();
        let is_said = read.columns.headers.values().flatten().any(|said| fold(said) == fold(&header));
        let meaning = if has_header { headers::recognise(&file.table.headers[column.0]) } else { None };
        let recognised = recognised(feeds, field, is_said, meaning);
        let distinct = self.distinct.count().min(self.filled);
        let is_not = recognised == Recognised::Not;
        ColumnSurvey {
            consent: self.consent.clone(),
            field: field.map(Field::name),
            feeds,
            recognised,
            reason: if is_not { reason(feeds, has_header, meaning, self.filled, rows) } else { String::new() },
            has_header,
            filled: self.filled,
            blank_words: self.blank_words,
            distinct,
            distinct_is_estimate: self.distinct.is_estimate(),
            examples: self.examples.clone(),
            repairs: self.repairs.clone(),
            findings: self.findings(field, distinct).into_iter().map(|found| found.in_column(header.clone())).collect(),
            header,
        }
    }

    fn findings(&self, field: Option<Field>, distinct: u64) -> Vec<Finding> {
        let warning = |code, text: String| Finding::new(code, Weight::Warning, text);
        let mut findings = self.looks.findings(self.filled);
        findings.extend(self.doubts.iter().map(|(doubt, met)| {
            let text = format!("{} {}", counted(met.count, "value", "", "").trim_end(), doubt.says());
            warning(doubt.code(), text).at_rows(met)
        }));
        let repeated = self.filled - distinct;
        if field == Some(Field::ContactId) && repeated > 0 && self.filled > 0 {
            let about = if self.distinct.is_estimate() { "about " } else { "" };
            let text =
                format!("{about}{repeated} values stand above already, in a column that should tell contacts apart");
            findings.push(warning("repeated-ids", text));
        }
        let Some(words) = &self.consent else { return findings };
        if words.yes_or_no > 0 {
            let text = "says yes or no, and its header does not say to what: --opt-in, --opt-out or --not-consent HEADER decides it";
            findings.push(warning("yes-to-what", text.to_owned()));
        }
        if words.unlisted > 0 {
            let known: Vec<String> = words.unlisted_words.iter().map(|word| format!("\"{word}\"")).collect();
            let text = format!(
                "{} values are no known words about consent, so such contacts do not pass: {}",
                words.unlisted,
                known.join(", ")
            );
            findings.push(warning("unlisted-consent-words", text));
        }
        findings
    }
}

/// How a column was recognised as what it feeds.
fn recognised(feeds: Feeds, field: Option<Field>, is_said: bool, meaning: Option<Meaning>) -> Recognised {
    match (feeds, is_said, meaning) {
        (Feeds::Nothing | Feeds::Receipt, ..) => Recognised::Not,
        (_, true, _) => Recognised::Said,
        (_, _, Some(Meaning::Field(meant)))
            if Some(meant) == field || matches!(field, Some(Field::LastName | Field::FirstName)) =>
        {
            Recognised::ByHeader
        }
        (_, _, Some(Meaning::Consent(_))) => Recognised::ByHeader,
        _ => Recognised::ByValues,
    }
}

fn feeds(map: &ColumnMap, column: ColumnIndex) -> (Feeds, Option<Field>) {
    let first = Field::ALL.into_iter().find(|field| map.column(*field) == Some(column));
    let second = || Field::ALL.into_iter().find(|field| map.second_choice(*field) == Some(column));
    if let Some(field) = first {
        (Feeds::Field, Some(field))
    } else if let Some(field) = second() {
        (Feeds::SecondChoice, Some(field))
    } else if map.further_addresses.contains(&column) {
        (Feeds::FurtherAddress, Some(Field::Email))
    } else if map.consents.iter().any(|consent| consent.column == column) {
        (Feeds::FurtherConsent, Some(Field::Consent))
    } else if map.header(column).starts_with(RESERVED_PREFIX) {
        (Feeds::Receipt, None)
    } else {
        (Feeds::Nothing, None)
    }
}

fn reason(feeds: Feeds, has_header: bool, meaning: Option<Meaning>, filled: u64, rows: u64) -> String {
    let text = match (feeds, meaning) {
        (Feeds::Receipt, _) => "written by an earlier run",
        (_, Some(Meaning::MaybeConsent)) => "few of its values are words about consent",
        (_, Some(_)) => "another column was taken for its field",
        (_, None) if filled == 0 && rows > 0 => "empty",
        (_, None) if !has_header => "no header, and its values tell nothing",
        (_, None) => "its header is no known word",
    };
    text.to_owned()
}
