//! Every call by which a set of files is staged and put in place, one function each.
//!
//! A test can stop a thread before any of them, as a kill or a full disk would: see [`stop_at`].

use crate::owner_only;
use std::cell::Cell;
use std::fs::{DirEntry, File};
use std::io::Write;
use std::path::Path;

/// What happens at a call.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Plan {
    /// Nothing: calls are carried out.
    None,
    /// The call that is reached when this is 0 fails.
    FailAt(u64),
    /// The call that is reached when this is 0, and all after it, are not carried out: the program is dead.
    KillAt(u64),
}

/// How a test stops the calls of its thread.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Stop {
    /// One call fails, as on a full disk.
    Fail,
    /// That call and all later ones are not carried out, as after a kill.
    Kill,
}

thread_local! {
    static PLAN: Cell<Plan> = const { Cell::new(Plan::None) };
}

/// For tests: stops this thread at the call with this number, counted from 0; none lifts it.
pub fn stop_at(stop: Option<(Stop, u64)>) {
    PLAN.set(match stop {
        None => Plan::None,
        Some((Stop::Fail, call)) => Plan::FailAt(call),
        Some((Stop::Kill, call)) => Plan::KillAt(call),
    });
}

/// For tests: whether the stop that was asked for was reached.
pub fn was_stopped() -> bool {
    matches!(PLAN.get(), Plan::None | Plan::KillAt(0))
}

fn step() -> std::io::Result<()> {
    let stopped = || Err(std::io::Error::other("stopped by a test"));
    match PLAN.get() {
        Plan::None => Ok(()),
        Plan::KillAt(0) => stopped(),
        Plan::FailAt(0) => {
            PLAN.set(Plan::None);
            stopped()
        }
        Plan::KillAt(left) => {
            PLAN.set(Plan::KillAt(left - 1));
            Ok(())
        }
        Plan::FailAt(left) => {
            PLAN.set(Plan::FailAt(left - 1));
            Ok(())
        }
    }
}

/// Makes a new file that only its owner may read and write.
pub(super) fn create(path: &Path) -> std::io::Result<File> {
    step()?;
    owner_only::create_new(path)
}

/// Makes a new folder that only its owner may enter.
pub(super) fn create_folder(path: &Path) -> std::io::Result<()> {
    step()?;
    owner_only::create_folder(path)
}

pub(super) fn write(file: &mut File, bytes: &[u8]) -> std::io::Result<()> {
    step()?;
    file.write_all(bytes)
}

pub(super) fn sync(file: &File) -> std::io::Result<()> {
    step()?;
    file.sync_all()
}

/// Makes the names in a folder last. Not all systems can; the files themselves are synced.
pub(super) fn sync_folder(folder: &Path) {
    if let (Ok(()), Ok(folder)) = (step(), File::open(folder)) {
        let _ = folder.sync_all();
    }
}

pub(super) fn rename(from: &Path, to: &Path) -> std::io::Result<()> {
    step()?;
    std::fs::rename(from, to)
}

pub(super) fn link(from: &Path, to: &Path) -> std::io::Result<()> {
    step()?;
    std::fs::hard_link(from, to)
}

/// The file that every receipt has, and is known by.
pub(super) const RECEIPT_FILE: &str = "tally.json";

/// Takes away a folder. What it is known by goes last: after a kill, half of a receipt is still one, and may be taken away.
fn remove_folder(folder: &Path) -> std::io::Result<()> {
    let mut entries = std::fs::read_dir(folder)?.collect::<std::io::Result<Vec<_>>>()?;
    entries.sort_by_key(|entry| (entry.file_name() == RECEIPT_FILE, entry.file_name()));
    let last = entries.pop_if(|entry| entry.file_name() == RECEIPT_FILE);
    let mut may_go = Ok(());
    let going: Vec<DirEntry> = entries
        .into_iter()
        .take_while(|_| {
            may_go = step();
            may_go.is_ok()
        })
        .collect();
    remove_all(&going)?;
    may_go?;
    if let Some(entry) = last {
        step()?;
        remove_entry(&entry)?;
    }
    step()?;
    std::fs::remove_dir(folder)
}

/// Takes them away, large ones on two threads: giving back the room of a large file takes the system a while.
fn remove_all(entries: &[DirEntry]) -> std::io::Result<()> {
    const LARGE_BYTES: u64 = 4 << 20;
    let is_large = |entry: &&DirEntry| entry.metadata().is_ok_and(|about| about.len() >= LARGE_BYTES);
    let (large, small): (Vec<&DirEntry>, Vec<&DirEntry>) = entries.iter().partition(is_large);
    let (here, elsewhere) = large.split_at(large.len() / 2);
    std::thread::scope(|scope| {
        let elsewhere =
            (!elsewhere.is_empty()).then(|| scope.spawn(|| elsewhere.iter().try_for_each(|entry| remove_entry(entry))));
        let removed = small.iter().chain(here).try_for_each(|entry| remove_entry(entry));
        let others = elsewhere.map_or(Ok(Ok(())), std::thread::ScopedJoinHandle::join);
        removed.and(others.map_err(|_| std::io::Error::other("a thread gave up"))?)
    })
}

fn remove_entry(entry: &DirEntry) -> std::io::Result<()> {
    if entry.file_type()?.is_dir() { std::fs::remove_dir_all(entry.path()) } else { std::fs::remove_file(entry.path()) }
}

/// Takes away a file, a link, or a folder with all that is in it; nothing is nothing to do.
pub(super) fn remove(path: &Path) -> std::io::Result<()> {
    step()?;
    match path.symlink_metadata() {
        Ok(found) if found.is_dir() => remove_folder(path),
        Ok(_) => std::fs::remove_file(path),
        Err(_) => Ok(()),
    }
}
