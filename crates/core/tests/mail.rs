//! Messages that came back, as a list: whom they are about, and which are about nobody.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use pebblebank_core::job::pattern::FilePattern;
use pebblebank_core::job::sources::ReadFiles;
use pebblebank_core::run::setting::Setting;
use pebblebank_core::suppress::reason::Reason;
use pebblebank_core::suppress::status::StatusReason;
use pebblebank_core::tasks::entries::{EntriesRead, read_entries};
use pebblebank_core::tasks::found_entries::{EntriesWishes, FoundText, StatusWish};
use pebblebank_table::observe::Silent;
use pebblebank_values::date::Date;
use proptest::prelude::*;
use rstest::rstest;
use std::path::Path;

fn wishes(path: &Path) -> EntriesWishes {
    EntriesWishes {
        read: ReadFiles { files: vec![FilePattern::literal(path.to_path_buf())], ..ReadFiles::default() },
        by_phone: false,
        condition: None,
        status: StatusWish::OfBounces,
        status_means: std::collections::BTreeMap::new(),
        dated: None,
        until: None,
        country: None,
        today: Date { year: 2026, month: 3, day: 2 },
    }
}

fn setting() -> Setting {
    Setting {
        threads: 1,
        memory: 1 << 30,
        dry_run: true,
        preview_rows: 20,
        spool_folder: std::env::temp_dir(),
        started: String::new(),
        arguments: Vec::new(),
        folder: String::new(),
        peak_memory: || None,
        log: Vec::new,
    }
}

/// What a file of mail holds: each address with its status, and all that was said.
fn read(path: &Path) -> (Vec<(String, StatusReason)>, EntriesRead) {
    let mut found = Vec::new();
    let read = read_entries(&wishes(path), &setting(), &Silent, &mut |entry| {
        assert_eq!(entry.day, Some(Date { year: 2026, month: 2, day: 20 }));
        match entry.text {
            FoundText::Address(address) => found.push((address, entry.status.unwrap())),
            other => panic!("{other:?}"),
        }
        Ok(())
    });
    (found, read.unwrap())
}

fn of_text(text: &str) -> (Vec<(String, StatusReason)>, Vec<String>) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("bounces.mbox");
    std::fs::write(&path, text).unwrap();
    let (found, read) = read(&path);
    let said = read.findings.iter().filter(|finding| finding.code == "messages-about-nobody");
    (found, said.map(|finding| finding.text.clone()).collect())
}

const DATE: &str = "Date: Fri, 20 Feb 2026 10:00:00 +0000\n";

/// A report of this kind, with this part for programs.
fn report(kind: &str, part: &str) -> String {
    format!(
        "From: Mail Delivery System <mailer-daemon@mx.example>\nTo: list@larkfold.example\n{DATE}Subject: Undelivered Mail\n\
         MIME-Version: 1.0\nContent-Type: multipart/report; report-type={kind}; boundary=\"b\"\n\n--b\n\
         Content-Type: text/plain\n\nIt came back.\n\n--b\nContent-Type: message/{kind}\n\n{part}\n--b\n\
         Content-Type: message/rfc822\n\nFrom: list@larkfold.example\nTo: kim@post.example\nSubject: Spring fair\n\nHello\n--b--\n"
    )
}

fn delivery(fields: &str) -> String {
    report("delivery-status", &format!("Reporting-MTA: dns; mx.example\n\n{fields}\n"))
}

fn plain(headers: &str, body: &str) -> String {
    format!(
        "{headers}To: list@larkfold.example\n{DATE}MIME-Version: 1.0\nContent-Type: text/plain; charset=utf-8\n\n{body}\n"
    )
}

const HARD: StatusReason = StatusReason::Is(Reason::Bounced);
const DAEMON: &str = "Return-Path: <>\nFrom: MAILER-DAEMON@mx.example\nSubject: failure notice\n";

