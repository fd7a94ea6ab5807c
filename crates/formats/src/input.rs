//! A file to be read, found, looked at, and opened as often as needed.
//!
//! What cannot be read twice (standard input, a pipe) is copied once into a nameless file that only
//! its owner may read and that is gone when the program ends. What is packed is unpacked at each reading.

use crate::unpack::{Member, Packing, Unpacking, is_zip, members};
use crate::{mail, workbook};
use pebblebank_table::charset::Charset;
use pebblebank_table::chunk::CHUNK_BYTES;
use pebblebank_table::encoding::{Knowledge, decode_mixed_sample, decode_sample, recognise_encoding, unreadable};
use pebblebank_table::error::closest;
use pebblebank_table::file_identity::FileIdentity;
use pebblebank_table::observe::Observer;
use pebblebank_table::spool::Extracted;
use pebblebank_table::{Error, ErrorKind, Result};
use std::fs::File;
use std::hash::Hash;
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// How much of a file is looked at to recognise it.
pub const SAMPLE_BYTES: u64 = 1 << 20;

/// The name under which standard input goes.
pub const STDIN_NAME: &str = "-";

/// How many packings may lie one in the other.
const DEEPEST: usize = 4;

/// A file that is to be opened.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FoundFile {
    /// Where it is.
    pub path: PathBuf,
    /// Which members of the archive at `path` are meant (a pattern); none for all, or for a file that is no archive.
    pub member: Option<String>,
    /// As receipts and tables name it.
    pub shown: String,
}

/// A file to be read, more than once.
#[derive(Debug)]
pub struct Input {
    path: PathBuf,
    shown: String,
    /// The user's file, unless the bytes came through a pipe.
    origin: Option<FileIdentity>,
    /// Which part of that file it is: a member of an archive, a sheet of a workbook.
    part: Option<String>,
    base: Arc<Base>,
    packing: Option<Packing>,
    /// The BLAKE3 of what the rows were read out of, where it is not what is read now.
    fingerprint: Option<String>,
    /// How many bytes a reading takes from it, packed as they are.
    pub bytes: u64,
    /// The size of what the user handed over.
    pub file_bytes: u64,
}

/// Where the bytes lie.
#[derive(Debug)]
enum Base {
    /// In the user's file.
    File(PathBuf),
    /// In a nameless copy.
    Spooled(File),
}

impl Input {
    /// A member of this archive as an input of its own.
    fn member(&self, member: Member) -> Input {
        Input {
            path: self.path.join(&member.name),
            shown: format!("{}/{}", self.shown, member.name),
            origin: self.origin.clone(),
            part: Some(match &self.part {
                Some(outer) => format!("{outer}/{}", member.name),
                None => member.name.clone(),
            }),
            base: Arc::clone(&self.base),
            bytes: member.packed_bytes,
            file_bytes: member.bytes,
            packing: Some(Packing::Member(member)),
            fingerprint: None,
        }
    }

    /// Opens the file that was found, or each of the members that are meant, where it is an archive.
    ///
    /// `-` is standard input. What must be spooled goes into `spool_folder`.
    pub fn open(found: &FoundFile, spool_folder: &Path, observer: &dyn Observer) -> Result<Vec<Input>> {
        let path = found.path.as_path();
        let outside = if path.as_os_str() == STDIN_NAME {
            Input::spooled(found, std::io::stdin().lock(), spool_folder, observer)?
        } else {
            Input::outside(found, spool_folder, observer)?
        };
        let opener = Opener { member: found.member.as_deref(), spool_folder, observer };
        let mut inputs = Vec::new();
        opener.open_packed(outside, 0, &mut inputs)?;
        Ok(inputs)
    }

