//! What the tables of a receipt tell of single rows.

use super::told::{Repair, RowStory};
use crate::receipt::people::{Fate, Person};
use crate::receipt::table::{Table, TableRow};
use crate::receipt::{Place, Receipt};
use pebblebank_core::suppress::reason::Reason;
use pebblebank_table::Result;

/// The tables that tell of rows.
pub(super) struct Tables {
    set_aside: Option<Table>,
    merged: Option<Table>,
    repairs: Option<Table>,
}

impl Tables {
    pub fn open(receipt: &Receipt) -> Result<Tables> {
        let is_as_written = |name: &str| !receipt.is_unsealed && !receipt.edited.iter().any(|edited| edited == name);
        let open = |name: &str| Table::open(&receipt.path(name), &receipt.inputs, is_as_written(name));
        Ok(Tables { set_aside: open("set-aside.csv")?, merged: open("merged.csv")?, repairs: open("repairs.csv")? })
    }

    /// The numbers of rows that were set aside or merged and have a cell like this, as the receipt kept them. A table of more
    /// than `most` bytes is not searched.
    pub fn rows_with(&mut self, receipt: &Receipt, is_it: &dyn Fn(&str) -> bool, most: u64) -> Result<Vec<u32>> {
        let mut found = Vec::new();
        let tables = [&mut self.set_aside, &mut self.merged].into_iter().flatten();
        for table in tables.filter(|table| table.bytes() <= most) {
            let numbers = table.places_with(is_it)?.into_iter().filter_map(|place| receipt.number(&place));
            found.extend(numbers.filter_map(|number| u32::try_from(number).ok()));
        }
        Ok(found)
    }

    /// The story of a row; none if its number is none of this run.
    pub fn row(&mut self, receipt: &Receipt, number: u32, person: Option<&Person>) -> Result<Option<RowStory>> {
        let Some(place) = receipt.place(u64::from(number)) else { return Ok(None) };
        let input = &receipt.inputs[place.input];
        let mut story = RowStory {
            number,
            source: input.of.clone(),
            file: input.file.clone(),
            fate: person.map_or(Fate::Written, |person| person.fate),
            details: String::new(),
            key: String::new(),
            survivor: None,
            taken: String::new(),
            read: Vec::new(),
            repairs: self.repairs_at(&place)?,
            consent: Vec::new(),
            note: String::new(),
            place: place.clone(),
        };
        if let Some(person) = person.filter(|person| person.survivor != person.row) {
            story.survivor = receipt.place(u64::from(person.survivor));
        }
        let is_known = person.is_some();
        if !is_known || matches!(story.fate, Fate::SetAside(_)) {
            self.tell_set_aside(&place, &mut story)?;
        }
        if !is_known || story.fate == Fate::Merged {
            self.tell_merged(receipt, &place, &mut story)?;
        }
        Ok(Some(story))
    }

    fn tell_set_aside(&mut self, place: &Place, story: &mut RowStory) -> Result<()> {
        let Some(table) = &mut self.set_aside else { return Ok(()) };
        let rows = table.at(place)?;
        let Some(row) = rows.first() else { return Ok(()) };
        let name = table.cell(row, "pebblebank_reason");
        if let Some(reason) = Reason::ALL.into_iter().find(|reason| reason.name() == name) {
            story.fate = Fate::SetAside(reason);
        }
        table.cell(row, "pebblebank_details").clone_into(&mut story.details);
        story.read = read_cells(table, row);
        Ok(())
    }

    fn tell_merged(&mut self, receipt: &Receipt, place: &Place, story: &mut RowStory) -> Result<()> {
        let Some(table) = &mut self.merged else { return Ok(()) };
        let rows = table.at(place)?;
        let Some(row) = rows.first() else { return Ok(()) };
        story.fate = Fate::Merged;
        table.cell(row, "pebblebank_key").clone_into(&mut story.key);
        table.cell(row, "pebblebank_taken").clone_into(&mut story.taken);
        let cell = |name: &str| table.cell(row, name);
        let (source, file) = (cell("pebblebank_survivor_source"), cell("pebblebank_survivor_file"));
        let is_it = |input: &&crate::receipt::Input| input.of == source && input.file == file && input.part == "source";
        let input = receipt.inputs.iter().position(|input| is_it(&input));
        let number = cell("pebblebank_survivor_row").parse().ok();
        story.survivor = input.zip(number).map(|(input, row)| Place { input, row }).or(story.survivor.take());
        story.read = read_cells(table, row);
        Ok(())
    }

    fn repairs_at(&mut self, place: &Place) -> Result<Vec<Repair>> {
        let Some(table) = &mut self.repairs else { return Ok(Vec::new()) };
        let rows = table.at(place)?;
        let repair = |row: &TableRow| {
            let cell = |name: &str| table.cell(row, name).to_owned();
            Repair {
                rule: cell("pebblebank_rule"),
                field: cell("pebblebank_field"),
                before: cell("pebblebank_before"),
                after: cell("pebblebank_after"),
            }
        };
        Ok(rows.iter().map(repair).collect())
    }
}

/// The cells that are filled, without those of the receipt itself.
fn read_cells(table: &Table, row: &TableRow) -> Vec<(String, String)> {
    let cells = table.header.iter().zip(&row.cells);
    let own = cells.filter(|(header, value)| !header.starts_with("pebblebank_") && !value.trim().is_empty());
    own.map(|(header, value)| (header.clone(), value.clone())).collect()
}
