//! Bounces in words: what a mail system wrote for people to read, where it sent no report.
//!
//! Only the failed recipient is meant: who stands in the sentence that tells of the failure or beside it, with the reason that stands
//! there. Quoted headers, signatures, hints whom to ask, and whoever the mail went through are bystanders.

use super::about::{About, Status, WhyNot};
use super::failure_words::{
    address_in, begins_with_address, code_in, has_phrase, is_border, is_header_line, is_hint, is_listed,
    is_mail_systems, reason_of, shortened, tells_of_failure,
};
use mail_parser::{Address, Message};
use pebblebank_values::fold::fold;

/// The recipients of a bounce that is written in words.
pub(super) fn recipients(message: &Message, body: &str) -> Result<Vec<About>, WhyNot> {
    let own = above_original(body);
    let subject = message.subject().unwrap_or_default();
    let is_late = has_phrase(own, "delay") || has_phrase(subject, "delay");
    if is_late && reason_of(own) != Some(Status::Hard) {
        return Err(WhyNot::Delayed);
    }
    let failed = message.header_raw("X-Failed-Recipients").unwrap_or_default();
    let mut found: Vec<Named> = failed.split(',').filter_map(address_in).map(Named::anywhere).collect();
    if found.is_empty() {
        found = failed_recipients(own, message);
    }
    if found.is_empty() {
        found.extend(recipient_of_return_address(message).map(Named::anywhere));
    }
    if found.is_empty() {
        return Err(WhyNot::NobodyNamed);
    }
    let about = |named: Named| {
        let beside = own_or(&named.beside, own);
        let status = reason_of(beside).or_else(|| reason_of(own)).or_else(|| reason_of(subject))?;
        let code = code_in(beside).or_else(|| code_in(own)).unwrap_or_default();
        let says = beside.lines().chain(own.lines()).find(|line| reason_of(line).is_some()).map(shortened);
        Some(About { address: named.address, status, code, date: String::new(), says: says.unwrap_or_default() })
    };
    let told: Vec<About> = found.into_iter().filter_map(about).collect();
    if told.is_empty() { Err(WhyNot::NoReason) } else { Ok(told) }
}

fn own_or<'a>(beside: &'a str, own: &'a str) -> &'a str {
    if beside.is_empty() { own } else { beside }
}

/// A failed recipient, and what stands beside the address.
struct Named {
    address: String,
    beside: String,
}

impl Named {
    fn anywhere(address: String) -> Named {
        Named { address, beside: String::new() }
    }
}

/// What stands above the message that came back.
fn above_original(body: &str) -> &str {
    let mut end = 0;
    for line in body.split_inclusive('\n') {
        // Not in the first words: they say what this is about.
        if is_border(line) && body[..end].contains('@') {
            return &body[..end];
        }
        end += line.len();
    }
    body
}

/// The recipient in the address that the bounce was sent to, where the sender put it there: `bounces+ida=post.example@…`.
fn recipient_of_return_address(message: &Message) -> Option<String> {
    let sent_to = message.to().into_iter().flat_map(Address::iter).filter_map(|one| one.address().map(str::to_owned));
    let headers = ["Delivered-To", "X-Original-To"].into_iter().filter_map(|name| message.header_raw(name));
    sent_to.chain(headers.map(|value| value.trim().to_owned())).find_map(|address| {
        let (local, _) = address.rsplit_once('@')?;
        let (name, domain) = local.rsplit_once('=')?;
        let mut name = name.rsplit_once('+').map_or(name, |(_, name)| name);
        // "bounces-4711-ida=post.example": what stands before is no part of the name.
        while let Some((word, rest)) = name.split_once('-') {
            let is_before = word.bytes().all(|byte| byte.is_ascii_digit())
                || ["bounce", "bounces", "return", "verp", "owner", "b"].contains(&word.to_ascii_lowercase().as_str());
            if !is_before {
                break;
            }
            name = rest;
        }
        address_in(&format!("{name}@{domain}"))
    })
}

