//! The words by which mail systems tell that a delivery failed, and what else stands in such messages.

use super::about::Status;
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::fold::fold;
use std::sync::LazyLock;

/// What mail systems write where they send no report, by what it means; folded.
pub(super) static PHRASES: LazyLock<Vec<(&'static str, &'static str)>> = LazyLock::new(|| {
    let lines = include_str!("phrases.txt").lines().filter(|line| !line.starts_with('#'));
    lines.filter_map(|line| line.split_once(": ")).collect()
});

/// What the words of a mail system mean.
pub(super) fn phrase_in(text: &str) -> Option<Status> {
    let folded = fold(text);
    let means = |kind: &str| PHRASES.iter().any(|(own, phrase)| *own == kind && folded.contains(phrase));
    if means("soft") { Some(Status::Soft) } else { means("hard").then_some(Status::Hard) }
}

pub(super) fn phrase_of(folded: &str, kind: &str) -> bool {
    PHRASES.iter().any(|(own, phrase)| *own == kind && folded.contains(phrase))
}

/// Whether a text says that mail did not arrive, in words or by a code.
pub(super) fn tells_of_failure(text: &str) -> bool {
    let folded = fold(text);
    ["hard", "soft", "bounce"].iter().any(|kind| phrase_of(&folded, kind))
        || text.split_whitespace().any(is_enhanced_code)
        || text.split(|sign: char| !sign.is_ascii_digit()).any(|word| word.len() == 3 && word.starts_with('5'))
}

/// Whether a line says whom to ask, or what to do.
pub(super) fn is_hint(line: &str) -> bool {
    const WORDS: [&str; 34] = [
        "contact",
        "for help",
        "for assistance",
        "for further",
        "help desk",
        "questions",
        "if you",
        "please send",
        "please forward",
        "please write",
        "report this",
        "write to",
        "ask ",
        "your administrator",
        "more information",
        "unsubscribe",
        "wenden sie sich",
        "bei fragen",
        "kontaktieren",
        "hilfe",
        "contactez",
        "contacter",
        "aide",
        "en cas de",
        "pongase en contacto",
        "ayuda",
        "contatta",
        "contattare",
        "assistenza",
        "neem contact",
        "hulp",
        "contacte",
        "ajuda",
        "duvidas",
    ];
    let folded = format!("{} ", fold(line));
    WORDS.iter().any(|word| folded.contains(word))
}

/// Whether a line begins with an address, and has nothing else but what the mail system says of it behind a colon.
pub(super) fn begins_with_address(line: &str) -> bool {
    let line = line.trim_start_matches(['*', '-', '•', ' ', '<', '(']);
    let word = line.split_whitespace().next().unwrap_or_default();
    let rest = line[word.len()..].trim();
    let is_alone = rest.is_empty() || word.ends_with(':') || rest.starts_with(['(', '<', '-', '–']);
    is_alone && address_in(word.trim_matches(['<', '>', ':', ',', ';', ')'])).is_some()
}

/// Whether a line is a header of a quoted message (RFC 5322, section 3.6).
pub(super) fn is_header_line(line: &str) -> bool {
    const NAMES: [&str; 26] = [
        "from",
        "to",
        "cc",
        "bcc",
        "sender",
        "reply-to",
        "subject",
        "date",
        "message-id",
        "received",
        "return-path",
        "delivered-to",
        "in-reply-to",
        "references",
        "mime-version",
        "content-type",
        "von",
        "an",
        "betreff",
        "datum",
        "de",
        "à",
        "objet",
        "para",
        "asunto",
        "oggetto",
    ];
    let Some((name, _)) = line.trim_start().split_once(':') else { return false };
    let name = name.trim().to_lowercase();
    NAMES.contains(&name.as_str()) || name.starts_with("x-")
}

pub(super) fn is_mail_systems(address: &str) -> bool {
    let local = address.split('@').next().unwrap_or_default();
    ["mailer-daemon", "postmaster", "abuse", "helpdesk", "support"].contains(&local)
}

pub(super) fn is_enhanced_code(word: &str) -> bool {
    let code = trimmed_code(word);
    let parts: Vec<&str> = code.split('.').collect();
    parts.len() == 3
        && ["4", "5"].contains(&parts[0])
        && parts[1..]
            .iter()
            .all(|part| !part.is_empty() && part.len() <= 3 && part.bytes().all(|byte| byte.is_ascii_digit()))
}

pub(super) fn trimmed_code(word: &str) -> String {
    word.trim_matches(|sign: char| !sign.is_ascii_digit()).to_owned()
}

/// So much of what a mail system says as a table has room for.
pub(super) fn shortened(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ").chars().take(160).collect()
}

/// The usable address in a text.
pub(super) fn address_in(text: &str) -> Option<String> {
    let mut cleaner = AddressCleaner::default();
    let address = cleaner.clean(text.as_bytes());
    address.is_usable().then(|| String::from_utf8_lossy(address.text).into_owned())
}