    fn outside(found: &FoundFile, spool_folder: &Path, observer: &dyn Observer) -> Result<Input> {
        let path = found.path.as_path();
        let fail = |cause: std::io::Error| Error::unreadable(path, &cause);
        let metadata = std::fs::metadata(path).map_err(fail)?;
        if metadata.is_dir() && mail::holds_messages(path) {
            let (file, bytes) = mail::folder_as_mailbox(path, spool_folder)?;
            return Ok(Input::new(found, Base::Spooled(file), bytes));
        }
        if metadata.is_dir() {
            return Err(fail(std::io::ErrorKind::IsADirectory.into()));
        }
        let file = File::open(path).map_err(fail)?;
        if !metadata.is_file() {
            return Input::spooled(found, file, spool_folder, observer);
        }
        let identity = FileIdentity::of_file(&file).map_err(fail)?;
        Ok(Input { origin: Some(identity), ..Input::new(found, Base::File(path.to_path_buf()), metadata.len()) })
    }

    fn new(found: &FoundFile, base: Base, bytes: u64) -> Input {
        Input {
            path: found.path.clone(),
            shown: found.shown.clone(),
            origin: None,
            part: None,
            base: Arc::new(base),
            packing: None,
            fingerprint: None,
            bytes,
            file_bytes: bytes,
        }
    }

    fn spooled(found: &FoundFile, from: impl Read, folder: &Path, observer: &dyn Observer) -> Result<Input> {
        let (file, bytes) = spool(from, &found.path, folder, observer)?;
        Ok(Input::new(found, Base::Spooled(file), bytes))
    }

    /// The same input, its contents taken out as rows; `part` is the sheet, where it has several.
    #[must_use]
    pub fn extracted(self, extracted: Extracted, part: Option<String>, fingerprint: String) -> Input {
        Input {
            base: Arc::new(Base::Spooled(extracted.rows)),
            packing: None,
            fingerprint: Some(fingerprint),
            bytes: extracted.bytes,
            part: part.or_else(|| self.part.clone()),
            ..self
        }
    }

    /// The path as the user gave it; a member of an archive follows the archive's.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// As receipts and tables name it.
    pub fn name(&self) -> String {
        self.shown.clone()
    }

    /// How it is packed, if it is.
    pub fn packing(&self) -> Option<&Packing> {
        self.packing.as_ref()
    }

    /// The BLAKE3 of what the user handed over, where a reading of this does not give it.
    pub fn fingerprint(&self) -> Option<&str> {
        self.fingerprint.as_deref()
    }

    /// Whether `path`, by whatever spelling or link, leads to this file.
    pub fn is_at(&self, path: &Path) -> bool {
        self.origin.as_ref().is_some_and(|origin| FileIdentity::of(path).is_ok_and(|other| other == *origin))
    }

    /// What is equal for inputs that are one file (or the same part of it), by whatever spelling or link.
    pub fn identity(&self) -> impl Eq + Hash + '_ {
        let named = self.origin.is_none().then_some(&self.path);
        (self.origin.as_ref(), named, &self.part)
    }

    /// Reads from the beginning. One reader at a time.
    pub fn reader(&self) -> Result<InputReader> {
        let file = self.packed_file()?;
        match &self.packing {
            None => Ok(InputReader::Plain(file)),
            Some(packing) => {
                let unpacking = Unpacking::new(file, packing).map_err(|cause| unreadable(&self.path, &cause))?;
                Ok(InputReader::Packed(Box::new(unpacking)))
            }
        }
    }

    /// The bytes as they lie, packed as they are.
    pub fn packed_file(&self) -> Result<File> {
        let fail = |cause: std::io::Error| Error::unreadable(&self.path, &cause);
        match &*self.base {
            Base::File(path) => {
                let file = File::open(path).map_err(fail)?;
                let reopened = FileIdentity::of_file(&file).map_err(fail)?;
                if self.origin.as_ref().is_some_and(|origin| reopened != *origin) {
                    return Err(Error::new(
                        ErrorKind::InputChanged,
                        "the file was replaced while it was being read",
                        "wait until whatever writes it has finished, then start again",
                    )
                    .in_file(&self.path));
                }
                Ok(file)
            }
            Base::Spooled(file) => {
                let mut file = file.try_clone().map_err(fail)?;
                file.seek(SeekFrom::Start(0)).map_err(fail)?;
                Ok(file)
            }
        }
    }

    /// The beginning of the file as UTF-8, without its byte order mark. `encoding` is what the job says.
    pub fn sample(&self, encoding: Option<Charset>) -> Result<Sample> {
        let mut raw = Vec::new();
        let mut reader = self.reader()?;
        reader.read_up_to(SAMPLE_BYTES, &mut raw).map_err(|cause| unreadable(&self.path, &cause))?;
        let is_whole = (raw.len() as u64) < SAMPLE_BYTES;
        let (encoding, knowledge) = match encoding {
            Some(encoding) => (encoding, Knowledge::Said),
            None => recognise_encoding(&raw, is_whole),
        };
        let bytes = match knowledge {
            Knowledge::Mixed => decode_mixed_sample(&raw, is_whole),
            _ => decode_sample(&raw, encoding, is_whole),
        };
        let file_bytes = match (&self.packing, reader.packed_bytes_read()) {
            _ if is_whole => raw.len() as u64,
            (Some(Packing::Member(member)), _) => member.bytes,
            (Some(_), Some(packed)) => (self.bytes / packed.max(1) + 1) * raw.len() as u64,
            _ => self.bytes,
        };
        Ok(Sample { raw, bytes, encoding, knowledge, is_whole, file_bytes })
    }
}

