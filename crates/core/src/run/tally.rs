//! The account of a run: rows in, rows out, and where each of the others went.

use crate::columns::lines::Line;
use crate::run::tripped_guard::TrippedGuard;
use crate::suppress::reason::Reason;
use crate::suppress::remembered::CopyOfBank;
use pebblebank_table::observe::Finding;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::Rule;
use schemars::{JsonSchema, Schema, SchemaGenerator};
use serde::{Serialize, Serializer};
use serde_json::{Map, Value};
use std::borrow::Cow;
use std::collections::BTreeMap;

/// The schema of the tally as JSON; docs/json.md explains it key by key.
pub const TALLY_SCHEMA: &str = "pebblebank/tally/1";

/// How many examples a repair shows.
pub const EXAMPLES: usize = 2;

/// The account of a run.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct Tally {
    /// [`TALLY_SCHEMA`].
    pub schema: &'static str,
    /// The job's name.
    pub job: String,
    /// The result of it.
    pub outcome: Outcome,
    /// The keys by which rows are one person.
    pub same: Vec<String>,
    /// All sources together.
    pub all: Account,
    /// Each source.
    pub sources: Vec<SourceTally>,
    /// Each suppression list.
    pub suppression: Vec<SuppressionTally>,
    /// What is remembered from earlier work, and whether it counted.
    pub bank: BankTally,
    /// Whom the job writes to although a list holds them for a lesser reason.
    pub allowed: Vec<AllowedTally>,
    /// Entries that no contact has and are close to a contact.
    pub near_misses: NearMissTally,
    /// What verdicts on addresses came to; none where the job does not ask for them.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub check: Option<CheckTally>,
    /// What looks like an entry and was not read, of each suppression list that has such.
    pub unread: Vec<UnreadTally>,
    /// Each list that can be asked about.
    pub lists: Vec<ListTally>,
    /// What survivors were given from their copies; none where the job does not fill.
    pub fill: Option<FillTally>,
    /// What contacts were given from lists.
    pub taken: Vec<TakenTally>,
    /// People that are likely one.
    pub near_duplicates: NearTally,
    /// The file of decisions about people that the job names.
    pub decisions: Option<String>,
    /// The repairs that were made.
    pub repairs: Vec<RepairTally>,
    /// The repairs of addresses that are suggested, and made where the job lists the rule under `apply`.
    pub suggestions: Vec<RepairTally>,
    /// The import files.
    pub written: Vec<WriteTally>,
    /// Contacts that are written and might be left out; counted only where billing steps are named.
    #[serde(skip)]
    pub doubtful: DoubtfulTally,
    /// The guards that would have stopped the run, and were accepted.
    pub accepted_guards: Vec<TrippedGuard>,
    /// What should be looked at.
    pub findings: Vec<Finding>,
}

/// The result of a run.
#[derive(Debug, Clone, Copy, PartialEq, Eq, JsonSchema, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Outcome {
    /// The outputs were put in place.
    Written,
    /// A dry run: nothing was put in place.
    DryRun,
    /// A guard stopped it: nothing was put in place.
    Stopped,
}

/// Rows read = rows written + merged + set aside.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, JsonSchema, Serialize)]
#[serde(into = "AccountDocument")]
pub struct Account {
    /// Contacts read, counted in the first pass.
    pub read: u64,
    /// Survivors written, counted in the second pass like the following.
    pub written: u64,
    /// Copies of a survivor.
    pub merged: u64,
    /// Survivors set aside, by reason.
    pub set_aside: [u64; Reason::COUNT],
}

impl Account {
    /// All that were set aside.
    pub fn set_aside_in_all(&self) -> u64 {
        self.set_aside.iter().sum()
    }

    /// The reasons that occur, gravest first, with their counts.
    pub fn reasons(&self) -> impl Iterator<Item = (Reason, u64)> {
        Reason::ALL.into_iter().zip(self.set_aside).filter(|(_, count)| *count > 0)
    }

    /// Whether every row read is accounted for.
    pub fn balances(&self) -> bool {
        self.read == self.written + self.merged + self.set_aside_in_all()
    }

    /// Adds what was counted elsewhere.
    pub fn add(&mut self, other: &Account) {
        self.read += other.read;
        self.written += other.written;
        self.merged += other.merged;
        self.set_aside.iter_mut().zip(other.set_aside).for_each(|(sum, count)| *sum += count);
    }
}

/// An account as JSON has it.
#[derive(JsonSchema, Serialize)]
struct AccountDocument {
    /// Contacts read.
    read: u64,
    /// Survivors written.
    written: u64,
    /// Copies of a survivor.
    merged: u64,
    /// All that were set aside.
    set_aside: u64,
    /// The reasons that occur, with their counts.
    set_aside_by_reason: BTreeMap<Reason, u64>,
}

