//! What can go wrong with the file: nothing is lost, nothing is half done, and the words say what to do.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Shelf, batch, put, texts};
use pebblebank_bank::batch::What;
use pebblebank_bank::entry::NewEntry;
use pebblebank_bank::text::Text;
use pebblebank_bank::verdicts::VerdictCounts;
use pebblebank_bank::{Access, Bank, EVERYONE};
use rstest::rstest;
use std::time::Duration;

#[test]
fn what_was_not_committed_leaves_nothing_behind() {
    let shelf = Shelf::new();
    let mut bank = shelf.bank();
    put(&mut bank, What::OptedOut, EVERYONE, &["ann@post.example"]);
    let mut staged = bank.stage(batch(What::OptedOut, EVERYONE)).unwrap();
    staged.add(texts(&["ben@post.example"]).into_iter().map(NewEntry::new)).unwrap();
    let mut ready = staged.ready().unwrap();
    assert_eq!(ready.preview().unwrap().new, 1);
    drop(bank);
    let bank = shelf.bank();
    assert_eq!(bank.counts().unwrap()[0].entries, 1);
    assert!(!bank.find(&Text::address("ben@post.example"), &mut |_| ()).unwrap().is_held("2026-03-02"));
}

#[test]
fn two_that_change_it_at_once_wait_for_each_other() {
    let shelf = Shelf::new();
    drop(shelf.bank());
    let other = rusqlite::Connection::open(shelf.path()).unwrap();
    other.execute_batch("begin immediate; insert into history (moment, what) values ('2026', 'by another')").unwrap();
    let waiting = std::thread::spawn({
        let path = shelf.path();
        move || {
            let mut bank = Bank::open(&path, Access::Change, common::MOMENT, common::today()).unwrap();
            put(&mut bank, What::DoNotContact, EVERYONE, &["ann@post.example"]);
        }
    });
    std::thread::sleep(Duration::from_millis(300));
    assert!(!waiting.is_finished());
    other.execute_batch("commit").unwrap();
    waiting.join().unwrap();
    let bank = shelf.bank();
    assert_eq!((bank.history(9, None).unwrap().len(), bank.counts().unwrap()[0].entries), (2, 1));
}

#[test]
fn a_reader_sees_the_bank_as_it_was_when_it_began() {
    let shelf = Shelf::new();
    put(&mut shelf.bank(), What::OptedOut, EVERYONE, &["ann@post.example"]);
    let memory = shelf.memory(None);
    put(&mut shelf.bank(), What::OptedOut, EVERYONE, &["ben@post.example"]);
    assert_eq!(common::all_of(&memory, None).len(), 1);
    assert_eq!(common::all_of(&shelf.memory(None), None).len(), 2);
}

/// Changes a bank that holds a hundred addresses.
fn spoiled(spoil: impl FnOnce(&std::path::Path)) -> String {
    let shelf = Shelf::new();
    let many: Vec<String> = (0..4_000).map(|number| format!("somebody{number}@post.example")).collect();
    let many: Vec<&str> = many.iter().map(String::as_str).collect();
    put(&mut shelf.bank(), What::OptedOut, EVERYONE, &many);
    rusqlite::Connection::open(shelf.path()).unwrap().execute_batch("pragma wal_checkpoint(truncate)").ok();
    spoil(&shelf.path());
    let open = Bank::open(&shelf.path(), Access::Ask, common::MOMENT, common::today());
    let error = open.and_then(|bank| bank.for_each_entry(&mut |_| Ok(true))).unwrap_err();
    assert!(!error.advice().is_empty());
    error.what().to_owned()
}

#[test]
fn a_damaged_file_is_refused() {
    let said = spoiled(|path| {
        let mut bytes = std::fs::read(path).unwrap();
        let middle = bytes.len() / 4;
        bytes[middle..].fill(0xA5);
        std::fs::write(path, bytes).unwrap();
    });
    assert!(said.contains("damaged"), "{said}");
}

