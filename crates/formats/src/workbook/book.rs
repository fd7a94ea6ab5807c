//! A workbook that is open, of whichever kind: its sheets and their cells.

use super::binary_records::BinaryRecords;
use super::number_format::{NumberFormat, PLAIN};
use super::old_records::OldRecords;
use super::open_document::OpenDocument;
use super::refusals::{broken, protected};
use super::seen::Seen;
use crate::Input;
use crate::workbook::kind::Kind;
use crate::workbook::value::Value;
use calamine::{Reader, SheetType, SheetVisible, Xls, Xlsb, Xlsx};
use pebblebank_table::Result;
use pebblebank_table::units::MAX_COLUMNS;
use std::fs::File;
use std::io::BufReader;
use std::path::Path;

/// How many rows of a sheet are looked at to find the one with the contacts.
const ROWS_LOOKED_AT: u32 = 40;

/// An open workbook.
pub(super) enum Book<'a> {
    Xlsx(Box<Xlsx<BufReader<File>>>),
    Xlsb(Box<Xlsb<BufReader<File>>>, BinaryRecords<'a>),
    Xls(Box<Xls<BufReader<File>>>, OldRecords),
    Ods(OpenDocument<'a>),
}

impl<'a> Book<'a> {
    /// Opens a workbook; `old` are the records of an old one.
    pub(super) fn open(kind: Kind, input: &'a Input, old: Option<OldRecords>) -> Result<Book<'a>> {
        let path = input.path();
        let file = BufReader::new(input.packed_file()?);
        Ok(match (kind, old) {
            (Kind::Xlsx, _) => Book::Xlsx(Box::new(Xlsx::new(file).map_err(|cause| match cause {
                calamine::XlsxError::Password => protected(path),
                cause => broken(path, &cause.to_string()),
            })?)),
            (Kind::Xlsb, _) => {
                let book = Xlsb::new(file).map_err(|cause| broken(path, &cause.to_string()))?;
                Book::Xlsb(Box::new(book), BinaryRecords::new(input)?)
            }
            (Kind::Xls, old) => {
                let book = Xls::new(file).map_err(|cause| match cause {
                    calamine::XlsError::Password => protected(path),
                    cause => broken(path, &cause.to_string()),
                })?;
                Book::Xls(Box::new(book), old.unwrap_or_default())
            }
            (Kind::Ods, _) => Book::Ods(OpenDocument::open(input)?),
        })
    }

    /// The sheets that can hold rows, and whether each is hidden.
    pub(super) fn sheets(&self) -> Vec<(String, bool)> {
        let sheets = match self {
            Book::Xlsx(book) => book.sheets_metadata(),
            Book::Xlsb(book, _) => book.sheets_metadata(),
            Book::Xls(book, _) => book.sheets_metadata(),
            Book::Ods(book) => return book.sheets(),
        };
        let with_rows = sheets.iter().filter(|sheet| sheet.typ == SheetType::WorkSheet);
        with_rows.map(|sheet| (sheet.name.clone(), sheet.visible != SheetVisible::Visible)).collect()
    }

    /// Hands over what is in a sheet, row by row; up to row `most`, if that is given.
    pub(super) fn for_each(
        &mut self,
        sheet: &str,
        path: &Path,
        most: Option<u32>,
        take: &mut dyn FnMut(Seen) -> Result<()>,
    ) -> Result<()> {
        let fail = |cause: &dyn std::fmt::Display| broken(path, &cause.to_string());
        let is_enough = |row: u32| most.is_some_and(|most| row >= most);
        match self {
            Book::Xlsx(book) => {
                let mut cells = book.worksheet_cells_reader(sheet).map_err(|cause| fail(&cause))?;
                let format = |style: &calamine::Style| {
                    style.number_format.as_ref().map(|format| NumberFormat::of(&format.format_code))
                };
                let formats: Vec<NumberFormat> =
                    cells.styles().iter().map(|style| format(style).unwrap_or_default()).collect();
                while let Some((cell, style)) = cells.next_cell_with_style_id().map_err(|cause| fail(&cause))? {
                    let (row, column) = cell.get_position();
                    if is_enough(row) {
                        break;
                    }
                    let value = Value::new(cell.get_value(), formats.get(style).unwrap_or(&PLAIN));
                    take(Seen::Cell { row, column, value })?;
                }
            }
            Book::Xlsb(book, records) => {
                let place = book.sheets_metadata().iter().position(|about| about.name == sheet);
                let about = records.sheet(place, most);
                about.seen.iter().try_for_each(|seen| take(*seen))?;
                let mut cells = book.worksheet_cells_reader(sheet).map_err(|cause| fail(&cause))?;
                while let Some(cell) = cells.next_cell().map_err(|cause| fail(&cause))? {
                    let (row, column) = cell.get_position();
                    if is_enough(row) {
                        break;
                    }
                    let value = Value::new(cell.get_value(), records.format(&about, row, column));
                    take(Seen::Cell { row, column, value })?;
                }
            }
            Book::Xls(book, records) => {
                let place = book.sheets_metadata().iter().position(|about| about.name == sheet);
                let about = place.map(|place| records.sheet(place)).unwrap_or_default();
                about.seen.iter().try_for_each(|seen| take(*seen))?;
                let range = book.worksheet_range(sheet).map_err(|cause| fail(&cause))?;
                let Some((first_row, first_column)) = range.start() else { return Ok(()) };
                for (row, column, data) in range.used_cells() {
                    let (row, column) = (row as u32 + first_row, column as u32 + first_column);
                    if is_enough(row) {
                        break;
                    }
                    let value = Value::of_data(data, records.format(&about, row, column));
                    take(Seen::Cell { row, column, value })?;
                }
            }
            Book::Ods(book) => book.for_each(sheet, most, take)?,
        }
        Ok(())
    }

    /// The first rows of a sheet.
    pub(super) fn first_rows(&mut self, sheet: &str, path: &Path) -> Result<Vec<Vec<String>>> {
        let mut rows: Vec<Vec<String>> = Vec::new();
        let mut text = Vec::new();
        self.for_each(sheet, path, Some(ROWS_LOOKED_AT), &mut |seen| {
            let Seen::Cell { row, column, value } = seen else { return Ok(()) };
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
