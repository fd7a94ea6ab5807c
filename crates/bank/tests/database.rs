//! What is particular to a bank in a database: its schema, its users, its server, and the line to it. Everything else holds as
//! for a file (`model.rs`).

#![allow(clippy::unwrap_used)] // a failure is a failed test

mod common;

use common::{Keeper, MOMENT, Shelf, address, all_of, batch, free_schema, put, texts, today};
use pebblebank_bank::bank::{init, statements};
use pebblebank_bank::batch::{NewBatch, What};
use pebblebank_bank::entry::NewEntry;
use pebblebank_bank::memory::Asked;
use pebblebank_bank::scope::NewScope;
use pebblebank_bank::{Access, Bank, EVERYONE, Leftover, Location, Text};
use pebblebank_core::suppress::remembered::Among;
use pebblebank_table::{Error, ErrorKind};
use pebblebank_values::verdict::Why;
use postgres::{Client, NoTls};
use rstest::rstest;
use std::ffi::OsStr;
use std::io::{Read, Write};
use std::net::{Shutdown, TcpListener, TcpStream};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

fn location(address: &str) -> Location {
    Location::read(OsStr::new(address)).unwrap()
}

fn open(address: &str) -> Result<Bank, Error> {
    Bank::open(location(address), Access::Change, MOMENT, today())
}

fn database() -> String {
    std::env::var("PEBBLEBANK_TEST_DATABASE").unwrap()
}

/// The owner of everything, by a way of its own.
fn owner(schema: &str) -> Client {
    let mut client = Client::connect(&database(), NoTls).unwrap();
    client.batch_execute(&format!("set search_path = \"{schema}\"")).unwrap();
    client
}

/// A schema with a bank in it.
fn made() -> (String, String) {
    let schema = free_schema();
    let address = address(&schema);
    assert!(init(location(&address)).unwrap().is_new);
    (schema, address)
}

/// The address for another user.
fn by(user: &str, address: &str) -> String {
    address.replace("owner@", &format!("{user}@"))
}

/// A user of the database with a role, or without one.
fn user(schema: &str, role: &str) -> String {
    let name = format!("{schema}_{role}_user");
    let mut owner = owner(schema);
    owner.batch_execute(&format!("create role \"{name}\" login")).unwrap();
    if role != "no" {
        owner.batch_execute(&format!("grant \"{schema}_{role}\" to \"{name}\"")).unwrap();
    }
    name
}

fn said(error: &Error) -> String {
    assert!(!error.advice().is_empty());
    assert!(error.place().file.is_some(), "{error}");
    error.what().to_owned()
}

#[test]
#[ignore = "needs a database: .ci/with-database"]
fn it_is_made_once_and_told_from_what_others_have() {
    let schema = free_schema();
    let address = address(&schema);
    assert!(!Bank::is_at(location(&address)).unwrap());
    assert!(said(&open(&address).unwrap_err()).contains("no bank in the schema"));
    let first = init(location(&address)).unwrap();
    assert_eq!((first.is_new, first.has_roles), (true, Some(true)));
    let key = open(&address).unwrap().key_mark().unwrap();
    let again = init(location(&address)).unwrap();
    assert_eq!((again.is_new, again.has_roles), (false, Some(true)));
    assert_eq!(open(&address).unwrap().key_mark().unwrap(), key, "its key stays, and so do those who were forgotten");
    owner(&schema).batch_execute("update about set value = '99' where key = 'pebblebank'").unwrap();
    assert!(said(&open(&address).unwrap_err()).contains("newer version"));
    assert!(said(&init(location(&address)).unwrap_err()).contains("newer version"));
    for tables in ["create table recipe (cake text)", "create table about (cake text)"] {
        let (schema, address) = made();
        owner(&schema)
            .batch_execute(&format!("drop schema \"{schema}\" cascade; create schema \"{schema}\"; {tables}"))
            .unwrap();
        assert!(said(&open(&address).unwrap_err()).contains("another program"));
        assert!(said(&init(location(&address)).unwrap_err()).contains("another program"));
    }
}

#[test]
#[ignore = "needs a database: .ci/with-database"]
fn an_administrator_makes_it_by_statements_and_whoever_owns_it_makes_it_ready() {
    let schema = free_schema();
    let address = address(&schema);
    let printed = statements(&location(&address)).unwrap();
    owner("public").batch_execute(&printed).unwrap();
    assert!(said(&open(&address).unwrap_err()).contains("no bank in the schema"));
    assert!(init(location(&address)).unwrap().is_new);
    put(&mut open(&address).unwrap(), What::OptedOut, EVERYONE, &["ann@post.example"]);
}

