//! What commands that were killed left beside their outputs: files and folders that were being written.
//!
//! Whoever writes one holds a lock on it, so what can be locked belongs to nobody. It is cleared away by the next command
//! that writes to the same target. What a journal lists has another ending and is never touched here.

use std::collections::HashMap;
use std::fs::File;
use std::path::{Path, PathBuf};
use std::sync::{LazyLock, Mutex};

/// The ending of what is being written.
pub(super) const BEING_WRITTEN: &str = ".part";

/// How many letters stand between the target's name and the ending.
const LETTERS: usize = 6;

/// What lay in a folder when this program first wrote into it.
static LEFT: LazyLock<Mutex<HashMap<PathBuf, Vec<PathBuf>>>> = LazyLock::new(Mutex::default);

/// What is written for a target begins with this.
pub(super) fn prefix(target: &Path) -> String {
    let name = target.file_name().unwrap_or_default().to_string_lossy();
    let short: String = name.chars().take(60).collect();
    format!(".{short}.")
}

/// Says that this program writes it, for as long as the lock is kept; none where files cannot be locked.
pub(super) fn locked(path: &Path) -> Option<File> {
    let file = File::open(path).ok()?;
    file.try_lock().ok()?;
    Some(file)
}

/// Clears away what earlier commands left that wrote to this target. Nothing depends on it, so nothing fails.
pub(super) fn clear(target: &Path) {
    let folder = folder_of(target).to_path_buf();
    let Ok(mut left) = LEFT.lock() else { return };
    let names = left.entry(folder).or_insert_with_key(|folder| all_in(folder));
    let prefix = prefix(target);
    names.retain(|path| {
        let name = path.file_name().unwrap_or_default().to_string_lossy();
        let is_of_target =
            name.strip_prefix(&prefix).and_then(|rest| rest.strip_suffix(BEING_WRITTEN)).is_some_and(|letters| {
                letters.len() == LETTERS && letters.bytes().all(|byte| byte.is_ascii_alphanumeric())
            });
        if is_of_target && let Some(_lock) = locked(path) {
            let _ = if path.is_dir() { std::fs::remove_dir_all(path) } else { std::fs::remove_file(path) };
        }
        !is_of_target
    });
}

fn all_in(folder: &Path) -> Vec<PathBuf> {
    let Ok(entries) = std::fs::read_dir(folder) else { return Vec::new() };
    let paths = entries.filter_map(|entry| Some(entry.ok()?.path()));
    let is_being_written = |path: &PathBuf| {
        path.file_name().is_some_and(|name| {
            let name = name.to_string_lossy();
            name.starts_with('.') && name.ends_with(BEING_WRITTEN)
        })
    };
    paths.filter(is_being_written).collect()
}

/// The folder that a path lies in.
pub(super) fn folder_of(path: &Path) -> &Path {
    match path.parent() {
        Some(folder) if folder != Path::new("") => folder,
        _ => Path::new("."),
    }
}
