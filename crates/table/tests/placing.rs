//! All or nothing: a command that is stopped while it puts its outputs in place is completed, or undone, by the next.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_table::Result;
use pebblebank_table::staged::calls::{Stop, stop_at, was_stopped};
use pebblebank_table::staged::placement::Placement;
use pebblebank_table::staged::{Staged, settle, write_alone};
use rstest::rstest;
use std::fs;
use std::path::{Path, PathBuf};

/// What a receipt's tally begins with.
const TALLY: &str = "{\n  \"schema\": \"pebblebank/tally/1\",\n  \"text\": ";

struct Desk {
    folder: tempfile::TempDir,
}

impl Desk {
    fn new() -> Desk {
        let desk = Desk { folder: tempfile::tempdir().unwrap() };
        fs::create_dir(desk.path("away")).unwrap();
        desk
    }

    fn path(&self, name: &str) -> PathBuf {
        fs::canonicalize(self.folder.path()).unwrap().join(name)
    }

    /// An import file, a second one in another folder, and a receipt, complete and not in place.
    fn staged(&self, text: &str, placement: Placement) -> Result<Staged> {
        let mut staged = Staged::new(false);
        let of_file = if placement == Placement::New { Placement::New } else { Placement::Replace };
        for name in ["import.csv", "away/second.csv"] {
            let file = staged.file(&self.path(name), of_file)?;
            staged.write(file, text.as_bytes())?;
        }
        let receipt = staged.folder(&self.path("receipt"), placement)?;
        let tally = staged.file_in(receipt, "tally.json")?;
        staged.write(tally, format!("{TALLY}{text}").as_bytes())?;
        Ok(staged)
    }

    fn names(&self) -> Vec<String> {
        let names = |folder: &str| {
            let entries = fs::read_dir(self.path(folder)).unwrap();
            entries.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect::<Vec<_>>()
        };
        let mut all = names("");
        all.extend(names("away").into_iter().map(|name| format!("away/{name}")));
        all.retain(|name| name != "away");
        all.sort();
        all
    }

    /// The text of each output, where it is there.
    fn texts(&self) -> [Option<String>; 3] {
        let tally = |text: String| text.strip_prefix(TALLY).unwrap().to_owned();
        [
            fs::read_to_string(self.path("import.csv")).ok(),
            fs::read_to_string(self.path("away/second.csv")).ok(),
            fs::read_to_string(self.path("receipt/tally.json")).ok().map(tally),
        ]
    }
}

fn all(text: &str) -> [Option<String>; 3] {
    [(); 3].map(|()| Some(text.to_owned()))
}

const OUTPUTS: [&str; 3] = ["import.csv", "away/second.csv", "receipt"];

#[test]
fn a_kill_before_the_journal_leaves_the_earlier_files_as_they_were() {
    let desk = Desk::new();
    desk.staged("old", Placement::New).unwrap().place().unwrap();
    drop(desk.staged("new", Placement::KeepPrevious).unwrap());
    assert_eq!(desk.texts(), all("old"));
    assert_eq!(desk.names(), ["away/second.csv", "import.csv", "receipt"]);
}

#[rstest]
fn a_kill_after_the_journal_is_completed_by_the_next_command_that_touches_any_of_the_files(
    #[values(0, 1, 2)] touched: usize,
) {
    let desk = Desk::new();
    desk.staged("old", Placement::New).unwrap().place().unwrap();
    desk.staged("new", Placement::KeepPrevious).unwrap().place_journal_only().unwrap();
    assert_eq!(desk.texts(), all("old"));
    assert!(settle(&desk.path(OUTPUTS[touched])).unwrap());
    assert_eq!(desk.texts(), all("new"));
    assert_eq!(desk.names(), ["away/second.csv", "import.csv", "receipt", "receipt.previous"]);
    assert!(!settle(&desk.path(OUTPUTS[touched])).unwrap());
}

