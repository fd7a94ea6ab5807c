//! How the dates of files are read, as job files say it.

use pebblebank_values::date::{DateOrder, DateSystem};
use schemars::JsonSchema;
use serde::Deserialize;

#[derive(Deserialize, JsonSchema, Clone, Copy)]
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

#[derive(Deserialize, JsonSchema, Clone, Copy, Default)]
pub(super) enum DateSystemPart {
    #[default]
    #[serde(rename = "1900")]
    From1900,
    #[serde(rename = "1904")]
    From1904,
}

impl From<DateSystemPart> for DateSystem {
    fn from(part: DateSystemPart) -> DateSystem {
        match part {
            DateSystemPart::From1900 => DateSystem::From1900,
            DateSystemPart::From1904 => DateSystem::From1904,
        }
    }
}
