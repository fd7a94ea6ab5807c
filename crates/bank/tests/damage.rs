//! A damaged bank is refused, or it is right: nobody who is in the whole one is missing from what a run gets.

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{MOMENT, Shelf, batch, put, today};
use pebblebank_bank::batch::What;
use pebblebank_bank::entry::NewEntry;
use pebblebank_bank::memory::Asked;
use pebblebank_bank::scope::NewScope;
use pebblebank_bank::text::Text;
use pebblebank_bank::{Access, Bank, EVERYONE};
use pebblebank_core::suppress::remembered::{Among, Remembered, RememberedEntry};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::Date;
use rstest::rstest;
use std::path::Path;

/// Numbers that look like chance and are the same in every run.
struct Dice(u64);

impl Dice {
    fn below(&mut self, end: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % end.max(1)
    }
}

/// A bank with people of every kind in it: of two scopes, by address, domain, phone and hash, softly bounced, until a day,
/// taken back, come back, forgotten, and sent a mailing.
fn bank_of_many() -> Shelf {
    let shelf = Shelf::new();
    let mut bank = shelf.bank();
    let larkfold = bank.scope_or_new(Some("larkfold"), NewScope::IsMeant).unwrap();
    let people = |what: &str, count: usize| (0..count).map(|n| format!("{what}{n}@post.example")).collect::<Vec<_>>();
    let put_all = |bank: &mut Bank, what, scope, people: &[String]| {
        put(bank, what, scope, &people.iter().map(String::as_str).collect::<Vec<_>>())
    };
    put_all(&mut bank, What::OptedOut, EVERYONE, &people("out", 180));
    put_all(&mut bank, What::Complained, larkfold, &people("angry", 60));
    put_all(&mut bank, What::DoNotContact, larkfold, &people("never", 40));
    put(
        &mut bank,
        What::DoNotContact,
        EVERYONE,
        &["hotel.example", "+442079460001", "5d41402abc4b2a76b9719d911017c592"],
    );
    let undone = put_all(&mut bank, What::OptedOut, EVERYONE, &people("mistake", 20));
    bank.undo(undone).unwrap();
    put_all(&mut bank, What::Sent, larkfold, &people("guest", 50));
    let mut staged = bank.stage(batch(What::Bounced, EVERYONE)).unwrap();
    for (n, person) in people("gone", 30).iter().enumerate() {
        let until = (n % 3 == 0).then_some(Date { year: 2026, month: 12, day: 31 });
        staged.add([NewEntry { is_soft: n % 5 == 0, until, ..NewEntry::new(Text::address(person)) }]).unwrap();
    }
    staged.ready().unwrap().commit().unwrap();
    bank.remove(&Text::address("out7@post.example"), None, Some("signed up again")).unwrap();
    bank.forget(&Text::address("out9@post.example")).unwrap();
    bank.forget(&Text::address("angry3@post.example")).unwrap();
    drop(bank);
    shelf
}

/// Whom a run in the scope must not write to, as the bank says.
fn suppressed(path: &Path) -> Result<Vec<String>> {
    let bank = Bank::open(path, Access::Ask, MOMENT, today())?;
    let memory = bank.into_memory(&Asked { scope: Some("larkfold".to_owned()), ..Asked::default() })?;
    let mut all = Vec::new();
    memory.entries(None, &mut |hold, entry| {
        let text = match entry {
            RememberedEntry::Address(text) | RememberedEntry::Domain(text) | RememberedEntry::Phone(text) => {
                text.to_owned()
            }
            RememberedEntry::Digest(digest) => digest.hex(),
            RememberedEntry::Mailed(..) | RememberedEntry::MailedDigest(..) => return Ok(()),
        };
        all.push(format!("{} {text}", memory.holds()[hold].reason.name()));
        Ok(())
    })?;
    all.extend(memory.returned().iter().map(|(person, day)| format!("came back {person} {day:?}")));
    all.sort();
    Ok(all)
}

