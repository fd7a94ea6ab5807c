//! What one message says, and of whom: a report for programs if there is one ([`super::report`]), else what a mail system wrote
//! for people ([`super::in_words`]). Automatic replies (RFC 3834) are no bounces.

pub use super::about::{About, WhyNot};
use super::failure_words::{has_phrase, reason_of, tells_of_failure};
use super::in_words;
use super::report::{Report, delivery, feedback, report_in, report_in_text};
use crate::guarded::guarded;
use mail_parser::{Message, MessageParser, MimeHeaders};
use pebblebank_values::fold::fold;

/// How many texts of a message are read.
const MOST_TEXTS: usize = 4;

/// Looks at a message.
pub fn look_at(bytes: &[u8]) -> Result<Vec<About>, WhyNot> {
    let parsed = guarded(|| MessageParser::default().parse(bytes)).flatten();
    let message = parsed.ok_or(WhyNot::Unreadable)?;
    let date =
        message.date().map_or(String::new(), |date| format!("{:04}-{:02}-{:02}", date.year, date.month, date.day));
    let texts = (0..message.text_body_count().min(MOST_TEXTS)).filter_map(|place| message.body_text(place));
    let body = texts.collect::<Vec<_>>().join("\n\n");
    let found = match report_in(&message, 0) {
        // A report that names nobody may stand beside words that do.
        Some((Report::Delivery, text)) => match delivery(&text) {
            Err(WhyNot::NobodyNamed) => in_words::recipients(&message, &body).map_err(|_| WhyNot::NobodyNamed),
            told => told,
        },
        Some((Report::Feedback, text)) => feedback(&text, &message),
        None => without_report(&message, &body),
    }?;
    Ok(found.into_iter().map(|about| About { date: date.clone(), ..about }).collect())
}

fn without_report(message: &Message, body: &str) -> Result<Vec<About>, WhyNot> {
    let has_subject = has_subject_of_bounce(message);
    let is_from_system = is_from_mail_system(message);
    if is_automatic(message) && !is_from_system && !has_subject {
        return Err(WhyNot::AutomaticReply);
    }
    // A text without headers is a bounce if it says so.
    let is_headless = message.from().is_none() && message.subject().is_none() && tells_of_failure(body);
    let has_recipients = message.header_raw("X-Failed-Recipients").is_some();
    if !(has_subject || is_from_system || is_report(message) || is_headless || has_recipients) {
        return Err(WhyNot::NoBounce);
    }
    if let Some(told) = report_in_text(body).map(|fields| delivery(&fields)).filter(Result::is_ok) {
        return told;
    }
    if is_automatic(message) && !has_subject && reason_of(body).is_none() {
        return Err(WhyNot::AutomaticReply);
    }
    in_words::recipients(message, body)
}

/// Whether the whole message calls itself a report.
fn is_report(message: &Message) -> bool {
    message.content_type().and_then(|kind| kind.subtype()).is_some_and(|kind| kind.eq_ignore_ascii_case("report"))
}

/// Whether the subject is that of a bounce, and not of an answer to one.
fn has_subject_of_bounce(message: &Message) -> bool {
    let subject = message.subject().unwrap_or_default();
    let first = fold(subject).split(' ').next().unwrap_or_default().to_owned();
    has_phrase(subject, "bounce") && !["re", "aw", "sv", "antw", "odp", "vs"].contains(&first.as_str())
}

/// Whether a machine answered (RFC 3834, and what came before it).
fn is_automatic(message: &Message) -> bool {
    let header = |name: &'static str| message.header_raw(name).map(|value| value.trim().to_ascii_lowercase());
    let says_so = header("Auto-Submitted").is_some_and(|value| !value.starts_with("no"));
    let older =
        ["X-Autoreply", "X-Autorespond", "X-Auto-Response-Suppress"].into_iter().any(|name| header(name).is_some());
    let precedence = header("Precedence").is_some_and(|value| value == "auto_reply" || value == "auto-reply");
    says_so || older || precedence || has_phrase(message.subject().unwrap_or_default(), "automatic")
}

/// Whether it comes from a mail system: from nobody, or from one of the names that these have.
fn is_from_mail_system(message: &Message) -> bool {
    const NAMES: [&str; 8] =
        ["mailer-daemon", "postmaster", "mail-daemon", "mailerdaemon", "maildaemon", "bounce", "bounces", "mdaemon"];
    let from = message.from().and_then(|from| from.first());
    let address = from.and_then(|from| from.address()).unwrap_or_default();
    let local = address.split('@').next().unwrap_or_default().to_ascii_lowercase();
    let name = from.and_then(|from| from.name()).unwrap_or_default();
    let is_null = message.header_raw("Return-Path").is_some_and(|path| path.trim() == "<>");
    is_null || NAMES.iter().any(|own| local.starts_with(own)) || has_phrase(name, "daemon")
}
