//! Names of files that lie beside others.

use std::path::{Path, PathBuf};

/// `spring.csv` → `spring.set-aside.csv`. What is set aside is CSV, whatever the format of the file that it lies beside.
pub fn beside(output: &Path, what: &str) -> PathBuf {
    let stem = output.file_stem().unwrap_or_default().to_string_lossy();
    output.with_file_name(format!("{stem}.{what}.csv"))
}