/// One way in which a file is damaged.
fn damage(bytes: &mut Vec<u8>, way: usize, dice: &mut Dice) {
    const PAGE: usize = 4096;
    let pages = bytes.len() / PAGE;
    match way {
        0 => {
            let at = dice.below(bytes.len());
            bytes[at] ^= 1 << dice.below(8);
        }
        1 => {
            for _ in 0..=dice.below(20) {
                let at = dice.below(bytes.len());
                bytes[at] ^= 1 << dice.below(8);
            }
        }
        2 => bytes.truncate(dice.below(bytes.len())),
        3 => bytes.truncate(bytes.len() - PAGE * (1 + dice.below(3))),
        4 => {
            let page = dice.below(pages) * PAGE;
            bytes[page..page + PAGE].fill(0);
        }
        5 => {
            let (a, b) = (dice.below(pages) * PAGE, dice.below(pages) * PAGE);
            let (first, second) = (bytes[a..a + PAGE].to_vec(), bytes[b..b + PAGE].to_vec());
            bytes[a..a + PAGE].copy_from_slice(&second);
            bytes[b..b + PAGE].copy_from_slice(&first);
        }
        6 => {
            let at = dice.below(bytes.len());
            let end = (at + 1 + dice.below(200)).min(bytes.len());
            for byte in &mut bytes[at..end] {
                *byte = dice.below(256) as u8;
            }
        }
        // A page that never reached the disk: as an older copy had it.
        _ => {
            let at = dice.below(bytes.len().saturating_sub(64));
            let from = dice.below(bytes.len().saturating_sub(64));
            let moved = bytes[from..from + 64].to_vec();
            bytes[at..at + 64].copy_from_slice(&moved);
        }
    }
}

#[test]
fn a_damaged_bank_is_refused_or_right() {
    let shelf = bank_of_many();
    let whole = std::fs::read(shelf.path()).unwrap();
    let expected = suppressed(&shelf.path()).unwrap();
    assert!(expected.len() > 250, "{}", expected.len());
    let folder = tempfile::tempdir().unwrap();
    let (mut refused, mut right) = (0, 0);
    let mut dice = Dice(20_261_128);
    for number in 0..1_000 {
        let mut bytes = whole.clone();
        damage(&mut bytes, number % 8, &mut dice);
        let path = folder.path().join(format!("{number}.sqlite"));
        std::fs::write(&path, &bytes).unwrap();
        match suppressed(&path) {
            Err(error) => {
                assert!(!error.advice().is_empty() && error.place().file.is_some(), "{number}: {error:?}");
                refused += 1;
            }
            Ok(found) => {
                assert_eq!(found, expected, "file {number}, damaged in way {}", number % 8);
                right += 1;
            }
        }
        std::fs::remove_file(&path).unwrap();
    }
    // What hits free space, or a page that is swapped with itself, changes nothing.
    assert!(refused > 700 && right > 0, "{refused} refused, {right} right");
}

#[test]
fn nothing_goes_into_a_damaged_bank() {
    let shelf = bank_of_many();
    let whole = std::fs::read(shelf.path()).unwrap();
    let mut dice = Dice(7);
    for number in 0..120 {
        let mut bytes = whole.clone();
        damage(&mut bytes, number % 8, &mut dice);
        std::fs::write(shelf.path(), &bytes).unwrap();
        let Ok(mut bank) = Bank::open(&shelf.path(), Access::Change, MOMENT, today()) else {
            assert_eq!(std::fs::read(shelf.path()).unwrap().len(), bytes.len(), "the file stays as it was found");
            continue;
        };
        // It was right, and stays so.
        put(&mut bank, What::OptedOut, EVERYONE, &["late@post.example"]);
        drop(bank);
        let found = suppressed(&shelf.path()).unwrap();
        assert!(found.len() > 250 && found.contains(&"opted-out late@post.example".to_owned()), "{number}");
        remove_side_files(&shelf.path());
    }
}

