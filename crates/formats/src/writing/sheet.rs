//! Rows → the sheets of an Office Open XML workbook (ECMA-376). Every cell is text, so that phone numbers and codes keep
//! their zeros and signs, and nothing is run as a formula.

use pebblebank_table::{Error, ErrorKind, Result};
use rust_xlsxwriter::{DocProperties, ExcelDateTime, Format, Workbook, XlsxError};
use std::fs::File;
use std::path::Path;

/// How many rows a sheet holds, the header included.
pub const SHEET_ROWS: u32 = 1 << 20;

/// How many columns a sheet holds.
pub const SHEET_COLUMNS: usize = 1 << 14;

/// How many UTF-16 units a cell holds.
pub const SHEET_CELL_UNITS: usize = 32_767;

/// How many rows decide how wide the columns are.
const ROWS_FOR_WIDTHS: u32 = 200;

/// The narrowest and the widest column, in characters.
const WIDTHS: (usize, usize) = (8, 44);

/// A row as it is kept until it is written: the number of cells, then each cell after its length.
pub fn pack_row<'a>(cells: impl Iterator<Item = &'a [u8]>, out: &mut Vec<u8>) {
    for cell in cells {
        out.extend_from_slice(&(cell.len() as u32).to_le_bytes());
        out.extend_from_slice(cell);
    }
}

/// The cells of a row that was packed.
pub fn unpacked(mut row: &[u8]) -> impl Iterator<Item = &[u8]> {
    std::iter::from_fn(move || {
        let (length, rest) = row.split_first_chunk::<4>()?;
        let (cell, rest) = rest.split_at_checked(u32::from_le_bytes(*length) as usize)?;
        row = rest;
        Some(cell)
    })
}

/// Line ends inside a cell as XML keeps them (XML 1.0, section 2.11).
pub fn with_line_feeds(text: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(text.len());
    let mut bytes = text.iter().peekable();
    while let Some(byte) = bytes.next() {
        match byte {
            b'\r' if bytes.peek() == Some(&&b'\n') => {}
            b'\r' => out.push(b'\n'),
            byte => out.push(*byte),
        }
    }
    out
}

/// Whether a cell of a sheet can hold the text: not too long, and no control character besides tab and line ends
/// (XML 1.0, section 2.2).
pub fn fits_cell(text: &str) -> bool {
    let is_allowed = |character: char| !matches!(character, '\u{0}'..='\u{8}' | '\u{b}' | '\u{c}' | '\u{e}'..='\u{1f}' | '\u{fffe}' | '\u{ffff}');
    // What reads like the escape of a character would be taken for one.
    let is_escape = text.contains("_x") && text.as_bytes().windows(7).any(is_escape);
    text.chars().all(is_allowed) && !is_escape && text.encode_utf16().count() <= SHEET_CELL_UNITS
}

fn is_escape(text: &[u8]) -> bool {
    text.starts_with(b"_x") && text[6] == b'_' && text[2..6].iter().all(u8::is_ascii_hexdigit)
}

/// A workbook that rows are added to, which are kept on disk in `folder` and not in memory.
pub struct Sheets {
    workbook: Workbook,
    header: Option<Vec<String>>,
    /// The row below the last one of the last sheet.
    next_row: u32,
    widths: Vec<usize>,
    sheets: usize,
    rows_in_a_sheet: u32,
}

impl Sheets {
    /// A workbook of the day `year`, `month`, `day`, which its properties name as that of its making: the same rows give the
    /// same bytes. The header, where there is one, stands above the rows of every sheet.
    pub fn new(header: Option<Vec<String>>, columns: usize, day: (u16, u8, u8), folder: &Path) -> Result<Sheets> {
        let failed = |cause: XlsxError| unwritable(folder, &cause);
        let mut workbook = Workbook::new();
        workbook.set_tempdir(folder).map_err(failed)?;
        let day = ExcelDateTime::from_ymd(day.0, day.1, day.2).map_err(failed)?;
        workbook.set_properties(&DocProperties::new().set_creation_datetime(&day));
        let widths = vec![WIDTHS.0; columns];
        let mut sheets = Sheets { workbook, header, next_row: 0, widths, sheets: 0, rows_in_a_sheet: SHEET_ROWS };
        sheets.begin_sheet().map_err(failed)?;
        Ok(sheets)
    }

