//! A finished file → the digest of what a reader finds in it, with the file's own delimiter, quoting and encoding. It must be
//! that of what was meant, before the file takes its name.

mod recipients;

use super::form::FileFormat;
use super::row_buffer::Shape;
use crate::input::FoundFile;
use crate::{Input, ReadWishes, prepare};
use encoding_rs::{Encoding, UTF_8};
use pebblebank_table::cell_digest::{CellDigest, RowsDigest};
use pebblebank_table::dialect::Dialect;
use pebblebank_table::encoding::{BadBytesAre, Decoding};
use pebblebank_table::in_order::in_order;
use pebblebank_table::observe::Observer;
use pebblebank_table::{Chunk, ChunkReader, Error, ErrorKind, Records, Result, cell};
use serde::de::{Deserialize, Deserializer, MapAccess, Visitor};
use std::borrow::Cow;
use std::fmt;
use std::fs::File;
use std::io::Read;
use std::path::Path;
use std::sync::Mutex;

/// How many bytes of JSON lines are parsed at once.
const BLOCK_BYTES: usize = 256 << 10;

/// A file that was written to its end.
pub struct Finished<'a> {
    /// Where it lies.
    pub path: &'a Path,
    /// Where it will be.
    pub shown: &'a Path,
    /// How many rows it has, without the header.
    pub rows: u64,
    /// How many sheets.
    pub sheets: usize,
    /// Its form and columns.
    pub shape: &'a Shape,
}

/// The error where a reader finds something else in a file than was meant.
pub fn differs(file: &Path, meant: u64, found: u64) -> Error {
    let what = if meant == found {
        format!("read again, the file has other values than were meant, in {found} rows")
    } else {
        format!("read again, the file has {found} rows, and {meant} were meant, the header included")
    };
    let advice = "nothing was put in place; write it in another format, or take out what a reader would take otherwise: \
                  very long cells with line ends, characters that the encoding lacks";
    Error::new(ErrorKind::Output, what, advice).in_file(file)
}

/// The digest of all rows that a reader finds, headers included.
pub fn digest(file: &Finished, folder: &Path, threads: usize, observer: &dyn Observer) -> Result<RowsDigest> {
    match file.shape.form.format {
        FileFormat::Csv | FileFormat::Tsv => of_delimited(file, threads, observer),
        FileFormat::Jsonl => of_json_lines(file, threads, observer),
        FileFormat::RecipientLine => of_recipients(file, threads, observer),
        FileFormat::Xlsx => of_workbook(file, folder, observer),
    }
}

fn open(file: &Finished) -> Result<File> {
    File::open(file.path).map_err(|cause| Error::unreadable(file.shown, &cause))
}

fn go_on(observer: &dyn Observer) -> Result<()> {
    if observer.wants_stop() { Err(Error::interrupted()) } else { Ok(()) }
}

fn of_delimited(file: &Finished, threads: usize, observer: &dyn Observer) -> Result<RowsDigest> {
    let form = &file.shape.form;
    let text = DelimitedText {
        path: file.path,
        shown: file.shown,
        encoding: form.encoding,
        dialect: Dialect { delimiter: form.delimiter, line_end: b'\n' },
    };
    text.digest(threads, observer)
}

/// A file of delimited text, in whatever form.
#[derive(Debug, Clone, Copy)]
pub struct DelimitedText<'a> {
    /// Where it lies.
    pub path: &'a Path,
    /// What it is called in errors.
    pub shown: &'a Path,
    /// Its encoding.
    pub encoding: &'static Encoding,
    /// Its delimiter and line end.
    pub dialect: Dialect,
}

impl DelimitedText<'_> {
    /// The digest of all records that a reader finds, headers and other lines included.
    pub fn digest(&self, threads: usize, observer: &dyn Observer) -> Result<RowsDigest> {
        let DelimitedText { path, shown, encoding, dialect } = *self;
        let opened = File::open(path).map_err(|cause| Error::unreadable(shown, &cause))?;
        if encoding == UTF_8 {
            return of_chunks(ChunkReader::new(opened, shown, dialect, false), dialect, threads, observer);
        }
        let decoded = Decoding::new(opened, encoding.into(), BadBytesAre::Errors, false);
        of_chunks(ChunkReader::new(decoded, shown, dialect, false), dialect, threads, observer)
    }
}