#[test]
fn a_file_of_another_kind_or_of_a_newer_version_is_refused() {
    let text = spoiled(|path| std::fs::write(path, "email\nann@post.example\n".repeat(100)).unwrap());
    assert!(text.contains("not a bank"), "{text}");
    let newer =
        spoiled(|path| rusqlite::Connection::open(path).unwrap().pragma_update(None, "user_version", 99).unwrap());
    assert!(newer.contains("newer version"), "{newer}");
    let other = spoiled(|path| {
        std::fs::remove_file(path).unwrap();
        rusqlite::Connection::open(path).unwrap().execute_batch("create table recipe (cake text)").unwrap();
    });
    assert!(other.contains("not a bank"), "{other}");
}

#[test]
fn its_side_files_are_for_its_owner_alone() {
    use std::os::unix::fs::PermissionsExt;
    let shelf = Shelf::new();
    let mut bank = shelf.bank();
    put(&mut bank, What::OptedOut, EVERYONE, &["ann@post.example"]);
    let folder = shelf.path().parent().unwrap().to_path_buf();
    let files: Vec<_> = std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap()).collect();
    assert!(files.len() > 1, "the bank is open, and has side files");
    for file in files {
        assert_eq!(file.metadata().unwrap().permissions().mode() & 0o777, 0o600, "{:?}", file.file_name());
    }
}

#[test]
fn a_full_disk_changes_nothing() {
    let shelf = Shelf::new();
    put(&mut shelf.bank(), What::OptedOut, EVERYONE, &["ann@post.example"]);
    let mut bank = shelf.bank();
    bank.limit_pages(40).unwrap();
    let many = (0..20_000).map(|number| NewEntry::new(Text::address(&format!("somebody{number}@post.example"))));
    let mut staged = bank.stage(batch(What::OptedOut, EVERYONE)).unwrap();
    staged.add(many).unwrap();
    let error = staged.ready().unwrap().commit().unwrap_err();
    assert!(error.what().contains("disk is full"), "{error}");
    drop(bank);
    assert_eq!(shelf.bank().counts().unwrap()[0].entries, 1);
}

#[rstest]
#[case::the_folder_is_a_file("file/bank.sqlite")]
#[case::it_is_a_folder(".")]
fn a_bank_that_cannot_be_made_is_a_clear_error(#[case] name: &str) {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("file"), "x").unwrap();
    let error = Bank::open(&folder.path().join(name), Access::Change, common::MOMENT, common::today()).unwrap_err();
    assert!(!error.what().is_empty() && error.place().file.is_some());
}

#[test]
fn a_bank_of_the_first_version_is_read_as_it_was_written() {
    let shelf = Shelf::new();
    std::fs::write(shelf.path(), include_bytes!("banks/version-1.sqlite")).unwrap();
    let bank = shelf.bank();
    let scopes: Vec<String> = bank.scopes().unwrap().into_iter().map(|(_, name)| name).collect();
    assert_eq!(scopes, ["everyone", "larkfold"]);
    let find = |typed: &str| bank.find(&Text::read(typed, None).unwrap(), &mut |_| ()).unwrap();
    assert!(find("ann@post.example").is_held("2026-03-02"));
    assert_eq!(find("cy@hotel.example").by_domain[0].scope, "larkfold");
    assert_eq!(find("+442079460001").entries[0].until.as_deref(), Some("2099-12-31"));
    assert!(find("forgotten@post.example").is_forgotten);
    assert!(!find("ben@post.example").is_held("2026-03-02"), "its batch was taken back");
    assert_eq!(find("dot@post.example").entries[0].campaign.as_deref(), Some("spring fair"));
}

#[test]
fn a_bank_of_the_second_version_is_read_as_it_was_written() {
    let shelf = Shelf::new();
    std::fs::write(shelf.path(), include_bytes!("banks/version-2.sqlite")).unwrap();
    let bank = shelf.bank();
    let find = |typed: &str| bank.find(&Text::read(typed, None).unwrap(), &mut |_| ()).unwrap();
    assert_eq!(find("ida@post.example").entries[0].scope, "larkfold");
    assert!(find("bo@garden.example").is_held("2026-12-01"));
    assert_eq!(bank.domain_verdicts(["garden.example"].into_iter(), 30).unwrap(), [None]);
}

