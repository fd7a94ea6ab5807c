//! What one message says, and of whom: delivery status notifications (RFC 3464) with their codes (RFC 3463), complaint
//! reports (RFC 5965), and what mail systems write where they send neither. Automatic replies (RFC 3834) are no bounces.

pub use super::about::{About, Status, WhyNot};
use super::failure_words::address_in;
use crate::mail::failure_words::{
    PHRASES, begins_with_address, is_enhanced_code, is_header_line, is_hint, is_mail_systems, phrase_in, phrase_of,
    shortened, tells_of_failure, trimmed_code,
};
use mail_parser::{Message, MessageParser, MimeHeaders, PartType};
use pebblebank_values::fold::fold;
use pebblebank_values::status_code::code_class;
use std::borrow::Cow;

/// Looks at a message.
pub fn look_at(bytes: &[u8]) -> Result<Vec<About>, WhyNot> {
    let message = MessageParser::default().parse(bytes).ok_or(WhyNot::Unreadable)?;
    let date =
        message.date().map_or(String::new(), |date| format!("{:04}-{:02}-{:02}", date.year, date.month, date.day));
    let report = message.parts.iter().find_map(|part| Some((sort_of(part)?, text_of(part))));
    let found = match report {
        Some((Report::Delivery, text)) => delivery(&text),
        Some((Report::Feedback, text)) => feedback(&text, &message),
        None if is_automatic(&message) && !is_from_mail_system(&message) => Err(WhyNot::AutomaticReply),
        None => free_text(&message),
    }?;
    Ok(found.into_iter().map(|about| About { date: date.clone(), ..about }).collect())
}

/// A part that programs read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Report {
    Delivery,
    Feedback,
}

fn sort_of(part: &mail_parser::MessagePart) -> Option<Report> {
    let kind = part.content_type()?;
    let is_message = kind.ctype().eq_ignore_ascii_case("message");
    match kind.subtype().map(str::to_ascii_lowercase).as_deref() {
        Some("delivery-status" | "global-delivery-status") if is_message => Some(Report::Delivery),
        Some("feedback-report") if is_message => Some(Report::Feedback),
        _ => None,
    }
}

fn text_of(part: &mail_parser::MessagePart) -> String {
    match &part.body {
        PartType::Message(message) => String::from_utf8_lossy(message.raw_message()).into_owned(),
        _ => String::from_utf8_lossy(part.contents()).into_owned(),
    }
}

/// Groups of fields, split by empty lines; a line that begins with a blank goes on with the one before (RFC 5322, 2.2.3).
fn groups(text: &str) -> Vec<Vec<(String, String)>> {
    let mut groups: Vec<Vec<(String, String)>> = vec![Vec::new()];
    for line in text.lines() {
        if line.trim().is_empty() {
            groups.push(Vec::new());
        } else if let Some(group) = groups.last_mut() {
            match (line.starts_with([' ', '\t']), group.last_mut(), line.split_once(':')) {
                (true, Some((_, value)), _) => {
                    value.push(' ');
                    value.push_str(line.trim());
                }
                (_, _, Some((name, value))) => group.push((name.trim().to_ascii_lowercase(), value.trim().to_owned())),
                _ => {}
            }
        }
    }
    groups.retain(|group| !group.is_empty());
    groups
}

fn field<'a>(group: &'a [(String, String)], name: &str) -> Option<&'a str> {
    group.iter().find(|(own, _)| own == name).map(|(_, value)| value.as_str())
}

/// `rfc822; ida.moss@post.example` → the address; the type of address stands before it.
fn typed(value: &str) -> &str {
    value.split_once(';').map_or(value, |(_, address)| address).trim()
}

/// A delivery status notification: a group of fields for the message, then one for each recipient.
fn delivery(text: &str) -> Result<Vec<About>, WhyNot> {
    let mut found = Vec::new();
    let mut why = WhyNot::NobodyNamed;
    for group in groups(text) {
        let code = field(&group, "status").unwrap_or_default().split_whitespace().next().unwrap_or_default();
        let action = field(&group, "action").unwrap_or_default();
        if action.is_empty() && code.is_empty() {
            continue;
        }
        // The first word, since some add a remark.
        let first = action.split(|sign: char| !sign.is_ascii_alphabetic()).next().unwrap_or_default();
        match first.to_ascii_lowercase().as_str() {
            "failed" => {}
            "delayed" => {
                why = WhyNot::Delayed;
                continue;
            }
            "delivered" | "relayed" | "expanded" => {
                why = WhyNot::Arrived;
                continue;
            }
            // An action that nobody knows, with a status that says for good.
            _ if code_class(code) == Some(5) => {}
            _ => {
                why = WhyNot::Arrived;
                continue;
            }
        }
        // What was written to comes before what it was passed on to.
        let named = ["original-recipient", "final-recipient"].iter().filter_map(|name| field(&group, name));
        let Some(address) = named.map(typed).find_map(address_in) else {
            why = WhyNot::NobodyNamed;
            continue;
        };
        let says = field(&group, "diagnostic-code").map_or("", typed);
        // A general 5.0.0 says less than the words behind it.
        let status = match (code_class(code), phrase_in(says)) {
            (Some(4), _) => Status::Soft,
            (Some(5), Some(Status::Soft)) if code.starts_with("5.0") || code.starts_with("5.2.2") => Status::Soft,
            (Some(_), _) | (None, None) => Status::Hard,
            (None, Some(status)) => status,
        };
        let (code, says) = (code.to_owned(), shortened(says));
        found.push(About { address, status, code, date: String::new(), says });
    }
    if found.is_empty() { Err(why) } else { Ok(found) }
}