fn of_chunks(
    mut reader: ChunkReader<impl Read + Send>,
    dialect: Dialect,
    threads: usize,
    observer: &dyn Observer,
) -> Result<RowsDigest> {
    let mut sum = RowsDigest::default();
    let pool: Mutex<Vec<Vec<u8>>> = Mutex::default();
    let spare = || pool.lock().ok().and_then(|mut pool| pool.pop()).unwrap_or_default();
    in_order(
        threads,
        || {
            go_on(observer)?;
            reader.next_chunk(spare())
        },
        Records::default,
        |chunk: Chunk, records| {
            records.split(&chunk, dialect);
            let mut digest = CellDigest::default();
            for index in 0..records.len() {
                for raw in records.get(index, &chunk.bytes, dialect).raw_cells() {
                    digest.cell(&cell::value(raw));
                }
                digest.end_row();
            }
            if let Ok(mut pool) = pool.lock() {
                pool.push(chunk.bytes);
            }
            Ok(digest.sum())
        },
        |digest| {
            sum.add(digest);
            Ok(())
        },
    )?;
    Ok(sum)
}

/// The next bytes of a text, up to where it can be split; what stands behind that waits in `rest`. None at the end.
fn next_block(
    text: &mut File,
    rest: &mut Vec<u8>,
    end: impl Fn(&[u8]) -> Option<usize>,
) -> std::io::Result<Option<Vec<u8>>> {
    let mut block = std::mem::take(rest);
    loop {
        let is_end = text.take(BLOCK_BYTES as u64).read_to_end(&mut block)? < BLOCK_BYTES;
        if let Some(whole) = if is_end { Some(block.len()) } else { end(&block) } {
            *rest = block.split_off(whole);
            return Ok((!block.is_empty()).then_some(block));
        }
    }
}

/// The columns and values of one object, in the order in which they stand.
struct Object<'a>(Vec<(Cow<'a, str>, Cow<'a, str>)>);

impl<'de> Deserialize<'de> for Object<'de> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> std::result::Result<Object<'de>, D::Error> {
        struct Members;
        impl<'de> Visitor<'de> for Members {
            type Value = Object<'de>;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("an object")
            }

            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> std::result::Result<Object<'de>, A::Error> {
                let mut members = Vec::new();
                while let Some((Text(name), Text(value))) = map.next_entry()? {
                    members.push((name, value));
                }
                Ok(Object(members))
            }
        }
        deserializer.deserialize_map(Members)
    }
}

/// A string, borrowed where nothing in it is escaped.
struct Text<'a>(Cow<'a, str>);

impl<'de> Deserialize<'de> for Text<'de> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> std::result::Result<Text<'de>, D::Error> {
        struct Characters;
        impl<'de> Visitor<'de> for Characters {
            type Value = Text<'de>;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a string")
            }

            fn visit_borrowed_str<E>(self, text: &'de str) -> std::result::Result<Text<'de>, E> {
                Ok(Text(Cow::Borrowed(text)))
            }

            fn visit_str<E>(self, text: &str) -> std::result::Result<Text<'de>, E> {
                Ok(Text(Cow::Owned(text.to_owned())))
            }
        }
        deserializer.deserialize_str(Characters)
    }
}

/// The values of an object whose members are just these names and strings without any escape, as most are; whether it is one.
fn plain_values<'a>(line: &'a [u8], names: &[Vec<u8>], values: &mut Vec<&'a [u8]>) -> bool {
    values.clear();
    let mut rest = line.trim_ascii_end();
    for (place, name) in names.iter().enumerate() {
        let between: &[u8] = if place == 0 { b"{" } else { b"," };
        let begin = rest.strip_prefix(between).and_then(|rest| rest.strip_prefix(name.as_slice()));
        let Some(begin) = begin.and_then(|rest| rest.strip_prefix(b":\"")) else { return false };
        let Some(end) = memchr::memchr2(b'"', b'\\', begin) else { return false };
        let (value, after) = begin.split_at(end);
        if after[0] != b'"' || value.iter().any(|byte| *byte < b' ') {
            return false;
        }
        values.push(value);
        rest = &after[1..];
    }
    rest == b"}"
}

