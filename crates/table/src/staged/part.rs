//! A file or folder while it is being written: beside its target, under a name that is made of the target's, and locked.
//!
//! The name is the same for every command that writes the target, so the lock is a claim: a second command that would write
//! the target meanwhile stops. What can be locked was left by a command that was killed, and is cleared away.

use super::calls;
use crate::file_identity::FileIdentity;
use crate::{Error, ErrorKind, Result};
use std::collections::BTreeSet;
use std::fs::{File, TryLockError};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;

/// The ending of what is being written.
const PART: &str = ".pebblebank-part";

/// The longest name of a target, in bytes, that stands whole in the name of its part.
const LONGEST_NAME: usize = 200;

/// The path with a name that is made of the target's.
pub(super) fn beside(target: &Path, ending: &str) -> PathBuf {
    let name = target.file_name().unwrap_or_default();
    let mut own = std::ffi::OsString::from(".");
    if name.len() <= LONGEST_NAME {
        own.push(name);
    } else {
        let digest = blake3::hash(name.as_encoded_bytes()).to_hex();
        let begin: String = name.to_string_lossy().chars().take(30).collect();
        own.push(format!("{begin}~{}", &digest[..16]));
    }
    own.push(ending);
    folder_of(target).join(own)
}

/// Where the part of a target lies.
pub(super) fn part_of(target: &Path) -> PathBuf {
    beside(target, PART)
}

/// The folder that a path lies in.
pub(super) fn folder_of(path: &Path) -> &Path {
    match path.parent() {
        Some(folder) if folder != Path::new("") => folder,
        _ => Path::new("."),
    }
}

/// The parts that this program holds, so that none is left where it must end at once.
static PARTS_HERE: Mutex<BTreeSet<PathBuf>> = Mutex::new(BTreeSet::new());

fn parts_here() -> MutexGuard<'static, BTreeSet<PathBuf>> {
    PARTS_HERE.lock().unwrap_or_else(PoisonError::into_inner)
}

/// Takes all parts away that this program holds: it is about to end.
pub fn clear_all_parts() {
    for part in std::mem::take(&mut *parts_here()) {
        remove_part(&part);
    }
}

/// A part that this command holds. Dropped, it is gone, unless it was put in place.
#[derive(Debug)]
pub(super) struct Part {
    pub path: PathBuf,
    /// Locked as long as the part is being written.
    pub claim: File,
    is_kept: bool,
}

/// What kind of part it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Kind {
    File,
    Folder,
}

/// What an attempt to make a part came to.
enum Attempt {
    Made(File),
    /// Another command did something to it in the same moment.
    Again,
}

impl Part {
    /// Begins the part of a target. `settle` completes the set that a part of it belongs to; says whether there is one.
    pub fn claim(target: &Path, kind: Kind, settle: &dyn Fn() -> Result<bool>) -> Result<Part> {
        let path = part_of(target);
        loop {
            let made = match kind {
                Kind::File => calls::create(&path).map(Some),
                Kind::Folder => open_new_folder(&path),
            };
            let attempt = match made {
                Ok(Some(file)) => made_by_us(file, &path),
                Ok(None) => Attempt::Again,
                Err(cause) if cause.kind() == std::io::ErrorKind::AlreadyExists => {
                    clear_left(&path, target, Wait::AMoment, settle)?
                }
                Err(cause) => return Err(Error::unwritable(target, &cause)),
            };
            if let Attempt::Made(claim) = attempt {
                parts_here().insert(path.clone());
                return Ok(Part { path, claim, is_kept: false });
            }
        }
    }

    /// Leaves the part where it is, since a journal names it; it stays locked until it is dropped.
    pub fn keep(&mut self) {
        self.is_kept = true;
        parts_here().remove(&self.path);
    }

    /// Moves the part, so that it is that of another target.
    pub fn move_to(&mut self, target: &Path, settle: &dyn Fn() -> Result<bool>) -> Result<()> {
        let path = part_of(target);
        let fail = |cause: std::io::Error| Error::unwritable(target, &cause);
        if path.symlink_metadata().is_ok() {
            clear_left(&path, target, Wait::AMoment, settle)?;
        }
        calls::rename(&self.path, &path).map_err(fail)?;
        let mut parts = parts_here();
        parts.remove(&self.path);
        parts.insert(path.clone());
        self.path = path;
        Ok(())
    }
}

impl Drop for Part {
    fn drop(&mut self) {
        if !self.is_kept {
            parts_here().remove(&self.path);
            remove_part(&self.path);
        }
    }
}

