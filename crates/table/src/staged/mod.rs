//! All or nothing: outputs are written beside their targets, synced, and put in place together.
//!
//! Each file or folder is renamed whole. A journal, synced before the first rename, lists what is to be
//! moved; should the program be killed in between, the next one that would write there completes the set.

pub mod early_sync;
pub mod leftovers;

use crate::{Error, ErrorKind, Result};
use early_sync::{BYTES_BETWEEN, EarlySync};
use leftovers::{BEING_WRITTEN, folder_of};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::fs::File;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use tempfile::{NamedTempFile, TempDir};

/// The ending of what is complete, and listed in a journal.
const COMPLETE: &str = ".ready";

/// The schema of the journal.
const JOURNAL_SCHEMA: &str = "pebblebank/commit/1";

/// What may happen to what is in the way of an output.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Placement {
    /// Nothing: an existing output stops the run.
    New,
    /// It is replaced.
    Replace,
    /// It is kept under a name with this ending, which replaces an older one.
    KeepPrevious,
}

/// A file that is being written beside its target.
#[derive(Debug)]
pub struct StagedFile {
    file: NamedTempFile,
    /// Kept as long as it is being written.
    _lock: Option<File>,
    target: PathBuf,
    placement: Placement,
    unsynced: u64,
}

impl StagedFile {
    /// Begins a file for `target`; only its owner may read it. A link is followed: the file goes beside what it leads to.
    pub fn create(target: &Path, placement: Placement) -> Result<StagedFile> {
        refuse_existing(target, placement)?;
        refuse_odd(target)?;
        refuse_bank(target)?;
        let target = std::fs::canonicalize(target).unwrap_or_else(|_| target.to_path_buf());
        let fail = |cause: std::io::Error| Error::unwritable(&target, &cause);
        leftovers::clear(&target);
        let file = tempfile::Builder::new()
            .prefix(&leftovers::prefix(&target))
            .suffix(BEING_WRITTEN)
            .tempfile_in(folder_of(&target))
            .map_err(fail)?;
        let lock = leftovers::locked(file.path());
        Ok(StagedFile { file, _lock: lock, target, placement, unsynced: 0 })
    }

    /// Adds bytes.
    pub fn write(&mut self, bytes: &[u8], sync: &EarlySync) -> Result<()> {
        let file = self.file.as_file_mut();
        write_and_sync(file, bytes, &mut self.unsynced, sync).map_err(|cause| Error::unwritable(&self.target, &cause))
    }

    /// Where it will be.
    pub fn target(&self) -> &Path {
        &self.target
    }
}

/// Adds bytes, and lets the disk begin once there are many.
fn write_and_sync(file: &mut File, bytes: &[u8], unsynced: &mut u64, sync: &EarlySync) -> std::io::Result<()> {
    file.write_all(bytes)?;
    *unsynced += bytes.len() as u64;
    if *unsynced >= BYTES_BETWEEN {
        *unsynced = 0;
        sync.ask(file);
    }
    Ok(())
}

/// Only a file gives way to a file: no folder, no device or pipe, no link that leads nowhere.
fn refuse_odd(target: &Path) -> Result<()> {
    if target.symlink_metadata().is_err() {
        return Ok(());
    }
    let (what, advice) = match std::fs::metadata(target) {
        Ok(found) if found.is_file() => return Ok(()),
        Ok(found) if found.is_dir() => ("this is a folder, not a file", "name the file to write in it"),
        Ok(_) => ("this is a device or a pipe, not a file, and would be replaced", "write to a file"),
        Err(_) => ("this is a link that leads nowhere", "name the file itself, or take the link away"),
    };
    Err(Error::new(ErrorKind::Output, what, advice).in_file(target))
}

/// A folder gives way only if it is a receipt of an earlier run, or empty.
fn refuse_foreign_folder(target: &Path) -> Result<()> {
    let is_ours = match std::fs::read_dir(target) {
        Ok(mut entries) => entries.next().is_none() || target.join(RECEIPT_FILE).is_file(),
        Err(_) => target.symlink_metadata().is_err(),
    };
    if is_ours {
        return Ok(());
    }
    let what = "this is no receipt of an earlier run, and would be replaced by one";
    Err(Error::new(ErrorKind::Output, what, "name another receipt, or move this away").in_file(target))
}

