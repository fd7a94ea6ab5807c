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
    /// The line before ended with a carriage return: a line feed that follows is part of its end.
    follows_return: bool,
}

impl<R: Read> TextLines<R> {
    /// Lines of what `reader` gives.
    pub fn new(input: R, path: &Path) -> Self {
        let input = BufReader::with_capacity(64 << 10, input);
        TextLines { input, path: path.to_path_buf(), line: 0, follows_return: false }
    }

    /// The next line without its end, into `line`; `false` at the end of the text. A line ends with a line feed, a carriage
    /// return, or both.
    pub fn next(&mut self, line: &mut Vec<u8>) -> Result<bool> {
        line.clear();
        let mut is_there = false;
        self.line += 1;
        loop {
            let mut bytes = self.input.fill_buf().map_err(|cause| unreadable(&self.path, &cause))?;
            if bytes.is_empty() {
                break;
            }
            if std::mem::take(&mut self.follows_return) && bytes[0] == b'\n' {
                self.input.consume(1);
                continue;
            }
            is_there = true;
            let end = memchr::memchr2(b'\n', b'\r', bytes);
            bytes = &bytes[..end.unwrap_or(bytes.len())];
            line.extend_from_slice(bytes);
            let taken = bytes.len();
            if let Some(end) = end {
                self.follows_return = self.input.buffer()[end] == b'\r';
                self.input.consume(end + 1);
                break;
            }
            self.input.consume(taken);
            if line.len() > MAX_RECORD_BYTES {
                break;
            }
        }
        if line.len() > MAX_RECORD_BYTES {
            return Err(Error::new(
                ErrorKind::Input,
                format!("a line is longer than {} MiB", MAX_RECORD_BYTES >> 20),
                "open the file in a text editor to see what it is, and export it again",
            )
            .in_file(&self.path)
            .at_row(RowNumber(self.line)));
        }
        Ok(is_there)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::line_feeds("a\nb\n", &["a", "b"])]
    #[case::both("a\r\nb\r\n", &["a", "b"])]
    #[case::carriage_returns("a\rb", &["a", "b"])]
    #[case::an_empty_line("a\n\nb", &["a", "", "b"])]
    #[case::ends_that_come_twice("a\r\r\nb", &["a", "", "b"])]
    #[case::nothing("", &[])]
    #[case::an_end_alone("\r\n", &[""])]
    fn a_line_ends_in_any_way(#[case] text: &str, #[case] expected: &[&str]) {
        // Whatever the pieces in which the text comes.
        for piece in 1..4 {
            let chained = text
                .as_bytes()
                .chunks(piece)
                .fold(Box::new(std::io::empty()) as Box<dyn Read>, |all, part| Box::new(all.chain(part)));
            let mut lines = TextLines::new(chained, Path::new("cards.vcf"));
            let (mut line, mut found) = (Vec::new(), Vec::new());
            while lines.next(&mut line).expect("text in memory") {
                found.push(String::from_utf8(line.clone()).expect("text"));
            }
            assert_eq!(found, expected, "pieces of {piece}");
        }
    }
}
