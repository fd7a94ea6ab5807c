//! A file to be read, found, looked at, and opened as often as needed.
//!
//! What cannot be read twice (standard input, a pipe) is copied once into a nameless file that only
//! its owner may read and that is gone when the program ends.

use super::chunk::CHUNK_BYTES;
use super::encoding::{Knowledge, decode_sample, recognise_encoding};
use crate::error::{Error, ErrorKind, Result};
use crate::observe::Observer;
use encoding_rs::Encoding;
use memchr::memchr;
use std::fs::File;
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// How much of a file is looked at to recognise it.
pub const SAMPLE_BYTES: u64 = 1 << 20;

/// The name under which standard input goes.
pub const STDIN_NAME: &str = "-";

/// A file that is to be opened.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FoundFile {
    /// Where it is.
    pub path: PathBuf,
    /// As receipts and tables name it.
    pub shown: String,
}

/// A file to be read, more than once.
#[derive(Debug)]
pub struct Input {
    path: PathBuf,
    shown: String,
    content: Content,
    /// Its size when it was opened first.
    pub bytes: u64,
}

#[derive(Debug)]
enum Content {
    File(same_file::Handle),
    Spooled(File),
}

impl Input {
    /// Opens the file at `path`; `-` is standard input. What must be spooled goes into `spool_folder`.
    pub fn open(found: &FoundFile, spool_folder: &Path, observer: &dyn Observer) -> Result<Input> {
        let path = found.path.as_path();
        if path.as_os_str() == STDIN_NAME {
            return Input::spool(found, std::io::stdin().lock(), spool_folder, observer);
        }
        let fail = |cause: std::io::Error| Error::unreadable(path, &cause);
        let metadata = std::fs::metadata(path).map_err(fail)?;
        if metadata.is_dir() {
            return Err(fail(std::io::ErrorKind::IsADirectory.into()));
        }
        let file = File::open(path).map_err(fail)?;
        if !metadata.is_file() {
            return Input::spool(found, file, spool_folder, observer);
        }
        let handle = same_file::Handle::from_file(file).map_err(fail)?;
        let content = Content::File(handle);
        Ok(Input { path: path.to_path_buf(), shown: found.shown.clone(), content, bytes: metadata.len() })
    }

    fn spool(found: &FoundFile, mut from: impl Read, folder: &Path, observer: &dyn Observer) -> Result<Input> {
        let spool_failed = |cause: std::io::Error| Error::unwritable(folder, &cause);
        let mut spool = tempfile::tempfile_in(folder).map_err(spool_failed)?;
        let mut buffer = vec![0; CHUNK_BYTES];
        let mut bytes = 0;
        loop {
            if observer.wants_stop() {
                return Err(Error::interrupted());
            }
            match from.read(&mut buffer) {
                Ok(0) => break,
                Ok(count) => {
                    spool.write_all(&buffer[..count]).map_err(spool_failed)?;
                    bytes += count as u64;
                }
                Err(cause) if cause.kind() == std::io::ErrorKind::Interrupted => {}
                Err(cause) => return Err(Error::unreadable(&found.path, &cause)),
            }
        }
        let content = Content::Spooled(spool);
        Ok(Input { path: found.path.clone(), shown: found.shown.clone(), content, bytes })
    }

    /// The path as the user gave it.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// As receipts and tables name it.
    pub fn name(&self) -> String {
        self.shown.clone()
    }

    /// Whether `path`, by whatever spelling or link, leads to this file.
    pub fn is_at(&self, path: &Path) -> bool {
        match &self.content {
            Content::File(handle) => same_file::Handle::from_path(path).is_ok_and(|other| other == *handle),
            Content::Spooled(_) => false,
        }
    }

    /// Whether both are one file, by whatever spelling or link.
    pub fn is_same_as(&self, other: &Input) -> bool {
        match (&self.content, &other.content) {
            (Content::File(this), Content::File(that)) => this == that,
            (Content::Spooled(_), Content::Spooled(_)) => self.path == other.path,
            _ => false,
        }
    }

    /// Reads from the beginning. One reader at a time.
    pub fn reader(&self) -> Result<File> {
        let fail = |cause: std::io::Error| Error::unreadable(&self.path, &cause);
        match &self.content {
            Content::File(handle) => {
                let file = File::open(&self.path).map_err(fail)?;
                let reopened = same_file::Handle::from_file(file.try_clone().map_err(fail)?).map_err(fail)?;
                if reopened != *handle {
                    return Err(Error::new(
                        ErrorKind::InputChanged,
                        "the file was replaced while it was being read",
                        "wait until whatever writes it has finished, then start again",
                    )
                    .in_file(&self.path));
                }
                Ok(file)
            }
            Content::Spooled(file) => {
                let mut file = file.try_clone().map_err(fail)?;
                file.seek(SeekFrom::Start(0)).map_err(fail)?;
                Ok(file)
            }
        }
    }

    /// The beginning of the file as UTF-8, without its byte order mark. `encoding` is what the job says.
    ///
    /// Fails where it is clearly not text.
    pub fn sample(&self, encoding: Option<&'static Encoding>) -> Result<Sample> {
        let mut raw = Vec::new();
        self.reader()?
            .take(SAMPLE_BYTES)
            .read_to_end(&mut raw)
            .map_err(|cause| Error::unreadable(&self.path, &cause))?;
        let is_whole = (raw.len() as u64) < SAMPLE_BYTES;
        let (encoding, knowledge) = match encoding {
            Some(encoding) => (encoding, Knowledge::Said),
            None => recognise_encoding(&raw, is_whole),
        };
        let container = container(&raw);
        let bytes = decode_sample(&raw, encoding, is_whole);
        if let Some((what, advice)) = container.or_else(|| not_text(&bytes)) {
            return Err(Error::new(ErrorKind::Input, what, advice)
                .in_file(&self.path)
                .expected("comma-, semicolon-, tab- or pipe-delimited text"));
        }
        Ok(Sample { bytes, encoding, knowledge, is_whole })
    }
}

/// The beginning of a file.
#[derive(Debug)]
pub struct Sample {
    /// Its text in UTF-8, without a byte order mark.
    pub bytes: Vec<u8>,
    /// What it is encoded in.
    pub encoding: &'static Encoding,
    /// How that is known.
    pub knowledge: Knowledge,
    /// Whether the file ends with it.
    pub is_whole: bool,
}

/// What else the file is, and what to do, where it is not text but holds some.
fn container(bytes: &[u8]) -> Option<(&'static str, &'static str)> {
    const SAVE_AS_CSV: &str = "open it with the program that made it and save it as CSV";
    let known: [(&[u8], &str, &str); 4] = [
        (b"PK\x03\x04", "this is a workbook or a zip archive, not delimited text", SAVE_AS_CSV),
        (b"\xD0\xCF\x11\xE0", "this is an old workbook, not delimited text", SAVE_AS_CSV),
        (b"\x1F\x8B", "this is a gzip archive, not delimited text", "unpack it first"),
        (b"\x28\xB5\x2F\xFD", "this is a zstd archive, not delimited text", "unpack it first"),
    ];
    let found = known.into_iter().find(|(begin, ..)| bytes.starts_with(begin));
    found.map(|(_, what, advice)| (what, advice))
}

fn not_text(text: &[u8]) -> Option<(&'static str, &'static str)> {
    memchr(0, text)
        .is_some()
        .then_some(("this is not text: it holds NUL bytes", "check that this is the export; open it to see what it is"))
}