#[test]
#[ignore = "needs a database: .ci/with-database"]
fn who_may_do_what_and_who_did_it() {
    let (schema, address) = made();
    put(&mut open(&address).unwrap(), What::OptedOut, EVERYONE, &["ann@post.example", "ben@post.example"]);
    let [nobody, prepares, loads, forgets] =
        ["no", "prepare", "load", "forget"].map(|role| by(&user(&schema, role), &address));
    assert!(said(&open(&nobody).unwrap_err()).contains("may not look into"));

    // Whoever prepares sees everybody who is held, and adds what a run prepared and learned.
    let mut bank = open(&prepares).unwrap();
    assert!(bank.find(&Text::address("ann@post.example"), &mut |_| ()).unwrap().is_held("2026-03-02"));
    let prepare = |bank: &mut Bank, whom: &[&str]| {
        let batch = NewBatch { job: Some("spring letter".to_owned()), ..batch(What::Prepared, EVERYONE) };
        let mut staged = bank.stage(batch).unwrap();
        staged.add(texts(whom).into_iter().map(NewEntry::new)).unwrap();
        staged.ready().unwrap().commit_all_or_none()
    };
    prepare(&mut bank, &["cy@post.example", "di@post.example"]).unwrap();
    prepare(&mut bank, &["cy@post.example"]).unwrap();
    assert_eq!(bank.batches().unwrap()[0].entries, 1, "the same job prepared anew");
    let latest = bank.batches().unwrap().remove(0);
    assert_eq!(bank.sent(&latest, None, today()).unwrap().what, What::Sent);
    let many: Vec<String> = (0..300).map(|number| format!("guest{number}@post.example")).collect();
    prepare(&mut bank, &many.iter().map(String::as_str).collect::<Vec<_>>()).unwrap();
    bank.remember_addresses(&[("cy@post.example".to_owned(), Why::MailboxExists)]).unwrap();
    bank.remember_domains(&[("post.example".to_owned(), Why::HasMailServer)]).unwrap();
    let mut to_check = ["di@post.example".to_owned()].into_iter();
    bank.await_addresses(&mut || Ok(to_check.next())).unwrap();
    let refused = |done: Result<(), Error>| {
        let error = done.unwrap_err();
        assert!(error.what().contains("may not do this"), "{error}");
        assert!(error.advice().contains(&format!("{schema}_load")), "{error}");
    };
    let opted_out = |bank: &mut Bank, whom: &str| {
        let mut staged = bank.stage(batch(What::OptedOut, EVERYONE)).unwrap();
        staged.add(texts(&[whom]).into_iter().map(NewEntry::new)).unwrap();
        staged.ready().unwrap().commit().map(drop)
    };
    refused(opted_out(&mut bank, "eve@post.example"));
    refused(bank.undo(pebblebank_bank::BatchId(1)).map(drop));
    refused(bank.remove(&Text::address("ann@post.example"), None, Some("came back")).map(drop));
    refused(bank.forget(&Text::address("ann@post.example")).map(drop));

    let mut bank = open(&loads).unwrap();
    opted_out(&mut bank, "eve@post.example").unwrap();
    bank.remove(&Text::address("ann@post.example"), None, Some("came back")).unwrap();
    refused(bank.forget(&Text::address("ben@post.example")).map(drop));

    let mut bank = open(&forgets).unwrap();
    let forgot = bank.forget(&Text::address("ben@post.example")).unwrap();
    assert_eq!((forgot.entries, forgot.leftover), (1, Leftover::OfTheServer));
    assert!(bank.find(&Text::address("ben@post.example"), &mut |_| ()).unwrap().is_forgotten);

    let who: Vec<Option<String>> = bank.history(100, None).unwrap().into_iter().map(|line| line.who).collect();
    assert!(who.iter().all(Option::is_some));
    let loader = format!("{schema}_load_user");
    let done: Vec<String> = bank.history(100, Some(&loader)).unwrap().into_iter().map(|line| line.what).collect();
    assert_eq!(done, ["remove", "add"]);
}

