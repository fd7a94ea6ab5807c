//! A file, or a pattern for files.

use crate::error::{Error, ErrorKind, Result};
use crate::read::input::{FoundFile, STDIN_NAME};
use std::path::{Path, PathBuf};

/// A file, or a pattern (`*`, `?`, `[…]`, `**`) for files.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FilePattern {
    path: PathBuf,
    /// What receipts leave out of a path, so that they are the same wherever the job lies.
    folder: PathBuf,
    is_literal: bool,
}

impl FilePattern {
    /// Exactly this file, whatever characters its name has.
    pub fn literal(path: PathBuf) -> FilePattern {
        FilePattern { path, folder: PathBuf::new(), is_literal: true }
    }

    /// A pattern, relative to `folder`; a text without pattern characters is a literal file.
    pub fn relative(text: &str, folder: &Path) -> FilePattern {
        let path = if text == STDIN_NAME { PathBuf::from(text) } else { folder.join(text) };
        FilePattern { path, folder: folder.to_path_buf(), is_literal: !text.contains(['*', '?', '[']) }
    }

    /// Whether it stands for whatever files fit.
    pub fn is_pattern(&self) -> bool {
        !self.is_literal
    }

    fn found(&self, path: PathBuf) -> FoundFile {
        let shown =
            if path.as_os_str() == STDIN_NAME { "standard input".to_owned() } else { shown(&path, &self.folder) };
        FoundFile { path, shown }
    }

    /// The files, in the order of their names' bytes. A pattern that fits nothing is an error.
    pub fn files(&self) -> Result<Vec<FoundFile>> {
        if self.is_literal || self.path.exists() {
            return Ok(vec![self.found(self.path.clone())]);
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
        Ok(files.into_iter().map(|path| self.found(path)).collect())
    }
}

/// A path as receipts and tables name it: without the job's folder.
pub fn shown(path: &Path, folder: &Path) -> String {
    path.strip_prefix(folder).unwrap_or(path).display().to_string()
}