/// Opens what is inside of what, down to something that is not packed.
struct Opener<'a> {
    member: Option<&'a str>,
    spool_folder: &'a Path,
    observer: &'a dyn Observer,
}

impl Opener<'_> {
    /// Adds the file, or what is in it where it is an archive, whose packings are taken off one by one.
    fn open_packed(&self, input: Input, depth: usize, inputs: &mut Vec<Input>) -> Result<()> {
        let mut begin = Vec::new();
        let read = input.reader()?.take(8).read_to_end(&mut begin);
        read.map_err(|cause| unreadable(&input.path, &cause))?;
        let packing = Packing::recognise(&begin);
        if packing.is_none() && !is_zip(&begin) {
            return self.add_file(input, depth, inputs);
        }
        if depth == DEEPEST {
            return Err(Error::new(
                ErrorKind::Input,
                format!("more than {DEEPEST} archives lie one in the other"),
                "unpack them first, and hand over the files",
            )
            .in_file(&input.path));
        }
        // Two packings, or one that must be read back and forth: the outer one is taken off first.
        let input = if input.packing.is_some() { self.take_off(input)? } else { input };
        match packing {
            Some(packing) => self.open_packed(Input { packing: Some(packing), ..input }, depth + 1, inputs),
            None => self.open_zip(input, depth, inputs),
        }
    }

    /// Adds a file that is no archive; one that was to have members must be.
    fn add_file(&self, input: Input, depth: usize, inputs: &mut Vec<Input>) -> Result<()> {
        if depth == 0 && self.member.is_some() {
            return Err(Error::new(
                ErrorKind::Input,
                "this is no zip archive, so it has no members",
                "name the file alone, without what follows it",
            )
            .in_file(&input.path));
        }
        inputs.push(input);
        Ok(())
    }

    /// Adds a workbook as it is, or the members of an archive that are meant.
    fn open_zip(&self, input: Input, depth: usize, inputs: &mut Vec<Input>) -> Result<()> {
        let members = members(input.packed_file()?, &input.path)?;
        if workbook::is_workbook(members.iter().map(|member| member.name.as_str())) {
            inputs.push(input);
            return Ok(());
        }
        if workbook::is_other_document(members.iter().map(|member| member.name.as_str())) {
            return Err(Error::new(
                ErrorKind::Input,
                "this is a text document or a presentation, not a table",
                "copy the table into a spreadsheet program and save it as CSV or as a workbook",
            )
            .in_file(&input.path));
        }
        self.meant(members, &input)?
            .into_iter()
            .try_for_each(|member| self.open_packed(input.member(member), depth + 1, inputs))
    }

    fn take_off(&self, input: Input) -> Result<Input> {
        let (file, bytes) = spool(input.reader()?, &input.path, self.spool_folder, self.observer)?;
        Ok(Input { base: Arc::new(Base::Spooled(file)), packing: None, bytes, ..input })
    }

    /// The members that fit the pattern.
    fn meant(&self, members: Vec<Member>, archive: &Input) -> Result<Vec<Member>> {
        let Some(wanted) = self.member else {
            if members.is_empty() {
                return Err(Error::new(ErrorKind::Input, "the archive is empty", "pack the exports again")
                    .in_file(&archive.path));
            }
            return Ok(members);
        };
        let pattern = glob::Pattern::new(wanted).map_err(|cause| {
            let what = format!("the pattern for members cannot be read: {}", cause.msg);
            Error::new(ErrorKind::Input, what, "* stands for any letters, ? for one").in_file(&archive.path)
        })?;
        let names: Vec<String> = members.iter().map(|member| member.name.clone()).collect();
        let fitting: Vec<Member> =
            members.into_iter().filter(|member| member.name == wanted || pattern.matches(&member.name)).collect();
        if fitting.is_empty() {
            let advice = match closest(wanted, names.iter().map(String::as_str)) {
                Some(near) => format!("did you mean {near}?"),
                None => "name one of its members, or a pattern for them".to_owned(),
            };
            let shown = names.iter().take(20).map(String::as_str).collect::<Vec<_>>().join(", ");
            return Err(Error::new(ErrorKind::Input, format!("no member of the archive fits {wanted}"), advice)
                .in_file(&archive.path)
                .expected(format!("one of {shown}")));
        }
        Ok(fitting)
    }
}

