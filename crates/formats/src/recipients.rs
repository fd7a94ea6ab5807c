//! Recipient lines → rows: what comes out of the recipients' line of a mail program (RFC 5322, section 3.4).
//!
//! Between recipients stand commas, semicolons or line breaks. Names may be quoted, plain, encoded (RFC 2047) or
//! follow in a comment; an unquoted name may hold a comma (`Moss, Ida <ida@post.example>`). A group's name becomes
//! the tag of its members. The row number is the place among the recipients.

use crate::{Input, encoded_word};
use pebblebank_table::Result;
use pebblebank_table::observe::Observer;
use pebblebank_table::spool::{Extracted, RowSpool};
use pebblebank_values::headers;
use std::borrow::Cow;
use std::io::Read;
use std::path::Path;

/// How much text is looked at to tell recipients from a table.
const LOOKED_AT: usize = 16 << 10;

/// A recipient of more bytes than this is none, and is split here.
const LONGEST: usize = 64 << 10;

/// Labels of the recipients' line itself, which are no group's name.
const LABELS: [&str; 41] = [
    "to",
    "cc",
    "bcc",
    "mailto",
    "from",
    "an",
    "kopie",
    "blindkopie",
    "von",
    "para",
    "aan",
    "à",
    "a",
    "cci",
    "cco",
    "ccn",
    "de",
    "da",
    "van",
    "til",
    "till",
    "kopia",
    "kopi",
    "komu",
    "recipients",
    "recipient",
    "e-mail",
    "email",
    "mail",
    "reply-to",
    "empfänger",
    "verteiler",
    "destinataires",
    "destinataire",
    "destinatarios",
    "destinatari",
    "destinatário",
    "destinatários",
    "ontvangers",
    "geadresseerden",
    "sender",
];

/// Labels of lines beside it that name nobody: what was copied with it out of a mail program.
const OTHER_LINES: [&str; 21] = [
    "subject",
    "date",
    "sent",
    "received",
    "betreff",
    "datum",
    "gesendet",
    "objet",
    "envoyé",
    "asunto",
    "enviado",
    "fecha",
    "oggetto",
    "inviato",
    "data",
    "onderwerp",
    "verzonden",
    "assunto",
    "importance",
    "attachments",
    "anlagen",
];

/// One recipient as it is in the line.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Recipient {
    /// The address as typed; empty where there is none.
    pub address: String,
    /// The name, decoded.
    pub name: String,
    /// The name of the group that it stands in.
    pub group: String,
}

/// Where in a recipient the parser is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Inside {
    Plain,
    Quotes,
    Angle,
    Comment(u32),
}

/// Splits a recipient line, piece by piece.
#[derive(Debug)]
pub struct Parser {
    text: Vec<u8>,
    inside: Inside,
    is_escaped: bool,
    has_at: bool,
    after_line_end: bool,
    group: String,
    /// Whether the group's name stands in the line that is being read.
    group_is_in_line: bool,
    /// Whether the rest of the line names nobody.
    is_other_line: bool,
}

impl Default for Parser {
    fn default() -> Self {
        Parser {
            text: Vec::new(),
            inside: Inside::Plain,
            is_escaped: false,
            has_at: false,
            after_line_end: false,
            group: String::new(),
            group_is_in_line: false,
            is_other_line: false,
        }
    }
}

/// Whether a byte may mean more than itself.
#[inline]
fn is_sign(byte: u8) -> bool {
    matches!(byte, b'\n' | b'\r' | b'\\' | b'"' | b'<' | b'>' | b'(' | b')' | b';' | b',' | b':' | b'@')
}

impl Parser {
    /// Takes in some text and calls `each` for every recipient that is complete.
    pub fn take<E>(&mut self, text: &[u8], each: &mut impl FnMut(Recipient) -> Result<(), E>) -> Result<(), E> {
        let mut rest = text;
        while let [first, after @ ..] = rest {
            // Most bytes are letters, which go on with what was begun.
            let is_going_on = !self.is_escaped && !self.after_line_end;
            let room = if is_going_on { LONGEST.saturating_sub(self.text.len()) } else { 0 };
            let letters = rest.iter().take(room).take_while(|byte| !is_sign(**byte)).count();
            if letters > 0 {
                self.text.extend_from_slice(&rest[..letters]);
                rest = &rest[letters..];
            } else {
                self.byte(*first, each)?;
                rest = after;
            }
        }
        Ok(())
    }

