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
fn a_message_that_the_library_gives_up_on_is_said_and_the_others_are_read() {
    let lost = "From -\nReceived: by mx.example\nMIME-Version: 1.0\nSubject: Undelivered Mail\n\
                Content-Type: multipart/report; boundary=\"b\"\n\n--b\nContent-Type: messa--b\nContent-Type: message/rfc822\n\
                ack-Type: Original-Rcpt-To: <ida@post.example>\n\n--b\nContent-Type: message/rfc822\n\nTe: kim@post.example\n\nHello\n--b--\n";
    let other = plain(DAEMON, "<bo@post.example>: 550 5.1.1 no such user");
    let (found, _) = of_text(&format!("{lost}\nFrom -\n{other}"));
    assert!(found.iter().any(|(address, _)| address == "bo@post.example"), "{found:?}");
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

/// What a message is expected to say: `ida hard`, `ida soft`, several parted by commas, or nothing. Names stand for addresses at
/// `post.example`.
fn told(message: &str) -> String {
    let (found, _) = of_text(message);
    let words = found.iter().map(|(address, status)| {
        let name = address.strip_suffix("@post.example").unwrap_or(address);
        let word = match status {
            StatusReason::SoftBounce => "soft",
            StatusReason::Is(Reason::Bounced) => "hard",
            _ => "other",
        };
        format!("{name} {word}")
    });
    words.collect::<Vec<_>>().join(", ")
}

/// Subject, body, what it says; all from a mail system.
const BOUNCES: [(&str, &str, &str); 46] = [
    (
        "Undelivered Mail Returned to Sender",
        "This is the mail system at host mx.larkfold.example.\n\nI'm sorry to have to inform you that your message could not\nbe delivered to one or more recipients. It's attached below.\n\nFor further assistance, please send mail to postmaster.\n\n<ida@post.example>: host mx.post.example[203.0.113.9] said: 550 5.1.1\n    <ida@post.example>: Recipient address rejected: User unknown in virtual mailbox\n    table (in reply to RCPT TO command)",
        "ida hard",
    ),
    (
        "Undelivered Mail",
        "<ida@post.example>: host mx.post.example said: 554 delivery error:\n dd This user doesn't have a post.example account (ida@post.example) [0]",
        "ida hard",
    ),
    (
        "Mail delivery failed: returning message to sender",
        "This message was created automatically by mail delivery software.\n\nA message that you sent could not be delivered to one or more of its\nrecipients. This is a permanent error. The following address(es) failed:\n\n  ida@post.example\n    SMTP error from remote mail server after RCPT TO:<ida@post.example>:\n    550 No such user here",
        "ida hard",
    ),
    (
        "failure notice",
        "Hi. This is the mail program at mx.larkfold.example.\nI'm afraid I wasn't able to deliver your message to the following addresses.\nThis is a permanent error; I've given up. Sorry it didn't work out.\n\n<ida@post.example>:\nSorry, no mailbox here by that name. (#5.1.1)\n\n--- Below this line is a copy of the message.",
        "ida hard",
    ),
    (
        "Delivery Status Notification (Failure)",
        "Address not found\n\nYour message wasn't delivered to ida@post.example because the address couldn't be found, or is unable to receive mail.",
        "ida hard",
    ),
    (
        "Undeliverable: Spring fair",
        "Delivery has failed to these recipients or groups:\n\nIda Moss (ida@post.example)<mailto:ida@post.example>\nThe email address you entered couldn't be found. Please check the recipient's email address and try to resend the message. If the problem continues, please contact your helpdesk.",
        "ida hard",
    ),
    (
        "Undeliverable: Spring fair",
        "Your message\n\n  To:      Ida Moss\n  Subject: Spring fair\n  Sent:    Fri, 20 Feb 2026 10:00:00 +0000\n\ndid not reach the following recipient(s):\n\nida@post.example on Fri, 20 Feb 2026 10:00:02 +0000\n    The recipient name is not recognized\n    550 5.1.1 unknown",
        "ida hard",
    ),
    (
        "Returned mail: see transcript for details",
        "   ----- The following addresses had permanent fatal errors -----\n<ida@post.example>\n    (reason: 550 5.1.1 <ida@post.example>... User unknown)\n\n   ----- Transcript of session follows -----\n... while talking to mx.post.example.:\n>>> DATA\n<<< 550 5.1.1 <ida@post.example>... User unknown",
        "ida hard",
    ),
    ("Mail System Error - Returned Mail", "The user's mailbox is over quota:\n\n<ida@post.example>", "ida soft"),
    (
        "Delivery failure",
        "Failed to deliver to 'ida@post.example'\nmailbox is full (account(s) <ida> storage allocation exceeded)",
        "ida soft",
    ),
    (
        "Delivery failure",
        "The following recipients could not be reached:\n\n<ida@post.example>: 552 5.2.2 over quota\n<hugo@post.example>: 550 5.1.1 no such user",
        "ida soft, hugo hard",
    ),
    (
        "Undeliverable",
        "Your original message could not be delivered to ida@post.example.\nReason: no such user.",
        "ida hard",
    ),
    ("Mail delivery failed", "ida@post.example\n  retry timeout exceeded", "ida soft"),
    (
        "Message could not be delivered",
        "The following message to <ida@post.example> was undeliverable.\nThe reason for the problem:\n5.1.0 - Unknown address error 550-'5.1.1 user unknown'",
        "ida hard",
    ),
    ("Delivery Failure", "Message to ida@post.example was blocked: 554 5.7.1 rejected as spam", "ida hard"),
    ("Delivery Failure", "ida@post.example: relay access denied", "ida hard"),
    ("Undelivered mail", "ida@post.example: mailbox has been disabled", "ida hard"),
    (
        "Unzustellbar: Frühlingsfest",
        "Ihre Nachricht konnte nicht zugestellt werden.\n\nida@post.example: Empfänger unbekannt\n\nBei Fragen wenden Sie sich an hilfe@mx.example.",
        "ida hard",
    ),
    (
        "Mail konnte nicht zugestellt werden",
        "Ihre Nachricht an ida@post.example konnte nicht zugestellt werden, da das Postfach des Empfängers voll ist.\nGrund: Kontingent überschritten",
        "ida soft",
    ),
    (
        "Non remis : Fête du printemps",
        "Votre message à ida@post.example n'a pas pu être remis : l'adresse n'existe pas.",
        "ida hard",
    ),
    ("Échec de la remise", "ida@post.example : la boîte aux lettres est pleine. boîte aux lettres pleine", "ida soft"),
    ("No se pudo entregar", "No se pudo entregar el mensaje a ida@post.example: la dirección no existe.", "ida hard"),
    ("Correo devuelto", "ida@post.example: buzón lleno", "ida soft"),
    ("Mancato recapito", "Il messaggio per ida@post.example non è stato recapitato: utente sconosciuto.", "ida hard"),
    ("Mancata consegna", "ida@post.example: casella piena", "ida soft"),
    (
        "Onbestelbaar: Lentefeest",
        "Uw bericht aan ida@post.example kon niet worden bezorgd: het adres bestaat niet.",
        "ida hard",
    ),
    ("Niet bezorgd", "ida@post.example: postvak vol", "ida soft"),
    ("Falha na entrega", "A mensagem para ida@post.example não foi entregue: o usuário não existe.", "ida hard"),
    ("Não entregue", "ida@post.example: caixa de correio cheia", "ida soft"),
    ("failure notice", "ida@post.example is no longer with the company. user no longer employed", "ida hard"),
    ("Mail failure", "The host for ida@post.example could not be found: domain not found", "ida hard"),
    ("Undeliverable", "To ida@post.example: 450 4.2.1 mailbox unavailable, try later", "ida soft"),
    ("Undeliverable", "Message for ida@post.example could not be delivered within 5 days.", "ida soft"),
    (
        "Não entregue: caminhada",
        "Falha na entrega para estes destinatários ou grupos:\n\nida@post.example\nO endereço de email que você inseriu não pôde ser encontrado.",
        "ida hard",
    ),
    (
        "Non recapitabile",
        "Recapito non riuscito per i seguenti destinatari o gruppi:\n\nida@post.example\nL'indirizzo di posta elettronica immesso non è stato trovato.",
        "ida hard",
    ),
    (
        "Onbestelbaar",
        "De bezorging aan de volgende geadresseerden of groepen is mislukt:\n\nida@post.example\nHet opgegeven e-mailadres is niet gevonden.",
        "ida hard",
    ),
    (
        "No se puede entregar",
        "No se pudo entregar el mensaje a estos destinatarios o grupos:\n\nida@post.example\nLa cuenta está suspendida: cuenta suspendida",
        "ida hard",
    ),
    (
        "Non remis",
        "Échec de la remise pour les destinataires suivants :\n\nida@post.example\nSa boîte est pleine.",
        "ida soft",
    ),
    (
        "Mail delivery failed: returning message to sender",
        "A message that you sent could not be delivered to one or more of its\nrecipients. The following address(es) failed:\n\n  bo@post.example\n    Unrouteable address\n\n  wren@post.example\n    mailbox is full: retry timeout exceeded\n",
        "bo hard, wren soft",
    ),
    ("Undelivered Mail", "<ida@post.example> (expanded from <i.moss@post.example>): user is over quota", "ida soft"),
    (
        "Undelivered Mail",
        "<ida@post.example>: host mx.post.example[203.0.113.9] said: 452-4.2.2 The email account\n    that you tried to reach is over quota (in reply to RCPT TO command)",
        "ida soft",
    ),
    (
        "DELIVERY FAILURE",
        "Your message\n\n  Subject: Spring walk\n\nwas not delivered to:\n\n  ida@post.example\n\nbecause:\n\n  User ida (ida@post.example) not listed in directory\n",
        "ida hard",
    ),
    (
        "Email Delivery Failure",
        "an email you addressed to email address :\n--  ida@post.example\n\ncould not be delivered. The problem appears to be :\n--  Recipient email address is possibly incorrect\n",
        "ida hard",
    ),
    (
        "Message status - undeliverable",
        "The message that you sent was undeliverable to the following:\n\tida@post.example (user not found)\n\nPossibly truncated original message follows:\n",
        "ida hard",
    ),
    (
        "Undelivered Mail",
        "A message that you sent could not be delivered to one or more of its recipients.\n\nida@post.example, ERROR CODE :550 - 5.1.1 <ida@post.example>: Recipient address rejected: User unknown in relay recipient table",
        "ida hard",
    ),
    (
        "Returned mail",
        "Your message to <ida@post.example> was blocked by our Spam Firewall. The email has NOT BEEN DELIVERED.",
        "ida hard",
    ),
];

#[test]
fn bounces_in_the_words_of_many_mail_systems_and_languages() {
    let wrong: Vec<String> = BOUNCES
        .iter()
        .map(|(subject, body, expected)| {
            let from = format!(
                "Return-Path: <>\nFrom: Mail Delivery Subsystem <MAILER-DAEMON@mx.example>\nSubject: {subject}\n"
            );
            (told(&plain(&from, body)), body, expected)
        })
        .filter(|(found, _, expected)| found != *expected)
        .map(|(found, body, expected)| format!("{found:?} instead of {expected:?} of {body:?}"))
        .collect();
    assert!(wrong.is_empty(), "{} of {}\n{}", wrong.len(), BOUNCES.len(), wrong.join("\n"));
}

#[rstest]
#[case::no_type(
    plain(
        DAEMON,
        "Reporting-MTA: dns; mx.example\n\nOriginal-Recipient: rfc822;ida@post.example\nFinal-Recipient: rfc822;ida@post.example\nAction: failed\nStatus: 5.1.1"
    ),
    "ida hard"
)]
#[case::no_address_in_it(
    report("delivery-status", "Reporting-MTA: dns; mx.example\n\nFinal-Recipient: LOCAL;ida\nAction: failed\nStatus: 5.1.1\n").replace("It came back.", "<ida@post.example>: user unknown"),
    "ida hard"
)]
#[case::no_status(
    delivery("Final-Recipient: rfc822; ida@post.example\nAction: failed\nDiagnostic-Code: smtp; 552 mailbox full"),
    "ida soft"
)]
#[case::no_action(
    delivery("Final-Recipient: rfc822; ida@post.example\nStatus: 5.1.1 (bad destination mailbox address)"),
    "ida hard"
)]
#[case::words_in_the_action(
    delivery(
        "Final-Recipient: rfc822; ida@post.example\nAction: failed/undeliverable\nStatus: 5.0.0\nDiagnostic-Code: smtp; 550 user unknown"
    ),
    "ida hard"
)]
#[case::several(
    delivery(
        "Final-Recipient: rfc822; ida@post.example\nAction: failed\nStatus: 5.1.1\n\nFinal-Recipient: rfc822; hugo@post.example\nAction: delayed\nStatus: 4.4.1\n\nFinal-Recipient: rfc822; bo@post.example\nAction: failed\nStatus: 4.2.2"
    ),
    "ida hard, bo soft"
)]
#[case::in_xtext(delivery("Original-Recipient: rfc822;ida+40post.example\nAction: failed\nStatus: 5.1.1"), "ida hard")]
#[case::the_sender_named_it(
    format!("Return-Path: <>\nFrom: postmaster@mx.example\nSubject: Mail failure\n{DATE}To: bounces-4711-ida=post.example@larkfold.example\n\nUser unknown\n"),
    "ida hard"
)]
#[case::few_headers("Date: Fri, 20 Feb 2026 10:00:00 +0000\nMessage-ID: <1@mx.example>\n\nYour message to ida@post.example couldn't be delivered: no such user.\n".to_owned(), "ida hard")]
#[case::marked_as_automatic(
    plain(
        "From: Mail System <noreply@mx.example>\nAuto-Submitted: auto-replied\nSubject: Undelivered Mail Returned to Sender\n",
        "<ida@post.example>: user unknown"
    ),
    "ida hard"
)]
#[case::a_signature_with_a_name(
    plain(DAEMON, "<ida@post.example>: user unknown\n\nKim Ash kim@mx.example"),
    "ida hard"
)]
#[case::late(
    plain(
        DAEMON,
        "Your message to ida@post.example has been delayed. We will keep trying; you do not need to resend it."
    ),
    ""
)]
#[case::an_answer(
    plain(
        "From: kim@post.example\nSubject: Re: delivery problem\n",
        "ida@post.example could not be delivered, you said?"
    ),
    ""
)]
#[case::away(
    plain(
        "From: ida@post.example\nSubject: Automatic reply: Spring fair\nAuto-Submitted: auto-replied\n",
        "I am no longer with the company. Write to hugo@post.example."
    ),
    ""
)]
fn reports_that_are_half_broken_and_messages_that_are_none(#[case] message: String, #[case] expected: &str) {
    assert_eq!(told(&message), expected);
}

