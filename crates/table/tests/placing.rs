//! All or nothing: a run that is killed while it puts its outputs in place is completed by the next.
#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_table::staged::early_sync::EarlySync;
use pebblebank_table::staged::{Commit, Placement, StagedFile, StagedFolder, complete_interrupted};
use std::fs;
use std::path::{Path, PathBuf};

struct Desk {
    folder: tempfile::TempDir,
    sync: EarlySync,
}

impl Desk {
    fn new() -> Desk {
        Desk { folder: tempfile::tempdir().unwrap(), sync: EarlySync::new() }
    }

    fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    /// A file and a receipt, complete and not in place.
    fn commit(&self, text: &[u8], placement: Placement) -> Result<Commit, pebblebank_table::Error> {
        let mut commit = Commit::default();
        let mut file = StagedFile::create(&self.path("import.csv"), placement)?;
        file.write(text, &self.sync)?;
        let mut folder = StagedFolder::create(&self.path("receipt"), placement)?;
        folder.file("tally.json")?.write(text, &self.sync)?;
        commit.file(file);
        commit.folder(folder);
        Ok(commit)
    }

    fn names(&self) -> Vec<String> {
        let mut names: Vec<String> = fs::read_dir(self.folder.path())
            .unwrap()
            .map(|entry| entry.unwrap().file_name().into_string().unwrap())
            .collect();
        names.sort();
        names
    }
}

fn read(path: &Path) -> String {
    fs::read_to_string(path).unwrap()
}

#[test]
fn a_kill_before_the_journal_leaves_the_earlier_files_as_they_were() {
    let desk = Desk::new();
    fs::write(desk.path("import.csv"), "earlier").unwrap();
    drop(desk.commit(b"new", Placement::Replace).unwrap());
    assert_eq!(read(&desk.path("import.csv")), "earlier");
    assert_eq!(desk.names(), ["import.csv"]);
}

#[test]
fn a_kill_after_the_journal_is_completed_by_the_next_run() {
    let desk = Desk::new();
    fs::write(desk.path("import.csv"), "earlier").unwrap();
    let journal = desk.path(".import.csv.commit");
    let prepared = desk.commit(b"new", Placement::Replace).unwrap().prepare(&journal).unwrap();
    assert_eq!(read(&desk.path("import.csv")), "earlier");
    std::mem::forget(prepared);
    assert!(complete_interrupted(&journal).unwrap());
    assert_eq!(read(&desk.path("import.csv")), "new");
    assert_eq!(read(&desk.path("receipt/tally.json")), "new");
    assert_eq!(desk.names(), ["import.csv", "receipt"]);
    assert!(!complete_interrupted(&journal).unwrap());
}

#[test]
fn an_earlier_receipt_is_kept_once_as_previous() {
    let desk = Desk::new();
    let journal = desk.path(".import.csv.commit");
    for text in ["first", "second", "third"] {
        let mut commit = Commit::default();
        let mut folder = StagedFolder::create(&desk.path("receipt"), Placement::KeepPrevious).unwrap();
        folder.file("tally.json").unwrap().write(text.as_bytes(), &desk.sync).unwrap();
        commit.folder(folder);
        commit.place(&journal).unwrap();
    }
    assert_eq!(read(&desk.path("receipt/tally.json")), "third");
    assert_eq!(read(&desk.path("receipt.previous/tally.json")), "second");
    assert_eq!(desk.names(), ["receipt", "receipt.previous"]);
}

#[test]
fn what_came_into_the_way_during_the_run_is_not_replaced() {
    let desk = Desk::new();
    let commit = desk.commit(b"new", Placement::New).unwrap();
    fs::write(desk.path("import.csv"), "somebody else's").unwrap();
    let error = commit.place(&desk.path(".import.csv.commit")).unwrap_err();
    assert_eq!(error.what(), "the file exists already");
    assert_eq!(read(&desk.path("import.csv")), "somebody else's");
    assert_eq!(desk.names(), ["import.csv"]);
}

#[test]
fn a_journal_that_cannot_be_read_is_said_and_left_alone() {
    let desk = Desk::new();
    let journal = desk.path(".import.csv.commit");
    fs::write(&journal, "{").unwrap();
    assert!(complete_interrupted(&journal).unwrap_err().advice().contains("delete the journal"));
    assert!(journal.exists());
}

#[test]
fn what_a_killed_command_left_is_cleared_by_the_next_and_what_is_being_written_stays() {
    let desk = Desk::new();
    let left = [".import.csv.a1B2c3.part", ".receipt.a1B2c3.part"].map(|name| desk.path(name));
    fs::write(&left[0], "half of a file").unwrap();
    fs::create_dir(&left[1]).unwrap();
    fs::write(left[1].join("tally.json"), "half of a receipt").unwrap();
    // Another command is writing this one.
    let other = desk.path(".import.csv.d4E5f6.part");
    fs::write(&other, "more to come").unwrap();
    let lock = fs::File::open(&other).unwrap();
    lock.lock().unwrap();
    // These are none of ours: other names, or complete and waiting for their journal.
    let foreign = [
        ".import.csv.part",
        ".import.csv.toolong1.part",
        "import.csv.a1B2c3.part",
        ".other.csv.a1B2c3.part",
        ".import.csv.g7H8i9.ready",
    ];
    for name in foreign {
        fs::write(desk.path(name), "x").unwrap();
    }
    desk.commit(b"new", Placement::New).unwrap().place(&desk.path("journal")).unwrap();
    let mut meant: Vec<&str> = foreign.to_vec();
    meant.extend([".import.csv.d4E5f6.part", "import.csv", "receipt"]);
    meant.sort_unstable();
    assert_eq!(desk.names(), meant);
}