/// The recipients that a bounce in words is about.
fn failed_recipients(text: &str, message: &Message) -> Vec<Named> {
    let header = |addresses: Option<&Address>| {
        let all = addresses.into_iter().flat_map(Address::iter);
        all.filter_map(|one| address_in(one.address()?)).collect::<Vec<_>>()
    };
    let not_meant: Vec<String> = [message.to(), message.from(), message.cc()].into_iter().flat_map(header).collect();
    let paragraphs = paragraphs_of(text);
    let fails: Vec<bool> = paragraphs.iter().map(|lines| tells_of_failure(&lines.join(" "))).collect();
    let mut found = Addresses { not_meant, found: Vec::new() };
    // "<ida@post.example>: user unknown", or an address alone in its line beside the sentence; else one with a name, as lists of
    // recipients have it, and signatures.
    let is_told = |line: &str| tells_of_failure(line) || begins_with_address(line);
    for is_sure in [is_told as fn(&str) -> bool, is_listed] {
        if !found.found.is_empty() {
            break;
        }
        for (place, lines) in paragraphs.iter().enumerate() {
            let is_beside = |other: Option<usize>| other.and_then(|other| fails.get(other)).is_some_and(|fails| *fails);
            let near = fails[place] || is_beside(place.checked_sub(1)) || is_beside(Some(place + 1));
            for (at, line) in lines.iter().enumerate().filter(|_| near) {
                if is_sure(line) && (!is_hint(line) || tells_of_failure(line)) {
                    found.add(line, &beside(&paragraphs, place, at));
                }
            }
        }
    }
    for wanted in [true, false] {
        // Else wherever the failure is told of; else anywhere, as long as it is one.
        let own = paragraphs.iter().zip(&fails).filter(|(_, fails)| **fails || !wanted);
        if found.found.is_empty() {
            own.flat_map(|(lines, _)| lines).filter(|line| !is_hint(line)).for_each(|line| found.add(line, ""));
            if !wanted && found.found.len() > 1 {
                found.found.clear();
            }
        }
    }
    found.found
}

/// What is said of the address in this line: from there to the next address, or the paragraph; what follows it, where that says
/// nothing.
fn beside(paragraphs: &[Vec<&str>], place: usize, at: usize) -> String {
    let lines = &paragraphs[place];
    let next =
        lines[at + 1..].iter().position(|line| begins_with_address(line)).map_or(lines.len(), |next| at + 1 + next);
    let own = lines[at..next].join("\n");
    if reason_of(&own).is_some() {
        return own;
    }
    let whole = lines.join("\n");
    if reason_of(&whole).is_some() {
        return whole;
    }
    paragraphs.get(place + 1).map(|lines| lines.join("\n")).filter(|text| reason_of(text).is_some()).unwrap_or_default()
}

/// Addresses that are gathered.
struct Addresses {
    not_meant: Vec<String>,
    found: Vec<Named>,
}

impl Addresses {
    /// Adds those of a line, but the one that the mail came from.
    fn add(&mut self, line: &str, beside: &str) {
        let is_part = |sign: char| !sign.is_whitespace() && !"<>()[]\"',;:".contains(sign);
        let is_alone = begins_with_address(line);
        let mut before = String::new();
        for word in line.split(|sign| !is_part(sign)).filter(|word| !word.is_empty()) {
            if word.contains('@') {
                let is_sender = [
                    "from",
                    "von",
                    "de",
                    "da",
                    "van",
                    "sender",
                    "absender",
                    "expediteur",
                    "remitente",
                    "mittente",
                    "afzender",
                ]
                .contains(&before.as_str());
                if let Some(address) = address_in(word.trim_end_matches('.')).filter(|_| !is_sender)
                    && !self.not_meant.contains(&address)
                    && !self.found.iter().any(|named| named.address == address)
                    && (is_alone || !is_mail_systems(&address))
                {
                    self.found.push(Named { address, beside: beside.to_owned() });
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