/// The file that every receipt has.
const RECEIPT_FILE: &str = "tally.json";

/// What a bank begins with: it is an `SQLite` database.
const DATABASE: &[u8] = b"SQLite format 3\0";

/// A bank is never written over, nor the files that its database keeps beside it.
pub fn refuse_bank(target: &Path) -> Result<()> {
    let is_database = |path: &Path| {
        let mut begin = Vec::new();
        File::open(path).is_ok_and(|file| file.take(DATABASE.len() as u64).read_to_end(&mut begin).is_ok())
            && begin == DATABASE
    };
    let name = target.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let of_database = ["-wal", "-shm", "-journal"]
        .iter()
        .filter_map(|ending| name.strip_suffix(ending))
        .any(|database| is_database(&target.with_file_name(database)));
    if is_database(target) || of_database {
        let what = "this is a bank, or belongs to one, and would be written over";
        return Err(Error::new(ErrorKind::Job, what, "write to another file; what is remembered is never replaced")
            .in_file(target));
    }
    Ok(())
}

/// A folder that is being filled beside its target.
#[derive(Debug)]
pub struct StagedFolder {
    folder: TempDir,
    /// Kept as long as it is being filled.
    _lock: Option<File>,
    files: Vec<File>,
    target: PathBuf,
    placement: Placement,
}

impl StagedFolder {
    /// Begins a folder for `target`; only its owner may enter it.
    pub fn create(target: &Path, placement: Placement) -> Result<StagedFolder> {
        refuse_existing(target, placement)?;
        refuse_foreign_folder(target)?;
        if placement == Placement::KeepPrevious {
            refuse_foreign_folder(&with_ending(target, ".previous"))?;
        }
        let fail = |cause: std::io::Error| Error::unwritable(target, &cause);
        leftovers::clear(target);
        let prefix = leftovers::prefix(target);
        let mut builder = tempfile::Builder::new();
        builder.prefix(&prefix).suffix(BEING_WRITTEN);
        #[cfg(unix)]
        builder.permissions(std::os::unix::fs::PermissionsExt::from_mode(0o700));
        let folder = builder.tempdir_in(folder_of(target)).map_err(fail)?;
        let lock = leftovers::locked(folder.path());
        Ok(StagedFolder { folder, _lock: lock, files: Vec::new(), target: target.to_path_buf(), placement })
    }

    /// Begins a file in it.
    pub fn file(&mut self, name: &str) -> Result<FolderFile> {
        let path = self.folder.path().join(name);
        let fail = |cause: std::io::Error| Error::unwritable(&self.target.join(name), &cause);
        let file = owner_only(&path).map_err(fail)?;
        self.files.push(file.try_clone().map_err(fail)?);
        Ok(FolderFile { file, target: self.target.join(name), unsynced: 0 })
    }

    /// Where it will be.
    pub fn target(&self) -> &Path {
        &self.target
    }

    /// Where it will be instead.
    pub fn retarget(&mut self, target: PathBuf, placement: Placement) -> Result<()> {
        refuse_foreign_folder(&target)?;
        self.target = target;
        self.placement = placement;
        Ok(())
    }
}

/// A file in a staged folder.
#[derive(Debug)]
pub struct FolderFile {
    file: File,
    target: PathBuf,
    unsynced: u64,
}

impl FolderFile {
    /// Adds bytes.
    pub fn write(&mut self, bytes: &[u8], sync: &EarlySync) -> Result<()> {
        write_and_sync(&mut self.file, bytes, &mut self.unsynced, sync)
            .map_err(|cause| Error::unwritable(&self.target, &cause))
    }
}

/// A new file that only its owner may read and write.
fn owner_only(path: &Path) -> std::io::Result<File> {
    let mut options = File::options();
    options.write(true).create_new(true);
    #[cfg(unix)]
    std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
    options.open(path)
}

