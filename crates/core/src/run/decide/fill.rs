//! What people are given from elsewhere before they are written: blank fields from their other rows, values from lists.
//!
//! The rows of people with several are read again, sorted by person on disk, and folded into one; so are the rows of
//! lists that values are taken from. The values are in a nameless temporary file, in the order of the rows, for the second
//! pass to read alongside.

use super::known::Known;
use crate::job::Job;
use crate::run::decide::folding::{Folding, sorted_copies};
use crate::run::decide::supply::{Supply, SupplyKind};
use crate::run::decide::taking::take_from_lists;
use crate::run::open::fit::fields_that_others_follow;
use crate::run::setting::Setting;
use crate::run::tally::{FillTally, TakenTally};
use pebblebank_table::observe::Observer;
use pebblebank_table::sorter::Sorter;
use pebblebank_table::spill::{Spill, SpillReader, SpillWriter};
use pebblebank_table::units::RowId;
use pebblebank_table::{Error, Result};

/// All supplies of a run, in the order of their rows.
#[derive(Debug)]
pub struct Supplies {
    spill: Spill,
    /// How much was filled.
    pub fill: FillTally,
    /// How much was taken, by list.
    pub taken: Vec<TakenTally>,
}

/// Reads supplies from the first on.
#[derive(Debug)]
pub struct SupplyReader {
    reader: SpillReader,
    ahead: Option<Supply>,
}

impl Supplies {
    /// Gathers what the job has people filled with; `conflicts` takes the differing values as rows of CSV.
    pub fn gather(
        job: &Job,
        known: &Known,
        setting: &Setting,
        observer: &dyn Observer,
        conflicts: &mut dyn FnMut(&[u8]) -> Result<()>,
    ) -> Result<Option<Supplies>> {
        let Some(columns) = &known.files.supplied else { return Ok(None) };
        let memory = setting.memory / 8;
        let mut supplies = Sorter::new(memory, &known.spool_folder);
        let mut fill = FillTally::default();
        if job.person.fill {
            let mut all = columns.columns.clone();
            all.extend(fields_that_others_follow(&columns.columns));
            let copies = sorted_copies(job, known, &all, setting, memory, observer)?;
            let (filled, supplies) = (columns.columns.len(), &mut supplies);
            Folding { known, job, columns: &all, filled, supplies, tally: &mut fill, conflicts }.fold(copies)?;
        }
        let taken = take_from_lists(job, known, columns, memory, &mut supplies, observer)?;
        let mut out = SpillWriter::new(&known.spool_folder)?;
        let mut sorted = supplies.finish()?;
        while let Some((key, payload)) = sorted.next()? {
            out.frame(&[&key[..5], payload])?;
        }
        Ok(Some(Supplies { spill: out.finish()?, fill, taken }))
    }

    /// Begins to read them.
    pub fn reader(&self) -> Result<SupplyReader> {
        let mut reader = SupplyReader { reader: self.spill.reader()?, ahead: None };
        reader.ahead = reader.read()?;
        Ok(reader)
    }
}

impl SupplyReader {
    /// Those of rows before `end`, as far as they were not given yet.
    pub fn up_to(&mut self, end: RowId) -> Result<Vec<Supply>> {
        let mut found = Vec::new();
        while let Some(supply) = self.ahead.take_if(|supply| supply.row < end) {
            found.push(supply);
            self.ahead = self.read()?;
        }
        Ok(found)
    }

    fn read(&mut self) -> Result<Option<Supply>> {
        let Some(frame) = self.reader.next()? else { return Ok(None) };
        let (head, payload) = frame.split_first_chunk::<5>().ok_or_else(Error::defect)?;
        let [a, b, c, d, kind] = *head;
        let row = RowId(u32::from_be_bytes([a, b, c, d]));
        Ok(Some(Supply { row, kind: SupplyKind::from_byte(kind), payload: payload.to_vec() }))
    }
}