#[rstest]
#[case::for_good(delivery("Final-Recipient: rfc822; Ida@post.example\nAction: failed\nStatus: 5.1.1"), HARD)]
#[case::for_now(
    delivery("Final-Recipient: rfc822;ida@post.example\nAction: failed (expired)\nStatus: 4.4.7"),
    StatusReason::SoftBounce
)]
#[case::what_was_written_to(
    delivery(
        "Final-Recipient: rfc822; box7@far.example\nOriginal-Recipient: rfc822;ida@post.example\nAction: failed\nStatus: 5.0.0"
    ),
    HARD
)]
#[case::a_full_mailbox_under_a_general_code(
    delivery(
        "Final-Recipient: rfc822; ida@post.example\nAction: failed\nStatus: 5.2.2\nDiagnostic-Code: smtp; 552 5.2.2\n mailbox full"
    ),
    StatusReason::SoftBounce
)]
#[case::a_complaint(
    report("feedback-report", "Feedback-Type: abuse\nVersion: 1\nOriginal-Rcpt-To: <ida@post.example>\n"),
    StatusReason::Is(Reason::Complained)
)]
#[case::an_opt_out_report(
    report("feedback-report", "Feedback-Type: opt-out\nOriginal-Rcpt-To: ida@post.example\n"),
    StatusReason::Is(Reason::OptedOut)
)]
#[case::words_alone(
    plain(
        DAEMON,
        "Sorry, I could not deliver it.\n\n<ida@post.example>:\n550 5.1.1 no such user\n\n--- Below this line is a copy of the message.\n\nTo: kim@post.example"
    ),
    HARD
)]
#[case::german_words(
    plain(
        "From: postmaster@mx.example\nSubject: Unzustellbar: Frühlingsfest\n",
        "ida@post.example: Das Postfach ist voll."
    ),
    StatusReason::SoftBounce
)]
#[case::a_header_that_names_them(
    plain(
        "From: mailer-daemon@mx.example\nX-Failed-Recipients: ida@post.example\nSubject: Mail delivery failed\n",
        "Unrouteable address"
    ),
    HARD
)]
fn a_message_is_about_an_address(#[case] message: String, #[case] status: StatusReason) {
    let (found, nothing) = of_text(&message);
    assert_eq!((found, nothing), (vec![("ida@post.example".to_owned(), status)], Vec::<String>::new()));
}

#[rstest]
#[case::quoted_headers(
    "Your message could not be delivered to ida@post.example: user unknown.\n\nFrom: news@larkfold.example\nTo: ida@post.example\nCc: hugo@post.example, zoe@post.example\nSubject: Spring fair\n"
)]
#[case::quoted_lines("<ida@post.example>: 550 5.1.1 no such user\n\n> On Monday hugo@post.example wrote:\n> Hello\n")]
#[case::whom_to_ask(
    "Delivery to the following recipient failed permanently:\n\n    ida@post.example\n\nFor assistance contact ops@mx.example.\n"
)]
#[case::a_signature("ida@post.example does not exist.\n\n-- \nKim Ash, kim@mx.example\n")]
#[case::the_sender_named(
    "Die Nachricht von news@larkfold.example an ida@post.example konnte nicht zugestellt werden: Empfänger unbekannt.\nBei Fragen wenden Sie sich an hilfe@mx.example.\n"
)]
#[case::the_sentence_above(
    "We were unable to deliver your message to:\n\nida@post.example\n\nThe mailbox does not exist. Write to desk@mx.example if this is wrong.\n"
)]
fn only_the_failed_recipient_is_an_entry(#[case] body: &str) {
    let (found, nothing) = of_text(&plain(DAEMON, body));
    assert_eq!((found, nothing), (vec![("ida@post.example".to_owned(), HARD)], Vec::<String>::new()));
}

#[test]
fn an_unknown_action_with_a_permanent_status_is_a_failure() {
    let message = delivery("Final-Recipient: rfc822; ida@post.example\nAction: rejected-it\nStatus: 5.1.1");
    assert_eq!(of_text(&message).0, [("ida@post.example".to_owned(), HARD)]);
}

