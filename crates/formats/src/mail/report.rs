//! Reports for programs: delivery status notifications (RFC 3464) with their codes (RFC 3463), and complaint reports (RFC 5965).

use super::about::{About, Status, WhyNot};
use super::failure_words::{address_in, reason_of, shortened};
use mail_parser::{Message, MimeHeaders, PartType};
use pebblebank_values::status_code::code_class;

/// A part that programs read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Report {
    Delivery,
    Feedback,
}

/// How deep a report may lie in messages that were passed on.
const DEEPEST: usize = 3;

/// The report of a message: a part of its own, or of a message that it passes on.
pub(super) fn report_in(message: &Message, depth: usize) -> Option<(Report, String)> {
    let own = message.parts.iter().find_map(|part| Some((sort_of(part)?, text_of(part))));
    own.or_else(|| {
        let nested = message.parts.iter().filter_map(|part| match &part.body {
            PartType::Message(nested) if depth < DEEPEST => Some(nested),
            _ => None,
        });
        nested.into_iter().find_map(|nested| report_in(nested, depth + 1))
    })
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

/// The fields of a report that stand in a text: its part was lost on the way, or has another type. Found by a line that names the
/// recipient.
pub(super) fn report_in_text(text: &str) -> Option<String> {
    let is_recipient = |line: &str| {
        let line = line.trim_start().to_ascii_lowercase();
        line.starts_with("final-recipient:") || line.starts_with("original-recipient:")
    };
    let lines: Vec<&str> = text.lines().map(str::trim_end).collect();
    let at = lines.iter().position(|line| is_recipient(line))?;
    let is_field = |line: &&&str| line.split_once(':').is_some_and(|(name, _)| !name.trim().contains(' '));
    let start = at - lines[..at].iter().rev().take_while(is_field).count();
    let fields: Vec<&str> = lines[start..].iter().map(|line| line.trim_start_matches(['>', ' '])).collect();
    Some(fields.join("\n"))
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

/// What a delivery status notification says: a group of fields for the message, then one for each recipient.
pub(super) fn delivery(text: &str) -> Result<Vec<About>, WhyNot> {
    let mut found = Vec::new();
    let mut why = WhyNot::NobodyNamed;
    for group in groups(text) {
        let code = field(&group, "status").unwrap_or_default();
        let code = code.split(|sign: char| !(sign.is_ascii_digit() || sign == '.')).find(|word| !word.is_empty());
        let code = code.unwrap_or_default();
        let action = field(&group, "action").unwrap_or_default();
        let is_about_recipient = field(&group, "final-recipient").or(field(&group, "original-recipient")).is_some();
        if action.is_empty() && code.is_empty() && !is_about_recipient {
            continue;
        }
        // The first word, since some add a remark.
        let first = action.split(|sign: char| !sign.is_ascii_alphabetic()).next().unwrap_or_default();
        let says = field(&group, "diagnostic-code").map_or("", typed);
        match first.to_ascii_lowercase().as_str() {
            "failed" | "failure" => {}
            "delayed" => {
                why = WhyNot::Delayed;
                continue;
            }
            "delivered" | "relayed" | "expanded" => {
                why = WhyNot::Arrived;
                continue;
            }
            // An action that nobody knows, or none, with a status or words that say for good.
            _ if code_class(code) == Some(5) || (code.is_empty() && reason_of(says) == Some(Status::Hard)) => {}
            _ => {
                why = WhyNot::Arrived;
                continue;
            }
        }
        // What was written to comes before what it was passed on to.
        let named = ["original-recipient", "final-recipient"].iter().filter_map(|name| field(&group, name));
        let Some(address) = named.map(typed).find_map(recipient) else {
            why = WhyNot::NobodyNamed;
            continue;
        };
        let status = status_of(code, says);
        let (code, says) = (code.to_owned(), shortened(says));
        found.push(About { address, status, code, date: String::new(), says });
    }
    if found.is_empty() { Err(why) } else { Ok(found) }
}

/// An address as a report writes it; some put its `@` and `+` in hex (RFC 3461, xtext).
fn recipient(text: &str) -> Option<String> {
    let plain = text.replace("+40", "@").replace("+2B", "+").replace("+3D", "=");
    address_in(text).or_else(|| address_in(&plain))
}

/// A general 5.0.0 says less than the words behind it, and a full mailbox is one under any code.
fn status_of(code: &str, says: &str) -> Status {
    let is_general = code.starts_with("5.0") || code.starts_with("5.2.2") || code.starts_with("5.3.0");
    match (code_class(code), reason_of(says)) {
        (Some(4), _) => Status::Soft,
        (Some(5), Some(Status::Soft)) if is_general => Status::Soft,
        (Some(5), _) if code.starts_with("5.2.2") => Status::Soft,
        (Some(_), _) | (None, None) => Status::Hard,
        (None, Some(status)) => status,
    }
}

/// A complaint report: its fields, or the recipients of the message that it is about.
pub(super) fn feedback(text: &str, message: &Message) -> Result<Vec<About>, WhyNot> {
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
