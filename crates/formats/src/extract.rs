//! A file of any format → delimited text that can be read as often as needed.
//!
//! Delimited text stays where it is. Other formats are taken out into a nameless file once.

use crate::format::recognise_format;
use crate::input::{InputReader, Sample};
use crate::workbook::{self, Likeness};
use crate::{Format, Input, json, mail, recipients, vcard};
use encoding_rs::UTF_8;
use pebblebank_table::charset::Charset;
use pebblebank_table::encoding::{BadBytesAre, Decoding, Knowledge, unreadable};
use pebblebank_table::observe::{Finding, Observer, Weight};
use pebblebank_table::unescape::{Oddities, keeps_to_single_quotes, unescaped};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::unread::UnreadText;
use std::io::Read;
use std::path::Path;

/// Where recognition is overruled.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ReadWishes {
    /// The encoding.
    pub encoding: Option<Charset>,
    /// What happens to bytes that fit no character.
    pub bad_bytes: BadBytesAre,
    /// The delimiter.
    pub delimiter: Option<u8>,
    /// The row of the header, from 1; 0 for a file without one.
    pub header_row: Option<u64>,
    /// The sheet of a workbook, by name or by number from 1.
    pub sheet: Option<String>,
}

/// A file that can be read as delimited text.
#[derive(Debug)]
pub struct Prepared {
    /// Its text.
    pub input: Input,
    /// How that begins.
    pub sample: Sample,
    /// What the user handed over.
    pub format: Format,
    /// The same, more exactly, as users call it.
    pub format_name: &'static str,
    /// The sheet, of a workbook.
    pub sheet: Option<String>,
    /// The headers, where the format names its columns.
    pub headers: Option<Vec<String>>,
    /// How its text is written otherwise than RFC 4180 has it.
    pub oddities: Oddities,
    /// What should be said.
    pub findings: Vec<Finding>,
    /// What looks like an entry of a list on the sheets of a workbook that were not read.
    pub unread: Vec<UnreadText>,
}

/// Finds out what a file is, and takes out what is not delimited text.
pub fn prepare(
    input: Input,
    wishes: &ReadWishes,
    likeness: Likeness,
    folder: &Path,
    observer: &dyn Observer,
) -> Result<Prepared> {
    let sample = input.sample(wishes.encoding)?;
    let is_table = wishes.delimiter.is_some() || wishes.header_row.is_some();
    let format = recognise_format(&sample, is_table).map_err(|(what, advice)| {
        Error::new(ErrorKind::Input, what, advice)
            .in_file(input.path())
            .expected("delimited text, a workbook, vCards, recipients, JSON or bounce messages")
    })?;
    if wishes.sheet.is_some() && format != Format::Workbook {
        return Err(Error::new(
            ErrorKind::Columns,
            format!("sheet = names a sheet, but this file is {}", format.in_words()),
            "leave sheet out for this file",
        )
        .in_file(input.path()));
    }
    let mut findings = Vec::new();
    if format.contradicts(&input.name()) {
        let text = format!("is {}, whatever its name says, and was read as such", format.in_words());
        findings.push(Finding::new("format", Weight::Note, text));
    }
    // Each part of a message says its own encoding.
    if !matches!(format, Format::Workbook | Format::Mail) {
        findings.extend(encoding_finding(&sample));
    }
    let mut prepared = Prepared {
        input,
        sample,
        format,
        format_name: format.name(),
        sheet: None,
        headers: None,
        oddities: Oddities::default(),
        findings,
        unread: Vec::new(),
    };
    if format == Format::Delimited {
        prepared.oddities = Oddities::of(&prepared.sample.bytes);
        prepared.check_single_quotes(wishes)?;
        if prepared.oddities.is_any() {
            prepared.sample.bytes = unescaped(&prepared.sample.bytes, prepared.oddities);
            prepared.findings.extend(odd_text(prepared.oddities));
        }
        return Ok(prepared);
    }
    prepared.take_out(wishes, likeness, folder, observer)
}

