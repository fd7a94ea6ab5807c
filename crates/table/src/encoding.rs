//! In what encoding a file is, and its bytes → UTF-8.
//!
//! UTF-8 passes as it is. UTF-16 is known by its byte order mark or by its zeros; what is neither is guessed
//! from the letters that occur, and said.

use crate::charset::{Charset, CodePage};
use crate::damage::Damage;
use crate::encoding_weights::Weights;
use crate::error::closest;
use crate::observe::Met;
use crate::units::RowNumber;
use crate::{Error, ErrorKind};
use encoding_rs::{
    CoderResult, Decoder, DecoderResult, Encoding, ISO_2022_JP, UTF_8, UTF_16BE, UTF_16LE, WINDOWS_1252,
};
use std::io::Read;
use std::path::Path;

/// What happens to bytes that fit no character of the encoding.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum BadBytesAre {
    /// They stop the run.
    #[default]
    Errors,
    /// Each becomes U+FFFD, and they are counted.
    Replaced,
    /// They are read as windows-1252, and are counted.
    Windows1252,
}

/// How an encoding came to be known.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Knowledge {
    /// The job says it.
    Said,
    /// The bytes show it: valid UTF-8, a byte order mark, the zeros of UTF-16.
    Certain,
    /// The letters that occur suggest it.
    Guessed,
    /// Some lines are in UTF-8 and some in windows-1252: two files were pasted together.
    Mixed,
}

impl Knowledge {
    /// What happens to bytes that fit no character, where the user asked for this.
    pub fn bad_bytes(self, asked: BadBytesAre) -> BadBytesAre {
        if self == Knowledge::Mixed { BadBytesAre::Windows1252 } else { asked }
    }
}

/// The encoding of a file that begins with `sample`; `is_whole` where that is all of it.
pub fn recognise_encoding(sample: &[u8], is_whole: bool) -> (Charset, Knowledge) {
    if let Some((encoding, _)) = Encoding::for_bom(sample) {
        return (encoding.into(), Knowledge::Certain);
    }
    if let Some(encoding) = utf_16_by_zeros(sample) {
        return (encoding.into(), Knowledge::Certain);
    }
    // Signs that switch to Japanese in a text of seven bits (RFC 1468).
    if sample.is_ascii() && [b"\x1b$B", b"\x1b$@"].iter().any(|sign| memchr::memmem::find(sample, *sign).is_some()) {
        return (ISO_2022_JP.into(), Knowledge::Certain);
    }
    match std::str::from_utf8(sample) {
        Ok(_) => return (UTF_8.into(), Knowledge::Certain),
        // The sample may end in the middle of a character.
        Err(error) if !is_whole && error.error_len().is_none() => return (UTF_8.into(), Knowledge::Certain),
        Err(_) => {}
    }
    let mut detector = chardetng::EncodingDetector::new(chardetng::Iso2022JpDetection::Deny);
    detector.feed(sample, is_whole);
    let mut letters = Letters::default();
    letters.feed(sample);
    letters.decide(detector.guess(None, chardetng::Utf8Detection::Deny))
}

/// The encoding of all of a text that began as UTF-8 and is not; UTF-8 itself where only single bytes are broken, and how that is
/// known.
pub fn recognise_encoding_of_all(mut text: impl Read) -> std::io::Result<(Charset, Knowledge)> {
    let mut detector = chardetng::EncodingDetector::new(chardetng::Iso2022JpDetection::Deny);
    let mut letters = Letters::default();
    let mut buffer = vec![0; 256 << 10];
    loop {
        let count = text.read(&mut buffer)?;
        detector.feed(&buffer[..count], count == 0);
        letters.feed(&buffer[..count]);
        if count == 0 {
            return Ok(letters.decide(detector.guess(None, chardetng::Utf8Detection::Deny)));
        }
    }
}

/// What the bytes above 0x7F look like, beyond what the detector knows.
#[derive(Debug, Default)]
struct Letters {
    /// Characters of two bytes and more that are proper UTF-8.
    utf_8: u64,
    /// Bytes that are part of none.
    not_utf_8: u64,
    /// What all of them would mean in an encoding of single bytes.
    all: Weights,
    /// What those would mean that are no UTF-8.
    strays: Weights,
}

