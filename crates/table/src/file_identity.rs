//! Whether two names are one file, by whatever spelling or link. Nothing is opened for it and nothing stays open: whoever
//! opened a pipe would wait, and a job may have more files than a program may keep open.

use std::fs::File;
use std::io::Result;
use std::path::Path;

/// What tells a file from all others of this machine, as long as it is there.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct FileIdentity(Identity);

/// The device and the number of the file on it.
#[cfg(unix)]
type Identity = (u64, u64);

#[cfg(not(unix))]
type Identity = std::sync::Arc<same_file::Handle>;

impl FileIdentity {
    /// That of the file of this name, links followed.
    pub fn of(path: &Path) -> Result<FileIdentity> {
        #[cfg(unix)]
        return std::fs::metadata(path).map(|about| FileIdentity::of_metadata(&about));
        #[cfg(not(unix))]
        same_file::Handle::from_path(path).map(|handle| FileIdentity(std::sync::Arc::new(handle)))
    }

    /// That of an open file.
    pub fn of_file(file: &File) -> Result<FileIdentity> {
        #[cfg(unix)]
        return file.metadata().map(|about| FileIdentity::of_metadata(&about));
        #[cfg(not(unix))]
        file.try_clone().and_then(same_file::Handle::from_file).map(|handle| FileIdentity(std::sync::Arc::new(handle)))
    }

    #[cfg(unix)]
    fn of_metadata(about: &std::fs::Metadata) -> FileIdentity {
        use std::os::unix::fs::MetadataExt;
        FileIdentity((about.dev(), about.ino()))
    }

    /// Whether both names are of one file that is there.
    pub fn are_one(a: &Path, b: &Path) -> bool {
        matches!((FileIdentity::of(a), FileIdentity::of(b)), (Ok(a), Ok(b)) if a == b)
    }
}