    /// The text is at its end.
    pub fn finish<E>(&mut self, each: &mut impl FnMut(Recipient) -> Result<(), E>) -> Result<(), E> {
        if std::mem::take(&mut self.is_other_line) {
            self.text.clear();
        }
        if self.has_at && self.inside == Inside::Plain {
            self.name_by_group();
        }
        self.end_recipient(each)
    }

    fn byte<E>(&mut self, byte: u8, each: &mut dyn FnMut(Recipient) -> Result<(), E>) -> Result<(), E> {
        let is_line_end = matches!(byte, b'\n' | b'\r');
        // A line that begins with a blank goes on from the one before (section 2.2.3).
        if std::mem::replace(&mut self.after_line_end, is_line_end) && !is_line_end && !matches!(byte, b' ' | b'\t') {
            self.end_recipient(each)?;
        }
        if self.text.len() >= LONGEST {
            self.end_recipient(each)?;
        }
        if is_line_end {
            // What is quoted, in brackets or in a comment may be folded.
            if std::mem::take(&mut self.is_other_line) {
                self.text.clear();
            } else if self.has_at && self.inside == Inside::Plain {
                self.name_by_group();
                self.end_recipient(each)?;
            } else {
                self.text.push(b' ');
            }
            self.group_is_in_line = false;
            return Ok(());
        }
        if self.is_other_line {
            return Ok(());
        }
        if std::mem::take(&mut self.is_escaped) {
            self.text.push(byte);
            return Ok(());
        }
        match (self.inside, byte) {
            (Inside::Quotes | Inside::Comment(_), b'\\') => self.is_escaped = true,
            (Inside::Quotes, b'"') | (Inside::Angle, b'>') | (Inside::Comment(1), b')') => self.inside = Inside::Plain,
            (Inside::Comment(depth), b')') => self.inside = Inside::Comment(depth - 1),
            (Inside::Comment(depth), b'(') => self.inside = Inside::Comment(depth + 1),
            (Inside::Plain, b'"') => self.inside = Inside::Quotes,
            (Inside::Plain, b'<') => self.inside = Inside::Angle,
            (Inside::Plain, b'(') => self.inside = Inside::Comment(1),
            (Inside::Plain, b';') => {
                self.end_recipient(each)?;
                self.group.clear();
                self.group_is_in_line = false;
                return Ok(());
            }
            (Inside::Plain, b',') if self.has_at || self.text.trim_ascii().is_empty() => {
                return self.end_recipient(each);
            }
            (Inside::Plain, b':') if !self.has_at => {
                self.begin_group();
                return Ok(());
            }
            (Inside::Plain | Inside::Angle | Inside::Comment(_), b'@') => self.has_at = true,
            _ => {}
        }
        self.text.push(byte);
        Ok(())
    }

    fn begin_group(&mut self) {
        // "Ida Moss [mailto:ida@post.example]"
        let mailto = self.text.len().checked_sub(6).filter(|at| self.text[*at..].eq_ignore_ascii_case(b"mailto"));
        if let Some(at) = mailto {
            self.text.truncate(at);
            return;
        }
        let name = clean_name(&String::from_utf8_lossy(&self.text));
        self.text.clear();
        let label = name.to_lowercase();
        self.is_other_line = OTHER_LINES.contains(&label.as_str());
        self.group_is_in_line = false;
        if LABELS.contains(&label.as_str()) {
            self.group.clear();
        } else if !self.is_other_line {
            self.group = name;
            self.group_is_in_line = true;
        }
    }

    /// "Ida Moss: ida@post.example" in a line of its own names the one person.
    fn name_by_group(&mut self) {
        let text = String::from_utf8_lossy(&self.text);
        let is_bare = !text.trim().contains(|c: char| c.is_whitespace() || matches!(c, '<' | ',' | '(' | '['));
        if self.group_is_in_line && is_bare {
            let named = format!("\"{}\" <{}>", self.group.replace('"', ""), text.trim());
            self.text = named.into_bytes();
            self.group.clear();
        }
    }

