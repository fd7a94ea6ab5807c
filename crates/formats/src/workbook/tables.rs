//! Several tables on one sheet: below each other under other headers, or beside each other under the same ones. A person
//! reads each under its own header, so their cells are put into the columns of the first.

use super::seen::Seen;
use super::sheet_rows::SheetRows;
use super::value::Value;
use pebblebank_table::Result;
use pebblebank_table::observe::{Finding, Weight};
use pebblebank_values::Field;
use pebblebank_values::fold::fold;
use pebblebank_values::headers::{self, Meaning};
use pebblebank_values::look::{self, Look};
use std::collections::HashMap;

/// Within how many rows the first header stands.
const HEADER_IS_WITHIN: u32 = 40;

/// In how many columns headers are looked for.
const COLUMNS_JUDGED: u32 = 200;

/// Watches the rows of a sheet for headers.
#[derive(Default)]
pub(super) struct TableWatch {
    headers: Vec<HeaderRow>,
    row: u32,
    cells: Vec<(u32, String)>,
    is_candidate: bool,
    is_data_below_header: bool,
    /// A header over two lines may be one of these.
    is_unsure: bool,
    is_filled: Vec<bool>,
    text: Vec<u8>,
}

/// A row that is a header: its cells, by their columns.
#[derive(Debug, Clone, PartialEq, Eq)]
struct HeaderRow {
    row: u32,
    cells: Vec<(u32, String)>,
    /// Whether an address stands in the row below, where the header says address.
    is_confirmed: bool,
}

/// What takes in what is met in a sheet.
pub(super) type Take<'a> = &'a mut dyn FnMut(Seen) -> Result<()>;

/// How the tables of a sheet become one.
pub(super) struct Tables {
    /// All headers, in the order of the columns.
    headers: Vec<String>,
    /// How many of them the first table has.
    first_width: u32,
    below: Vec<Table>,
    /// Those that stand to the right of the first.
    beside: Vec<Table>,
}

/// Where a table's cells go.
struct Table {
    header: u32,
    /// The columns of the sheet that are its own.
    own: std::ops::Range<u32>,
    target: HashMap<u32, u32>,
}

impl TableWatch {
    /// Looks at what was met.
    pub(super) fn look(&mut self, seen: &Seen) {
        let Seen::Cell { row, column, value } = seen else { return };
        if *value == Value::Nothing {
            return;
        }
        if *row != self.row || self.is_filled.is_empty() {
            self.end_row();
            let is_after_gap = *row > self.row + 1;
            let is_below_header = self.headers.last().is_some_and(|header| header.row + 1 == *row);
            let is_first = self.headers.is_empty() && *row < HEADER_IS_WITHIN;
            self.is_candidate = is_after_gap || is_below_header || is_first;
            self.row = *row;
        }
        let place = *column as usize;
        if place >= self.is_filled.len() {
            self.is_filled.resize(place + 1, false);
        }
        self.is_filled[place] = true;
        if self.is_candidate && *column < COLUMNS_JUDGED {
            self.text.clear();
            value.write(&mut self.text);
            self.cells.push((*column, String::from_utf8_lossy(&self.text).trim().to_owned()));
        }
    }

    fn end_row(&mut self) {
        let cells = std::mem::take(&mut self.cells);
        if !self.is_candidate || !is_header(&cells) {
            self.is_data_below_header |= !self.is_filled.is_empty();
            if let Some(last) = self.headers.last_mut().filter(|last| last.row + 1 == self.row) {
                last.is_confirmed = last.is_confirmed_by(&cells);
            }
            return;
        }
        let header = HeaderRow { row: self.row, cells, is_confirmed: false };
        match self.headers.last() {
            Some(last) if !self.is_data_below_header || last.row + 1 == header.row => self.is_unsure = true,
            // A header that comes again is known as one by its cells.
            Some(last) if last.says_the_same(&header) => {}
            _ => {
                self.headers.push(header);
                self.is_data_below_header = false;
            }
        }
    }

    /// How the tables become one; none where there is one only, or where that is not certain: rows under the wrong headers
    /// would be read as somebody else, so that they are left where they are, for the guard of second headers.
    pub(super) fn tables(mut self) -> Option<Tables> {
        self.end_row();
        let first = self.headers.first().filter(|_| !self.is_unsure)?;
        let is_wide = self.is_filled.len() > COLUMNS_JUDGED as usize;
        let is_confirmed = self.headers[1..].iter().all(|header| header.is_confirmed);
        let groups = self.groups(first);
        // Tables below and beside each other at once are told apart by nobody.
        if is_wide || !is_confirmed || (self.headers.len() < 2) == (groups.len() < 2) {
            return None;
        }
        let mut tables = Tables { headers: Vec::new(), first_width: 0, below: Vec::new(), beside: Vec::new() };
        let columns = if groups.len() > 1 { groups[0].clone() } else { 0..u32::MAX };
        let table = tables.first(first, columns);
        tables.below.push(table);
        for header in &self.headers[1..] {
            let table = tables.further(header, 0..u32::MAX);
            tables.below.push(table);
        }
        for columns in groups.into_iter().skip(1) {
            let table = tables.further(first, columns);
            tables.beside.push(table);
        }
        Some(tables)
    }

