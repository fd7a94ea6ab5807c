//! A file, or a pattern for files; also for members of zip archives (`exports.zip/plant-shop*.csv`).

use pebblebank_formats::input::{FoundFile, STDIN_NAME};
use pebblebank_table::{Error, ErrorKind, Result};
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

    /// The file of this name in `folder`, whatever characters its name has; receipts leave the folder out.
    pub fn literal_in(folder: &Path, name: &str) -> FilePattern {
        FilePattern { path: folder.join(name), folder: folder.to_path_buf(), is_literal: true }
    }

    /// The one file that receipts show by this name, if it is one of its files and still there.
    pub fn only(&self, shown: &str) -> Option<FilePattern> {
        let is_it = |found: &FoundFile| {
            let member = || shown.strip_prefix(&found.shown)?.strip_prefix('/');
            found.shown == shown || member().is_some()
        };
        let found = self.files().ok()?.into_iter().find(is_it)?;
        // Standard input is gone once it was read.
        (found.path.as_os_str() != STDIN_NAME).then(|| FilePattern::literal_in(&self.folder, shown))
    }

    /// Whether `file` is one of its files.
    pub fn is_of(&self, file: &Path) -> bool {
        let pattern = (!self.is_literal).then(|| self.path.to_str().and_then(|text| glob::Pattern::new(text).ok()));
        self.path == file || pattern.flatten().is_some_and(|pattern| pattern.matches_path(file))
    }

    /// The file, or the pattern as a path.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Whether it stands for whatever files fit.
    pub fn is_pattern(&self) -> bool {
        !self.is_literal
    }

    fn found(&self, path: PathBuf, member: Option<&str>) -> FoundFile {
        let shown =
            if path.as_os_str() == STDIN_NAME { "standard input".to_owned() } else { shown(&path, &self.folder) };
        FoundFile { path, member: member.map(str::to_owned), shown }
    }

    /// Whether it is a member of an archive that is there.
    pub fn is_in_archive(&self) -> bool {
        self.in_archive().is_some_and(|(archive, _)| archive.is_file())
    }

    /// The archive and the pattern for its members, where the path goes on behind the name of a zip archive.
    fn in_archive(&self) -> Option<(PathBuf, String)> {
        let is_archive =
            |path: &&Path| path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("zip")) && !path.is_dir();
        let archive = self.path.ancestors().skip(1).filter(is_archive).last()?;
        let member = self.path.strip_prefix(archive).ok()?.to_str()?;
        Some((archive.to_path_buf(), member.to_owned()))
    }

    /// The files, in the order of their names' bytes. A pattern that fits nothing is an error.
    pub fn files(&self) -> Result<Vec<FoundFile>> {
        if self.path.exists() {
            return Ok(vec![self.found(self.path.clone(), None)]);
        }
        let in_archive = self.in_archive();
        let (path, member) = match &in_archive {
            Some((archive, member)) => (archive, Some(member.as_str())),
            None => (&self.path, None),
        };
        if self.is_literal || path.exists() {
            return Ok(vec![self.found(path.clone(), member)]);
        }
        let text = path.to_string_lossy();
        let bad = |what: String| {
            Error::new(ErrorKind::Input, what, "check the pattern: * stands for any letters, ? for one, ** for folders")
                .in_file(&self.path)
        };
        let matches = glob::glob(&text).map_err(|cause| bad(format!("the pattern cannot be read: {}", cause.msg)))?;
        let mut files = Vec::new();
        for entry in matches {
            let file = entry.map_err(|cause| Error::unreadable(cause.path(), cause.error()))?;
            // What the pattern finds and nobody can look at would be left out in silence.
            let about = std::fs::metadata(&file).map_err(|cause| Error::unreadable(&file, &cause))?;
            if about.is_file() {
                files.push(file);
            }
        }
        check_folders(path)?;
        if files.is_empty() {
            return Err(bad("no file fits this pattern".to_owned()));
        }
        files.sort_by(|a, b| a.as_os_str().as_encoded_bytes().cmp(b.as_os_str().as_encoded_bytes()));
        Ok(files.into_iter().map(|path| self.found(path, member)).collect())
    }
}

/// Every folder that the pattern goes through can be entered: what lies in one that cannot is left out in silence.
fn check_folders(pattern: &Path) -> Result<()> {
    let has_pattern = |path: &Path| path.to_string_lossy().contains(['*', '?', '[']);
    for folder in pattern.ancestors().skip(1).filter(|folder| has_pattern(folder)) {
        let Ok(folders) = glob::glob(&folder.to_string_lossy()) else { continue };
        for entry in folders {
            let folder = entry.map_err(|cause| Error::unreadable(cause.path(), cause.error()))?;
            if folder.is_dir() {
                std::fs::read_dir(&folder).map_err(|cause| Error::unreadable(&folder, &cause))?;
            }
        }
    }
    Ok(())
}

/// A path as receipts and tables name it: without the job's folder.
pub fn shown(path: &Path, folder: &Path) -> String {
    path.strip_prefix(folder).unwrap_or(path).display().to_string()
}