/// The calls of placing a set, each of which is stopped once. After each, the next command that touches any of the files
/// leaves all old or all new, and nothing else.
#[rstest]
fn whatever_call_a_set_is_stopped_at_all_is_old_or_all_is_new(
    #[values(Stop::Kill, Stop::Fail)] stop: Stop,
    #[values(Placement::New, Placement::Replace, Placement::KeepPrevious)] placement: Placement,
    #[values(0, 1, 2)] touched: usize,
) {
    let mut outcomes = std::collections::BTreeMap::new();
    for call in 0.. {
        let desk = Desk::new();
        if placement != Placement::New {
            desk.staged("old", Placement::New).unwrap().place().unwrap();
        }
        stop_at(Some((stop, call)));
        let placed = desk.staged("new", placement).and_then(Staged::place);
        let stopped = was_stopped();
        stop_at(None);
        if !stopped {
            assert!(placed.is_ok() && call > 20, "{call} calls");
            break;
        }
        let settled = settle(&desk.path(OUTPUTS[touched]));
        assert!(settled.is_ok(), "call {call}: {settled:?}");
        let old = if placement == Placement::New { [None, None, None] } else { all("old") };
        let texts = desk.texts();
        assert!(texts == old || texts == all("new"), "call {call}: {texts:?}, {:?}", desk.names());
        *outcomes.entry(texts == old).or_insert(0) += 1;
        // And the next command works, and leaves nothing of the one before.
        let next =
            if placement == Placement::New && texts[0].is_none() { Placement::New } else { Placement::KeepPrevious };
        desk.staged("next", next).unwrap().place().unwrap();
        assert_eq!(desk.texts(), all("next"), "call {call}");
        assert!(desk.names().iter().all(|name| !name.contains(".pebblebank")), "call {call}: {:?}", desk.names());
    }
    assert!(outcomes.len() == 2, "some calls leave the old files, and some the new ones: {outcomes:?}");
}

#[test]
fn an_earlier_receipt_is_kept_once_as_previous() {
    let desk = Desk::new();
    for text in ["first", "second", "third"] {
        let placement = if text == "first" { Placement::New } else { Placement::KeepPrevious };
        desk.staged(text, placement).unwrap().place().unwrap();
    }
    assert_eq!(desk.texts(), all("third"));
    assert!(fs::read_to_string(desk.path("receipt.previous/tally.json")).unwrap().ends_with("second"));
    assert_eq!(desk.names(), ["away/second.csv", "import.csv", "receipt", "receipt.previous"]);
}

#[test]
fn what_came_into_the_way_during_the_run_is_not_replaced() {
    let desk = Desk::new();
    let staged = desk.staged("new", Placement::New).unwrap();
    fs::write(desk.path("import.csv"), "somebody else's").unwrap();
    assert_eq!(staged.place().unwrap_err().what(), "the file exists already");
    assert_eq!(desk.texts(), [Some("somebody else's".to_owned()), None, None]);
    assert_eq!(desk.names(), ["import.csv"]);
}

#[test]
fn a_second_command_stops_while_one_writes_the_same_output() {
    let desk = Desk::new();
    let first = desk.staged("first", Placement::New).unwrap();
    let mut second = Staged::new(false);
    second.file(&desk.path("other.csv"), Placement::New).unwrap();
    for output in ["import.csv", "away/second.csv"] {
        let error = second.file(&desk.path(output), Placement::New).unwrap_err();
        assert_eq!(error.what(), "another command is writing this output now");
    }
    let error = second.folder(&desk.path("receipt"), Placement::New).unwrap_err();
    assert_eq!(error.what(), "another command is writing this output now");
    first.place().unwrap();
    assert_eq!(desk.texts(), all("first"));
}

#[cfg(unix)]
#[test]
fn two_outputs_that_are_one_file_through_a_link_are_refused() {
    let desk = Desk::new();
    fs::write(desk.path("import.csv"), "old").unwrap();
    std::os::unix::fs::symlink(desk.path("import.csv"), desk.path("link.csv")).unwrap();
    std::os::unix::fs::symlink(desk.path("away"), desk.path("there")).unwrap();
    for (one, other) in [("import.csv", "link.csv"), ("away/new.csv", "there/new.csv")] {
        let mut staged = Staged::new(false);
        staged.file(&desk.path(one), Placement::Replace).unwrap();
        let error = staged.file(&desk.path(other), Placement::Replace).unwrap_err();
        assert_eq!(error.what(), "two outputs of this command are one and the same file");
    }
    assert_eq!(fs::read_to_string(desk.path("import.csv")).unwrap(), "old");
}

