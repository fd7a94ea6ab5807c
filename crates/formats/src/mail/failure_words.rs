//! The words by which mail systems tell that a delivery failed, and what else stands in such messages.

use super::about::Status;
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::fold::fold;
use std::collections::HashMap;
use std::sync::LazyLock;

/// What mail systems write, by what it means; folded, with a space in front, since each begins a word.
static PHRASES: LazyLock<HashMap<&'static str, Vec<String>>> = LazyLock::new(|| {
    let mut phrases: HashMap<&'static str, Vec<String>> = HashMap::new();
    let lines = include_str!("phrases.txt").lines().filter(|line| !line.starts_with('#'));
    for (kind, phrase) in lines.filter_map(|line| line.split_once(": ")) {
        phrases.entry(kind).or_default().push(format!(" {}", fold(phrase)));
    }
    phrases
});

/// Whether a text has a phrase of this kind.
pub(super) fn has_phrase(text: &str, kind: &str) -> bool {
    has(&spaced(text), kind)
}

fn spaced(text: &str) -> String {
    format!(" {}", fold(text))
}

fn has(spaced: &str, kind: &str) -> bool {
    PHRASES.get(kind).is_some_and(|phrases| phrases.iter().any(|phrase| spaced.contains(phrase.as_str())))
}

/// Why mail came back, by codes and words: for good, or for now. A full mailbox may be emptied, whatever its code; what is not
/// there is gone, whatever else is said.
pub(super) fn reason_of(text: &str) -> Option<Status> {
    let code = code_in(text).unwrap_or_default();
    let reply = if code.is_empty() { reply_in(text) } else { None };
    let spaced = spaced(text);
    let is_for_now = code.starts_with('4') || reply.is_some_and(|reply| reply < 500);
    if is_for_now {
        return Some(Status::Soft);
    }
    if code.starts_with("5.1.") || has(&spaced, "gone") {
        return Some(Status::Hard);
    }
    if code.starts_with("5.2.2") || reply == Some(552) || has(&spaced, "full") {
        return Some(Status::Soft);
    }
    if !code.is_empty() || reply.is_some() {
        return Some(Status::Hard);
    }
    if has(&spaced, "later") {
        return Some(Status::Soft);
    }
    has(&spaced, "hard").then_some(Status::Hard)
}

/// Whether a text says that mail did not arrive, in words or by a code.
pub(super) fn tells_of_failure(text: &str) -> bool {
    let spaced = spaced(text);
    ["bounce", "gone", "full", "later", "hard"].iter().any(|kind| has(&spaced, kind))
        || code_in(text).is_some()
        || reply_in(text).is_some()
}

/// The first enhanced status code in a text (RFC 3463).
pub(super) fn code_in(text: &str) -> Option<String> {
    let words = text.split(|sign: char| !(sign.is_ascii_alphanumeric() || sign == '.'));
    words.map(|word| word.trim_matches('.')).find(|word| is_enhanced_code(word)).map(str::to_owned)
}

/// The first reply code of SMTP in a text (RFC 5321, section 4.2.3): three digits by themselves, of those that there are.
fn reply_in(text: &str) -> Option<u16> {
    const REPLIES: [u16; 37] = [
        421, 431, 432, 441, 442, 446, 447, 449, 450, 451, 452, 454, 455, 471, 500, 501, 503, 504, 510, 511, 512, 513,
        515, 517, 521, 523, 530, 535, 541, 550, 551, 552, 553, 554, 555, 556, 571,
    ];
    let words = text.split(|sign: char| sign.is_whitespace() || "-:;,()[]<>\"'#=".contains(sign));
    words.filter(|word| word.len() == 3).find_map(|word| word.parse().ok().filter(|code| REPLIES.contains(code)))
}

/// Whether a line stands above the message that came back: a rule with such words, or little else than these.
pub(super) fn is_border(line: &str) -> bool {
    let is_ruled = line.trim_start().starts_with("--") || line.trim_end().ends_with("--");
    let spaced = spaced(line);
    let words = PHRASES.get("original").into_iter().flatten().find(|phrase| spaced.contains(phrase.as_str()));
    words.is_some_and(|phrase| {
        let is_little_else = spaced.len() < phrase.len() + 24 && !line.contains('@') && !line.trim_end().ends_with('.');
        is_ruled || (is_little_else && !["gone", "full"].iter().any(|kind| has(&spaced, kind)))
    })
}

/// Whether a line is an address with a name at most, as lists of recipients have it.
pub(super) fn is_listed(line: &str) -> bool {
    let words: Vec<&str> = line
        .split(|sign: char| sign.is_whitespace() || "<>()[]\"',;:".contains(sign))
        .filter(|word| !word.is_empty())
        .collect();
    let others: Vec<&&str> = words.iter().filter(|word| !word.contains('@') && **word != "mailto").collect();
    let is_name_of = |word: &&&str| {
        word.chars().next().is_some_and(char::is_uppercase)
            || ["to", "an", "a", "von", "van", "de", "der"].contains(*word)
    };
    words.len() > others.len() && others.len() <= 4 && others.iter().all(is_name_of) && !is_header_line(line)
}

/// Whether a line says whom to ask, or what to do.
pub(super) fn is_hint(line: &str) -> bool {
    const WORDS: [&str; 40] = [
        "contact",
        "notify",
        "call ",
        "visit ",
        "reply to this",
        "forward this",
        "assistance",
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
    let is_alone = rest.is_empty()
        || word.ends_with(':')
        || rest.starts_with(['(', '<', '-', '–', ':', '[', '…'])
        || is_when(rest);
    is_alone && address_in(word.trim_matches(['<', '>', ':', ',', ';', ')'])).is_some()
}

/// Whether what follows an address says when: "on Mon, 2 Mar 2026 09:14".
fn is_when(rest: &str) -> bool {
    let (word, after) = rest.split_once(' ').unwrap_or((rest, ""));
    ["on", "am", "le", "el", "il", "op", "em"].contains(&word) && after.contains(|sign: char| sign.is_ascii_digit())
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
    ["mailer-daemon", "postmaster", "hostmaster", "webmaster", "abuse", "helpdesk", "support", "admin"].contains(&local)
}

fn is_enhanced_code(word: &str) -> bool {
    let parts: Vec<&str> = word.split('.').collect();
    parts.len() == 3
        && ["4", "5"].contains(&parts[0])
        && parts[1..]
            .iter()
            .all(|part| !part.is_empty() && part.len() <= 3 && part.bytes().all(|byte| byte.is_ascii_digit()))
}

/// So much of what a mail system says as a table has room for; without addresses, which would be read as entries.
pub(super) fn shortened(text: &str) -> String {
    let words = text.split_whitespace().map(|word| if word.contains('@') { "…" } else { word });
    words.collect::<Vec<_>>().join(" ").chars().take(160).collect()
}

/// The usable address in a text.
pub(super) fn address_in(text: &str) -> Option<String> {
    let mut cleaner = AddressCleaner::default();
    let address = cleaner.clean(text.as_bytes());
    address.is_usable().then(|| String::from_utf8_lossy(address.text).into_owned())
}
