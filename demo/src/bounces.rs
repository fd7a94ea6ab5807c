//! A mailbox of messages that came back: reports for programs (RFC 3464, RFC 5965), words alone, and what is no bounce.

use crate::Written;
use crate::people::World;

const OURS: &str = "news@larkfold.example";

/// The mailbox.
pub(crate) fn all(world: &World) -> Vec<(Written, Vec<u8>)> {
    let what = "a mailbox of bounces, a complaint and automatic replies";
    vec![(Written { name: "mail/bounces.mbox", what }, mailbox(world).into_bytes())]
}

fn mailbox(world: &World) -> String {
    let people = world.people.iter().filter(|person| world.is_among(person, 42, 24));
    let message = |(number, address): (usize, &String)| match number % 12 {
        0..=4 => report(address, "failed", "5.1.1", "550 5.1.1 no such user"),
        5 => report(address, "failed", "4.2.2", "452 4.2.2 mailbox full"),
        6 => report(address, "delayed", "4.4.1", "connection timed out"),
        7 | 8 => words(address, "550 user unknown"),
        9 => complaint(address),
        10 => reply(address),
        _ => words(address, "Your message was received with thanks."),
    };
    let addresses: Vec<String> = people.map(|person| person.address.clone()).collect();
    let messages = addresses.iter().enumerate().map(message);
    messages.map(|message| format!("From - Thu Feb 26 08:00:00 2026\n{message}\n")).collect()
}

const DATE: &str = "Date: Thu, 26 Feb 2026 08:00:00 +0000\nMIME-Version: 1.0\n";

fn report(address: &str, action: &str, code: &str, says: &str) -> String {
    format!(
        "From: Mail system <mailer-daemon@mx.example>\nTo: {OURS}\nSubject: Undelivered Mail Returned to Sender\n{DATE}\
         Content-Type: multipart/report; report-type=delivery-status; boundary=\"part\"\n\n--part\n\
         Content-Type: text/plain\n\nYour mail could not be delivered.\n\n--part\n\
         Content-Type: message/delivery-status\n\nReporting-MTA: dns; mx.example\n\n\
         Final-Recipient: rfc822; {address}\nAction: {action}\nStatus: {code}\nDiagnostic-Code: smtp; {says}\n\n--part--\n"
    )
}

fn words(address: &str, says: &str) -> String {
    format!(
        "Return-Path: <>\nFrom: MAILER-DAEMON@mx.example\nTo: {OURS}\nSubject: failure notice\n{DATE}\
         Content-Type: text/plain\n\nI could not deliver your message to\n\n<{address}>:\n{says}\n\n\
         --- Below this line is a copy of the message.\n\nTo: {address}\nSubject: Winter lights\n"
    )
}

fn complaint(address: &str) -> String {
    format!(
        "From: feedback@mailhaven.example\nTo: {OURS}\nSubject: Complaint about a message\n{DATE}\
         Content-Type: multipart/report; report-type=feedback-report; boundary=\"part\"\n\n--part\n\
         Content-Type: text/plain\n\nA reader reported this message.\n\n--part\n\
         Content-Type: message/feedback-report\n\nFeedback-Type: abuse\nVersion: 1\nOriginal-Rcpt-To: {address}\n\n--part--\n"
    )
}

fn reply(address: &str) -> String {
    format!(
        "From: {address}\nTo: {OURS}\nSubject: Out of office: Winter lights\nAuto-Submitted: auto-replied\n{DATE}\
         Content-Type: text/plain\n\nI am away until Monday.\n"
    )
}
