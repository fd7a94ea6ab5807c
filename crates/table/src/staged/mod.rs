//! All or nothing: the outputs of a command are written beside their targets, synced, and put in place together.
//!
//! [`Staged`] is the only way in which a command writes files that stay. While it writes, each output is claimed
//! ([`part`]): a second command that would write it stops. A [`journal`], synced before the first move, lists what is moved;
//! should the program be killed in between, the next command that writes any of the files completes the set.

pub mod calls;
pub mod early_sync;
mod in_the_way;
mod journal;
mod part;
pub mod placement;
pub mod seal;

pub use part::clear_all_parts;

use crate::staged::placement::{Placement, with_ending};
pub use in_the_way::refuse_bank;

use crate::spreadsheet_csv::SpreadsheetCsv;
use crate::taking_effect::taking_effect;
use crate::{Error, ErrorKind, Result};
use early_sync::{BYTES_BETWEEN, EarlySync};
use in_the_way::{refuse_existing, refuse_foreign_folder, refuse_no_receipt, refuse_odd};
use journal::{Move, Set};
use part::{Kind, Part, folder_of};
use seal::{Seal, Sealing};
use std::fs::File;
use std::path::{Path, PathBuf};

/// A file or folder of a [`Staged`].
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Output(usize);

/// The outputs of a command, until they are put in place. Dropped, nothing is left of them.
#[derive(Debug)]
pub struct Staged {
    outputs: Vec<StagedOutput>,
    is_dry_run: bool,
    sync: EarlySync,
}

#[derive(Debug)]
struct StagedOutput {
    /// As the user named it.
    shown: PathBuf,
    target: PathBuf,
    what: What,
    unsynced: u64,
    /// Turns what is written into CSV for spreadsheets.
    for_spreadsheet: Option<SpreadsheetCsv>,
    /// For a file in a folder: the folder, and what was written so far.
    sealed: Option<(Output, Sealing)>,
}

#[derive(Debug)]
enum What {
    /// A dry run, or an output that was left out.
    Nothing,
    /// A file or a folder of its own.
    Part(Part, Placement),
    /// A file in a folder that is staged.
    InFolder(File),
}

impl Staged {
    /// No outputs yet. In a dry run none is ever written.
    pub fn new(is_dry_run: bool) -> Staged {
        Staged { outputs: Vec::new(), is_dry_run, sync: EarlySync::new() }
    }

    /// Begins a file for `target`; only its owner may read it. A link is followed: the file goes beside what it leads to.
    pub fn file(&mut self, target: &Path, placement: Placement) -> Result<Output> {
        self.output(target, placement, Kind::File)
    }

    /// Begins a folder for `target`; only its owner may enter it.
    pub fn folder(&mut self, target: &Path, placement: Placement) -> Result<Output> {
        self.output(target, placement, Kind::Folder)
    }

    fn output(&mut self, shown: &Path, placement: Placement, kind: Kind) -> Result<Output> {
        if self.is_dry_run {
            return Ok(self.add(shown, shown.to_path_buf(), What::Nothing));
        }
        let target = whole_path(shown)?;
        self.prepare(shown, &target)?;
        refuse_existing(shown, placement)?;
        match (kind, placement) {
            (Kind::File, _) => {
                refuse_odd(shown)?;
                refuse_bank(shown)?;
            }
            (Kind::Folder, Placement::KeepPrevious) => {
                refuse_no_receipt(shown)?;
                refuse_foreign_folder(&with_ending(shown, ".previous"))?;
            }
            (Kind::Folder, _) => refuse_foreign_folder(shown)?,
        }
        let part = Part::claim(&target, kind, &|| journal::settle(&target))?;
        Ok(self.add(shown, target, What::Part(part, placement)))
    }

    /// Begins a file in a folder.
    pub fn file_in(&mut self, folder: Output, name: &str) -> Result<Output> {
        let StagedOutput { shown, what, .. } = &self.outputs[folder.0];
        let target = shown.join(name);
        let what = match what {
            What::Part(part, _) => {
                let file = calls::create(&part.path.join(name)).map_err(|cause| Error::unwritable(&target, &cause))?;
                What::InFolder(file)
            }
            What::Nothing | What::InFolder(_) => What::Nothing,
        };
        let file = self.add(&target.clone(), target, what);
        self.outputs[file.0].sealed = Some((folder, Sealing::default()));
        Ok(file)
    }