#[test]
fn a_journal_that_cannot_be_read_is_said_and_left_alone() {
    let desk = Desk::new();
    let journal = desk.path(".import.csv.pebblebank-commit");
    fs::write(&journal, "{").unwrap();
    assert!(desk.staged("new", Placement::New).unwrap_err().advice().contains("delete the journal"));
    assert!(journal.exists());
    // It concerns no other file.
    write_alone(&desk.path("other.csv"), b"x", false).unwrap();
}

#[test]
fn what_a_killed_command_left_is_cleared_by_the_next_and_what_is_being_written_stays() {
    let desk = Desk::new();
    for left in [".import.csv.pebblebank-part", ".long-ago.csv.pebblebank-part"] {
        fs::write(desk.path(left), "half of a file").unwrap();
    }
    fs::create_dir(desk.path(".receipt.pebblebank-part")).unwrap();
    fs::write(desk.path(".receipt.pebblebank-part/tally.json"), "half of a receipt").unwrap();
    // Another command is writing this one.
    let other = desk.path(".other.csv.pebblebank-part");
    fs::write(&other, "more to come").unwrap();
    let lock = fs::File::open(&other).unwrap();
    lock.lock().unwrap();
    // These are none of ours.
    let foreign = [".import.csv.part", "import.csv.pebblebank-part", ".notes"];
    for name in foreign {
        fs::write(desk.path(name), "x").unwrap();
    }
    desk.staged("new", Placement::New).unwrap().place().unwrap();
    let mut meant: Vec<&str> = foreign.to_vec();
    meant.extend([".other.csv.pebblebank-part", "away/second.csv", "import.csv", "receipt"]);
    meant.sort_unstable();
    assert_eq!(desk.names(), meant);
}

/// A journal that asks for one move.
fn journal_of(to: &Path) -> String {
    let moves = [serde_json::json!({ "to": to, "placement": "replace" })];
    serde_json::json!({ "schema": "pebblebank/commit/2", "journal": null, "moves": moves }).to_string()
}

#[test]
fn a_journal_is_data_and_not_an_order() {
    let desk = Desk::new();
    let journal = desk.path(".import.csv.pebblebank-commit");
    let target = desk.path("import.csv");
    fs::write(&target, "earlier").unwrap();
    fs::write(desk.path("diary.txt"), "private").unwrap();
    fs::create_dir(desk.path("photos")).unwrap();
    fs::write(desk.path("photos/me.jpg"), "mine").unwrap();
    // What was planted names other files than the one beside which it lies, or a folder with somebody's own files.
    fs::write(desk.path(".diary.txt.pebblebank-part"), "planted").unwrap();
    fs::create_dir(desk.path(".photos.pebblebank-part")).unwrap();
    for (name, to) in [("import.csv", "diary.txt"), ("photos", "photos")] {
        let journal = desk.path(&format!(".{name}.pebblebank-commit"));
        fs::write(&journal, journal_of(&desk.path(to))).unwrap();
        assert!(settle(&desk.path(to)).is_err(), "{to}");
        fs::remove_file(&journal).unwrap();
    }
    fs::write(&journal, journal_of(Path::new("import.csv"))).unwrap();
    assert!(!settle(&target).unwrap(), "a relative path names nothing");
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink(desk.path("diary.txt"), desk.path(".import.csv.pebblebank-part")).unwrap();
        fs::write(&journal, journal_of(&target)).unwrap();
        assert!(settle(&target).is_err(), "a link is no part");
    }
    let kept = [("diary.txt", "private"), ("import.csv", "earlier"), ("photos/me.jpg", "mine")];
    for (name, text) in kept {
        assert_eq!(fs::read_to_string(desk.path(name)).unwrap(), text);
    }
}