impl Letters {
    fn feed(&mut self, text: &[u8]) {
        for line in text.split_inclusive(|byte| *byte == b'\n') {
            let mut rest = line;
            let mut strays = 0;
            while !rest.is_empty() {
                let (valid, bad) = match std::str::from_utf8(rest) {
                    Ok(valid) => (valid, 0),
                    Err(error) => {
                        let valid = std::str::from_utf8(&rest[..error.valid_up_to()]).unwrap_or_default();
                        (valid, error.error_len().unwrap_or(rest.len() - error.valid_up_to()))
                    }
                };
                self.utf_8 += valid.chars().filter(|c| !c.is_ascii()).count() as u64;
                strays += bad as u64;
                rest = &rest[valid.len() + bad..];
            }
            self.not_utf_8 += strays;
            if strays > 0 {
                self.strays.feed(line);
            }
        }
        self.all.feed(text);
    }

    fn decide(&self, guess: &'static Encoding) -> (Charset, Knowledge) {
        /// A stray byte of another encoding in a text that is plainly UTF-8.
        const STRAY: u64 = 20;
        /// The fewest proper characters of UTF-8 that another encoding hardly produces by chance.
        const PROPER: u64 = 3;
        // Lines of two files pasted together.
        if self.utf_8 >= PROPER && self.utf_8 * 50 > self.not_utf_8 && self.strays.fits_windows_1252() {
            return (UTF_8.into(), Knowledge::Mixed);
        }
        if self.utf_8 > self.not_utf_8 * STRAY {
            return (UTF_8.into(), Knowledge::Guessed);
        }
        (self.all.best(guess).unwrap_or(guess.into()), Knowledge::Guessed)
    }
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
const USUAL_NAMES: [&str; 15] = [
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
    "cp850",
];

/// The charset of that name (WHATWG Encoding Standard, or a code page of DOS), or what to say.
pub fn encoding_named(name: &str) -> Result<Charset, Error> {
    Charset::named(name).ok_or_else(|| {
        let advice = match closest(name, USUAL_NAMES) {
            Some(near) => format!("did you mean {near}?"),
            None => "leave encoding out to have it found".to_owned(),
        };
        Error::new(ErrorKind::Job, format!("there is no encoding \"{name}\""), advice)
            .expected(format!("a name such as {}", USUAL_NAMES.join(", ")))
    })
}

/// The beginning of a file in which some lines are in windows-1252, as UTF-8.
pub fn decode_mixed_sample(sample: &[u8], is_whole: bool) -> Vec<u8> {
    let mut text = Vec::with_capacity(sample.len());
    let mut decoding = Decoding::new(sample, UTF_8.into(), BadBytesAre::Windows1252, false);
    // Reading from memory does not fail.
    let _ = decoding.read_to_end(&mut text);
    let whole = std::str::from_utf8(&text).map_or_else(|error| error.valid_up_to(), str::len);
    text.truncate(if is_whole { text.len() } else { whole });
    text
}

/// The beginning of a file as UTF-8. What ends in the middle of a character loses that.
pub fn decode_sample(sample: &[u8], charset: Charset, is_whole: bool) -> Vec<u8> {
    let encoding = match charset {
        Charset::Standard(encoding) => encoding,
        Charset::CodePage(page) => {
            let mut text = Vec::with_capacity(sample.len() * 2);
            page.decode(sample, &mut text);
            return text;
        }
    };
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
    decoder: Option<Decoder>,
    /// The code page, of a text that is in one.
    code_page: Option<&'static CodePage>,
    hasher: Option<blake3::Hasher>,
    bytes_read: u64,
    raw: Vec<u8>,
    /// The last bytes of what was in `raw` before.
    raw_before: Vec<u8>,
    /// Where in `raw` the bytes begin that are not decoded yet.
    raw_at: usize,
    text: Vec<u8>,
    /// Where in `text` the bytes begin that are not given yet.
    text_at: usize,
    at_end: bool,
    is_finished: bool,
    lines: u64,
    bad_bytes: BadBytesAre,
    replaced: Met,
}

impl<R: Read> Decoding<R> {
    /// Decodes `input`; with `fingerprint`, [`Self::fingerprint`] gives the BLAKE3 of its bytes as they were.
    pub fn new(input: R, charset: Charset, bad_bytes: BadBytesAre, fingerprint: bool) -> Self {
        let (decoder, code_page) = match charset {
            Charset::Standard(encoding) => (Some(encoding.new_decoder_with_bom_removal()), None),
            Charset::CodePage(page) => (None, Some(page)),
        };
        Decoding {
            input,
            decoder,
            code_page,
            hasher: fingerprint.then(blake3::Hasher::new),
            bytes_read: 0,
            raw: Vec::new(),
            raw_before: Vec::new(),
            raw_at: 0,
            text: Vec::new(),
            text_at: 0,
            at_end: false,
            is_finished: false,
            lines: 0,
            bad_bytes,
            replaced: Met::default(),
        }
    }