#[test]
#[ignore = "needs a database: .ci/with-database"]
fn what_is_missing_from_it_is_damage() {
    for damage in [
        "delete from block",
        "delete from entry",
        "update batch set what = 4 where id = 1",
        "delete from about where key = 'seal'",
        "update block set packed = substr(packed, 1, length(packed) - 1) || '\\x41'",
        "update entry set batch = 99",
        "drop table returned cascade",
    ] {
        let (schema, address) = made();
        let many: Vec<String> = (0..500).map(|number| format!("somebody{number}@post.example")).collect();
        let many: Vec<&str> = many.iter().map(String::as_str).collect();
        put(&mut open(&address).unwrap(), What::OptedOut, EVERYONE, &many);
        put(&mut open(&address).unwrap(), What::OptedOut, EVERYONE, &["ann@post.example"]);
        owner(&schema).batch_execute(damage).unwrap();
        let error = open(&address).unwrap_err();
        assert!(said(&error).contains("damaged") || damage.contains("drop"), "{damage}: {error}");
    }
}

#[rstest]
#[case::the_disk_is_full("53100", "disk of the database server is full")]
#[case::somebody_else_is_long_at_it("55P03", "another command has been changing the bank")]
#[case::it_has_too_little_memory("53200", "short of something")]
#[case::it_is_a_copy("25006", "a copy that cannot be written to")]
#[case::it_goes_down("57P01", "was lost")]
#[case::something_nobody_thought_of("22012", "could not do it")]
#[ignore = "needs a database: .ci/with-database"]
fn what_fails_at_the_server_changes_nothing(#[case] state: &str, #[case] words: &str) {
    let (schema, address) = made();
    let fail = format!(
        "create function fail() returns trigger language plpgsql as $$ begin raise exception 'as it is' using errcode = '{state}'; end $$;
         create trigger fail before insert on history for each row execute function fail()"
    );
    put(&mut open(&address).unwrap(), What::OptedOut, EVERYONE, &["ann@post.example"]);
    owner(&schema).batch_execute(&fail).unwrap();
    let mut bank = open(&address).unwrap();
    let mut staged = bank.stage(batch(What::OptedOut, EVERYONE)).unwrap();
    staged.add(texts(&["ben@post.example"]).into_iter().map(NewEntry::new)).unwrap();
    let error = staged.ready().unwrap().commit().unwrap_err();
    assert!(
        said(&error).contains(words) && error.what().contains("nothing was changed") || state == "25006",
        "{error}"
    );
    // The same connection goes on, where there still is one.
    let found = open(&address).unwrap().find(&Text::address("ben@post.example"), &mut |_| ()).unwrap();
    assert!(found.entries.is_empty());
}

#[test]
#[ignore = "needs a database: .ci/with-database"]
fn whoever_prepares_cannot_put_tables_of_their_own_in_the_place_of_the_banks() {
    let (schema, address) = made();
    put(&mut open(&address).unwrap(), What::OptedOut, EVERYONE, &["ann@post.example"]);
    let own = user(&schema, "prepare");
    let mut client = Client::connect(&by(&own, &database()), NoTls).unwrap();
    client.batch_execute(&format!("set search_path = pg_temp, \"{schema}\"")).unwrap();
    client
        .batch_execute(
            "create temp table batch (id bigint, what bigint, undone text); insert into batch values (1, 5, 'x')",
        )
        .unwrap();
    assert!(client.batch_execute("select drop_replaced(1)").is_err());
    assert!(client.batch_execute("delete from entry").is_err());
    assert!(
        client.batch_execute(&format!("update \"{schema}\".about set value = 'x' where key = 'forgetting'")).is_ok()
    );
    let found = open(&address).unwrap().find(&Text::address("ann@post.example"), &mut |_| ()).unwrap();
    assert!(found.is_held("2026-03-02"));
}

#[test]
#[ignore = "needs a database: .ci/with-database"]
fn few_are_looked_up_as_many_are_read() {
    let shelf = Shelf::of(Keeper::Database);
    let mut bank = shelf.bank();
    let all: Vec<String> = (0..3_000).map(|number| format!("somebody{number}@inn{}.example", number % 7)).collect();
    let some = |from: usize, step: usize| all.iter().skip(from).step_by(step).map(String::as_str).collect::<Vec<_>>();
    put(&mut bank, What::OptedOut, EVERYONE, &some(0, 3));
    put(&mut bank, What::DoNotContact, EVERYONE, &some(1, 40));
    put(&mut bank, What::DoNotContact, EVERYONE, &["inn3.example", "+442079460001"]);
    for step in [1, 2, 50, 997, 2_999] {
        let mut among = Among::default();
        for address in some(step % 5, step) {
            among.add(address);
        }
        let looked_up = all_of(&shelf.memory(None).looking_up(), Some(&among));
        assert_eq!(looked_up, all_of(&shelf.memory(None), Some(&among)), "every {step}th");
        assert!(!looked_up.is_empty());
    }
}

