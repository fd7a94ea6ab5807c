//! In what encoding a file is, and its bytes → UTF-8.
//!
//! UTF-8 passes as it is. UTF-16 is known by its byte order mark or by its zeros; what is neither is guessed
//! from the letters that occur, and said.

use crate::error::{Error, ErrorKind, closest};
use encoding_rs::{CoderResult, Decoder, DecoderResult, Encoding, UTF_8, UTF_16BE, UTF_16LE};
use std::io::Read;
use std::path::Path;

/// How an encoding came to be known.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Knowledge {
    /// The job says it.
    Said,
    /// The bytes show it: valid UTF-8, a byte order mark, the zeros of UTF-16.
    Certain,
    /// The letters that occur suggest it.
    Guessed,
}

/// The encoding of a file that begins with `sample`; `is_whole` where that is all of it.
pub fn recognise_encoding(sample: &[u8], is_whole: bool) -> (&'static Encoding, Knowledge) {
    if let Some((encoding, _)) = Encoding::for_bom(sample) {
        return (encoding, Knowledge::Certain);
    }
    if let Some(encoding) = utf_16_by_zeros(sample) {
        return (encoding, Knowledge::Certain);
    }
    match std::str::from_utf8(sample) {
        Ok(_) => return (UTF_8, Knowledge::Certain),
        // The sample may end in the middle of a character.
        Err(error) if !is_whole && error.error_len().is_none() => return (UTF_8, Knowledge::Certain),
        Err(_) => {}
    }
    let mut detector = chardetng::EncodingDetector::new(chardetng::Iso2022JpDetection::Deny);
    detector.feed(sample, is_whole);
    (detector.guess(None, chardetng::Utf8Detection::Deny), Knowledge::Guessed)
}

/// Text of mostly Latin letters has a zero in every second byte of UTF-16.
fn utf_16_by_zeros(sample: &[u8]) -> Option<&'static Encoding> {
    const ENOUGH: usize = 4 << 10;
    let sample = &sample[..sample.len().min(ENOUGH)];
    let pairs = (sample.len() / 2).max(1);
    let zeros = |offset: usize| sample.iter().skip(offset).step_by(2).filter(|byte| **byte == 0).count();
    let is_most = |count: usize| count * 10 > pairs * 4;
    let is_rare = |count: usize| count * 50 < pairs;
    match (zeros(0), zeros(1)) {
        (even, odd) if is_most(odd) && is_rare(even) => Some(UTF_16LE),
        (even, odd) if is_most(even) && is_rare(odd) => Some(UTF_16BE),
        _ => None,
    }
}

/// Names that are tried for "did you mean".
const USUAL_NAMES: [&str; 14] = [
    "utf-8",
    "utf-16le",
    "utf-16be",
    "windows-1252",
    "windows-1250",
    "windows-1251",
    "windows-1253",
    "windows-1254",
    "iso-8859-1",
    "iso-8859-2",
    "iso-8859-15",
    "macintosh",
    "shift_jis",
    "koi8-r",
];

/// The encoding of that name (WHATWG Encoding Standard), or what to say.
pub fn encoding_named(name: &str) -> Result<&'static Encoding, Error> {
    Encoding::for_label(name.trim().as_bytes()).ok_or_else(|| {
        let advice = match closest(name, USUAL_NAMES) {
            Some(near) => format!("did you mean {near}?"),
            None => "leave encoding out to have it found".to_owned(),
        };
        Error::new(ErrorKind::Job, format!("there is no encoding \"{name}\""), advice)
            .expected(format!("a name such as {}", USUAL_NAMES.join(", ")))
    })
}

/// The beginning of a file as UTF-8. What ends in the middle of a character loses that.
pub fn decode_sample(sample: &[u8], encoding: &'static Encoding, is_whole: bool) -> Vec<u8> {
    if encoding == UTF_8 {
        let bytes = sample.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(sample);
        return bytes.to_vec();
    }
    let mut decoder = encoding.new_decoder_with_bom_removal();
    let most = decoder.max_utf8_buffer_length(sample.len()).unwrap_or_default();
    let mut text = vec![0; most];
    let (result, _, written, _) = decoder.decode_to_utf8(sample, &mut text, is_whole);
    debug_assert_eq!(result, CoderResult::InputEmpty, "the buffer has room for all");
    text.truncate(written);
    text
}

