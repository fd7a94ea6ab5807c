//! The form of a file that is written: its format, and how rows, cells and characters stand in it.

use encoding_rs::{Encoding, UTF_8, UTF_16BE, UTF_16LE};
use pebblebank_table::{Error, ErrorKind, Result};
use std::path::Path;

/// The form of a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileForm {
    /// The format.
    pub format: FileFormat,
    /// Whether the first row names the columns. JSON lines name them in every row, recipient lines nowhere.
    pub has_header: bool,
    /// Between cells; for delimited text.
    pub delimiter: u8,
    /// Which cells stand in quotes; for delimited text.
    pub quoting: Quoting,
    /// What ends a line of text.
    pub line_end: LineEnd,
    /// The encoding of delimited text.
    pub encoding: &'static Encoding,
    /// What happens to characters that the encoding lacks.
    pub lacking: Lacking,
    /// Whether delimited text begins with a byte order mark (U+FEFF).
    pub has_byte_order_mark: bool,
    /// How much a file may hold; what is more goes into further files with numbered names.
    pub most: Most,
    /// How recipients are split; for recipient lines.
    pub recipients: Recipients,
}

/// The format of a file that is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, strum::IntoStaticStr, strum::EnumString, strum::VariantArray)]
#[strum(serialize_all = "kebab-case")]
pub enum FileFormat {
    /// Delimited text, with commas by default.
    Csv,
    /// Delimited text with tabs.
    Tsv,
    /// An Office Open XML workbook (ECMA-376).
    Xlsx,
    /// A JSON object a line.
    Jsonl,
    /// Addresses for a recipients' line (RFC 5322, section 3.4).
    RecipientLine,
}

/// Which cells stand in quotes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Quoting {
    /// Those that need them.
    #[default]
    Needed,
    /// All.
    All,
}

/// What ends a line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum LineEnd {
    /// A line feed.
    #[default]
    Lf,
    /// A carriage return and a line feed.
    CrLf,
}

impl LineEnd {
    /// Its bytes.
    pub fn bytes(self) -> &'static [u8] {
        match self {
            LineEnd::Lf => b"\n",
            LineEnd::CrLf => b"\r\n",
        }
    }
}

/// What happens to characters that an encoding lacks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Lacking {
    /// The row is not written.
    #[default]
    SetAside,
    /// The nearest characters that the encoding has are written; a row with one that has none near is not written, and
    /// neither is an address that would change.
    Nearest,
}

/// How much a file may hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Most {
    /// Rows, without the header.
    pub rows: Option<u64>,
    /// Bytes, with the header.
    pub bytes: Option<u64>,
}

impl Most {
    /// Whether there is a limit.
    pub fn is_any(self) -> bool {
        self.rows.is_some() || self.bytes.is_some()
    }
}

/// How recipients are split.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Recipients {
    /// What stands between two.
    pub separator: Separator,
    /// How many stand in one line at most; none for all.
    pub most_per_line: Option<u64>,
}

/// What stands between two recipients.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Separator {
    /// A comma and a space.
    #[default]
    Comma,
    /// A semicolon and a space.
    Semicolon,
    /// A line end: one recipient a line.
    Line,
}

impl Default for FileForm {
    /// CSV as RFC 4180 has it, with line feeds, in UTF-8.
    fn default() -> FileForm {
        FileForm {
            format: FileFormat::Csv,
            has_header: true,
            delimiter: b',',
            quoting: Quoting::Needed,
            line_end: LineEnd::Lf,
            encoding: UTF_8,
            lacking: Lacking::SetAside,
            has_byte_order_mark: false,
            most: Most::default(),
            recipients: Recipients { separator: Separator::Comma, most_per_line: None },
        }
    }
}

impl FileFormat {
    /// The name in jobs, options and messages.
    pub fn name(self) -> &'static str {
        self.into()
    }

    /// Whether it is rows of cells with a delimiter between them.
    pub fn is_delimited(self) -> bool {
        matches!(self, FileFormat::Csv | FileFormat::Tsv)
    }
}

impl FileForm {
    /// The form that a format has where nothing else is chosen.
    pub fn of(format: FileFormat) -> FileForm {
        let delimiter = if format == FileFormat::Tsv { b'\t' } else { b',' };
        FileForm { format, delimiter, has_header: format != FileFormat::RecipientLine, ..FileForm::default() }
    }