    fn end_recipient<E>(&mut self, each: &mut dyn FnMut(Recipient) -> Result<(), E>) -> Result<(), E> {
        let opener = match std::mem::replace(&mut self.inside, Inside::Plain) {
            Inside::Plain => None,
            Inside::Quotes => Some(b'"'),
            Inside::Angle => Some(b'<'),
            Inside::Comment(_) => Some(b'('),
        };
        self.is_escaped = false;
        if let Some(opener) = opener {
            // What is never closed was never opened: read again without its sign, so that it swallows nobody.
            let again = std::mem::take(&mut self.text);
            self.has_at = false;
            again.iter().filter(|byte| **byte != opener).try_for_each(|byte| self.byte(*byte, each))?;
            return self.end_recipient(each);
        }
        let mut taken = std::mem::take(&mut self.text);
        let has_at = std::mem::take(&mut self.has_at);
        let ended = self.recipient(&String::from_utf8_lossy(&taken), has_at, each);
        // The room is used again.
        taken.clear();
        self.text = taken;
        ended
    }

    /// Hands over what a whole text between two separators is.
    fn recipient<E>(
        &self,
        text: &str,
        has_at: bool,
        each: &mut dyn FnMut(Recipient) -> Result<(), E>,
    ) -> Result<(), E> {
        let text = text.trim();
        if text.is_empty() {
            return Ok(());
        }
        let several = several(text);
        if several.len() > 1 {
            return several.into_iter().try_for_each(|part| self.recipient(part, has_at, each));
        }
        let mut recipient = parts(text);
        recipient.group.clone_from(&self.group);
        // `Ida, bo@post.example`: a name without an address, then an address without a name.
        if has_at
            && recipient.name.is_empty()
            && !text.contains('<')
            && let Some((first, last)) = text.rsplit_once(',')
            && last.contains('@')
            && !first.contains('@')
        {
            each(Recipient { name: clean_name(first), address: String::new(), group: self.group.clone() })?;
            last.trim().clone_into(&mut recipient.address);
        }
        each(recipient)
    }
}

/// The recipients of a text in which the commas between them are missing: each ends behind its address.
fn several(text: &str) -> Vec<&str> {
    let has_brackets = text.contains('<');
    if text.matches('@').count() < 2 || (has_brackets && text.matches('>').count() < 2) {
        return vec![text];
    }
    let mut ends = Vec::new();
    if has_brackets {
        ends.extend(outside_quotes(text).filter(|(_, c)| *c == '>').map(|(at, _)| at + 1));
    } else if !text.contains(['"', '(', '[']) {
        let mut at = 0;
        for word in text.split(char::is_whitespace) {
            if word.matches('@').count() == 1 {
                ends.push(at + word.len());
            }
            at += word.len() + text[at + word.len()..].chars().next().map_or(0, char::len_utf8);
        }
    }
    let mut parts = Vec::new();
    let mut start = 0;
    for end in ends {
        if text[start..end].contains('@') {
            parts.push(text[start..end].trim());
            start = end;
        }
    }
    match text[start..].trim() {
        "" => {}
        // A comment, or a word behind the last one.
        rest if !rest.contains('@') && !parts.is_empty() => {}
        rest => parts.push(rest),
    }
    parts
}

/// An address without what some programs put in front of it: `mailto:`, a route (RFC 5321, appendix C).
fn bare_address(text: &str) -> String {
    let text = text.trim();
    let text = match text.get(..7) {
        Some(start) if start.eq_ignore_ascii_case("mailto:") => text[7..].split('?').next().unwrap_or_default(),
        _ => text,
    };
    match text.strip_prefix('@').and_then(|route| route.split_once(':')) {
        Some((_, address)) => address.to_owned(),
        None => text.to_owned(),
    }
}

/// A name without the comments in it (RFC 5322, section 3.2.2), unless it is nothing else.
fn without_comments(text: &str) -> Cow<'_, str> {
    if !text.contains('(') {
        return text.into();
    }
    let mut depth = 0_u32;
    let mut bare = String::with_capacity(text.len());
    for (_, c) in outside_quotes(text) {
        match c {
            '(' => depth += 1,
            ')' => depth = depth.saturating_sub(1),
            _ if depth == 0 => bare.push(c),
            _ => {}
        }
    }
    // What is quoted is no comment; it is easier to leave such names alone.
    if text.contains('"') || !bare.contains(char::is_alphanumeric) { text.into() } else { bare.into() }
}

