//! Checks documents against the JSON Schemas that the program prints (draft 2020-12, as far as they use it). A key that the
//! schema does not name is a fault, too.

use serde_json::Value;
use std::collections::{BTreeSet, HashMap};
use std::process::Command;
use std::sync::{Arc, LazyLock, Mutex};

/// The schema of this name, as the program prints it.
pub fn schema(name: &str) -> Arc<Value> {
    static KNOWN: LazyLock<Mutex<HashMap<String, Arc<Value>>>> = LazyLock::new(Mutex::default);
    let mut known = KNOWN.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    let print = || {
        let output = Command::new(env!("CARGO_BIN_EXE_pebblebank")).args(["schema", name]).output().unwrap();
        Arc::new(serde_json::from_slice(&output.stdout).unwrap_or_else(|_| panic!("there is no schema {name}")))
    };
    Arc::clone(known.entry(name.to_owned()).or_insert_with(print))
}

/// Fails unless the document is as the schema that it names says.
pub fn check(document: &Value) {
    let named = document["schema"].as_str().unwrap_or_else(|| panic!("a document names its schema: {document}"));
    let faults = faults(&schema(named.split('/').nth(1).unwrap()), document);
    assert!(faults.is_empty(), "{named}: {faults:?}");
}

/// Where the value is not as the schema says.
pub fn faults(whole: &Value, value: &Value) -> Vec<String> {
    let mut faults = Vec::new();
    let known = look(whole, whole, value, "", &mut faults);
    unknown_keys(&known, value, "", &mut faults);
    faults
}

/// Adds the faults of a value, and gives the keys that the schema names for it.
fn look(whole: &Value, schema: &Value, value: &Value, at: &str, faults: &mut Vec<String>) -> BTreeSet<String> {
    let mut known = BTreeSet::new();
    if let Some(target) = schema["$ref"].as_str() {
        let target = whole.pointer(target.trim_start_matches('#')).expect("the schema has what it refers to");
        known.extend(look(whole, target, value, at, faults));
    }
    for part in schema["allOf"].as_array().into_iter().flatten() {
        known.extend(look(whole, part, value, at, faults));
    }
    for several in ["anyOf", "oneOf"] {
        let Some(parts) = schema[several].as_array() else { continue };
        let fits = |part: &Value| {
            let mut own = Vec::new();
            let keys = look(whole, part, value, at, &mut own);
            own.is_empty().then_some(keys)
        };
        match parts.iter().filter_map(fits).reduce(|mut all, more| {
            all.extend(more);
            all
        }) {
            Some(keys) => known.extend(keys),
            None => faults.push(format!("{at}: {value} is none of what it may be")),
        }
    }
    let is_type = |name: &Value| match name.as_str().unwrap_or_default() {
        "object" => value.is_object(),
        "array" => value.is_array(),
        "string" => value.is_string(),
        "integer" => value.is_u64() || value.is_i64(),
        "number" => value.is_number(),
        "boolean" => value.is_boolean(),
        _ => value.is_null(),
    };
    let has_type = match &schema["type"] {
        Value::Null => true,
        Value::Array(names) => names.iter().any(is_type),
        name => is_type(name),
    };
    let may_be = |key: &str| schema[key].as_array().is_none_or(|values| value.is_null() || values.contains(value));
    if !has_type || !may_be("enum") || (!schema["const"].is_null() && schema["const"] != *value) {
        faults.push(format!("{at}: {value} is not what it must be"));
    }
    for (place, item) in value.as_array().into_iter().flatten().enumerate().filter(|_| schema["items"].is_object()) {
        let at = format!("{at}/{place}");
        let keys = look(whole, &schema["items"], item, &at, faults);
        unknown_keys(&keys, item, &at, faults);
    }
    let missing = schema["required"].as_array().into_iter().flatten().filter_map(Value::as_str);
    faults.extend(missing.filter(|key| value.get(key).is_none()).map(|key| format!("{at}: {key} is missing")));
    for (key, own) in value.as_object().into_iter().flatten() {
        let at = format!("{at}/{key}");
        let of_key =
            schema["properties"].get(key).or(Some(&schema["additionalProperties"]).filter(|of| of.is_object()));
        if let Some(of_key) = of_key {
            known.insert(key.clone());
            let keys = look(whole, of_key, own, &at, faults);
            unknown_keys(&keys, own, &at, faults);
        } else if schema["type"] == "object" && schema["properties"].is_null() {
            known.insert(key.clone());
        }
    }
    known
}

/// Keys that no part of the schema names; `*` among the known ones stands for any.
fn unknown_keys(known: &BTreeSet<String>, value: &Value, at: &str, faults: &mut Vec<String>) {
    let keys = value.as_object().into_iter().flatten().map(|(key, _)| key);
    faults.extend(keys.filter(|key| !known.contains(*key)).map(|key| format!("{at}: nothing says what {key} is")));
}