/// A line to the server that is cut after a number of bytes, those of both directions together.
struct Line {
    port: u16,
    left: Arc<AtomicU64>,
}

/// What becomes of a line that was cut.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Then {
    /// It stays cut.
    NoMore,
    /// Whoever calls again gets through.
    Again,
}

const WHOLE: u64 = u64::MAX / 2;

impl Line {
    fn new(then: Then) -> Line {
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let port = listener.local_addr().unwrap().port();
        let server: u16 = database().rsplit_once(':').unwrap().1.split('/').next().unwrap().parse().unwrap();
        let left = Arc::new(AtomicU64::new(WHOLE));
        let shared = Arc::clone(&left);
        std::thread::spawn(move || {
            for here in listener.incoming().flatten() {
                let there = TcpStream::connect(("127.0.0.1", server)).unwrap();
                for (from, to) in [(&here, &there), (&there, &here)] {
                    let (from, to, left) = (from.try_clone().unwrap(), to.try_clone().unwrap(), Arc::clone(&shared));
                    std::thread::spawn(move || carry(from, to, &left, then));
                }
            }
        });
        Line { port, left }
    }

    fn cut_after(&self, bytes: u64) {
        self.left.store(bytes, Ordering::SeqCst);
    }

    fn over(&self, address: &str) -> String {
        let (front, behind) = address.split_once("127.0.0.1:").unwrap();
        let (_, behind) = behind.split_once('/').unwrap();
        format!("{front}127.0.0.1:{}/{behind}", self.port)
    }
}

fn carry(mut from: TcpStream, mut to: TcpStream, left: &AtomicU64, then: Then) {
    let mut bytes = [0; 1024];
    while let Ok(read @ 1..) = from.read(&mut bytes) {
        let read_bytes = read as u64;
        let take = |left: u64| Some(left.saturating_sub(read_bytes));
        let before = left.fetch_update(Ordering::SeqCst, Ordering::SeqCst, take).unwrap();
        if before < read_bytes {
            if then == Then::Again {
                left.store(WHOLE, Ordering::SeqCst);
            }
            break;
        }
        if to.write_all(&bytes[..read]).is_err() {
            break;
        }
    }
    from.shutdown(Shutdown::Both).ok();
    to.shutdown(Shutdown::Both).ok();
}

/// How many bytes go over the line from now on, when nothing cuts it.
fn counted(line: &Line, work: impl FnOnce()) -> u64 {
    line.cut_after(WHOLE);
    work();
    WHOLE - line.left.load(Ordering::SeqCst)
}

#[rstest]
#[case::and_stays_cut(Then::NoMore)]
#[case::and_can_be_used_again(Then::Again)]
#[ignore = "needs a database: .ci/with-database"]
fn a_line_that_is_cut_anywhere_leaves_everything_or_nothing_and_says_which(#[case] then: Then) {
    let line = Line::new(then);
    let whom: Vec<String> = (0..200).map(|number| format!("somebody{number}@post.example")).collect();
    let whom: Vec<&str> = whom.iter().map(String::as_str).collect();
    let load = |address: &str| {
        open(address).and_then(|mut bank| {
            let mut staged = bank.stage(batch(What::OptedOut, EVERYONE))?;
            staged.add(texts(&whom).into_iter().map(NewEntry::new))?;
            let mut ready = staged.ready()?;
            ready.preview()?;
            ready.commit().map(drop)
        })
    };
    let count = || counted(&line, || load(&line.over(&made().1)).unwrap());
    // 0: nothing changed, 1: it took effect, 2: it is not known.
    let cut_at = |place: u64| -> usize {
        let (_, address) = made();
        line.cut_after(place);
        let done = load(&line.over(&address));
        line.cut_after(WHOLE);
        let bank = open(&address).unwrap();
        let entries: u64 = bank.counts().unwrap().iter().map(|held| held.entries).sum();
        assert_eq!(bank.history(9, None).unwrap().len() as u64, entries / 200, "all of it or nothing");
        let what = done.as_ref().map_or_else(said, |()| String::new());
        let is_unknown = what.contains("not known whether");
        assert!(!is_unknown || then == Then::NoMore, "it was asked again: {what}");
        assert!(is_unknown || done.is_ok() == (entries == 200), "{place}: {what}");
        assert!(done.is_ok() || is_unknown || what.contains("lost") || what.contains("reached"), "{place}: {what}");
        if is_unknown { 2 } else { usize::from(done.is_ok()) }
    };
    let most = count();
    assert!(most > 5_000, "{most}");
    assert!((0..40).all(|part| cut_at(most * part / 40) == 0));
    // Finely where the change takes effect. The names of statements grow, so it is counted anew, and again if one became longer.
    let found_all = (0..4).any(|_| {
        let most = count();
        let outcomes: Vec<usize> = (most - 60..most + 60).step_by(4).map(&cut_at).collect();
        let has = |outcome| outcomes.contains(&outcome);
        has(0) && has(1) && has(2) == (then == Then::NoMore)
    });
    assert!(found_all);
}