impl Prepared {
    /// A file that does not keep to single quotes is read as it is: a quote that nothing closes would swallow rows.
    fn check_single_quotes(&mut self, wishes: &ReadWishes) -> Result<()> {
        let Some(delimiter) = self.oddities.single_quotes else { return Ok(()) };
        let bad_bytes = self.sample.knowledge.bad_bytes(wishes.bad_bytes);
        let text = Decoding::new(self.input.reader()?, self.sample.encoding, bad_bytes, false);
        if !keeps_to_single_quotes(text, delimiter).map_err(|cause| unreadable(self.input.path(), &cause))? {
            self.oddities.single_quotes = None;
            let text = "begins with single quotes around all cells and does not keep to them, so they were read as text; \
                        if cells have the delimiter in them, save the file with double quotes";
            self.findings.push(Finding::new("single-quotes", Weight::Warning, text));
        }
        Ok(())
    }

    fn take_out(
        self,
        wishes: &ReadWishes,
        likeness: Likeness,
        folder: &Path,
        observer: &dyn Observer,
    ) -> Result<Prepared> {
        let Prepared { input, sample, format, mut format_name, mut findings, .. } = self;
        let text = || -> Result<Decoding<InputReader>> {
            let bad_bytes = sample.knowledge.bad_bytes(wishes.bad_bytes);
            Ok(Decoding::new(input.reader()?, sample.encoding, bad_bytes, false))
        };
        let mut sheet_name = None;
        let mut unread = Vec::new();
        let mut extracted = match format {
            Format::Workbook => {
                let sheet = workbook::extract(&input, wishes, likeness, folder, observer)?;
                sheet_name = Some(sheet.name);
                unread = sheet.unread;
                format_name = sheet.format;
                sheet.extracted
            }
            Format::VCard => vcard::extract(text, &input, folder, observer)?,
            Format::Recipients => recipients::extract(text()?, &input, folder, observer)?,
            Format::JsonLines => json::extract(text()?, false, &input, folder, observer)?,
            Format::JsonArray => json::extract(text()?, true, &input, folder, observer)?,
            Format::Mail => mail::extract(input.reader()?, &input, folder, observer)?,
            Format::Delimited => unreachable!("delimited text stays where it is"),
        };
        let headers = extracted.headers.take();
        findings.append(&mut extracted.findings);
        let fingerprint = fingerprint(&input)?;
        let input = input.extracted(extracted, sheet_name.clone(), fingerprint);
        let rows = input.sample(Some(UTF_8.into()))?;
        let sample = Sample { knowledge: sample.knowledge, ..rows };
        Ok(Prepared {
            input,
            sample,
            format,
            format_name,
            sheet: sheet_name,
            headers,
            oddities: Oddities::default(),
            findings,
            unread,
        })
    }
}

/// The BLAKE3 of the bytes that the user handed over, unpacked.
fn fingerprint(input: &Input) -> Result<String> {
    let mut hasher = blake3::Hasher::new();
    let mut reader = input.reader()?;
    let mut buffer = vec![0; 256 << 10];
    loop {
        match reader.read(&mut buffer).map_err(|cause| unreadable(input.path(), &cause))? {
            0 => return Ok(hasher.finalize().to_hex().to_string()),
            count => hasher.update(&buffer[..count]),
        };
    }
}

/// What to say about text that is written otherwise than CSV is.
fn odd_text(oddities: Oddities) -> Vec<Finding> {
    let nul_bytes = oddities.nul_bytes.then_some("has NUL bytes, which mean nothing and were left out");
    let single = oddities.single_quotes.map(|_| "has single quotes around all cells, and was read so");
    let note = |text: Option<&str>, code, weight| text.map(|text| Finding::new(code, weight, text));
    let notes = [note(nul_bytes, "nul-bytes", Weight::Doubt), note(single, "single-quotes", Weight::Note)];
    notes.into_iter().flatten().collect()
}

/// What to say about an encoding that is not UTF-8.
fn encoding_finding(sample: &Sample) -> Option<Finding> {
    let name = sample.encoding.name();
    match sample.knowledge {
        _ if sample.encoding == UTF_8 => None,
        // What was read as what is counted, and said, once all is read.
        Knowledge::Said | Knowledge::Mixed => None,
        Knowledge::Certain => Some(Finding::new("encoding", Weight::Note, format!("was read as {name}"))),
        Knowledge::Guessed => {
            let text = format!("is not UTF-8 and was read as {name}, by the letters that occur in it");
            Some(Finding::new("encoding", Weight::Doubt, text))
        }
    }
}
