//! What a file is, by its bytes, whatever its name says.

use crate::input::Sample;
use crate::{json, recipients, vcard, workbook};

/// The formats that are read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, strum::IntoStaticStr)]
pub enum Format {
    /// Text with a delimiter between cells and a line for each row; also one address a line.
    #[strum(serialize = "delimited text")]
    Delimited,
    /// XLSX, XLSM, XLSB, XLS, ODS.
    #[strum(serialize = "workbook")]
    Workbook,
    /// vCards.
    #[strum(serialize = "vCards")]
    VCard,
    /// What comes out of the recipients' line of a mail program.
    #[strum(serialize = "recipient line")]
    Recipients,
    /// One JSON object after the other.
    #[strum(serialize = "JSON Lines")]
    JsonLines,
    /// An array of JSON objects.
    #[strum(serialize = "JSON array")]
    JsonArray,
    /// Mail that came back, and complaints: one message, or a mailbox of them.
    #[strum(serialize = "mail messages")]
    Mail,
}

impl Format {
    /// As users call it.
    pub fn name(self) -> &'static str {
        self.into()
    }

    /// What a file of it is, in a sentence.
    pub fn in_words(self) -> &'static str {
        match self {
            Format::Workbook => "a workbook",
            Format::Recipients => "a recipient line",
            Format::VCard => "a file of vCards",
            Format::JsonArray => "a JSON array",
            Format::Mail => "mail",
            Format::Delimited | Format::JsonLines => self.name(),
        }
    }

    /// Whether it is text, so that it has an encoding.
    pub fn is_text(self) -> bool {
        self != Format::Workbook
    }

    /// What names of such files end with.
    fn endings(self) -> &'static [&'static str] {
        match self {
            Format::Delimited => &["csv", "tsv", "tab", "txt", "text", "psv", "dat", "lst", "list"],
            Format::Workbook => &["xlsx", "xlsm", "xlsb", "xls", "ods", "xltx", "xltm", "xlt", "ots"],
            Format::VCard => &["vcf", "vcard"],
            Format::Recipients => &["txt", "text", "lst", "list", "eml"],
            Format::JsonLines => &["jsonl", "ndjson", "json"],
            Format::JsonArray => &["json"],
            Format::Mail => &["eml", "mbox", "mbx", "mail", "msg", "txt"],
        }
    }

    /// Whether the ending of a name belongs to another format than this.
    pub fn contradicts(self, name: &str) -> bool {
        let all = [
            Format::Delimited,
            Format::Workbook,
            Format::VCard,
            Format::Recipients,
            Format::JsonLines,
            Format::JsonArray,
            Format::Mail,
        ];
        let name = name.to_ascii_lowercase();
        let name = name.trim_end_matches(".gz").trim_end_matches(".zst");
        let Some((_, ending)) = name.rsplit_once('.') else { return false };
        !self.endings().contains(&ending) && all.iter().any(|format| format.endings().contains(&ending))
    }
}

/// What a file is that cannot be read, and what to do.
pub type Unreadable = (&'static str, &'static str);

/// Finds out what a file is. With `is_table`, text is taken for delimited text whatever it looks like.
pub fn recognise_format(sample: &Sample, is_table: bool) -> Result<Format, Unreadable> {
    if workbook::begins_like_workbook(&sample.raw) {
        return Ok(Format::Workbook);
    }
    let text = sample.bytes.as_slice();
    if let Some(unreadable) = other_file(&sample.raw, text) {
        return Err(unreadable);
    }
    // An attachment may hold any byte.
    if !is_table && is_mail(text.trim_ascii_start()) {
        return Ok(Format::Mail);
    }
    if has_many_nul_bytes(text) {
        return Err(("this is not text: it has NUL bytes", "check that this is the export; open it to see what it is"));
    }
    if vcard::looks_like_vcard(text) {
        return Ok(Format::VCard);
    }
    if is_table {
        return Ok(Format::Delimited);
    }
    match json::looks_like_json(text) {
        Some(true) => return Ok(Format::JsonArray),
        Some(false) => return Ok(Format::JsonLines),
        None => {}
    }
    Ok(if recipients::looks_like_recipients(text) { Format::Recipients } else { Format::Delimited })
}

