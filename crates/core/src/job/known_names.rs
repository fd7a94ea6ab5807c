//! The names that keys of a job file take, for its schema: the very ones that it is read with.

use super::guard::Guard;
use crate::person::same::Survivor;
use crate::suppress::reason::Reason;
use pebblebank_formats::writing::FileFormat;
use pebblebank_values::Rule;
use pebblebank_values::kind::Kind;
use pebblebank_values::verdict::{Level, Verdict};
use schemars::{Schema, SchemaGenerator, json_schema};
use strum::VariantArray;

fn one_of(names: &[&str]) -> Schema {
    json_schema!({ "type": "string", "enum": names })
}

fn some_of(names: &[&str]) -> Schema {
    json_schema!({ "type": "array", "items": { "type": "string", "enum": names } })
}

pub(super) fn delimiters(_: &mut SchemaGenerator) -> Schema {
    one_of(&[",", ";", "|", "tab"])
}

pub(super) fn field_kinds(_: &mut SchemaGenerator) -> Schema {
    let kinds: Vec<&str> = Kind::NAMES.iter().map(|(name, _)| *name).collect();
    json_schema!({ "type": "object", "additionalProperties": { "type": "string", "enum": kinds } })
}

pub(super) fn levels(_: &mut SchemaGenerator) -> Schema {
    one_of(&Level::VARIANTS.iter().map(|level| level.name()).collect::<Vec<_>>())
}

pub(super) fn verdicts(_: &mut SchemaGenerator) -> Schema {
    let names = Verdict::VARIANTS.iter().filter(|verdict| **verdict != Verdict::Valid).map(|verdict| verdict.name());
    some_of(&names.collect::<Vec<_>>())
}

pub(super) fn list_reasons(_: &mut SchemaGenerator) -> Schema {
    one_of(&Reason::FOR_LISTS.map(Reason::name))
}

pub(super) fn suggested_rules(_: &mut SchemaGenerator) -> Schema {
    some_of(&Rule::SUGGESTED.map(Rule::name))
}

pub(super) fn survivors(_: &mut SchemaGenerator) -> Schema {
    one_of(&Survivor::VARIANTS.iter().map(|rule| rule.name()).collect::<Vec<_>>())
}

pub(super) fn accepted_guards(_: &mut SchemaGenerator) -> Schema {
    let count = || json_schema!({ "type": "integer", "minimum": 0 }).to_value();
    let guards: serde_json::Map<String, serde_json::Value> =
        Guard::ALL.into_iter().map(|guard| (guard.name().to_owned(), count())).collect();
    json_schema!({ "type": "object", "properties": guards, "additionalProperties": false })
}

pub(super) fn file_formats(_: &mut SchemaGenerator) -> Schema {
    one_of(&FileFormat::VARIANTS.iter().map(|format| format.name()).collect::<Vec<_>>())
}