#[test]
#[ignore = "needs a database: .ci/with-database"]
fn a_run_that_loses_the_line_gets_no_part_of_those_who_are_held() {
    let line = Line::new(Then::NoMore);
    let (_, address) = made();
    let whom: Vec<String> = (0..2_000).map(|number| format!("somebody{number}@post.example")).collect();
    put(&mut open(&address).unwrap(), What::OptedOut, EVERYONE, &whom.iter().map(String::as_str).collect::<Vec<_>>());
    let read = |address: &str| {
        let bank = Bank::open(location(address), Access::Ask, MOMENT, today())?;
        let memory = bank.into_memory(&Asked::default())?;
        let mut count = 0;
        let each = &mut |_, _: pebblebank_core::suppress::remembered::RememberedEntry<'_>| {
            count += 1;
            Ok(())
        };
        pebblebank_core::suppress::remembered::Remembered::entries(&memory, None, each)?;
        Ok::<u32, Error>(count)
    };
    let most = counted(&line, || assert_eq!(read(&line.over(&address)).unwrap(), 2_000));
    for part in 0..40 {
        line.cut_after(most * part / 40);
        let error = read(&line.over(&address)).expect_err("part of them");
        assert!(said(&error).contains("lost") || error.kind() == ErrorKind::Unreachable, "{part}: {error}");
    }
}

#[rstest]
#[case::nobody_listens("postgres://owner@127.0.0.1:1/lists", "cannot be reached", ErrorKind::Unreachable)]
#[case::no_such_host(
    "postgres://owner@no-server.invalid/lists?sslmode=disable",
    "cannot be reached",
    ErrorKind::Unreachable
)]
#[case::no_such_database("DATABASE-not", "no database \"lists-not\"", ErrorKind::Input)]
#[case::no_such_user("postgres://nobody-at-all@HOST/lists", "cannot be opened", ErrorKind::Input)]
#[case::a_password_is_asked_for("postgres://guarded@HOST/lists", "asks for the password", ErrorKind::Input)]
#[case::tls_is_asked_for("postgres://protected@HOST/lists", "no encryption", ErrorKind::Input)]
#[case::the_certificate_is_of_nobody_known(
    "postgres://protected@HOST/lists?sslmode=require",
    "right server",
    ErrorKind::Input
)]
#[case::the_certificate_is_for_another_name(
    "postgres://protected@HOST/lists?sslrootcert=AUTHORITY",
    "right server",
    ErrorKind::Input
)]
#[ignore = "needs a database: .ci/with-database"]
fn why_it_cannot_be_opened(#[case] address: &str, #[case] words: &str, #[case] kind: ErrorKind) {
    let database = database();
    let host = database.split_once('@').unwrap().1.split_once('/').unwrap().0;
    let authority = std::env::var("PEBBLEBANK_TEST_AUTHORITY").unwrap();
    owner("public")
        .batch_execute("do $$ begin create role guarded login; exception when others then null; end $$")
        .unwrap();
    owner("public")
        .batch_execute("do $$ begin create role protected login; exception when others then null; end $$")
        .unwrap();
    let address = address.replace("DATABASE", &database).replace("HOST", host).replace("AUTHORITY", &authority);
    let error = open(&address).unwrap_err();
    assert!(said(&error).contains(words), "{error}");
    assert_eq!(error.kind(), kind);
}

