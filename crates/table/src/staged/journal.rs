//! The journal of a set: what is moved where, written before the first move, so that a set which was begun is completed.
//!
//! It stands beside the first target. Each further folder of the set has a pointer to it, written before it and taken away
//! after it: a pointer without its journal says that the set was never begun, or is complete. A journal is data, not an
//! order: it moves nothing but the parts of its own targets.

use super::calls;
use super::in_the_way::{refuse_foreign_folder, refuse_no_receipt};
use super::part::{Part, beside, folder_of, is_at, is_of_this_user, names_ending_in, part_of};
use super::placement::{Placement, with_ending};
use crate::file_identity::FileIdentity;
use crate::{Error, ErrorKind, Result};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::fs::File;
use std::path::{Path, PathBuf};

/// The ending of a journal's name.
const JOURNAL: &str = ".pebblebank-commit";

/// The ending of a journal that is being written.
const UNFINISHED: &str = ".pebblebank-part";

/// The schema of the journal.
const SCHEMA: &str = "pebblebank/commit/2";

/// One move of a set.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(super) struct Move {
    /// Where the part is put; absolute.
    pub to: PathBuf,
    pub placement: Placement,
}

/// A journal, or a pointer to one.
#[derive(Debug, Serialize, Deserialize)]
struct Journal {
    schema: String,
    /// Where the journal stands, in a pointer.
    journal: Option<PathBuf>,
    moves: Vec<Move>,
}

/// A set that is ready to be put in place.
#[derive(Debug)]
pub(super) struct Set {
    moves: Vec<Move>,
    journal: PathBuf,
    /// Locked while the set is put in place.
    lock: Option<File>,
    /// Locked as long, so that no other command takes them for left ones.
    pub(super) parts: Vec<Part>,
}

impl Set {
    /// Writes the journal. From here on the set survives a kill.
    pub fn begin(moves: Vec<Move>) -> Result<Set> {
        let journal = beside(&moves[0].to, JOURNAL);
        let mut set = Set { moves, journal, lock: None, parts: Vec::new() };
        for pointer in set.pointers() {
            set.write(&pointer, Some(set.journal.clone()))?;
        }
        let file = set.write(&set.journal, None)?;
        set.lock = Some(file);
        Ok(set)
    }

    /// The pointers in the other folders of the set.
    fn pointers(&self) -> Vec<PathBuf> {
        let own = folder_of(&self.journal);
        let folders: BTreeSet<&Path> = self.moves.iter().map(|step| folder_of(&step.to)).collect();
        let name = self.journal.file_name().unwrap_or_default();
        folders.into_iter().filter(|folder| *folder != own).map(|folder| folder.join(name)).collect()
    }

    fn write(&self, path: &Path, journal: Option<PathBuf>) -> Result<File> {
        let fail = |cause: std::io::Error| Error::unwritable(path, &cause);
        let document = Journal { schema: SCHEMA.to_owned(), journal, moves: self.moves.clone() };
        let text = serde_json::to_vec_pretty(&document).expect("a journal is plain data");
        let unfinished = with_ending(path, UNFINISHED);
        // Another command may clear it away before it is locked.
        let mut file = loop {
            calls::remove(&unfinished).map_err(fail)?;
            let file = match calls::create(&unfinished) {
                Err(cause) if cause.kind() == std::io::ErrorKind::AlreadyExists => continue,
                created => created.map_err(fail)?,
            };
            let is_taken = matches!(file.try_lock(), Err(std::fs::TryLockError::WouldBlock));
            if !is_taken && is_at(&file, &unfinished) {
                break file;
            }
        };
        let written = calls::write(&mut file, &text)
            .and_then(|()| calls::sync(&file))
            .and_then(|()| calls::rename(&unfinished, path));
        if let Err(cause) = written {
            let _ = calls::remove(&unfinished);
            return Err(fail(cause));
        }
        calls::sync_folder(folder_of(path));
        Ok(file)
    }

    /// Moves everything and takes the journal away. Where the first move fails, nothing is left of the set; where a later one
    /// does, the rest stays with its journal, so that the next command that writes there completes it.
    pub fn complete(self) -> Result<()> {
        let mut done = 0;
        let result = self.moves.iter().try_for_each(|step| step.carry_out().map(|()| done += 1));
        if let (Err(error), true) = (&result, done > 0) {
            let what = format!("only a part of the outputs could be put in place: {}", error.what());
            let advice =
                "see to what stands in the way, then start the same command again: it puts the rest in place first";
            return Err(Error::new(ErrorKind::Output, what, advice).in_file(&self.moves[done].to));
        }
        if result.is_err() {
            self.give_up();
            return result;
        }
        let folders: BTreeSet<&Path> = self.moves.iter().map(|step| folder_of(&step.to)).collect();
        folders.into_iter().for_each(calls::sync_folder);
        self.forget();
        result
    }

    /// Takes away what was not put in place.
    fn give_up(&self) {
        self.forget();
        self.moves.iter().for_each(|step| drop(calls::remove(&part_of(&step.to))));
    }

    /// Takes the journal away, then the pointers to it.
    fn forget(&self) {
        if calls::remove(&self.journal).is_ok() {
            calls::sync_folder(folder_of(&self.journal));
            self.pointers().iter().for_each(|pointer| drop(calls::remove(pointer)));
        }
    }
}