fn remove_side_files(path: &Path) {
    for ending in ["-wal", "-shm"] {
        let _ = std::fs::remove_file(format!("{}{ending}", path.display()));
    }
}

/// What the error says where a bank's file has these bytes.
fn refusal_of(bytes: &[u8], access: Access) -> Error {
    let shelf = Shelf::new();
    std::fs::write(shelf.path(), bytes).unwrap();
    let error = Bank::open(&shelf.path(), access, MOMENT, today()).unwrap_err();
    assert_eq!(std::fs::read(shelf.path()).unwrap(), bytes, "it stays as it was found");
    error
}

#[rstest]
#[case::empty(b"")]
#[case::one_byte(b"S")]
#[case::the_beginning_of_a_header(b"SQLite format 3\0\x10\0")]
fn a_file_that_was_cut_to_nothing_is_no_new_bank(
    #[case] bytes: &[u8],
    #[values(Access::Ask, Access::Preview, Access::Change)] access: Access,
) {
    let error = refusal_of(bytes, access);
    assert!(error.what().contains("empty or cut off") && error.kind() == ErrorKind::Input, "{error:?}");
    assert!(error.advice().contains("backup") && error.advice().contains("delete the file"), "{error:?}");
}

#[test]
fn a_database_without_tables_is_no_new_bank() {
    let shelf = Shelf::new();
    let other = rusqlite::Connection::open(shelf.path()).unwrap();
    other.execute_batch("create table cake (recipe); drop table cake").unwrap();
    drop(other);
    for access in [Access::Ask, Access::Preview, Access::Change] {
        let error = Bank::open(&shelf.path(), access, MOMENT, today()).unwrap_err();
        assert!(error.what().contains("not a bank"), "{error:?}");
    }
}

/// Whoever opens the bank while others change it sees one state of it, and never takes two for damage.
#[test]
fn a_bank_that_others_change_is_never_taken_for_a_damaged_one() {
    let shelf = bank_of_many();
    let path = shelf.path();
    std::thread::scope(|scope| {
        let changing = scope.spawn(|| {
            for n in 0..60 {
                let mut bank = Bank::open(&path, Access::Change, MOMENT, today()).unwrap();
                put(&mut bank, What::OptedOut, EVERYONE, &[&format!("late{n}@post.example")]);
            }
        });
        while !changing.is_finished() {
            let found = suppressed(&path).unwrap();
            assert!(found.len() > 250);
        }
        changing.join().unwrap();
    });
}