    /// Whether rows are written just as [`CsvBuffer`](pebblebank_table::CsvBuffer) has them.
    pub fn is_plain_csv(&self) -> bool {
        self.format == FileFormat::Csv
            && self.delimiter == b','
            && self.quoting == Quoting::Needed
            && self.line_end == LineEnd::Lf
            && self.encoding == UTF_8
            && !self.most.is_any()
    }

    /// What a file begins with, before its header.
    pub fn first_bytes(&self) -> &'static [u8] {
        match (self.has_byte_order_mark && self.format.is_delimited(), self.encoding) {
            (false, _) => b"",
            (true, encoding) if encoding == UTF_16LE => b"\xFF\xFE",
            (true, encoding) if encoding == UTF_16BE => b"\xFE\xFF",
            (true, _) => b"\xEF\xBB\xBF",
        }
    }
}

/// The format that the ending of a file's name asks for; none where it says nothing.
///
/// # Errors
///
/// Where the ending is that of a format that is not written, or may be several.
///
/// ```
/// use pebblebank_formats::writing::form::{FileFormat, format_of_name};
/// let of = |name: &str| format_of_name(name.as_ref());
/// assert_eq!(of("spring.XLSX").unwrap(), Some(FileFormat::Xlsx));
/// assert_eq!(of("spring").unwrap(), None);
/// assert!(of("spring.ods").is_err() && of("spring.txt").is_err());
/// ```
pub fn format_of_name(name: &Path) -> Result<Option<FileFormat>> {
    let ending = name.extension().map(|ending| ending.to_string_lossy().to_lowercase()).unwrap_or_default();
    let refused = |what: &str, advice: &str| {
        Err(Error::new(ErrorKind::Job, format!("a file that ends in .{ending} {what}"), advice.to_owned())
            .in_file(name))
    };
    match ending.as_str() {
        "csv" => Ok(Some(FileFormat::Csv)),
        "tsv" | "tab" => Ok(Some(FileFormat::Tsv)),
        "xlsx" => Ok(Some(FileFormat::Xlsx)),
        "jsonl" | "ndjson" => Ok(Some(FileFormat::Jsonl)),
        "txt" | "text" => refused(
            "may be a table or a list of recipients",
            "say which: --format csv, tsv or recipient-line, in a job format = \"csv\"",
        ),
        "xls" | "xlsm" | "xlsb" | "xltx" | "ods" | "ots" | "numbers" => {
            refused("is a workbook of a kind that is not written", "name it .xlsx")
        }
        "json" => refused("is one JSON document, which is not written", "name it .jsonl, with an object a line"),
        "vcf" | "eml" | "mbox" | "pdf" | "html" | "doc" | "docx" | "zip" | "gz" | "zst" | "7z" | "rar" => {
            refused("is of a format that is not written", "name it .csv, .tsv, .xlsx or .jsonl")
        }
        _ => Ok(None),
    }
}

/// The format of a file of this name, where `said` may name one.
///
/// # Errors
///
/// Where the name and what is said contradict each other.
pub fn format_of(name: &Path, said: Option<FileFormat>) -> Result<FileFormat> {
    let is_text = |format: FileFormat| format.is_delimited() || format == FileFormat::RecipientLine;
    let ending = name.extension().map(|ending| ending.to_string_lossy().to_lowercase()).unwrap_or_default();
    let Some(said) = said else { return Ok(format_of_name(name)?.unwrap_or(FileFormat::Csv)) };
    // A .txt may hold any text, and a .csv may part its cells by tabs.
    let fits_text = matches!(ending.as_str(), "txt" | "text") && is_text(said);
    let of_name = if fits_text { None } else { format_of_name(name)? };
    let fits = of_name.is_none_or(|of_name| of_name == said || (of_name.is_delimited() && said.is_delimited()));
    if fits {
        return Ok(said);
    }
    let what = format!("the name ends in .{ending}, and the format is said to be {}", said.name());
    let advice = "give the file the ending of its format, or leave the format out";
    Err(Error::new(ErrorKind::Job, what, advice).in_file(name))
}
