//! The parts of a job file about layouts, as TOML has them; [`super::file`] makes layouts of them.

use crate::job::known_names;
use crate::job::one_or_several::Headers;
use schemars::JsonSchema;
use serde::Deserialize;
use serde::de::value::MapAccessDeserializer;
use serde::de::{Deserializer, MapAccess, Visitor};
use std::collections::BTreeMap;
use std::fmt;

#[derive(Deserialize, JsonSchema, Clone)]
#[serde(deny_unknown_fields)]
pub(super) struct LayoutPart {
    /// The columns in order: in short `"Email Address=email"`, or as tables.
    pub(super) columns: Vec<ColumnPart>,
    /// Cells that a spreadsheet would run as a formula get an apostrophe in front; `true` by default.
    #[serde(default = "yes")]
    pub(super) defuse: bool,
    /// What happens to a row that does not fit.
    pub(super) on_violation: Option<OnViolationPart>,
    /// What rows are sorted by, as `"last_name, signed_up descending"`.
    pub(super) sort: Option<Headers>,
    /// The format of the file.
    #[serde(default)]
    #[schemars(schema_with = "known_names::file_formats")]
    pub(super) format: Option<String>,
    /// Whether the first row names the columns; `true` by default.
    pub(super) header: Option<bool>,
    /// The sign between cells.
    #[serde(default)]
    #[schemars(schema_with = "known_names::delimiters")]
    pub(super) delimiter: Option<String>,
    /// Which cells are in quotes: those that need it (default), or all.
    pub(super) quoting: Option<QuotingPart>,
    /// The line end: LF (default), or CR LF.
    pub(super) line_end: Option<LineEndPart>,
    /// The encoding; UTF-8 by default.
    pub(super) encoding: Option<String>,
    /// What happens to a row with characters that the encoding lacks.
    pub(super) not_in_encoding: Option<LackingPart>,
    /// Whether the file begins with U+FEFF.
    pub(super) byte_order_mark: Option<bool>,
    /// The sign before decimals: `"."` (default) or `","`.
    pub(super) decimal: Option<String>,
    /// The most rows of a file; the rest goes into further files.
    pub(super) most_rows: Option<u64>,
    /// The largest size of a file, as `"10 MiB"`.
    pub(super) most_bytes: Option<String>,
    /// Between the recipients of a recipient line: `", "` (default), `"; "` or `"line"`.
    pub(super) separator: Option<String>,
    /// The most recipients in one line.
    pub(super) per_line: Option<u64>,
}

fn yes() -> bool {
    true
}

#[derive(Deserialize, JsonSchema, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum OnViolationPart {
    SetAside,
    Stop,
}

#[derive(Deserialize, JsonSchema, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum QuotingPart {
    Needed,
    All,
}

#[derive(Deserialize, JsonSchema, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum LineEndPart {
    Lf,
    Crlf,
}

#[derive(Deserialize, JsonSchema, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum LackingPart {
    Nearest,
    SetAside,
}

#[derive(Deserialize, JsonSchema, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum TooLongPart {
    Cut,
    SetAside,
    Stop,
}

/// A column as `--columns` has it, or a table that says more.
#[derive(Clone, JsonSchema)]
#[schemars(untagged)]
pub(super) enum ColumnPart {
    Short(String),
    Whole(Box<LayoutColumnPart>),
}

impl<'de> Deserialize<'de> for ColumnPart {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<ColumnPart, D::Error> {
        struct Either;
        impl<'de> Visitor<'de> for Either {
            type Value = ColumnPart;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str(
                    "a column: \"email\", \"Email Address=email\" or { name = \"Email Address\", from = \"email\" }",
                )
            }

            fn visit_str<E>(self, text: &str) -> Result<ColumnPart, E> {
                Ok(ColumnPart::Short(text.to_owned()))
            }

            fn visit_map<A: MapAccess<'de>>(self, map: A) -> Result<ColumnPart, A::Error> {
                LayoutColumnPart::deserialize(MapAccessDeserializer::new(map)).map(Box::new).map(ColumnPart::Whole)
            }
        }
        deserializer.deserialize_any(Either)
    }
}

#[derive(Deserialize, JsonSchema, Clone)]
#[serde(deny_unknown_fields)]
pub(super) struct LayoutColumnPart {
    /// Its header.
    pub(super) name: String,
    /// A field, an extra column, a template, or whether the person is in a list.
    pub(super) from: Option<String>,
    /// The same text in every row, instead of `from`.
    pub(super) constant: Option<String>,
    /// The form of a country, region, date, address or text.
    pub(super) form: Option<String>,
    /// What is written for a yes, or for people who are in the list.
    pub(super) yes: Option<String>,
    /// What is written for a no, or for people who are not in the list.
    pub(super) no: Option<String>,
    /// What is written if a field of `from` is blank.
    pub(super) otherwise: Option<String>,
    /// Whether it must be filled.
    #[serde(default)]
    pub(super) required: bool,
    /// Replacements for values.
    #[serde(default)]
    pub(super) values: BTreeMap<String, String>,
    /// The only allowed values.
    pub(super) allowed: Option<Vec<String>>,
    /// What is written instead of a value that is not allowed.
    pub(super) other: Option<String>,
    /// A pattern for the value: `*`, `?`, and `[0-9]` for a digit.
    pub(super) pattern: Option<String>,
    /// The most characters that a value may have.
    pub(super) longest: Option<i64>,
    /// What happens to longer values.
    pub(super) too_long: Option<TooLongPart>,
}
