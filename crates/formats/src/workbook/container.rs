//! The container of old workbooks (MS-CFB) and their records (MS-XLS), looked over before they are read: chains that
//! go in circles and cells far outside of any sheet would otherwise take all memory there is.

use std::collections::HashSet;

/// The first number that is no sector (MS-CFB, section 2.1).
const NO_SECTOR: u32 = 0xFFFF_FFFA;

/// Most columns of a sheet (MS-XLS, section 2.5.53).
const MOST_COLUMNS: u16 = 256;

/// A container whose parts are where they should be.
struct Container<'a> {
    bytes: &'a [u8],
    sector: usize,
    next: Vec<u32>,
}

/// The records of an old workbook; none if it cannot be read without harm.
pub(super) fn sound_stream(bytes: &[u8]) -> Option<Vec<u8>> {
    workbook_stream(bytes).filter(|stream| are_records_sound(stream))
}

pub(super) fn u16_at(bytes: &[u8], at: usize) -> Option<u16> {
    bytes.get(at..at + 2).map(|two| u16::from_le_bytes([two[0], two[1]]))
}

pub(super) fn u32_at(bytes: &[u8], at: usize) -> Option<u32> {
    bytes.get(at..at + 4).map(|four| u32::from_le_bytes([four[0], four[1], four[2], four[3]]))
}

fn numbers(bytes: &[u8]) -> impl Iterator<Item = u32> + '_ {
    bytes.chunks_exact(4).map(|four| u32::from_le_bytes([four[0], four[1], four[2], four[3]]))
}

/// Whether no chain comes back to where it has been.
fn is_without_circles(next: &[u32]) -> bool {
    let mut chain_of = vec![0u32; next.len()];
    for start in 0..next.len() {
        let mark = start as u32 + 1;
        let mut at = start;
        while chain_of[at] == 0 {
            chain_of[at] = mark;
            match next.get(next[at] as usize) {
                Some(_) => at = next[at] as usize,
                None => break,
            }
            if chain_of[at] == mark {
                return false;
            }
        }
    }
    true
}

impl<'a> Container<'a> {
    /// Reads the header and the table of sectors (MS-CFB, sections 2.2 to 2.5).
    fn open(bytes: &'a [u8]) -> Option<Container<'a>> {
        let sector = match u16_at(bytes, 30)? {
            9 => 512,
            12 => 4_096,
            _ => return None,
        };
        let mut container = Container { bytes, sector, next: Vec::new() };
        let mut tables: Vec<u32> = numbers(bytes.get(76..512)?).collect();
        let mut further = u32_at(bytes, 68)?;
        let mut seen = HashSet::new();
        while further < NO_SECTOR {
            if !seen.insert(further) {
                return None;
            }
            tables.extend(numbers(container.sector_at(further)?));
            further = tables.pop()?;
        }
        tables.retain(|table| *table < NO_SECTOR);
        let are_different = tables.iter().collect::<HashSet<_>>().len() == tables.len();
        if !are_different {
            return None;
        }
        for table in tables {
            let sectors: Vec<u32> = numbers(container.sector_at(table)?).collect();
            container.next.extend(sectors);
        }
        is_without_circles(&container.next).then_some(container)
    }

    fn sector_at(&self, number: u32) -> Option<&'a [u8]> {
        let start = (number as usize).checked_add(1)?.checked_mul(self.sector)?;
        // The last sector of a file may be cut.
        self.bytes.get(start..).map(|rest| &rest[..rest.len().min(self.sector)]).filter(|rest| !rest.is_empty())
    }

    fn chain(&self, start: u32, most: usize) -> Option<Vec<u8>> {
        let mut content = Vec::new();
        let mut at = start;
        while at < NO_SECTOR && content.len() < most {
            content.extend_from_slice(self.sector_at(at)?);
            at = *self.next.get(at as usize)?;
        }
        content.truncate(most);
        Some(content)
    }
}