#[test]
#[ignore = "needs a database: .ci/with-database"]
fn by_tls_and_by_a_password_from_a_file() {
    let (schema, address) = made();
    let own = user(&schema, "load");
    owner(&schema)
        .batch_execute(&format!(
            "do $$ begin create role guarded login; exception when others then null; end $$;
             alter role guarded password 'open sesame'; grant \"{schema}_load\" to guarded"
        ))
        .unwrap();
    let folder = tempfile::tempdir().unwrap();
    let passwords = folder.path().join("passwords");
    std::fs::write(&passwords, "*:*:lists:guarded:open sesame\n").unwrap();
    std::fs::set_permissions(&passwords, std::os::unix::fs::PermissionsExt::from_mode(0o600)).unwrap();
    let authority = std::env::var("PEBBLEBANK_TEST_AUTHORITY").unwrap();
    let over_tls = |address: String| address.replace("127.0.0.1", "localhost") + "&sslrootcert=" + &authority;
    for address in [
        over_tls(by(&own, &address)),
        format!("{}&passfile={}", by("guarded", &address), passwords.display()),
        over_tls(format!("{}&passfile={}", by("guarded", &address), passwords.display())),
    ] {
        open(&address).map(|mut bank| put(&mut bank, What::OptedOut, EVERYONE, &["ann@post.example"])).unwrap();
    }
    std::fs::write(&passwords, "*:*:lists:guarded:wrong\n").unwrap();
    let error = open(&format!("{}&passfile={}", by("guarded", &address), passwords.display())).unwrap_err();
    assert!(said(&error).contains("password") && !format!("{error:?}").contains("sesame"), "{error}");
}

/// Everything that can be seen of a bank.
fn seen(bank: &Bank) -> String {
    let mut all: Vec<String> = Vec::new();
    bank.for_each_entry(&mut |entry| {
        all.push(format!("{entry:?}"));
        Ok(true)
    })
    .unwrap();
    let verdicts = bank.verdict_counts().unwrap();
    format!(
        "{all:?} {:?} {:?} {verdicts:?} {:?}",
        bank.batches().unwrap(),
        bank.scopes().unwrap(),
        bank.key_mark().unwrap()
    )
}

fn filled() -> Shelf {
    let shelf = Shelf::new();
    let mut bank = shelf.bank();
    let own = bank.scope_or_new(Some("larkfold"), NewScope::IsMeant).unwrap();
    let many: Vec<String> = (0..700).map(|number| format!("somebody{number}@post.example")).collect();
    put(&mut bank, What::OptedOut, own, &many.iter().map(String::as_str).collect::<Vec<_>>());
    put(&mut bank, What::DoNotContact, EVERYONE, &["hotel.example", "+442079460001", "ann@post.example"]);
    let undone = put(&mut bank, What::Bounced, EVERYONE, &["ben@post.example"]);
    bank.undo(undone).unwrap();
    bank.remove(&Text::address("somebody7@post.example"), None, Some("came back")).unwrap();
    bank.forget(&Text::address("somebody8@post.example")).unwrap();
    bank.remember_addresses(&[("ida@post.example".to_owned(), Why::MailboxExists)]).unwrap();
    shelf
}

#[test]
#[ignore = "needs a database: .ci/with-database"]
fn a_bank_moves_into_a_database_and_back_and_stays_the_same() {
    let file = filled();
    let there = Shelf::of(Keeper::Database);
    let mut to = Bank::open_to_copy_into(there.location(), MOMENT, today()).unwrap();
    file.bank().copy_into(&mut to, &mut || Ok(())).unwrap();
    drop(to);
    assert_eq!(seen(&there.bank()), seen(&file.bank()));
    // It goes on with numbers of its own.
    let next = put(&mut there.bank(), What::OptedOut, EVERYONE, &["new@post.example"]);
    there.bank().undo(next).unwrap();
    let back = Shelf::new();
    let mut to = Bank::open_to_copy_into(back.location(), MOMENT, today()).unwrap();
    there.bank().copy_into(&mut to, &mut || Ok(())).unwrap();
    drop(to);
    assert_eq!(seen(&back.bank()), seen(&there.bank()));
    let filled = Bank::open_to_copy_into(there.location(), MOMENT, today()).unwrap();
    let error = file.bank().copy_into(&mut { filled }, &mut || Ok(())).unwrap_err();
    assert!(said(&error).contains("not empty"), "{error}");
    let backup = file.path().with_file_name("backup.sqlite");
    there.bank().backup(&backup).unwrap();
    assert_eq!(seen(&Bank::open(&backup, Access::Ask, MOMENT, today()).unwrap()), seen(&there.bank()));
}

