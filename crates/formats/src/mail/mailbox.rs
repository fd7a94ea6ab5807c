//! Messages, one after the other: a mailbox (RFC 4155) parts them by lines that begin with "From ", and has such lines of
//! the messages themselves behind a `>`. A folder of messages is read as if it were a mailbox.

use pebblebank_table::encoding::unreadable;
use pebblebank_table::{Error, Result};
use std::fs::File;
use std::io::{BufRead, BufReader, Read, Write};
use std::path::{Path, PathBuf};

/// What is longer holds attachments that nobody asks for.
const MOST_BYTES: usize = 16 << 20;

/// Messages, as they lie.
pub(super) struct Messages<R> {
    reader: BufReader<R>,
    path: PathBuf,
    line: Vec<u8>,
    is_at_end: bool,
    /// How many were longer than is read.
    pub cut: u64,
}

impl<R: Read> Messages<R> {
    pub fn new(text: R, path: &Path) -> Messages<R> {
        Messages {
            reader: BufReader::with_capacity(256 << 10, text),
            path: path.to_path_buf(),
            line: Vec::new(),
            is_at_end: false,
            cut: 0,
        }
    }

    /// The next message.
    pub fn next(&mut self) -> Result<Option<Vec<u8>>> {
        let mut message = Vec::new();
        let mut follows_blank = true;
        let mut was_cut = false;
        while !self.is_at_end {
            self.line.clear();
            // A longer line comes in pieces, of which all but the first are more than is read.
            let mut piece = self.reader.by_ref().take(MOST_BYTES as u64);
            let read = piece.read_until(b'\n', &mut self.line).map_err(|cause| unreadable(&self.path, &cause))?;
            self.is_at_end = read == 0;
            let line = self.line.as_slice();
            if line.starts_with(b"From ") && follows_blank {
                if message.iter().any(|byte: &u8| !byte.is_ascii_whitespace()) {
                    self.cut += u64::from(was_cut);
                    return Ok(Some(message));
                }
                message.clear();
                continue;
            }
            follows_blank = line.trim_ascii().is_empty();
            let quotes = line.iter().take_while(|byte| **byte == b'>').count();
            let line = if quotes > 0 && line[quotes..].starts_with(b"From ") { &line[1..] } else { line };
            if message.len() + line.len() <= MOST_BYTES {
                message.extend_from_slice(line);
            } else {
                was_cut = true;
            }
        }
        self.cut += u64::from(was_cut);
        let is_message = message.iter().any(|byte| !byte.is_ascii_whitespace());
        Ok(is_message.then_some(message))
    }
}

/// The messages of a folder, in the order of their names' bytes: its `.eml` files and the `.txt` files that begin as messages do,
/// or those of `new` and `cur` in a folder of messages as mail servers keep them.
fn messages_of(folder: &Path) -> std::io::Result<Vec<PathBuf>> {
    let mut files = Vec::new();
    let mut add = |folder: &Path, any_name: bool| -> std::io::Result<()> {
        for entry in std::fs::read_dir(folder)? {
            let path = entry?.path();
            let is_message = path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("eml"));
            let is_text = path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("txt"));
            if path.is_file() && (any_name || is_message || (is_text && begins_as_message(&path)?)) {
                files.push(path);
            }
        }
        Ok(())
    };
    add(folder, false)?;
    for own in ["cur", "new"].map(|name| folder.join(name)) {
        if own.is_dir() {
            add(&own, true)?;
        }
    }
    files.sort_by(|a, b| a.as_os_str().as_encoded_bytes().cmp(b.as_os_str().as_encoded_bytes()));
    Ok(files)
}

/// Whether a file begins with two headers of mail, so that it is no list (RFC 5322, section 2.2).
fn begins_as_message(path: &Path) -> std::io::Result<bool> {
    const BEGINNING: u64 = 4 << 10;
    const HEADERS: [&str; 9] =
        ["from", "to", "subject", "date", "return-path", "received", "message-id", "mime-version", "content-type"];
    let mut beginning = Vec::new();
    File::open(path)?.take(BEGINNING).read_to_end(&mut beginning)?;
    let beginning = String::from_utf8_lossy(&beginning);
    let head = beginning.lines().take_while(|line| !line.trim().is_empty());
    let names = head.filter_map(|line| line.split_once(':')).map(|(name, _)| name.trim().to_ascii_lowercase());
    Ok(names.filter(|name| HEADERS.contains(&name.as_str())).count() >= 2)
}

/// Whether a folder holds messages.
pub fn holds_messages(folder: &Path) -> bool {
    messages_of(folder).is_ok_and(|files| !files.is_empty())
}

/// The messages of a folder as one mailbox, in a nameless file; and its size.
pub fn folder_as_mailbox(folder: &Path, spool_folder: &Path) -> Result<(File, u64)> {
    let unwritable = |cause: std::io::Error| Error::unwritable(spool_folder, &cause);
    let mut spool = tempfile::tempfile_in(spool_folder).map_err(unwritable)?;
    let mut bytes = 0;
    for path in messages_of(folder).map_err(|cause| Error::unreadable(folder, &cause))? {
        let file = File::open(&path).map_err(|cause| Error::unreadable(&path, &cause))?;
        let mut message = Vec::new();
        file.take(MOST_BYTES as u64).read_to_end(&mut message).map_err(|cause| Error::unreadable(&path, &cause))?;
        let mut text = b"From -\n".to_vec();
        for line in message.split_inclusive(|byte| *byte == b'\n') {
            if line.trim_ascii_start().starts_with(b"From ") || line.starts_with(b">") {
                let quotes = line.iter().take_while(|byte| **byte == b'>').count();
                if line[quotes..].starts_with(b"From ") {
                    text.push(b'>');
                }
            }
            text.extend_from_slice(line);
        }
        text.extend_from_slice(b"\n\n");
        spool.write_all(&text).map_err(unwritable)?;
        bytes += text.len() as u64;
    }
    Ok((spool, bytes))
}
