//! What does not fit into memory, in a file without a name: frames of bytes, written once, read in their order or by place.
//!
//! The only format of temporary files but for the rows taken out of workbooks and the like ([`crate::spool`]), which are
//! read as delimited text. A frame is its length, 32 bits with the low byte first, then its bytes. Exactly as many frames are
//! read as were written: a file that ends too early is a failed read, and never the end.

use crate::{Error, ErrorKind, Result};
use std::fs::File;
use std::io::{BufReader, BufWriter, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::Mutex;

/// How many bytes are gathered before they go to the file.
const WRITE_BYTES: usize = 256 << 10;

/// Where a frame lies: the byte at which it begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FramePlace(u64);

/// Takes frames.
#[derive(Debug)]
pub struct SpillWriter {
    out: BufWriter<File>,
    folder: PathBuf,
    frames: u64,
    bytes: u64,
}

impl SpillWriter {
    /// No frames yet, in a file without a name in `folder`; only its owner may read it.
    pub fn new(folder: &Path) -> Result<SpillWriter> {
        let file = tempfile::tempfile_in(folder).map_err(|cause| Error::unwritable(folder, &cause))?;
        let out = BufWriter::with_capacity(WRITE_BYTES, file);
        Ok(SpillWriter { out, folder: folder.to_path_buf(), frames: 0, bytes: 0 })
    }

    /// Adds a frame that is made of these parts, one behind the other. It may hold up to 4 GiB.
    pub fn frame(&mut self, parts: &[&[u8]]) -> Result<FramePlace> {
        let place = FramePlace(self.bytes);
        let length: usize = parts.iter().map(|part| part.len()).sum();
        let fail = |cause: std::io::Error| Error::unwritable(&self.folder, &cause);
        let length = u32::try_from(length).map_err(|cause| fail(std::io::Error::other(cause)))?;
        self.out.write_all(&length.to_le_bytes()).map_err(fail)?;
        for part in parts {
            self.out.write_all(part).map_err(fail)?;
        }
        self.frames += 1;
        self.bytes += 4 + u64::from(length);
        Ok(place)
    }

    /// How many frames it holds.
    pub fn frames(&self) -> u64 {
        self.frames
    }

    /// The frames, to be read.
    pub fn finish(self) -> Result<Spill> {
        let SpillWriter { out, folder, frames, .. } = self;
        let file = out.into_inner().map_err(|cause| Error::unwritable(&folder, &cause.into_error()))?;
        Ok(Spill { file: Mutex::new(file), folder, frames })
    }
}

/// Frames that were written.
#[derive(Debug)]
pub struct Spill {
    file: Mutex<File>,
    folder: PathBuf,
    frames: u64,
}

impl Spill {
    /// The frame at a place.
    pub fn at(&self, place: FramePlace) -> Result<Vec<u8>> {
        let fail = |cause: std::io::Error| unreadable(&self.folder, &cause);
        let mut file = self.file.lock().map_err(|_| Error::defect())?;
        file.seek(SeekFrom::Start(place.0)).map_err(fail)?;
        let mut frame = Vec::new();
        read_frame(&mut *file, &mut frame).map_err(fail)?;
        Ok(frame)
    }

    /// Reads all frames, from the first on.
    pub fn into_reader(self) -> Result<SpillReader> {
        let Spill { file, folder, frames } = self;
        SpillReader::new(file.into_inner().map_err(|_| Error::defect())?, folder, frames)
    }

    /// Reads all frames, from the first on; one reader at a time.
    pub fn reader(&self) -> Result<SpillReader> {
        let fail = |cause: std::io::Error| unreadable(&self.folder, &cause);
        let file = self.file.lock().map_err(|_| Error::defect())?.try_clone().map_err(fail)?;
        SpillReader::new(file, self.folder.clone(), self.frames)
    }
}

/// Reads frames in their order.
#[derive(Debug)]
pub struct SpillReader {
    from: BufReader<File>,
    folder: PathBuf,
    left: u64,
    frame: Vec<u8>,
}

impl SpillReader {
    fn new(mut file: File, folder: PathBuf, frames: u64) -> Result<SpillReader> {
        file.seek(SeekFrom::Start(0)).map_err(|cause| unreadable(&folder, &cause))?;
        Ok(SpillReader { from: BufReader::with_capacity(64 << 10, file), folder, left: frames, frame: Vec::new() })
    }

    /// The next frame; none after the last one.
    #[allow(clippy::should_implement_trait)] // what it gives lies in its own buffer
    pub fn next(&mut self) -> Result<Option<&[u8]>> {
        if self.left == 0 {
            return Ok(None);
        }
        self.left -= 1;
        read_frame(&mut self.from, &mut self.frame).map_err(|cause| unreadable(&self.folder, &cause))?;
        Ok(Some(&self.frame))
    }
}

fn read_frame(from: &mut impl Read, frame: &mut Vec<u8>) -> std::io::Result<()> {
    let mut length = [0; 4];
    from.read_exact(&mut length)?;
    let length = u64::from(u32::from_le_bytes(length));
    frame.clear();
    // No room is taken for what is not there: a damaged length would ask for all memory.
    if from.take(length).read_to_end(frame)? as u64 == length {
        Ok(())
    } else {
        Err(std::io::ErrorKind::UnexpectedEof.into())
    }
}

fn unreadable(folder: &Path, cause: &std::io::Error) -> Error {
    let what = match cause.kind() {
        std::io::ErrorKind::UnexpectedEof => {
            "a temporary file in this folder is shorter than what was written".to_owned()
        }
        _ => format!("a temporary file in this folder cannot be read back: {cause}"),
    };
    let advice =
        "nothing was put in place; look whether the disk is full or failing, then start the same command again";
    Error::new(ErrorKind::Input, what, advice).in_file(folder)
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)] // a failure is a failed test
    use super::*;

    fn written(frames: &[&[u8]]) -> Spill {
        let mut writer = SpillWriter::new(&std::env::temp_dir()).unwrap();
        for frame in frames {
            writer.frame(&[frame]).unwrap();
        }
        writer.finish().unwrap()
    }

    #[test]
    fn frames_come_back_in_their_order_and_by_place() {
        let mut writer = SpillWriter::new(&std::env::temp_dir()).unwrap();
        let places =
            [writer.frame(&[b"one"]).unwrap(), writer.frame(&[]).unwrap(), writer.frame(&[b"th", b"ree"]).unwrap()];
        let spill = writer.finish().unwrap();
        let mut reader = spill.reader().unwrap();
        for frame in [&b"one"[..], b"", b"three"] {
            assert_eq!(reader.next().unwrap(), Some(frame));
        }
        assert_eq!(reader.next().unwrap(), None);
        assert_eq!([spill.at(places[2]).unwrap(), spill.at(places[0]).unwrap()], [&b"three"[..], b"one"]);
    }

    #[test]
    fn a_file_that_ends_too_early_is_an_error_wherever_it_ends() {
        let frames: [&[u8]; 3] = [b"one", b"two", b"three"];
        let whole = written(&frames).file.into_inner().unwrap().metadata().unwrap().len();
        for length in 0..whole {
            let spill = written(&frames);
            spill.file.lock().unwrap().set_len(length).unwrap();
            let mut reader = spill.into_reader().unwrap();
            let error = loop {
                match reader.next() {
                    Ok(frame) => assert!(frame.is_some(), "cut to {length} bytes, and taken for the end"),
                    Err(error) => break error,
                }
            };
            assert!(error.what().contains("shorter than what was written"), "{}", error.what());
        }
    }
}