/// Every single thing that decides whether somebody is written, changed behind the bank's back.
#[rstest]
#[case::an_entry_is_gone("delete from entry where id = 5")]
#[case::an_entry_is_said_to_be_removed("update entry set removed = '2026' where id = 5")]
#[case::an_entry_is_said_to_be_soft("update entry set soft = 1 where id = 5")]
#[case::an_entry_has_lapsed("update entry set until = 1 where id = 5")]
#[case::an_entry_is_of_another_batch("update entry set batch = 3 where id = 5")]
#[case::an_entry_is_of_somebody_else("update entry set text = 9 where id = 5")]
#[case::a_text_is_another_one("update text set value = cast('else@post.example' as blob) where id = 5")]
#[case::a_text_is_gone("pragma foreign_keys = off; delete from text where id = 5")]
#[case::a_batch_says_less("update batch set what = 4 where id = 1")]
#[case::a_batch_is_of_another_scope("update batch set scope = 2 where id = 1")]
#[case::a_batch_is_said_to_be_taken_back("update batch set undone = '2026' where id = 1")]
#[case::a_batch_is_gone_with_its_entries(
    "delete from entry where batch = 1; delete from block where batch = 1; delete from batch where id = 1"
)]
#[case::a_block_is_gone("delete from block where id = 1")]
#[case::a_block_is_there_twice("insert into block select 99, batch, x'7a', count, packed from block where id = 1")]
#[case::a_block_is_of_another_batch("update block set batch = 2 where id = 1")]
#[case::a_block_has_one_less("update block set count = count - 1 where id = 1")]
#[case::a_block_begins_elsewhere("update block set first = x'7a' where id = 1")]
#[case::a_block_is_cut("update block set packed = substr(packed, 1, length(packed) - 2) where id = 1")]
#[case::somebody_in_a_block_is_somebody_else(
    "update block set packed = cast(replace(packed, 'post', 'host') as blob) where id = 1"
)]
#[case::a_scope_is_another_one("update scope set name = 'quillmere' where id = 2")]
#[case::somebody_came_back("pragma foreign_keys = off; insert into returned values (1, 1, 999999)")]
#[case::the_key_of_the_forgotten_is_another_one("update about set value = zeroblob(32) where key = 'forgetting'")]
#[case::the_seal_is_gone("delete from about where key = 'seal'")]
#[case::an_index_is_gone("drop index entry_by_text")]
fn whatever_decides_who_is_written_is_under_the_seal(#[case] statements: &str) {
    let shelf = bank_of_many();
    suppressed(&shelf.path()).unwrap();
    let other = rusqlite::Connection::open(shelf.path()).unwrap();
    other.execute_batch(statements).unwrap();
    drop(other);
    let error = suppressed(&shelf.path()).unwrap_err();
    assert!(error.what().contains("damaged"), "{error:?}");
    assert!(Bank::open(&shelf.path(), Access::Change, MOMENT, today()).is_err(), "nothing goes into it either");
}

#[test]
fn a_bank_of_the_first_version_gets_its_seal_when_it_is_first_opened() {
    let shelf = Shelf::new();
    std::fs::write(shelf.path(), include_bytes!("banks/version-1.sqlite")).unwrap();
    let before = suppressed(&shelf.path()).unwrap();
    assert!(before.iter().any(|entry| entry == "opted-out ann@post.example"), "{before:?}");
    assert_eq!(suppressed(&shelf.path()).unwrap(), before);
    let other = rusqlite::Connection::open(shelf.path()).unwrap();
    other.execute_batch("update entry set removed = '2026' where removed is null").unwrap();
    assert!(suppressed(&shelf.path()).unwrap_err().what().contains("damaged"));
}

#[test]
fn a_bank_of_the_second_version_is_refused_if_it_is_damaged_and_never_sealed_anew() {
    let shelf = Shelf::new();
    std::fs::write(shelf.path(), include_bytes!("banks/version-2.sqlite")).unwrap();
    let other = rusqlite::Connection::open(shelf.path()).unwrap();
    other.execute_batch("update entry set removed = '2026' where removed is null").unwrap();
    drop(other);
    for _ in 0..2 {
        assert!(suppressed(&shelf.path()).unwrap_err().what().contains("damaged"));
    }
}

#[test]
fn a_short_run_gets_what_may_be_of_its_people_and_what_does_not_show_whose_it_is() {
    let shelf = bank_of_many();
    let memory = shelf.memory(Some("larkfold"));
    let text = |text: &str| text.to_owned();
    let among = Among {
        identities: [text("out3@post.example"), text("angry5@post.example"), text("nobody@post.example")].into(),
        domains: [text("post.example"), text("hotel.example")].into(),
    };
    let found = common::all_of(&memory, Some(&among));
    let named: Vec<&str> = found.iter().map(|(_, text)| text.as_str()).filter(|text| text.contains('@')).collect();
    assert_eq!(named, ["angry5@post.example", "out3@post.example"]);
    let others: Vec<&str> = found.iter().map(|(_, text)| text.as_str()).filter(|text| !text.contains('@')).collect();
    for text in ["hotel.example", "+442079460001", "5d41402abc4b2a76b9719d911017c592"] {
        assert!(others.contains(&text), "{others:?}");
    }
}