/// A journal that asks for one rename.
fn journal_of(from: &Path, to: &Path) -> String {
    serde_json::json!({
        "schema": "pebblebank/commit/1",
        "moves": [{ "from": from, "to": to, "placement": "replace" }],
    })
    .to_string()
}

#[test]
fn a_journal_moves_nothing_that_was_not_written_for_its_target() {
    let desk = Desk::new();
    let journal = desk.path(".import.csv.commit");
    let target = desk.path("import.csv");
    fs::write(&target, "earlier").unwrap();
    fs::write(desk.path("diary.txt"), "private").unwrap();
    fs::create_dir(desk.path("below")).unwrap();
    fs::write(desk.path("below/.import.csv.a1B2c3.ready"), "from elsewhere").unwrap();
    let own = desk.path(".import.csv.a1B2c3.ready");
    let mut planted = vec![
        (desk.path("diary.txt"), target.clone()),
        (desk.path("below/.import.csv.a1B2c3.ready"), target.clone()),
        (PathBuf::from(".import.csv.a1B2c3.ready"), PathBuf::from("import.csv")),
        (own.clone(), desk.path("below")),
    ];
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink(desk.path("diary.txt"), &own).unwrap();
        planted.push((own.clone(), target.clone()));
    }
    for (from, to) in planted {
        fs::write(&journal, journal_of(&from, &to)).unwrap();
        assert!(complete_interrupted(&journal).is_err(), "{from:?} to {to:?}");
    }
    assert_eq!((read(&target), read(&desk.path("diary.txt"))), ("earlier".to_owned(), "private".to_owned()));
}

#[test]
fn a_kill_between_linking_and_unlinking_is_completed() {
    let desk = Desk::new();
    let journal = desk.path(".import.csv.commit");
    let prepared = desk.commit(b"new", Placement::New).unwrap().prepare(&journal).unwrap();
    std::mem::forget(prepared);
    let ready = desk
        .names()
        .into_iter()
        .find(|name| name.starts_with(".import.csv.") && name.split('.').next_back() == Some("ready"))
        .unwrap();
    fs::hard_link(desk.path(&ready), desk.path("import.csv")).unwrap();
    assert!(complete_interrupted(&journal).unwrap());
    assert_eq!(read(&desk.path("import.csv")), "new");
    assert_eq!(desk.names(), ["import.csv", "receipt"]);
}

#[test]
fn a_set_of_which_a_part_could_not_be_placed_is_completed_by_the_next_command() {
    let desk = Desk::new();
    let journal = desk.path(".import.csv.commit");
    let prepared = desk.commit(b"new", Placement::KeepPrevious).unwrap().prepare(&journal).unwrap();
    // Somebody's own folder came into the way meanwhile.
    fs::create_dir(desk.path("receipt")).unwrap();
    fs::create_dir(desk.path("receipt.previous")).unwrap();
    fs::write(desk.path("receipt.previous/photo.jpg"), "mine").unwrap();
    let error = prepared.complete().unwrap_err();
    assert!(error.what().starts_with("only a part of the outputs"), "{}", error.what());
    assert_eq!(read(&desk.path("receipt.previous/photo.jpg")), "mine");
    fs::remove_dir_all(desk.path("receipt.previous")).unwrap();
    assert!(complete_interrupted(&journal).unwrap());
    assert_eq!(read(&desk.path("receipt/tally.json")), "new");
}

#[test]
fn only_a_file_gives_way_to_a_file_and_only_a_receipt_to_a_receipt() {
    let desk = Desk::new();
    fs::create_dir(desk.path("import.csv")).unwrap();
    let refused = |name: &str| StagedFile::create(&desk.path(name), Placement::Replace).unwrap_err().what().to_owned();
    assert_eq!(refused("import.csv"), "this is a folder, not a file");
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink(desk.path("nowhere"), desk.path("link.csv")).unwrap();
        assert_eq!(refused("link.csv"), "this is a link that leads nowhere");
        let device = StagedFile::create(Path::new("/dev/null"), Placement::Replace).unwrap_err();
        assert!(device.what().starts_with("this is a device"), "{}", device.what());
    }
    fs::create_dir(desk.path("photos")).unwrap();
    fs::write(desk.path("photos/me.jpg"), "mine").unwrap();
    assert!(StagedFolder::create(&desk.path("photos"), Placement::KeepPrevious).is_err());
    fs::create_dir(desk.path("r.previous")).unwrap();
    fs::write(desk.path("r.previous/me.jpg"), "mine").unwrap();
    assert!(StagedFolder::create(&desk.path("r"), Placement::KeepPrevious).is_err());
}

#[test]
fn the_next_set_with_the_same_journal_completes_the_earlier_one_first() {
    let desk = Desk::new();
    let journal = desk.path(".import.csv.commit");
    std::mem::forget(desk.commit(b"first", Placement::KeepPrevious).unwrap().prepare(&journal).unwrap());
    desk.commit(b"second", Placement::KeepPrevious).unwrap().place(&journal).unwrap();
    assert_eq!(read(&desk.path("receipt/tally.json")), "second");
    assert_eq!(read(&desk.path("receipt.previous/tally.json")), "first");
    assert!(!journal.exists());
}