impl Move {
    /// Whether this program may have written what is to be moved: the part of its target, of this user, and no link.
    fn is_ours(&self) -> bool {
        // Without a part it is in place already.
        let Ok(part) = part_of(&self.to).symlink_metadata() else { return self.to.is_absolute() };
        let is_part = (part.is_file() || part.is_dir()) && is_of_this_user(&part);
        let gives_way = match self.to.symlink_metadata() {
            Ok(found) if self.placement == Placement::New => found.is_file(),
            Ok(found) if found.is_dir() && self.placement == Placement::KeepPrevious => {
                refuse_no_receipt(&self.to).is_ok()
            }
            Ok(found) if found.is_dir() => refuse_foreign_folder(&self.to).is_ok(),
            Ok(found) => found.is_file(),
            Err(_) => true,
        };
        self.to.is_absolute() && is_part && gives_way
    }

    fn carry_out(&self) -> Result<()> {
        let from = part_of(&self.to);
        let fail = |cause: std::io::Error| Error::unwritable(&self.to, &cause);
        if from.symlink_metadata().is_err() {
            return Ok(());
        }
        match self.placement {
            Placement::Replace => {
                // A folder does not give way to another one by itself.
                if from.is_dir() {
                    refuse_foreign_folder(&self.to)?;
                    calls::remove(&self.to).map_err(fail)?;
                }
                calls::rename(&from, &self.to).map_err(fail)
            }
            Placement::New => rename_new(&from, &self.to).map_err(fail),
            Placement::KeepPrevious => {
                if self.to.symlink_metadata().is_ok() {
                    let previous = with_ending(&self.to, ".previous");
                    if previous.is_dir() {
                        refuse_foreign_folder(&previous)?;
                    }
                    calls::remove(&previous).map_err(fail)?;
                    calls::rename(&self.to, &previous).map_err(fail)?;
                }
                calls::rename(&from, &self.to).map_err(fail)
            }
        }
    }
}

/// Renames, and fails if something has the new name. A folder cannot be linked, so it is looked for first.
fn rename_new(from: &Path, to: &Path) -> std::io::Result<()> {
    if from.is_dir() {
        return match to.symlink_metadata() {
            Ok(_) => Err(std::io::ErrorKind::AlreadyExists.into()),
            Err(_) => calls::rename(from, to),
        };
    }
    match calls::link(from, to) {
        Ok(()) => {
            // The file has its name; the other one is only in the way of the next command, which clears it away.
            let _ = calls::remove(from);
            Ok(())
        }
        // A kill came between the two steps.
        Err(_) if FileIdentity::are_one(from, to) => calls::remove(from),
        Err(cause) if cause.kind() == std::io::ErrorKind::AlreadyExists => Err(cause),
        // A file system without links.
        Err(_) if to.symlink_metadata().is_err() => calls::rename(from, to),
        Err(cause) => Err(cause),
    }
}

/// Completes the set of a command that was killed while it put its outputs in place, if `target` is one of them. Says whether
/// there was one.
pub(super) fn settle(target: &Path) -> Result<bool> {
    let mut has_completed = false;
    for path in names_ending_in(folder_of(target), JOURNAL) {
        let is_its_own = path == beside(target, JOURNAL);
        let Some(journal) = read(&path, is_its_own)? else { continue };
        if journal.moves.iter().any(|step| step.to == target) {
            has_completed |= complete(&path, journal)?;
        }
    }
    Ok(has_completed)
}

/// Whether a journal in a folder names a part.
pub(super) fn names(folder: &Path, part: &Path) -> bool {
    let mut journals = names_ending_in(folder, JOURNAL).filter_map(|path| read(&path, false).ok().flatten());
    journals.any(|journal| journal.moves.iter().any(|step| part_of(&step.to) == part))
}

/// Reads a journal; none for what is no journal, unless it has the name that the target's own would have.
fn read(path: &Path, is_its_own: bool) -> Result<Option<Journal>> {
    let refused = |what: String, advice: &str| {
        if is_its_own { Err(Error::new(ErrorKind::Output, what, advice).in_file(path)) } else { Ok(None) }
    };
    match path.symlink_metadata() {
        Ok(found) if found.is_file() && is_of_this_user(&found) => {}
        Ok(_) if is_its_own => return Err(foreign(path)),
        Ok(_) | Err(_) => return Ok(None),
    }
    let Ok(text) = std::fs::read(path) else { return Ok(None) };
    let Ok(journal) = serde_json::from_slice::<Journal>(&text) else {
        let what = "an earlier run left a journal here that cannot be read";
        return refused(what.to_owned(), "look at the files beside it, then delete the journal");
    };
    if journal.schema != SCHEMA {
        let what = format!("an earlier run left a journal of another version ({})", journal.schema);
        return refused(what, "finish with the version that wrote it");
    }
    Ok(Some(journal))
}

fn foreign(path: &Path) -> Error {
    let what = "a journal lies here that names what this program has not written";
    let advice = "nothing was moved; look at it and at the files beside it, then delete the journal";
    Error::new(ErrorKind::Output, what, advice).in_file(path)
}

/// Completes the set of a journal, or takes away a pointer to one that is not there.
fn complete(found: &Path, document: Journal) -> Result<bool> {
    let path = document.journal.unwrap_or_else(|| found.to_path_buf());
    let Ok(file) = File::open(&path) else {
        let _ = calls::remove(found);
        return Ok(false);
    };
    // Whoever puts the set in place now holds the lock.
    let _ = file.lock();
    let journal = match read(&path, true)? {
        Some(journal) if is_at(&file, &path) => journal,
        _ => return Ok(false),
    };
    let is_beside = journal.moves.first().is_some_and(|first| beside(&first.to, JOURNAL) == path);
    let is_of_found = journal.journal.is_none() && (found == path || found.file_name() == path.file_name());
    if !is_beside || !is_of_found || !journal.moves.iter().all(Move::is_ours) {
        return Err(foreign(&path));
    }
    Set { moves: journal.moves, journal: path, lock: Some(file), parts: Vec::new() }.complete()?;
    Ok(true)
}