impl From<Account> for AccountDocument {
    fn from(account: Account) -> AccountDocument {
        AccountDocument {
            read: account.read,
            written: account.written,
            merged: account.merged,
            set_aside: account.set_aside_in_all(),
            set_aside_by_reason: account.reasons().collect(),
        }
    }
}

/// The account of one source.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct SourceTally {
    /// Its name.
    pub name: String,
    /// Its rows.
    #[serde(flatten)]
    pub account: Account,
    /// Of the rows merged, those whose survivor is of the same source; the others are copies of rows of other sources.
    pub merged_within: u64,
    /// Whether any of its files has a column that says who may be written to.
    pub has_consent_column: bool,
    /// Its files.
    pub files: Vec<FileTally>,
}

#[allow(clippy::trivially_copy_pass_by_ref)] // as serde calls it
fn is_zero(count: &u64) -> bool {
    *count == 0
}

/// What verdicts on addresses came to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, JsonSchema, Serialize)]
pub struct CheckTally {
    /// How far the verdicts go that count.
    pub level: &'static str,
    /// After how many days one is no longer believed.
    pub max_age_days: u32,
    /// Contacts set aside for it.
    pub set_aside: u64,
    /// Contacts written without a verdict that is young enough.
    pub without_verdict: u64,
}

/// What was read of one file.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct FileTally {
    /// Its path as given.
    pub file: String,
    /// What it is.
    pub format: &'static str,
    /// The sheet that was read, of a workbook.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sheet: Option<String>,
    /// The encoding of text, by its name in the WHATWG Encoding Standard.
    pub encoding: Option<&'static str>,
    /// The delimiter of delimited text.
    pub delimiter: Option<&'static str>,
    /// Contacts; for a suppression list, rows with an entry.
    pub rows: u64,
    /// Of the contacts, those outside of the rows that are wanted of the file.
    #[serde(skip_serializing_if = "is_zero")]
    pub outside_of_range: u64,
    /// Lines that are no contacts.
    pub other_lines: OtherLines,
    /// Which column was taken for which field.
    pub fields: Map<String, Value>,
    /// How many of the contacts have each of these fields filled, as they were read; empty for lists.
    #[serde(skip_serializing_if = "Map::is_empty")]
    #[schemars(with = "BTreeMap<String, u64>")]
    pub filled: Map<String, Value>,
}

/// Lines that are no contacts, in the order of [`Line::OTHERS`].
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct OtherLines(pub [u64; Line::OTHERS.len()]);

impl OtherLines {
    /// The kinds that occur, with their counts.
    pub fn iter(&self) -> impl Iterator<Item = (Line, u64)> {
        Line::OTHERS.into_iter().zip(self.0).filter(|(_, count)| *count > 0)
    }

    /// Adds those of another file.
    pub fn add(&mut self, other: OtherLines) {
        self.0.iter_mut().zip(other.0).for_each(|(sum, count)| *sum += count);
    }
}

impl Serialize for OtherLines {
    fn serialize<S: Serializer>(&self, serializer: S) -> std::result::Result<S::Ok, S::Error> {
        serializer.collect_map(self.iter().map(|(line, count)| (line.name(), count)))
    }
}

impl JsonSchema for OtherLines {
    fn schema_name() -> Cow<'static, str> {
        "OtherLines".into()
    }

    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        BTreeMap::<String, u64>::json_schema(generator)
    }
}

/// How a suppression list came out.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct SuppressionTally {
    /// Its entries.
    #[serde(flatten)]
    pub list: ListTally,
    /// Why its people must not be contacted.
    pub reason: Reason,
    /// People that it holds, whether or not its reason is their gravest.
    pub people_held: u64,
}

/// Whether earlier work counted.
#[derive(Debug, Clone, Default, PartialEq, Eq, JsonSchema, Serialize)]
pub struct BankTally {
    /// Whether it did. It does not where there is no bank yet, or where somebody said so.
    pub applied: bool,
    /// Whether somebody said that it does not count.
    pub switched_off: bool,
    /// Where it is kept.
    pub file: Option<String>,
    /// The bank that this is a copy of, where that could not be reached.
    pub copy: Option<CopyOfBank>,
    /// Whose entries counted beside those of everyone.
    pub scope: Option<String>,
}

/// What looks like an entry of a suppression list and was not read.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct UnreadTally {
    /// The list.
    pub list: String,
    /// How many addresses, hashes, domains and phone numbers stand outside the entries.
    pub texts: u64,
    /// Of these, phone numbers.
    pub phones: u64,
    /// Of these, hashes of a kind that cannot be compared with anybody.
    pub incomparable: u64,
    /// Where they stand: file, column or sheet, rows.
    pub places: String,
    /// How many contacts about to be written they name.
    pub about_to_be_written: u64,
    /// The first of these: file and row.
    pub contacts: Vec<String>,
}