    /// The columns of the tables that stand beside each other: each with an address, the same headers, and an empty column
    /// between.
    fn groups(&self, header: &HeaderRow) -> Vec<std::ops::Range<u32>> {
        let end = self.is_filled.len() as u32;
        let is_empty = |column: &u32| !self.is_filled[*column as usize];
        let gaps = (0..end).filter(is_empty).chain([end]);
        let mut groups: Vec<std::ops::Range<u32>> = Vec::new();
        let mut begin = 0;
        for gap in gaps {
            if gap > begin {
                groups.push(begin..gap);
            }
            begin = gap + 1;
        }
        let texts = |group: &std::ops::Range<u32>| -> Vec<String> {
            let cells = header.cells.iter().filter(|(column, _)| group.contains(column));
            cells.map(|(_, text)| fold(text)).collect()
        };
        let first = groups.first().map(texts).unwrap_or_default();
        let has_address = header.cells.iter().any(|(column, text)| {
            groups.first().is_some_and(|group| group.contains(column))
                && headers::recognise(text) == Some(Meaning::Field(Field::Email))
        });
        let are_same = has_address && first.len() > 1 && groups.iter().all(|group| texts(group) == first);
        if are_same { groups } else { groups.into_iter().take(1).collect() }
    }
}

impl HeaderRow {
    fn is_confirmed_by(&self, below: &[(u32, String)]) -> bool {
        let says_address = |column: u32| {
            let is_email = |text: &str| headers::recognise(text) == Some(Meaning::Field(Field::Email));
            self.cells.iter().any(|(own, text)| *own == column && is_email(text))
        };
        below.iter().any(|(column, text)| says_address(*column) && look::holds_address(text))
    }

    fn says_the_same(&self, other: &HeaderRow) -> bool {
        self.cells.len() == other.cells.len()
            && self
                .cells
                .iter()
                .zip(&other.cells)
                .all(|(one, other)| one.0 == other.0 && fold(&one.1) == fold(&other.1))
    }
}

/// Whether a row is a header by its words alone: two of them at least, half of its cells, and nothing of a contact.
fn is_header(cells: &[(u32, String)]) -> bool {
    let is_of_contact = |text: &str| look::holds_address(text) || Look::of(text).is_typed();
    if cells.len() < 2 || cells.iter().any(|(_, text)| is_of_contact(text)) {
        return false;
    }
    let mut known: Vec<String> =
        cells.iter().filter(|(_, text)| headers::recognise(text).is_some()).map(|(_, text)| fold(text)).collect();
    known.sort_unstable();
    known.dedup();
    known.len() >= 2 && known.len() * 2 >= cells.len()
}

impl Tables {
    fn first(&mut self, header: &HeaderRow, own: std::ops::Range<u32>) -> Table {
        let last = header.cells.iter().filter(|(column, _)| own.contains(column)).map(|(column, _)| *column).max();
        self.first_width = last.map_or(0, |last| last + 1);
        self.headers = vec![String::new(); self.first_width as usize];
        let mut target = HashMap::new();
        for (column, text) in header.cells.iter().filter(|(column, _)| own.contains(column)) {
            self.headers[*column as usize].clone_from(text);
            target.insert(*column, *column);
        }
        Table { header: header.row, own, target }
    }

    /// A table whose columns are found among the headers, by their words or, where only one column has it, by their
    /// meaning; what is not found is a further column.
    fn further(&mut self, header: &HeaderRow, own: std::ops::Range<u32>) -> Table {
        let cells: Vec<&(u32, String)> = header.cells.iter().filter(|(column, _)| own.contains(column)).collect();
        let meaning = |text: &str| match headers::recognise(text) {
            Some(Meaning::Field(field)) => Some(field),
            _ => None,
        };
        let mut target = HashMap::new();
        let mut taken = vec![false; self.headers.len()];
        for (column, text) in &cells {
            let is_free = |place: &usize| !taken.get(*place).copied().unwrap_or(true);
            let by_words =
                (0..self.headers.len()).filter(is_free).find(|place| fold(&self.headers[*place]) == fold(text));
            let field = meaning(text)
                .filter(|field| cells.iter().filter(|(_, text)| meaning(text) == Some(*field)).count() == 1);
            let same: Vec<usize> = (0..self.headers.len())
                .filter(|place| field.is_some() && meaning(&self.headers[*place]) == field)
                .collect();
            let by_meaning = || same.first().copied().filter(|place| same.len() == 1 && is_free(place));
            let place = by_words.or_else(by_meaning).unwrap_or_else(|| {
                self.headers.push(text.clone());
                self.headers.len() - 1
            });
            taken.resize(self.headers.len(), false);
            taken[place] = true;
            target.insert(*column, place as u32);
        }
        Table { header: header.row, own, target }
    }

