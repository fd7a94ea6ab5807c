//! What to say about a file's form, and the form that comes of it: what nobody chose is as the format has it, and what does not
//! go with the format is an error.

use super::form::{FileForm, FileFormat, Lacking, LineEnd, Most, Quoting, Recipients, Separator};
use encoding_rs::{Encoding, UTF_8, UTF_16BE, UTF_16LE};
use pebblebank_table::encoding::encoding_named;
use pebblebank_table::{Error, ErrorKind, Result};

/// What to say about a file's form.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FormWishes {
    /// The format; else that of the file's name.
    pub format: Option<FileFormat>,
    /// Whether the first row names the columns.
    pub header: Option<bool>,
    /// Between cells.
    pub delimiter: Option<u8>,
    /// Which cells stand in quotes.
    pub quoting: Option<Quoting>,
    /// What ends a line.
    pub line_end: Option<LineEnd>,
    /// The encoding.
    pub encoding: Option<&'static Encoding>,
    /// What happens to characters that the encoding lacks.
    pub lacking: Option<Lacking>,
    /// Whether there is a byte order mark.
    pub byte_order_mark: Option<bool>,
    /// How much a file may hold.
    pub most: Most,
    /// What stands between recipients.
    pub separator: Option<Separator>,
    /// How many recipients are in a line.
    pub most_per_line: Option<u64>,
}

impl FormWishes {
    /// The form of a file of this format.
    ///
    /// # Errors
    ///
    /// Where something is said that the format does not have.
    pub fn form(&self, format: FileFormat) -> Result<FileForm> {
        let of_format = FileForm::of(format);
        let name = format.name();
        let refused =
            |what: &str, advice: &str| Err(Error::new(ErrorKind::Job, format!("{name} has no {what}"), advice));
        let of_delimited = [
            (self.delimiter.is_some(), "delimiter of its own choice"),
            (self.quoting.is_some(), "quoting"),
            (self.encoding.is_some_and(|encoding| encoding != UTF_8), "encoding but UTF-8"),
            (self.lacking.is_some(), "characters that it lacks"),
            (self.byte_order_mark == Some(true), "byte order mark"),
        ];
        if !format.is_delimited()
            && let Some((_, what)) = of_delimited.into_iter().find(|(is_said, _)| *is_said)
        {
            return refused(what, "take the key out, or write csv");
        }
        if format == FileFormat::Xlsx && self.line_end.is_some() {
            return refused("line ends", "take line_end out, or write csv");
        }
        if format != FileFormat::RecipientLine && (self.separator.is_some() || self.most_per_line.is_some()) {
            return refused("recipients to part", "take separator and per_line out, or write recipient-line");
        }
        if format == FileFormat::Jsonl && self.header == Some(false) {
            return refused("rows without the names of their columns", "take header out, or write csv");
        }
        if format == FileFormat::RecipientLine && self.header == Some(true) {
            return refused("header", "take header out, or write csv");
        }
        if format == FileFormat::Tsv && self.delimiter.is_some_and(|delimiter| delimiter != b'\t') {
            return refused("delimiter but tabs", "write csv, which may have any");
        }
        if format == FileFormat::Xlsx && self.most.bytes.is_some() {
            return refused("size that is known before it is packed", "say most_rows");
        }
        let encoding = self.encoding.unwrap_or(UTF_8);
        let is_unicode = encoding == UTF_8 || encoding == UTF_16LE || encoding == UTF_16BE;
        if !is_unicode && self.byte_order_mark == Some(true) {
            let what = format!("{} has no byte order mark", encoding.name());
            return Err(Error::new(ErrorKind::Job, what, "take byte_order_mark out"));
        }
        if self.separator == Some(Separator::Line) && self.most_per_line.is_some_and(|most| most != 1) {
            let what = "one recipient stands in each line, and per_line says another number";
            return Err(Error::new(ErrorKind::Job, what, "take one of them out"));
        }
        Ok(FileForm {
            has_header: self.header.unwrap_or(of_format.has_header),
            delimiter: self.delimiter.unwrap_or(of_format.delimiter),
            quoting: self.quoting.unwrap_or_default(),
            line_end: self.line_end.unwrap_or_default(),
            encoding,
            lacking: self.lacking.unwrap_or_default(),
            // Without one, readers do not tell UTF-16 from other encodings.
            has_byte_order_mark: self.byte_order_mark.unwrap_or(is_unicode && encoding != UTF_8),
            most: self.most,
            recipients: Recipients { separator: self.separator.unwrap_or_default(), most_per_line: self.most_per_line },
            ..of_format
        })
    }
}

/// The delimiter of this name or sign.
pub fn delimiter(text: &str) -> Result<u8> {
    let sign = match text {
        "tab" => "\t",
        "comma" => ",",
        "semicolon" => ";",
        "pipe" => "|",
        sign => sign,
    };
    match sign.as_bytes() {
        [sign @ (b',' | b';' | b'\t' | b'|')] => Ok(*sign),
        _ => Err(Error::new(
            ErrorKind::Job,
            format!("\"{text}\" cannot part cells"),
            "write \",\", \";\", \"|\" or \"tab\"",
        )),
    }
}

/// The encoding of this name, if text can be written in it.
pub fn encoding(name: &str) -> Result<&'static Encoding> {
    let charset = encoding_named(name)?;
    // What the Encoding Standard can only decode, and code pages, are for reading alone.
    let is_written = |encoding: &&'static Encoding| {
        encoding.output_encoding() == *encoding || *encoding == UTF_16LE || *encoding == UTF_16BE
    };
    if let Some(encoding) = charset.standard().filter(is_written) {
        return Ok(encoding);
    }
    let what = format!("nothing can be written in {}", charset.name());
    Err(Error::new(ErrorKind::Job, what, "write \"utf-8\", \"utf-16le\", \"windows-1252\" or the like"))
}
