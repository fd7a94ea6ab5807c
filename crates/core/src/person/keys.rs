//! All keys of a run: 16 bytes each, split by their high bits, on disk beyond the memory limit.
//!
//! A key is a hash and who has it: a row, or an entry of a suppression list. Equal hashes fall into the
//! same partition, so that each can be settled by itself.

use pebblebank_table::Result;
use pebblebank_table::spill::{FramePlace, Spill, SpillWriter};
use pebblebank_values::identity::IdentityHash;
use std::path::{Path, PathBuf};

/// How many bits of the hash decide the partition.
const PARTITION_BITS: u32 = 10;

/// How many partitions there are; so many that the keys of one mostly fit a core's own cache.
pub const PARTITIONS: usize = 1 << PARTITION_BITS;

/// In what way something has an identity.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Role {
    /// An entry of a suppression list; the owner is the entry's number.
    Entry,
    /// The row's first address: rows with the same one are one person.
    First,
    /// A further address of the row: it joins the rows whose first address equals it.
    Further,
    /// An address that cannot be used: compared with entries, and joins nothing.
    CompareOnly,
    /// The value that a list goes by: compared with that list's entries, and joins nothing.
    Compared,
    /// A hash of the row's first address: compared with lists of hashes, and joins nothing.
    FirstHash,
    /// Another key of the job's, by its place there.
    Other(u8),
}

impl Role {
    const OTHERS_FROM: u8 = 6;

    #[inline]
    fn byte(self) -> u8 {
        match self {
            Role::Entry => 0,
            Role::First => 1,
            Role::Further => 2,
            Role::CompareOnly => 3,
            Role::Compared => 4,
            Role::FirstHash => 5,
            Role::Other(place) => Role::OTHERS_FROM + place,
        }
    }
}

/// A hash and who has it: 88 bits of the hash (with the partition's 10 they are 98), 8 of the role, 32 of the owner.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Key(u128);

impl Key {
    /// Bytes that a key takes.
    pub const BYTES: usize = 16;

    /// The key of `owner`, and the partition that it belongs to.
    #[inline]
    pub fn new(hash: IdentityHash, role: Role, owner: u32) -> (usize, Key) {
        let partition = (hash.0 >> (128 - PARTITION_BITS)) as usize;
        let kept = hash.0 << PARTITION_BITS & !((1u128 << 40) - 1);
        (partition, Key(kept | u128::from(role.byte()) << 32 | u128::from(owner)))
    }

    /// Whether both have the same hash; only keys of one partition may be compared.
    #[inline]
    pub fn is_same_identity(self, other: Key) -> bool {
        self.0 >> 40 == other.0 >> 40
    }

    /// In what way the owner has it.
    #[inline]
    pub fn role(self) -> Role {
        match (self.0 >> 32) as u8 {
            0 => Role::Entry,
            1 => Role::First,
            2 => Role::Further,
            3 => Role::CompareOnly,
            4 => Role::Compared,
            5 => Role::FirstHash,
            other => Role::Other(other - Role::OTHERS_FROM),
        }
    }

    /// Who has it: a row's number or an entry's.
    #[inline]
    pub fn owner(self) -> u32 {
        self.0 as u32
    }
}

/// Collects keys by partition.
pub struct KeyStore {
    partitions: Vec<Vec<Key>>,
    in_memory: usize,
    most_in_memory: usize,
    folder: PathBuf,
    spill: Option<KeysOnDisk<SpillWriter>>,
}

/// The keys of each partition that are on disk.
struct KeysOnDisk<S> {
    spill: S,
    /// By partition: its frames.
    frames: Vec<Vec<FramePlace>>,
}

impl KeyStore {
    /// Keeps up to `bytes` of keys in memory, the rest in a temporary file in `folder`.
    pub fn new(bytes: u64, folder: &Path) -> KeyStore {
        KeyStore {
            partitions: vec![Vec::new(); PARTITIONS],
            in_memory: 0,
            most_in_memory: (bytes / Key::BYTES as u64).max(PARTITIONS as u64) as usize,
            folder: folder.to_path_buf(),
            spill: None,
        }
    }

    /// Adds a key.
    #[inline]
    pub fn add(&mut self, hash: IdentityHash, role: Role, owner: u32) -> Result<()> {
        let (partition, key) = Key::new(hash, role, owner);
        let keys = &mut self.partitions[partition];
        if keys.len() == keys.capacity() {
            grow(keys, self.most_in_memory / PARTITIONS);
        }
        keys.push(key);
        self.in_memory += 1;
        if self.in_memory > self.most_in_memory { self.spill() } else { Ok(()) }
    }

    fn spill(&mut self) -> Result<()> {
        let KeysOnDisk { spill, frames } = match &mut self.spill {
            Some(spill) => spill,
            none => {
                let frames = vec![Vec::new(); PARTITIONS];
                none.insert(KeysOnDisk { spill: SpillWriter::new(&self.folder)?, frames })
            }
        };
        let mut bytes = Vec::new();
        for (keys, frames) in self.partitions.iter_mut().zip(frames).filter(|(keys, _)| !keys.is_empty()) {
            bytes.clear();
            bytes.extend(keys.iter().flat_map(|key| key.0.to_le_bytes()));
            frames.push(spill.frame(&[&bytes])?);
            keys.clear();
            // Where less may be kept than before, the rest is given back.
            keys.shrink_to(self.most_in_memory / PARTITIONS);
        }
        self.in_memory = 0;
        Ok(())
    }

    /// Changes how many bytes of keys stay in memory.
    pub fn keep_in_memory(&mut self, bytes: u64) {
        self.most_in_memory = (bytes / Key::BYTES as u64).max(PARTITIONS as u64) as usize;
    }

    /// The keys in memory, by partition, and those on disk.
    pub fn into_partitions(self) -> Result<(Vec<Vec<Key>>, SpilledKeys)> {
        let finish = |on_disk: KeysOnDisk<SpillWriter>| {
            Ok(KeysOnDisk { spill: on_disk.spill.finish()?, frames: on_disk.frames })
        };
        Ok((self.partitions, SpilledKeys(self.spill.map(finish).transpose()?)))
    }
}

/// Makes room for more keys. Partitions fill evenly, so that each ends at about its `share` of the memory: doubling would
/// take up to twice as much as is meant.
#[cold]
fn grow(keys: &mut Vec<Key>, share: usize) {
    let capacity = keys.capacity().max(8);
    let wanted = match capacity {
        _ if capacity * 2 <= share => capacity * 2,
        _ if capacity < share => share + share / 16,
        _ => capacity + capacity / 8,
    };
    keys.reserve_exact(wanted - keys.len());
}

/// The keys that are on disk.
pub struct SpilledKeys(Option<KeysOnDisk<Spill>>);

impl SpilledKeys {
    /// Adds the keys of a partition that are on disk, and sorts all: by hash, then role, then owner.
    pub fn load(&self, partition: usize, keys: &mut Vec<Key>) -> Result<()> {
        if let Some(KeysOnDisk { spill, frames }) = &self.0 {
            for place in &frames[partition] {
                let frame = spill.at(*place)?;
                let (whole, _) = frame.as_chunks::<{ Key::BYTES }>();
                keys.extend(whole.iter().map(|bytes| Key(u128::from_le_bytes(*bytes))));
            }
        }
        keys.sort_unstable();
        Ok(())
    }
}
