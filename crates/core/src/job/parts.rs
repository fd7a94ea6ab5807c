//! The parts of a job file as TOML has them; [`super::file`] makes a job of them.

use crate::job::layout_parts::LayoutPart;
use crate::job::one_or_several::Headers;
use pebblebank_values::date::DateOrder;
use serde::{Deserialize, Deserializer};
use std::collections::BTreeMap;
use std::path::PathBuf;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct JobFile {
    pub(super) job: JobPart,
    #[serde(default)]
    pub(super) source: Vec<SourcePart>,
    #[serde(default)]
    pub(super) list: Vec<ListPart>,
    #[serde(default)]
    pub(super) fields: BTreeMap<String, String>,
    #[serde(default)]
    pub(super) replace: Vec<ReplacePart>,
    #[serde(default)]
    pub(super) clean: CleanPart,
    pub(super) check: Option<CheckPart>,
    #[serde(default)]
    pub(super) person: PersonPart,
    #[serde(default)]
    pub(super) suppress: Vec<SuppressPart>,
    #[serde(default)]
    pub(super) allow: Vec<AllowPart>,
    pub(super) limits: Option<LimitsPart>,
    #[serde(default)]
    pub(super) remember: RememberPart,
    #[serde(default)]
    pub(super) require: RequirePart,
    #[serde(default)]
    pub(super) select: SelectPart,
    #[serde(default)]
    pub(super) guard: GuardPart,
    #[serde(default)]
    pub(super) write: Vec<WritePart>,
    #[serde(default)]
    pub(super) tag: Vec<TagPart>,
    #[serde(default)]
    pub(super) layout: BTreeMap<String, LayoutPart>,
}