    /// Takes what is written to this file for rows of CSV, and writes them as [`SpreadsheetCsv`].
    pub fn write_for_spreadsheet(&mut self, output: Output) {
        self.outputs[output.0].for_spreadsheet = Some(SpreadsheetCsv::default());
    }

    /// Adds bytes to a file.
    pub fn write(&mut self, output: Output, bytes: &[u8]) -> Result<()> {
        let StagedOutput { shown, what, unsynced, for_spreadsheet, sealed, .. } = &mut self.outputs[output.0];
        let (What::Part(Part { claim: file, .. }, _) | What::InFolder(file)) = what else { return Ok(()) };
        let bytes = for_spreadsheet.as_mut().map_or(bytes, |csv| csv.converted(bytes));
        calls::write(file, bytes).map_err(|cause| Error::unwritable(shown, &cause))?;
        if let Some((_, sealing)) = sealed {
            sealing.add(bytes);
        }
        *unsynced += bytes.len() as u64;
        if *unsynced >= BYTES_BETWEEN {
            *unsynced = 0;
            self.sync.ask(file);
        }
        Ok(())
    }

    /// The seals of the files of a folder, as far as they are written, by name.
    pub fn seals(&self, folder: Output) -> Vec<Seal> {
        let seal = |output: &StagedOutput| {
            let (_, sealing) = output.sealed.as_ref().filter(|(of, _)| *of == folder)?;
            Some(sealing.seal(output.target.file_name()?.to_string_lossy().into_owned()))
        };
        let mut seals: Vec<Seal> = self.outputs.iter().filter_map(seal).collect();
        seals.sort_by(|a, b| a.file.cmp(&b.file));
        seals
    }

    /// Where a file lies while it is written, for a writer that goes by a path; none in a dry run.
    pub fn part(&self, output: Output) -> Option<&Path> {
        match &self.outputs[output.0].what {
            What::Part(part, _) => Some(&part.path),
            What::Nothing | What::InFolder(_) => None,
        }
    }

    /// Where an output will be, as the user named it.
    pub fn target(&self, output: Output) -> &Path {
        &self.outputs[output.0].shown
    }

    /// Gives a folder another place, and says what may happen to what is there.
    pub fn retarget(&mut self, folder: Output, target: &Path, placement: Placement) -> Result<()> {
        if self.is_dry_run {
            return Ok(());
        }
        let shown = target;
        let target = whole_path(shown)?;
        self.prepare(shown, &target)?;
        refuse_foreign_folder(shown)?;
        let output = &mut self.outputs[folder.0];
        if let What::Part(part, of_part) = &mut output.what {
            part.move_to(&target, &|| journal::settle(&target))?;
            *of_part = placement;
        }
        output.shown = shown.to_path_buf();
        output.target = target;
        Ok(())
    }

    /// Leaves an output out: nothing of it is put in place.
    pub fn leave_out(&mut self, output: Output) {
        self.outputs[output.0].what = What::Nothing;
    }

    /// Syncs everything, then puts it in place.
    pub fn place(self) -> Result<()> {
        self.sync_all()?;
        // Past the journal the set is complete, whatever happens.
        let _taking_effect = taking_effect();
        match self.begin()? {
            Some(set) => set.complete(),
            None => Ok(()),
        }
    }

    /// For tests: syncs everything and writes the journal, as [`Self::place`] does first, and goes no further.
    pub fn place_journal_only(self) -> Result<()> {
        self.sync_all()?;
        self.begin().map(drop)
    }

    fn begin(mut self) -> Result<Option<Set>> {
        let mut parts = Vec::new();
        let mut moves = Vec::new();
        for StagedOutput { shown, target, what, .. } in std::mem::take(&mut self.outputs) {
            if let What::Part(part, placement) = what {
                refuse_existing(&shown, placement)?;
                moves.push(Move { to: target, placement });
                parts.push(part);
            }
        }
        if moves.is_empty() {
            return Ok(None);
        }
        let mut set = Set::begin(moves)?;
        // Other commands in the folder see by the locks that the parts are needed.
        parts.iter_mut().for_each(Part::keep);
        set.parts = parts;
        Ok(Some(set))
    }

