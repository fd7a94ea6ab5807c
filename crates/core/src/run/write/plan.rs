//! The job fitted to its files for the second pass: what is required, picked and laid out of each.

use super::left_out::LeftOut;
use super::limit::Picking;
use super::rows::Rows;
use super::shapes::ImportShape;
use crate::clean::plan::CleaningPlan;
use crate::columns::ColumnMap;
use crate::job::Job;
use crate::layout::plan::LayoutPlan;
use crate::layout::receipt::{AllColumns, OriginalValues};
use crate::person::same::PersonKey;
use crate::require::RequirementPlan;
use crate::run::decide::fill::Supplies;
use crate::run::decide::near_misses::NearMissed;
use crate::run::decide::settled::Settled;
use crate::run::decide::supplied::SuppliedColumns;
use crate::run::decide::why::describe;
use crate::run::open::files::{OpenFile, OpenFiles};
use crate::run::verdicts::Verdicts;
use crate::select::plan::SelectionPlan;
use pebblebank_table::CsvBuffer;
use pebblebank_table::csv::Defusing;
use pebblebank_table::units::{ColumnIndex, SourceId};
use pebblebank_values::Field;
use std::sync::Mutex;

/// The job fitted to the columns of one file.
pub(super) struct FilePlan {
    pub(super) layouts: Vec<LayoutPlan>,
    pub(super) requirement: RequirementPlan,
    pub(super) selection: Option<SelectionPlan>,
    /// Whom each import file takes; none for all.
    pub(super) takes: Vec<Option<SelectionPlan>>,
    /// Who gets which tag, in the order of the job.
    pub(super) tags: Vec<SelectionPlan>,
    pub(super) originals: OriginalValues,
    /// The middle name, where no import file takes it, and the column of the file that it is in.
    pub(super) middle_name: Option<(ColumnIndex, ColumnIndex)>,
    /// The source's and the file's name as two cells.
    pub(super) name_cells: Vec<u8>,
    pub(super) source: SourceId,
    /// Its place among the source files.
    pub(super) file: usize,
    /// Where values go that other rows or lists give.
    pub(super) supplied: Option<SuppliedColumns>,
}

/// All that the second pass needs to know, the same for every chunk.
pub struct SecondPass<'a> {
    pub(super) job: &'a Job,
    pub(super) files: &'a OpenFiles,
    pub(super) settled: &'a Settled,
    pub(super) shapes: &'a [ImportShape],
    pub(super) plans: Vec<FilePlan>,
    /// What to say about each combination of marks.
    pub(super) details: Vec<String>,
    /// The keys of the job, as receipts name them.
    pub(super) key_names: Vec<String>,
    pub(super) pick: Picking,
    pub(super) supplies: Option<&'a Supplies>,
    pub(super) near: Option<&'a NearMissed>,
    /// What was found of domains, where the job asks for it.
    pub(super) verdicts: Option<&'a Verdicts>,
    pub(super) left_out: LeftOut,
    pub(super) spare: Mutex<Vec<Rows>>,
}

impl<'a> SecondPass<'a> {
    /// Fits the job to all files. `shapes` has one for each import file.
    pub fn new(
        job: &'a Job,
        files: &'a OpenFiles,
        settled: &'a Settled,
        shapes: &'a [ImportShape],
        columns: &AllColumns,
        supplies: Option<&'a Supplies>,
    ) -> SecondPass<'a> {
        let plan = |(file, cleaning): (&OpenFile<SourceId>, &CleaningPlan)| FilePlan {
            layouts: shapes
                .iter()
                .map(|ImportShape { layout, file: shape }| {
                    LayoutPlan::new(layout, &shape.form, &cleaning.map, file.is_receipt, job.facts())
                })
                .collect(),
            takes: job
                .writes
                .iter()
                .map(|write| {
                    let condition = write.condition.as_ref()?;
                    Some(SelectionPlan::new(condition, &cleaning.map, file.is_receipt, job.facts()))
                })
                .collect(),
            tags: job
                .tags
                .iter()
                .map(|tag| SelectionPlan::new(&tag.condition, &cleaning.map, file.is_receipt, job.facts()))
                .collect(),
            requirement: RequirementPlan::new(&job.require, &cleaning.map, file.is_receipt),
            selection: job
                .select
                .as_ref()
                .map(|selection| SelectionPlan::new(selection, &cleaning.map, file.is_receipt, job.facts())),
            originals: OriginalValues::new(columns, file.map()),
            middle_name: job.leaves_out_middle_names().then(|| middle_name(&cleaning.map, file.map())).flatten(),
            name_cells: name_cells(&job.sources[file.owner.0 as usize].name, &file.input.name()),
            source: file.owner,
            file: file.id.0 as usize,
            supplied: files
                .supplied
                .as_ref()
                .map(|supplied| SuppliedColumns::new(supplied, &cleaning.map, file.is_receipt, &job.clean.blank_words)),
        };
        let plans = files.sources.iter().zip(&files.cleaning).map(plan).collect();
        let details = settled.all_marks().map(|marks| describe(job, marks)).collect();
        let key_names = job.person.same.iter().map(PersonKey::name).collect();
        SecondPass {
            job,
            files,
            settled,
            shapes,
            plans,
            details,
            key_names,
            pick: Picking::All,
            supplies,
            near: None,
            verdicts: None,
            left_out: LeftOut::Nobody,
            spare: Mutex::default(),
        }
    }

    /// With what was found of domains, so that the job can set contacts aside for it.
    #[must_use]
    pub fn knowing(self, verdicts: &'a Verdicts) -> SecondPass<'a> {
        SecondPass { verdicts: Some(verdicts), ..self }
    }

    /// With what was found of near misses, so that the job can set contacts aside for it.
    #[must_use]
    pub fn near_missing(self, near: &'a NearMissed) -> SecondPass<'a> {
        SecondPass { near: Some(near), ..self }
    }
}

/// Where the middle name stands in a cleaned record, and in the file.
fn middle_name(cleaned: &ColumnMap, file: &ColumnMap) -> Option<(ColumnIndex, ColumnIndex)> {
    let of_file = file.column(Field::MiddleName).or_else(|| file.column(Field::FullName))?;
    Some((cleaned.column(Field::MiddleName)?, of_file))
}

fn name_cells(source: &str, file: &str) -> Vec<u8> {
    let mut cells = CsvBuffer::new(Defusing::On);
    cells.value(source.as_bytes());
    cells.value(file.as_bytes());
    cells.bytes
}