/// A complaint report: its fields, or the recipients of the message that it is about.
fn feedback(text: &str, message: &Message) -> Result<Vec<About>, WhyNot> {
    let fields: Vec<(String, String)> = groups(text).into_iter().flatten().collect();
    let kind = field(&fields, "feedback-type").unwrap_or_default().to_ascii_lowercase();
    let status = match kind.as_str() {
        "not-spam" => return Err(WhyNot::NoComplaint),
        "opt-out" | "opt-out-list" | "unsubscribe" => Status::OptedOut,
        _ => Status::Complained,
    };
    let named = fields.iter().filter(|(name, _)| name == "original-rcpt-to" || name == "removal-recipient");
    let mut addresses: Vec<String> = named.filter_map(|(_, value)| address_in(value)).collect();
    if addresses.is_empty() {
        let original = message.parts.iter().find_map(|part| match &part.body {
            PartType::Message(original) if sort_of(part).is_none() => Some(original.clone()),
            _ => None,
        });
        let to = original.as_ref().and_then(Message::to);
        addresses.extend(to.into_iter().flat_map(|all| all.iter()).filter_map(|one| address_in(one.address()?)));
    }
    addresses.sort_unstable();
    addresses.dedup();
    let says = format!("{kind} reported");
    let about = |address| About { address, status, code: String::new(), date: String::new(), says: says.clone() };
    if addresses.is_empty() { Err(WhyNot::NobodyNamed) } else { Ok(addresses.into_iter().map(about).collect()) }
}

/// Whether a machine answered (RFC 3834, and what came before it).
fn is_automatic(message: &Message) -> bool {
    let header = |name: &'static str| message.header_raw(name).map(|value| value.trim().to_ascii_lowercase());
    let says_so = header("Auto-Submitted").is_some_and(|value| !value.starts_with("no"));
    let older =
        ["X-Autoreply", "X-Autorespond", "X-Auto-Response-Suppress"].into_iter().any(|name| header(name).is_some());
    let precedence = header("Precedence").is_some_and(|value| value == "auto_reply" || value == "auto-reply");
    let subject = fold(message.subject().unwrap_or_default());
    says_so || older || precedence || phrase_of(&subject, "automatic")
}

/// Whether it comes from a mail system: from nobody, or from one of the names that these have.
fn is_from_mail_system(message: &Message) -> bool {
    let from = message.from().and_then(|from| from.first()).and_then(|from| from.address()).unwrap_or_default();
    let local = from.split('@').next().unwrap_or_default().to_ascii_lowercase();
    let is_null = message.header_raw("Return-Path").is_some_and(|path| path.trim() == "<>");
    is_null
        || ["mailer-daemon", "postmaster", "mail-daemon", "mailerdaemon", "bounce", "bounces"].contains(&local.as_str())
}

/// What a mail system wrote for people to read.
fn free_text(message: &Message) -> Result<Vec<About>, WhyNot> {
    let subject = fold(message.subject().unwrap_or_default());
    let body = message.body_text(0).map(Cow::into_owned).unwrap_or_default();
    let own = above_original(&body);
    let looks_like_bounce = phrase_of(&subject, "bounce") || is_from_mail_system(message);
    if !looks_like_bounce {
        return Err(if is_automatic(message) { WhyNot::AutomaticReply } else { WhyNot::NoBounce });
    }
    if is_automatic(message) && !phrase_of(&subject, "bounce") && phrase_in(own).is_none() {
        return Err(WhyNot::AutomaticReply);
    }
    let failed = message.header_raw("X-Failed-Recipients").unwrap_or_default();
    let mut addresses: Vec<String> = failed.split(',').filter_map(address_in).collect();
    if addresses.is_empty() {
        addresses = failed_recipients(own, message);
    }
    if addresses.is_empty() {
        return Err(WhyNot::NobodyNamed);
    }
    let code = own.split_whitespace().find(|word| is_enhanced_code(word)).map(trimmed_code).unwrap_or_default();
    let reply = own.lines().find_map(|line| code_class(line.trim_start_matches(|sign: char| !sign.is_ascii_digit())));
    let status = match (code_class(&code), phrase_in(own), reply) {
        (_, Some(Status::Soft), _) | (Some(4), ..) | (None, None, Some(4)) => Status::Soft,
        (Some(5), ..) | (_, Some(Status::Hard), _) | (None, None, Some(5)) => Status::Hard,
        _ => return Err(WhyNot::NoReason),
    };
    let says = own.lines().find(|line| phrase_in(line).is_some()).map(shortened).unwrap_or_default();
    let about = |address| About { address, status, code: code.clone(), date: String::new(), says: says.clone() };
    Ok(addresses.into_iter().map(about).collect())
}

