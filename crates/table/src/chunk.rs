//! A file → chunks that begin and end where records do.
//!
//! Where the chunks part depends on the bytes alone, so that a second reading gives the same ones.

use crate::dialect::QUOTE;
use crate::encoding::unreadable;
use crate::record::{MAX_RECORD_BYTES, RecordEnd, split_record};
use crate::scan::{Quotes, inspect_quotes};
use crate::{Dialect, Error, ErrorKind, Result};
use memchr::{memchr, memrchr};
use std::io::Read;
use std::path::{Path, PathBuf};

/// How many bytes a chunk has, unless a single record is longer.
pub const CHUNK_BYTES: usize = 256 << 10;

const BYTE_ORDER_MARK: &[u8] = b"\xEF\xBB\xBF";

/// What must be minded when a chunk is split.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shape {
    /// It holds no quote.
    Plain,
    /// All its quotes are where RFC 4180 has them.
    Quoted,
    /// Some are not: the exact way.
    Unusual,
}

/// Some whole records of one file, in its order.
#[derive(Debug)]
pub struct Chunk {
    /// The bytes; the last record has a line end even where the file's last line has none.
    pub bytes: Vec<u8>,
    /// What must be minded when it is split.
    pub shape: Shape,
    /// Whether it is the file's first.
    pub is_first: bool,
}

/// Reads a file chunk by chunk.
pub struct ChunkReader<R> {
    input: R,
    name: PathBuf,
    dialect: Dialect,
    /// Read, but belonging to the next chunk.
    rest: Vec<u8>,
    chunk_bytes: usize,
    is_begun: bool,
    at_end: bool,
    chunks: u64,
    bytes_read: u64,
    hasher: Option<blake3::Hasher>,
    read_up_to: ReadUpTo<R>,
}

/// Adds at most this many bytes to a buffer; fewer only at the end.
type ReadUpTo<R> = fn(&mut R, u64, &mut Vec<u8>) -> std::io::Result<usize>;

impl<R: Read> ChunkReader<R> {
    /// Reads `input`; `name` is for errors. With `fingerprint`, [`Self::fingerprint`] gives the BLAKE3 of all bytes.
    pub fn new(input: R, name: &Path, dialect: Dialect, fingerprint: bool) -> Self {
        ChunkReader {
            input,
            name: name.to_path_buf(),
            dialect,
            rest: Vec::new(),
            chunk_bytes: CHUNK_BYTES,
            is_begun: false,
            at_end: false,
            chunks: 0,
            bytes_read: 0,
            hasher: fingerprint.then(blake3::Hasher::new),
            read_up_to: |input, most, buffer| input.take(most).read_to_end(buffer),
        }
    }

    /// The same, reading by `read_up_to`: for a reader that can fill a buffer which was not filled with zeros before.
    #[must_use]
    pub fn reading_by(self, read_up_to: ReadUpTo<R>) -> Self {
        ChunkReader { read_up_to, ..self }
    }

    /// The same with chunks of about this many bytes, at least those of a byte order mark.
    #[must_use]
    pub fn with_chunk_bytes(self, chunk_bytes: usize) -> Self {
        ChunkReader { chunk_bytes: chunk_bytes.max(BYTE_ORDER_MARK.len()), ..self }
    }

    /// What is read from.
    pub fn input(&self) -> &R {
        &self.input
    }

    /// How many bytes were read so far.
    pub fn bytes_read(&self) -> u64 {
        self.bytes_read
    }

    /// The BLAKE3 of what was read, in hex; of the whole file once there is no next chunk.
    pub fn fingerprint(&self) -> Option<String> {
        self.hasher.as_ref().map(|hasher| hasher.finalize().to_hex().to_string())
    }