fn of_json_lines(file: &Finished, threads: usize, observer: &dyn Observer) -> Result<RowsDigest> {
    let mut opened = open(file)?;
    let mut rest = Vec::new();
    let columns = &file.shape.columns;
    let odd = || differs(file.shown, file.rows, 0);
    let mut sum = RowsDigest::default();
    let blocks = || -> Result<Option<Vec<u8>>> {
        go_on(observer)?;
        next_block(&mut opened, &mut rest, |block| memchr::memrchr(b'\n', block).map(|last| last + 1))
            .map_err(|cause| Error::unreadable(file.shown, &cause))
    };
    in_order(
        threads,
        blocks,
        || (),
        |block: Vec<u8>, ()| {
            let mut digest = CellDigest::default();
            let is_text = std::str::from_utf8(&block).is_ok();
            let mut values = Vec::new();
            for line in block.split(|byte| *byte == b'\n').filter(|line| !line.trim_ascii().is_empty()) {
                if is_text && plain_values(line, &file.shape.json_names, &mut values) {
                    for value in &values {
                        digest.cell(value);
                    }
                    digest.end_row();
                    continue;
                }
                let Object(members) = serde_json::from_slice(line).map_err(|_| odd())?;
                let is_whole = members.len() == columns.len()
                    && members.iter().zip(columns).all(|((name, _), column)| name == column);
                if !is_whole {
                    return Err(odd());
                }
                for (_, value) in &members {
                    digest.cell(value.as_bytes());
                }
                digest.end_row();
            }
            Ok(digest.sum())
        },
        |digest| {
            sum.add(digest);
            Ok(())
        },
    )?;
    Ok(sum)
}

fn of_recipients(file: &Finished, threads: usize, observer: &dyn Observer) -> Result<RowsDigest> {
    let mut opened = open(file)?;
    let mut rest = Vec::new();
    let mut sum = RowsDigest::default();
    let has_names = file.shape.columns.len() > 1;
    let blocks = || -> Result<Option<Vec<u8>>> {
        go_on(observer)?;
        next_block(&mut opened, &mut rest, recipients::end).map_err(|cause| Error::unreadable(file.shown, &cause))
    };
    in_order(
        threads,
        blocks,
        || (),
        |block: Vec<u8>, ()| recipients::digest(&block, has_names),
        |digest| {
            sum.add(digest);
            Ok(())
        },
    )?;
    Ok(sum)
}

fn of_workbook(file: &Finished, folder: &Path, observer: &dyn Observer) -> Result<RowsDigest> {
    let mut sum = RowsDigest::default();
    for sheet in 1..=file.sheets {
        let found = FoundFile { path: file.path.to_path_buf(), member: None, shown: file.shown.display().to_string() };
        let inputs = Input::open(&found, folder, observer)?;
        let wishes = ReadWishes { sheet: Some(sheet.to_string()), ..ReadWishes::default() };
        for input in inputs {
            let prepared = prepare(input, &wishes, &|_| 0, folder, observer)?;
            let reader = ChunkReader::new(prepared.input.reader()?, file.shown, Dialect::COMMA, false);
            sum.add(of_sheet_rows(reader, observer)?);
        }
    }
    Ok(sum)
}

/// Blank cells at the end of a row, and rows of blank cells, do not count: a sheet does not keep them.
fn of_sheet_rows(mut reader: ChunkReader<impl Read>, observer: &dyn Observer) -> Result<RowsDigest> {
    let mut records = Records::default();
    let mut digest = CellDigest::default();
    let mut buffer = Vec::new();
    let mut values: Vec<Vec<u8>> = Vec::new();
    loop {
        go_on(observer)?;
        let Some(chunk) = reader.next_chunk(buffer)? else { return Ok(digest.sum()) };
        records.split(&chunk, Dialect::COMMA);
        for index in 0..records.len() {
            values.clear();
            let record = records.get(index, &chunk.bytes, Dialect::COMMA);
            values.extend(record.raw_cells().map(|raw| cell::value(raw).into_owned()));
            let filled = values.iter().rposition(|value| !value.is_empty()).map_or(0, |last| last + 1);
            if filled > 0 {
                values[..filled].iter().for_each(|value| digest.cell(value));
                digest.end_row();
            }
        }
        buffer = chunk.bytes;
    }
}
