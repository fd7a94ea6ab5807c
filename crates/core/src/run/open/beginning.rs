//! How the text of a file begins: what ends its lines, and whether a byte order mark stands before them.

use super::files::OpenFile;
use encoding_rs::Encoding;
use pebblebank_table::encoding::decode_sample;
use pebblebank_table::{Error, Result};

/// How the text of a file begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Beginning {
    /// What ends its first line: a line feed, a carriage return, or both.
    pub line_end: &'static str,
    /// Whether it begins with a byte order mark, which reading leaves out.
    pub has_mark: bool,
}

impl Beginning {
    /// Reads the first MiB of a file's text.
    pub fn of<Owner>(file: &OpenFile<Owner>) -> Result<Beginning> {
        let mut beginning = Vec::new();
        let read = file.input.reader()?.read_up_to(1 << 20, &mut beginning);
        read.map_err(|cause| Error::unreadable(file.input.path(), &cause))?;
        let text = String::from_utf8_lossy(&decode_sample(&beginning, file.encoding, false)).into_owned();
        let line_end = match (file.dialect.line_end, text.find('\n')) {
            (b'\r', _) => "\r",
            (_, Some(at)) if text[..at].ends_with('\r') => "\r\n",
            _ => "\n",
        };
        Ok(Beginning { line_end, has_mark: Encoding::for_bom(&beginning).is_some() })
    }
}