/// The result of a part of the job that allows addresses.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct AllowedTally {
    /// Why they are allowed.
    pub why: String,
    /// How many addresses it names.
    pub addresses: u64,
    /// How many people in the sources have one of them.
    pub people: u64,
    /// How many of these a list would have held.
    pub lifted: u64,
}

/// The result of the search for entries that no contact has and are close to a contact.
#[derive(Debug, Clone, Default, PartialEq, Eq, JsonSchema, Serialize)]
pub struct NearMissTally {
    /// Entries that were looked at.
    pub searched: u64,
    /// Entries that were not, since they are too many to be looked at in passing.
    pub not_searched: u64,
    /// Of these, how many the bank has.
    pub not_searched_in_bank: u64,
    /// Pairs of an entry and a contact.
    pub pairs: u64,
    /// Contacts that were set aside for it.
    pub set_aside: u64,
    /// The first few pairs.
    pub examples: Vec<NearMissExample>,
}

/// An entry that is close to a contact.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct NearMissExample {
    /// The list.
    pub list: String,
    /// The entry.
    pub entry: String,
    /// The contact's address.
    pub contact: String,
    /// What they have in common.
    pub why: String,
}

/// How a list came out.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct ListTally {
    /// Its name.
    pub name: String,
    /// Its entries.
    pub entries: u64,
    /// Those that are domains.
    pub domains: u64,
    /// Those that are addresses which are not shown (SHA-256, MD5).
    pub hashes: u64,
    /// Those that are neither address nor domain.
    pub unusable: u64,
    /// Rows without an entry.
    pub blank: u64,
    /// Rows that its condition leaves out.
    pub left_out: u64,
    /// Rows that are no refusal by their status.
    pub no_refusal: u64,
    /// Entries that are an identity of some row.
    pub matched: u64,
    /// Entries that are not.
    pub unmatched: u64,
    /// People among the contacts that are in it.
    pub people: u64,
    /// Its files.
    pub files: Vec<FileTally>,
}

/// How often a repair was made.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct RepairTally {
    /// The rule.
    pub rule: &'static str,
    /// In how many rows; of all contacts read, whatever became of them.
    pub rows: u64,
    /// Whether each is listed in `repairs.csv`.
    pub listed: bool,
    /// The first few.
    pub examples: Vec<Example>,
}

/// A repair that was made.
#[derive(Debug, Clone, PartialEq, Eq, JsonSchema, Serialize)]
pub struct Example {
    /// The value as it was read.
    pub before: String,
    /// The value as it is written.
    pub after: String,
}

/// What was counted of the repairs.
#[derive(Debug, Clone)]
pub struct RepairCounts {
    rows: [u64; Rule::COUNT],
    /// The first few, those in which the rule alone was at work before the others.
    examples: [Vec<(Company, Example)>; Rule::COUNT],
}

impl Default for RepairCounts {
    fn default() -> RepairCounts {
        RepairCounts { rows: [0; Rule::COUNT], examples: std::array::from_fn(|_| Vec::new()) }
    }
}

/// Whether a rule was at work alone; the better example.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Company {
    /// It was.
    Alone,
    /// Others changed the value too.
    WithOthers,
}

impl RepairCounts {
    /// One more.
    pub fn count(&mut self, rule: Rule, company: Company, before: &[u8], after: &[u8]) {
        self.rows[rule as usize] += 1;
        let examples = &mut self.examples[rule as usize];
        if examples.len() < EXAMPLES || examples.last().is_some_and(|(last, _)| company < *last) {
            let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
            examples.push((company, Example { before: text(before), after: text(after) }));
            keep_best(examples);
        }
    }

    /// Adds what was counted further down.
    pub fn add(&mut self, later: RepairCounts) {
        for ((rows, examples), (more_rows, more)) in
            self.rows.iter_mut().zip(&mut self.examples).zip(later.rows.into_iter().zip(later.examples))
        {
            *rows += more_rows;
            examples.extend(more);
            keep_best(examples);
        }
    }

    /// The repairs that occur.
    pub fn into_tally(self) -> Vec<RepairTally> {
        let counted = Rule::ALL.into_iter().zip(self.rows).zip(self.examples);
        let tally = counted.map(|((rule, rows), examples)| RepairTally {
            rule: rule.name(),
            rows,
            listed: !rule.changes_form_only(),
            examples: examples.into_iter().map(|(_, example)| example).collect(),
        });
        tally.filter(|repair| repair.rows > 0).collect()
    }
}