fn refuse_existing(target: &Path, placement: Placement) -> Result<()> {
    if placement == Placement::New && target.symlink_metadata().is_ok() {
        return Err(Error::unwritable(target, &std::io::ErrorKind::AlreadyExists.into()));
    }
    Ok(())
}

/// Writes one small file as a whole, under its final name or not at all. An existing one is replaced only if `replace`.
pub fn write_alone(target: &Path, bytes: &[u8], replace: bool) -> Result<()> {
    let placement = if replace { Placement::Replace } else { Placement::New };
    let mut staged = StagedFile::create(target, placement)?;
    let target = staged.target.clone();
    let fail = |cause: std::io::Error| Error::unwritable(&target, &cause);
    staged.file.write_all(bytes).map_err(fail)?;
    staged.file.as_file().sync_all().map_err(fail)?;
    let placed = if replace { staged.file.persist(&target) } else { staged.file.persist_noclobber(&target) };
    placed.map_err(|kept| fail(kept.error))?;
    sync_folder(folder_of(&target));
    Ok(())
}

/// One rename of a commit.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct Move {
    from: PathBuf,
    to: PathBuf,
    placement: Placement,
}

#[derive(Serialize, Deserialize)]
struct Journal {
    schema: String,
    moves: Vec<Move>,
}

/// What is to be put in place together.
#[derive(Debug, Default)]
pub struct Commit {
    files: Vec<StagedFile>,
    folders: Vec<StagedFolder>,
}

impl Commit {
    /// Adds a complete file.
    pub fn file(&mut self, file: StagedFile) {
        self.files.push(file);
    }

    /// Adds a complete folder.
    pub fn folder(&mut self, folder: StagedFolder) {
        self.folders.push(folder);
    }

    /// Syncs everything, then puts it in place; `journal` must be the same for every run with these outputs.
    pub fn place(self, journal: &Path) -> Result<()> {
        self.prepare(journal)?.complete()
    }

    /// Syncs everything and writes the journal. From here on the outputs survive a kill. A set that an earlier command left
    /// half in place is completed first; its journal is never written over.
    pub fn prepare(self, journal: &Path) -> Result<Prepared> {
        complete_interrupted(journal)?;
        self.sync()?;
        let files = self.files.iter().map(|file| (&file.target, file.placement));
        let folders = self.folders.iter().map(|folder| (&folder.target, folder.placement));
        files.chain(folders).try_for_each(|(target, placement)| refuse_existing(target, placement))?;
        let mut moves = Vec::new();
        for file in self.files {
            let (to, placement) = (file.target, file.placement);
            let (_, from) = file.file.keep().map_err(|kept| Error::unwritable(&to, &kept.error))?;
            moves.push(Move { from: complete(from), to, placement }.wherever_started()?);
        }
        for folder in self.folders {
            let from = complete(folder.folder.keep());
            moves.push(Move { from, to: folder.target, placement: folder.placement }.wherever_started()?);
        }
        let prepared = Prepared { moves, journal: journal.to_path_buf() };
        if let Err(error) = prepared.write_journal() {
            prepared.moves.iter().for_each(Move::forget);
            return Err(error);
        }
        Ok(prepared)
    }

    /// Syncs all files side by side: most of the time goes into waiting for the disk.
    fn sync(&self) -> Result<()> {
        let files = self.files.iter().map(|file| (file.file.as_file(), &file.target));
        let in_folders = self.folders.iter().flat_map(|folder| folder.files.iter().map(|file| (file, &folder.target)));
        let outcomes: Vec<Result<()>> = std::thread::scope(|scope| {
            let sync =
                |(file, target): (&File, &PathBuf)| file.sync_all().map_err(|cause| Error::unwritable(target, &cause));
            let threads: Vec<_> = files.chain(in_folders).map(|each| scope.spawn(move || sync(each))).collect();
            threads.into_iter().map(|thread| thread.join().expect("syncing does not panic")).collect()
        });
        outcomes.into_iter().collect::<Result<()>>()?;
        self.folders.iter().for_each(|folder| sync_folder(folder.folder.path()));
        Ok(())
    }
}

