//! The parts of a job file as TOML has them; [`super::file`] makes a job of them.

use super::date_parts::{DateOrderPart, DateSystemPart};
use crate::job::guard_parts::GuardPart;
use crate::job::known_names;
use crate::job::layout_parts::LayoutPart;
use crate::job::one_or_several::Headers;
use schemars::JsonSchema;
use serde::{Deserialize, Deserializer};
use std::collections::BTreeMap;
use std::path::PathBuf;

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct JobFile {
    /// What the job is called, and what holds for all of it.
    pub(super) job: JobPart,
    /// Where contacts come from, the most trusted first.
    #[serde(default)]
    pub(super) source: Vec<SourcePart>,
    /// Lists to ask about; they suppress nobody by themselves.
    #[serde(default)]
    pub(super) list: Vec<ListPart>,
    /// Fields of your own: a name and a kind.
    #[serde(default)]
    #[schemars(schema_with = "known_names::field_kinds")]
    pub(super) fields: BTreeMap<String, String>,
    /// Find and replace, before anything else is done.
    #[serde(default)]
    pub(super) replace: Vec<ReplacePart>,
    /// How values are cleaned, and which addresses are wanted.
    #[serde(default)]
    pub(super) clean: CleanPart,
    /// Uses verdicts on addresses that were found earlier.
    pub(super) check: Option<CheckPart>,
    /// Which rows are the same person, and which of them is written.
    #[serde(default)]
    pub(super) person: PersonPart,
    /// Who must not be contacted.
    #[serde(default)]
    pub(super) suppress: Vec<SuppressPart>,
    /// Exceptions from suppression.
    #[serde(default)]
    pub(super) allow: Vec<AllowPart>,
    /// How often a person may be written to.
    pub(super) limits: Option<LimitsPart>,
    /// What the bank learns from the sources.
    #[serde(default)]
    pub(super) remember: RememberPart,
    /// What a contact must have.
    #[serde(default)]
    pub(super) require: RequirePart,
    /// The audience.
    #[serde(default)]
    pub(super) select: SelectPart,
    /// Limits that stop the run before anything is put in place.
    #[serde(default)]
    pub(super) guard: GuardPart,
    /// The import files.
    #[serde(default)]
    pub(super) write: Vec<WritePart>,
    /// Tags for some people.
    #[serde(default)]
    pub(super) tag: Vec<TagPart>,
    /// The shapes of files, by name.
    #[serde(default)]
    pub(super) layout: BTreeMap<String, LayoutPart>,
}