#[rstest]
#[case::away(
    plain(
        "From: ida@post.example\nAuto-Submitted: auto-replied\nSubject: Re: Spring fair\n",
        "I am away; ask kim@post.example, user unknown"
    ),
    "automatic reply"
)]
#[case::away_in_german(
    plain("From: ida@post.example\nSubject: Abwesenheitsnotiz: Frühling\n", "Bis Montag."),
    "automatic reply"
)]
#[case::late(delivery("Final-Recipient: rfc822; ida@post.example\nAction: delayed\nStatus: 4.0.0"), "late")]
#[case::arrived(delivery("Final-Recipient: rfc822; ida@post.example\nAction: delivered\nStatus: 2.0.0"), "arrived")]
#[case::wanted_after_all(
    report("feedback-report", "Feedback-Type: not-spam\nOriginal-Rcpt-To: ida@post.example\n"),
    "no complaint"
)]
#[case::nobody_named(plain(DAEMON, "Somebody's mailbox is full."), "names no address")]
#[case::no_reason(plain(DAEMON, "About ida@post.example we have nothing to say."), "without a reason")]
#[case::a_letter(
    plain("From: ida@post.example\nSubject: Thank you\n", "See you at the fair."),
    "neither bounce nor complaint"
)]
fn a_message_about_nobody_says_why(#[case] message: String, #[case] why: &str) {
    let (found, nothing) = of_text(&message);
    assert!(found.is_empty() && nothing.len() == 1 && nothing[0].contains(why), "{found:?} {nothing:?}");
}

#[test]
fn a_mailbox_and_a_folder_hold_the_same_messages() {
    let messages = [
        delivery("Final-Recipient: rfc822; ida@post.example\nAction: failed\nStatus: 5.1.1"),
        plain(DAEMON, "<jo@post.example>:\nuser unknown\n\nFrom the postmaster"),
        delivery("Final-Recipient: rfc822; kim@post.example\nAction: failed\nStatus: 4.2.2"),
    ];
    let folder = tempfile::tempdir().unwrap();
    let mail = folder.path().join("mail");
    std::fs::create_dir(&mail).unwrap();
    let mut mailbox = String::new();
    for (number, message) in messages.iter().enumerate() {
        std::fs::write(mail.join(format!("{number}.eml")), message).unwrap();
        mailbox
            .push_str(&format!("From - Fri Feb 20 10:00:00 2026\n{}\n", message.replace("\nFrom the", "\n>From the")));
    }
    let file = folder.path().join("bounces.mbox");
    std::fs::write(&file, mailbox).unwrap();
    let (in_mailbox, read_mailbox) = read(&file);
    let (in_folder, read_folder) = read(&mail);
    assert_eq!(in_mailbox.len(), 3);
    assert_eq!(in_mailbox, in_folder);
    assert_eq!(read_mailbox.files[0].rows, read_folder.files[0].rows);
}

/// Lines that mail is made of, in any order.
fn mess() -> impl Strategy<Value = Vec<u8>> {
    let line = prop_oneof![
        3 => Just(b"From - Fri Feb 20 10:00:00 2026".to_vec()),
        2 => Just(b"".to_vec()),
        2 => Just(b"From: MAILER-DAEMON@mx.example".to_vec()),
        1 => Just(b"Subject: failure notice".to_vec()),
        1 => Just(b"Content-Type: multipart/report; report-type=delivery-status; boundary=b".to_vec()),
        1 => Just(b"Content-Type: message/delivery-status".to_vec()),
        1 => Just(b"--b".to_vec()),
        1 => Just(b"Final-Recipient: rfc822; ida@post.example".to_vec()),
        1 => Just(b"Action: failed".to_vec()),
        1 => Just(b"Status: 5.1.1".to_vec()),
        1 => Just(b">From here on".to_vec()),
        2 => prop::collection::vec(any::<u8>(), 0..30),
    ];
    prop::collection::vec(line, 1..40).prop_map(|lines| lines.join(&b'\n'))
}

proptest! {
    #[test]
    fn of_any_mailbox_every_message_is_about_somebody_or_is_said_to_be_about_nobody(mess in mess()) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("bounces.mbox");
        let first = b"From - Fri Feb 20 10:00:00 2026\nFrom: ida@post.example\nSubject: Hello\n\nHello\n\n";
        std::fs::write(&path, [&first[..], &mess].concat()).unwrap();
        let mut about = std::collections::BTreeSet::new();
        let wishes = wishes(&path);
        let read = read_entries(&wishes, &setting(), &Silent, &mut |entry| {
            about.insert(format!("{:?}", entry.text));
            Ok(())
        }).unwrap();
        // The first message is about nobody, so something is always said.
        let nobody: u64 = read.findings.iter().filter(|finding| finding.code == "messages-about-nobody").map(|finding| finding.count).sum();
        prop_assert!(nobody >= 1);
        prop_assert!(about.len() <= 1 + mess.split(|byte| *byte == b'@').count());
    }
}
