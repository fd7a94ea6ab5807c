//! Whether the day or the month comes first in each column of dates, once all of it was seen.

use super::counts::FileCounts;
use crate::job::Job;
use crate::run::open::files::{OpenFile, OpenFiles};
use pebblebank_table::observe::{Finding, Met, Weight, counted};
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::DateOrder;
use pebblebank_values::date_column::{OrderDecision, OrderEvidence};
use pebblebank_values::place::Country;

const ADVICE: &str = "say which comes first: --date-order dmy or mdy";
const IN_JOB: &str = "say which comes first: date_order = \"dmy\" or \"mdy\" in the [[source]]";

/// Decides the order of every column of dates that the job uses. What was taken and could be otherwise is a finding; a
/// column that stays open is an error.
pub fn decide(files: &mut OpenFiles, counts: &[FileCounts], job: &Job) -> Result<Vec<Finding>> {
    let mut findings = Vec::new();
    for ((file, plan), counts) in files.sources.iter().zip(&mut files.cleaning).zip(counts) {
        let columns: Vec<ColumnIndex> = plan.date_columns().collect();
        let said = job.sources[file.owner.0 as usize].read.columns.date_order.or(job.clean.date_order);
        for (column, seen) in columns.into_iter().zip(&counts.dates) {
            let header = file.map().header(column);
            let (order, finding) = order_of(file, header, seen, said, job.country)?;
            findings.extend(finding);
            if let Some(order) = order {
                plan.set_order(column, order);
            }
        }
    }
    Ok(findings)
}

/// The order of one column: as it is said, else as all of it shows, else as is usual in the country; none where no date needs
/// to know. Fails where only the user can tell.
pub fn order_of<Owner>(
    file: &OpenFile<Owner>,
    header: &str,
    seen: &OrderEvidence,
    said: Option<DateOrder>,
    country: Option<Country>,
) -> Result<(Option<DateOrder>, Option<Finding>)> {
    match (said, seen.decision()) {
        (Some(order), _) | (None, OrderDecision::Shown(order)) => Ok((Some(order), None)),
        (None, OrderDecision::NotAsked) => Ok((None, None)),
        (None, OrderDecision::Silent) => {
            let country = country.ok_or_else(|| open(file, header, seen))?;
            let order = DateOrder::of_country(country.code());
            let finding = by_country(order, country.code(), header, &seen.either).in_file(file.input.name());
            Ok((Some(order), Some(finding)))
        }
        (None, OrderDecision::Contradicts) => Err(contradicting(file, header, seen)),
    }
}

/// Whether keys and ranks were made with another order than all of a column shows; sets the right one.
pub fn refutes_keys(files: &mut OpenFiles, counts: &[FileCounts], job: &Job) -> bool {
    let mut is_refuted = false;
    let plans = files.cleaning.iter().zip(&mut files.row_keys);
    for ((file, (plan, keys)), counts) in files.sources.iter().zip(plans).zip(counts) {
        let said = job.sources[file.owner.0 as usize].read.columns.date_order.or(job.clean.date_order);
        let Some(keys) = keys.as_mut().filter(|_| said.is_none()) else { continue };
        for (column, seen) in plan.date_columns().zip(&counts.dates) {
            if let Some(order) = seen.shown() {
                is_refuted |= keys.cleaning_mut().set_order(column, order);
            }
        }
    }
    is_refuted
}

fn by_country(order: DateOrder, country: &str, header: &str, either: &Met) -> Finding {
    let first = match order {
        DateOrder::DayFirst => "the day",
        DateOrder::MonthFirst => "the month",
    };
    let text = format!(
        "no date in \"{header}\" shows whether the day or the month comes first; {first} was taken, as is usual in {country} ({})",
        counted(either.count, "date", "could be either", "could be either")
    );
    Finding::new("date-order-by-country", Weight::Doubt, text).in_column(header).at_rows(either)
}

fn rows(met: &Met) -> String {
    let rows: Vec<String> = met.rows.iter().map(ToString::to_string).collect();
    let more = if met.count > met.rows.len() as u64 { ", …" } else { "" };
    format!("{}{more}", rows.join(", "))
}

fn open<Owner>(file: &OpenFile<Owner>, header: &str, seen: &OrderEvidence) -> Error {
    let what = format!(
        "{} with the day or the month first, and none in this column shows which (rows {})",
        counted(seen.either.count, "date", "can be read", "can be read"),
        rows(&seen.either)
    );
    let silent = "whose order is taken where a column is silent";
    let advice = format!("{ADVICE}; or --country, {silent}");
    let in_job = format!("{IN_JOB}; or country in [job], {silent}");
    Error::new(ErrorKind::Question, what, advice).or_in_job(in_job).in_file(file.input.path()).in_column(header)
}

fn contradicting<Owner>(file: &OpenFile<Owner>, header: &str, seen: &OrderEvidence) -> Error {
    let what = format!(
        "two orders of day and month in one column: the day is first in {} (rows {}), the month in {} (rows {})",
        counted(seen.day_first.count, "date", "", "").trim(),
        rows(&seen.day_first),
        counted(seen.month_first.count, "date", "", "").trim(),
        rows(&seen.month_first),
    );
    let [advice, in_job] =
        [ADVICE, IN_JOB].map(|says| format!("{says}; dates that do not fit it are left as they are and reported"));
    Error::new(ErrorKind::Question, what, advice).or_in_job(in_job).in_file(file.input.path()).in_column(header)
}
