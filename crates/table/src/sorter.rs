//! Sorts more than fits into memory: by key bytes, in runs on disk that are merged at the end.
//!
//! A record is a key and a payload, both bytes. Keys are compared byte by byte, so numbers stand in them with their high
//! byte first; who wants an order that is the same every time makes every key different, by the row's number at its end.

use crate::spill::{Spill, SpillReader, SpillWriter};
use crate::{Error, Result};
use std::cmp::{Ordering, Reverse};
use std::collections::BinaryHeap;
use std::path::{Path, PathBuf};

/// What a record takes in memory beside its bytes.
const BYTES_PER_RECORD: usize = size_of::<Place>();

/// With at least this many records, both cores sort.
const FEWEST_FOR_TWO: usize = 1 << 16;

/// Where a record is in the buffer: its key, then its payload.
#[derive(Debug, Clone, Copy)]
struct Place {
    /// The first bytes of the key behind what all keys begin with, which decide mostly.
    beginning: u128,
    start: u64,
    key: u32,
    payload: u32,
}

impl Place {
    fn key<'a>(&self, bytes: &'a [u8]) -> &'a [u8] {
        &bytes[self.start as usize..][..self.key as usize]
    }

    /// By key; in the order in which they came where keys are alike.
    fn order(&self, other: &Place, bytes: &[u8]) -> Ordering {
        let by_key = || self.key(bytes).cmp(other.key(bytes));
        self.beginning.cmp(&other.beginning).then_with(by_key).then(self.start.cmp(&other.start))
    }
}

/// Takes records in any order.
#[derive(Debug)]
pub struct Sorter {
    bytes: Vec<u8>,
    places: Vec<Place>,
    most_bytes: usize,
    folder: PathBuf,
    runs: Vec<Spill>,
    count: u64,
}

impl Sorter {
    /// Keeps up to `most_bytes` in memory, the rest in nameless files in `folder`.
    pub fn new(most_bytes: u64, folder: &Path) -> Sorter {
        Sorter {
            bytes: Vec::new(),
            places: Vec::new(),
            most_bytes: most_bytes.max(1 << 16) as usize,
            folder: folder.to_path_buf(),
            runs: Vec::new(),
            count: 0,
        }
    }

    /// How many records there are.
    pub fn len(&self) -> u64 {
        self.count
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.count == 0
    }

    /// Adds a record.
    pub fn push(&mut self, key: &[u8], payload: &[u8]) -> Result<()> {
        let taken = self.bytes.len() + self.places.len() * BYTES_PER_RECORD;
        if taken + key.len() + payload.len() + BYTES_PER_RECORD > self.most_bytes && !self.places.is_empty() {
            self.write_run()?;
        }
        self.places.push(Place {
            beginning: 0,
            start: self.bytes.len() as u64,
            key: key.len() as u32,
            payload: payload.len() as u32,
        });
        self.bytes.extend_from_slice(key);
        self.bytes.extend_from_slice(payload);
        self.count += 1;
        Ok(())
    }

    /// Sorts them, and hands over all there are.
    fn sort(&mut self) -> InMemory {
        let (bytes, mut places) = (std::mem::take(&mut self.bytes), std::mem::take(&mut self.places));
        let common = common_beginning(places.iter().map(|place| place.key(&bytes)));
        for place in &mut places {
            let behind = &place.key(&bytes)[common..];
            let mut beginning = [0; size_of::<u128>()];
            let length = behind.len().min(beginning.len());
            beginning[..length].copy_from_slice(&behind[..length]);
            place.beginning = u128::from_be_bytes(beginning);
        }
        let half = if places.len() < FEWEST_FOR_TWO { 0 } else { places.len() / 2 };
        let (left, right) = places.split_at_mut(half);
        std::thread::scope(|scope| {
            let bytes = &bytes;
            if !left.is_empty() {
                scope.spawn(|| left.sort_unstable_by(|a, b| a.order(b, bytes)));
            }
            right.sort_unstable_by(|a, b| a.order(b, bytes));
        });
        InMemory { next: [0, half], ends: [half, places.len()], bytes, places }
    }

    fn write_run(&mut self) -> Result<()> {
        let mut sorted = self.sort();
        let mut run = SpillWriter::new(&self.folder)?;
        while let Some(place) = sorted.next() {
            let length = (place.key + place.payload) as usize;
            run.frame(&[&place.key.to_le_bytes(), &sorted.bytes[place.start as usize..][..length]])?;
        }
        self.runs.push(run.finish()?);
        (self.bytes, self.places) = (sorted.bytes, sorted.places);
        self.bytes.clear();
        self.places.clear();
        Ok(())
    }

