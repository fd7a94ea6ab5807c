//! The guards of single files, of sources and lists alike: rows under the wrong headers, values that are not there.

use crate::job::guard::Guard;
use crate::run::decide::known::Known;
use crate::run::gather::counts::FileCounts;
use crate::run::open::files::OpenFile;
use crate::run::tripped_guard::TrippedGuard;
use pebblebank_table::observe::{Finding, counted};

/// What to do about a second header.
pub const PARTS_TABLES: &str = "save each table as a file of its own";

/// What to do about formulas without values.
pub const STORES_VALUES: &str = "open the workbook in a spreadsheet program, save it there, and hand that over";

/// The guards that the files of sources trip.
pub fn of_sources(known: &Known) -> Vec<TrippedGuard> {
    let files = known.files.sources.iter().zip(&known.source_counts);
    files.flat_map(|(file, counts)| of_file(file, counts)).collect()
}

/// The guards that the files of lists trip.
pub fn of_lists(known: &Known) -> Vec<TrippedGuard> {
    let files = known.files.lists.iter().zip(&known.list_files);
    files.flat_map(|(file, counts)| of_file(file, counts)).collect()
}

fn of_file<Owner>(file: &OpenFile<Owner>, counts: &FileCounts) -> Vec<TrippedGuard> {
    let name = file.input.name();
    let tables = counts.other_tables.rows.first().map(|row| {
        let text = format!(
            "{name}: row {} has the words of another header, so that what stands below would be read in the wrong columns",
            row.0
        );
        TrippedGuard::new(Guard::AnotherTable, counts.other_tables.count, text, PARTS_TABLES)
    });
    let is_formulas = |finding: &&Finding| finding.code == "formulas-without-value";
    let formulas = file.findings.iter().find(is_formulas).map(|finding| {
        let cells = counted(finding.count, "cell", "has", "have");
        let text =
            format!("{name}: {cells} a formula whose value is not stored, so that nobody knows what stands there");
        TrippedGuard::new(Guard::FormulasWithoutValue, finding.count, text, STORES_VALUES)
    });
    [tables, formulas].into_iter().flatten().collect()
}
