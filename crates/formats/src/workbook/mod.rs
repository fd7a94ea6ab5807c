//! Workbooks (XLSX, XLSM, XLSB, XLS, ODS) → rows. The cells come from `calamine`; here it is decided which sheet is
//! meant, and what a stored value is as text.
//!
//! A row of the sheet is a row of the result, so that row numbers are those that a spreadsheet program shows.

mod binary_records;
mod book;
mod cell_size;
mod container;
pub(crate) mod kind;
mod markup;
mod number_format;
mod old_records;
mod open_document;
mod refusals;
mod seen;
mod sheet_rows;
mod tables;
mod value;

use crate::guarded::guarded;
use crate::unpack::{Packing, Unpacking, is_zip};
use crate::workbook::book::Book;
use crate::workbook::kind::Kind;
use crate::workbook::old_records::OldRecords;
use crate::workbook::refusals::{broken, holds_encrypted_package, protected};
use crate::workbook::seen::Seen;
use crate::workbook::sheet_rows::SheetRows;
use crate::workbook::tables::TableWatch;
use crate::{Input, ReadWishes};
use cell_size::{cells_fit, records_fit};
use pebblebank_table::error::closest;
use pebblebank_table::observe::{Finding, Observer, Weight};
use pebblebank_table::spool::{Extracted, RowSpool};
use pebblebank_table::units::RowNumber;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::unread::{self, RowGave, UnreadText};
use std::io::Read;
use std::path::Path;
use value::Value;

/// How many bytes a part of a workbook that must be held in memory may unpack to.
const MOST_HELD: u64 = 1 << 30;

/// Whether an archive with these members is a workbook.
pub fn is_workbook<'a>(mut names: impl Iterator<Item = &'a str>) -> bool {
    let is_its_part =
        |name: &str| name.starts_with("xl/workbook.") || name == "content.xml" || name.starts_with("xl/worksheets/");
    names.any(|name| is_its_part(&name.replace('\\', "/")))
}

/// Whether an archive with these members is a document of another kind.
pub fn is_other_document<'a>(mut names: impl Iterator<Item = &'a str>) -> bool {
    names.any(|name| name == "[Content_Types].xml" || name.starts_with("word/") || name.starts_with("ppt/"))
}

/// Whether these first bytes are those of a workbook, given that an archive that is none has been opened before.
pub fn begins_like_workbook(begin: &[u8]) -> bool {
    is_zip(begin) || begin.starts_with(&[0xD0, 0xCF, 0x11, 0xE0, 0xA1, 0xB1, 0x1A, 0xE1])
}

/// How likely some first rows are those of a table of contacts; 0 for not at all.
pub type Likeness<'a> = &'a dyn Fn(&[Vec<String>]) -> u32;

/// A sheet taken out of a workbook.
pub struct Sheet {
    /// Its rows.
    pub extracted: Extracted,
    /// Its name.
    pub name: String,
    /// The format, as users call it.
    pub format: &'static str,
    /// What looks like an address, a hash, a domain or a phone number on the other sheets.
    pub unread: Vec<UnreadText>,
}

/// The word that reads all sheets, one below the other.
const ALL_SHEETS: &str = "all";

/// So much is kept of the other sheets.
const UNREAD_KEPT: usize = 100_000;

/// Takes the sheet with the contacts, or the one that is named (or numbered, from 1), out of a workbook.
pub fn extract(
    input: &Input,
    wishes: &ReadWishes,
    likeness: Likeness,
    folder: &Path,
    observer: &dyn Observer,
) -> Result<Sheet> {
    let path = input.path();
    let sheet = wishes.sheet.as_deref();
    let kind = Kind::of(input)?;
    let old = if kind == Kind::Xls { Some(check_container(input)?) } else { None };
    if kind != Kind::Xls {
        check_sizes(input, kind)?;
    }
    let opened = guarded(|| Book::open(kind, input, old)).unwrap_or_else(|| Err(broken(path, "")));
    let mut book = opened?;
    let new_rows = || Ok(SheetRows::new(RowSpool::new(folder, path, input.bytes)?, observer, path));
    let taken = guarded(|| {
        let all = book.sheets();
        let is_called_all = all.iter().any(|(name, _)| name.trim().to_lowercase() == ALL_SHEETS);
        if sheet.is_some_and(|sheet| sheet.trim().to_lowercase() == ALL_SHEETS) && !is_called_all {
            return every_sheet(&mut book, new_rows()?, kind, input);
        }
        let (name, mut findings) = choose(&mut book, sheet, likeness, path)?;
        // Whoever says where the header is means that table.
        let watch = wishes.header_row.is_none().then(TableWatch::default);
        let mut reading = Reading { book: &mut book, kind, input, name: &name, findings: &mut findings };
        let rows = reading.rows(&new_rows, watch)?;
        let extracted = rows.finish(findings)?;
        let unread = unread_sheets(&mut book, &name, path)?;
        Ok(Sheet { extracted, name, format: kind.name(), unread })
    });
    taken.unwrap_or_else(|| Err(broken(path, "")))
}