/// The stream of records (MS-XLS, section 2.1.2).
fn workbook_stream(bytes: &[u8]) -> Option<Vec<u8>> {
    /// A stream shorter than this lies in the small sectors.
    const SMALL: usize = 4_096;
    const SMALL_SECTOR: usize = 64;
    let container = Container::open(bytes)?;
    let directory = container.chain(u32_at(bytes, 48)?, usize::MAX)?;
    let entries: Vec<&[u8]> = directory.chunks_exact(128).collect();
    let place = |entry: &[u8]| Some((u32_at(entry, 116)?, u32_at(entry, 120)? as usize));
    let small_next: Vec<u32> = numbers(&container.chain(u32_at(bytes, 60)?, usize::MAX)?).collect();
    if !is_without_circles(&small_next) {
        return None;
    }
    let is_called = |entry: &[u8], name: &str| {
        let wanted: Vec<u8> = name.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect();
        entry.get(..wanted.len()).is_some_and(|begin| begin.eq_ignore_ascii_case(&wanted))
    };
    let entry = entries
        .iter()
        .find(|entry| is_called(entry, "Workbook"))
        .or_else(|| entries.iter().find(|entry| is_called(entry, "Book")))?;
    let (start, length) = place(entry)?;
    if length >= SMALL {
        return container.chain(start, length);
    }
    let (root_start, root_length) = place(entries.first()?)?;
    let small = container.chain(root_start, root_length)?;
    let mut stream = Vec::new();
    let mut at = start;
    while at < NO_SECTOR && stream.len() < length {
        let begin = at as usize * SMALL_SECTOR;
        stream.extend_from_slice(small.get(begin..small.len().min(begin + SMALL_SECTOR))?);
        at = *small_next.get(at as usize)?;
    }
    Some(stream)
}

/// Whether no cell and no dimension lies outside of what a sheet can have, from the beginning and from where each sheet
/// is said to begin.
fn are_records_sound(stream: &[u8]) -> bool {
    const SHEET: u16 = 0x0085;
    let mut sheets = Vec::new();
    let is_sound = records(stream, 0).all(|(kind, record)| {
        if kind == SHEET {
            sheets.extend(u32_at(record, 0));
        }
        is_record_sound(kind, record)
    });
    let is_sheet_sound = |begin: &u32| {
        let mut depth = 0u32;
        let in_sheet = records(stream, *begin as usize).take_while(|(kind, _)| {
            match kind {
                0x0809 => depth += 1,
                0x000A => depth = depth.saturating_sub(1),
                _ => {}
            }
            *kind != 0x000A || depth > 0
        });
        in_sheet.into_iter().all(|(kind, record)| is_record_sound(kind, record))
    };
    is_sound && sheets.iter().all(is_sheet_sound)
}

/// The records from `at` on: their kind and content (MS-XLS, section 2.1.4).
pub(super) fn records(stream: &[u8], mut at: usize) -> impl Iterator<Item = (u16, &[u8])> {
    std::iter::from_fn(move || {
        let (kind, length) = (u16_at(stream, at)?, usize::from(u16_at(stream, at + 2)?));
        let record = stream.get(at + 4..at + 4 + length)?;
        at += 4 + length;
        Some((kind, record))
    })
}

fn is_record_sound(kind: u16, record: &[u8]) -> bool {
    /// Records that hold a cell or several, which begin with its row and column (MS-XLS, section 2.4).
    const CELLS: [u16; 13] =
        [0x0006, 0x0206, 0x0406, 0x007E, 0x027E, 0x00BD, 0x00D6, 0x00FD, 0x0203, 0x0204, 0x0205, 0x0201, 0x00BE];
    const DIMENSIONS: u16 = 0x0200;
    const MOST_ROWS: u32 = 1 << 20;
    match kind {
        DIMENSIONS if record.len() >= 12 => {
            let rows = u32_at(record, 0).zip(u32_at(record, 4));
            rows.is_some_and(|(first, last)| first <= last.max(1) && last <= MOST_ROWS)
                && u16_at(record, 10).is_some_and(|last| last <= MOST_COLUMNS)
        }
        DIMENSIONS => u16_at(record, 6).is_some_and(|last| last <= MOST_COLUMNS),
        kind if CELLS.contains(&kind) => u16_at(record, 2).is_some_and(|column| column < MOST_COLUMNS),
        _ => true,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn circles_are_found_and_chains_that_join_are_none() {
        assert!(is_without_circles(&[1, 2, u32::MAX]));
        assert!(is_without_circles(&[2, 2, u32::MAX, 1]));
        assert!(!is_without_circles(&[1, 2, 0]));
        assert!(!is_without_circles(&[0]));
        assert!(!is_without_circles(&[1, 1]));
    }
}