    /// What is read from.
    pub fn input(&self) -> &R {
        &self.input
    }

    /// How many characters were replaced, and in which lines.
    pub fn replaced(&self) -> &Met {
        &self.replaced
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
        let Some(decoder) = &mut self.decoder else {
            self.text.clear();
            if let Some(page) = self.code_page {
                page.decode(raw, &mut self.text);
            }
            self.raw_at = self.raw.len();
            self.lines += memchr::memchr_iter(b'\n', &self.text).count() as u64;
            self.is_finished = self.at_end;
            return Ok(());
        };
        let (result, read, written) = decoder.decode_to_utf8_without_replacement(raw, &mut self.text, self.at_end);
        self.raw_at += read;
        self.text.truncate(written);
        self.lines += memchr::memchr_iter(b'\n', &self.text).count() as u64;
        match result {
            DecoderResult::InputEmpty => self.is_finished = self.at_end,
            DecoderResult::OutputFull => {}
            DecoderResult::Malformed(..) if self.bad_bytes == BadBytesAre::Replaced => {
                self.text.extend_from_slice("\u{FFFD}".as_bytes());
                self.replaced.at(RowNumber(self.lines + 1));
            }
            DecoderResult::Malformed(length, after) if self.bad_bytes == BadBytesAre::Windows1252 => {
                let bytes = self.bytes_before(usize::from(length), usize::from(after));
                let (text, _) = WINDOWS_1252.decode_without_bom_handling(&bytes);
                self.text.extend_from_slice(text.as_bytes());
                self.replaced.at(RowNumber(self.lines + 1));
            }
            DecoderResult::Malformed(..) => {
                return Err(std::io::Error::new(std::io::ErrorKind::InvalidData, BadBytes { line: self.lines + 1 }));
            }
        }
        Ok(())
    }

    /// The `length` bytes that were decoded before the last `after` ones.
    fn bytes_before(&self, length: usize, after: usize) -> Vec<u8> {
        let all = [&self.raw_before[..], &self.raw[..self.raw_at]].concat();
        let end = all.len().saturating_sub(after);
        all[end.saturating_sub(length)..end].to_vec()
    }

    fn refill(&mut self) -> std::io::Result<()> {
        self.raw_before = self.raw[self.raw.len().saturating_sub(4)..].to_vec();
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

/// What to do about bytes that fit no character.
pub const BAD_BYTES_ADVICE: &str = "say what it is in, in a job encoding = \"windows-1252\", else --encoding windows-1252; or go on \
     with � in their place, in a job on_bad_bytes = \"replace\", else --replace-bad-bytes";

/// A failed reading, in words: bytes that fit nothing, or a failed call to the system.
pub fn unreadable(file: &Path, cause: &std::io::Error) -> Error {
    let inner = cause.get_ref();
    if let Some(damage) = inner.and_then(|inner| inner.downcast_ref::<Damage>()) {
        return damage.error(file);
    }
    match inner.and_then(|inner| inner.downcast_ref::<BadBytes>()) {
        Some(BadBytes { line }) => Error::new(
            ErrorKind::Input,
            format!("some bytes in line {line} fit no character of the encoding that the file seems to be in"),
            BAD_BYTES_ADVICE,
        )
        .in_file(file),
        None => Error::unreadable(file, cause),
    }
}