/// What happens to contacts by verdicts that were found earlier.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct CheckPart {
    pub(super) level: Option<String>,
    pub(super) max_age: Option<String>,
    #[serde(default)]
    pub(super) set_aside: Vec<String>,
    pub(super) tag: Option<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct JobPart {
    pub(super) name: String,
    pub(super) receipt: Option<PathBuf>,
    pub(super) today: Option<String>,
    pub(super) country: Option<String>,
    pub(super) scope: Option<String>,
    pub(super) campaign: Option<String>,
    #[serde(default)]
    pub(super) for_spreadsheet: bool,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct SourcePart {
    pub(super) name: String,
    #[serde(deserialize_with = "one_or_several")]
    pub(super) files: Vec<String>,
    #[serde(default)]
    pub(super) columns: BTreeMap<String, Headers>,
    #[serde(rename = "where")]
    pub(super) condition: Option<String>,
    #[serde(default)]
    pub(super) opt_in: Vec<String>,
    #[serde(default)]
    pub(super) opt_out: Vec<String>,
    #[serde(default)]
    pub(super) not_consent: Vec<String>,
    pub(super) rows: Option<String>,
    pub(super) stale_after: Option<u32>,
    pub(super) date_order: Option<DateOrderPart>,
    pub(super) encoding: Option<String>,
    pub(super) on_bad_bytes: Option<OnBadBytesPart>,
    pub(super) delimiter: Option<String>,
    pub(super) header_row: Option<u64>,
    pub(super) sheet: Option<SheetPart>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct ListPart {
    pub(super) name: String,
    #[serde(deserialize_with = "one_or_several")]
    pub(super) files: Vec<String>,
    #[serde(rename = "where")]
    pub(super) condition: Option<String>,
    pub(super) by: Option<String>,
    #[serde(default)]
    pub(super) take: TakePart,
    #[serde(default)]
    pub(super) columns: BTreeMap<String, Headers>,
    pub(super) date_order: Option<DateOrderPart>,
    pub(super) encoding: Option<String>,
    pub(super) on_bad_bytes: Option<OnBadBytesPart>,
    pub(super) delimiter: Option<String>,
    pub(super) header_row: Option<u64>,
    pub(super) sheet: Option<SheetPart>,
}

/// `files = "a.csv"` is the list of that one file.
fn one_or_several<'de, D: Deserializer<'de>>(from: D) -> Result<Vec<String>, D::Error> {
    #[derive(Deserialize)]
    #[serde(untagged, expecting = "a list of files: [\"a.csv\", \"b.csv\"]")]
    enum Files {
        One(String),
        Several(Vec<String>),
    }
    Ok(match Files::deserialize(from)? {
        Files::One(file) => vec![file],
        Files::Several(files) => files,
    })
}

/// Columns under their own names, or under others.
#[derive(Deserialize)]
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

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct SuppressPart {
    pub(super) name: String,
    #[serde(default, deserialize_with = "one_or_several")]
    pub(super) files: Vec<String>,
    pub(super) list: Option<String>,
    pub(super) reason: Option<String>,
    pub(super) reason_from: Option<String>,
    pub(super) until: Option<String>,
    pub(super) near_miss: Option<NearMissPart>,
    pub(super) stale_after: Option<u32>,
    #[serde(default)]
    pub(super) may_shrink: bool,
    #[serde(rename = "where")]
    pub(super) condition: Option<String>,
    pub(super) by: Option<String>,
    #[serde(default)]
    pub(super) columns: BTreeMap<String, Headers>,
    pub(super) date_order: Option<DateOrderPart>,
    pub(super) encoding: Option<String>,
    pub(super) on_bad_bytes: Option<OnBadBytesPart>,
    pub(super) delimiter: Option<String>,
    pub(super) header_row: Option<u64>,
    pub(super) sheet: Option<SheetPart>,
}

#[derive(Deserialize, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum NearMissPart {
    Report,
    SetAside,
    Ignore,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct AllowPart {
    pub(super) addresses: Vec<String>,
    pub(super) why: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct LimitsPart {
    pub(super) at_most: u32,
    pub(super) per_days: u32,
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct RememberPart {
    #[serde(default)]
    pub(super) opted_out: bool,
    #[serde(default)]
    pub(super) bounced: bool,
}

#[derive(Deserialize, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum OnBadBytesPart {
    Stop,
    Replace,
}

#[derive(Deserialize)]
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

#[derive(Deserialize, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum DateOrderPart {
    Dmy,
    Mdy,
}

impl From<DateOrderPart> for DateOrder {
    fn from(part: DateOrderPart) -> DateOrder {
        match part {
            DateOrderPart::Dmy => DateOrder::DayFirst,
            DateOrderPart::Mdy => DateOrder::MonthFirst,
        }
    }
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct ReplacePart {
    pub(super) field: String,
    pub(super) find: Option<String>,
    pub(super) part: Option<String>,
    pub(super) pattern: Option<String>,
    pub(super) with: String,
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct CleanPart {
    pub(super) identity: Option<IdentityPart>,
    #[serde(default)]
    pub(super) apply: Vec<String>,
    pub(super) date_order: Option<DateOrderPart>,
    #[serde(default)]
    pub(super) blank_words: BlankWordsPart,
    pub(super) role: Option<RolePart>,
    pub(super) disposable: Option<PassingPart>,
    #[serde(default)]
    pub(super) disposable_domains: Vec<String>,
}

/// Words that are added to the list, or words added and taken out.
#[derive(Deserialize)]
#[serde(untagged, expecting = "a list of words to add, or { add = [...], drop = [...] }")]
pub(super) enum BlankWordsPart {
    Added(Vec<String>),
    Changed(BlankWordsChange),
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct BlankWordsChange {
    #[serde(default)]
    pub(super) add: Vec<String>,
    #[serde(default)]
    pub(super) drop: Vec<String>,
}

impl Default for BlankWordsPart {
    fn default() -> BlankWordsPart {
        BlankWordsPart::Added(Vec::new())
    }
}

#[derive(Deserialize)]
#[serde(rename_all = "kebab-case")]
pub(super) enum RolePart {
    Pass,
    Tag,
    SetAside,
}

#[derive(Deserialize)]
#[serde(rename_all = "kebab-case")]
pub(super) enum IdentityPart {
    IgnoreCase,
    IgnoreTags,
}

#[derive(Deserialize)]
#[serde(rename_all = "kebab-case")]
pub(super) enum PassingPart {
    Pass,
    SetAside,
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct PersonPart {
    pub(super) same: Option<Vec<String>>,
    pub(super) survivor: Option<String>,
    pub(super) newest_by: Option<String>,
    #[serde(default)]
    pub(super) fill: bool,
    pub(super) largest_group: Option<u32>,
    pub(super) near_duplicates: Option<bool>,
    pub(super) decisions: Option<PathBuf>,
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct RequirePart {
    pub(super) fields: Option<Vec<String>>,
    #[serde(default)]
    pub(super) any: Vec<String>,
    pub(super) consent: Option<ConsentPart>,
}

#[derive(Deserialize)]
#[serde(rename_all = "kebab-case")]
pub(super) enum ConsentPart {
    OptedIn,
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct SelectPart {
    #[serde(rename = "where")]
    pub(super) condition: Option<String>,
    pub(super) first: Option<u64>,
    pub(super) sample: Option<u64>,
    pub(super) seed: Option<u64>,
}

/// A share or a number of rows, or one for each reason.
#[derive(Deserialize)]
#[serde(untagged, expecting = "a share as \"40%\", a number of rows, or { all = \"40%\", invalid-address = 200 }")]
pub(super) enum SetAsidePart {
    Share(String),
    Rows(u64),
    Each(BTreeMap<String, ShareOrRows>),
}

impl Default for SetAsidePart {
    fn default() -> SetAsidePart {
        SetAsidePart::Each(BTreeMap::new())
    }
}

#[derive(Deserialize)]
#[serde(untagged, expecting = "a share as \"40%\", or a number of rows")]
pub(super) enum ShareOrRows {
    Share(String),
    Rows(u64),
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
pub(super) struct GuardPart {
    #[serde(default)]
    pub(super) set_aside_at_most: SetAsidePart,
    pub(super) write_at_least: Option<u64>,
    pub(super) write_at_most: Option<u64>,
    pub(super) write_exactly: Option<u64>,
    pub(super) change_at_most: Option<String>,
    #[serde(default)]
    pub(super) not_same_as_last_time: bool,
    #[serde(default)]
    pub(super) not_fewer_than_last_time: bool,
    #[serde(default)]
    pub(super) no_empty_source: bool,
    #[serde(default)]
    pub(super) steps: Vec<u64>,
    #[serde(default)]
    pub(super) accept: BTreeMap<String, u64>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct WritePart {
    pub(super) file: String,
    pub(super) layout: Option<String>,
    pub(super) format: Option<String>,
    #[serde(rename = "where")]
    pub(super) condition: Option<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct TagPart {
    pub(super) name: String,
    #[serde(rename = "where")]
    pub(super) condition: String,
}

pub(super) use overruled;
