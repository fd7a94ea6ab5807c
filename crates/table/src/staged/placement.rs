//! What may happen to what is in the way of an output.

use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

/// What may happen to what is in the way of an output.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Placement {
    /// Nothing: an existing output stops the command.
    New,
    /// It is replaced.
    Replace,
    /// It is kept under a name with the ending `.previous`, which replaces an older one.
    KeepPrevious,
}

impl Placement {
    /// That of a command with or without `--replace`.
    pub fn of_file(replace: bool) -> Placement {
        if replace { Placement::Replace } else { Placement::New }
    }
}

/// The path with an ending added to its name.
pub fn with_ending(path: &Path, ending: &str) -> PathBuf {
    let mut name = path.file_name().unwrap_or_default().to_os_string();
    name.push(ending);
    path.with_file_name(name)
}