/// What happens to contacts by verdicts that were found earlier.
#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct CheckPart {
    /// How far an address must have been checked: `"domain"` by default.
    #[serde(default)]
    #[schemars(schema_with = "known_names::levels")]
    pub(super) level: Option<String>,
    /// The age at which a verdict no longer counts, as `"30d"`, which is the default.
    pub(super) max_age: Option<String>,
    /// The verdicts whose contacts are set aside as `failed-check`.
    #[serde(default)]
    #[schemars(schema_with = "known_names::verdicts")]
    pub(super) set_aside: Vec<String>,
    /// A tag for contacts whose verdict is risky.
    pub(super) tag: Option<String>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct JobPart {
    /// What the job is called, in reports.
    pub(super) name: String,
    /// The folder for the receipt; by default the job's name with `.receipt`, beside the first import file.
    pub(super) receipt: Option<PathBuf>,
    /// The day that the run counts as today, as `"2026-03-02"`; by default the day of the run.
    pub(super) today: Option<String>,
    /// The country of contacts whose row names none, as `"GB"`.
    pub(super) country: Option<String>,
    /// The client or brand that the mailing is for.
    pub(super) scope: Option<String>,
    /// The name of the mailing, which the bank remembers once it is sent.
    pub(super) campaign: Option<String>,
    /// The bank: a file, or `"postgres://user@host/database"`. `--bank` names another one.
    pub(super) bank: Option<String>,
    /// A copy of the bank, made by `pebblebank bank snapshot`, with which the run goes on where the bank cannot be reached.
    pub(super) bank_copy: Option<PathBuf>,
    /// After how many days that copy is too old (guard `stale-bank-copy`); by default after 1.
    pub(super) bank_stale_after: Option<u32>,
    /// Tables and CSV files have semicolons and a byte order mark, as spreadsheets want them where the comma is the decimal sign.
    #[serde(default)]
    pub(super) for_spreadsheet: bool,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct SourcePart {
    /// What the source is called in tables and receipts.
    pub(super) name: String,
    /// One or more files of the same shape; `*`, `?`, `[…]` and `**` make a pattern.
    #[serde(deserialize_with = "one_or_several")]
    #[schemars(with = "OneOrSeveral")]
    pub(super) files: Vec<String>,
    /// Columns that are not recognised: field = header, or several headers.
    #[serde(default)]
    pub(super) columns: BTreeMap<String, Headers>,
    /// A condition on its own columns. Rows that it leaves out are still read: their opt-outs count.
    #[serde(rename = "where")]
    pub(super) condition: Option<String>,
    /// Headers of columns in which a yes, a tick or a date means that the person opted in.
    #[serde(default)]
    pub(super) opt_in: Vec<String>,
    /// Headers of columns in which a yes, a tick or a date means that the person opted out.
    #[serde(default)]
    pub(super) opt_out: Vec<String>,
    /// Headers of columns that say nothing about who may be contacted.
    #[serde(default)]
    pub(super) not_consent: Vec<String>,
    /// Only these rows of its single file, by the numbers that a spreadsheet shows, as `"200-450"`.
    pub(super) rows: Option<String>,
    /// After how many days a file of the source is too old.
    pub(super) stale_after: Option<u32>,
    /// Whether the day or the month comes first in dates that can be read both ways.
    pub(super) date_order: Option<DateOrderPart>,
    /// From which year the day numbers of spreadsheets count: `"1900"` (default), or `"1904"`.
    #[serde(default)]
    pub(super) date_system: DateSystemPart,
    /// The encoding, as `"windows-1252"`, if recognition is wrong.
    pub(super) encoding: Option<String>,
    /// What happens to bytes that are no character: `"stop"` (default), or `"replace"` with �.
    pub(super) on_bad_bytes: Option<OnBadBytesPart>,
    /// The delimiter, if recognition is wrong.
    #[serde(default)]
    #[schemars(schema_with = "known_names::delimiters")]
    pub(super) delimiter: Option<String>,
    /// The row of the header, from 1, if recognition is wrong; 0 for a file without a header.
    pub(super) header_row: Option<u64>,
    /// The sheet of a workbook, by name or by number from 1; `"all"` reads all sheets.
    pub(super) sheet: Option<SheetPart>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ListPart {
    /// What the list is called in conditions, layouts and tables.
    pub(super) name: String,
    /// One or more files of the same shape.
    #[serde(deserialize_with = "one_or_several")]
    #[schemars(with = "OneOrSeveral")]
    pub(super) files: Vec<String>,
    /// Which of its rows count: a condition on its columns.
    #[serde(rename = "where")]
    pub(super) condition: Option<String>,
    /// What is compared instead of the address, as `"phone"` or `"contact_id = member no"`.
    pub(super) by: Option<String>,
    /// Columns whose values fill blanks of the contacts.
    #[serde(default)]
    pub(super) take: TakePart,
    /// Columns that are not recognised: field = header, or several headers.
    #[serde(default)]
    pub(super) columns: BTreeMap<String, Headers>,
    /// Whether the day or the month comes first in dates that can be read both ways.
    pub(super) date_order: Option<DateOrderPart>,
    /// From which year the day numbers of spreadsheets count: `"1900"` (default), or `"1904"`.
    #[serde(default)]
    pub(super) date_system: DateSystemPart,
    /// The encoding, as `"windows-1252"`, if recognition is wrong.
    pub(super) encoding: Option<String>,
    /// What happens to bytes that are no character: `"stop"` (default), or `"replace"` with �.
    pub(super) on_bad_bytes: Option<OnBadBytesPart>,
    /// The delimiter, if recognition is wrong.
    #[serde(default)]
    #[schemars(schema_with = "known_names::delimiters")]
    pub(super) delimiter: Option<String>,
    /// The row of the header, from 1, if recognition is wrong; 0 for a file without a header.
    pub(super) header_row: Option<u64>,
    /// The sheet of a workbook, by name or by number from 1; `"all"` reads all sheets.
    pub(super) sheet: Option<SheetPart>,
}

/// `files = "a.csv"` is the list of that one file.
fn one_or_several<'de, D: Deserializer<'de>>(from: D) -> Result<Vec<String>, D::Error> {
    Ok(match OneOrSeveral::deserialize(from)? {
        OneOrSeveral::One(file) => vec![file],
        OneOrSeveral::Several(files) => files,
    })
}

#[derive(Deserialize, JsonSchema)]
#[serde(untagged, expecting = "a list of files: [\"a.csv\", \"b.csv\"]")]
pub(super) enum OneOrSeveral {
    One(String),
    Several(Vec<String>),
}

/// Columns under their own names, or under others.
#[derive(Deserialize, JsonSchema)]
#[serde(untagged, expecting = "a list of columns, or { \"own name\" = \"the list's column\" }")]
pub(super) enum TakePart {
    Named(Vec<String>),
    Renamed(BTreeMap<String, String>),
}

impl Default for TakePart {
    fn default() -> TakePart {
        TakePart::Named(Vec::new())
    }
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct SuppressPart {
    /// What the list is called.
    pub(super) name: String,
    /// One or more files of the same shape.
    #[serde(default, deserialize_with = "one_or_several")]
    #[schemars(with = "OneOrSeveral")]
    pub(super) files: Vec<String>,
    /// Instead of `files`: a `[[list]]` of this job.
    pub(super) list: Option<String>,
    /// Why its people must not be contacted: `do-not-contact` by default, `on-other-list` with `list`.
    #[serde(default)]
    #[schemars(schema_with = "known_names::list_reasons")]
    pub(super) reason: Option<String>,
    /// A status column that gives each entry its own reason.
    pub(super) reason_from: Option<String>,
    /// A column with the last day on which an entry counts.
    pub(super) until: Option<String>,
    /// What happens to contacts that are one typo, a tag or a name away from an unmatched entry.
    pub(super) near_miss: Option<NearMissPart>,
    /// After how many days a file of the list is too old.
    pub(super) stale_after: Option<u32>,
    /// The list may have fewer entries than in the run before.
    #[serde(default)]
    pub(super) may_shrink: bool,
    /// Which of its rows count: a condition on its columns.
    #[serde(rename = "where")]
    pub(super) condition: Option<String>,
    /// What is compared instead of the address, as `"phone"` or `"contact_id = member no"`.
    pub(super) by: Option<String>,
    /// Columns that are not recognised: field = header, or several headers.
    #[serde(default)]
    pub(super) columns: BTreeMap<String, Headers>,
    /// Whether the day or the month comes first in dates that can be read both ways.
    pub(super) date_order: Option<DateOrderPart>,
    /// From which year the day numbers of spreadsheets count: `"1900"` (default), or `"1904"`.
    #[serde(default)]
    pub(super) date_system: DateSystemPart,
    /// The encoding, as `"windows-1252"`, if recognition is wrong.
    pub(super) encoding: Option<String>,
    /// What happens to bytes that are no character: `"stop"` (default), or `"replace"` with �.
    pub(super) on_bad_bytes: Option<OnBadBytesPart>,
    /// The delimiter, if recognition is wrong.
    #[serde(default)]
    #[schemars(schema_with = "known_names::delimiters")]
    pub(super) delimiter: Option<String>,
    /// The row of the header, from 1, if recognition is wrong; 0 for a file without a header.
    pub(super) header_row: Option<u64>,
    /// The sheet of a workbook, by name or by number from 1; `"all"` reads all sheets.
    pub(super) sheet: Option<SheetPart>,
}

#[derive(Deserialize, JsonSchema, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum NearMissPart {
    Report,
    SetAside,
    Ignore,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct AllowPart {
    /// Addresses that are written although a list has them for a lesser reason.
    pub(super) addresses: Vec<String>,
    /// The reason, which the account shows.
    pub(super) why: String,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct LimitsPart {
    /// How many mailings a person may be sent.
    pub(super) at_most: u32,
    /// Within how many days.
    pub(super) per_days: u32,
}

#[derive(Deserialize, JsonSchema, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct RememberPart {
    /// People who opted out or complained in a source go into the bank.
    #[serde(default)]
    pub(super) opted_out: bool,
    /// Addresses that bounced, according to a source, go into the bank.
    #[serde(default)]
    pub(super) bounced: bool,
}

#[derive(Deserialize, JsonSchema, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum OnBadBytesPart {
    Stop,
    Replace,
}

#[derive(Deserialize, JsonSchema)]
#[serde(untagged)]
pub(super) enum SheetPart {
    Named(String),
    Numbered(u64),
}

/// What overrules recognition, as a source or a list says it.
pub(super) struct Overruled {
    pub(super) encoding: Option<String>,
    pub(super) on_bad_bytes: Option<OnBadBytesPart>,
    pub(super) delimiter: Option<String>,
    pub(super) header_row: Option<u64>,
    pub(super) sheet: Option<SheetPart>,
}

macro_rules! overruled {
    ($part:expr) => {
        Overruled {
            encoding: $part.encoding,
            on_bad_bytes: $part.on_bad_bytes,
            delimiter: $part.delimiter,
            header_row: $part.header_row,
            sheet: $part.sheet,
        }
    };
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ReplacePart {
    /// A field, or the header of an extra column.
    pub(super) field: String,
    /// The whole value, ignoring letter case and spaces around it.
    pub(super) find: Option<String>,
    /// Instead: every occurrence of exactly this text in the value.
    pub(super) part: Option<String>,
    /// Instead: a pattern for the whole value; `*` stands for any characters, `?` for one.
    pub(super) pattern: Option<String>,
    /// The replacement.
    pub(super) with: String,
}

#[derive(Deserialize, JsonSchema, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct CleanPart {
    /// What addresses are compared by: ignoring letter case (default), or also tags.
    pub(super) identity: Option<IdentityPart>,
    /// Suggested repairs of addresses that the run makes.
    #[serde(default)]
    #[schemars(schema_with = "known_names::suggested_rules")]
    pub(super) apply: Vec<String>,
    /// Whether the day or the month comes first in dates that can be read both ways.
    pub(super) date_order: Option<DateOrderPart>,
    /// Further words that count as blank, or words added and dropped.
    #[serde(default)]
    pub(super) blank_words: BlankWordsPart,
    /// What happens to role addresses such as `info@`: `"pass"` by default.
    pub(super) role: Option<RolePart>,
    /// What happens to addresses at domains of throw-away mailboxes: `"pass"` by default.
    pub(super) disposable: Option<PassingPart>,
    /// Further such domains.
    #[serde(default)]
    pub(super) disposable_domains: Vec<String>,
}

/// Words that are added to the list, or words added and taken out.
#[derive(Deserialize, JsonSchema)]
#[serde(untagged, expecting = "a list of words to add, or { add = [...], drop = [...] }")]
pub(super) enum BlankWordsPart {
    Added(Vec<String>),
    Changed(BlankWordsChange),
}

#[derive(Deserialize, JsonSchema, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct BlankWordsChange {
    /// Words that count as blank.
    #[serde(default)]
    pub(super) add: Vec<String>,
    /// Words that do not.
    #[serde(default)]
    pub(super) drop: Vec<String>,
}

impl Default for BlankWordsPart {
    fn default() -> BlankWordsPart {
        BlankWordsPart::Added(Vec::new())
    }
}

#[derive(Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(super) enum RolePart {
    Pass,
    Tag,
    SetAside,
}

