//! What the records of a binary workbook (MS-XLSB) say beside the values: number formats, hidden rows and columns, merged
//! cells. The library that reads cells does not tell.

use super::cell_size::number;
use super::container::{u16_at, u32_at};
use super::markup::{attribute, open_part, read_part, tags};
use super::number_format::{NumberFormat, PLAIN};
use super::seen::Seen;
use crate::Input;
use pebblebank_table::Result;
use std::collections::HashMap;
use std::io::{BufReader, Read};

/// The formats and sheets of a workbook.
pub(super) struct BinaryRecords<'a> {
    input: &'a Input,
    /// The number format of each cell format.
    formats: Vec<NumberFormat>,
    /// The part of each sheet, by its place among all.
    parts: Vec<String>,
}

/// What is said of a sheet.
#[derive(Default)]
pub(super) struct BinarySheet {
    /// The cells whose number format says more than the number.
    formats: HashMap<(u32, u32), u32>,
    pub(super) seen: Vec<Seen<'static>>,
}

impl<'a> BinaryRecords<'a> {
    pub(super) fn new(input: &'a Input) -> Result<BinaryRecords<'a>> {
        /// MS-XLSB, sections 2.4.695, 2.4.853, 2.4.45, 2.4.378.
        const FORMAT: u64 = 44;
        const CELL_FORMAT: u64 = 47;
        const CELL_FORMATS_BEGIN: u64 = 617;
        const CELL_FORMATS_END: u64 = 618;
        let mut codes: HashMap<u16, NumberFormat> = HashMap::new();
        let mut formats = Vec::new();
        let mut is_of_cells = false;
        for_each_record(input, "xl/styles.bin", |kind, record| {
            match kind {
                FORMAT => {
                    let code = u16_at(record, 0).zip(record.get(2..).and_then(text_of));
                    codes.extend(code.map(|(number, code)| (number, NumberFormat::of(&code))));
                }
                CELL_FORMATS_BEGIN => is_of_cells = true,
                CELL_FORMATS_END => is_of_cells = false,
                CELL_FORMAT if is_of_cells => {
                    let number = u16_at(record, 2).unwrap_or_default();
                    formats.push(codes.get(&number).cloned().unwrap_or_else(|| NumberFormat::built_in(number)));
                }
                _ => {}
            }
            true
        })?;
        Ok(BinaryRecords { input, formats, parts: parts_of_sheets(input)? })
    }

    /// What is said of a sheet, by its place among all; of its rows up to `most`, if that is given.
    pub(super) fn sheet(&self, place: Option<usize>, most: Option<u32>) -> BinarySheet {
        let mut sheet = BinarySheet::default();
        let mut row = 0;
        if let Some(part) = place.and_then(|place| self.parts.get(place)) {
            // What cannot be found out is not said: the cells are read all the same.
            let _ = for_each_record(self.input, part, |kind, record| {
                self.take(&mut sheet, &mut row, kind, record);
                most.is_none_or(|most| row < most)
            });
        }
        sheet
    }

    fn take(&self, sheet: &mut BinarySheet, row: &mut u32, kind: u64, record: &[u8]) {
        /// MS-XLSB, sections 2.4.741, 2.4.320, 2.4.700.
        const ROW: u64 = 0;
        const COLUMNS: u64 = 60;
        const MERGED: u64 = 176;
        let at = |place| u32_at(record, place);
        match kind {
            ROW => {
                *row = at(0).unwrap_or_default();
                let is_hidden = record.get(11).is_some_and(|bits| bits & 0x10 != 0);
                sheet.seen.extend(is_hidden.then_some(Seen::HiddenRow { row: *row }));
            }
            // Numbers, as they are or as a formula's value: the column, then the format in 24 bits.
            2 | 5 | 9 => {
                if let (Some(column), Some(format)) = (at(0), at(4)) {
                    let format = format & 0x00FF_FFFF;
                    if self.formats.get(format as usize).is_some_and(|format| !format.is_plain()) {
                        sheet.formats.insert((*row, column), format);
                    }
                }
            }
            COLUMNS => {
                let is_hidden = u16_at(record, 16).is_some_and(|bits| bits & 1 != 0);
                let columns = at(0).zip(at(4)).filter(|(_, last)| is_hidden && *last < 16_383);
                let count = columns.map(|(first, last)| u64::from(last.saturating_sub(first)) + 1);
                sheet.seen.extend(count.map(|count| Seen::HiddenColumns { count }));
            }
            MERGED => {
                if let (Some(first), Some(last), Some(column)) = (at(0), at(4), at(8)) {
                    sheet.seen.extend((last > first).then_some(Seen::Spanning { row: first, column, last }));
                }
            }
            _ => {}
        }
    }

    /// The number format of a cell.
    pub(super) fn format(&self, sheet: &BinarySheet, row: u32, column: u32) -> &NumberFormat {
        let format = sheet.formats.get(&(row, column));
        format.and_then(|format| self.formats.get(*format as usize)).unwrap_or(&PLAIN)
    }
}

/// The parts of the sheets, in their order (MS-XLSB, section 2.4.304).
fn parts_of_sheets(input: &Input) -> Result<Vec<String>> {
    const SHEET: u64 = 156;
    let relations = read_part(input, "xl/_rels/workbook.bin.rels")?.unwrap_or_default();
    let mut parts = Vec::new();
    for_each_record(input, "xl/workbook.bin", |kind, record| {
        if kind == SHEET {
            let relation = record.get(8..).and_then(text_of);
            let target = tags(&relations, "Relationship")
                .find(|tag| relation.is_some() && attribute(tag, "Id") == relation.as_deref())
                .and_then(|tag| attribute(tag, "Target"));
            let part = |target: &str| target.strip_prefix('/').map_or(format!("xl/{target}"), str::to_owned);
            parts.push(target.map(part).unwrap_or_default());
        }
        true
    })?;
    Ok(parts)
}

/// Calls `each` with the records of a part as long as it says so; a part that is not there has none.
fn for_each_record(input: &Input, part: &str, mut each: impl FnMut(u64, &[u8]) -> bool) -> Result<()> {
    let fail = |cause: std::io::Error| pebblebank_table::encoding::unreadable(input.path(), &cause);
    let Some(part) = open_part(input, part)? else { return Ok(()) };
    let mut part = BufReader::with_capacity(256 << 10, part);
    let mut record = Vec::new();
    while let Some(kind) = number(&mut part, 2).map_err(fail)? {
        let Some(length) = number(&mut part, 4).map_err(fail)? else { break };
        record.clear();
        let read = part.by_ref().take(length).read_to_end(&mut record).map_err(fail)?;
        if (read as u64) < length || !each(kind, &record) {
            break;
        }
    }
    Ok(())
}

/// A text: how many letters, and they (MS-XLSB, section 2.5.168).
fn text_of(bytes: &[u8]) -> Option<String> {
    let length = u32_at(bytes, 0)? as usize;
    let letters = bytes.get(4..4 + length.checked_mul(2)?)?;
    let units: Vec<u16> = letters.chunks_exact(2).filter_map(|two| u16_at(two, 0)).collect();
    Some(String::from_utf16_lossy(&units))
}