/// Takes a part away, with what a database keeps beside its file.
fn remove_part(path: &Path) {
    let _ = calls::remove(path);
    for ending in ["-wal", "-shm", "-journal"] {
        let beside = super::placement::with_ending(path, ending);
        if beside.symlink_metadata().is_ok() {
            let _ = calls::remove(&beside);
        }
    }
}

/// Makes a folder and opens it; none where another command took it, not yet locked, for one that was left.
fn open_new_folder(path: &Path) -> std::io::Result<Option<File>> {
    match calls::create_folder(path).and_then(|()| File::open(path)) {
        Err(cause) if cause.kind() == std::io::ErrorKind::NotFound && folder_of(path).is_dir() => Ok(None),
        made => made.map(Some),
    }
}

fn made_by_us(file: File, path: &Path) -> Attempt {
    // Some file systems know no locks.
    let is_free = !matches!(file.try_lock(), Err(TryLockError::WouldBlock));
    if is_free && is_at(&file, path) { Attempt::Made(file) } else { Attempt::Again }
}

/// Clears away what lies at `path`, if a command that was killed left it there. A command keeps its parts locked until its set is in
/// place, and writes the journal before: so once the lock is had, `settle` knows for certain whether a set needs the part.
fn clear_left(path: &Path, target: &Path, wait: Wait, settle: &dyn Fn() -> Result<bool>) -> Result<Attempt> {
    let Ok(found) = path.symlink_metadata() else { return Ok(Attempt::Again) };
    let file = if found.is_file() || found.is_dir() { File::open(path).ok() } else { None };
    let Some(file) = file.filter(|_| is_of_this_user(&found)) else {
        let what = "something lies where this output would be prepared, and it is not of this program";
        return Err(Error::new(ErrorKind::Output, what, "move it away, or write to another folder").in_file(path));
    };
    match lock(&file, wait) {
        Err(TryLockError::WouldBlock) => {
            let what = "another command is writing this output now";
            let advice = "wait until it has finished, then start the same command again";
            Err(Error::new(ErrorKind::Output, what, advice).in_file(target))
        }
        // Without locks nobody can tell, and what another command writes is never cleared away.
        Err(TryLockError::Error(_)) => {
            let what = "this lies where an output would be prepared, and files cannot be locked here";
            let advice = "if no other command is writing now, delete it and start the same command again";
            Err(Error::new(ErrorKind::Output, what, advice).in_file(path))
        }
        Ok(()) => {
            if is_at(&file, path) && !settle()? {
                calls::remove(path).map_err(|cause| Error::unwritable(target, &cause))?;
            }
            Ok(Attempt::Again)
        }
    }
}

/// Whether to wait where another command has a part.
#[derive(Debug, Clone, Copy)]
enum Wait {
    No,
    /// It may be about to clear it away.
    AMoment,
}

fn lock(file: &File, wait: Wait) -> std::result::Result<(), TryLockError> {
    let times = match wait {
        Wait::No => 0,
        Wait::AMoment => 100,
    };
    for _ in 0..times {
        match file.try_lock() {
            Err(TryLockError::WouldBlock) => std::thread::sleep(Duration::from_millis(10)),
            locked => return locked,
        }
    }
    file.try_lock()
}

/// Clears away the parts in a folder that killed commands left and no journal names. Nothing depends on it, so nothing fails.
pub(super) fn sweep(folder: &Path, is_named: impl Fn(&Path) -> bool) {
    for path in names_ending_in(folder, PART) {
        let _ = clear_left(&path, &path, Wait::No, &|| Ok(is_named(&path)));
    }
}

/// What lies in a folder under a hidden name with this ending, in the order of the names.
pub(super) fn names_ending_in(folder: &Path, ending: &str) -> impl Iterator<Item = PathBuf> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let is_one = |name: &std::ffi::OsStr| {
        let name = name.to_string_lossy();
        name.starts_with('.') && name.ends_with(ending)
    };
    let mut found: Vec<PathBuf> =
        entries.filter(|entry| is_one(&entry.file_name())).map(|entry| folder.join(entry.file_name())).collect();
    found.sort();
    found.into_iter()
}

/// Whether the open file is the one that has this name.
pub(super) fn is_at(file: &File, path: &Path) -> bool {
    matches!((FileIdentity::of_file(file), FileIdentity::of(path)), (Ok(own), Ok(there)) if own == there)
}

#[cfg(unix)]
pub(super) fn is_of_this_user(found: &std::fs::Metadata) -> bool {
    use std::os::unix::fs::MetadataExt;
    // A file that was just made belongs to whoever runs the program.
    let own = tempfile::tempfile().and_then(|file| file.metadata());
    own.is_ok_and(|own| own.uid() == found.uid())
}

#[cfg(not(unix))]
pub(super) fn is_of_this_user(_found: &std::fs::Metadata) -> bool {
    true
}