/// Gives what is complete a name that says so; where that cannot be, the one that it has will do.
fn complete(from: PathBuf) -> PathBuf {
    let complete = from.with_extension(&COMPLETE[1..]);
    match std::fs::rename(&from, &complete) {
        Ok(()) => complete,
        Err(_) => from,
    }
}

/// Outputs that are complete on the disk, under names of their own.
#[derive(Debug)]
pub struct Prepared {
    moves: Vec<Move>,
    journal: PathBuf,
}

impl Prepared {
    fn write_journal(&self) -> Result<()> {
        let fail = |cause: std::io::Error| Error::unwritable(&self.journal, &cause);
        let document = Journal { schema: JOURNAL_SCHEMA.to_owned(), moves: self.moves.clone() };
        let text = serde_json::to_vec_pretty(&document).expect("a journal is plain data");
        let mut file = NamedTempFile::new_in(folder_of(&self.journal)).map_err(fail)?;
        file.write_all(&text).map_err(fail)?;
        file.as_file().sync_all().map_err(fail)?;
        file.persist(&self.journal).map_err(|kept| fail(kept.error))?;
        sync_folder(folder_of(&self.journal));
        Ok(())
    }

    /// Renames everything and removes the journal. Where the first rename fails, nothing is left of the set; where a later one
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
            self.moves.iter().for_each(Move::forget);
        }
        let folders: BTreeSet<&Path> = self.moves.iter().map(|step| folder_of(&step.to)).collect();
        folders.into_iter().for_each(sync_folder);
        let _ = std::fs::remove_file(&self.journal);
        result
    }
}

impl Move {
    /// The same with paths that mean the same wherever the program is started.
    fn wherever_started(self) -> Result<Move> {
        let absolute = |path: &Path| std::path::absolute(path).map_err(|cause| Error::unwritable(path, &cause));
        Ok(Move { from: absolute(&self.from)?, to: absolute(&self.to)?, placement: self.placement })
    }

    /// Whether this program may have written what is to be moved: it lies beside its target, under a name that is made for
    /// it, belongs to this user and is no link. A journal is data, not an order.
    fn is_ours(&self) -> bool {
        let name = self.from.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let letters = name
            .strip_prefix(&leftovers::prefix(&self.to))
            .and_then(|rest| [COMPLETE, BEING_WRITTEN].iter().find_map(|ending| rest.strip_suffix(ending)));
        let has_our_name = letters.is_some_and(|letters| letters.bytes().all(|byte| byte.is_ascii_alphanumeric()));
        let lies_beside = self.to.is_absolute() && folder_of(&self.from) == folder_of(&self.to);
        let is_ordinary = match self.from.symlink_metadata() {
            Ok(found) => (found.is_file() || found.is_dir()) && is_of_this_user(&found),
            // It is in place already.
            Err(_) => true,
        };
        let gives_way = match self.to.symlink_metadata() {
            Ok(found) if self.placement == Placement::New => found.is_file(),
            Ok(found) if found.is_dir() => refuse_foreign_folder(&self.to).is_ok(),
            Ok(found) => found.is_file(),
            Err(_) => true,
        };
        has_our_name && lies_beside && is_ordinary && gives_way
    }

    fn carry_out(&self) -> Result<()> {
        let fail = |cause: std::io::Error| Error::unwritable(&self.to, &cause);
        if self.from.symlink_metadata().is_err() {
            return Ok(());
        }
        match self.placement {
            Placement::Replace => {
                // A folder does not give way to another one by itself.
                if self.from.is_dir() {
                    remove(&self.to).map_err(fail)?;
                }
                std::fs::rename(&self.from, &self.to).map_err(fail)
            }
            Placement::New => rename_new(&self.from, &self.to).map_err(fail),
            Placement::KeepPrevious => {
                if self.to.symlink_metadata().is_ok() {
                    let previous = with_ending(&self.to, ".previous");
                    if previous.is_dir() {
                        refuse_foreign_folder(&previous)?;
                    }
                    remove(&previous).map_err(fail)?;
                    std::fs::rename(&self.to, &previous).map_err(fail)?;
                }
                std::fs::rename(&self.from, &self.to).map_err(fail)
            }
        }
    }