#[test]
fn a_set_of_which_a_part_could_not_be_placed_is_completed_by_the_next_command() {
    let desk = Desk::new();
    let staged = desk.staged("new", Placement::KeepPrevious).unwrap();
    // Somebody's own folder came into the way meanwhile.
    fs::create_dir(desk.path("receipt")).unwrap();
    fs::create_dir(desk.path("receipt.previous")).unwrap();
    fs::write(desk.path("receipt.previous/photo.jpg"), "mine").unwrap();
    let error = staged.place().unwrap_err();
    assert!(error.what().starts_with("only a part of the outputs"), "{}", error.what());
    assert_eq!(fs::read_to_string(desk.path("receipt.previous/photo.jpg")).unwrap(), "mine");
    fs::remove_dir_all(desk.path("receipt.previous")).unwrap();
    assert!(settle(&desk.path("away/second.csv")).unwrap());
    assert_eq!(desk.texts(), all("new"));
}

#[test]
fn only_a_file_gives_way_to_a_file_and_only_a_receipt_to_a_receipt() {
    let desk = Desk::new();
    let refused = |path: &Path| Staged::new(false).file(path, Placement::Replace).unwrap_err().what().to_owned();
    assert_eq!(refused(&desk.path("away")), "this is a folder, not a file");
    #[cfg(unix)]
    {
        std::os::unix::fs::symlink(desk.path("nowhere"), desk.path("link.csv")).unwrap();
        assert_eq!(refused(&desk.path("link.csv")), "this is a link that leads nowhere");
        assert!(refused(Path::new("/dev/null")).starts_with("this is a device"));
    }
    let is_refused = |name: &str| Staged::new(false).folder(&desk.path(name), Placement::KeepPrevious).is_err();
    for name in ["photos", "r.previous", "receipt"] {
        fs::create_dir(desk.path(name)).unwrap();
    }
    fs::write(desk.path("photos/me.jpg"), "mine").unwrap();
    fs::write(desk.path("r.previous/tally.json"), "{ \"mine\": 1 }").unwrap();
    fs::write(desk.path("receipt/tally.json"), TALLY).unwrap();
    assert!(is_refused("photos") && is_refused("r"), "no receipts");
    // What the system and spreadsheet programs leave is nobody's own.
    for name in [".DS_Store", ".~lock.merged.csv#", "Thumbs.db", "merged.csv"] {
        fs::write(desk.path("receipt").join(name), "").unwrap();
    }
    assert!(!is_refused("receipt"));
    // With something of one's own in it a receipt is moved aside, and never deleted.
    fs::write(desk.path("receipt/me.jpg"), "mine").unwrap();
    assert!(!is_refused("receipt"));
    fs::rename(desk.path("receipt"), desk.path("receipt.previous")).unwrap();
    let error = Staged::new(false).folder(&desk.path("receipt"), Placement::KeepPrevious).unwrap_err();
    assert_eq!(error.what(), "this receipt has something of your own in it (me.jpg), and would be deleted");
    assert!(desk.path("receipt.previous/me.jpg").exists());
}

/// A command takes what lies beside its targets for left by a killed one; what another command is about to put in place is not.
#[test]
fn commands_in_one_folder_leave_each_others_parts_alone() {
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str| {
        let mut staged = Staged::new(false);
        let receipt = staged.folder(&folder.path().join(format!("{name}.receipt")), Placement::KeepPrevious)?;
        let file = staged.file_in(receipt, "tally.json")?;
        staged.write(file, b"{ \"schema\": \"pebblebank/tally/1\" }")?;
        let out = staged.file(&folder.path().join(format!("{name}.csv")), Placement::Replace)?;
        staged.write(out, name.as_bytes())?;
        staged.place()
    };
    std::thread::scope(|scope| {
        for name in ["one", "two", "three"] {
            let write = &write;
            scope.spawn(move || (0..50).for_each(|_| write(name).unwrap()));
        }
    });
    for name in ["one", "two", "three"] {
        assert_eq!(std::fs::read_to_string(folder.path().join(format!("{name}.csv"))).unwrap(), name);
        assert!(folder.path().join(format!("{name}.receipt/tally.json")).exists());
    }
    let left = std::fs::read_dir(folder.path())
        .unwrap()
        .filter(|entry| entry.as_ref().unwrap().file_name().to_string_lossy().starts_with('.'));
    assert_eq!(left.count(), 0);
}
