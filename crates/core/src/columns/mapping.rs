//! The columns of one file → fields, consent columns, further addresses, extra columns.

use super::mapper::Unmapped;
use crate::columns::map::{ColumnMap, distinct_headers};
use crate::columns::mapper::Mapper;
use crate::columns::wishes::ConsentQuestions;
use pebblebank_table::Result;
use pebblebank_table::observe::Finding;
use pebblebank_table::units::ColumnIndex;

/// A map, and what should be said about it.
#[derive(Debug, Clone)]
pub struct Mapping {
    /// The map.
    pub map: ColumnMap,
    /// What was taken, and could be otherwise.
    pub findings: Vec<Finding>,
}

/// Maps the columns of a file.
pub fn map_columns(file: &Unmapped) -> Result<Mapping> {
    let mut mapper = Mapper {
        file,
        map: ColumnMap::unknown(distinct_headers(&file.table.headers), usual_cells(file)),
        taken: vec![false; file.table.headers.len()],
        findings: Vec::new(),
    };
    mapper.drop_receipt_columns();
    mapper.take_wishes()?;
    mapper.take_own()?;
    mapper.take_recognised()?;
    mapper.find_addresses_by_values();
    if file.consent_questions != ConsentQuestions::Ignore {
        mapper.judge_consent()?;
    }
    let Mapper { mut map, taken, findings, .. } = mapper;
    let is_own = |column: &usize| map.own.iter().any(|(own, _)| own.0 == *column);
    map.extras = (0..map.width()).filter(|column| !taken[*column] || is_own(column)).map(ColumnIndex).collect();
    Ok(Mapping { map, findings })
}

/// The most cells that many rows of a file have, its header included.
fn usual_cells(file: &Unmapped) -> usize {
    const MANY: usize = 4;
    let first = file.table.records_above as usize;
    let mut rows: Vec<usize> = (first..file.sample.len()).map(|index| file.sample.cells(index)).collect();
    rows.sort_unstable();
    let many = rows.len().div_ceil(MANY);
    let usual = if many == 0 { 0 } else { rows[rows.len() - many] };
    usual.max(file.table.headers.len())
}
