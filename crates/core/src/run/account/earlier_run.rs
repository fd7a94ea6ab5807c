//! What the receipt of an earlier run of the same job says.

use serde_json::Value;
use std::collections::HashMap;
use std::path::Path;

/// What the receipt of an earlier run of the same job says of its lists, its sources and its bank.
#[derive(Debug, Default)]
pub struct EarlierRun {
    /// By name: entries, and how many of them matched.
    lists: HashMap<String, (u64, u64)>,
    /// Whether what the bank remembers applied.
    pub had_bank: bool,
    /// How many contacts were written.
    pub written: Option<u64>,
    sources: HashMap<String, EarlierSource>,
}

/// A source as an earlier run read it.
#[derive(Debug, Default, PartialEq, Eq)]
pub struct EarlierSource {
    /// How many contacts its files had.
    pub rows: u64,
    /// The BLAKE3 of each file, in order.
    pub fingerprints: Vec<String>,
}

impl EarlierRun {
    /// Reads it from a receipt; nothing where there is none, or where another program's file lies there.
    pub fn of(receipt: Option<&Path>) -> EarlierRun {
        let read = || {
            let document = |name: &str| -> Option<Value> {
                serde_json::from_slice(&std::fs::read(receipt?.join(name)).ok()?).ok()
            };
            let tally = document("tally.json")?;
            let list = |list: &Value| {
                let number = |key: &str| list.get(key)?.as_u64();
                Some((list.get("name")?.as_str()?.to_owned(), (number("entries")?, number("matched")?)))
            };
            let lists = tally.get("suppression")?.as_array()?.iter().filter_map(list).collect();
            let had_bank = tally.pointer("/bank/applied").and_then(Value::as_bool) == Some(true);
            let written = tally.pointer("/all/written").and_then(Value::as_u64);
            let sources = document("inputs.json").map(|inputs| sources_of(&inputs)).unwrap_or_default();
            Some(EarlierRun { lists, had_bank, written, sources })
        };
        read().unwrap_or_default()
    }

    /// How many entries the list of this name had, and how many of them matched.
    pub fn list(&self, name: &str) -> Option<(u64, u64)> {
        self.lists.get(name).copied()
    }

    /// The source of this name.
    pub fn source(&self, name: &str) -> Option<&EarlierSource> {
        self.sources.get(name)
    }
}

fn sources_of(inputs: &Value) -> HashMap<String, EarlierSource> {
    let mut sources: HashMap<String, EarlierSource> = HashMap::new();
    for input in inputs.get("inputs").and_then(Value::as_array).into_iter().flatten() {
        let text = |key: &str| input.get(key).and_then(Value::as_str).unwrap_or_default();
        if text("part") == "source" {
            let source = sources.entry(text("of").to_owned()).or_default();
            source.rows += input.get("rows").and_then(Value::as_u64).unwrap_or_default();
            source.fingerprints.push(text("blake3").to_owned());
        }
    }
    sources
}