    /// Takes away what was not put in place.
    fn forget(&self) {
        let _ = remove(&self.from);
    }
}

/// Renames, and fails if something has the new name. A folder cannot be linked, so it is looked for first.
fn rename_new(from: &Path, to: &Path) -> std::io::Result<()> {
    if from.is_dir() {
        return match to.symlink_metadata() {
            Ok(_) => Err(std::io::ErrorKind::AlreadyExists.into()),
            Err(_) => std::fs::rename(from, to),
        };
    }
    match std::fs::hard_link(from, to) {
        Ok(()) => std::fs::remove_file(from),
        // A kill came between the two steps.
        Err(_) if same_file::is_same_file(from, to).unwrap_or(false) => std::fs::remove_file(from),
        Err(cause) if cause.kind() == std::io::ErrorKind::AlreadyExists => Err(cause),
        // A file system without links.
        Err(_) if to.symlink_metadata().is_err() => std::fs::rename(from, to),
        Err(cause) => Err(cause),
    }
}

fn remove(path: &Path) -> std::io::Result<()> {
    match path.symlink_metadata() {
        Ok(metadata) if metadata.is_dir() => std::fs::remove_dir_all(path),
        Ok(_) => std::fs::remove_file(path),
        Err(_) => Ok(()),
    }
}

/// The path with an ending added to its name.
pub fn with_ending(path: &Path, ending: &str) -> PathBuf {
    let mut name = path.file_name().unwrap_or_default().to_os_string();
    name.push(ending);
    path.with_file_name(name)
}

/// Makes the names in a folder last. Not all systems can; the files themselves are synced.
fn sync_folder(folder: &Path) {
    if let Ok(folder) = File::open(folder) {
        let _ = folder.sync_all();
    }
}

#[cfg(unix)]
fn is_of_this_user(found: &std::fs::Metadata) -> bool {
    use std::os::unix::fs::MetadataExt;
    // A file that was just made belongs to whoever runs the program.
    let own = tempfile::tempfile().and_then(|file| file.metadata());
    own.is_ok_and(|own| own.uid() == found.uid())
}

#[cfg(not(unix))]
fn is_of_this_user(_found: &std::fs::Metadata) -> bool {
    true
}

/// Completes the set of a run that was killed while it put its outputs in place. Says whether there was one. What the
/// journal names is moved only where this program may have written it.
pub fn complete_interrupted(journal: &Path) -> Result<bool> {
    let Ok(found) = journal.symlink_metadata() else { return Ok(false) };
    let foreign = || {
        let what = "a journal lies here that names what this program has not written";
        let advice = "nothing was moved; look at it and at the files beside it, then delete the journal";
        Err(Error::new(ErrorKind::Output, what, advice).in_file(journal))
    };
    if !found.is_file() || !is_of_this_user(&found) {
        return foreign();
    }
    let text = std::fs::read(journal).map_err(|cause| Error::unreadable(journal, &cause))?;
    let document: Journal = if let Ok(document) = serde_json::from_slice(&text) {
        document
    } else {
        let what = "an earlier run left a journal here that cannot be read";
        return Err(Error::new(ErrorKind::Output, what, "look at the files beside it, then delete the journal")
            .in_file(journal));
    };
    if document.schema != JOURNAL_SCHEMA {
        let what = format!("an earlier run left a journal of another version ({})", document.schema);
        return Err(Error::new(ErrorKind::Output, what, "finish with the version that wrote it").in_file(journal));
    }
    if !document.moves.iter().all(Move::is_ours) {
        return foreign();
    }
    Prepared { moves: document.moves, journal: journal.to_path_buf() }.complete()?;
    Ok(true)
}