#[rstest]
#[case::nothing_changed(false)]
#[case::the_bank_changed_meanwhile(true)]
#[ignore = "needs a database: .ci/with-database"]
fn a_copy_that_was_stopped_is_no_bank_and_goes_on(#[case] changes: bool) {
    let file = filled();
    for parts in 0..24 {
        let there = Shelf::of(Keeper::Database);
        let copy = |most: u32| {
            let mut to = Bank::open_to_copy_into(there.location(), MOMENT, today()).unwrap();
            let mut left = most;
            file.bank().copy_into(&mut to, &mut || {
                left = left.checked_sub(1).ok_or_else(Error::interrupted)?;
                Ok(())
            })
        };
        if copy(parts).is_ok() {
            break;
        }
        let open = Bank::open(there.location(), Access::Ask, MOMENT, today());
        assert!(said(&open.unwrap_err()).contains("partly copied"));
        if changes {
            put(&mut file.bank(), What::OptedOut, EVERYONE, &[&format!("late{parts}@post.example")]);
        }
        assert_eq!(copy(1_000).unwrap().went_on, !changes);
        assert_eq!(seen(&there.bank()), seen(&file.bank()));
    }
}

#[rstest]
#[case::of_a_file(Keeper::File)]
#[case::of_a_database(Keeper::Database)]
#[ignore = "needs a database: .ci/with-database"]
fn a_snapshot_stands_for_its_bank_and_for_no_other(#[case] keeper: Keeper) {
    let shelf = Shelf::of(keeper);
    put(&mut shelf.bank(), What::OptedOut, EVERYONE, &["ann@post.example"]);
    let file = shelf.path().with_file_name("copy.sqlite");
    let bank = shelf.bank();
    bank.snapshot(&file, false, &mut || Ok(())).unwrap();
    assert!(bank.snapshot(&file, false, &mut || Ok(())).is_err());
    bank.snapshot(&file, true, &mut || Ok(())).unwrap();
    let open = |of: &Location| Bank::open_copy(&file, of, 1 << 30, &Asked::default(), MOMENT, today());
    assert_eq!(all_of(&open(&shelf.location()).unwrap(), None), all_of(&shelf.memory(None), None));
    assert!(open(&Location::File("other.sqlite".into())).unwrap_err().what().contains("another bank"));
    for access in [Access::Ask, Access::Change] {
        let error = Bank::open(&file, access, MOMENT, today()).unwrap_err();
        assert!(error.what().contains("only a copy"), "{error}");
    }
    let edit = |statement: &str| {
        let copy = rusqlite::Connection::open(&file).unwrap();
        copy.execute_batch(statement).unwrap();
    };
    edit("update about set value = replace(value, '2026', '2027') where key = 'snapshot'");
    assert!(open(&shelf.location()).is_err());
    edit("update about set value = replace(value, '2027', '2026') where key = 'snapshot'");
    assert!(open(&shelf.location()).is_err(), "text in place of bytes");
    bank.snapshot(&file, true, &mut || Ok(())).unwrap_err();
    let own = shelf.path();
    std::fs::remove_file(&file).unwrap();
    bank.snapshot(&file, false, &mut || Ok(())).unwrap();
    if keeper == Keeper::File {
        assert!(bank.snapshot(&own, true, &mut || Ok(())).is_err(), "a bank is never replaced by a copy");
    }
}

#[test]
#[ignore = "needs a database: .ci/with-database"]
fn nothing_is_left_in_the_tables_of_whoever_is_forgotten() {
    let (schema, address) = made();
    let many: Vec<String> = (0..100).map(|number| format!("guest{number}@post.example")).collect();
    let mut bank = open(&address).unwrap();
    put(&mut bank, What::OptedOut, EVERYONE, &many.iter().map(String::as_str).collect::<Vec<_>>());
    put(&mut bank, What::DoNotContact, EVERYONE, &["guest7@post.example"]);
    bank.forget(&Text::address("guest7@post.example")).unwrap();
    let mut owner = owner(&schema);
    let vacuumed = "select count(*) from pg_stat_user_tables where schemaname = $1 and last_vacuum is not null";
    let vacuumed: i64 = owner.query_one(vacuumed, &[&schema]).unwrap().get(0);
    assert_eq!(vacuumed, 8, "what was deleted made room");
    for table in ["text", "entry", "block", "batch", "history", "scope", "returned", "address_verdict", "about"] {
        let found: i64 = owner
            .query_one(&format!("select count(*) from {table} as row where cast(row as text) like '%' || encode('guest7@', 'hex') || '%' or cast(row as text) like '%guest7@%'"), &[])
            .unwrap()
            .get(0);
        assert_eq!(found, 0, "{table}");
    }
}