/// Whether a text is none: NUL bytes are more than a few, or stand beside other control characters.
fn has_many_nul_bytes(text: &[u8]) -> bool {
    const IN_A_THOUSAND: usize = 20;
    let nuls = memchr::memchr_iter(0, text).count();
    if nuls == 0 {
        return false;
    }
    let others = text.iter().filter(|byte| matches!(byte, 0x01..=0x08 | 0x0E..=0x1A | 0x1C..=0x1F)).count();
    nuls * 1_000 > text.len() * IN_A_THOUSAND || others > nuls
}

const SAVE_AS_CSV: &str = "open it with the program that made it and save it as CSV";

/// Files of other kinds that get handed over by mistake.
fn other_file(raw: &[u8], text: &[u8]) -> Option<Unreadable> {
    let known: [(&[u8], Unreadable); 9] = [
        (b"%PDF-", ("this is a PDF document, which holds no rows", "ask for the same data as CSV or as a workbook")),
        (b"{\\rtf", ("this is a text document, not a table", SAVE_AS_CSV)),
        (b"\x89PNG", ("this is a picture", "ask for the data itself, as CSV or as a workbook")),
        (b"\xFF\xD8\xFF", ("this is a picture", "ask for the data itself, as CSV or as a workbook")),
        (b"Rar!", ("this is a RAR archive, which is not unpacked here", "unpack it first, and hand over the files")),
        (
            b"7z\xBC\xAF",
            ("this is a 7z archive, which is not unpacked here", "unpack it first, and hand over the files"),
        ),
        (b"BZh", ("this is a bzip2 archive, which is not unpacked here", "unpack it first, and hand over the file")),
        (b"\xFD7zXZ", ("this is an xz archive, which is not unpacked here", "unpack it first, and hand over the file")),
        (b"SQLite format 3", ("this is a database, not a table", "export the table as CSV")),
    ];
    let found = known.into_iter().find(|(begin, _)| raw.starts_with(begin));
    if let Some((_, unreadable)) = found {
        return Some(unreadable);
    }
    let begin = text.trim_ascii_start();
    let starts = |word: &[u8]| begin.get(..word.len()).is_some_and(|begin| begin.eq_ignore_ascii_case(word));
    if [&b"<!DOCTYPE"[..], b"<html", b"<table", b"<?xml", b"<head", b"<meta"].iter().any(|word| starts(word)) {
        return Some(("this is a web page or XML, not a table, whatever its name says", SAVE_AS_CSV));
    }
    None
}

/// The first lines of a message are headers (RFC 5322, section 2.2), or those of a mailbox of messages (RFC 4155).
fn is_mail(text: &[u8]) -> bool {
    const HEADERS: [&[u8]; 8] = [
        b"Return-Path:",
        b"Received:",
        b"Delivered-To:",
        b"Message-ID:",
        b"MIME-Version:",
        b"Subject:",
        b"DKIM-Signature:",
        b"X-Original-To:",
    ];
    const COMMON: [&[u8]; 4] = [b"From:", b"Date:", b"Content-Type:", b"Auto-Submitted:"];
    let lines = || text.split(|byte| *byte == b'\n').take(30).take_while(|line| !line.trim_ascii().is_empty());
    let is_header = |line: &&[u8]| {
        HEADERS.iter().any(|header| line.get(..header.len()).is_some_and(|begin| begin.eq_ignore_ascii_case(header)))
    };
    let is_mailbox = || {
        let mut lines = lines();
        lines.next().is_some_and(|line| line.starts_with(b"From ")) && lines.next().is_some_and(is_any_header)
    };
    // A line of recipients may have these, too.
    let is_common = |line: &&[u8]| {
        COMMON.iter().any(|header| line.get(..header.len()).is_some_and(|begin| begin.eq_ignore_ascii_case(header)))
    };
    let own = lines().filter(is_header).count();
    let has_subject = lines().any(|line| line.get(..8).is_some_and(|begin| begin.eq_ignore_ascii_case(b"Subject:")));
    own >= 2 || (own == 1 && !has_subject && lines().any(|line| is_common(&line))) || is_mailbox()
}

/// Whether a line begins like a header: a name without blanks, then a colon.
fn is_any_header(line: &[u8]) -> bool {
    let name = line.split(|byte| *byte == b':').next().unwrap_or_default();
    name.len() < line.len() && !name.is_empty() && name.iter().all(|byte| byte.is_ascii_alphanumeric() || *byte == b'-')
}
