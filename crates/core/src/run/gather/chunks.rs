//! The chunks of all files, one after the other, in buffers that are used again.

use crate::run::open::files::OpenFile;
use encoding_rs::UTF_8;
use pebblebank_formats::Input;
use pebblebank_formats::input::InputReader;
use pebblebank_table::encoding::{BadBytesAre, Decoding};
use pebblebank_table::observe::{Met, Observer, Progress, Stage};
use pebblebank_table::unescape::Unescaping;
use pebblebank_table::units::{FileId, RowId};
use pebblebank_table::{Chunk, ChunkReader, Error, ErrorKind, Result, Shape};
use std::sync::{Arc, Mutex};

/// Buffers that wait to be used again.
type Pool = Arc<Mutex<Vec<Vec<u8>>>>;

/// Where the records of a chunk are among all.
#[derive(Debug, Clone, Copy)]
pub struct ChunkPlace {
    /// The file that it belongs to.
    pub file: FileId,
    /// The first record.
    pub first: RowId,
    /// How many there are.
    pub records: u32,
    /// How many bytes it has.
    pub bytes: u32,
    /// What must be minded when it is split.
    pub shape: Shape,
    /// What its bytes must still be when they are read again.
    pub checksum: u64,
}

/// A chunk to work on.
pub(crate) struct ChunkJob {
    /// The file that it belongs to.
    pub file: FileId,
    /// Its place among all chunks of this reading.
    pub index: usize,
    /// The records.
    pub chunk: Chunk,
    pool: Pool,
}

impl ChunkJob {
    /// Hands the buffer back.
    pub fn give_back(self) {
        self.pool.lock().expect("no thread panics while it holds the pool").push(self.chunk.bytes);
    }
}

/// Text in UTF-8 as it lies, or text that is decoded or unescaped on the way.
enum TextReader {
    AsItLies(Box<ChunkReader<InputReader>>),
    Decoded(Box<ChunkReader<Unescaping<Decoding<InputReader>>>>),
}

impl TextReader {
    fn new<Owner>(input: InputReader, file: &OpenFile<Owner>, fingerprint: bool) -> TextReader {
        let (path, dialect) = (file.input.path(), file.dialect);
        let fingerprint = fingerprint && file.input.fingerprint().is_none();
        if file.encoding == UTF_8 && file.bad_bytes == BadBytesAre::Errors && !file.oddities.is_any() {
            return TextReader::AsItLies(Box::new(
                ChunkReader::new(input, path, dialect, fingerprint).reading_by(InputReader::read_up_to),
            ));
        }
        let decoding = Decoding::new(input, file.encoding, file.bad_bytes, fingerprint);
        let unescaping = Unescaping::new(decoding, file.oddities);
        TextReader::Decoded(Box::new(ChunkReader::new(unescaping, path, dialect, false)))
    }

    fn next_chunk(&mut self, buffer: Vec<u8>) -> Result<Option<Chunk>> {
        match self {
            TextReader::AsItLies(reader) => reader.next_chunk(buffer),
            TextReader::Decoded(reader) => reader.next_chunk(buffer),
        }
    }

    fn same_chunk(&mut self, buffer: Vec<u8>, place: &ChunkPlace) -> Result<Chunk> {
        let bytes = place.bytes as usize;
        match self {
            TextReader::AsItLies(reader) => reader.same_chunk(buffer, bytes, place.shape),
            TextReader::Decoded(reader) => reader.same_chunk(buffer, bytes, place.shape),
        }
    }

    /// Bytes of the file as they lie there, not of its text.
    fn bytes_read(&self) -> u64 {
        match self {
            TextReader::AsItLies(reader) => reader.input().packed_bytes_read().unwrap_or_else(|| reader.bytes_read()),
            TextReader::Decoded(reader) => {
                let decoding = reader.input().input();
                decoding.input().packed_bytes_read().unwrap_or_else(|| decoding.bytes_read())
            }
        }
    }