#[test]
#[ignore = "needs a database: .ci/with-database"]
fn many_at_once_lose_nothing() {
    const CLIENTS: usize = 12;
    const ROUNDS: usize = 5;
    let (schema, address) = made();
    // A user for whom the server takes another view of what others do.
    let other = user(&schema, "load");
    owner(&schema)
        .batch_execute(&format!("alter role \"{other}\" set default_transaction_isolation = 'serializable'"))
        .unwrap();
    let addresses = [address.clone(), by(&other, &address)];
    let work = |client: usize| {
        for round in 0..ROUNDS {
            let mut bank = open(&addresses[client % 2]).unwrap();
            let whom: Vec<String> =
                (0..100).map(|number| format!("client{client}-{round}-{number}@post.example")).collect();
            let whom: Vec<&str> = whom.iter().map(String::as_str).collect();
            let id = put(&mut bank, What::OptedOut, EVERYONE, &whom);
            assert!(bank.find(&Text::address(whom[3]), &mut |_| ()).unwrap().is_held("2026-03-02"));
            if round % 2 == 1 {
                bank.undo(id).unwrap();
            } else {
                bank.remove(&Text::address(whom[5]), None, Some("came back")).unwrap();
            }
            drop(bank.into_memory(&Asked::default()).unwrap());
        }
    };
    std::thread::scope(|scope| {
        for client in 0..CLIENTS {
            let work = &work;
            scope.spawn(move || work(client));
        }
    });
    let bank = open(&address).unwrap();
    let entries: u64 = bank.counts().unwrap().iter().map(|held| held.entries).sum();
    assert_eq!(entries, (CLIENTS * ROUNDS.div_ceil(2) * 99) as u64);
    assert_eq!(bank.history(10_000, None).unwrap().len(), CLIENTS * ROUNDS * 2);
    assert_eq!(all_of(&bank.into_memory(&Asked::default()).unwrap(), None).len() as u64, entries);
}

#[test]
#[ignore = "needs a database: .ci/with-database"]
fn whoever_was_forgotten_while_a_load_waited_is_not_written_down_again() {
    let shelf = Shelf::of(Keeper::Database);
    let mut bank = shelf.bank();
    let mut staged = bank.stage(batch(What::OptedOut, EVERYONE)).unwrap();
    staged.add(texts(&["ann@post.example", "ben@post.example"]).into_iter().map(NewEntry::new)).unwrap();
    let mut ready = staged.ready().unwrap();
    ready.preview().unwrap();
    shelf.bank().forget(&Text::address("ann@post.example")).unwrap();
    ready.commit().unwrap();
    let found = shelf.bank().find(&Text::address("ann@post.example"), &mut |_| ()).unwrap();
    assert!(found.is_forgotten && found.entries.is_empty());
}

#[test]
#[ignore = "needs a database: .ci/with-database"]
fn whoever_came_back_while_a_load_waited_is_asked_about_again() {
    let shelf = Shelf::of(Keeper::Database);
    put(&mut shelf.bank(), What::OptedOut, EVERYONE, &["ann@post.example", "di@post.example"]);
    let load = |whom: &str, meanwhile: &dyn Fn()| {
        let mut bank = shelf.bank();
        let mut staged = bank.stage(batch(What::OptedOut, EVERYONE)).unwrap();
        let entry = NewEntry { file_day: Some(today().day_number() - 9), ..NewEntry::new(Text::address(whom)) };
        staged.add([entry]).unwrap();
        let mut ready = staged.ready().unwrap();
        ready.preview().unwrap();
        meanwhile();
        ready.commit().map(drop)
    };
    let comes_back = |whom: &str| {
        shelf.bank().remove(&Text::address(whom), None, Some("signed up again")).unwrap();
    };
    let error = load("ann@post.example", &|| comes_back("ann@post.example")).unwrap_err();
    assert!(error.what().contains("came back"), "{error}");
    // That somebody else came back is nobody's concern.
    load("ben@post.example", &|| comes_back("di@post.example")).unwrap();
}
