//! A workbook that is open, of whichever kind: its sheets and their cells.

use super::value;
use crate::workbook::kind::Kind;
use crate::workbook::value::Value;
use calamine::{Ods, Reader, SheetType, SheetVisible, Xls, Xlsb, Xlsx};
use pebblebank_table::units::MAX_COLUMNS;
use pebblebank_table::{Error, ErrorKind, Result};
use std::fs::File;
use std::io::BufReader;
use std::path::Path;

/// How many rows of a sheet are looked at to find the one with the contacts.
const ROWS_LOOKED_AT: u32 = 40;

/// An open workbook.
pub(super) enum Book {
    Xlsx(Box<Xlsx<BufReader<File>>>),
    Xlsb(Box<Xlsb<BufReader<File>>>),
    Xls(Box<Xls<BufReader<File>>>),
    Ods(Box<Ods<BufReader<File>>>),
}

impl Book {
    pub(super) fn open(kind: Kind, file: File, path: &Path) -> Result<Book> {
        let file = BufReader::new(file);
        Ok(match kind {
            Kind::Xlsx => Book::Xlsx(Box::new(Xlsx::new(file).map_err(|cause| match cause {
                calamine::XlsxError::Password => protected(path),
                cause => broken(path, &cause.to_string()),
            })?)),
            Kind::Xlsb => Book::Xlsb(Box::new(Xlsb::new(file).map_err(|cause| broken(path, &cause.to_string()))?)),
            Kind::Xls => Book::Xls(Box::new(Xls::new(file).map_err(|cause| match cause {
                calamine::XlsError::Password => protected(path),
                cause => broken(path, &cause.to_string()),
            })?)),
            Kind::Ods => Book::Ods(Box::new(Ods::new(file).map_err(|cause| match cause {
                calamine::OdsError::Password => protected(path),
                cause => broken(path, &cause.to_string()),
            })?)),
        })
    }

    /// The sheets that can hold rows, and whether each is hidden.
    pub(super) fn sheets(&self) -> Vec<(String, bool)> {
        let sheets = match self {
            Book::Xlsx(book) => book.sheets_metadata(),
            Book::Xlsb(book) => book.sheets_metadata(),
            Book::Xls(book) => book.sheets_metadata(),
            Book::Ods(book) => book.sheets_metadata(),
        };
        let with_rows = sheets.iter().filter(|sheet| sheet.typ == SheetType::WorkSheet);
        with_rows.map(|sheet| (sheet.name.clone(), sheet.visible != SheetVisible::Visible)).collect()
    }

    /// Hands every cell to `take`, row by row; up to row `most`, if that is given.
    pub(super) fn for_each_cell(
        &mut self,
        sheet: &str,
        path: &Path,
        most: Option<u32>,
        take: &mut dyn FnMut(u32, u32, Value) -> Result<()>,
    ) -> Result<()> {
        let fail = |cause: &dyn std::fmt::Display| broken(path, &cause.to_string());
        let is_enough = |row: u32| most.is_some_and(|most| row >= most);
        let range = match self {
            Book::Xlsx(book) => {
                let mut cells = book.worksheet_cells_reader(sheet).map_err(|cause| fail(&cause))?;
                let widths: Vec<usize> = cells.styles().iter().map(value::digits_of_code).collect();
                while let Some((cell, style)) = cells.next_cell_with_style_id().map_err(|cause| fail(&cause))? {
                    let (row, column) = cell.get_position();
                    if is_enough(row) {
                        break;
                    }
                    let value = Value::new(cell.get_value(), widths.get(style).copied().unwrap_or(0));
                    take(row, column, value)?;
                }
                return Ok(());
            }
            Book::Xlsb(book) => {
                let mut cells = book.worksheet_cells_reader(sheet).map_err(|cause| fail(&cause))?;
                while let Some(cell) = cells.next_cell().map_err(|cause| fail(&cause))? {
                    let (row, column) = cell.get_position();
                    if is_enough(row) {
                        break;
                    }
                    take(row, column, Value::new(cell.get_value(), 0))?;
                }
                return Ok(());
            }
            Book::Xls(book) => book.worksheet_range(sheet).map_err(|cause| fail(&cause)),
            Book::Ods(book) => book.worksheet_range(sheet).map_err(|cause| fail(&cause)),
        }?;
        let Some((first_row, first_column)) = range.start() else { return Ok(()) };
        for (row, column, data) in range.used_cells() {
            let row = row as u32 + first_row;
            if is_enough(row) {
                break;
            }
            take(row, column as u32 + first_column, Value::of_data(data))?;
        }
        Ok(())
    }

    /// The first rows of a sheet.
    pub(super) fn first_rows(&mut self, sheet: &str, path: &Path) -> Result<Vec<Vec<String>>> {
        let mut rows: Vec<Vec<String>> = Vec::new();
        let mut text = Vec::new();
        self.for_each_cell(sheet, path, Some(ROWS_LOOKED_AT), &mut |row, column, value| {
            let (row, column) = (row as usize, column as usize);
            if column < MAX_COLUMNS {
                rows.resize_with(rows.len().max(row + 1), Vec::new);
                let cells = &mut rows[row];
                cells.resize_with(cells.len().max(column + 1), String::new);
                text.clear();
                value.write(&mut text);
                cells[column] = String::from_utf8_lossy(&text).into_owned();
            }
            Ok(())
        })?;
        Ok(rows)
    }
}

/// The container of an encrypted workbook names its one part in UTF-16 (MS-OFFCRYPTO, section 2.1).
pub(super) fn holds_encrypted_package(bytes: &[u8]) -> bool {
    let name: Vec<u8> = "EncryptedPackage".encode_utf16().flat_map(u16::to_le_bytes).collect();
    memchr::memmem::find(bytes, &name).is_some()
}

pub(super) fn broken(path: &Path, cause: &str) -> Error {
    let cause = if cause.is_empty() { String::new() } else { format!(" ({cause})") };
    Error::new(
        ErrorKind::Input,
        format!("the workbook is damaged or cut short{cause}"),
        "open it with the program that made it and save it anew, or as CSV",
    )
    .in_file(path)
}

pub(super) fn protected(path: &Path) -> Error {
    Error::new(
        ErrorKind::Input,
        "the workbook is protected by a password",
        "open it with the password, save it without one (or as CSV), and hand that over",
    )
    .in_file(path)
}