/// How many bytes are decoded at a time.
const STEP_BYTES: usize = 64 << 10;

/// Reads bytes of one encoding and gives them as UTF-8. Bytes that fit nothing are an error with their line.
pub struct Decoding<R> {
    input: R,
    decoder: Decoder,
    hasher: Option<blake3::Hasher>,
    bytes_read: u64,
    raw: Vec<u8>,
    /// Where in `raw` the bytes begin that are not decoded yet.
    raw_at: usize,
    text: Vec<u8>,
    /// Where in `text` the bytes begin that are not given yet.
    text_at: usize,
    at_end: bool,
    is_finished: bool,
    lines: u64,
}

impl<R: Read> Decoding<R> {
    /// Decodes `input`; with `fingerprint`, [`Self::fingerprint`] gives the BLAKE3 of its bytes as they were.
    pub fn new(input: R, encoding: &'static Encoding, fingerprint: bool) -> Self {
        Decoding {
            input,
            decoder: encoding.new_decoder_with_bom_removal(),
            hasher: fingerprint.then(blake3::Hasher::new),
            bytes_read: 0,
            raw: Vec::new(),
            raw_at: 0,
            text: Vec::new(),
            text_at: 0,
            at_end: false,
            is_finished: false,
            lines: 0,
        }
    }

    /// How many bytes were read so far, before decoding.
    pub fn bytes_read(&self) -> u64 {
        self.bytes_read
    }

    /// The BLAKE3 of what was read, in hex.
    pub fn fingerprint(&self) -> Option<String> {
        self.hasher.as_ref().map(|hasher| hasher.finalize().to_hex().to_string())
    }

    /// Decodes into `text` what is left of `raw`, after reading more where nothing is.
    fn decode_some(&mut self) -> std::io::Result<()> {
        if self.raw_at == self.raw.len() && !self.at_end {
            self.refill()?;
        }
        // Three bytes of UTF-8 for one of most encodings, and some for a character begun before.
        self.text.resize(3 * STEP_BYTES + 16, 0);
        self.text_at = 0;
        let raw = &self.raw[self.raw_at..];
        let (result, read, written) = self.decoder.decode_to_utf8_without_replacement(raw, &mut self.text, self.at_end);
        self.raw_at += read;
        self.text.truncate(written);
        self.lines += memchr::memchr_iter(b'\n', &self.text).count() as u64;
        match result {
            DecoderResult::InputEmpty => self.is_finished = self.at_end,
            DecoderResult::OutputFull => {}
            DecoderResult::Malformed(..) => {
                return Err(std::io::Error::new(std::io::ErrorKind::InvalidData, BadBytes { line: self.lines + 1 }));
            }
        }
        Ok(())
    }

    fn refill(&mut self) -> std::io::Result<()> {
        self.raw.clear();
        self.raw_at = 0;
        let count = (&mut self.input).take(STEP_BYTES as u64).read_to_end(&mut self.raw)?;
        self.at_end = count < STEP_BYTES;
        self.bytes_read += count as u64;
        if let Some(hasher) = &mut self.hasher {
            hasher.update(&self.raw);
        }
        Ok(())
    }
}

impl<R: Read> Read for Decoding<R> {
    fn read(&mut self, out: &mut [u8]) -> std::io::Result<usize> {
        while self.text_at == self.text.len() && !self.is_finished {
            self.decode_some()?;
        }
        let count = out.len().min(self.text.len() - self.text_at);
        out[..count].copy_from_slice(&self.text[self.text_at..self.text_at + count]);
        self.text_at += count;
        Ok(count)
    }
}

/// Bytes that fit no character of the encoding.
#[derive(Debug, thiserror::Error)]
#[error("line {line}")]
struct BadBytes {
    line: u64,
}

/// A failed reading, in words: bytes that fit nothing, or a failed call to the system.
pub fn unreadable(file: &Path, cause: &std::io::Error) -> Error {
    match cause.get_ref().and_then(|inner| inner.downcast_ref::<BadBytes>()) {
        Some(BadBytes { line }) => Error::new(
            ErrorKind::Input,
            format!("some bytes in line {line} fit no character of the encoding that the file seems to be in"),
            "say which it is: in a job encoding = \"windows-1252\", or save the file as UTF-8",
        )
        .in_file(file),
        None => Error::unreadable(file, cause),
    }
}