#[test]
fn a_bank_of_the_third_version_keeps_what_was_found_of_domains() {
    let shelf = Shelf::new();
    std::fs::write(shelf.path(), include_bytes!("banks/version-3.sqlite")).unwrap();
    let bank = shelf.bank();
    assert_eq!(
        bank.find(&Text::read("ida@post.example", None).unwrap(), &mut |_| ()).unwrap().entries[0].scope,
        "larkfold"
    );
    let verdicts = bank.domain_verdicts(["garden-gone.example", "inkwell.example"].into_iter(), 1_000_000).unwrap();
    let whys: Vec<_> = verdicts.into_iter().map(|verdict| verdict.map(|verdict| verdict.why.name())).collect();
    // Shelves stand on a day before these were found: what is not found yet is not told.
    assert_eq!(whys, [None, None]);
    assert_eq!(bank.verdict_counts().unwrap(), VerdictCounts { domains: 2, addresses: 0, awaited: 0 });
}

#[test]
fn a_bank_of_the_fifth_version_is_read_as_it_was_written() {
    let shelf = Shelf::new();
    std::fs::write(shelf.path(), include_bytes!("banks/version-5.sqlite")).unwrap();
    let bank = shelf.bank();
    let find = |typed: &str| bank.find(&Text::read(typed, None).unwrap(), &mut |_| ()).unwrap();
    assert!(find("leaver90@post.example").is_held("2026-12-01"), "in a block");
    assert!(!find("leaver8@post.example").is_held("2026-12-01"), "came back");
    assert!(find("leaver7@post.example").is_forgotten);
    assert_eq!(find("ann@hotel.example").by_domain[0].scope, "larkfold");
    let history = bank.history(9, None).unwrap();
    assert!(history.len() == 5 && history.iter().all(|line| line.who.is_none()), "a file knows no users");
}

#[test]
fn a_bank_of_the_fourth_version_is_read_as_it_was_written_and_goes_on_in_blocks() {
    let shelf = Shelf::new();
    std::fs::write(shelf.path(), include_bytes!("banks/version-4.sqlite")).unwrap();
    let mut bank = shelf.bank();
    let find = |bank: &Bank, typed: &str| bank.find(&Text::read(typed, None).unwrap(), &mut |_| ()).unwrap();
    assert!(find(&bank, "leaver9@post.example").is_held("2026-12-01"));
    assert!(find(&bank, "leaver7@post.example").is_forgotten);
    assert!(!find(&bank, "leaver8@post.example").is_held("2026-12-01"), "came back");
    // Most of those who left are known, and a file that was prepared has some of them.
    let leavers: Vec<String> = (1..=100).map(|number| format!("leaver{number}@post.example")).collect();
    let mut staged = bank.stage(common::batch(What::OptedOut, pebblebank_bank::EVERYONE)).unwrap();
    staged.add(leavers.iter().map(|leaver| NewEntry::new(Text::address(leaver)))).unwrap();
    let mut ready = staged.ready().unwrap();
    let preview = ready.preview().unwrap();
    assert_eq!((preview.known, preview.new, preview.forgotten), (89, 11, 1));
    assert_eq!(preview.held.iter().map(|file| file.held).collect::<Vec<_>>(), [10, 10]);
    ready.commit().unwrap();
    // What comes now is known already, also in blocks.
    let mut staged = bank.stage(common::batch(What::OptedOut, pebblebank_bank::EVERYONE)).unwrap();
    staged.add(leavers.iter().map(|leaver| NewEntry::new(Text::address(leaver)))).unwrap();
    assert_eq!(staged.ready().unwrap().preview().unwrap().new, 0);
    assert!(find(&bank, "leaver100@post.example").is_held("2026-12-01"));
}