    /// Hands the cells of a sheet over, each in its column. `read` goes through the sheet.
    pub(super) fn read(&self, rows: &mut SheetRows, read: &mut dyn FnMut(Take) -> Result<()>) -> Result<()> {
        let mut row = RowOfTables { tables: self, number: 0, cells: Vec::new() };
        let mut last = 0;
        read(&mut |seen| {
            let Seen::Cell { row: number, column, value } = seen else { return self.take_other(seen, rows) };
            let place = self.below.iter().rposition(|table| table.header <= number).unwrap_or_default();
            last = last.max(number);
            row.take(&self.below[place], number, column, value, 0, rows)
        })?;
        row.hand_over(0, rows)?;
        for table in &self.beside {
            let above = rows.rows_so_far()?.max(last + 1);
            let mut row = RowOfTables { tables: self, number: 0, cells: Vec::new() };
            read(&mut |seen| {
                let Seen::Cell { row: number, column, value } = seen else { return Ok(()) };
                if number < table.header {
                    return Ok(());
                }
                row.take(table, number, column, value, above - table.header, rows)
            })?;
            row.hand_over(above - table.header, rows)?;
        }
        Ok(())
    }

    /// Takes what is no cell; merged cells only where the columns stay.
    pub(super) fn take_other(&self, seen: Seen, rows: &mut SheetRows) -> Result<()> {
        let is_moved = |row: u32| !self.beside.is_empty() || self.below.get(1).is_some_and(|table| row >= table.header);
        match seen {
            Seen::Spanning { row, .. } if is_moved(row) => Ok(()),
            _ => rows.take(0, seen),
        }
    }

    /// What to say.
    pub(super) fn findings(&self) -> Vec<Finding> {
        let first = self.below.first().map_or(0, |table| table.header + 1);
        let below = self.below.iter().skip(1).map(|table| {
            format!(
                "row {} begins another table, with a header of its own; its cells were read under the headers of row {first}",
                table.header + 1
            )
        });
        let beside = self.beside.iter().map(|table| {
            format!(
                "another table begins in column {} with the same headers, and was read below the first",
                table.own.start + 1
            )
        });
        below.chain(beside).map(|text| Finding::new("several-tables", Weight::Doubt, text)).collect()
    }
}

/// The cells of a row, before they are in the order of their columns.
struct RowOfTables<'a> {
    tables: &'a Tables,
    number: u32,
    cells: Vec<(u32, Vec<u8>)>,
}

impl RowOfTables<'_> {
    fn take(
        &mut self,
        table: &Table,
        number: u32,
        column: u32,
        value: Value,
        above: u32,
        rows: &mut SheetRows,
    ) -> Result<()> {
        if number != self.number {
            self.hand_over(above, rows)?;
            self.number = number;
        }
        // What stands above the header is of no table in particular, and may be an address.
        let is_elsewhere = number >= table.header && !table.own.contains(&column);
        if is_elsewhere || value == Value::Nothing {
            return Ok(());
        }
        // All tables have one header.
        if number == table.header {
            if self.cells.is_empty() {
                let headers = self.tables.headers.iter().enumerate();
                self.cells = headers.map(|(column, text)| (column as u32, text.clone().into_bytes())).collect();
            }
            return Ok(());
        }
        let further = self.tables.headers.len() as u32;
        let is_first = self.tables.below.first().is_some_and(|first| std::ptr::eq(first, table));
        // What stands under no header keeps its place, or comes to the right of all tables.
        let other = if is_first && column < self.tables.first_width { column } else { further + column };
        let target = table.target.get(&column).copied().unwrap_or(other);
        let mut text = Vec::new();
        value.write(&mut text);
        rows.note(above + number, &value);
        self.cells.push((target, text));
        Ok(())
    }

    fn hand_over(&mut self, above: u32, rows: &mut SheetRows) -> Result<()> {
        self.cells.sort_by_key(|(column, _)| *column);
        for (column, text) in self.cells.drain(..) {
            let text = String::from_utf8_lossy(&text);
            rows.take(0, Seen::Cell { row: above + self.number, column, value: Value::text(&text) })?;
        }
        Ok(())
    }
}