    fn read_of(&self, input: &Input) -> FileRead {
        let (fingerprint, replaced) = match self {
            TextReader::AsItLies(reader) => (reader.fingerprint(), Met::default()),
            TextReader::Decoded(reader) => {
                let decoding = reader.input().input();
                (decoding.fingerprint(), decoding.replaced().clone())
            }
        };
        let fingerprint = input.fingerprint().map(str::to_owned).or(fingerprint).unwrap_or_default();
        FileRead { fingerprint, replaced }
    }
}

/// What is known of a file once it has been read to its end.
#[derive(Debug, Clone, Default)]
pub(crate) struct FileRead {
    /// The BLAKE3 of what the user handed over, unpacked.
    pub fingerprint: String,
    /// Characters that were replaced, by their lines.
    pub replaced: Met,
}

/// Reads files one after the other.
pub(crate) struct Reading<'a, Owner> {
    files: &'a [OpenFile<Owner>],
    at: usize,
    reader: Option<TextReader>,
    /// The files that were read to their end.
    files_read: Vec<FileRead>,
    /// What an earlier reading found, in a second one.
    earlier: Option<&'a [ChunkPlace]>,
    chunks: usize,
    pool: Pool,
    observer: &'a dyn Observer,
    progress: Progress,
    bytes_before: u64,
}

impl<'a, Owner> Reading<'a, Owner> {
    /// Reads `files` for the first time, so that their fingerprints are wanted.
    pub fn new(files: &'a [OpenFile<Owner>], stage: Stage, observer: &'a dyn Observer) -> Self {
        Reading {
            files,
            at: 0,
            reader: None,
            files_read: Vec::new(),
            earlier: None,
            chunks: 0,
            pool: Pool::default(),
            observer,
            progress: Progress {
                stage,
                bytes: 0,
                bytes_in_all: files.iter().map(|file| file.input.bytes).sum(),
                rows: 0,
            },
            bytes_before: 0,
        }
    }

    /// Reads `files` again, in the chunks that a first reading found.
    pub fn again(
        files: &'a [OpenFile<Owner>],
        earlier: &'a [ChunkPlace],
        stage: Stage,
        observer: &'a dyn Observer,
    ) -> Self {
        Reading { earlier: Some(earlier), ..Reading::new(files, stage, observer) }
    }

    /// The next chunk; none after the last file's last.
    pub fn next(&mut self) -> Result<Option<ChunkJob>> {
        if self.observer.wants_stop() {
            return Err(Error::interrupted());
        }
        while self.at < self.files.len() {
            let file = &self.files[self.at];
            let reader = match &mut self.reader {
                Some(reader) => reader,
                none => {
                    let input = file.input.reader()?;
                    none.insert(TextReader::new(input, file, self.earlier.is_none()))
                }
            };
            let buffer = self.pool.lock().expect("no thread panics while it holds the pool").pop().unwrap_or_default();
            let chunk = match self.earlier {
                None => reader.next_chunk(buffer)?,
                Some(earlier) => match earlier.get(self.chunks) {
                    Some(place) if place.file == file.id => Some(reader.same_chunk(buffer, place)?),
                    _ => reader.next_chunk(buffer)?,
                },
            };
            if let Some(chunk) = chunk {
                self.progress.bytes = self.bytes_before + reader.bytes_read();
                self.observer.progress(self.progress);
                self.chunks += 1;
                return Ok(Some(ChunkJob {
                    file: file.id,
                    index: self.chunks - 1,
                    chunk,
                    pool: Arc::clone(&self.pool),
                }));
            }
            self.bytes_before += reader.bytes_read();
            self.files_read.push(reader.read_of(&file.input));
            self.reader = None;
            self.at += 1;
        }
        Ok(None)
    }

    /// What is known of each file, after its last chunk in a first reading.
    pub fn files_read(self) -> Vec<FileRead> {
        self.files_read
    }
}

/// The error where a file is no longer what it was.
pub(crate) fn changed(file: &std::path::Path) -> Error {
    Error::new(
        ErrorKind::InputChanged,
        "the file changed while it was being read",
        "wait until whatever writes it has finished, then start again; nothing was put in place",
    )
    .in_file(file)
}