/// The text of the last comment of a recipient.
fn comment(text: &str) -> &str {
    let open = text.find('(').map_or(text.len(), |at| at + 1);
    text[open..].trim_end().trim_end_matches(')')
}

/// Splits a recipient into its name and its address.
fn parts(text: &str) -> Recipient {
    let group = String::new();
    let open = if text.contains('"') {
        outside_quotes(text).filter(|(_, c)| *c == '<').map(|(at, _)| at).last()
    } else {
        text.rfind('<')
    };
    if let Some(open) = open {
        let inner = &text[open + 1..];
        let (address, after) = inner.split_once('>').unwrap_or((inner, ""));
        let name = match text[..open].trim() {
            "" => clean_name(comment(after)),
            name => clean_name(&without_comments(name)),
        };
        return Recipient { address: bare_address(address), name, group };
    }
    // An address with its owner in a comment: `ida@post.example (Ida Moss)`.
    if let (Some(open), true) = (text.find('('), text.ends_with(')')) {
        let (address, comment) = (text[..open].trim(), &text[open + 1..text.len() - 1]);
        if address.contains('@') && !address.contains(char::is_whitespace) {
            return Recipient { address: address.to_owned(), name: clean_name(comment), group };
        }
    }
    // `Ida Moss (ida@post.example)`, `Ida Moss [ida@post.example]`
    for (open, close) in [('(', ')'), ('[', ']')] {
        if let Some((name, rest)) = text.split_once(open)
            && let Some((inner, _)) = rest.split_once(close)
            && inner.contains('@')
            && !inner.trim().contains(char::is_whitespace)
            && !name.contains('@')
        {
            return Recipient { address: bare_address(inner), name: clean_name(name), group };
        }
    }
    if text.contains('@') {
        // `Ida Moss  ida@post.example`, with a tab or spaces between.
        if let Some((name, address)) = text.trim().rsplit_once(char::is_whitespace)
            && address.matches('@').count() == 1
            && name.contains(char::is_alphabetic)
            && !name.contains(['@', ','])
        {
            return Recipient { address: bare_address(address), name: clean_name(name), group };
        }
        return Recipient { address: text.to_owned(), name: String::new(), group };
    }
    Recipient { address: String::new(), name: clean_name(text), group }
}

/// The characters outside of quotes, with their places; inside of them a backslash stands before what is meant as it is.
fn outside_quotes(text: &str) -> impl Iterator<Item = (usize, char)> {
    let (mut is_quoted, mut is_escaped) = (false, false);
    text.char_indices().filter(move |(_, c)| {
        is_quoted ^= *c == '"' && !is_escaped;
        is_escaped = is_quoted && *c == '\\' && !is_escaped;
        !is_quoted
    })
}

/// A text without its quotes, and without the backslashes inside of them (RFC 5322, section 3.2.4).
fn unquoted(text: &str) -> String {
    let mut plain = String::with_capacity(text.len());
    let (mut is_quoted, mut is_escaped) = (false, false);
    for c in text.chars() {
        match c {
            _ if is_escaped => {
                plain.push(c);
                is_escaped = false;
            }
            '\\' if is_quoted => is_escaped = true,
            '"' => is_quoted = !is_quoted,
            c => plain.push(c),
        }
    }
    plain
}

/// Whether a name is words with one space between them, in which nothing is quoted or encoded, as most are.
pub(crate) fn reads_as_it_stands(name: &str) -> bool {
    let mut before = b' ';
    let is_going_on = |byte: u8| {
        let fits = byte.is_ascii_alphanumeric()
            || byte >= 0x80
            || matches!(byte, b'.' | b'-')
            || byte == b' ' && before != b' ';
        before = byte;
        fits
    };
    let is_plain = name.bytes().all(is_going_on) && !name.ends_with(' ');
    is_plain && (name.is_ascii() || !name.chars().any(|letter| letter != ' ' && letter.is_whitespace()))
}