    /// How many sheets there are.
    pub fn count(&self) -> usize {
        self.sheets
    }

    /// Adds rows that were packed; `ends` says where each ends.
    pub fn add(&mut self, rows: &[u8], ends: &[usize], folder: &Path) -> Result<()> {
        let mut start = 0;
        for end in ends {
            self.add_row(&rows[start..*end]).map_err(|cause| unwritable(folder, &cause))?;
            start = *end;
        }
        Ok(())
    }

    fn begin_sheet(&mut self) -> std::result::Result<(), XlsxError> {
        self.finish_sheet()?;
        self.sheets += 1;
        let name = if self.sheets == 1 { "Contacts".to_owned() } else { format!("Contacts {}", self.sheets) };
        let sheet = self.workbook.add_worksheet_with_constant_memory()?;
        sheet.set_name(name)?;
        // What is typed into a cell later stays text too.
        let text = Format::new().set_num_format("@");
        for column in 0..self.widths.len() {
            sheet.set_column_format(column as u16, &text)?;
        }
        self.next_row = 0;
        if let Some(header) = &self.header {
            let bold = Format::new().set_bold().set_num_format("@");
            for (column, name) in header.iter().enumerate() {
                sheet.write_string_with_format(0, column as u16, name, &bold)?;
            }
            sheet.set_freeze_panes(1, 0)?;
            self.next_row = 1;
        }
        Ok(())
    }

    fn add_row(&mut self, row: &[u8]) -> std::result::Result<(), XlsxError> {
        if self.next_row == self.rows_in_a_sheet {
            self.begin_sheet()?;
        }
        let sheet = self.workbook.worksheet_from_index(self.sheets - 1)?;
        for (column, cell) in unpacked(row).enumerate() {
            if cell.is_empty() {
                continue;
            }
            let text = std::str::from_utf8(cell).unwrap_or_default();
            sheet.write_string(self.next_row, column as u16, text)?;
            if self.next_row <= ROWS_FOR_WIDTHS
                && let Some(width) = self.widths.get_mut(column)
            {
                *width = (*width).max(text.chars().take(WIDTHS.1).count() + 2).min(WIDTHS.1);
            }
        }
        self.next_row += 1;
        Ok(())
    }

    fn finish_sheet(&mut self) -> std::result::Result<(), XlsxError> {
        if self.sheets == 0 {
            return Ok(());
        }
        let sheet = self.workbook.worksheet_from_index(self.sheets - 1)?;
        for (column, width) in self.widths.iter().enumerate() {
            let header = self.header.as_ref().and_then(|header| header.get(column));
            // Room for the sign of the filter beside the name.
            let of_header = header.map_or(0, |name| name.chars().count() + 5);
            sheet.set_column_width(column as u16, of_header.min(WIDTHS.1).max(*width) as f64)?;
        }
        if self.header.is_some() && self.next_row > 1 && !self.widths.is_empty() {
            sheet.autofilter(0, 0, self.next_row - 1, self.widths.len() as u16 - 1)?;
        }
        Ok(())
    }

    /// Writes the workbook into `file`, which is shown as `target`.
    pub fn save(mut self, file: File, target: &Path) -> Result<()> {
        let failed = |cause: XlsxError| unwritable(target, &cause);
        self.finish_sheet().map_err(failed)?;
        self.workbook.save_to_writer(file).map_err(failed)
    }
}

fn unwritable(target: &Path, cause: &XlsxError) -> Error {
    match cause {
        XlsxError::IoError(cause) => Error::unwritable(target, cause),
        other => {
            let what = format!("the workbook could not be written: {other}");
            Error::new(ErrorKind::Output, what, "write it as .csv instead").in_file(target)
        }
    }
}
