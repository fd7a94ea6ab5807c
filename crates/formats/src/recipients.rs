//! Recipient lines → rows: what comes out of the recipients' line of a mail program (RFC 5322, section 3.4).
//!
//! Between recipients stand commas, semicolons or line breaks. Names may be quoted, plain, encoded (RFC 2047) or
//! follow in a comment; an unquoted name may hold a comma (`Moss, Ida <ida@post.example>`). A group's name becomes
//! the tag of its members. The row number is the place among the recipients.

use crate::Input;
pub use crate::recipient_parts::Recipient;
use crate::recipient_parts::{clean_name, parts, several};
use pebblebank_table::Result;
use pebblebank_table::observe::Observer;
use pebblebank_table::spool::{Extracted, RowSpool};
use pebblebank_values::headers;
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

/// Where in a recipient the parser is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Inside {
    Plain,
    Quotes,
    Angle,
    Comment(u32),
}

/// What the line is that is being read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Line {
    /// Recipients.
    Plain,
    /// One that begins with the name of a group.
    OfGroup,
    /// One that names nobody: a subject, a date.
    OfOthers,
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
    line: Line,
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
            line: Line::Plain,
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
        if self.line == Line::OfOthers && !self.has_at {
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
            if self.line == Line::OfOthers && !self.has_at {
                self.text.clear();
            } else if self.has_at && self.inside == Inside::Plain {
                self.name_by_group();
                self.end_recipient(each)?;
            } else {
                self.text.push(b' ');
            }
            self.line = Line::Plain;
            return Ok(());
        }
        if self.line == Line::OfOthers {
            // An address in such a line is one all the same; as far as that, what stands in it is kept.
            self.has_at |= byte == b'@';
            self.text.push(byte);
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
                self.line = Line::Plain;
                return Ok(());
            }
            (Inside::Plain, b',') if self.has_at || self.text.trim_ascii().is_empty() => {
                return self.end_recipient(each);
            }
            // A name that is an address is nobody's group.
            (Inside::Plain, b':') if !self.has_at && !self.text.contains(&b'@') => {
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
        self.line = Line::Plain;
        if LABELS.contains(&label.as_str()) {
            self.group.clear();
        } else if OTHER_LINES.contains(&label.as_str()) {
            self.line = Line::OfOthers;
        } else {
            self.group = name;
            self.line = Line::OfGroup;
        }
    }

    /// "Ida Moss: ida@post.example" in a line of its own names the one person.
    fn name_by_group(&mut self) {
        let text = String::from_utf8_lossy(&self.text);
        let is_bare = !text.trim().contains(|c: char| c.is_whitespace() || matches!(c, '<' | ',' | '(' | '['));
        if self.line == Line::OfGroup && is_bare {
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
        let ats = |text: &str| text.matches('@').count();
        // Whatever else looks like an address is left to whoever cleans the cell.
        if ats(&recipient.address) + ats(&recipient.name) < ats(text) && !text.contains("<@") {
            recipient = Recipient { address: text.to_owned(), ..Recipient::default() };
        }
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