/// A name without its quotes, decoded, one blank for every run of them.
fn clean_name(text: &str) -> String {
    let trimmed = text.trim();
    if reads_as_it_stands(trimmed) {
        return trimmed.to_owned();
    }
    let decoded = encoded_word::decode(text.trim());
    let unquoted = unquoted(&decoded);
    let words: Vec<&str> = unquoted.split_whitespace().collect();
    let name = words.join(" ");
    // 'Ida Moss' as some programs show a name that is an address of theirs.
    let inner = name.strip_prefix('\'').and_then(|rest| rest.strip_suffix('\''));
    inner.unwrap_or(&name).trim_end_matches(',').to_owned()
}

/// Whether text that begins like this is a recipient line rather than a table.
pub fn looks_like_recipients(text: &[u8]) -> bool {
    let text = &text[..text.len().min(LOOKED_AT)];
    let text = String::from_utf8_lossy(text);
    let Some(first_line) = text.lines().find(|line| !line.trim().is_empty()) else { return false };
    // A table mostly begins with a header; recipients begin with one, or with a label or a group's name.
    let may_begin_recipients = first_line.contains(['@', ':']) || text.contains("\n ") || text.contains("\n\t");
    let is_table = text.contains("://") || headers::recognise(first_line).is_some();
    if !may_begin_recipients || !text.contains('@') || is_table {
        return false;
    }
    let mut recipients: Vec<Recipient> = Vec::new();
    let mut keep = |recipient| {
        recipients.push(recipient);
        Ok::<(), std::convert::Infallible>(())
    };
    let mut parser = Parser::default();
    let parsed = parser.take(text.as_bytes(), &mut keep).and_then(|()| parser.finish(&mut keep));
    if parsed.is_err() || recipients.is_empty() {
        return false;
    }
    let has_address = |recipient: &&Recipient| {
        let address = recipient.address.trim();
        address.matches('@').count() == 1
            && !address.contains(char::is_whitespace)
            && !address.contains([',', '|', '\t'])
    };
    let with_address = recipients.iter().filter(has_address).count();
    let with_name =
        recipients.iter().filter(|recipient| !recipient.name.is_empty() && !recipient.address.is_empty()).count();
    let lines: Vec<&str> = text.lines().filter(|line| !line.trim().is_empty()).collect();
    let is_mostly_addresses = with_address * 10 >= recipients.len() * 9;
    let is_in_lines = recipients.len() > lines.len();
    // Two addresses in every line are two columns.
    let ats = |line: &str| line.matches('@').count();
    let is_table = with_name == 0 && lines.len() > 2 && lines.iter().all(|line| ats(line) == ats(lines[0]));
    let label = first_line.split(':').next().unwrap_or_default().trim().to_lowercase();
    let has_group = lines.len() == 1 && recipients.iter().all(|recipient| !recipient.group.is_empty());
    let is_labelled = first_line.contains(':') && (LABELS.contains(&label.as_str()) || has_group);
    is_mostly_addresses && (is_labelled || !is_table && (with_name * 2 > recipients.len() || is_in_lines))
}

/// Takes the recipients out of a text in UTF-8.
pub(super) fn extract(mut text: impl Read, input: &Input, folder: &Path, observer: &dyn Observer) -> Result<Extracted> {
    let mut spool = RowSpool::new(folder, input.path(), input.bytes)?;
    let mut has_groups = false;
    let mut parser = Parser::default();
    let mut add = |recipient: Recipient| {
        spool.cell(recipient.address.as_bytes());
        spool.cell(recipient.name.as_bytes());
        has_groups |= !recipient.group.is_empty();
        if !recipient.group.is_empty() {
            spool.cell(recipient.group.as_bytes());
        }
        spool.end_row()
    };
    let mut buffer = vec![0; 64 << 10];
    loop {
        if observer.wants_stop() {
            return Err(pebblebank_table::Error::interrupted());
        }
        let count =
            text.read(&mut buffer).map_err(|cause| pebblebank_table::encoding::unreadable(input.path(), &cause))?;
        if count == 0 {
            parser.finish(&mut add)?;
            break;
        }
        parser.take(&buffer[..count], &mut add)?;
    }
    let mut headers = vec!["email".to_owned(), "full_name".to_owned()];
    headers.extend(has_groups.then(|| "tags".to_owned()));
    spool.finish(Some(headers), Vec::new())
}