/// Of equally good examples the first ones.
fn keep_best(examples: &mut Vec<(Company, Example)>) {
    examples.sort_by_key(|(company, _)| *company);
    examples.truncate(EXAMPLES);
}

/// Contacts that are written and might be left out.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, JsonSchema, Serialize)]
pub struct DoubtfulTally {
    /// Those with the address of an office.
    pub roles: u64,
    /// Those with an address at a domain whose mailboxes are thrown away after use.
    pub disposable: u64,
}

/// An import file.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct WriteTally {
    /// Its path as given.
    pub file: String,
    /// The layout, where there is one.
    pub layout: Option<String>,
    /// The format.
    pub format: &'static str,
    /// Whom it takes, where that is not everybody who is written.
    #[serde(rename = "where")]
    pub condition: Option<String>,
    /// Its rows, without the header.
    pub rows: u64,
    /// How many of them are in another import file too.
    pub also_in_another: u64,
    /// The numbered files that it came to, where a file may hold only so much.
    pub files: Vec<PartTally>,
    /// The sheets that it came to, where one did not hold all.
    pub sheets: Option<usize>,
}

/// One of several files with numbered names.
#[derive(Debug, Clone, JsonSchema, Serialize)]
pub struct PartTally {
    /// Its path as given.
    pub file: String,
    /// Its rows, without the header.
    pub rows: u64,
}

impl Tally {
    /// Fails unless every row read is accounted for, for each source and in all, and in every import file.
    pub fn check_balance(&self) -> Result<()> {
        let mut sum = Account::default();
        for source in &self.sources {
            if !source.account.balances() {
                return Err(unbalanced(&format!("the source {}", source.name), &source.account));
            }
            sum.add(&source.account);
        }
        if sum != self.all || !self.all.balances() {
            return Err(unbalanced("all sources together", &self.all));
        }
        for file in &self.written {
            let is_whole = match file.condition {
                None => file.rows == self.all.written,
                Some(_) => file.rows <= self.all.written,
            };
            let of_parts: u64 = file.files.iter().map(|part| part.rows).sum();
            if !is_whole || (!file.files.is_empty() && of_parts != file.rows) {
                let wanted = if file.condition.is_some() { file.rows } else { self.all.written };
                let what = format!("{} would hold {} rows instead of {wanted}", file.file, file.rows.max(of_parts));
                return Err(Error::new(ErrorKind::Unbalanced, what, REPORT_IT));
            }
        }
        self.check_conditions()
    }

    /// Whoever is written stands in some file: where each has a condition, those in one file only and those in several make
    /// up all.
    fn check_conditions(&self) -> Result<()> {
        if self.written.is_empty() || self.written.iter().any(|file| file.condition.is_none()) {
            return Ok(());
        }
        let alone: u64 = self.written.iter().map(|file| file.rows - file.also_in_another.min(file.rows)).sum();
        let shared: u64 = self.written.iter().map(|file| file.also_in_another).sum();
        // Each of the others stands in two files at least.
        if alone <= self.all.written
            && self.all.written - alone <= shared / 2
            && (shared > 0 || alone == self.all.written)
        {
            return Ok(());
        }
        let what = format!("{} contacts are written, and the import files do not hold each of them", self.all.written);
        Err(Error::new(ErrorKind::Unbalanced, what, REPORT_IT))
    }
}

const REPORT_IT: &str =
    "this is a defect of the program, and nothing was put in place; please report it with the job file";

fn unbalanced(what: &str, account: &Account) -> Error {
    Error::new(
        ErrorKind::Unbalanced,
        format!(
            "the rows of {what} do not add up: {} read, but {} written + {} merged + {} set aside",
            account.read,
            account.written,
            account.merged,
            account.set_aside_in_all()
        ),
        REPORT_IT,
    )
}

/// How the search came out.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, JsonSchema, Serialize)]
pub struct NearTally {
    /// Whether it was done.
    pub searched: bool,
    /// People that were looked at.
    pub people: u64,
    /// Pairs in `review.csv`.
    pub pairs: u64,
    /// Pairs that somebody decided about before.
    pub decided: u64,
}

/// How much was filled from copies.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, JsonSchema, Serialize)]
pub struct FillTally {
    /// People that were given something.
    pub people: u64,
    /// Blank fields that were filled.
    pub values: u64,
    /// Differing values, of which the survivor's, or the one before in its ranking, was kept.
    pub conflicts: u64,
}

/// How much was taken from a list.
#[derive(Debug, Clone, Default, PartialEq, Eq, JsonSchema, Serialize)]
pub struct TakenTally {
    /// The list.
    pub list: String,
    /// People with a row in it that has a value.
    pub people: u64,
    /// Of those, the ones with several rows there that differ; the survivor rule decided.
    pub several: u64,
}
