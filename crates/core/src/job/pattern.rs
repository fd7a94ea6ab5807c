//! A file, or a pattern for files.

use crate::error::{Error, ErrorKind, Result};
use std::path::{Path, PathBuf};

/// A file, or a pattern (`*`, `?`, `[…]`, `**`) for files.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FilePattern {
    path: PathBuf,
    is_literal: bool,
}

impl FilePattern {
    /// Exactly this file, whatever characters its name has.
    pub fn literal(path: PathBuf) -> FilePattern {
        FilePattern { path, is_literal: true }
    }

    /// A pattern, relative to `folder`; a text without pattern characters is a literal file.
    pub fn relative(text: &str, folder: &Path) -> FilePattern {
        let path = if text == crate::read::input::STDIN_NAME { PathBuf::from(text) } else { folder.join(text) };
        FilePattern { path, is_literal: !text.contains(['*', '?', '[']) }
    }

    /// Whether it stands for whatever files fit.
    pub fn is_pattern(&self) -> bool {
        !self.is_literal
    }

    /// The files, in the order of their names' bytes. A pattern that fits nothing is an error.
    pub fn files(&self) -> Result<Vec<PathBuf>> {
        if self.is_literal || self.path.exists() {
            return Ok(vec![self.path.clone()]);
        }
        let text = self.path.to_string_lossy();
        let bad = |what: String| {
            Error::new(ErrorKind::Input, what, "check the pattern: * stands for any letters, ? for one, ** for folders")
                .in_file(&self.path)
        };
        let matches = glob::glob(&text).map_err(|cause| bad(format!("the pattern cannot be read: {}", cause.msg)))?;
        let mut files = Vec::new();
        for entry in matches {
            let file = entry.map_err(|cause| Error::unreadable(cause.path(), cause.error()))?;
            if file.is_file() {
                files.push(file);
            }
        }
        if files.is_empty() {
            return Err(bad("no file fits this pattern".to_owned()));
        }
        files.sort_by(|a, b| a.as_os_str().as_encoded_bytes().cmp(b.as_os_str().as_encoded_bytes()));
        Ok(files)
    }
}
