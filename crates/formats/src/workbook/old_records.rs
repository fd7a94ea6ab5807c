//! What the records of an old workbook (MS-XLS) say beside the values: number formats, hidden rows and columns, merged
//! cells. The library that reads cells does not tell.

use super::container::{records, u16_at, u32_at};
use super::number_format::{NumberFormat, PLAIN};
use super::seen::Seen;
use std::collections::HashMap;

/// The formats and sheets of a workbook.
#[derive(Default)]
pub(super) struct OldRecords {
    stream: Vec<u8>,
    /// The number format of each cell format.
    formats: Vec<NumberFormat>,
    /// Where each sheet begins.
    sheets: Vec<usize>,
}

/// What is said of a sheet.
#[derive(Default)]
pub(super) struct OldSheet {
    /// The cells whose number format says more than the number.
    formats: HashMap<(u32, u32), u16>,
    pub(super) seen: Vec<Seen<'static>>,
}

impl OldRecords {
    pub(super) fn new(stream: Vec<u8>) -> OldRecords {
        /// MS-XLS, sections 2.4.21, 2.4.126, 2.4.353, 2.4.28 and 2.4.103.
        const BEGIN: u16 = 0x0809;
        const FORMAT: u16 = 0x041E;
        const CELL_FORMAT: u16 = 0x00E0;
        const SHEET: u16 = 0x0085;
        const END: u16 = 0x000A;
        let mut codes: HashMap<u16, NumberFormat> = HashMap::new();
        let (mut of_cells, mut sheets) = (Vec::new(), Vec::new());
        let mut is_unicode = true;
        for (kind, record) in records(&stream, 0) {
            match kind {
                BEGIN => is_unicode = u16_at(record, 0).is_none_or(|version| version >= 0x0600),
                FORMAT => {
                    let code = u16_at(record, 0).zip(record.get(2..).and_then(|text| text_of(text, is_unicode)));
                    codes.extend(code.map(|(number, code)| (number, NumberFormat::of(&code))));
                }
                CELL_FORMAT => of_cells.extend(u16_at(record, 2)),
                SHEET => sheets.extend(u32_at(record, 0).map(|begin| begin as usize)),
                END => break,
                _ => {}
            }
        }
        let format = |number: u16| codes.get(&number).cloned().unwrap_or_else(|| NumberFormat::built_in(number));
        let formats = of_cells.into_iter().map(format).collect();
        OldRecords { stream, formats, sheets }
    }

    /// What is said of a sheet, by its place among all.
    pub(super) fn sheet(&self, place: usize) -> OldSheet {
        let mut sheet = OldSheet::default();
        let Some(begin) = self.sheets.get(place) else { return sheet };
        let mut depth = 0u32;
        for (kind, record) in records(&self.stream, *begin) {
            match kind {
                0x0809 => depth += 1,
                0x000A if depth <= 1 => break,
                0x000A => depth -= 1,
                // A chart within the sheet has cells of its own.
                _ if depth > 1 => {}
                _ => self.take(&mut sheet, kind, record),
            }
        }
        sheet
    }

    fn take(&self, sheet: &mut OldSheet, kind: u16, record: &[u8]) {
        /// MS-XLS, sections 2.4.221, 2.4.53, 2.4.168, 2.4.175, 2.4.180, 2.4.220 and 2.4.127.
        const ROW: u16 = 0x0208;
        const COLUMNS: u16 = 0x007D;
        const MERGED: u16 = 0x00E5;
        const SEVERAL: u16 = 0x00BD;
        let at = |place| u16_at(record, place);
        match kind {
            0x0203 | 0x027E | 0x0006 => self.format_of_cell(sheet, at(0), at(2), at(4)),
            SEVERAL => {
                // The row, the first column, then a format and a number for each column, then the last column.
                let cells = record.len().saturating_sub(6) / 6;
                for cell in 0..cells {
                    let column = at(2).and_then(|first| first.checked_add(cell as u16));
                    self.format_of_cell(sheet, at(0), column, at(4 + 6 * cell));
                }
            }
            ROW => {
                let (is_hidden, has_cells) = (at(12).is_some_and(|bits| bits & 0x20 != 0), at(2) < at(4));
                let hidden = at(0).filter(|_| is_hidden && has_cells);
                sheet.seen.extend(hidden.map(|row| Seen::HiddenRow { row: u32::from(row) }));
            }
            COLUMNS => {
                let is_hidden = at(8).is_some_and(|bits| bits & 1 != 0);
                // What is hidden up to the last column is nothing but empty.
                let columns = at(0).zip(at(2)).filter(|(_, last)| is_hidden && *last < 255);
                let count = columns.map(|(first, last)| u64::from(last.saturating_sub(first)) + 1);
                sheet.seen.extend(count.map(|count| Seen::HiddenColumns { count }));
            }
            MERGED => {
                for area in record.get(2..).unwrap_or_default().chunks_exact(8) {
                    let [first, last, column] = [0, 2, 4].map(|place| u16_at(area, place).map_or(0, u32::from));
                    sheet.seen.extend((last > first).then_some(Seen::Spanning { row: first, column, last }));
                }
            }
            _ => {}
        }
    }

    fn format_of_cell(&self, sheet: &mut OldSheet, row: Option<u16>, column: Option<u16>, format: Option<u16>) {
        let (Some(row), Some(column), Some(format)) = (row, column, format) else { return };
        if self.formats.get(usize::from(format)).is_some_and(|format| !format.is_plain()) {
            sheet.formats.insert((u32::from(row), u32::from(column)), format);
        }
    }

    /// The number format of a cell.
    pub(super) fn format(&self, sheet: &OldSheet, row: u32, column: u32) -> &NumberFormat {
        let format = sheet.formats.get(&(row, column));
        format.and_then(|format| self.formats.get(usize::from(*format))).unwrap_or(&PLAIN)
    }
}

/// A text: how many letters, how they are kept, and they (MS-XLS, section 2.5.294; before version 8 a byte for each).
fn text_of(bytes: &[u8], is_unicode: bool) -> Option<String> {
    if !is_unicode {
        let length = usize::from(*bytes.first()?);
        return Some(bytes.get(1..=length)?.iter().map(|byte| char::from(*byte)).collect());
    }
    let (length, is_wide) = (usize::from(u16_at(bytes, 0)?), bytes.get(2)? & 1 != 0);
    let letters = bytes.get(3..)?;
    if !is_wide {
        return Some(letters.get(..length)?.iter().map(|byte| char::from(*byte)).collect());
    }
    let units: Vec<u16> = letters.get(..2 * length)?.chunks_exact(2).filter_map(|two| u16_at(two, 0)).collect();
    Some(String::from_utf16_lossy(&units))
}
