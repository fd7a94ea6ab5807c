//! The rows of `repairs.csv`.

use crate::run::tally::Company;
use pebblebank_table::CsvBuffer;
use pebblebank_table::units::RowNumber;
use pebblebank_values::{Rule, Rules};

pub(super) fn company_of(rules: Rules) -> Company {
    if rules.is_one() { Company::Alone } else { Company::WithOthers }
}

pub(super) fn repair_row(
    out: &mut CsvBuffer,
    rule: Rule,
    name_cells: &[u8],
    number: RowNumber,
    field: &str,
    before: &[u8],
    after: &[u8],
) {
    out.value(rule.name().as_bytes());
    out.bytes.extend_from_slice(name_cells);
    number_cell(out, number.0);
    out.value(field.as_bytes());
    out.value(before);
    out.value(after);
    out.end_row();
}

/// Adds a number without taking memory for it.
pub(super) fn number_cell(out: &mut CsvBuffer, mut number: u64) {
    let mut digits = [0u8; 20];
    let mut at = digits.len();
    loop {
        at -= 1;
        digits[at] = b'0' + (number % 10) as u8;
        number /= 10;
        if number == 0 {
            break;
        }
    }
    out.bytes.extend_from_slice(&digits[at..]);
    out.bytes.push(b',');
}