    fn add(&mut self, shown: &Path, target: PathBuf, what: What) -> Output {
        let shown = shown.to_path_buf();
        self.outputs.push(StagedOutput { shown, target, what, unsynced: 0, for_spreadsheet: None, sealed: None });
        Output(self.outputs.len() - 1)
    }

    /// Completes what a killed command left half in place, and clears its parts away.
    fn prepare(&self, shown: &Path, target: &Path) -> Result<()> {
        let has_part = |output: &&StagedOutput| matches!(output.what, What::Part(..));
        if self.outputs.iter().filter(has_part).any(|output| output.target == target) {
            let what = "two outputs of this command are one and the same file";
            return Err(Error::new(ErrorKind::Job, what, "give each its own name").in_file(shown));
        }
        journal::settle(target)?;
        let folder = folder_of(target);
        let is_new = !self.outputs.iter().filter(has_part).any(|output| folder_of(&output.target) == folder);
        if is_new {
            part::sweep(folder, |part| journal::names(folder, part));
        }
        Ok(())
    }

    /// Syncs all files side by side: most of the time goes into waiting for the disk.
    fn sync_all(&self) -> Result<()> {
        let mut files = Vec::new();
        let mut folders = Vec::new();
        for output in &self.outputs {
            match &output.what {
                What::Part(part, _) if part.path.is_dir() => folders.push(&part.path),
                What::Part(part, _) => files.push((&part.claim, &output.target)),
                What::InFolder(file) => files.push((file, &output.target)),
                What::Nothing => {}
            }
        }
        let sync =
            |(file, target): &(&File, &PathBuf)| calls::sync(file).map_err(|cause| Error::unwritable(target, &cause));
        // One file at a time where a test counts the calls of its thread, and where there is only one.
        let (first, others) = files.split_at(files.len().min(1));
        first.iter().try_for_each(sync)?;
        let outcomes: Vec<Result<()>> = std::thread::scope(|scope| {
            // Where the system gives no thread, it is done here.
            let spawn = |each| std::thread::Builder::new().spawn_scoped(scope, move || sync(each)).map_err(|_| each);
            let spawned: Vec<_> = others.iter().map(spawn).collect();
            let outcome = |thread: std::result::Result<std::thread::ScopedJoinHandle<_>, _>| match thread {
                Ok(thread) => thread.join().expect("syncing does not panic"),
                Err(each) => sync(each),
            };
            spawned.into_iter().map(outcome).collect()
        });
        outcomes.into_iter().collect::<Result<()>>()?;
        for folder in folders {
            calls::sync_folder(folder);
        }
        Ok(())
    }
}

/// Completes the set of a command that was killed while it put its outputs in place, if `target` is one of them. Says whether
/// there was one.
pub fn settle(target: &Path) -> Result<bool> {
    journal::settle(&whole_path(target)?)
}

/// Writes one small file as a whole, under its final name or not at all. An existing one is replaced only if `replace`.
pub fn write_alone(target: &Path, bytes: &[u8], replace: bool) -> Result<()> {
    let mut staged = Staged::new(false);
    let file = staged.file(target, Placement::of_file(replace))?;
    staged.write(file, bytes)?;
    staged.place()
}

/// The path that means the same wherever a program is started. Links in it, and one at its end, are followed.
fn whole_path(target: &Path) -> Result<PathBuf> {
    if let Ok(whole) = std::fs::canonicalize(target) {
        return Ok(whole);
    }
    refuse_odd(target)?;
    let whole = std::path::absolute(target).map_err(|cause| Error::unwritable(target, &cause))?;
    let folder = folder_of(&whole);
    let folder = std::fs::canonicalize(folder).unwrap_or_else(|_| folder.to_path_buf());
    Ok(whole.file_name().map_or(folder.clone(), |name| folder.join(name)))
}