/// Copies what can be read only once into a nameless file in `folder`.
fn spool(mut from: impl Read, path: &Path, folder: &Path, observer: &dyn Observer) -> Result<(File, u64)> {
    let spool_failed = |cause: std::io::Error| Error::unwritable(folder, &cause);
    let mut spool = tempfile::tempfile_in(folder).map_err(spool_failed)?;
    let mut buffer = vec![0; CHUNK_BYTES];
    let mut bytes = 0;
    loop {
        if observer.wants_stop() {
            return Err(Error::interrupted());
        }
        match from.read(&mut buffer) {
            Ok(0) => return Ok((spool, bytes)),
            Ok(count) => {
                spool.write_all(&buffer[..count]).map_err(spool_failed)?;
                bytes += count as u64;
            }
            Err(cause) if cause.kind() == std::io::ErrorKind::Interrupted => {}
            Err(cause) => return Err(unreadable(path, &cause)),
        }
    }
}

/// Reads the bytes of an input, unpacked.
pub enum InputReader {
    /// As they lie.
    Plain(File),
    /// Unpacked on the way.
    Packed(Box<Unpacking>),
}

impl InputReader {
    /// Adds at most `most` bytes to `buffer`; fewer only at the end.
    pub fn read_up_to(&mut self, most: u64, buffer: &mut Vec<u8>) -> std::io::Result<usize> {
        match self {
            InputReader::Plain(file) => file.take(most).read_to_end(buffer),
            InputReader::Packed(unpacking) => unpacking.take(most).read_to_end(buffer),
        }
    }

    /// How many bytes of a packed file were read so far.
    pub fn packed_bytes_read(&self) -> Option<u64> {
        match self {
            InputReader::Plain(_) => None,
            InputReader::Packed(unpacking) => Some(unpacking.packed_bytes_read()),
        }
    }
}

impl Read for InputReader {
    fn read(&mut self, out: &mut [u8]) -> std::io::Result<usize> {
        match self {
            InputReader::Plain(file) => file.read(out),
            InputReader::Packed(unpacking) => unpacking.read(out),
        }
    }
}

/// The beginning of a file.
#[derive(Debug)]
pub struct Sample {
    /// Its bytes, unpacked.
    pub raw: Vec<u8>,
    /// Its text in UTF-8, without a byte order mark.
    pub bytes: Vec<u8>,
    /// What it is encoded in.
    pub encoding: Charset,
    /// How that is known.
    pub knowledge: Knowledge,
    /// Whether the file ends with it.
    pub is_whole: bool,
    /// About how many bytes the file has, unpacked.
    pub file_bytes: u64,
}