#[test]
fn a_report_that_was_passed_on_is_read() {
    let inner = delivery("Final-Recipient: rfc822; ida@post.example\nAction: failed\nStatus: 5.1.1");
    let outer = format!(
        "From: kim@larkfold.example\nTo: list@larkfold.example\n{DATE}Subject: Fwd: Undelivered Mail\nMIME-Version: 1.0\n\
         Content-Type: multipart/mixed; boundary=\"o\"\n\n--o\nContent-Type: text/plain\n\nPlease see below.\n\n--o\n\
         Content-Type: message/rfc822\n\n{inner}\n--o--\n"
    );
    assert_eq!(told(&outer), "ida hard");
}

#[test]
fn a_folder_of_text_files_is_mail_where_they_are_messages() {
    let folder = tempfile::tempdir().unwrap();
    let mail = folder.path().join("mail");
    std::fs::create_dir(&mail).unwrap();
    for (number, name) in ["ida", "hugo"].iter().enumerate() {
        let message = plain(DAEMON, &format!("<{name}@post.example>:\nuser unknown"));
        std::fs::write(mail.join(format!("{number}.txt")), message).unwrap();
    }
    let (found, _) = read(&mail);
    assert_eq!(
        found.iter().map(|(address, _)| address.as_str()).collect::<Vec<_>>(),
        ["ida@post.example", "hugo@post.example"]
    );
}