#[derive(Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(super) enum IdentityPart {
    IgnoreCase,
    IgnoreTags,
}

#[derive(Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(super) enum PassingPart {
    Pass,
    SetAside,
}

#[derive(Deserialize, JsonSchema, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct PersonPart {
    /// The keys that make rows one person, as `["email", "last_name + postal_code"]`; by default `["email"]`.
    pub(super) same: Option<Vec<String>>,
    /// Which row of a person is written: `first-read` by default.
    #[serde(default)]
    #[schemars(schema_with = "known_names::survivors")]
    pub(super) survivor: Option<String>,
    /// The date that `newest` compares.
    pub(super) newest_by: Option<String>,
    /// The survivor's blank fields are filled from the other rows of the person.
    #[serde(default)]
    pub(super) fill: bool,
    /// A value shared by more than this many different addresses is a switchboard; 20 by default.
    pub(super) largest_group: Option<u32>,
    /// Whether the run looks for likely duplicates.
    pub(super) near_duplicates: Option<bool>,
    /// The file of decisions about people that `pebblebank review` writes.
    pub(super) decisions: Option<PathBuf>,
}

#[derive(Deserialize, JsonSchema, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct RequirePart {
    /// All of these fields; replaces the default `["email"]`.
    pub(super) fields: Option<Vec<String>>,
    /// At least one of these groups, as `["phone", "street + city"]`.
    #[serde(default)]
    pub(super) any: Vec<String>,
    /// At least one copy of the person must have opted in.
    pub(super) consent: Option<ConsentPart>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(super) enum ConsentPart {
    OptedIn,
}

#[derive(Deserialize, JsonSchema, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct SelectPart {
    /// A condition, as `'country is GB and not tags has member'`.
    #[serde(rename = "where")]
    pub(super) condition: Option<String>,
    /// The first contacts that could be written, this many.
    pub(super) first: Option<u64>,
    /// Contacts picked at random, this many.
    pub(super) sample: Option<u64>,
    /// Another number gives another sample; 1 by default.
    pub(super) seed: Option<u64>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct WritePart {
    /// The file to write; `{date}`, `{campaign}`, `{scope}` and `{part}` stand for what they name.
    pub(super) file: String,
    /// A `[layout.NAME]` of this file, or a `.toml` file that has its keys.
    pub(super) layout: Option<String>,
    /// The format; by default by the ending of the name.
    #[serde(default)]
    #[schemars(schema_with = "known_names::file_formats")]
    pub(super) format: Option<String>,
    /// Who of those that are written is in this file; by default everyone.
    #[serde(rename = "where")]
    pub(super) condition: Option<String>,
}

#[derive(Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct TagPart {
    /// The tag.
    pub(super) name: String,
    /// Who gets it: a condition.
    #[serde(rename = "where")]
    pub(super) condition: String,
}

pub(super) use overruled;