    /// The next chunk, in `buffer`, whose contents are thrown away; none at the file's end.
    pub fn next_chunk(&mut self, mut buffer: Vec<u8>) -> Result<Option<Chunk>> {
        buffer.clear();
        buffer.extend_from_slice(&self.rest);
        self.rest.clear();
        let mut wanted = self.chunk_bytes;
        loop {
            self.fill(&mut buffer, wanted)?;
            if buffer.is_empty() && self.at_end {
                return Ok(None);
            }
            if let Some((used, shape)) = self.cut(&buffer)? {
                self.rest.extend_from_slice(&buffer[used..]);
                buffer.truncate(used);
                self.chunks += 1;
                return Ok(Some(Chunk { bytes: buffer, shape, is_first: self.chunks == 1 }));
            }
            wanted = (buffer.len() * 2).max(self.chunk_bytes);
        }
    }

    /// The next `bytes` bytes, in `buffer`: a chunk as an earlier reading found it. Shorter at the file's end.
    pub fn same_chunk(&mut self, mut buffer: Vec<u8>, bytes: usize, shape: Shape) -> Result<Chunk> {
        buffer.clear();
        self.fill(&mut buffer, bytes)?;
        if buffer.len() < bytes {
            // The byte order mark was taken off, or the file's last line end was added.
            self.fill(&mut buffer, bytes)?;
        }
        self.chunks += 1;
        Ok(Chunk { bytes: buffer, shape, is_first: self.chunks == 1 })
    }

    /// Reads until there are `wanted` bytes or the file is at its end, whose last line is completed.
    fn fill(&mut self, buffer: &mut Vec<u8>, wanted: usize) -> Result<()> {
        let filled = buffer.len();
        if filled >= wanted || self.at_end {
            return Ok(());
        }
        // Room to spare, so that the end of the file is noticed without a look into a buffer of its own.
        buffer.reserve(wanted - filled + 64);
        let wanted_now = (wanted - filled) as u64;
        let read = (self.read_up_to)(&mut self.input, wanted_now, buffer);
        let count = read.map_err(|cause| unreadable(&self.name, &cause))?;
        self.at_end = (count as u64) < wanted_now;
        self.bytes_read += count as u64;
        if let Some(hasher) = &mut self.hasher {
            hasher.update(&buffer[filled..]);
        }
        if !std::mem::replace(&mut self.is_begun, true) && buffer.starts_with(BYTE_ORDER_MARK) {
            buffer.drain(..BYTE_ORDER_MARK.len());
        }
        if self.at_end && buffer.last().is_some_and(|last| *last != self.dialect.line_end) {
            buffer.push(self.dialect.line_end);
        }
        Ok(())
    }

    /// How many bytes the whole records of `bytes` take; none where more must be read first.
    fn cut(&self, bytes: &[u8]) -> Result<Option<(usize, Shape)>> {
        if memchr(QUOTE, bytes).is_none() {
            return match memrchr(self.dialect.line_end, bytes) {
                Some(last) => Ok(Some((last + 1, Shape::Plain))),
                None => self.grow(bytes),
            };
        }
        if let Quotes::Regular { end_of_last_record } = inspect_quotes(bytes, self.dialect) {
            let is_complete = end_of_last_record == bytes.len();
            if is_complete || (end_of_last_record > 0 && !self.at_end) {
                return Ok(Some((end_of_last_record, Shape::Quoted)));
            }
        }
        match self.end_of_last_record_exactly(bytes) {
            0 => self.grow(bytes),
            used => Ok(Some((used, Shape::Unusual))),
        }
    }

    fn end_of_last_record_exactly(&self, bytes: &[u8]) -> usize {
        let mut ends = Vec::new();
        let mut used = 0;
        while used < bytes.len() {
            ends.clear();
            match split_record(bytes, used, self.dialect, self.at_end, &mut ends) {
                RecordEnd::At(next) => used = next,
                RecordEnd::NeedsMore => break,
            }
        }
        used
    }

    fn grow(&self, bytes: &[u8]) -> Result<Option<(usize, Shape)>> {
        if bytes.len() <= MAX_RECORD_BYTES {
            return Ok(None);
        }
        Err(Error::new(
            ErrorKind::Input,
            format!("a single line is longer than {} MiB, so this is no table of contacts", MAX_RECORD_BYTES >> 20),
            "open the file in a text editor to see what it is, and export it again as CSV",
        )
        .in_file(&self.name))
    }
}