/// The reading of a sheet.
struct Reading<'a, 'b> {
    book: &'a mut Book<'b>,
    kind: Kind,
    input: &'b Input,
    name: &'a str,
    findings: &'a mut Vec<Finding>,
}

impl Reading<'_, '_> {
    /// Reads the sheet. The rare one that has merged cells, which an `.xlsx` tells at its end, or several tables is read
    /// once more, now that they are known.
    fn rows<'r>(
        &mut self,
        new_rows: &dyn Fn() -> Result<SheetRows<'r>>,
        mut watch: Option<TableWatch>,
    ) -> Result<SheetRows<'r>> {
        let mut rows = new_rows()?;
        let told = self.each_and_told(&mut |seen| {
            if let Some(watch) = &mut watch {
                watch.look(&seen);
            }
            rows.take(0, seen)
        })?;
        let tables = watch.and_then(TableWatch::tables);
        let is_spanned = told.iter().any(|seen| matches!(seen, Seen::Spanning { .. }));
        if tables.is_none() && !is_spanned {
            told.iter().try_for_each(|seen| rows.take(0, *seen))?;
            return Ok(rows);
        }
        let mut rows = new_rows()?;
        if let Some(tables) = tables {
            told.iter().try_for_each(|seen| tables.take_other(*seen, &mut rows))?;
            self.findings.extend(tables.findings());
            tables.read(&mut rows, &mut |take| self.each(take))?;
        } else {
            told.iter().try_for_each(|seen| rows.take(0, *seen))?;
            self.each(&mut |seen| rows.take(0, seen))?;
        }
        Ok(rows)
    }

    fn each(&mut self, take: &mut dyn FnMut(Seen) -> Result<()>) -> Result<()> {
        self.book.for_each(self.name, self.input.path(), None, take)
    }

    /// The same, and what only the XML of an `.xlsx` tells, which is searched for at the same time.
    fn each_and_told(&mut self, take: &mut dyn FnMut(Seen) -> Result<()>) -> Result<Vec<Seen<'static>>> {
        if self.kind != Kind::Xlsx {
            self.each(take)?;
            return Ok(Vec::new());
        }
        let (input, name) = (self.input, self.name);
        std::thread::scope(|scope| {
            let search = std::thread::Builder::new().spawn_scoped(scope, || markup::of_xlsx(input, name));
            self.each(take)?;
            // Where the system gives no second thread, it is done afterwards.
            let found = search.map(std::thread::ScopedJoinHandle::join);
            Ok(found.map_or_else(|_| markup::of_xlsx(input, name), Result::unwrap_or_default))
        })
    }
}

/// All sheets, one below the other; a header that comes again is one line more.
fn every_sheet(book: &mut Book, mut rows: SheetRows, kind: Kind, input: &Input) -> Result<Sheet> {
    let mut names = Vec::new();
    for (name, _) in book.sheets() {
        let above = rows.rows_so_far()?;
        if kind == Kind::Xlsx {
            markup::of_xlsx(input, &name).into_iter().try_for_each(|seen| rows.take(above, seen))?;
        }
        book.for_each(&name, input.path(), None, &mut |seen| rows.take(above, seen))?;
        names.push(format!("\"{name}\""));
    }
    let text = format!("its {} sheets were read one below the other: {}", names.len(), names.join(", "));
    let extracted = rows.finish(vec![Finding::new("all-sheets", Weight::Note, text)])?;
    Ok(Sheet { extracted, name: ALL_SHEETS.to_owned(), format: kind.name(), unread: Vec::new() })
}

/// What looks like an entry of a list on the sheets that were not read.
fn unread_sheets(book: &mut Book, read: &str, path: &Path) -> Result<Vec<UnreadText>> {
    let mut found = Vec::new();
    let mut text = Vec::new();
    for (name, _) in book.sheets().into_iter().filter(|(name, _)| name != read) {
        book.for_each(&name, path, None, &mut |seen| {
            let Seen::Cell { row, column, value } = seen else { return Ok(()) };
            if found.len() >= UNREAD_KEPT || matches!(value, Value::Nothing | Value::Error) {
                return Ok(());
            }
            text.clear();
            value.write(&mut text);
            unread::look_at(&String::from_utf8_lossy(&text), RowGave::Entry, &mut |look, text| {
                let row = RowNumber(u64::from(row) + 1);
                found.push(UnreadText { sheet: Some(name.clone()), row, column: column as usize, look, text });
            });
            Ok(())
        })?;
    }
    Ok(found)
}

/// A part up to this size is read without looking whether its cells are too large.
const MOST_UNSEEN: u64 = 64 << 20;

