//! The parts of a job file about layouts, as TOML has them; [`super::file`] makes layouts of them.

use crate::job::one_or_several::Headers;
use serde::Deserialize;
use serde::de::value::MapAccessDeserializer;
use serde::de::{Deserializer, MapAccess, Visitor};
use std::collections::BTreeMap;
use std::fmt;

#[derive(Deserialize, Clone)]
#[serde(deny_unknown_fields)]
pub(super) struct LayoutPart {
    pub(super) columns: Vec<ColumnPart>,
    #[serde(default = "yes")]
    pub(super) defuse: bool,
    pub(super) on_violation: Option<OnViolationPart>,
    pub(super) sort: Option<Headers>,
    pub(super) format: Option<String>,
    pub(super) header: Option<bool>,
    pub(super) delimiter: Option<String>,
    pub(super) quoting: Option<QuotingPart>,
    pub(super) line_end: Option<LineEndPart>,
    pub(super) encoding: Option<String>,
    pub(super) not_in_encoding: Option<LackingPart>,
    pub(super) byte_order_mark: Option<bool>,
    pub(super) decimal: Option<String>,
    pub(super) most_rows: Option<u64>,
    pub(super) most_bytes: Option<String>,
    pub(super) separator: Option<String>,
    pub(super) per_line: Option<u64>,
}

fn yes() -> bool {
    true
}

#[derive(Deserialize, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum OnViolationPart {
    SetAside,
    Stop,
}

#[derive(Deserialize, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum QuotingPart {
    Needed,
    All,
}

#[derive(Deserialize, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum LineEndPart {
    Lf,
    Crlf,
}

#[derive(Deserialize, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum LackingPart {
    Nearest,
    SetAside,
}

#[derive(Deserialize, Clone, Copy)]
#[serde(rename_all = "kebab-case")]
pub(super) enum TooLongPart {
    Cut,
    SetAside,
    Stop,
}

/// A column as `--columns` has it, or a table that says more.
#[derive(Clone)]
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

#[derive(Deserialize, Clone)]
#[serde(deny_unknown_fields)]
pub(super) struct LayoutColumnPart {
    pub(super) name: String,
    pub(super) from: Option<String>,
    pub(super) constant: Option<String>,
    pub(super) form: Option<String>,
    pub(super) yes: Option<String>,
    pub(super) no: Option<String>,
    pub(super) otherwise: Option<String>,
    #[serde(default)]
    pub(super) required: bool,
    #[serde(default)]
    pub(super) values: BTreeMap<String, String>,
    pub(super) allowed: Option<Vec<String>>,
    pub(super) other: Option<String>,
    pub(super) pattern: Option<String>,
    pub(super) longest: Option<i64>,
    pub(super) too_long: Option<TooLongPart>,
}