    /// Gives the records in order.
    pub fn finish(mut self) -> Result<Sorted> {
        if self.runs.is_empty() {
            return Ok(Sorted(Records::InMemory(self.sort())));
        }
        if !self.places.is_empty() {
            self.write_run()?;
        }
        let mut runs: Vec<Run> = self.runs.into_iter().map(Run::new).collect::<Result<_>>()?;
        let mut heads = BinaryHeap::new();
        for (number, run) in runs.iter_mut().enumerate() {
            if run.read()? {
                heads.push(Reverse((run.key.clone(), number)));
            }
        }
        Ok(Sorted(Records::Merged { runs, heads, last: None }))
    }
}

/// How many bytes all keys begin with.
fn common_beginning<'a>(mut keys: impl Iterator<Item = &'a [u8]>) -> usize {
    let Some(first) = keys.next() else { return 0 };
    let mut common = first.len();
    for key in keys {
        if key.get(..common) != Some(&first[..common]) {
            common = first.iter().zip(key).take_while(|(a, b)| a == b).count();
        }
        if common == 0 {
            break;
        }
    }
    common
}

/// Records in order.
#[derive(Debug)]
pub struct Sorted(Records);

#[derive(Debug)]
enum Records {
    /// All of them fitted into memory.
    InMemory(InMemory),
    /// Runs, each of them sorted, with their next records.
    Merged {
        runs: Vec<Run>,
        heads: BinaryHeap<Reverse<(Vec<u8>, usize)>>,
        /// The run whose record was given last.
        last: Option<usize>,
    },
}

impl Sorted {
    /// The next record: its key and its payload.
    #[allow(clippy::should_implement_trait)] // what it gives lies in its own buffers
    pub fn next(&mut self) -> Result<Option<(&[u8], &[u8])>> {
        match &mut self.0 {
            Records::InMemory(sorted) => {
                let Some(place) = sorted.next() else { return Ok(None) };
                let record = &sorted.bytes[place.start as usize..][..(place.key + place.payload) as usize];
                Ok(Some(record.split_at(place.key as usize)))
            }
            Records::Merged { runs, heads, last } => {
                if let Some(number) = last.take()
                    && runs[number].read()?
                {
                    heads.push(Reverse((runs[number].key.clone(), number)));
                }
                let Some(Reverse((_, number))) = heads.pop() else { return Ok(None) };
                *last = Some(number);
                Ok(Some((&runs[number].key, &runs[number].payload)))
            }
        }
    }
}

/// Records in memory: two halves, each of them sorted, of which the one comes next whose record is before that of the other.
#[derive(Debug)]
struct InMemory {
    bytes: Vec<u8>,
    places: Vec<Place>,
    next: [usize; 2],
    ends: [usize; 2],
}

impl InMemory {
    fn next(&mut self) -> Option<Place> {
        let head = |half: usize| (self.next[half] < self.ends[half]).then(|| self.places[self.next[half]]);
        let half = match [head(0), head(1)] {
            [Some(left), Some(right)] => usize::from(left.order(&right, &self.bytes).is_gt()),
            [Some(_), None] => 0,
            [None, Some(_)] => 1,
            [None, None] => return None,
        };
        let place = self.places[self.next[half]];
        self.next[half] += 1;
        Some(place)
    }
}

/// A sorted run on disk, and its next record.
#[derive(Debug)]
struct Run {
    reader: SpillReader,
    key: Vec<u8>,
    payload: Vec<u8>,
}

impl Run {
    fn new(run: Spill) -> Result<Run> {
        Ok(Run { reader: run.into_reader()?, key: Vec::new(), payload: Vec::new() })
    }

    /// Reads the next record; false at the end.
    fn read(&mut self) -> Result<bool> {
        let Some(frame) = self.reader.next()? else { return Ok(false) };
        let (length, record) = frame.split_first_chunk::<4>().ok_or_else(Error::defect)?;
        let (key, payload) = record.split_at_checked(u32::from_le_bytes(*length) as usize).ok_or_else(Error::defect)?;
        self.key.clear();
        self.key.extend_from_slice(key);
        self.payload.clear();
        self.payload.extend_from_slice(payload);
        Ok(true)
    }
}