/// A part that is larger than any workbook of contacts has is not unpacked into memory, nor is a cell that is.
fn check_sizes(input: &Input, kind: Kind) -> Result<()> {
    let path = input.path();
    for member in crate::unpack::members(input.packed_file()?, path)? {
        let name = member.name.replace('\\', "/");
        let is_streamed = kind == Kind::Xlsx && name.starts_with("xl/worksheets/");
        let is_held = name == "content.xml" || (name.starts_with("xl/") && !name.starts_with("xl/media/"));
        if !is_held {
            continue;
        }
        let fail = |cause: std::io::Error| pebblebank_table::encoding::unreadable(path, &cause);
        let fits_within = |most| member.unpacks_within(input.packed_file()?, most).map_err(fail);
        // Other parts, such as drawings and pivot tables, have no cells.
        let has_cells =
            ["content.xml", "xl/worksheets/", "xl/sharedStrings"].iter().any(|begin| name.starts_with(begin));
        if has_cells && !fits_within(MOST_UNSEEN)? {
            let part = Unpacking::new(input.packed_file()?, &Packing::Member(member.clone())).map_err(fail)?;
            let fit = if kind == Kind::Xlsb { records_fit(part) } else { cells_fit(part) };
            if !fit.map_err(fail)? {
                return Err(Error::new(
                    ErrorKind::Input,
                    format!("its part {name} has a single cell of more than 16 MiB, so this is no table of contacts"),
                    "open it with the program that made it and save the sheet with the contacts as CSV",
                )
                .in_file(path));
            }
        }
        if !is_streamed && !fits_within(MOST_HELD)? {
            return Err(Error::new(
                ErrorKind::Input,
                format!("its part {name} unpacks to more than {} MiB", MOST_HELD >> 20),
                "open it with the program that made it and save the sheet as CSV",
            )
            .in_file(path));
        }
    }
    Ok(())
}

/// An old workbook is read into memory as a whole; it must be what it says.
fn check_container(input: &Input) -> Result<OldRecords> {
    let path = input.path();
    let mut bytes = Vec::new();
    let read = input.packed_file()?.take(MOST_HELD + 1).read_to_end(&mut bytes);
    read.map_err(|cause| Error::unreadable(path, &cause))?;
    if holds_encrypted_package(&bytes) {
        return Err(protected(path));
    }
    let is_too_large = bytes.len() as u64 > MOST_HELD;
    let stream = container::sound_stream(&bytes).filter(|_| !is_too_large).ok_or_else(|| broken(path, ""))?;
    Ok(OldRecords::new(stream))
}

/// The sheet that is named; else the one whose first rows look most like contacts, the first among equals. One that
/// nobody sees is only read where none that is seen has contacts.
fn choose(book: &mut Book, wanted: Option<&str>, likeness: Likeness, path: &Path) -> Result<(String, Vec<Finding>)> {
    let sheets = book.sheets();
    if let Some(wanted) = wanted {
        return named(&sheets, wanted, path).map(|name| (name, Vec::new()));
    }
    let mut judged = Vec::with_capacity(sheets.len());
    for (index, (name, is_hidden)) in sheets.iter().enumerate() {
        let likeness = likeness(&book.first_rows(name, path)?);
        judged.push((likeness > 1 && !is_hidden, likeness, !is_hidden, std::cmp::Reverse(index), name.clone()));
    }
    let Some((.., is_visible, _, best)) = judged.iter().max() else {
        return Err(Error::new(ErrorKind::Input, "the workbook has no sheet with rows", "check that it is the export")
            .in_file(path));
    };
    let mut findings = Vec::new();
    let others: Vec<String> = judged
        .iter()
        .filter(|(_, likeness, .., name)| name != best && *likeness > 1)
        .map(|(.., name)| format!("\"{name}\""))
        .collect();
    if !others.is_empty() {
        let what = format!("the sheet \"{best}\" was read; {} may have contacts, too:", others.join(", "));
        let finding = Finding::new("several-sheets", Weight::Doubt, format!("{what} --sheet NAME reads another"));
        findings.push(finding.or_in_job(format!("{what} sheet = \"NAME\" reads another")));
    }
    if !is_visible {
        let text = format!("the sheet \"{best}\", which was read, is hidden in the workbook");
        findings.push(Finding::new("hidden-sheet", Weight::Doubt, text));
    }
    Ok((best.clone(), findings))
}

fn named(sheets: &[(String, bool)], wanted: &str, path: &Path) -> Result<String> {
    let by_name = sheets.iter().find(|(name, _)| name.trim().to_lowercase() == wanted.trim().to_lowercase());
    let by_number = || wanted.trim().parse::<usize>().ok().and_then(|number| sheets.get(number.checked_sub(1)?));
    if let Some((name, _)) = by_name.or_else(by_number) {
        return Ok(name.clone());
    }
    let advice = match closest(wanted, sheets.iter().map(|(name, _)| name.as_str())) {
        Some(near) => format!("did you mean \"{near}\"?"),
        None => "name one of its sheets, or leave sheet out to have it found".to_owned(),
    };
    let names = sheets.iter().map(|(name, _)| format!("\"{name}\"")).collect::<Vec<_>>().join(", ");
    Err(Error::new(ErrorKind::Columns, format!("the workbook has no sheet \"{wanted}\""), advice)
        .in_file(path)
        .expected(format!("one of {names}")))
}
