//! The JSON documents of a receipt.

use pebblebank_table::{Error, ErrorKind, Result};
use serde_json::Value;
use std::path::Path;

/// A document; an error if it is not there, or no JSON.
pub(super) fn document(folder: &Path, name: &str) -> Result<Value> {
    let path = folder.join(name);
    let bytes = std::fs::read(&path).map_err(|cause| Error::unreadable(&path, &cause))?;
    serde_json::from_slice(&bytes).map_err(|_| {
        let what = "this part of the receipt is damaged";
        Error::new(ErrorKind::Input, what, "run the job again; its receipt is then whole").in_file(&path)
    })
}

/// Fails if a newer version wrote the document, since its numbers may mean something else.
pub(super) fn known_version(folder: &Path, name: &str, document: &Value, schema: &str) -> Result<()> {
    let version = document["schema"].as_str().and_then(|text| text.strip_prefix(schema)).unwrap_or_default();
    match version.parse::<u32>() {
        Ok(1) => Ok(()),
        Ok(_) => {
            let what = "a newer version of Pebblebank wrote this receipt";
            Err(Error::new(ErrorKind::Input, what, "open it with that version").in_file(&folder.join(name)))
        }
        Err(_) => {
            let what = "this part of the receipt is damaged";
            let advice = "run the job again; its receipt is then whole";
            Err(Error::new(ErrorKind::Input, what, advice).in_file(&folder.join(name)))
        }
    }
}
