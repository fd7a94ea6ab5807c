//! Packed files → the bytes inside, as streams: gzip (RFC 1952), zstd (RFC 8878), members of a zip archive.
//!
//! Nothing is unpacked beside the input, and what unpacks to an absurd size is refused.

use pebblebank_table::damage::{Damage, damaged, is_absurd};
use pebblebank_table::{Error, ErrorKind, Result};
use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// How the bytes of a file are packed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Packing {
    /// gzip, one stream or several.
    Gzip,
    /// zstd, one frame or several.
    Zstd,
    /// A member of a zip archive.
    Member(Member),
}

/// A member of a zip archive: where its bytes are and what they must be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Member {
    /// Its path in the archive.
    pub name: String,
    /// Its size when unpacked, as the archive says.
    pub bytes: u64,
    /// Its size in the archive.
    pub packed_bytes: u64,
    start: u64,
    is_deflated: bool,
    crc: u32,
}

impl Packing {
    /// The packing that these first bytes of a file show.
    pub fn recognise(begin: &[u8]) -> Option<Packing> {
        match begin {
            [0x1F, 0x8B, 8, ..] => Some(Packing::Gzip),
            [0x28, 0xB5, 0x2F, 0xFD, ..] => Some(Packing::Zstd),
            _ => None,
        }
    }

    /// As it is called.
    pub fn name(&self) -> &'static str {
        match self {
            Packing::Gzip => "gzip",
            Packing::Zstd => "zstd",
            Packing::Member(_) => "zip",
        }
    }
}

/// The most members of an archive: each is a file of its own to a job.
const MOST_MEMBERS: usize = 10_000;

/// The most that a byte of deflate's stream can become (RFC 1951: 258 bytes for a length and distance of two bits).
const MOST_TIMES_OF_DEFLATE: u64 = 1_032;

impl Member {
    /// Whether it unpacks to no more than `most` bytes, whatever the archive says of its size.
    pub fn unpacks_within(&self, archive: File, most: u64) -> std::io::Result<bool> {
        if self.packed_bytes.saturating_mul(MOST_TIMES_OF_DEFLATE) <= most {
            return Ok(true);
        }
        let unpacking = Unpacking::new(archive, &Packing::Member(self.clone()))?;
        Ok(std::io::copy(&mut unpacking.take(most + 1), &mut std::io::sink())? <= most)
    }
}

/// Whether these first bytes are those of a zip archive (or of a workbook, which is one).
pub fn is_zip(begin: &[u8]) -> bool {
    begin.starts_with(b"PK\x03\x04") || begin.starts_with(b"PK\x05\x06")
}

/// The members of a zip archive that hold bytes, in the order of their names; what systems add by themselves is left out.
pub fn members(archive: File, path: &Path) -> Result<Vec<Member>> {
    let mut archive = zip::ZipArchive::new(BufReader::new(archive)).map_err(|cause| damaged(path, &cause))?;
    if archive.len() > MOST_MEMBERS {
        return Err(Error::new(
            ErrorKind::Input,
            format!("the archive has {} members, more than {MOST_MEMBERS}", archive.len()),
            "unpack it first, and hand over the files that are wanted",
        )
        .in_file(path));
    }
    let mut members = Vec::new();
    for index in 0..archive.len() {
        let entry = archive.by_index_raw(index).map_err(|cause| damaged(path, &cause))?;
        let name = String::from_utf8_lossy(entry.name_raw()).into_owned();
        if entry.is_dir() || is_of_the_system(&name) {
            continue;
        }
        let is_deflated = match entry.compression() {
            _ if entry.encrypted() => {
                return Err(Error::new(
                    ErrorKind::Input,
                    format!("the member {name} is protected by a password"),
                    "unpack it with the password first, and hand over the files",
                )
                .in_file(path));
            }
            zip::CompressionMethod::Stored => false,
            zip::CompressionMethod::Deflated => true,
            other => {
                return Err(Error::new(
                    ErrorKind::Input,
                    format!("the member {name} is packed in a way that is not known here ({other})"),
                    "unpack the archive first, and hand over the files",
                )
                .in_file(path));
            }
        };
        members.push(Member {
            bytes: entry.size(),
            start: entry.data_start().unwrap_or_default(),
            packed_bytes: entry.compressed_size(),
            is_deflated,
            crc: entry.crc32(),
            name,
        });
    }
    members.sort_by(|a, b| a.name.as_bytes().cmp(b.name.as_bytes()));
    Ok(members)
}

fn is_of_the_system(name: &str) -> bool {
    let last = name.rsplit('/').next().unwrap_or(name);
    name.starts_with("__MACOSX/") || last.starts_with('.') || last == "Thumbs.db"
}

/// Reads what is inside a packed file.
pub struct Unpacking {
    inner: Box<dyn Read + Send>,
    packed_read: Arc<AtomicU64>,
    unpacked: u64,
    /// The member's size and CRC-32 (ISO 3309, as zip has it), which are checked at its end.
    expected: Option<(u64, u32)>,
    crc: flate2::Crc,
}

impl Unpacking {
    /// Reads the inside of `file`.
    pub fn new(mut file: File, packing: &Packing) -> std::io::Result<Unpacking> {
        if let Packing::Member(member) = packing {
            file.seek(SeekFrom::Start(member.start))?;
        }
        let packed_read = Arc::new(AtomicU64::new(0));
        let counting = BufReader::with_capacity(64 << 10, Counting { file, read: Arc::clone(&packed_read) });
        let inner: Box<dyn Read + Send> = match packing {
            Packing::Gzip => Box::new(flate2::bufread::MultiGzDecoder::new(counting)),
            Packing::Zstd => Box::new(zstd::stream::read::Decoder::with_buffer(counting)?),
            Packing::Member(member) => {
                let packed = counting.take(member.packed_bytes);
                if member.is_deflated {
                    Box::new(flate2::bufread::DeflateDecoder::new(packed))
                } else {
                    Box::new(packed)
                }
            }
        };
        let expected = match packing {
            Packing::Member(member) => Some((member.bytes, member.crc)),
            _ => None,
        };
        Ok(Unpacking { inner, packed_read, unpacked: 0, expected, crc: flate2::Crc::new() })
    }

    /// How many bytes of the packed file were read so far.
    pub fn packed_bytes_read(&self) -> u64 {
        self.packed_read.load(Ordering::Relaxed)
    }

    fn check_size(&self) -> std::io::Result<()> {
        if is_absurd(self.unpacked, self.packed_bytes_read()) {
            Err(std::io::Error::other(Damage::Absurd))
        } else {
            Ok(())
        }
    }
}

impl Read for Unpacking {
    fn read(&mut self, out: &mut [u8]) -> std::io::Result<usize> {
        let count = self.inner.read(out).map_err(|cause| std::io::Error::other(Damage::Broken(cause.to_string())))?;
        self.unpacked += count as u64;
        self.check_size()?;
        if let Some((bytes, crc)) = self.expected {
            self.crc.update(&out[..count]);
            let is_at_end = count == 0 && !out.is_empty();
            if is_at_end && (self.unpacked != bytes || self.crc.sum() != crc) {
                return Err(std::io::Error::other(Damage::Broken("its checksum is wrong".to_owned())));
            }
        }
        Ok(count)
    }
}

struct Counting {
    file: File,
    read: Arc<AtomicU64>,
}

impl Read for Counting {
    fn read(&mut self, out: &mut [u8]) -> std::io::Result<usize> {
        let count = self.file.read(out)?;
        self.read.fetch_add(count as u64, Ordering::Relaxed);
        Ok(count)
    }
}
