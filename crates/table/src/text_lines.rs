//! Lines of text that is not delimited, none longer than a record may be.

use crate::encoding::unreadable;
use crate::record::MAX_RECORD_BYTES;
use crate::units::RowNumber;
use crate::{Error, ErrorKind, Result};
use std::io::{BufRead, BufReader, Read};
use std::path::{Path, PathBuf};

/// Reads line after line.
pub struct TextLines<R> {
    input: BufReader<R>,
    path: PathBuf,
    line: u64,
}

impl<R: Read> TextLines<R> {
    /// Lines of what `reader` gives.
    pub fn new(input: R, path: &Path) -> Self {
        TextLines { input: BufReader::with_capacity(64 << 10, input), path: path.to_path_buf(), line: 0 }
    }

    /// The next line without its end, into `line`; `false` at the end of the text.
    pub fn next(&mut self, line: &mut Vec<u8>) -> Result<bool> {
        line.clear();
        let mut limited = (&mut self.input).take(MAX_RECORD_BYTES as u64 + 1);
        let count = limited.read_until(b'\n', line).map_err(|cause| unreadable(&self.path, &cause))?;
        self.line += 1;
        if count > MAX_RECORD_BYTES {
            return Err(Error::new(
                ErrorKind::Input,
                format!("a line is longer than {} MiB", MAX_RECORD_BYTES >> 20),
                "open the file in a text editor to see what it is, and export it again",
            )
            .in_file(&self.path)
            .at_row(RowNumber(self.line)));
        }
        if line.last() == Some(&b'\n') {
            line.pop();
        }
        if line.last() == Some(&b'\r') {
            line.pop();
        }
        Ok(count > 0)
    }
}