/// What stands above the message that came back.
fn above_original(body: &str) -> &str {
    let is_border = |line: &str| {
        let folded = fold(line);
        let is_ruled = line.trim_start().starts_with("---") || line.trim_end().ends_with("---");
        PHRASES
            .iter()
            .any(|(kind, phrase)| *kind == "original" && folded.contains(phrase) && (is_ruled || folded.len() < 60))
    };
    let mut end = 0;
    for line in body.split_inclusive('\n') {
        if is_border(line) {
            return &body[..end];
        }
        end += line.len();
    }
    body
}

/// The recipients that a bounce in words is about: those that stand in or beside the sentence which tells of the failure.
/// Whoever got it, quoted headers, signatures and hints whom to ask are not meant.
fn failed_recipients(text: &str, message: &Message) -> Vec<String> {
    let header = |addresses: Option<&mail_parser::Address>| {
        addresses
            .into_iter()
            .flat_map(|all| all.iter())
            .filter_map(|one| address_in(one.address()?))
            .collect::<Vec<_>>()
    };
    let not_meant: Vec<String> = [message.to(), message.from(), message.cc()].into_iter().flat_map(header).collect();
    let paragraphs = paragraphs_of(text);
    let fails: Vec<bool> = paragraphs.iter().map(|lines| tells_of_failure(&lines.join(" "))).collect();
    let mut found = Addresses { not_meant, found: Vec::new() };
    for (place, lines) in paragraphs.iter().enumerate() {
        let is_beside = |other: Option<usize>| other.and_then(|other| fails.get(other)).is_some_and(|fails| *fails);
        let near = fails[place] || is_beside(place.checked_sub(1)) || is_beside(Some(place + 1));
        for line in lines {
            // "<ida@post.example>: user unknown", or an address alone in its line beside the sentence.
            let is_sure = tells_of_failure(line) || begins_with_address(line);
            if near && is_sure && (!is_hint(line) || tells_of_failure(line)) {
                found.add(line);
            }
        }
    }
    for wanted in [true, false] {
        // Else wherever the failure is told of; else anywhere, as long as it is one.
        let own = paragraphs.iter().zip(&fails).filter(|(_, fails)| **fails || !wanted);
        if found.found.is_empty() {
            own.flat_map(|(lines, _)| lines).filter(|line| !is_hint(line)).for_each(|line| found.add(line));
            if !wanted && found.found.len() > 1 {
                found.found.clear();
            }
        }
    }
    found.found
}

/// Addresses that are gathered.
struct Addresses {
    not_meant: Vec<String>,
    found: Vec<String>,
}

impl Addresses {
    /// Adds those of a line, but the one that the mail came from.
    fn add(&mut self, line: &str) {
        let is_part = |sign: char| !sign.is_whitespace() && !"<>()[]\"',;:".contains(sign);
        let mut before = String::new();
        for word in line.split(|sign| !is_part(sign)).filter(|word| !word.is_empty()) {
            if word.contains('@') {
                let is_sender =
                    ["from", "von", "de", "da", "van", "sender", "absender", "expediteur"].contains(&before.as_str());
                if let Some(address) = address_in(word.trim_end_matches('.')).filter(|_| !is_sender)
                    && !self.not_meant.contains(&address)
                    && !self.found.contains(&address)
                    && !is_mail_systems(&address)
                {
                    self.found.push(address);
                }
            }
            before = fold(word);
        }
    }
}

/// The sentences and lines of a text by paragraph, without quoted lines, blocks of headers, and what stands below a signature's dashes.
fn paragraphs_of(text: &str) -> Vec<Vec<&str>> {
    let mut paragraphs: Vec<Vec<&str>> = vec![Vec::new()];
    let lines: Vec<&str> = text.lines().take_while(|line| !matches!(*line, "-- " | "--")).collect();
    for (place, line) in lines.iter().enumerate() {
        let shown = line.trim();
        let is_in_block = || {
            let neighbours = [place.checked_sub(1), Some(place + 1)].into_iter().flatten();
            neighbours.filter_map(|other| lines.get(other)).any(|line| is_header_line(line))
        };
        if shown.is_empty() {
            paragraphs.push(Vec::new());
        } else if !(shown.starts_with(['>', '|']) || is_header_line(line) && is_in_block())
            && let Some(last) = paragraphs.last_mut()
        {
            // Each sentence by itself: one tells of the failure, the next whom to ask.
            last.extend(shown.split(". ").map(str::trim).filter(|sentence| !sentence.is_empty()));
        }
    }
    paragraphs.retain(|lines| !lines.is_empty());
    paragraphs
}
